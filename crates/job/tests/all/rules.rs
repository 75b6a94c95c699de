//! Units, sensitivities, the channel table's rules, cautions, and recipes on known signals.

use crate::common::channel;
use echo_job::analysis::{Memory, Provenance, analyze};
use echo_job::caution::{Facts, LevelSeen, check};
use echo_job::entry::typed_number;
use echo_job::plan::{Length, Plan};
use echo_job::recipe::Recipe;
use echo_job::rig::{Column, Coupling, Rig, RowChange};
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::{Quantity, find};
use proptest::prelude::*;
use std::f64::consts::TAU;

fn rig(n: u16) -> Rig {
    Rig { name: "test".into(), channels: (1..=n).map(channel).collect() }
}

#[test]
fn sensitivities_convert_between_units() {
    let per_g = Sensitivity::new(100.0, "mV/g", Quantity::Acceleration).unwrap();
    assert!((per_g.output_per_si().unwrap() - 0.1 / 9.80665).abs() < 1e-15);
    let per_um = Sensitivity::new(7.87, "mV/um", Quantity::Displacement).unwrap();
    assert_eq!(per_um.unit, "mV/µm");
    assert!((per_um.output_per_si().unwrap() - 7870.0).abs() < 1e-9);
    assert_eq!(Sensitivity::new(1.0, "V/(m/s2)", Quantity::Acceleration).unwrap().unit, "V/(m/s²)");
    assert_eq!(find("m/s^2").unwrap().symbol, "m/s²");
    let mut c = channel(1);
    c.unit = "g".into();
    assert!((c.full_scale() - 5.0 / 0.0102 / 9.80665).abs() < 1e-9);
}

#[test]
fn charge_and_bridges_fill_their_range_in_their_own_kind() {
    let mut c = channel(1);
    for (value, unit, coupling, quantity, shown, full) in [
        // 5 V at 1 mV/pC are 5 000 pC.
        (3.12, "pC/(m/s²)", Coupling::Charge, Quantity::Acceleration, "m/s²", 5000.0 / 3.12),
        (30.6, "pC/g", Coupling::Charge, Quantity::Acceleration, "g", 5000.0 / 30.6),
        // 5 V at a supply of 5 V are 1 000 mV/V; a load cell of 2 mV/V at 50 N.
        (0.04, "mV/V/N", Coupling::BridgeFull, Quantity::Force, "kN", 1000.0 / 0.04 / 1e3),
        (0.0005, "mV/V/(µm/m)", Coupling::BridgeQuarter, Quantity::Strain, "µm/m", 1000.0 / 0.0005),
    ] {
        c.sensitivity = Sensitivity::new(value, unit, quantity).unwrap();
        (c.coupling, c.quantity, c.unit) = (coupling, quantity, shown.into());
        assert!((c.full_scale() / full - 1.0).abs() < 1e-12, "{unit}: {}", c.full_scale());
        let rig = Rig { name: "test".into(), channels: vec![c.clone()] };
        assert!(rig.check(None).is_ok());
        c.coupling = Coupling::Dc;
        let refused = Rig { name: "test".into(), channels: vec![c.clone()] }.check(None).unwrap_err();
        assert!(refused.field == "coupling" && refused.says.contains(unit), "{}", refused.says);
    }
}

#[test]
fn numbers_are_read_the_way_they_are_typed() {
    for (text, number, unit) in [
        ("10.2", 10.2, ""),
        (" 10,2 mV/(m/s²) ", 10.2, "mV/(m/s²)"),
        ("1\u{2009}200 mV/g", 1200.0, "mV/g"),
        ("5V", 5.0, "V"),
        ("1e-3 V/g", 1e-3, "V/g"),
    ] {
        assert_eq!(typed_number("x", text), Ok((number, unit.to_string())), "{text}");
    }
    for text in ["", "abc", "-1", "0", "\u{2212}5", "NaN", "inf"] {
        assert!(typed_number("x", text).is_err(), "{text}");
    }
}

#[test]
fn a_change_follows_through_and_a_refusal_changes_nothing() {
    let r = rig(3);
    let change = RowChange::of(Column::Quantity, Quantity::Force.name());
    let c = r.changed(2, &change, None).unwrap().channels[1].clone();
    assert_eq!((c.unit.as_str(), c.sensitivity.unit.as_str()), ("N", "mV/N"));
    let twice = RowChange::of(Column::Name, "channel 1");
    assert_eq!(r.changed(2, &twice, None).unwrap_err().field, "name");
    assert!(r.changed(9, &change, None).unwrap_err().says.contains("no input 9"));
}

