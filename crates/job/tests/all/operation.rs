//! How a structure moves in operation: deflections whose truth is known, modes from noise alone, and every refusal.

use crate::common::*;
use echo_job::analysis::modal::{listen, modes_of};
use echo_job::analysis::words::{CautionRule, Shown};
use echo_job::analysis::{Analysis, Memory};
use echo_job::dof::Dof;
use echo_job::recipe::Recipe;
use echo_signal::modal::mac::mac;
use echo_signal::spectrum::Complex64;
use std::f64::consts::{FRAC_1_SQRT_2, PI, TAU};

fn shape(a: &Analysis) -> &[Complex64] {
    a.traces.iter().find(|t| t.quantity == Shown::Shape).and_then(|t| t.complex()).expect("a shape")
}

fn coherence(a: &Analysis) -> &[f64] {
    a.traces.iter().find(|t| t.quantity == Shown::Coherence).expect("coherence").real()
}

fn dof(point: &str, direction: &str) -> Option<Dof> {
    Dof::read(point, direction)
}

/// Four places at 60 Hz with amplitudes and phases of their own, and one that goes its own way at 62 Hz; at 200 Hz
/// all but the last move alike.
fn moving() -> Memory {
    let s = 20.0;
    let both = |a: f64, phase: f64, b: f64| -> Vec<f64> {
        let (one, two) = (cosine(60.0, a, phase, s), cosine(200.0, b, 0.0, s));
        one.iter().zip(&two).map(|(x, y)| x + y).collect()
    };
    let own: Vec<f64> = noise(5, (s * RATE) as usize).iter().map(|v| 0.2 * v).collect();
    memory(&[
        ("root", "m/s²", both(1.0, 0.3, 0.5)),
        ("tip", "m/s²", both(4.0, 0.3 + PI / 2.0, 0.5)),
        ("hung upside down", "m/s²", both(-2.0, 0.3, -0.5)),
        ("loose", "m/s²", own),
    ])
    .with_dofs(vec![dof("1", "z"), dof("2", "z"), dof("3", "-z"), dof("4", "z")])
}

