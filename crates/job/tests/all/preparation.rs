//! Steps of preparation, alone and in chains, on signals whose truth is known; faults of a tachometer told in time.

use crate::common::provenance;
use echo_job::analysis::source::{Source, SourceInfo};
use echo_job::analysis::{Analysis, AnalysisError, Memory, analyze};
use echo_job::recipe::Recipe;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;

const RATE: f64 = 4096.0;
const SECONDS: f64 = 4.0;

fn tones() -> Vec<f64> {
    (0..(SECONDS * RATE) as usize)
        .map(|i| {
            let t = i as f64 / RATE;
            2.0 + 0.5 * t + 3.0 * (TAU * 40.0 * t).cos() + 0.5 * (TAU * 640.0 * t).cos()
        })
        .collect()
}

/// A recording with samples 6000 to 6999 missing: reading them gives NaN, as a store does.
struct Torn(Memory, SourceInfo);

impl Torn {
    fn new() -> Torn {
        let whole = Memory::new(RATE, vec![("deck".into(), "m/s²".into(), tones())]);
        let info = SourceInfo { gaps: vec![(6000, 1000)], ..whole.info().clone() };
        Torn(whole, info)
    }
}

impl Source for Torn {
    fn info(&self) -> &SourceInfo {
        &self.1
    }

    fn read(&mut self, channels: &[usize], from: u64, count: usize, out: &mut [Vec<f64>]) -> Result<(), AnalysisError> {
        self.0.read(channels, from, count, out)?;
        for x in out.iter_mut().flatten().enumerate().filter(|(i, _)| (6000..7000).contains(&(from as usize + i))) {
            *x.1 = f64::NAN;
        }
        Ok(())
    }
}

fn carry_out(recipe: Value, source: &mut dyn Source) -> Result<Analysis, AnalysisError> {
    analyze(&Recipe::from_value(recipe)?, source, provenance(), &mut |_| true)
}

fn whole() -> Memory {
    Memory::new(RATE, vec![("deck".into(), "m/s²".into(), tones())])
}

fn number(a: &Analysis, name: &str) -> f64 {
    a.numbers.iter().find(|n| n.name == name).map_or(f64::NAN, |n| n.value)
}

fn statistics(prepare: Value) -> Analysis {
    carry_out(json!({ "lens": "statistics", "prepare": prepare }), &mut whole()).unwrap()
}

#[test]
fn each_step_does_what_it_says() {
    let tone = |a: f64| a / 2f64.sqrt();
    let both = tone(3.0).hypot(tone(0.5));
    for (prepare, mean, std) in [
        (json!([{ "do": "zero" }]), 0.0, None),
        (json!([{ "do": "detrend" }]), 0.0, Some(both)),
        (json!([{ "do": "highpass", "edge_hz": 200 }]), 0.0, Some(tone(0.5))),
        (json!([{ "do": "detrend" }, { "do": "lowpass", "edge_hz": 200 }]), 0.0, Some(tone(3.0))),
        (
            json!([{ "do": "bandpass", "band_hz": [30, 50] }, { "do": "trim", "start_s": 0.5, "end_s": 0.5 }]),
            0.0,
            Some(tone(3.0)),
        ),
        (
            json!([{ "do": "detrend" }, { "do": "bandstop", "band_hz": [30, 52], "order": 2 }, { "do": "trim", "start_s": 0.5, "end_s": 0.5 }]),
            0.0,
            Some(tone(0.5)),
        ),
        (json!([{ "do": "detrend" }, { "do": "resample", "rate_hz": 1024 }]), 0.0, Some(tone(3.0))),
    ] {
        let a = statistics(prepare.clone());
        assert!((number(&a, "mean") - mean).abs() < 0.03, "{prepare}: mean {}", number(&a, "mean"));
        if let Some(std) = std {
            assert!((number(&a, "std") / std - 1.0).abs() < 0.03, "{prepare}: {} for {std}", number(&a, "std"));
        }
    }
}

#[test]
fn integration_and_differentiation_undo_each_other_with_their_units() {
    let ends = json!({ "do": "trim", "start_s": 0.5, "end_s": 0.5 });
    let there = statistics(json!([{ "do": "integrate", "times": 1, "above_hz": 5 }, ends]));
    assert_eq!(there.numbers[0].unit, "m/s");
    let wanted = 3.0 / (TAU * 40.0) / 2f64.sqrt();
    assert!((number(&there, "rms") / wanted - 1.0).abs() < 0.02, "{}", number(&there, "rms"));
    let back = statistics(json!([
        { "do": "integrate", "times": 2, "above_hz": 5 }, { "do": "differentiate", "times": 2 }, { "do": "trim", "start_s": 0.5, "end_s": 0.5 }
    ]));
    assert_eq!(back.numbers[0].unit, "m/s²");
    let wanted = (9.0f64 / 2.0 + 0.25 / 2.0).sqrt();
    assert!((number(&back, "rms") / wanted - 1.0).abs() < 0.02, "{} for {wanted}", number(&back, "rms"));
}

