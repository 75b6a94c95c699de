//! Orders followed together, against what was put in.

use crate::common::noise;
use crate::sweeps::{RATE, passed};
use echo_signal::rotation::angle::{AngleSampler, samples_for};
use echo_signal::rotation::order::{OrderBlock, order_cut};
use echo_signal::rotation::steps::{Sweep, speed_steps};
use echo_signal::rotation::sweep::{Mean, SweepModel, fit_sweep};
use echo_signal::rotation::vold_kalman::{Followed, Follower, OrderFilter, Poles};
use echo_signal::spectrum::Complex64;
use echo_signal::window::Window;
use std::f64::consts::TAU;

const BOTH: [Poles; 2] = [Poles::One, Poles::Two];

/// Even places, `per_rev` a revolution.
fn places(turns: usize, per_rev: usize) -> Vec<f64> {
    (0..turns * per_rev).map(|k| k as f64 / per_rev as f64).collect()
}

fn phase(places: &[f64], order: f64) -> Vec<f64> {
    places.iter().map(|a| order * a).collect()
}

fn follow(y: &[f64], places: &[f64], phases: &[Vec<f64>], filter: OrderFilter) -> echo_signal::Result<Followed> {
    Follower::new(places, phases, filter)?.follow(y)
}

#[test]
fn an_amplitude_that_swings_is_kept_as_the_bandwidth_says() {
    let places = places(1000, 24);
    for poles in BOTH {
        for bandwidth in [0.02, 0.1, 0.4] {
            let filter = OrderFilter { bandwidth, poles };
            for swings in [0.25 * bandwidth, 0.5 * bandwidth, bandwidth] {
                // 1 + 0.5·e^(2πj·swings·place), on order 2.
                let y: Vec<f64> =
                    places.iter().map(|a| (TAU * 2.0 * a).cos() + 0.5 * (TAU * (2.0 + swings) * a).cos()).collect();
                let found = follow(&y, &places, &[phase(&places, 2.0)], filter).unwrap();
                let (mut sum, n) = (Complex64::default(), 4000);
                // Whole swings in the middle.
                let length = (400.0 * swings).floor() / swings;
                for k in 0..n {
                    let at = 300.0 + length * f64::from(k) / f64::from(n);
                    sum += found.at(0, at) * Complex64::from_polar(2.0 / f64::from(n), -TAU * swings * at);
                }
                let kept = filter.kept(swings);
                assert!((sum.norm() - kept).abs() < 0.01, "{filter:?} {swings}: {} for {kept}", sum.norm());
                assert!(sum.arg().abs() < 0.01, "{}", sum.arg());
            }
        }
    }
    assert!((OrderFilter { bandwidth: 0.3, poles: Poles::Two }.kept(0.15) - 0.5f64.sqrt()).abs() < 1e-12);
}

#[test]
fn a_step_rises_as_told() {
    let places = places(200, 24);
    let y: Vec<f64> = places.iter().map(|a| if *a < 100.0 { 0.0 } else { (TAU * a + 0.4).cos() }).collect();
    for poles in BOTH {
        let filter = OrderFilter { bandwidth: 0.1, poles };
        let found = follow(&y, &places, &[phase(&places, 1.0)], filter).unwrap();
        let size: Vec<f64> =
            (0..4000).map(|k| (found.at(0, 0.05 * f64::from(k)) * Complex64::from_polar(1.0, -0.4)).re).collect();
        let reached = |level: f64| 0.05 * size.iter().position(|x| *x > level).unwrap() as f64;
        let rise = reached(0.9) - reached(0.1);
        assert!((rise / filter.rise() - 1.0).abs() < 0.05, "{poles:?}: {rise} for {}", filter.rise());
        let over = size.iter().fold(0.0f64, |a, x| a.max(*x)) - 1.0;
        assert!(if poles == Poles::One { over < 0.01 } else { (0.02..0.06).contains(&over) }, "{over}");
        // What the filter weighs, summed up to a place, is the same.
        let sum =
            |to: f64| (-4000..=(to * 100.0) as i32).map(|k| filter.weight(f64::from(k) * 0.01) * 0.01).sum::<f64>();
        assert!((sum(40.0) - 1.0).abs() < 0.01, "{}", sum(40.0));
        assert!((sum(0.5 * filter.rise()) - 0.9).abs() < 0.01, "{}", sum(0.5 * filter.rise()));
    }
}

