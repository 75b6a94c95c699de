//! Modes of structures whose modes are known: the reference, neighbours, what lies outside a band, refusals.

use crate::common::{file, json, noise, numbers};
use echo_signal::modal::frf::FrfMatrix;
use echo_signal::modal::indicator::{cmif, mmif};
use echo_signal::modal::mac::{mac, mpc, turned_real};
use echo_signal::modal::poles::{Pole, PoleSettings, Stability, stabilisation};
use echo_signal::modal::refine::refined;
use echo_signal::modal::shapes::{Modes, ShapeScale, shapes};
use echo_signal::response::Motion;
use proptest::prelude::*;
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;

/// A mode of unit modal mass: frequency in Hz, damping ratio, shape at every output.
type Known = (f64, f64, Vec<f64>);

/// Exact responses of such modes to forces at some of the outputs, with noise of a share of the largest.
fn structure(modes: &[Known], forces: &[usize], lines: &[f64], motion: Motion, share: f64) -> FrfMatrix {
    let outputs = modes[0].2.len();
    let power = [Motion::Receptance, Motion::Mobility, Motion::Accelerance].iter().position(|m| *m == motion).unwrap();
    let mut values = Vec::new();
    for hz in lines {
        let w = TAU * hz;
        for output in 0..outputs {
            for force in forces {
                let receptance: Complex64 = modes
                    .iter()
                    .map(|(f, zeta, shape)| {
                        let own = TAU * f;
                        shape[output] * shape[*force] / Complex64::new(own * own - w * w, 2.0 * zeta * own * w)
                    })
                    .sum();
                values.push(receptance * Complex64::new(0.0, w).powi(power as i32));
            }
        }
    }
    let largest = values.iter().map(|z| z.norm()).fold(0.0, f64::max);
    let off = noise(5, 2 * values.len());
    for (z, n) in values.iter_mut().zip(off.chunks(2)) {
        *z += Complex64::new(n[0], n[1]) * share * largest;
    }
    FrfMatrix::new(lines.to_vec(), outputs, forces.len(), motion, values).unwrap()
}

fn lines(from: f64, to: f64, by: f64) -> Vec<f64> {
    (0..).map(|k| from + by * f64::from(k)).take_while(|f| *f <= to + 1e-9).collect()
}

fn known() -> Vec<Known> {
    vec![
        (30.0, 0.012, vec![0.5, 0.4, 0.3, 0.2, 0.1]),
        (100.0, 0.008, vec![0.4, -0.1, -0.5, 0.1, 0.4]),
        (103.0, 0.011, vec![0.2, 0.5, 0.1, -0.5, 0.3]),
        (290.0, 0.009, vec![-0.3, 0.5, -0.3, 0.4, -0.4]),
    ]
}

fn real(shape: &[f64]) -> Vec<Complex64> {
    shape.iter().map(|x| Complex64::new(*x, 0.0)).collect()
}

fn poles_in(functions: &FrfMatrix, band: (f64, f64), max_order: usize) -> Vec<Pole> {
    let settings = PoleSettings { max_order, ..PoleSettings::default() };
    stabilisation(&functions.band(band).unwrap(), settings).unwrap().lasting(5).into_iter().map(|l| l.pole).collect()
}

fn missed(modes: &Modes) -> f64 {
    modes.misses.iter().copied().fold(0.0, f64::max)
}

#[track_caller]
fn assert_pole(pole: &Pole, hz: f64, zeta: f64, within: (f64, f64)) {
    let (f, d) = (pole.frequency_hz(), pole.damping_ratio());
    assert!((f / hz - 1.0).abs() < within.0 && (d / zeta - 1.0).abs() < within.1, "{f} Hz, {d} for {hz} Hz, {zeta}");
}