#[test]
fn the_order_of_steps_counts() {
    // Filtered first, the filter's beginning is cut off; cut first, it is not.
    let step = |order: usize| {
        let mut x = vec![0.0; 8192];
        x[4096..].fill(1.0);
        let mut source = Memory::new(RATE, vec![("a".into(), "V".into(), x)]);
        let filter = json!({ "do": "highpass", "edge_hz": 1, "one_pass": true });
        let trim = json!({ "do": "trim", "start_s": 1.5 });
        let prepare = if order == 0 { json!([filter, trim]) } else { json!([trim, filter]) };
        let a = carry_out(json!({ "lens": "waveform", "prepare": prepare }), &mut source).unwrap();
        assert_eq!((a.axes[0].values[0], a.axes[0].values.len()), (1.5, 2048));
        a.traces[0].real()[0]
    };
    // Half a second after the step the one has decayed to a part of it, the other begins with all of it.
    assert!(step(0).abs() < 0.9 && (step(1) - 1.0).abs() < 0.01, "{} and {}", step(0), step(1));
}

#[test]
fn a_gap_parts_trimmed_and_resampled_stretches() {
    let trim = json!([{ "do": "trim", "start_s": 0.25, "end_s": 0.25 }]);
    let a = carry_out(json!({ "lens": "waveform", "prepare": trim }), &mut Torn::new()).unwrap();
    let (times, values) = (&a.axes[0].values, a.traces[0].real());
    assert_eq!((times[0], times.len()), (0.25, (3.5 * RATE) as usize));
    let (tear, mend) = (6000.0 / RATE, 7000.0 / RATE);
    for (t, v) in times.iter().zip(values) {
        // A quarter of a second is off either side of the gap as well.
        let kept = *t < tear - 0.25 - 1e-9 || *t >= mend + 0.25 - 1e-9;
        assert_eq!(v.is_finite(), kept, "{t}: {v}");
        if kept {
            let i = (t * RATE).round() as usize;
            assert!((v - tones()[i]).abs() < 1e-12);
        }
    }
    let slow = json!([{ "do": "resample", "rate_hz": 1000 }]);
    let a = carry_out(json!({ "lens": "waveform", "prepare": slow }), &mut Torn::new()).unwrap();
    let missing = a.traces[0].real().iter().filter(|v| !v.is_finite()).count();
    assert!(missing.abs_diff(244) <= 3, "a thousand samples of 4096 Hz are 244 of 1000 Hz, not {missing}");
}

#[test]
fn faults_of_a_tachometer_are_told_where_they_are() {
    // Twenty pulses a second; one is left out at 2.5 s, one is doubled at 3.2 s.
    let mut x = vec![0.0; (SECONDS * RATE) as usize];
    for k in 0..80 {
        let at = k as f64 / 20.0 + 0.01;
        let mut pulse = |at: f64| {
            let from = (at * RATE) as usize;
            x[from..from + 20].fill(5.0);
        };
        if k != 50 {
            pulse(at);
        }
        if k == 64 {
            pulse(at + 0.012);
        }
    }
    let mut source = Memory::new(RATE, vec![("tacho".into(), "V".into(), x)]);
    let recipe = json!({ "lens": "speed", "tacho": { "channel": 1 }, "stretch": { "from_s": 1, "to_s": 4 } });
    let a = carry_out(recipe, &mut source).unwrap();
    let places = |rule: &str| a.cautions.iter().find(|c| c.rule.word() == rule).map_or(&[][..], |c| &c.places_s);
    // Places count from the start of the data, not of the stretch.
    let (missed, extra) = (places("tacho missed"), places("tacho extra"));
    assert!(missed.len() == 1 && (missed[0] - 2.56).abs() < 0.01, "{missed:?}");
    assert!(extra.len() == 1 && (extra[0] - 3.222).abs() < 0.01, "{extra:?}");
}

proptest! {
    /// Whatever steps follow each other: a result of finite numbers, or a sentence.
    #[test]
    fn chains_give_numbers_or_a_sentence(
        which in prop::collection::vec(0usize..10, 1..5), a in 0.0f64..3000.0, b in 0.0f64..2.5, torn in any::<bool>(),
    ) {
        let steps: Vec<Value> = which.iter().map(|k| match k {
            0 => json!({ "do": "zero" }),
            1 => json!({ "do": "detrend" }),
            2 => json!({ "do": "highpass", "edge_hz": a }),
            3 => json!({ "do": "lowpass", "edge_hz": a, "design": "bessel" }),
            4 => json!({ "do": "bandpass", "band_hz": [a / 2.0, a], "order": 2 }),
            5 => json!({ "do": "bandstop", "band_hz": [a, a * 1.5], "order": 1, "one_pass": true }),
            6 => json!({ "do": "integrate", "times": 1, "above_hz": b * 10.0 }),
            7 => json!({ "do": "differentiate", "times": 1 }),
            8 => json!({ "do": "trim", "start_s": b, "end_s": b / 3.0 }),
            _ => json!({ "do": "resample", "rate_hz": (a / 4.0).round() * 4.0 }),
        }).collect();
        let recipe = json!({ "lens": "statistics", "prepare": steps });
        let done = if torn { carry_out(recipe, &mut Torn::new()) } else { carry_out(recipe, &mut whole()) };
        match done {
            Ok(r) => prop_assert!(r.numbers.iter().filter(|n| n.name == "rms").all(|n| n.value.is_finite())),
            Err(AnalysisError::Refused(r)) => prop_assert!(r.says.len() > 10, "{:?}", r),
            Err(other) => prop_assert!(false, "{other}"),
        }
    }
}
