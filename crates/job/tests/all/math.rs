//! Computed channels: units on the way, names, refusals, and the same values in pieces of any size.

use echo_job::analysis::{Analysis, AnalysisError, Memory, Provenance, analyze};
use echo_job::math::{Formula, Known, MathChannel, formulas};
use echo_job::recipe::Recipe;
use proptest::prelude::*;
use std::f64::consts::TAU;

const RATE: f64 = 1000.0;

fn known() -> Vec<Known> {
    let all = [
        ("deck, fwd", "m/s²"),
        ("deck, aft", "g"),
        ("hammer", "N"),
        ("shaft x", "µm"),
        ("strain 1", "µm/m"),
        ("tacho", "V"),
        ("pump speed", "rpm of a pump"),
    ];
    all.map(|(name, unit)| Known { name: name.into(), unit: unit.into() }).to_vec()
}

fn unit(text: &str) -> String {
    Formula::read(text, &known()).unwrap_or_else(|e| panic!("{text}: {}", e.says)).unit().to_string()
}

fn refused(text: &str) -> String {
    match Formula::read(text, &known()) {
        Err(e) => e.says,
        Ok(f) => panic!("{text} was taken, in {}", f.unit()),
    }
}

/// A formula's values where every channel stands at one value for a while.
fn steady(text: &str, at: &[f64]) -> f64 {
    let f = Formula::read(text, &known()).unwrap_or_else(|e| panic!("{text}: {}", e.says));
    let inputs: Vec<Vec<f64>> = f.inputs().iter().map(|i| vec![at[*i]; 8]).collect();
    f.values(&inputs.iter().map(Vec::as_slice).collect::<Vec<_>>(), RATE).unwrap()[4]
}

#[test]
fn units_go_along() {
    assert_eq!(unit("deck_fwd - deck_aft"), "m/s²");
    assert_eq!(unit("deck_aft - deck_fwd"), "g");
    assert_eq!(unit("2 * C4"), "µm");
    assert_eq!(unit("-c4 / 3"), "µm");
    assert_eq!(unit("derivative(shaft_x)"), "m/s");
    assert_eq!(unit("derivative(derivative(shaft_x))"), "m/s²");
    assert_eq!(unit("hammer / deck_fwd"), "kg");
    assert_eq!(unit("hammer * derivative(shaft_x)"), "m²·kg/s³");
    assert_eq!(unit("deck_fwd ^ 2"), "(m/s²)²");
    assert_eq!(unit("sqrt(deck_fwd * deck_fwd + deck_aft^2)"), "m/s²");
    assert_eq!(unit("deck_fwd / deck_aft"), "");
    assert_eq!(unit("rms(deck_aft, 100 ms)"), "g");
    assert_eq!(unit("deck_fwd + 2.5 m/s²"), "m/s²");
    assert_eq!(unit("deck_fwd + 2.5 m/s^2 * 2"), "m/s²");
    assert_eq!(unit("derivative(tacho)"), "m²·kg/(s⁴·A)");
    assert_eq!(unit("1 / derivative(deck_fwd) * deck_fwd"), "s");
    assert_eq!(unit("max(strain_1, 3 um/m)"), "µm/m");
}

#[test]
fn values_are_in_their_units() {
    // 1 m/s², 2 g, 3 N, 4 µm, 5 µm/m, 6 V.
    let at = [1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0];
    let close = |text: &str, wanted: f64| {
        let found = steady(text, &at);
        assert!((found - wanted).abs() < 1e-9 * wanted.abs().max(1.0), "{text}: {found} for {wanted}");
    };
    close("deck_fwd + deck_aft", 1.0 + 2.0 * 9.80665);
    close("deck_aft - deck_fwd", 2.0 - 1.0 / 9.80665);
    close("c3 / c1 + c3 / c1", 6.0);
    close("2 + 3 * 4 * c1 / c1", 14.0);
    close("-c1 ^ 2 + 5 m/s² * c1", 4.0);
    close("2 - -(c1 / c1)", 3.0);
    close("hypot(c1, c2, 3 m/s²)", (1.0f64 + (2.0 * 9.80665f64).powi(2) + 9.0).sqrt());
    close("min(c2, 1 g)", 1.0);
    close("max(c4, 0.02 mm)", 20.0);
    close("abs(-3 * c6)", 18.0);
    close("sqrt(c4 * c4)", 4e-6);
    close("peak(c1 - 3 m/s², 2 ms)", 2.0);
    close("mean(c5, 0.003 s) * 1e3", 5000.0);
    close("derivative(c4)", 0.0);
}