#[test]
fn a_deflection_has_the_size_and_phase_of_each_point() {
    let mut s = moving();
    let a = made(r#"{"lens": "deflection", "reference": 1, "frequency_hz": 60.1, "block": 8192}"#, &mut s);
    let z = shape(&a);
    let wanted = [(1.0, 0.0), (4.0, PI / 2.0), (2.0, 0.0)];
    for (z, (size, phase)) in z.iter().zip(wanted) {
        assert!((z - Complex64::from_polar(size * FRAC_1_SQRT_2, phase)).norm() < 1e-3, "{z} for {size} at {phase}");
    }
    assert_eq!(a.axes[1].dofs.iter().map(Dof::to_string).collect::<Vec<_>>(), ["1 z", "2 z", "3 z", "4 z"]);
    assert!(number(&a, "frequency") == 60.0 && coherence(&a)[..3].iter().all(|c| *c > 0.999));
    // What goes its own way is told, and only its part with the reference is drawn.
    assert!(coherence(&a)[3] < 0.3 && z[3].norm() < 0.02, "{} {}", coherence(&a)[3], z[3]);
    let stray = a.cautions.iter().find(|c| c.rule == CautionRule::Incoherent).expect("told");
    assert!(stray.says.starts_with("4 z move otherwise"), "{}", stray.says);
    // The overview has both frequencies: the root of the mean square over the points.
    let all = a.traces[0].real();
    let at = |hz: usize| all[hz];
    let mean = ((1.0f64 + 16.0 + 4.0) / 2.0 / 4.0).sqrt();
    assert!((at(60) / mean - 1.0).abs() < 1e-2 && at(60) > 50.0 * at(120), "{} {mean} {}", at(60), at(120));
    // Seen from another point the picture turns as a whole.
    let turned = made(r#"{"lens": "deflection", "reference": 2, "frequency_hz": 60, "block": 8192}"#, &mut s);
    assert!((shape(&turned)[0].arg() + PI / 2.0).abs() < 1e-3);
}

#[test]
fn a_band_and_another_unit_give_what_moves_there_together() {
    let mut s = moving();
    let a = made(
        r#"{"lens": "deflection", "reference": 1, "band_hz": [190, 210], "block": 8192, "channels": [1, 2, 3]}"#,
        &mut s,
    );
    assert!(shape(&a).iter().all(|z| (z - 0.5 * FRAC_1_SQRT_2).norm() < 1e-3), "{:?}", shape(&a));
    let way = made(
        r#"{"lens": "deflection", "reference": 1, "frequency_hz": 60, "block": 8192, "channels": [1, 2], "unit": "mm"}"#,
        &mut s,
    );
    let mm = 1000.0 * 4.0 * FRAC_1_SQRT_2 / (TAU * 60.0f64).powi(2);
    assert!((shape(&way)[1].norm() / mm - 1.0).abs() < 1e-2, "{} {mm}", shape(&way)[1]);
    assert_eq!(way.traces[1].unit, "mm");
}

#[test]
fn an_order_is_followed_while_the_speed_changes() {
    // From 20 to 30 revolutions a second in 20 s; a pulse at every turn.
    let turns = |t: f64| 20.0 * t + t * t / 4.0;
    let times: Vec<f64> = (0..(20.0 * RATE) as usize).map(|i| i as f64 / RATE).collect();
    let pulses: Vec<f64> = times.iter().map(|t| if turns(*t).fract() < 0.2 { 5.0 } else { 0.0 }).collect();
    let at = |a: f64, phase: f64| times.iter().map(|t| a * (2.0 * TAU * turns(*t) + phase).cos()).collect();
    let mut s = memory(&[("pulses", "V", pulses), ("root", "m/s²", at(1.0, 0.4)), ("tip", "m/s²", at(3.0, 1.4))]);
    let of = |more: &str| format!(r#"{{"lens": "deflection", "order": 2, "tacho": {{"channel": 1}}{more}}}"#);
    let a = made(&of(r#", "reference": 2"#), &mut s);
    let z = shape(&a);
    assert!((z[0].re * 2f64.sqrt() - 1.0).abs() < 0.02 && z[0].im.abs() < 0.02, "{z:?}");
    assert!((z[1].norm() * 2f64.sqrt() / 3.0 - 1.0).abs() < 0.02 && (z[1].arg() - 1.0).abs() < 0.02, "{z:?}");
    assert!((1200.0..1800.0).contains(&number(&a, "speed")));
    // Against the shaft's angle both keep their own phases.
    let own = made(&of(""), &mut s);
    assert!((shape(&own)[0].arg() - 0.4).abs() < 0.03 && (shape(&own)[1].arg() - 1.4).abs() < 0.03);
    assert_eq!(refusal(&of(r#", "reference": 1"#), &mut s).0, "reference");
}

#[test]
fn a_deflection_that_cannot_be_is_refused_by_name() {
    let mut s = moving();
    let of = |more: &str| format!(r#"{{"lens": "deflection"{more}}}"#);
    for (more, field, says) in [
        (r#", "reference": 1"#, "frequency_hz", "one of frequency_hz, band_hz and order"),
        (r#", "reference": 1, "frequency_hz": 60, "order": 1"#, "frequency_hz", "several"),
        (r#", "frequency_hz": 60"#, "reference", "seen against"),
        (r#", "reference": 1, "frequency_hz": -1"#, "frequency_hz", "above 0"),
        (r#", "reference": 1, "frequency_hz": 5000"#, "frequency_hz", "half the sample rate"),
        (r#", "reference": 1, "band_hz": [60.2, 60.4], "block": 8192"#, "band_hz", "no line lies there"),
        (r#", "reference": 1, "band_hz": [60, 50]"#, "band_hz", "lower edge"),
        (r#", "order": 2"#, "tacho", "pulses"),
        (r#", "reference": 1, "frequency_hz": 60, "tacho": {"channel": 2}"#, "tacho", "left out"),
        (r#", "reference": 9, "frequency_hz": 60"#, "reference", "channels 1 to 4"),
    ] {
        let (at, told) = refusal(&of(more), &mut s);
        assert!(at == field && told.contains(says), "{more}: {at}: {told}");
    }
    let mut twice = moving().with_dofs(vec![dof("1", "z"), dof("1", "-z"), None, None]);
    let (at, told) = refusal(&of(r#", "reference": 1, "frequency_hz": 60"#), &mut twice);
    assert!(at == "channels" && told.contains("root and tip both measure 1 z"), "{told}");
    let mut mixed = memory(&[("a", "m/s²", noise(1, 9000)), ("b", "V", noise(2, 9000))]);
    let (at, told) = refusal(&of(r#", "reference": 1, "frequency_hz": 60"#), &mut mixed);
    assert!(at == "channels" && told.contains("a is in m/s², b in V"), "{told}");
    let mut dead = memory(&[("a", "m/s²", vec![0.0; 9000]), ("b", "m/s²", noise(2, 9000))]);
    let (at, told) = refusal(&of(r#", "reference": 1, "frequency_hz": 60"#), &mut dead);
    assert!(at == "reference" && told.contains("does not move at"), "{told}");
}

/// A bar with two modes under noise of its own, and the hum of a pump on all of it.
fn in_operation(seconds: f64, hum: f64) -> Memory {
    const MODES: [(f64, f64, [f64; 4]); 2] =
        [(90.0, 0.012, [0.2, 0.5, 0.7, 1.0]), (310.0, 0.008, [0.8, 0.6, -0.4, -1.0])];
    let n = (seconds * RATE) as usize;
    let pushes: Vec<Vec<f64>> = (0..4).map(|k| noise(60 + k, n)).collect();
    let mut out = vec![Vec::new(); 4];
    let mut states = [Complex64::new(0.0, 0.0); 2];
    for i in 0..n {
        for (state, (hz, zeta, shape)) in states.iter_mut().zip(MODES) {
            let own = TAU * hz;
            let turn = (Complex64::new(-zeta * own, own * (1.0 - zeta * zeta).sqrt()) / RATE).exp();
            *state = *state * turn + shape.iter().zip(&pushes).map(|(s, p)| s * p[i]).sum::<f64>();
        }
        let tone = hum * (TAU * 180.0 * i as f64 / RATE).sin();
        for (k, to) in out.iter_mut().enumerate() {
            to.push(tone + states.iter().zip(MODES).map(|(s, m)| m.2[k] * s.re).sum::<f64>());
        }
    }
    // The third sensor hangs upside down.
    out[2].iter_mut().for_each(|v| *v = -*v);
    let named = ["root", "low", "high", "tip"];
    let channels: Vec<_> = named.iter().zip(out).map(|(n, x)| (*n, "m/s²", x)).collect();
    memory(&channels).with_dofs(vec![dof("1", "z"), dof("2", "z"), dof("3", "-z"), dof("4", "z")])
}

const LISTEN: &str = r#"{"lens": "operational_modes", "band_hz": [40, 400], "longest_lag_s": 0.5, "max_order": 30,
    "prepare": [{"do": "resample", "rate_hz": 1024}]"#;

#[test]
fn modes_are_found_in_operation_and_said_to_have_no_scale() {
    let mut s = in_operation(60.0, 0.0);
    // One near each of the two; what else holds is for whoever looks at the diagram to leave out.
    let a = made(&format!(r#"{LISTEN}, "pick": [90, 310]}}"#), &mut s);
    let of = |name: &str| a.numbers.iter().filter(|n| n.name == name).map(|n| n.value).collect::<Vec<_>>();
    for (k, (hz, zeta)) in [(90.0, 0.012), (310.0, 0.008)].into_iter().enumerate() {
        assert!((of("frequency")[k] / hz - 1.0).abs() < 0.01, "{:?}", of("frequency"));
        assert!((of("damping_ratio")[k] / zeta - 1.0).abs() < 0.2, "{:?}", of("damping_ratio"));
        assert!((of("bell_frequency")[k] / hz - 1.0).abs() < 0.01, "{:?}", of("bell_frequency"));
        assert!((of("bell_damping_ratio")[k] / zeta - 1.0).abs() < 0.25, "{:?}", of("bell_damping_ratio"));
        assert!(of("steadiness")[k] > -0.6, "{:?}", of("steadiness"));
    }
    let all = carry_out(&format!("{LISTEN}}}"), &mut s).unwrap();
    let hold: Vec<f64> = all.numbers.iter().filter(|n| n.name == "frequency").map(|n| n.value).collect();
    assert!((2..=3).contains(&hold.len()), "few poles hold that are none: {hold:?}");
    let along: Vec<String> = a.axes[1].dofs.iter().map(Dof::to_string).collect();
    assert_eq!(along, ["1 z", "2 z", "3 z", "4 z"], "along z, whichever way the sensor hung");
    let shapes: Vec<&[Complex64]> =
        a.traces.iter().filter(|t| t.quantity == Shown::Shape).filter_map(|t| t.complex()).collect();
    for (found, truth) in shapes.iter().zip([[0.2, 0.5, 0.7, 1.0], [0.8, 0.6, -0.4, -1.0]]) {
        let truth: Vec<Complex64> = truth.iter().map(|x| Complex64::new(*x, 0.0)).collect();
        assert!(mac(found, &truth) > 0.98, "{found:?}");
    }
    assert!(a.cautions.iter().any(|c| c.rule == CautionRule::NoScale) && a.averages == Some(59));
    assert!(!a.cautions.iter().any(|c| c.rule == CautionRule::Steady));
    assert!(
        matches!(&a.recipe.lens, echo_job::recipe::Lens::OperationalModes(m) if m.references.as_deref().is_some_and(|r| r.len() == 3))
    );
    // Listened to once, poles are picked without the samples.
    let (seen, recipe) = listen(&Recipe::from_json(&format!("{LISTEN}}}")).unwrap(), &mut s, &mut |_| true).unwrap();
    let one = Recipe { lens: Recipe::from_json(&format!(r#"{LISTEN}, "pick": [310]}}"#)).unwrap().lens, ..recipe };
    let picked = modes_of(&seen, &one, provenance(), &mut |_| true).unwrap();
    assert_eq!(picked.numbers.iter().filter(|n| n.name == "frequency").count(), 1);
    assert!(picked.recipe.stretch.is_some() && (number(&picked, "frequency") / 310.0 - 1.0).abs() < 0.01);
}

#[test]
fn a_pump_is_told_from_a_mode() {
    let a = made(&format!(r#"{LISTEN}, "pick": [180]}}"#), &mut in_operation(40.0, 30.0));
    assert!(number(&a, "steadiness") < -0.8, "{}", number(&a, "steadiness"));
    let told = a.cautions.iter().find(|c| c.rule == CautionRule::Steady).expect("told");
    assert!(told.says.contains("as steady as something that turns"), "{}", told.says);
}

#[test]
fn modes_in_operation_that_cannot_be_are_refused_by_name() {
    let mut s = in_operation(3.0, 0.0);
    let of = |more: &str| format!(r#"{{"lens": "operational_modes"{more}}}"#);
    for (more, field, says) in [
        ("", "stretch", "four times longest_lag_s"),
        (r#", "longest_lag_s": 0"#, "longest_lag_s", "above 0"),
        (r#", "longest_lag_s": 0.001"#, "longest_lag_s", "16 to"),
        (r#", "longest_lag_s": 0.5, "references": [9]"#, "references", "channel 9 is not among"),
        (r#", "longest_lag_s": 0.5, "references": [1, 1]"#, "references", "each once"),
        (r#", "channels": [1]"#, "channels", "two channels or more"),
        (r#", "longest_lag_s": 0.5, "band_hz": [50, 51]"#, "band_hz", "lines"),
    ] {
        let (at, told) = refusal(&of(more), &mut s);
        assert!((at == field || at == "modes") && told.contains(says), "{more}: {at}: {told}");
    }
    let few = carry_out(&format!("{LISTEN}}}"), &mut in_operation(6.0, 0.0)).unwrap();
    assert!(few.cautions.iter().any(|c| c.says.contains("record longer")), "{:?}", few.cautions);
}