#[test]
fn modes_agree_with_the_reference() {
    let reference = json("modal.json");
    let text = std::fs::read_to_string(file("modal_frf.csv")).unwrap();
    let rows: Vec<Vec<f64>> =
        text.lines().skip(1).map(|l| l.split(',').map(|x| x.parse().unwrap()).collect()).collect();
    // Columns are reference by reference; here all references of an output stand together.
    let of = |row: &[f64], output: usize, force: usize| {
        let k = 1 + 2 * (9 * force + output);
        Complex64::new(row[k], row[k + 1])
    };
    let values = rows.iter().flat_map(|r| (0..9).flat_map(move |o| (0..2).map(move |i| of(r, o, i)))).collect();
    let hz = rows.iter().map(|r| r[0]).collect();
    let functions = FrfMatrix::new(hz, 9, 2, Motion::Accelerance, values).unwrap();
    let band = (20.0, 790.0);
    let poles = refined(&functions.band(band).unwrap(), &poles_in(&functions, band, 40)).unwrap();
    let (hz, zeta) = (numbers(&reference["frequency_hz"]), numbers(&reference["damping_ratio"]));
    assert_eq!(poles.len(), hz.len());
    // The references are at the first and the fifth degree of freedom.
    let found = shapes(&functions.band(band).unwrap(), &poles, &[(0, 0), (4, 1)]).unwrap();
    for (k, mode) in found.modes.iter().enumerate() {
        // A tenth of what the reference allows.
        assert_pole(&mode.pole, hz[k], zeta[k], (1e-4, 0.005));
        let wanted = numbers(&reference["shapes"][k]);
        assert!(mac(&mode.shape, &real(&wanted)) > 0.9999, "{:?}", mode.shape);
        assert!(matches!(mode.scale, ShapeScale::UnitModalMass { .. }) && mpc(&mode.shape) > 0.999);
        let turned = turned_real(&mode.shape);
        let sign = (turned[0].re * wanted[0]).signum();
        let off = turned.iter().zip(&wanted).map(|(z, w)| (sign * z - w).norm()).fold(0.0, f64::max);
        assert!(off < 0.01, "mode {k} is off by {off}");
    }
    assert!(missed(&found) < 0.011, "noise of 0.3 % of the largest is what is left");
}

#[test]
fn neighbours_need_two_references_and_are_told_apart() {
    let all = known();
    let functions = structure(&all, &[0, 1], &lines(1.0, 400.0, 0.5), Motion::Accelerance, 0.0);
    let band = (20.0, 350.0);
    let poles = poles_in(&functions, band, 20);
    assert_eq!(poles.len(), 4, "{poles:?}");
    let found = shapes(
        &functions.band(band).unwrap(),
        &refined(&functions.band(band).unwrap(), &poles).unwrap(),
        &[(0, 0), (1, 1)],
    )
    .unwrap();
    for (mode, (hz, zeta, shape)) in found.modes.iter().zip(&all) {
        assert_pole(&mode.pole, *hz, *zeta, (1e-6, 1e-4));
        assert!(mac(&mode.shape, &real(shape)) > 0.99999);
        let off = mode.shape[0].norm() / shape[0].abs() - 1.0;
        assert!(off.abs() < 1e-3, "of unit modal mass but for {off}");
    }
    assert!(missed(&found) < 1e-8);
    // Two peaks at one place: the second indicator has one of its own there, and nowhere else.
    let indicators = cmif(&functions);
    let at = |k: usize, hz: f64| indicators[k][((hz - 1.0) / 0.5).round() as usize];
    assert!(at(1, 101.5) > 10.0 * at(1, 60.0) && at(0, 100.0) > 3.0 * at(0, 120.0) && at(0, 30.0) > 3.0 * at(0, 40.0));
    let dips = mmif(&functions);
    let dip = |k: usize, hz: f64| dips[k][((hz - 1.0) / 0.5).round() as usize];
    assert!(dip(0, 30.0) < 0.05 && dip(0, 290.0) < 0.05 && dip(0, 60.0) > 0.9, "{} {}", dip(0, 30.0), dip(0, 60.0));
    assert!(dip(1, 30.0) > 0.9 && dip(1, 290.0) > 0.9, "{}", dip(1, 30.0));
}

#[test]
fn two_modes_at_one_frequency_are_two() {
    let mut all = known();
    all[2].0 = 100.0;
    let functions = structure(&all, &[0, 1], &lines(1.0, 400.0, 0.5), Motion::Receptance, 0.0);
    let (indicators, dips) = (cmif(&functions), mmif(&functions));
    // 100 Hz stands on line 198.
    assert!(
        indicators[1][198] > 20.0 * indicators[1][150] && dips[1][198] < 0.05 && dips[1][150] > 0.9,
        "{}",
        dips[1][198]
    );
    let band = (85.0, 120.0);
    let poles = refined(&functions.band(band).unwrap(), &poles_in(&functions, band, 12)).unwrap();
    let mut damping: Vec<f64> = poles.iter().map(Pole::damping_ratio).collect();
    damping.sort_by(f64::total_cmp);
    assert!(
        damping.len() == 2 && (damping[0] - 0.008).abs() < 1e-4 && (damping[1] - 0.011).abs() < 1e-4,
        "{damping:?}"
    );
    let found = shapes(&functions.band(band).unwrap(), &poles, &[(0, 0)]).unwrap();
    assert!(missed(&found) < 2e-5);
}