#[test]
fn a_fast_sweep_blunts_no_resonance() {
    // Q 10, passed in 6 s.
    let (samples, curve) = passed(&[(18.4, 0.05, [1.0, -0.6])], 8.0, 30.0, 6.0, 0.0);
    let sampler = AngleSampler::new(&curve, samples_for(2.0), RATE, samples[0].len()).unwrap();
    let even = sampler.resample(&[&samples[0]]).unwrap().remove(0);
    let steps = speed_steps(&sampler, &curve, 4.0, 10.0, Sweep::Automatic).unwrap();
    let places: Vec<f64> = (0..sampler.len()).map(|k| sampler.angle_rev(k)).collect();
    let peak = |cut: &[Complex64]| cut.iter().map(|z| z.norm()).fold(0.0, f64::max);
    let cut = |revolutions| {
        let block = OrderBlock { revolutions, window: Window::Hann };
        order_cut(&even, &sampler, &steps, &[1.0], block).unwrap().remove(0)
    };
    let followed = |bandwidth, poles| -> Vec<Complex64> {
        let found = follow(&even, &places, &[phase(&places, 1.0)], OrderFilter { bandwidth, poles }).unwrap();
        steps.iter().map(|s| found.at(0, s.angle_rev)).collect()
    };
    // A block of two revolutions is short enough to be true.
    let truth = peak(&cut(2.0));
    let filter = OrderFilter { bandwidth: 0.3, poles: Poles::Two };
    let sharp = followed(filter.bandwidth, filter.poles);
    println!(
        "block {} two {} one {}",
        peak(&cut(10.0)) / truth,
        peak(&sharp) / truth,
        peak(&followed(0.2, Poles::One)) / truth
    );
    assert!(peak(&cut(10.0)) / truth < 0.95, "{}", peak(&cut(10.0)) / truth);
    assert!((peak(&sharp) / truth - 1.0).abs() < 0.01, "{}", peak(&sharp) / truth);
    // What is left of the filter's width is known to the fit of the mode.
    for (bandwidth, poles) in [(0.1, Poles::Two), (0.2, Poles::Two), (0.2, Poles::One)] {
        let model = SweepModel { order: 1.0, power: 2, mean: Mean::Turns(OrderFilter { bandwidth, poles }) };
        let fit = fit_sweep(&steps, &[&followed(bandwidth, poles)], (850.0, 1450.0), model, None).unwrap();
        let case = (bandwidth, poles, fit.frequency_hz, fit.damping, fit.unexplained);
        println!("{case:?}");
        assert!((fit.frequency_hz.0 / 18.4 - 1.0).abs() < 0.003, "{case:?}");
        assert!((fit.damping.0 / 0.05 - 1.0).abs() < 0.03, "{case:?}");
    }
}

#[test]
fn orders_that_cross_are_told_apart() {
    // Order 1 of a shaft from 20 to 40 Hz crosses a steady 30 Hz of twice its size.
    let (rate, seconds) = (512.0, 20.0);
    let n = (rate * seconds) as usize;
    let times: Vec<f64> = (0..n).map(|i| i as f64 / rate).collect();
    let turns: Vec<f64> = times.iter().map(|t| 20.0 * t + 0.5 * t * t).collect();
    let tone: Vec<f64> = times.iter().map(|t| 30.0 * t).collect();
    let y: Vec<f64> =
        turns.iter().zip(&tone).map(|(a, b)| (TAU * a + 0.5).cos() + 2.0 * (TAU * b - 1.0).cos()).collect();
    let filter = OrderFilter { bandwidth: 0.5, poles: Poles::Two };
    let worst = |phases: &[Vec<f64>], wanted: Complex64| {
        let found = follow(&y, &times, phases, filter).unwrap();
        (200..1800).map(|k| (found.at(0, f64::from(k) * 0.01) - wanted).norm()).fold(0.0, f64::max)
    };
    let order = Complex64::from_polar(1.0, 0.5);
    let (alone, together) = (worst(std::slice::from_ref(&turns), order), worst(&[turns.clone(), tone.clone()], order));
    assert!(alone > 0.5, "{alone}");
    assert!(together < 0.02, "{together}");
}

#[test]
fn the_uncertainty_is_that_of_repeats() {
    let places = places(120, 16);
    for (poles, beside) in [(Poles::One, false), (Poles::Two, false), (Poles::Two, true)] {
        let filter = OrderFilter { bandwidth: 0.2, poles };
        let (mut inside, mut all) = (0, 0);
        for k in 0..60 {
            let mut y: Vec<f64> = places.iter().map(|a| (TAU * a).cos()).collect();
            y.iter_mut().zip(noise(300 + k, places.len())).for_each(|(y, e)| *y += 0.7 * e);
            // Another order that is not followed is no noise of this one.
            if beside {
                y.iter_mut().zip(&places).for_each(|(y, a)| *y += 3.0 * (TAU * 3.0 * a).cos());
            }
            let found = follow(&y, &places, &[phase(&places, 1.0)], filter).unwrap();
            for at in (10..=110).step_by(10).map(f64::from) {
                inside += u32::from((found.at(0, at).norm() - 1.0).abs() < 2.0 * found.uncertainty(0, at));
                all += 1;
            }
        }
        let share = f64::from(inside) / f64::from(all);
        println!("{poles:?} {beside} {share}");
        assert!((0.92..0.985).contains(&share), "{poles:?}: {share}");
    }
}

#[test]
fn what_cannot_be_followed_is_refused() {
    let places = places(20, 16);
    let y = vec![0.0; places.len()];
    let says = |y: &[f64], places: &[f64], orders: &[f64], bandwidth: f64| {
        let phases: Vec<Vec<f64>> = orders.iter().map(|o| phase(places, *o)).collect();
        follow(y, places, &phases, OrderFilter { bandwidth, poles: Poles::Two }).unwrap_err().to_string()
    };
    assert!(says(&y, &places, &[1.0], 0.0).contains("above 0"));
    assert!(says(&y, &places, &[1.0], f64::NAN).contains("above 0"));
    assert!(says(&y, &places, &[1.0], 1e-3).contains("or more for this stretch"));
    assert!(says(&y, &places, &[1.0; 21], 0.1).contains("1 to 20 orders"));
    assert!(says(&y, &places, &[], 0.1).contains("1 to 20 orders"));
    assert!(says(&y[1..], &places, &[1.0], 0.1).contains("as many as places"));
    assert!(says(&y, &places, &[f64::NAN], 0.1).contains("finite"));
    assert!(says(&y, &places, &[1.0, 2.0, 3.0], 1e6).contains("up to"));
    let mut back = places.clone();
    back[7] = 0.0;
    assert!(says(&y, &back, &[1.0], 0.1).contains("ascend"));
}