#[test]
fn what_is_wrong_is_said_with_where() {
    for (text, parts) in [
        ("", &["1 to 1000"][..]),
        ("deck_fwd - hammer", &["N cannot be taken off m/s²", "go into each other"]),
        ("deck_fwd + 3", &["a number without a unit cannot be added"]),
        ("c1 - bulkhead * 2", &["after “c1 -”: bulkhead is no channel", "deck_fwd", "c1 to c7"]),
        ("c8", &["c8 is no channel"]),
        ("c1 +", &["ends too early"]),
        ("(c1 + c2", &["not closed"]),
        ("rms(c1", &["rms is not closed"]),
        ("c1 ? c2", &["“?” does not belong there", "after “c1”"]),
        ("rms(c1, 0.1)", &["a value and a time"]),
        ("rms(c1, 0 s)", &["above 0 up to 60"]),
        ("rms(c1, 2 min)", &["above 0 up to 60"]),
        ("fft(c1)", &["fft is no function", "derivative"]),
        ("abs(c1, c2)", &["abs takes one value"]),
        ("hypot(c1)", &["2 to 16 values"]),
        ("sqrt(c1)", &["the root of m/s²"]),
        ("c1 ^ 2.5", &["whole number from 1 to 8"]),
        ("3 + 4", &["names no channel"]),
        ("pump_speed * 2", &["no unit formulas know"]),
        ("c1 c2", &["does not belong there"]),
        ("1.2.3 * c1", &["does not belong there"]),
    ] {
        let says = refused(text);
        assert!(parts.iter().all(|p| says.contains(p)), "{text}: {says}");
    }
    // Brackets without end cost a sentence, not the stack.
    assert!(refused(&"(".repeat(900)).contains("brackets may stand up to"));
    assert!(refused(&"-".repeat(900)).contains("signs may stand up to"));
}

#[test]
fn names_are_told_apart_and_formulas_may_name_each_other() {
    let twins = [("top, vert", "m/s²"), ("top vert", "m/s²")];
    let twins: Vec<Known> = twins.map(|(n, u)| Known { name: n.into(), unit: u.into() }).to_vec();
    let says = Formula::read("top_vert * 2", &twins).unwrap_err().says;
    assert!(says.contains("c1 and c2"), "{says}");
    let math = |all: &[(&str, &str)]| -> Vec<MathChannel> {
        all.iter().map(|(n, is)| MathChannel { name: (*n).into(), is: (*is).into() }).collect()
    };
    let all = formulas(&known(), &math(&[("Rack", "deck_fwd - deck_aft"), ("rack speed", "2 * rack + c1")])).unwrap();
    // The second one is made of channels alone.
    assert_eq!(all[1].inputs().iter().max(), Some(&1));
    let (one, two) = ([10.0; 4], [1.0; 4]);
    let inputs: Vec<&[f64]> = all[1].inputs().iter().map(|i| if *i == 0 { &one[..] } else { &two[..] }).collect();
    let found = all[1].values(&inputs, RATE).unwrap()[0];
    assert!((found - (3.0 * 10.0 - 2.0 * 9.80665)).abs() < 1e-9, "{found}");
    for (wrong, part) in [
        (&[("", "c1")][..], "needs a name"),
        (&[("deck fwd", "c1")], "read as that of “deck, fwd”"),
        (&[("a", "b + c1"), ("b", "c1")], "a: at the start: b is no channel"),
        (&[("a", "c1"), ("A", "c2")], "not used yet"),
    ] {
        let says = formulas(&known(), &math(wrong)).unwrap_err().says;
        assert!(says.contains(part), "{says}");
    }
}

