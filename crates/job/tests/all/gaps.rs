//! Runs with a missing stretch: nothing reaches over it, nothing is made up inside it, and lenses
//! that need the whole say so.

use crate::common::provenance;
use echo_job::analysis::source::{Source, SourceInfo};
use echo_job::analysis::{Analysis, AnalysisError, Memory, analyze};
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
    analyze(&Recipe::from_json(recipe)?, &mut Torn::new((0..16_384).map(tone).collect()), provenance(), &mut |_| true)
}

#[test]
fn blocks_do_not_reach_over_a_gap_and_it_is_told() {
    let a = carry_out(r#"{"lens": "spectrum", "block": 1024, "overlap": 0, "scaling": "power"}"#).unwrap();
    assert_eq!(a.averages, Some(4 + 10));
    let wanted = (4.0 * 0.5 + 10.0 * 4.5) / 14.0;
    assert!((a.traces[0].real()[128] - wanted).abs() < 1e-9, "{}", a.traces[0].real()[128]);
    assert_eq!(a.cautions[0].rule.word(), "gap");
    assert!(a.cautions[0].says.starts_with("2.000000 s are missing at 4.000000 s"), "{}", a.cautions[0].says);
    // Preparation, too, takes the two sides for themselves.
    let a = carry_out(r#"{"lens": "statistics", "prepare": [{"do": "detrend"}]}"#).unwrap();
    assert!(a.numbers.iter().all(|n| n.value.is_finite()));
}

#[test]
fn what_lies_in_a_gap_has_no_value() {
    let a = carry_out(r#"{"lens": "waveform", "reduce": "minmax", "points": 16}"#).unwrap();
    for (t, v) in a.axes[0].values.iter().zip(a.traces[1].real()) {
        assert_eq!(v.is_nan(), (4.0..6.0).contains(t), "{t}: {v}");
    }
    let a = carry_out(r#"{"lens": "level", "band_hz": [50, 300], "interval_s": 1}"#).unwrap();
    for (t, v) in a.axes[0].values.iter().zip(a.traces[0].real()) {
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

#[test]
fn only_the_first_block_of_each_take_is_averaged_over_triggers() {
    // One block of the piece before the gap, one of the piece after it, whatever else would fit.
    let recipe = r#"{"lens": "spectrum", "block": 1024, "scaling": "power", "of_takes": "first"}"#;
    let a = carry_out(recipe).unwrap();
    assert_eq!(a.averages, Some(2));
    assert!((a.traces[0].real()[128] - (0.5 + 4.5) / 2.0).abs() < 1e-9, "{}", a.traces[0].real()[128]);
    // At another rate a block is longer in time; trimming moves where it begins.
    let prepare = r#""prepare": [{"do": "trim", "start_s": 0.5}, {"do": "resample", "rate_hz": 512}]"#;
    let slower = carry_out(&recipe.replace("\"of_takes\"", &format!("{prepare}, \"of_takes\"")).replace("1024", "512"));
    let slower = slower.unwrap();
    assert_eq!(slower.averages, Some(2));
    assert!((slower.traces[0].real()[128] - 2.5).abs() < 0.02, "{}", slower.traces[0].real()[128]);
    let long = carry_out(&recipe.replace("1024", "8192")).unwrap();
    assert_eq!(long.averages, Some(1), "a piece that is too short has none");
    let says = carry_out(&recipe.replace("first", "some")).unwrap_err().to_string();
    assert!(says.contains("of_takes") && says.contains("every"), "{says}");
}

#[test]
fn only_the_named_takes_are_looked_at() {
    let mut x = vec![9.0; 10_000];
    x[1000..3000].fill(1.0);
    x[6000..7000].fill(3.0);
    let takes = [(1, 1000, 2000), (2, 4000, 500), (3, 6000, 1000)];
    let source = || Memory::new(1000.0, vec![("a".into(), "V".into(), x.clone())]).with_takes(&takes);
    let made = |recipe: &str| analyze(&Recipe::from_json(recipe).unwrap(), &mut source(), provenance(), &mut |_| true);
    let number = |a: &Analysis, name: &str| a.numbers.iter().find(|n| n.name == name).map(|n| n.value).unwrap();
    let a = made(r#"{"lens": "statistics", "takes": [3, 1]}"#).unwrap();
    assert!((number(&a, "mean") - 5.0 / 3.0).abs() < 1e-12 && number(&a, "peak") == 3.0, "{:?}", a.numbers);
    assert!(a.cautions.is_empty(), "nothing is missing: {:?}", a.cautions);
    assert_eq!(a.recipe.takes, Some(vec![3, 1]));
    // The stretch cuts takes, and blocks reach over none of their ends.
    let cut = made(r#"{"lens": "statistics", "takes": [1], "stretch": {"from_s": 2.5, "to_s": 9}}"#).unwrap();
    assert_eq!((number(&cut, "mean"), number(&cut, "std")), (1.0, 0.0));
    let blocks =
        made(r#"{"lens": "spectrum", "takes": [1, 3], "block": 1024, "window": "rectangular", "overlap": 0}"#).unwrap();
    assert_eq!(blocks.averages, Some(1), "two thousand samples hold one block, a thousand none");
    let says = |recipe: &str| made(recipe).unwrap_err().to_string();
    assert!(says(r#"{"lens": "statistics", "takes": [7]}"#).contains("takes names 7; the input has takes up to 3"));
    let outside = says(r#"{"lens": "statistics", "takes": [2], "stretch": {"from_s": 0, "to_s": 1}}"#);
    assert!(outside.contains("none of the named takes lies in the stretch"), "{outside}");
    let two = says(r#"{"lens": "envelope", "band_hz": [50, 300], "takes": [1, 3]}"#);
    assert!(two.contains("one take, or takes that follow each other"), "{two}");
}