#[test]
fn any_motion_gives_the_same_modes() {
    let all = known();
    let band = (20.0, 350.0);
    for motion in [Motion::Receptance, Motion::Mobility, Motion::Accelerance] {
        let functions = structure(&all, &[0, 1], &lines(1.0, 400.0, 0.5), motion, 0.0);
        let poles = refined(&functions.band(band).unwrap(), &poles_in(&functions, band, 24)).unwrap();
        assert_eq!(poles.len(), 4, "{motion:?}");
        let found = shapes(&functions.band(band).unwrap(), &poles, &[(0, 0)]).unwrap();
        for (mode, (hz, zeta, shape)) in found.modes.iter().zip(&all) {
            assert_pole(&mode.pole, *hz, *zeta, (1e-5, 1e-3));
            assert!((mode.shape[0].norm() / shape[0].abs() - 1.0).abs() < 5e-3, "{motion:?}");
        }
        let dips = &mmif(&functions)[0];
        assert!(dips[58] < 0.05 && dips[118] > 0.9, "{motion:?}: {} {}", dips[58], dips[118]);
    }
}

#[test]
fn what_lies_outside_the_band_goes_into_the_residual_terms() {
    let all = known();
    let functions = structure(&all, &[0, 1], &lines(1.0, 400.0, 0.25), Motion::Receptance, 0.0);
    let band = (85.0, 120.0);
    let poles = refined(&functions.band(band).unwrap(), &poles_in(&functions, band, 12)).unwrap();
    assert_eq!(poles.len(), 2, "{poles:?}");
    let found = shapes(&functions.band(band).unwrap(), &poles, &[(0, 0)]).unwrap();
    for (mode, (hz, zeta, shape)) in found.modes.iter().zip(&all[1..3]) {
        assert_pole(&mode.pole, *hz, *zeta, (1e-4, 5e-3));
        assert!(mac(&mode.shape, &real(shape)) > 0.999);
    }
    assert!(missed(&found) < 1e-4);
    // Without them the synthesis far below the band would lack the mode at 30 Hz wholly; with them it is no worse.
    let there = found.synthesis(84.0, 0, 0);
    assert!((there / functions.at(332, 0, 0) - 1.0).norm() < 0.02, "{there}");
}

#[test]
fn one_reference_is_enough_where_modes_stand_apart() {
    let all: Vec<Known> = known().into_iter().filter(|m| m.0 != 103.0).collect();
    let functions = structure(&all, &[4], &lines(1.0, 400.0, 0.5), Motion::Mobility, 0.002);
    let band = (20.0, 350.0);
    let linear = poles_in(&functions, band, 30);
    let better = refined(&functions.band(band).unwrap(), &linear).unwrap();
    assert_eq!(better.len(), 3, "{better:?}");
    for (pole, (hz, zeta, _)) in better.iter().zip(&all) {
        assert_pole(pole, *hz, *zeta, (5e-4, 0.03));
    }
    let of = |poles: &[Pole]| shapes(&functions.band(band).unwrap(), poles, &[]).unwrap();
    let (before, after) = (of(&linear), of(&better));
    let sum = |m: &Modes| m.misses.iter().sum::<f64>();
    assert!(sum(&after) <= sum(&before), "refining never explains less");
    // Without a driving point the largest point is 1; with one at a node, too.
    for mode in &after.modes {
        let largest = mode.shape.iter().map(|z| z.norm()).fold(0.0, f64::max);
        assert!(mode.scale == ShapeScale::LargestIsOne && (largest - 1.0).abs() < 1e-12);
    }
    let still: Vec<Known> = vec![(50.0, 0.01, vec![0.0, 0.6, 0.4])];
    let functions = structure(&still, &[0, 1], &lines(20.0, 90.0, 0.25), Motion::Receptance, 0.0);
    let pole =
        Pole { lambda: Complex64::new(-0.01, (1.0f64 - 1e-4).sqrt()) * TAU * 50.0, participation: real(&[0.0, 1.0]) };
    let found = shapes(&functions.band((20.0, 90.0)).unwrap(), &[pole], &[(0, 0)]).unwrap();
    assert_eq!(found.modes[0].scale, ShapeScale::LargestIsOne, "a node tells nothing of the mass");
    assert!((found.modes[0].shape[2].re - 0.4 / 0.6).abs() < 1e-6);
}