fn two_tones() -> Memory {
    let tone = |hz: f64, a: f64| (0..4000).map(|i| a * (TAU * hz * f64::from(i) / RATE).sin()).collect::<Vec<f64>>();
    Memory::new(
        RATE,
        vec![("deck, fwd".into(), "m/s²".into(), tone(50.0, 3.0)), ("deck, aft".into(), "g".into(), tone(50.0, 0.1))],
    )
}

fn made(recipe: &str) -> Result<Analysis, AnalysisError> {
    let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    analyze(&Recipe::from_json(recipe)?, &mut two_tones(), provenance, &mut |_| true)
}

#[test]
fn a_recipe_brings_its_formulas() {
    let a = made(
        r#"{"lens": "spectrum", "block": 1000, "channels": [3, 1], "window": "rectangular",
            "math": [{"name": "twist", "is": "deck_fwd - deck_aft"}]}"#,
    )
    .unwrap();
    assert_eq!((a.traces[0].name.as_str(), a.traces[0].unit.as_str(), a.traces[0].channel), ("twist", "m/s²", 3));
    assert!((a.traces[0].real()[50] - (3.0 - 0.980_665)).abs() < 1e-9 && (a.traces[1].real()[50] - 3.0).abs() < 1e-9);
    // The result says how it was made, formulas included, and all channels are the computed ones too.
    assert_eq!(a.recipe.math[0].is, "deck_fwd - deck_aft");
    let all = made(r#"{"lens": "statistics", "math": [{"name": "twist", "is": "c1 - c2"}]}"#).unwrap();
    assert_eq!(all.recipe.channels, Some(vec![1, 2, 3]));
    let unit = made(r#"{"lens": "statistics", "unit": "g", "math": [{"name": "twist", "is": "c1 - c2"}]}"#).unwrap();
    assert_eq!(unit.recipe.unit.as_deref(), Some("g"));
    let wrong = made(r#"{"lens": "statistics", "math": [{"name": "twist", "is": "c1 - c3"}]}"#);
    assert!(matches!(&wrong, Err(AnalysisError::Refused(r)) if r.field == "math" && r.says.contains("c3")));
    let unknown = Recipe::from_json(r#"{"lens": "statistics", "math": [{"name": "twist", "formula": "c1"}]}"#);
    assert!(unknown.unwrap_err().says.contains("formula"));
}

proptest! {
    /// A formula's values on any stretch are those of the whole: nothing depends on where a piece is cut.
    #[test]
    fn a_stretch_is_a_part_of_the_whole(from in 0usize..1500, count in 2usize..900, which in 0usize..4) {
        let is = ["rms(c1, 0.05 s) + 0.1 * peak(c2, 20 ms)", "derivative(c1) / 2", "mean(derivative(c1), 10 ms)",
            "hypot(c1, rms(c2, 0.3 s))"][which];
        let of = |from: usize, count: usize| {
            let (a, b) = (from as f64 / RATE, (from + count) as f64 / RATE);
            let recipe = format!(
                r#"{{"lens": "waveform", "channels": [3], "math": [{{"name": "m", "is": "{is}"}}],
                    "stretch": {{"from_s": {a}, "to_s": {b}}}}}"#
            );
            made(&recipe).unwrap().traces[0].real().to_vec()
        };
        let (part, whole) = (of(from, count), of(0, 4000));
        for (k, (a, b)) in part.iter().zip(&whole[from..]).enumerate() {
            prop_assert!((a - b).abs() < 1e-9 * b.abs().max(1.0), "{}: {a} for {b}", from + k);
        }
    }
}
