//! What cursors read of results whose truth is known.

use echo_job::analysis::{Analysis, Memory, Provenance, analyze};
use echo_job::reading::{Ask, CursorReading, Line, read, read_all};
use echo_job::recipe::Recipe;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;

const RATE: f64 = 8192.0;
const SECONDS: f64 = 16.0;

/// Sines of frequency and amplitude on a little noise.
fn sines(parts: &[(f64, f64)], noise: f64) -> Vec<f64> {
    let mut state = 0x2545_f491_4f6c_dd1du64;
    (0..(SECONDS * RATE) as usize)
        .map(|i| {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            let dice = (state >> 11) as f64 / (1u64 << 52) as f64 - 1.0;
            noise * dice + parts.iter().map(|(hz, a)| a * (TAU * (hz * i as f64 / RATE).fract()).sin()).sum::<f64>()
        })
        .collect()
}

fn made(x: Vec<f64>, recipe: Value) -> Analysis {
    let mut source = Memory::new(RATE, vec![("casing".into(), "m/s²".into(), x)]);
    let provenance = Provenance { at: "2026-01-01T00:00:00Z".into(), input: "test".into(), fingerprint: None };
    analyze(&Recipe::from_value(recipe).unwrap(), &mut source, provenance, &mut |_| true).unwrap()
}

fn spectrum(x: Vec<f64>, scaling: &str) -> Analysis {
    made(x, json!({ "lens": "spectrum", "block": 8192, "scaling": scaling }))
}

fn asked(result: &Analysis, ask: Value) -> CursorReading {
    read(result, 0, &serde_json::from_value(ask).unwrap()).unwrap()
}

fn refused(result: &Analysis, trace: usize, ask: Value) -> String {
    read(result, trace, &serde_json::from_value::<Ask>(ask).unwrap()).unwrap_err().says
}

fn at(l: &Line) -> (f64, f64) {
    (l.found_hz.unwrap_or(f64::NAN), l.value.unwrap_or(f64::NAN))
}

#[test]
fn lines_are_read_between_the_lines_in_every_scaling() {
    let x = sines(&[(100.37, 2.0), (583.5, 0.4)], 0.05);
    for (scaling, wanted) in [("peak", 2.0), ("rms", 2.0 / 2f64.sqrt())] {
        let found = asked(&spectrum(x.clone(), scaling), json!({ "read": "lines", "hz": [99.0, 583.9, 300.0] }));
        let (hz, value) = at(&found.lines[0]);
        assert!((hz - 100.37).abs() < 0.02 && (value / wanted - 1.0).abs() < 5e-3, "{scaling}: {hz} {value}");
        assert!((at(&found.lines[1]).0 - 583.5).abs() < 0.02);
        // Where nothing stands out the place itself is read, and no line is made up.
        let none = &found.lines[2];
        assert!(none.found_hz.is_none() && none.value.is_some_and(|v| v < 0.02), "{none:?}");
    }
    let psd = asked(&spectrum(x, "psd"), json!({ "read": "lines", "hz": [101.0] }));
    assert!((at(&psd.lines[0]).0 - 100.37).abs() < 0.02, "{psd:?}");
}

#[test]
fn a_harmonic_family_is_fitted_to_its_members() {
    // The fourth is missing; the guess is half a line off.
    let parts: Vec<(f64, f64)> =
        (1..=12).filter(|k| *k != 4).map(|k| (44.83 * f64::from(k), 1.0 / f64::from(k))).collect();
    let result = spectrum(sines(&parts, 0.005), "peak");
    let found = asked(&result, json!({ "read": "harmonics", "base_hz": 45.3, "count": 12 }));
    assert!((found.spacing_hz.unwrap() - 44.83).abs() < 2e-3, "{found:?}");
    for l in &found.lines {
        let k = f64::from(l.number);
        if l.number == 4 {
            assert!(l.found_hz.is_none(), "{l:?}");
        } else {
            let (hz, value) = at(l);
            assert!((hz - 44.83 * k).abs() < 0.02 && (value * k - 1.0).abs() < 0.02, "{l:?}");
        }
    }
}

#[test]
fn sidebands_are_counted_from_the_line_in_the_middle() {
    // A mesh at 582.8 Hz whose amplitude goes up and down with a shaft of 14.56 Hz.
    let (mesh, shaft) = (582.83, 14.557);
    let parts = [(mesh, 3.0), (mesh - shaft, 0.6), (mesh + shaft, 0.6), (mesh + 2.0 * shaft, 0.1)];
    let result = spectrum(sines(&parts, 0.01), "peak");
    let found = asked(&result, json!({ "read": "sidebands", "center_hz": 583.0, "spacing_hz": 14.2, "count": 2 }));
    assert_eq!(found.lines.iter().map(|l| l.number).collect::<Vec<_>>(), [-2, -1, 0, 1, 2]);
    assert!((found.spacing_hz.unwrap() - shaft).abs() < 5e-3, "{found:?}");
    let values: Vec<Option<f64>> = found.lines.iter().map(|l| l.found_hz.and(l.value)).collect();
    for (value, wanted) in values.iter().zip([None, Some(0.6), Some(3.0), Some(0.6), Some(0.1)]) {
        match (value, wanted) {
            (None, None) => {}
            (Some(v), Some(w)) => assert!((v / w - 1.0f64).abs() < 0.03, "{values:?}"),
            _ => panic!("{values:?}"),
        }
    }
}

