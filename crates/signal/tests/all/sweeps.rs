//! Modes passed at a finite rate, made by stepping their equation of motion through the sweep.

use crate::common::noise;
use echo_signal::rotation::angle::{AngleSampler, samples_for};
use echo_signal::rotation::curve::AngleCurve;
use echo_signal::rotation::order::{OrderBlock, order_cut};
use echo_signal::rotation::steps::{SpeedStep, Sweep, speed_steps};
use echo_signal::rotation::sweep::{Mean, SweepModel, fit_sweep};
use echo_signal::spectrum::Complex64;
use echo_signal::window::Window;
use std::f64::consts::TAU;

pub const RATE: f64 = 2048.0;

/// Displacements of modes (Hz, damping, gain) under unbalance, seen in two directions with their own
/// signs, from one speed to another (turns a second) in a time.
pub fn passed(
    modes: &[(f64, f64, [f64; 2])],
    from: f64,
    to: f64,
    seconds: f64,
    noisy: f64,
) -> ([Vec<f64>; 2], AngleCurve) {
    let n = (seconds * RATE) as usize;
    let sub = 16;
    let dt = 1.0 / (RATE * f64::from(sub));
    let speed = |t: f64| from + (to - from) * t / seconds;
    let turns = |t: f64| from * t + 0.5 * (to - from) * t * t / seconds;
    let mut out: [Vec<f64>; 2] = [Vec::with_capacity(n), Vec::with_capacity(n)];
    let mut state = vec![(0.0f64, 0.0f64); modes.len()];
    let force = |t: f64| (TAU * speed(t)).powi(2) * (TAU * turns(t)).cos();
    for i in 0..n {
        for k in 0..sub {
            let t = i as f64 / RATE + f64::from(k) * dt;
            for ((x, v), (hz, damping, _)) in state.iter_mut().zip(modes) {
                let w = TAU * hz;
                let acceleration = |x: f64, v: f64, t: f64| force(t) - 2.0 * damping * w * v - w * w * x;
                // Midpoint rule.
                let (xm, vm) = (*x + 0.5 * dt * *v, *v + 0.5 * dt * acceleration(*x, *v, t));
                (*x, *v) = (*x + dt * vm, *v + dt * acceleration(xm, vm, t + 0.5 * dt));
            }
        }
        for (d, out) in out.iter_mut().enumerate() {
            out.push(state.iter().zip(modes).map(|((x, _), m)| x * m.2[d]).sum());
        }
    }
    for (d, out) in out.iter_mut().enumerate() {
        let size = out.iter().fold(0.0f64, |a, x| a.max(x.abs()));
        out.iter_mut().zip(noise(5 + d as u64, n)).for_each(|(x, e)| *x += noisy * size * e);
    }
    let times: Vec<f64> = (0..400).map(|k| f64::from(k) * seconds / 399.0).collect();
    let angles: Vec<f64> = times.iter().map(|t| turns(*t)).collect();
    (out, AngleCurve::new(&times, &angles, 0.0).unwrap())
}

fn cuts(samples: &[Vec<f64>; 2], curve: &AngleCurve, revolutions: f64) -> (Vec<SpeedStep>, Vec<Vec<Complex64>>) {
    let sampler = AngleSampler::new(curve, samples_for(2.0), RATE, samples[0].len()).unwrap();
    let block = OrderBlock { revolutions, window: Window::Hann };
    let steps = speed_steps(&sampler, curve, 4.0, revolutions, Sweep::Automatic).unwrap();
    let even = sampler.resample(&[&samples[0], &samples[1]]).unwrap();
    let cuts = even.iter().map(|x| order_cut(x, &sampler, &steps, &[1.0], block).unwrap().remove(0)).collect();
    (steps, cuts)
}

#[test]
fn a_mode_is_found_whatever_the_rate_and_the_width_of_the_order() {
    let modes = [(18.4, 0.021, [1.0, -0.6]), (41.3, 0.016, [0.8, 1.2])];
    for (from, to, seconds) in [(10.0, 30.0, 60.0), (10.0, 30.0, 12.0), (10.0, 30.0, 6.0), (30.0, 10.0, 12.0)] {
        let (samples, curve) = passed(&modes, from, to, seconds, 0.001);
        for revolutions in [4.0, 10.0] {
            let (steps, cuts) = cuts(&samples, &curve, revolutions);
            let model = SweepModel { order: 1.0, power: 2, mean: Mean::Block(revolutions) };
            let all: Vec<&[Complex64]> = cuts.iter().map(Vec::as_slice).collect();
            for channels in [&all[..], &all[..1], &all[1..]] {
                let fit = fit_sweep(&steps, channels, (900.0, 1350.0), model, None).unwrap();
                let case =
                    format!("{from} to {to} in {seconds} s, {revolutions} turns, {} channels: {fit:?}", channels.len());
                assert!((fit.frequency_hz.0 / 18.4 - 1.0).abs() < 0.003, "{}", &case[..300.min(case.len())]);
                assert!((fit.damping.0 / 0.021 - 1.0).abs() < 0.03, "{}", &case[..300.min(case.len())]);
                assert!(fit.unexplained < 1e-3, "{}", fit.unexplained);
            }
        }
    }
}

#[test]
fn the_uncertainty_is_that_of_repeats() {
    let modes = [(18.4, 0.021, [1.0, 0.5])];
    let (clean, curve) = passed(&modes, 12.0, 26.0, 14.0, 0.0);
    let size = clean[0].iter().fold(0.0f64, |a, x| a.max(x.abs()));
    let model = SweepModel { order: 1.0, power: 2, mean: Mean::Block(6.0) };
    let (mut inside, mut told, all) = (0, 0.0, 40);
    for k in 0..all {
        let mut noisy = clean.clone();
        for (d, x) in noisy.iter_mut().enumerate() {
            let e = noise(1000 + 2 * k + d as u64, x.len());
            x.iter_mut().zip(e).for_each(|(x, e)| *x += 0.3 * size * e);
        }
        let (steps, cuts) = cuts(&noisy, &curve, 6.0);
        let channels: Vec<&[Complex64]> = cuts.iter().map(Vec::as_slice).collect();
        let fit = fit_sweep(&steps, &channels, (950.0, 1300.0), model, None).unwrap();
        inside += u32::from((fit.frequency_hz.0 - 18.4).abs() < 2.0 * fit.frequency_hz.1);
        inside += u32::from((fit.damping.0 - 0.021).abs() < 2.0 * fit.damping.1);
        told += fit.damping.1 / all as f64;
    }
    assert!(inside >= 66, "{inside} of 80 within two standard uncertainties, damping told within {told}");
    assert!(told < 0.002, "{told}");
}

#[test]
fn what_cannot_be_fitted_is_refused() {
    let (samples, curve) = passed(&[(18.4, 0.021, [1.0, 1.0])], 10.0, 30.0, 12.0, 0.0);
    let (steps, cuts) = cuts(&samples, &curve, 6.0);
    let model = SweepModel { order: 1.0, power: 2, mean: Mean::Block(6.0) };
    let one = [cuts[0].as_slice()];
    let says = |channels: &[&[Complex64]], range: (f64, f64)| {
        fit_sweep(&steps, channels, range, model, None).unwrap_err().to_string()
    };
    assert!(says(&[], (900.0, 1300.0)).contains("one or more"));
    assert!(says(&[&cuts[0][1..]], (900.0, 1300.0)).contains("each of"));
    assert!(says(&one, (1000.0, 1010.0)).contains("at least 8"));
    assert!(says(&one, (1400.0, 1600.0)).contains("a mode is passed"));
}
