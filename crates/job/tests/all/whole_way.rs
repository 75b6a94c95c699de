//! The way an engineer goes through a recording, on a machine whose truth is known: prepared, computed, read with
//! cursors, told apart by lines of the machine, laid over another run.

use echo_job::align::same_speed;
use echo_job::analysis::{Analysis, AnalysisError, Memory, Provenance, analyze};
use echo_job::machine::Machine;
use echo_job::reading::{Ask, CursorReading, read};
use echo_job::recipe::{LENSES, Recipe};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;

const RATE: f64 = 8192.0;

/// A shaft at `rpm(t)`: unbalance, a gear mesh with sidebands of the slow shaft, a damaged race that rings at 3 kHz,
/// and a tachometer with one pulse a turn.
fn machine(seconds: f64, turned: impl Fn(f64) -> f64) -> Memory {
    let n = (seconds * RATE) as usize;
    let (mut top, mut side, mut tacho) = (vec![0.0; n], vec![0.0; n], vec![0.0; n]);
    let mut rung = 0.0;
    let mut since = 1.0;
    let mut state = 0x2545_f491_4f6c_dd1du64;
    for i in 0..n {
        let t = i as f64 / RATE;
        let a = turned(t);
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        let grain = 0.02 * ((state >> 11) as f64 / (1u64 << 52) as f64 - 1.0);
        // The race is hit 3.57 times a turn.
        if (3.57 * a).floor() > rung {
            rung = (3.57 * a).floor();
            since = 0.0;
        }
        let ring = 0.8 * (-since * 600.0f64).exp() * (TAU * 3000.0 * since).sin();
        since += 1.0 / RATE;
        let mesh = 1.5 * (1.0 + 0.4 * (TAU * a / 3.08).cos()) * (TAU * 13.0 * a).cos();
        top[i] = 2.0 * (TAU * a + 0.3).cos() + mesh + ring + grain;
        side[i] = 1.0 * (TAU * a - 0.9).cos() + grain;
        tacho[i] = if a.fract() < 0.2 { 5.0 } else { 0.0 };
    }
    let unit = "m/s²".to_string();
    Memory::new(
        RATE,
        vec![
            ("gearbox top, vert".into(), unit.clone(), top),
            ("gearbox top, athw".into(), unit, side),
            ("shaft mark".into(), "V".into(), tacho),
        ],
    )
}

fn made(recipe: Value, source: &mut Memory) -> Analysis {
    let provenance = Provenance { at: "2026-01-01T00:00:00Z".into(), input: "test".into(), fingerprint: None };
    let recipe = Recipe::from_value(recipe).unwrap_or_else(|e| panic!("{}", e.says));
    analyze(&recipe, source, provenance, &mut |_| true).unwrap_or_else(|e| panic!("{e}"))
}

fn asked(result: &Analysis, trace: usize, ask: Value) -> CursorReading {
    read(result, trace, &serde_json::from_value::<Ask>(ask).unwrap()).unwrap_or_else(|e| panic!("{}", e.says))
}

fn elements() -> Machine {
    serde_json::from_value(json!({ "elements": [
        { "kind": "shaft", "name": "input shaft", "ratio": 1.0 },
        { "kind": "gear", "name": "pinion", "ratio": 1.0, "teeth": 13 },
        { "kind": "shaft", "name": "output shaft", "ratio": 1.0 / 3.08 },
        { "kind": "bearing", "name": "pinion bearing", "ratio": 1.0, "rollers": 9, "roller_mm": 7.5, "pitch_mm": 36.3, "contact_deg": 0.0 },
    ] }))
    .unwrap()
}

const TURNS_HZ: f64 = 2690.0 / 60.0;