#[test]
fn a_line_near_a_far_sideband_is_not_taken_for_it() {
    // The input shaft's sideband lies 3.08 distances away: close to the third, yet not it.
    let (mesh, shaft) = (582.83, 14.5563);
    let parts =
        [(mesh, 3.0), (mesh - shaft, 0.6), (mesh + shaft, 0.6), (mesh - 3.08 * shaft, 0.2), (mesh + 3.08 * shaft, 0.2)];
    let result = made(sines(&parts, 0.01), json!({ "lens": "spectrum", "block": 5243 }));
    let found = asked(&result, json!({ "read": "sidebands", "center_hz": 583.5, "spacing_hz": 14.2, "count": 3 }));
    assert!((found.spacing_hz.unwrap() - shaft).abs() < 0.02, "{found:?}");
    let outer: Vec<_> = found.lines.iter().filter(|l| l.number.abs() == 3).map(|l| l.found_hz).collect();
    assert_eq!(outer, [None, None], "{found:?}");
}

#[test]
fn a_bands_level_is_the_same_in_every_scaling() {
    let x = sines(&[(200.0, 1.5), (240.5, 0.8), (900.0, 4.0)], 0.1);
    let wanted = (0.5 * (1.5f64.powi(2) + 0.8f64.powi(2)) + 0.01 / 3.0 * 200.0 / (RATE / 2.0)).sqrt();
    for scaling in ["peak", "rms", "power", "psd", "esd"] {
        let found = asked(&spectrum(x.clone(), scaling), json!({ "read": "band", "from_hz": 120.0, "to_hz": 320.0 }));
        assert!((found.level.unwrap() / wanted - 1.0).abs() < 2e-3, "{scaling}: {found:?} for {wanted}");
        assert_eq!(found.unit, "m/s²", "{scaling}");
    }
}

#[test]
fn an_envelopes_lines_are_read_like_a_spectrums() {
    // Bursts at 31.25 Hz that ring at 2 kHz.
    let x: Vec<f64> = (0..(SECONDS * RATE) as usize)
        .map(|i| {
            let t = i as f64 / RATE;
            let into = (t * 31.25).fract() / 31.25;
            (-into * 400.0).exp() * (TAU * 2000.0 * into).sin()
        })
        .collect();
    let result = made(x, json!({ "lens": "envelope", "band_hz": [1500.0, 2500.0], "block": 16384 }));
    let found = asked(&result, json!({ "read": "harmonics", "base_hz": 31.0, "count": 5 }));
    assert!((found.spacing_hz.unwrap() - 31.25).abs() < 0.01, "{found:?}");
    assert!(found.lines.windows(2).all(|w| at(&w[0]).1 > at(&w[1]).1), "{found:?}");
}

/// A shaft from 600 to 1800 rpm in 60 s through a mode at 20 Hz under a force that goes with its angular
/// speed as told; casing and force, with settings of the lens.
fn run_up(damping: f64, law: impl Fn(f64) -> f64, settings: Value) -> Analysis {
    let (mut angle, mut tacho, mut casing, mut forces) = (0.0f64, Vec::new(), Vec::new(), Vec::new());
    let (mut x, mut v) = (0.0f64, 0.0f64);
    let (omega, dt) = (TAU * 20.0, 1.0 / 4096.0);
    for i in 0..60 * 4096 {
        let turns = (10.0 + 20.0 * i as f64 / (60.0 * 4096.0)) * dt;
        angle += TAU * turns;
        tacho.push(if angle.rem_euclid(TAU) < 0.3 { 4.0 } else { 0.0 });
        let force = angle.cos() * law(TAU * turns / dt);
        v += (force - 2.0 * damping * omega * v - omega * omega * x) * dt;
        x += v * dt;
        casing.push(x * 1e6);
        forces.push(force);
    }
    let channels = [("tacho", "V", tacho), ("casing", "µm", casing), ("force", "N", forces)]
        .map(|(n, u, x)| (n.into(), u.into(), x));
    let mut source = Memory::new(4096.0, channels.into());
    let mut recipe = json!({ "lens": "order_track", "channels": [2], "tacho": { "channel": 1, "threshold": 2.0, "hysteresis": 0.5 },
        "orders": [1.0, 2.0], "step_rpm": 4.0, "resolution": 0.5 });
    recipe.as_object_mut().unwrap().extend(settings.as_object().unwrap().clone());
    let provenance = Provenance { at: "2026-01-01T00:00:00Z".into(), input: "test".into(), fingerprint: None };
    analyze(&Recipe::from_value(recipe).unwrap(), &mut source, provenance, &mut |_| true).unwrap()
}