#[test]
fn an_exponential_windows_damping_is_taken_off() {
    let (hz, zeta, added): (f64, f64, f64) = (80.0, 0.01, 6.0);
    let own = TAU * hz;
    // The window turns e^(λt) into e^((λ − added)t): the same mode with a pole further left.
    let lambda = Complex64::new(-zeta, (1.0 - zeta * zeta).sqrt()) * own - added;
    let of = |s: Complex64| 1.0 / ((s - lambda) * (s - lambda.conj()));
    let hz_lines = lines(40.0, 120.0, 0.25);
    let values = hz_lines.iter().map(|f| of(Complex64::new(0.0, TAU * f))).collect();
    let functions = FrfMatrix::new(hz_lines, 1, 1, Motion::Receptance, values).unwrap();
    let band = (40.0, 120.0);
    let pole = refined(&functions.band(band).unwrap(), &poles_in(&functions, band, 10)).unwrap().remove(0);
    assert!(pole.damping_ratio() > 2.0 * zeta);
    assert_pole(&pole.without_window(added), hz, zeta, (1e-6, 1e-5));
}

#[test]
fn shapes_are_compared_whatever_their_scale() {
    let a = real(&[1.0, 2.0, -1.0]);
    let scaled: Vec<Complex64> = a.iter().map(|z| z * Complex64::new(0.3, -4.0)).collect();
    assert!((mac(&a, &scaled) - 1.0).abs() < 1e-15 && mac(&a, &real(&[1.0, 0.0, 1.0])).abs() < 1e-15);
    assert!(mac(&a, &real(&[0.0; 3])).is_nan());
    assert!((mpc(&scaled) - 1.0).abs() < 1e-12);
    assert!(turned_real(&scaled).iter().all(|z| z.im.abs() < 1e-12));
    // A wave that runs around has no phase of its own.
    let around: Vec<Complex64> = (0..6).map(|k| Complex64::from_polar(1.0, TAU * f64::from(k) / 6.0)).collect();
    assert!(mpc(&around) < 1e-12);
}

#[test]
fn a_diagram_tells_what_stays() {
    let functions = structure(&known(), &[0, 1], &lines(1.0, 400.0, 0.5), Motion::Accelerance, 0.001);
    let settings = PoleSettings { max_order: 30, ..PoleSettings::default() };
    let diagram = stabilisation(&functions.band((20.0, 350.0)).unwrap(), settings).unwrap();
    assert_eq!(diagram.orders.len(), 29, "orders 2 to 30");
    assert!(diagram.orders[0].iter().all(|f| f.stability == Stability::New), "nothing came before the first");
    let last = &diagram.orders[28];
    for (hz, ..) in known() {
        let near = |f: &&echo_signal::modal::poles::StablePole| (f.pole.frequency_hz() / hz - 1.0).abs() < 0.005;
        assert!(last.iter().filter(near).any(|f| f.stability == Stability::Whole), "{hz} Hz");
    }
    assert!(last.windows(2).all(|w| w[0].pole.lambda.im <= w[1].pole.lambda.im));
    assert!(diagram.lasting(40).is_empty(), "nothing lasts longer than there are orders");
}

