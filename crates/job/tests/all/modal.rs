//! The modes lens on a structure whose modes are known: units, directions, references, what is picked, what is told.

use echo_job::Refusal;
use echo_job::analysis::modal::{ShapeSet, look, modes, modes_of, synthesised};
use echo_job::analysis::result::{Held, Points, Trace};
use echo_job::analysis::words::{Along, CautionRule, Shown};
use echo_job::analysis::{Analysis, AnalysisError, Memory, Provenance, analyze};
use echo_job::dof::Dof;
use echo_job::recipe::Recipe;
use echo_signal::spectrum::Complex64;
use std::f64::consts::TAU;

/// Frequency in Hz, damping ratio, and shape at four points for a modal mass of 1 kg.
const BUILT_IN: [(f64, f64, [f64; 4]); 3] = [
    (32.0, 0.012, [0.9, 0.7, 0.4, 0.2]),
    (75.0, 0.008, [0.8, -0.3, -0.9, -0.5]),
    (118.0, 0.006, [0.5, -0.8, 0.3, 0.9]),
];

fn frequencies() -> Vec<f64> {
    (0..=600).map(|k| f64::from(k) * 0.25).collect()
}

/// Accelerance between two points, in (m/s²)/N; `turned` lets the second mode run as a wave.
fn accelerance(hz: f64, to: usize, of: usize, turned: f64) -> Complex64 {
    let s = Complex64::new(0.0, TAU * hz);
    let of_mode = |(nth, (f, zeta, shape)): (usize, &(f64, f64, [f64; 4]))| {
        let omega = TAU * f;
        let pole = Complex64::new(-zeta * omega, omega * (1.0 - zeta * zeta).sqrt());
        let phase = if nth == 1 { turned * to as f64 } else { 0.0 };
        let residue = Complex64::from_polar(shape[to] * shape[of], phase) / Complex64::new(0.0, 2.0 * pole.im);
        residue / (s - pole) + residue.conj() / (s - pole.conj())
    };
    s * s * BUILT_IN.iter().enumerate().map(of_mode).sum::<Complex64>()
}

fn response(to: (usize, &str), of: (usize, &str), unit: &str, factor: f64, turned: f64) -> Trace {
    let values = frequencies().into_iter().map(|hz| factor * accelerance(hz, to.0, of.0, turned)).collect();
    Trace {
        name: format!("{} over {}", to.0 + 1, of.0 + 1),
        channel: 0,
        reference: None,
        mode: None,
        axes: None,
        dof: Dof::read(&(to.0 + 1).to_string(), to.1),
        reference_dof: Dof::read(&(of.0 + 1).to_string(), of.1),
        quantity: Shown::Response,
        unit: unit.into(),
        points: Points::Complex(values),
        within: None,
    }
}

/// All four points to the forces at some of them.
fn all(references: &[usize]) -> Vec<Trace> {
    let of = |r: &usize| (0..4).map(|to| response((to, "z"), (*r, "z"), "(m/s²)/N", 1.0, 0.0)).collect::<Vec<_>>();
    references.iter().flat_map(of).collect()
}

fn made(recipe: &str, traces: &[Trace]) -> Result<Analysis, AnalysisError> {
    let provenance = Provenance { at: String::new(), input: "a plate".into(), fingerprint: None };
    modes(&Recipe::from_json(recipe).unwrap(), (&frequencies(), traces), provenance, &mut |_| true)
}

fn refused(recipe: &str, traces: &[Trace]) -> Refusal {
    match made(recipe, traces) {
        Err(AnalysisError::Refused(r)) => r,
        other => panic!("{recipe}: {other:?}"),
    }
}

fn numbers(a: &Analysis, name: &str) -> Vec<f64> {
    a.numbers.iter().filter(|n| n.name == name).map(|n| n.value).collect()
}

fn shapes(a: &Analysis) -> Vec<Vec<Complex64>> {
    let shapes = a.traces.iter().filter(|t| t.quantity == Shown::Shape);
    shapes.map(|t| t.complex().unwrap().to_vec()).collect()
}