#[test]
fn peaks_of_a_gearbox_belong_to_its_elements() {
    let mut source = machine(8.0, |t| TURNS_HZ * t);
    let speed = made(json!({ "lens": "speed", "tacho": { "channel": 3 } }), &mut source);
    let values = speed.traces[0].real();
    let rpm = values.iter().sum::<f64>() / values.len() as f64;
    assert!((rpm - 2690.0).abs() < 0.5, "{rpm}");
    let spectrum = made(json!({ "lens": "spectrum", "channels": [1], "block": 32768 }), &mut source);
    let known: Vec<Value> = elements()
        .markers()
        .iter()
        .flat_map(|m| {
            (1..=2).map(move |k| {
                let hz = f64::from(k) * m.order * rpm / 60.0;
                json!({ "says": format!("{k}× {} of the {}", m.says, m.element), "hz": hz, "within_hz": m.within * hz })
            })
        })
        .collect();
    let peaks = asked(&spectrum, 0, json!({ "read": "peaks", "count": 2, "known": known, "shaft_hz": rpm / 60.0 }));
    let told: Vec<&str> = peaks.lines.iter().filter_map(|l| l.belongs_to.as_deref()).collect();
    assert!(told.len() == 2 && told[0].contains("input shaft") && told[1].contains("mesh"), "{told:?}");
    assert!((peaks.lines[0].order.unwrap() - 1.0).abs() < 1e-3, "{:?}", peaks.lines[0]);
    assert!((peaks.lines[0].value.unwrap() / 2.0 - 1.0).abs() < 0.01, "{:?}", peaks.lines[0]);
    let sides = asked(
        &spectrum,
        0,
        json!({ "read": "sidebands", "center_hz": 13.0 * TURNS_HZ, "spacing_hz": 14.3, "count": 1 }),
    );
    assert!((sides.spacing_hz.unwrap() - TURNS_HZ / 3.08).abs() < 0.02, "{:?}", sides.spacing_hz);
    let level = |n: i32| sides.lines.iter().find(|l| l.number == n).and_then(|l| l.value).unwrap();
    // Modulated by 0.4: a fifth of the mesh on either side.
    assert!((level(-1) / level(0) - 0.2).abs() < 0.01 && (level(1) / level(0) - 0.2).abs() < 0.01);
}

#[test]
fn the_race_shows_in_the_envelope_of_the_right_channel_only() {
    let mut source = machine(8.0, |t| TURNS_HZ * t);
    let envelope =
        made(json!({ "lens": "envelope", "band_hz": [2500, 3500], "channels": [1, 2], "block": 32768 }), &mut source);
    let outer = elements().markers().iter().find(|m| m.says == "outer race").unwrap().order;
    assert!((outer - 3.57).abs() < 0.005, "{outer}");
    let lines =
        json!({ "read": "lines", "hz": [3.57 * TURNS_HZ, 2.0 * 3.57 * TURNS_HZ, 5.43 * TURNS_HZ], "within_hz": 1.0 });
    let damaged = asked(&envelope, 0, lines.clone());
    assert!(damaged.lines[0].found_hz.is_some() && damaged.lines[1].found_hz.is_some(), "{damaged:?}");
    assert!((damaged.lines[0].found_hz.unwrap() - 3.57 * TURNS_HZ).abs() < 0.2);
    let sound = asked(&envelope, 1, lines);
    let value = |r: &CursorReading| r.lines[0].value.unwrap_or(0.0);
    assert!(value(&damaged) > 20.0 * value(&sound), "{} and {}", value(&damaged), value(&sound));
}

#[test]
fn what_a_formula_makes_is_read_like_a_sensor() {
    let mut source = machine(6.0, |t| TURNS_HZ * t);
    // Twice the side taken off: order 1 is the vector sum, the mesh stays.
    let math = json!([{ "name": "difference", "is": "gearbox_top_vert - 2 * gearbox_top_athw" }]);
    let recipe = json!({ "lens": "order_track", "channels": [4, 1], "orders": [1, 13], "tacho": { "channel": 3 },
        "resolution": 0.1, "math": math });
    let cuts = made(recipe, &mut source);
    let z = |k: usize| {
        let t = &cuts.traces[k];
        (t.complex().unwrap()[0].re, t.complex().unwrap()[0].im)
    };
    let (re, im) = z(0);
    let wanted = (2.0 * 0.3f64.cos() - 2.0 * 0.9f64.cos(), 2.0 * 0.3f64.sin() + 2.0 * 0.9f64.sin());
    // The tachometer's edge is a little after the angle of zero: amplitudes are compared, and the phase between two.
    assert!(
        (re.hypot(im) - wanted.0.hypot(wanted.1)).abs() < 0.03,
        "{} for {}",
        re.hypot(im),
        wanted.0.hypot(wanted.1)
    );
    let between = im.atan2(re) - z(1).1.atan2(z(1).0);
    let truth = wanted.1.atan2(wanted.0) - 0.3;
    assert!(((between - truth + 9.0 * std::f64::consts::PI).rem_euclid(TAU) - std::f64::consts::PI).abs() < 0.03);
    let mesh = z(2).0.hypot(z(2).1);
    assert!((mesh / 1.5 - 1.0).abs() < 0.02, "{mesh}");
    assert_eq!((cuts.traces[0].name.as_str(), cuts.traces[0].unit.as_str()), ("order 1, difference", "m/s²"));
}