#[test]
fn what_cannot_be_is_refused_by_name() {
    let hz = lines(1.0, 100.0, 1.0);
    let values = vec![Complex64::new(1.0, 0.0); 200];
    let new = |hz: &[f64], o: usize, r: usize, v: &[Complex64]| {
        FrfMatrix::new(hz.to_vec(), o, r, Motion::Receptance, v.to_vec()).unwrap_err().to_string()
    };
    assert!(new(&hz, 0, 1, &values).contains("outputs must be"));
    assert!(new(&hz, 2, 0, &values).contains("references must be"));
    assert!(new(&hz, 3, 1, &values).contains("lines × outputs × references, 300"));
    assert!(new(&[2.0, 1.0], 1, 1, &values[..2]).contains("each above the last"));
    assert!(new(&[-1.0, 1.0], 1, 1, &values[..2]).contains("from 0 Hz"));
    let mut broken = values.clone();
    broken[7].re = f64::NAN;
    assert!(new(&hz, 2, 1, &broken).contains("at 4 Hz"));
    let functions = FrfMatrix::new(hz, 2, 1, Motion::Receptance, values).unwrap();
    let band = (10.0, 90.0);
    let refused = |change: &dyn Fn(&mut PoleSettings)| {
        let mut s = PoleSettings { max_order: 10, ..PoleSettings::default() };
        change(&mut s);
        stabilisation(&functions.band(band).unwrap(), s).unwrap_err().to_string()
    };
    assert!(refused(&|s| s.max_order = 1).contains("2 to 200"));
    assert!(refused(&|s| s.max_order = 60).contains("122 lines or more; this one has 81"));
    let no_band = |from, to| functions.band((from, to)).unwrap_err().to_string();
    assert!(no_band(50.0, 20.0).contains("the lower first") && no_band(200.0, 300.0).contains("this one has 0"));
    assert!(refused(&|s| s.mac = 0.0).contains("mac must be"));
    let pole =
        |n: usize| Pole { lambda: Complex64::new(-1.0, 300.0), participation: vec![Complex64::new(1.0, 0.0); n] };
    let said = |poles: &[Pole], driving: &[(usize, usize)]| {
        shapes(&functions.band(band).unwrap(), poles, driving).unwrap_err().to_string()
    };
    assert!(said(&[], &[]).contains("one or more"));
    assert!(said(&[pole(2)], &[]).contains("a participation of each reference, 1"));
    assert!(said(&[pole(1)], &[(2, 0)]).contains("outputs 0 to 1"));
    assert!(said(&[pole(1), pole(1)], &[]).contains("two that are the same"));
    assert!(refined(&functions.band(band).unwrap(), &[]).unwrap_err().to_string().contains("one or more"));
    assert!(
        refined(&functions.band(band).unwrap(), &[pole(1), pole(1)])
            .unwrap_err()
            .to_string()
            .contains("poles that differ")
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn modes_that_stand_apart_are_found_wherever_they_are(
        first in 40.0..80.0f64,
        steps in proptest::collection::vec(1.3..1.9f64, 1..3),
        damping in proptest::collection::vec(0.003..0.03f64, 3),
        shape in proptest::collection::vec(proptest::collection::vec(prop_oneof![0.2..1.0f64, -1.0..-0.2f64], 4), 3),
    ) {
        let mut hz = first;
        let mut all: Vec<Known> = vec![(hz, damping[0], shape[0].clone())];
        for (k, step) in steps.iter().enumerate() {
            hz *= step;
            all.push((hz, damping[k + 1], shape[k + 1].clone()));
        }
        let band = (20.0, 1.4 * hz);
        let functions = structure(&all, &[0], &lines(1.0, 1.5 * hz, 0.5), Motion::Accelerance, 0.0);
        let poles = poles_in(&functions, band, 20);
        prop_assert_eq!(poles.len(), all.len());
        let found = shapes(&functions.band(band).unwrap(), &refined(&functions.band(band).unwrap(), &poles).unwrap(), &[(0, 0)]).unwrap();
        for (mode, (hz, zeta, shape)) in found.modes.iter().zip(&all) {
            prop_assert!((mode.pole.frequency_hz() / hz - 1.0).abs() < 1e-5);
            prop_assert!((mode.pole.damping_ratio() / zeta - 1.0).abs() < 1e-3);
            prop_assert!(mac(&mode.shape, &real(shape)) > 0.9999);
        }
    }
}

#[test]
fn many_outputs_refine_to_the_same_poles_as_few() {
    // The same five points measured twenty times over, and more often, with noise of their own each time.
    for outputs in [100, 600] {
        refines_to_the_same(outputs);
    }
}

fn refines_to_the_same(outputs: usize) {
    let many: Vec<Known> = known()
        .into_iter()
        .map(|(hz, zeta, shape)| (hz, zeta, shape.iter().copied().cycle().take(outputs).collect()))
        .collect();
    let functions = structure(&many, &[0, 1], &lines(20.0, 320.0, 0.5), Motion::Accelerance, 0.01);
    let band = (20.0, 320.0);
    let poles = poles_in(&functions, band, 30);
    let near = |hz: f64| {
        let off = |p: &&Pole| (p.frequency_hz() - hz).abs();
        poles.iter().min_by(|a, b| off(a).total_cmp(&off(b))).expect("poles").clone()
    };
    let rough: Vec<Pole> = many.iter().map(|m| near(m.0)).collect();
    for (pole, (hz, zeta, _)) in refined(&functions.band(band).unwrap(), &rough).unwrap().iter().zip(&many) {
        assert_pole(pole, *hz, *zeta, (2e-4, 0.01));
    }
}