#[test]
fn cautions_find_what_a_colleague_would() {
    let mut r = rig(5);
    r.channels[2].sensitivity.value = 100.2;
    r.channels[3].point = "point 1".into();
    r.channels[4].quantity = Quantity::Voltage;
    let loud = LevelSeen { peak_share: 1.0, held_share: 1.0, over: true };
    let silent = LevelSeen { peak_share: 1e-6, held_share: 1e-6, over: false };
    let found = check(&Facts::of(&r).heard([(1, loud), (2, silent)]), &[]);
    let rules: Vec<(&str, Option<u16>)> = found.iter().map(|c| (c.rule, c.input)).collect();
    for wanted in [
        ("clipped", Some(1)),
        ("dead_input", Some(2)),
        ("sensitivity_off", Some(3)),
        ("two_on_one_place", Some(4)),
        ("supply", Some(5)),
    ] {
        assert!(rules.contains(&wanted), "{wanted:?} in {rules:?}");
    }
    assert_eq!(rules.len(), 5);
    let fix = found.iter().find(|c| c.input == Some(3)).unwrap().fix.clone();
    let mended = r.edited(&fix, None).rig;
    assert!((mended.channels[2].sensitivity.value - 10.2176).abs() < 5e-3);
    let quiet = LevelSeen { peak_share: 0.3, held_share: 0.3, over: false };
    assert!(check(&Facts::of(&rig(5)).heard((1..=5).map(|i| (i, quiet))), &[]).is_empty());
}

#[test]
fn sums_follow_from_a_plan() {
    let plan = Plan { sample_rate_hz: 51_200.0, length: Length::After { duration_s: 10.0 }, ..Plan::default() };
    let s = plan.sums(&rig(24), 0.4, Some(1_000_000_000));
    assert_eq!(s.samples, Some(512_000));
    assert!((s.line_spacing_hz - 1.5625).abs() < 1e-12 && (s.clean_to_hz - 20_480.0).abs() < 1e-9);
    assert!((s.room_s.unwrap() - 1e9 / (51_200.0 * 24.0 * 2.1)).abs() < 1e-6);
    let endless = Plan { length: Length::WhenStopped, ..plan };
    assert_eq!(endless.sums(&rig(24), 0.4, None).size_bytes, None);
}

fn spectrum_of(x: Vec<f64>, recipe: &str) -> echo_job::analysis::Analysis {
    let mut source = Memory::new(1024.0, vec![("a".into(), "m/s²".into(), x)]);
    let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    analyze(&Recipe::from_json(recipe).unwrap(), &mut source, provenance, &mut |_| true).unwrap()
}

#[test]
fn a_spectrum_integrates_to_velocity() {
    let x: Vec<f64> = (0..4096).map(|i| 3.0 * (TAU * 64.0 * f64::from(i) / 1024.0).sin()).collect();
    let r = spectrum_of(x, r#"{"lens": "spectrum", "block": 1024, "unit": "mm/s"}"#);
    let v = r.traces[0].real()[64];
    assert!((v - 3.0 / (TAU * 64.0) * 1e3).abs() < 1e-9, "{v}");
    assert_eq!(r.traces[0].real()[1], 0.0, "below 2 Hz nothing is shown");
    assert_eq!(r.traces[0].unit, "mm/s");
    assert!((r.peaks[0].frequency_hz - 64.0).abs() < 0.01);
}

#[test]
fn an_analysis_can_be_stopped() {
    let mut source = Memory::new(1024.0, vec![("a".into(), String::new(), vec![0.0; 1 << 18])]);
    let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    let recipe = Recipe::from_json(r#"{"lens": "statistics"}"#).unwrap();
    let mut calls = 0;
    let stopped = analyze(&recipe, &mut source, provenance, &mut |_| {
        calls += 1;
        calls < 2
    });
    assert!(matches!(stopped, Err(echo_job::analysis::AnalysisError::Stopped)));
}

proptest! {
    #[test]
    fn any_text_for_a_recipe_gets_an_answer(text in "\\PC{0,60}", block in any::<i64>(), overlap in any::<f64>()) {
        let _ = Recipe::from_json(&text);
        let _ = Recipe::from_json(&format!(r#"{{"lens": "spectrum", "block": {block}, "overlap": {overlap}}}"#));
        let _ = typed_number("x", &text);
        let _ = Sensitivity::new(overlap, &text, Quantity::Acceleration);
    }

    #[test]
    fn a_recipe_read_back_is_the_same(block in 2usize..100_000, overlap in 0.0f64..0.99, from in 0.0f64..5.0, length in 0.001f64..9.0) {
        let text = format!(r#"{{"lens": "spectrum", "block": {block}, "overlap": {overlap}, "stretch": {{"from_s": {from}, "to_s": {}}},
            "prepare": [{{"do": "detrend"}}, {{"do": "bandpass", "band_hz": [10, 20]}}]}}"#, from + length);
        let r = Recipe::from_json(&text).unwrap();
        let back = Recipe::from_json(&serde_json::to_string(&r).unwrap()).unwrap();
        prop_assert_eq!(r, back);
    }
}