#[test]
fn a_run_up_lies_over_another_by_its_speed() {
    // The same run-up, begun three seconds later.
    let up = |from: f64| {
        move |t: f64| {
            let t = (t - from).max(0.0);
            10.0 * (t + from) + 0.75 * t * t
        }
    };
    let curve = |from: f64| {
        let mut source = machine(14.0, up(from));
        let a = made(json!({ "lens": "speed", "tacho": { "channel": 3 }, "interval_s": 0.05 }), &mut source);
        (a.axes[0].values.clone(), a.traces[0].real().to_vec())
    };
    let ((t1, v1), (t2, v2)) = (curve(0.5), curve(3.5));
    for at in [3.0, 5.0, 8.0] {
        let there = same_speed((&t1, &v1), at, (&t2, &v2)).unwrap();
        assert!((there - at - 3.0).abs() < 0.1, "{at}: {there}");
    }
}

#[test]
fn a_recipe_for_one_run_serves_another_with_more_channels() {
    let mut source = machine(4.0, |t| TURNS_HZ * t);
    let names: Vec<String> = ["gearbox top, vert", "gearbox top, athw", "shaft mark"].map(String::from).to_vec();
    let written_for: Vec<String> =
        ["shaft mark", "spare", "gearbox top, athw", "gearbox top, vert"].map(String::from).to_vec();
    let recipe = json!({ "lens": "order_track", "channels": [4, 3, 5], "tacho": { "channel": 1 },
        "math": [{ "name": "both", "is": "gearbox_top_vert + gearbox_top_athw" }] });
    let moved = Recipe::from_value(recipe).unwrap().for_channels(&written_for, &names).unwrap();
    let there = made(serde_json::to_value(&moved).unwrap(), &mut source);
    let told: Vec<(&str, u32)> = there.traces.iter().map(|t| (t.name.as_str(), t.channel)).collect();
    assert_eq!(told, [("order 1, gearbox top, vert", 1), ("order 1, gearbox top, athw", 2), ("order 1, both", 4)]);
    let z = |k: usize| there.traces[k].complex().unwrap()[0].re;
    assert!((z(2) - z(0) - z(1)).abs() < 1e-9, "a sum's order is the sum of the orders");
}

proptest! {
    /// Any stretch through any lens: a result, or a sentence. Nothing panics, and no number is made up from nothing.
    #[test]
    fn any_lens_on_any_stretch_answers(which in 0..LENSES.len(), from in 0.0f64..2.2, length in 1e-4f64..2.5, more in any::<bool>()) {
        thread_local!(static SOURCE: Memory = machine(2.0, |t| TURNS_HZ * t));
        let mut source = SOURCE.with(Clone::clone);
        let mut recipe = json!({ "lens": LENSES[which], "channels": [1, 2], "stretch": { "from_s": from, "to_s": from + length } });
        match LENSES[which] {
            "envelope" => recipe["band_hz"] = json!([2500, 3500]),
            "speed" | "order_map" | "order_track" | "orbit" => recipe["tacho"] = json!({ "channel": 3 }),
            "cross" | "response" => recipe["reference"] = json!(2),
            "deflection" if more => {
                recipe["order"] = json!(1);
                recipe["tacho"] = json!({ "channel": 3 });
            }
            "deflection" => {
                recipe["reference"] = json!(2);
                recipe["band_hz"] = json!([20, 400]);
            }
            "operational_modes" => recipe["longest_lag_s"] = json!(0.05),
            _ => {}
        }
        if more {
            recipe["prepare"] = json!([{ "do": "zero" }, { "do": "trim", "start_s": 0.01 }]);
        }
        let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
        let recipe = Recipe::from_value(recipe).unwrap();
        match analyze(&recipe, &mut source, provenance, &mut |_| true) {
            Ok(a) => {
                let points: usize = a.axes.iter().map(|x| x.values.len()).product();
                for t in &a.traces {
                    prop_assert!(t.len() == points || a.axes.len() >= 2, "{}: {} values for {points}", t.name, t.len());
                }
                prop_assert!(!a.traces.is_empty() || !a.numbers.is_empty());
            }
            Err(AnalysisError::Refused(r)) => prop_assert!(r.says.len() > 10, "{:?}", r),
            Err(other) => prop_assert!(false, "{other}"),
        }
    }
}