#[test]
fn a_resonance_passed_is_read_in_rpm_hz_and_damping() {
    let result = run_up(0.03, |w| w * w * 1e-4, json!({}));
    let ask = json!({ "read": "resonance", "from_rpm": 1000.0, "to_rpm": 1500.0 });
    let found = asked(&result, ask.clone()).resonance.unwrap();
    assert!((found.rpm / 1200.0 - 1.0).abs() < 0.01, "{found:?}");
    assert!(
        (found.frequency_hz - found.rpm / 60.0).abs() < 1e-9 && (found.damping / 0.03 - 1.0).abs() < 0.15,
        "{found:?}"
    );
    assert!((found.amplification * found.damping - 0.5).abs() < 1e-9);
    // The fit knows of the force, the rate and the block.
    let mode = asked(&result, ask.clone()).mode.unwrap();
    assert!((mode.frequency_hz / 20.0 - 1.0).abs() < 0.003 && (mode.damping / 0.03 - 1.0).abs() < 0.08, "{mode:?}");
    assert!(mode.frequency_within_hz < 0.1 && mode.unexplained < 0.02 && mode.at_rpm.len() == mode.re.len());
    let still = json!({ "read": "resonance", "from_rpm": 1000.0, "to_rpm": 1500.0, "force": "constant" });
    let still = asked(&result, still).mode.unwrap();
    assert!(still.damping != mode.damping && (still.damping / 0.03 - 1.0).abs() < 0.1, "another force: {still:?}");
    // The second curve is of order 2, which tells twice the frequency at a speed.
    let second = read(&result, 1, &serde_json::from_value(ask).unwrap());
    assert!(second.is_err() || second.is_ok_and(|r| r.resonance.is_some_and(|x| x.frequency_hz > 30.0)));
    let outside = json!({ "read": "resonance", "from_rpm": 1600.0, "to_rpm": 1700.0 });
    assert!(refused(&result, 0, outside).contains("range"), "the peak is not in it");
    assert!(refused(&result, 0, json!({ "read": "lines", "hz": [20.0] })).contains("not of order_track"));
}

#[test]
fn a_force_that_was_measured_drives_the_fit() {
    // A force that falls with speed: neither unbalance nor constant.
    let law = |w: f64| (200.0 / w).powi(3);
    let result = run_up(0.03, law, json!({ "channels": [2, 3], "orders": [1.0] }));
    let ask = |more: Value| {
        let mut ask = json!({ "read": "resonance", "from_rpm": 900.0, "to_rpm": 1600.0 });
        ask.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        ask
    };
    let measured = ask(json!({ "force": "measured", "force_channel": 3 }));
    let mode = asked(&result, measured.clone()).mode.unwrap();
    assert!((mode.frequency_hz / 20.0 - 1.0).abs() < 0.003 && (mode.damping / 0.03 - 1.0).abs() < 0.05, "{mode:?}");
    assert!(mode.unexplained < 1e-3 && mode.curves == 1, "{}", mode.unexplained);
    let unbalance = asked(&result, ask(json!({}))).mode.unwrap();
    assert!(unbalance.unexplained > 3.0 * mode.unexplained, "{}", unbalance.unexplained);
    // All at once give the same as one by one.
    let asks: Vec<(usize, Ask)> =
        [measured, ask(json!({}))].into_iter().map(|a| (0, serde_json::from_value(a).unwrap())).collect();
    let both: Vec<_> = read_all(&result, &asks).into_iter().map(|r| r.unwrap().mode.unwrap()).collect();
    assert_eq!(both, [mode, unbalance]);
    for (more, word) in [
        (json!({ "force": "measured" }), "wants the channel"),
        (json!({ "force": "measured", "force_channel": 7 }), "no cut of this order"),
        (json!({ "force_channel": 3 }), "only where the force is measured"),
    ] {
        assert!(refused(&result, 0, ask(more)).contains(word), "{word}");
    }
}

#[test]
fn orders_followed_together_read_the_same_resonance() {
    for how in [json!({ "resolution": 0.2 }), json!({ "resolution": 0.2, "poles": 1 }), json!({ "bandwidth_hz": 3.0 })]
    {
        let mut settings = json!({ "method": "vold_kalman", "orders": [1.0] });
        settings.as_object_mut().unwrap().extend(how.as_object().unwrap().clone());
        let result = run_up(0.03, |w| w * w * 1e-4, settings);
        let ask = json!({ "read": "resonance", "from_rpm": 1000.0, "to_rpm": 1500.0 });
        let mode = asked(&result, ask).mode.unwrap();
        assert!((mode.frequency_hz / 20.0 - 1.0).abs() < 0.003, "{how}: {}", mode.frequency_hz);
        assert!((mode.damping / 0.03 - 1.0).abs() < 0.05, "{how}: {}", mode.damping);
    }
}

