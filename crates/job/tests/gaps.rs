//! Runs with a missing stretch: nothing reaches over it, nothing is made up inside it, and lenses
//! that need the whole say so.

use echo_job::analysis::source::{Source, SourceInfo};
use echo_job::analysis::{Analysis, AnalysisError, Memory, Provenance, analyze};
use echo_job::recipe::Recipe;
use std::f64::consts::TAU;

const RATE: f64 = 1024.0;

/// A recording with samples 4096 to 6143 missing, as a store gives it.
struct Torn {
    whole: Memory,
    info: SourceInfo,
}

impl Torn {
    fn new(samples: Vec<f64>) -> Torn {
        let whole = Memory::new(RATE, vec![("deck".into(), "m/s²".into(), samples)]);
        let info = SourceInfo { gaps: vec![(4096, 2048)], ..whole.info().clone() };
        Torn { whole, info }
    }
}

impl Source for Torn {
    fn info(&self) -> &SourceInfo {
        &self.info
    }

    fn read(&mut self, channels: &[usize], from: u64, count: usize, out: &mut [Vec<f64>]) -> Result<(), AnalysisError> {
        let end = from + count as u64;
        assert!(end <= 4096 || from >= 6144, "a lens reads {from} to {end}, where nothing was recorded");
        self.whole.read(channels, from, count, out)
    }
}

fn carry_out(recipe: &str) -> Result<Analysis, AnalysisError> {
    // The tone goes on at another level after the gap.
    let tone = |i: u32| (TAU * 128.0 * f64::from(i) / RATE).cos() * if i < 5000 { 1.0 } else { 3.0 };
    let provenance = Provenance { at: String::new(), input: String::new(), sha256: None };
    analyze(&Recipe::from_json(recipe)?, &mut Torn::new((0..16_384).map(tone).collect()), provenance, &mut |_| true)
}

#[test]
fn blocks_do_not_reach_over_a_gap_and_it_is_told() {
    let a = carry_out(r#"{"lens": "spectrum", "block": 1024, "overlap": 0, "scaling": "power"}"#).unwrap();
    assert_eq!(a.averages, Some(4 + 10));
    let wanted = (4.0 * 0.5 + 10.0 * 4.5) / 14.0;
    assert!((a.traces[0].values[128] - wanted).abs() < 1e-9, "{}", a.traces[0].values[128]);
    assert_eq!(a.cautions[0].rule, "gap");
    assert!(a.cautions[0].says.starts_with("2.000000 s are missing at 4.000000 s"), "{}", a.cautions[0].says);
    // Preparation, too, takes the two sides for themselves.
    let a = carry_out(r#"{"lens": "statistics", "prepare": [{"do": "detrend"}]}"#).unwrap();
    assert!(a.numbers.iter().all(|n| n.value.is_finite()));
}

#[test]
fn what_lies_in_a_gap_has_no_value() {
    let a = carry_out(r#"{"lens": "waveform", "reduce": "minmax", "points": 16}"#).unwrap();
    for (t, v) in a.axes[0].values.iter().zip(&a.traces[1].values) {
        assert_eq!(v.is_nan(), (4.0..6.0).contains(t), "{t}: {v}");
    }
    let a = carry_out(r#"{"lens": "level", "band_hz": [50, 300], "interval_s": 1}"#).unwrap();
    for (t, v) in a.axes[0].values.iter().zip(&a.traces[0].values) {
        assert_eq!(v.is_nan(), (4.0..6.0).contains(t), "{t}: {v}");
    }
    let a = carry_out(r#"{"lens": "spectrogram", "block": 512, "interval_s": 1}"#).unwrap();
    assert_eq!(a.axes[0].values.len(), 14, "four columns before and ten after");
    assert!(a.axes[0].values.iter().all(|t| !(4.0..6.0).contains(t)), "{:?}", a.axes[0].values);
}

#[test]
fn a_lens_that_needs_the_whole_says_where_it_is_torn() {
    for lens in [r#""arrivals""#, r#""envelope", "band_hz": [50, 300]"#, r#""speed", "tacho": {"channel": 1}"#] {
        match carry_out(&format!(r#"{{"lens": {lens}}}"#)) {
            Err(AnalysisError::Refused(r)) => assert!(r.says.contains("missing at 4.000000 s"), "{}", r.says),
            other => panic!("{lens}: {:?}", other.map(|a| a.numbers)),
        }
        // On one side of the gap there is nothing to refuse it for.
        let aside = carry_out(&format!(r#"{{"lens": {lens}, "stretch": {{"from_s": 7, "to_s": 15}}}}"#));
        let torn = matches!(&aside, Err(AnalysisError::Refused(r)) if r.says.contains("missing at"));
        assert!(!torn, "{lens}");
    }
}