const RECIPE: &str = r#"{ "lens": "modes", "band_hz": [10, 140], "max_order": 20 }"#;

#[track_caller]
fn assert_built_in(a: &Analysis) {
    let (hz, zeta) = (numbers(a, "frequency"), numbers(a, "damping_ratio"));
    assert_eq!(hz.len(), 3, "{hz:?}");
    for (k, (f, d, shape)) in BUILT_IN.iter().enumerate() {
        assert!((hz[k] / f - 1.0).abs() < 1e-5 && (zeta[k] / d - 1.0).abs() < 1e-3, "{} Hz, {}", hz[k], zeta[k]);
        let found = &shapes(a)[k];
        let sign = (found[0].re * shape[0]).signum();
        let off = found.iter().zip(shape).map(|(z, w)| (sign * z - w).norm()).fold(0.0, f64::max);
        assert!(off < 2e-3, "mode {}: {found:?}", k + 1);
    }
}

#[test]
fn what_is_built_in_is_found_with_its_size() {
    let a = made(RECIPE, &all(&[0])).unwrap();
    assert_built_in(&a);
    let told: Vec<_> = a.axes.iter().map(|x| (x.name, x.values.len())).collect();
    assert_eq!(told, [(Along::Frequency, 601), (Along::Dof, 4), (Along::Mode, 3), (Along::Dof, 1)]);
    assert_eq!(a.axes[1].dofs[3].to_string(), "4 z");
    for t in &a.traces {
        // Which axes a curve runs over tells how long it is.
        let over = t.axes.as_ref().unwrap();
        assert_eq!(t.len(), over.iter().map(|x| a.axes[*x].values.len()).product::<usize>(), "{}", t.name);
    }
    let mac = a.traces.iter().find(|t| t.quantity == Shown::Mac).unwrap().real();
    assert!((mac[0] - 1.0).abs() < 1e-9 && mac[1] < 0.3 && (mac[1] - mac[3]).abs() < 1e-12, "{mac:?}");
    assert!(a.stabilisation.iter().any(|p| p.stable == Held::Shape && p.order == 20));
    assert!(numbers(&a, "missed")[0] < 1e-6 && a.cautions.is_empty(), "{:?}", a.cautions);
    assert_eq!(a.made.input, "a plate");
}