#[test]
fn what_cannot_be_read_is_told() {
    let result = spectrum(sines(&[(100.0, 1.0)], 0.01), "peak");
    for (ask, word) in [
        (json!({ "read": "harmonics", "base_hz": 0.0, "count": 3 }), "above 0"),
        (json!({ "read": "harmonics", "base_hz": 10.0, "count": 0 }), "1 to 100"),
        (json!({ "read": "sidebands", "center_hz": 100.0, "spacing_hz": -1.0, "count": 3 }), "above 0"),
        (json!({ "read": "band", "from_hz": 300.0, "to_hz": 200.0 }), "band within"),
        (json!({ "read": "band", "from_hz": 300.0, "to_hz": 20_000.0 }), "band within"),
        (json!({ "read": "resonance", "from_rpm": 1.0, "to_rpm": 2.0 }), "order's cut"),
    ] {
        let says = refused(&result, 0, ask.clone());
        assert!(says.contains(word), "{ask}: {says}");
    }
    assert!(refused(&result, 3, json!({ "read": "lines", "hz": [1.0] })).contains("there are 1"));
    let outside = asked(&result, json!({ "read": "lines", "hz": [-5.0, 1e6] }));
    assert!(outside.lines.iter().all(|l| l.found_hz.is_none() && l.value.is_none()));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn a_line_is_found_wherever_it_stands(hz in 20.0f64..3000.0, off in -1.5f64..1.5, amplitude in 0.01f64..100.0) {
        let result = spectrum(sines(&[(hz, amplitude)], 0.0), "peak");
        let found = asked(&result, json!({ "read": "lines", "hz": [hz + off] }));
        let (at_hz, value) = at(&found.lines[0]);
        prop_assert!((at_hz - hz).abs() < 0.02 && (value / amplitude - 1.0).abs() < 5e-3, "{} {} for {} {}", at_hz, value, hz, amplitude);
    }
}

#[test]
fn the_highest_peaks_are_named_by_the_lines_they_belong_to() {
    let x = sines(&[(100.37, 2.0), (583.5, 0.4), (597.5, 0.1), (1200.0, 0.05)], 0.001);
    let known = |says: &str, hz: f64, within_hz: f64| json!({ "says": says, "hz": hz, "within_hz": within_hz });
    // The mesh is known to half a hertz, the others as well as a line can be read.
    let known = json!([
        known("shaft", 100.4, 0.0),
        known("mesh", 583.9, 0.5),
        known("twice the pump", 583.3, 0.5),
        known("sideband", 599.0, 0.0)
    ]);
    for scaling in ["peak", "psd"] {
        let ask = json!({ "read": "peaks", "count": 4, "known": known, "shaft_hz": 100.37 });
        let found = asked(&spectrum(x.clone(), scaling), ask);
        let names: Vec<Option<&str>> = found.lines.iter().map(|l| l.belongs_to.as_deref()).collect();
        assert_eq!(names, [Some("shaft"), Some("twice the pump"), None, None], "{scaling}");
        assert_eq!(found.lines[1].also, ["mesh"], "the nearest wins, the other is told");
        assert!((found.lines[1].order.unwrap() - 583.5 / 100.37).abs() < 1e-3);
        assert!((at(&found.lines[3]).0 - 1200.0).abs() < 0.05 && found.lines[0].number == 1);
    }
    // A marker is found only where its own place allows.
    let ask = json!({ "read": "lines", "hz": [583.9, 599.0], "known_within_hz": [0.5, 0.1] });
    let found = asked(&spectrum(x.clone(), "peak"), ask);
    assert!(found.lines[0].found_hz.is_some() && found.lines[1].found_hz.is_none(), "{found:?}");
    let ask = json!({ "read": "lines", "hz": [583.9, 599.0], "known_within_hz": [0.5] });
    assert!(refused(&spectrum(x.clone(), "peak"), 0, ask).contains("as many"));
    // Multiples of nothing: no distance is claimed.
    let ask = json!({ "read": "harmonics", "base_hz": 210.0, "count": 2 });
    let found = asked(&spectrum(x.clone(), "peak"), ask);
    assert!(found.spacing_hz.is_none() && found.lines.iter().all(|l| l.found_hz.is_none()), "{found:?}");
    let says = refused(&spectrum(x, "peak"), 0, json!({ "read": "peaks", "count": 0 }));
    assert!(says.contains("1 to 100"), "{says}");
}