#[test]
fn a_hammer_that_went_from_point_to_point_finds_the_same() {
    // One sensor at the first point, hit at all four.
    let traces: Vec<Trace> = (0..4).map(|of| response((0, "z"), (of, "z"), "(m/s²)/N", 1.0, 0.0)).collect();
    let a = made(RECIPE, &traces).unwrap();
    assert_built_in(&a);
    assert!(a.cautions.iter().any(|c| c.rule == CautionRule::Reciprocity), "{:?}", a.cautions);
    // Where a reference is named it is taken as it stands.
    assert!(made(r#"{ "lens": "modes", "band_hz": [10, 140], "references": ["1", "2"] }"#, &traces).is_ok());
}

#[test]
fn what_is_picked_is_looked_for_once_and_held_against_the_responses() {
    let (recipe, traces) = (Recipe::from_json(RECIPE).unwrap(), all(&[0, 1]));
    let seen = look(&recipe, (&frequencies(), &traces)).unwrap();
    let s = synthesised(&seen, &recipe, (2, 1)).unwrap();
    assert!(s.missed < 1e-6 && s.made.len() == s.measured.len(), "{}", s.missed);
    let off = s.made.iter().zip(&s.measured).skip(40).take(520).map(|(a, b)| (a - b).norm() / b.norm());
    assert!(off.fold(0.0, f64::max) < 0.02);
    assert!(synthesised(&seen, &recipe, (4, 0)).is_err() && synthesised(&seen, &recipe, (0, 2)).is_err());
    let less =
        Recipe::from_json(r#"{ "lens": "modes", "band_hz": [10, 140], "max_order": 20, "pick": [32, 75] }"#).unwrap();
    let provenance = Provenance { at: String::new(), input: "a plate".into(), fingerprint: None };
    let two = modes_of(&seen, &less, provenance, &mut |_| true).unwrap();
    assert_eq!(numbers(&two, "frequency").len(), 2);
    assert!(synthesised(&seen, &less, (2, 1)).unwrap().missed > 0.05);
    let missed = two.traces.iter().find(|t| t.quantity == Shown::Missed).unwrap();
    assert_eq!((missed.len(), missed.axes.clone().unwrap()), (8, vec![1, 3]));
}

#[test]
fn shapes_of_two_days_are_paired() {
    let a = made(RECIPE, &all(&[0])).unwrap();
    // The other day without the third point, a sensor the other way round, and only the upper two modes.
    let upper = r#"{ "lens": "modes", "band_hz": [50, 140], "max_order": 20 }"#;
    let other: Vec<Trace> = [0, 1, 3]
        .map(|to| {
            if to == 1 {
                response((to, "-z"), (0, "z"), "(m/s²)/N", -1.0, 0.0)
            } else {
                response((to, "z"), (0, "z"), "(m/s²)/N", 1.0, 0.0)
            }
        })
        .to_vec();
    let b = made(upper, &other).unwrap();
    let c = ShapeSet::of(&a).unwrap().against(&ShapeSet::of(&b).unwrap()).unwrap();
    assert_eq!((c.common, c.mac.len(), c.mac[0].len()), (3, 3, 2));
    let mut pairs: Vec<(usize, usize)> = c.pairs.iter().map(|p| (p.own, p.other)).collect();
    pairs.sort_unstable();
    assert_eq!(pairs, [(2, 1), (3, 2)]);
    assert!(c.pairs.iter().all(|p| p.mac > 0.999 && p.shift.unwrap().abs() < 1e-4), "{:?}", c.pairs);
    // As it is kept it is the same.
    let kept = ShapeSet::kept(&serde_json::to_value(&b).unwrap()).unwrap();
    assert_eq!(kept, ShapeSet::of(&b).unwrap());
    assert!(ShapeSet::kept(&serde_json::json!({})).unwrap_err().says.contains("no shapes"));
    let elsewhere: Vec<Trace> = (0..3)
        .map(|to| Trace {
            dof: Dof::read(&format!("P{to}"), "z"),
            ..response((to, "z"), (0, "z"), "(m/s²)/N", 1.0, 0.0)
        })
        .collect();
    let far = made(RECIPE, &elsewhere).unwrap();
    let refused = ShapeSet::of(&a).unwrap().against(&ShapeSet::of(&far).unwrap()).unwrap_err();
    assert!(refused.says.contains("0 places in common"), "{}", refused.says);
}

#[test]
fn the_damping_of_a_window_is_taken_off() {
    let wider =
        made(r#"{ "lens": "modes", "band_hz": [10, 140], "max_order": 20, "added_decay": 0.5 }"#, &all(&[0])).unwrap();
    for (got, (f, d, _)) in numbers(&wider, "damping_ratio").iter().zip(BUILT_IN) {
        assert!((got - (d - 0.5 / (TAU * f))).abs() < 1e-5, "{got} at {f} Hz");
    }
}

#[test]
fn units_and_directions_do_not_matter() {
    for (unit, factor) in [("g/N", 1.0 / 9.80665), ("m/s²/N", 1.0), ("(m/s²)/kN", 1000.0)] {
        let traces: Vec<Trace> = (0..4).map(|to| response((to, "z"), (0, "z"), unit, factor, 0.0)).collect();
        assert_built_in(&made(RECIPE, &traces).unwrap_or_else(|e| panic!("{unit}: {e}")));
    }
    // Velocities instead of accelerations.
    let mut slower = all(&[0]);
    for t in &mut slower {
        t.unit = "(mm/s)/N".into();
        let Points::Complex(z) = &mut t.points else { panic!() };
        for (z, hz) in z.iter_mut().zip(frequencies()).skip(1) {
            *z *= 1000.0 / Complex64::new(0.0, TAU * hz);
        }
    }
    assert_built_in(&made(RECIPE, &slower).unwrap());
    // Two sensors hang upside down, and the hammer comes from above.
    let sign = |to: usize| if to % 2 == 1 { (-1.0, "-z") } else { (1.0, "z") };
    let turned: Vec<Trace> =
        (0..4).map(|to| response((to, sign(to).1), (0, "-z"), "(m/s²)/N", -sign(to).0, 0.0)).collect();
    assert_built_in(&made(RECIPE, &turned).unwrap());
}

#[test]
fn references_are_chosen_by_their_points() {
    let both = all(&[0, 3]);
    assert_built_in(&made(RECIPE, &both).unwrap());
    let one = r#"{ "lens": "modes", "band_hz": [10, 140], "max_order": 20, "references": ["4 z"] }"#;
    let a = made(one, &both).unwrap();
    assert_built_in(&a);
    assert_eq!(a.traces.iter().filter(|t| t.quantity == Shown::Indicator).count(), 2, "one of each for one reference");
    let none = refused(&one.replace("4 z", "7"), &both);
    assert!(none.field == "references" && none.says.contains("allowed: 1 z, 4 z"), "{none:?}");
    let twice = refused(&one.replace("\"4 z\"", "\"4\", \"4 z\""), &both);
    assert!(twice.says.contains("named twice"), "{twice:?}");
    // Without the driving point nothing tells the mass: the largest point is 1.
    let away: Vec<Trace> = both
        .into_iter()
        .filter(|t| t.dof != t.reference_dof)
        .filter(|t| t.reference_dof == Dof::read("1", "z"))
        .collect();
    let a = made(RECIPE, &away).unwrap();
    assert!(shapes(&a).iter().all(|s| s.iter().map(|z| z.norm()).fold(0.0, f64::max) - 1.0 < 1e-9));
    assert!(a.traces.iter().filter(|t| t.quantity == Shown::Shape).all(|t| t.unit.is_empty()));
}

#[test]
fn poles_are_picked_near_what_is_wished_for() {
    let pick = |list: &str| format!(r#"{{ "lens": "modes", "band_hz": [10, 140], "max_order": 20, "pick": {list} }}"#);
    let a = made(&pick("[117, 32.3]"), &all(&[0])).unwrap();
    let hz = numbers(&a, "frequency");
    // The one that was not picked is missed, and its energy is told.
    assert!(hz.len() == 2 && (hz[0] - 32.0).abs() < 0.5 && (hz[1] - 118.0).abs() < 0.5, "{hz:?}");
    assert!(numbers(&a, "missed")[0] > 0.05, "{:?}", numbers(&a, "missed"));
    let none = refused(&pick("[50]"), &all(&[0]));
    assert!(none.field == "pick" && none.says.contains("no pole holds near 50 Hz"), "{none:?}");
    assert!(none.says.contains("32.00, 75.00, 118.00"), "{none:?}");
    assert!(refused(&pick("[75, 75.1]"), &all(&[0])).says.contains("same pole"));
    for wrong in ["[]", "[-3]", "\"best\"", "7"] {
        let e = Recipe::from_json(&pick(wrong)).unwrap_err();
        assert!(e.field == "pick" && e.says.contains("stable"), "{wrong}: {e:?}");
    }
}

#[test]
fn poles_that_are_not_refined_stay_as_the_diagram_has_them() {
    // Scatter as of a measurement, the same every time.
    let mut state = 17_u64;
    let mut scatter = || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 40) as f64 / f64::from(1 << 24) - 0.5
    };
    let mut measured = all(&[0]);
    for t in &mut measured {
        if let Points::Complex(all) = &mut t.points {
            all.iter_mut().for_each(|z| *z += Complex64::new(scatter(), scatter()) * 0.02);
        }
    }
    let at_once = made(r#"{ "lens": "modes", "band_hz": [10, 140], "refined": false }"#, &measured).unwrap();
    let refined = made(r#"{ "lens": "modes", "band_hz": [10, 140] }"#, &measured).unwrap();
    let (first, second) = (numbers(&at_once, "frequency"), numbers(&refined, "frequency"));
    assert_eq!((first.len(), second.len()), (3, 3));
    let diagram: Vec<f64> = at_once.stabilisation.iter().map(|p| p.frequency_hz).collect();
    for (k, (hz, ..)) in BUILT_IN.iter().enumerate() {
        assert!((first[k] / hz - 1.0).abs() < 3e-3 && (second[k] / hz - 1.0).abs() < 1e-3, "{first:?} {second:?}");
        let off = |of: f64| diagram.iter().map(|d| (d - of).abs()).fold(f64::INFINITY, f64::min);
        assert!(off(first[k]) < 1e-9, "{} is a pole of the diagram", first[k]);
        assert!(off(second[k]) > 1e-9, "{} was moved", second[k]);
    }
    let missed = |a: &Analysis| numbers(a, "missed")[0];
    assert!(missed(&refined) < missed(&at_once), "refined poles explain more");
    let told = |a: &Analysis| serde_json::to_value(&a.recipe).unwrap()["refined"].clone();
    assert_eq!((told(&at_once), told(&refined)), (false.into(), serde_json::Value::Null));
}

#[test]
fn a_shape_that_runs_as_a_wave_is_told_and_can_be_made_to_stand() {
    let waves: Vec<Trace> = (0..4).map(|to| response((to, "z"), (0, "z"), "(m/s²)/N", 1.0, 0.7)).collect();
    let a = made(RECIPE, &waves).unwrap();
    let told: Vec<_> = a.cautions.iter().filter(|c| c.rule == CautionRule::ComplexMode).collect();
    assert!(told.len() == 1 && told[0].says.starts_with("mode 2 is"), "{:?}", a.cautions);
    assert!(numbers(&a, "complexity")[1] > 0.1 && numbers(&a, "complexity")[0] < 1e-3);
    let standing = RECIPE.replace(" }", ", \"real\": true }");
    let a = made(&standing, &waves).unwrap();
    assert!(shapes(&a).iter().flatten().all(|z| z.im == 0.0));
}

#[test]
fn what_is_no_band_or_no_response_is_refused() {
    let one = all(&[0]);
    let band = |band: &str, more: &str| format!(r#"{{ "lens": "modes", "band_hz": {band}{more} }}"#);
    assert!(refused(&band("[40, 41]", ""), &one).says.contains("lines or more"));
    // Between two modes nothing holds.
    let quiet = refused(&band("[45, 60]", r#", "max_order": 12, "lasts": 8"#), &one);
    assert!(quiet.says.contains("no pole holds") || quiet.says.contains("band"), "{quiet:?}");
    for (key, value) in [("channels", "[1]"), ("takes", "[1]"), ("prepare", r#"[{"do": "zero"}]"#)] {
        let r = refused(&band("[10, 140]", &format!(r#", "{key}": {value}"#)), &one);
        assert!(r.field == key && r.says.contains("belongs to samples"), "{r:?}");
    }
    let other = refused(r#"{ "lens": "spectrum" }"#, &one);
    assert!(other.says.contains("spectrum is made of samples"), "{other:?}");
    let mut source = Memory::new(100.0, vec![("a".into(), "V".into(), vec![0.0; 64])]);
    let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    let e = analyze(&Recipe::from_json(RECIPE).unwrap(), &mut source, provenance, &mut |_| true).unwrap_err();
    assert!(e.to_string().contains("not in samples"), "{e}");
    let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    let stopped = modes(&Recipe::from_json(RECIPE).unwrap(), (&frequencies(), &one), provenance, &mut |_| false);
    assert!(matches!(stopped, Err(AnalysisError::Stopped)));
}
