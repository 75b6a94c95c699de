//! The same numbers by the plainest way there is: sums written out, equations of motion stepped, counting by hand.

use crate::common::{assert_close, cosine, noise, rms};
use echo_signal::cross::cross_spectra;
use echo_signal::distribution::{Classes, Histogram, LevelCrossings};
use echo_signal::moving::{Moving, moving, slope};
use echo_signal::rainflow::{Residue, rainflow};
use echo_signal::resample::{ratio, resample};
use echo_signal::response::{Estimator, response};
use echo_signal::rotation::angle::{AngleSampler, samples_for};
use echo_signal::rotation::curve::AngleCurve;
use echo_signal::rotation::order::{OrderBlock, order_cut};
use echo_signal::rotation::steps::{Sweep, speed_steps};
use echo_signal::shock::{ShockSettings, shock_response};
use echo_signal::spectrum::{Averaging, Complex64, Scaling, SpectrumSettings, spectrum};
use echo_signal::window::Window;
use std::f64::consts::{PI, TAU};

const RATE: f64 = 1000.0;

const WINDOWS: [Window; 5] =
    [Window::Rectangular, Window::Hann, Window::FlatTop, Window::BlackmanHarris, Window::Tukey(0.3)];

fn settings(block: usize, overlap: f64, window: Window) -> SpectrumSettings {
    SpectrumSettings { sample_rate_hz: RATE, block, overlap, window, averaging: Averaging::Linear }
}

/// The transform of a block by its definition.
fn transform(x: &[f64], line: usize) -> Complex64 {
    let n = x.len() as f64;
    x.iter().enumerate().map(|(i, v)| Complex64::from_polar(*v, -TAU * (line * i) as f64 / n)).sum()
}

#[test]
fn a_density_is_its_definition_summed() {
    let x = noise(11, 700);
    for window in WINDOWS {
        for (block, overlap) in [(64, 0.5), (63, 0.25), (100, 0.0)] {
            let s = settings(block, overlap, window);
            let weights = window.weights(block).unwrap();
            let energy: f64 = weights.iter().map(|w| w * w).sum();
            let hop = s.hop();
            let starts: Vec<usize> = (0..).map(|k| k * hop).take_while(|a| a + block <= x.len()).collect();
            let wanted: Vec<f64> = (0..=block / 2)
                .map(|line| {
                    let sum: f64 = starts
                        .iter()
                        .map(|a| {
                            let weighted: Vec<f64> =
                                x[*a..a + block].iter().zip(&weights).map(|(x, w)| x * w).collect();
                            transform(&weighted, line).norm_sqr()
                        })
                        .sum();
                    // Lines that stand for two are counted twice; DC and an even block's last one are not.
                    let sides = if line == 0 || 2 * line == block { 1.0 } else { 2.0 };
                    sides * sum / starts.len() as f64 / energy / RATE
                })
                .collect();
            let found = spectrum(&x, s).unwrap();
            assert_eq!(found.averages(), starts.len());
            assert_close(&found.values(Scaling::Psd), &wanted, 1e-12, &format!("{window:?}, {block}"));
        }
    }
}

#[test]
fn a_response_is_what_least_squares_makes_of_the_lines() {
    // A short filter, whose response is known by its definition.
    let taps = [0.5, -0.3, 0.2, 0.4];
    let force = noise(3, 40_000);
    let answer: Vec<f64> = (0..force.len())
        .map(|i| taps.iter().enumerate().filter(|(k, _)| *k <= i).map(|(k, t)| t * force[i - k]).sum())
        .collect();
    let noisy: Vec<f64> = answer.iter().zip(noise(4, force.len())).map(|(y, n)| y + 0.3 * n).collect();
    let spectra = cross_spectra(&[&force], &[&noisy], settings(256, 0.5, Window::Hann)).unwrap();
    let h1 = response(&spectra, 0, Estimator::H1).unwrap();
    let truth = |hz: f64| -> Complex64 {
        taps.iter().enumerate().map(|(k, t)| Complex64::from_polar(*t, -TAU * hz * k as f64 / RATE)).sum()
    };
    for (line, hz) in spectra.frequencies_hz.iter().enumerate().skip(2).take(120) {
        assert!((h1.h[0][line] - truth(*hz)).norm() < 0.06, "{hz} Hz: {} for {}", h1.h[0][line], truth(*hz));
        // The answer's own part of the power is the coherence: its power over that with the noise.
        let (signal, rest) = (truth(*hz).norm_sqr(), 0.09);
        assert!((h1.coherence[line] - signal / (signal + rest)).abs() < 0.08, "{hz} Hz: {}", h1.coherence[line]);
    }
}

/// Largest and smallest acceleration of an oscillator whose base moves, by the equation of motion: Runge-Kutta in
/// steps of a fortieth of a sample, the base going straight from sample to sample.
fn oscillator(base: &[f64], hz: f64, q: f64) -> (f64, f64) {
    let (omega, zeta) = (TAU * hz, 0.5 / q);
    let steps = 40;
    let dt = 1.0 / RATE / f64::from(steps);
    // Motion of the mass against its base; its absolute acceleration is what spring and damper do to it.
    let absolute = |z: [f64; 2]| -2.0 * zeta * omega * z[1] - omega * omega * z[0];
    let (mut z, mut high, mut low) = ([0.0, 0.0], 0.0f64, 0.0f64);
    let at = |t: f64| {
        let i = t.floor();
        let of = |k: f64| base.get(k as usize).copied().unwrap_or(0.0);
        of(i) + (t - i) * (of(i + 1.0) - of(i))
    };
    let ring = (RATE / hz).ceil() as usize;
    for n in 0..(base.len() - 1 + ring) * steps as usize {
        let t = n as f64 / f64::from(steps);
        let f = |t: f64, z: [f64; 2]| [z[1], absolute(z) - at(t)];
        let add = |z: [f64; 2], k: [f64; 2], h: f64| [z[0] + h * k[0], z[1] + h * k[1]];
        let half = 0.5 / f64::from(steps);
        let k1 = f(t, z);
        let k2 = f(t + half, add(z, k1, dt / 2.0));
        let k3 = f(t + half, add(z, k2, dt / 2.0));
        let k4 = f(t + 2.0 * half, add(z, k3, dt));
        for i in 0..2 {
            z[i] += dt / 6.0 * (k1[i] + 2.0 * k2[i] + 2.0 * k3[i] + k4[i]);
        }
        let a = absolute(z);
        (high, low) = (high.max(a), low.min(a));
    }
    (high, low)
}

#[test]
fn a_shock_response_is_that_of_the_oscillators_equation() {
    // A bump with a ripple, zero at both ends.
    let base: Vec<f64> =
        (0..40).map(|i| (PI * f64::from(i) / 39.0).sin() * (100.0 + 30.0 * (TAU * f64::from(i) / 7.0).sin())).collect();
    for q in [5.0, 10.0, 25.0] {
        let s = ShockSettings { sample_rate_hz: RATE, q, per_octave: 2, from_hz: 10.0, to_hz: 200.0 };
        let found = shock_response(&base, s).unwrap();
        for (i, hz) in found.frequencies_hz.iter().enumerate() {
            let (high, low) = oscillator(&base, *hz, q);
            let scale = high.max(-low);
            // The filter sees the motion at the samples (and between them where those are few a period).
            assert!(
                (found.positive[i] - high).abs() < 0.02 * scale,
                "{hz} Hz, Q {q}: {} for {high}",
                found.positive[i]
            );
            assert!((found.negative[i] - low).abs() < 0.02 * scale, "{hz} Hz, Q {q}: {} for {low}", found.negative[i]);
        }
    }
}

/// Closed cycles by looking through the whole history again and again: the innermost one between two larger
/// neighbours is taken out; what is left counts half.
fn cycles(x: &[f64]) -> Vec<(f64, f64, f64)> {
    let mut turns: Vec<f64> = Vec::new();
    for v in x {
        let n = turns.len();
        if n >= 2 && (turns[n - 1] - turns[n - 2]) * (v - turns[n - 1]) >= 0.0 {
            turns[n - 1] = *v;
        } else if n == 0 || *v != turns[n - 1] {
            turns.push(*v);
        }
    }
    let mut out = Vec::new();
    let inner = |t: &[f64]| {
        t.windows(4).position(|w| {
            let (before, range, after) = ((w[1] - w[0]).abs(), (w[2] - w[1]).abs(), (w[3] - w[2]).abs());
            range <= before && range <= after
        })
    };
    while let Some(i) = inner(&turns) {
        out.push(((turns[i + 2] - turns[i + 1]).abs(), (turns[i + 1] + turns[i + 2]) / 2.0, 1.0));
        turns.drain(i + 1..i + 3);
    }
    out.extend(turns.windows(2).map(|w| ((w[1] - w[0]).abs(), (w[0] + w[1]) / 2.0, 0.5)));
    out
}

#[test]
fn rainflow_is_taking_out_inner_cycles() {
    for seed in 1..30 {
        let x: Vec<f64> = noise(seed, 200).iter().map(|v| (v * 40.0).round() / 4.0).collect();
        let sorted = |mut all: Vec<(f64, f64, f64)>| {
            all.sort_by(|a, b| a.partial_cmp(b).unwrap());
            all
        };
        let found = rainflow(&x, 0.0, Residue::Half).unwrap().iter().map(|c| (c.range, c.mean, c.count)).collect();
        let (found, wanted) = (sorted(found), sorted(cycles(&x)));
        let sum = |all: &[(f64, f64, f64)]| all.iter().map(|c| c.2 * c.0.powi(3)).sum::<f64>();
        let count = |all: &[(f64, f64, f64)]| all.iter().map(|c| c.2).sum::<f64>();
        assert!((sum(&found) / sum(&wanted) - 1.0).abs() < 1e-12, "seed {seed}: {} and {}", sum(&found), sum(&wanted));
        assert!((count(&found) - count(&wanted)).abs() < 1e-12, "seed {seed}");
    }
}

#[test]
fn classes_and_crossings_are_counted_one_by_one() {
    let x = noise(9, 5000);
    let classes = Classes::even(-0.8, 0.8, 16).unwrap();
    let mut histogram = Histogram::new(classes.clone());
    histogram.push(&x).unwrap();
    let edges = classes.edges();
    for (k, count) in histogram.counts().iter().enumerate() {
        let wanted = x.iter().filter(|v| **v >= edges[k] && **v < edges[k + 1]).count();
        assert_eq!(*count as usize, wanted, "class {k}");
    }
    assert_eq!(histogram.below() as usize, x.iter().filter(|v| **v < -0.8).count());
    let mut crossings = LevelCrossings::new(classes.clone());
    crossings.push(&x).unwrap();
    for (level, count) in crossings.levels().iter().zip(crossings.counts()) {
        let wanted = x.windows(2).filter(|w| w[0] < *level && w[1] >= *level).count();
        assert_eq!(count as usize, wanted, "at {level}");
    }
}

#[test]
fn a_tone_at_another_rate_is_the_tone() {
    for (to, hz) in [(500.0, 40.0), (1500.0, 120.0), (2000.0, 200.0), (640.0, 90.0), (1024.0, 33.0)] {
        let (up, down) = ratio(RATE, to).unwrap();
        let found = resample(&cosine(hz, 2.0, 0.4, RATE, 6000), up, down).unwrap();
        let wanted = cosine(hz, 2.0, 0.4, to, found.len());
        let edge = found.len() / 10;
        let inside = edge..found.len() - edge;
        assert_close(&found[inside.clone()], &wanted[inside], 1e-4, &format!("{hz} Hz at {to} Hz"));
    }
}

#[test]
fn order_cuts_find_amplitude_and_phase_of_crossing_orders_in_noise() {
    // From 600 to 1800 rpm in 20 s: angle in turns.
    let turned = |t: f64| 10.0 * t + 0.5 * t * t;
    let rate = 4096.0;
    let n = (20.0 * rate) as usize;
    let grain = noise(8, n);
    let x: Vec<f64> = (0..n)
        .map(|i| {
            let a = turned(i as f64 / rate);
            3.0 * (TAU * a + 0.7).cos()
                + 1.5 * (TAU * 2.5 * a - 1.1).cos()
                + 0.8 * (TAU * 7.0 * a + 2.0).cos()
                + 0.2 * grain[i]
        })
        .collect();
    // The truth's own times of whole turns stand for the pulses.
    let turns: Vec<f64> = (0..=(turned(20.0) as usize)).map(|k| k as f64).collect();
    let times: Vec<f64> = turns.iter().map(|k| -10.0 + (100.0 + 2.0 * k).sqrt()).collect();
    let curve = AngleCurve::new(&times, &turns, 0.0).unwrap();
    let sampler = AngleSampler::new(&curve, samples_for(8.0), rate, n).unwrap();
    let even = sampler.resample(&[&x]).unwrap().swap_remove(0);
    let block = OrderBlock { revolutions: 10.0, window: Window::Hann };
    let steps = speed_steps(&sampler, &curve, 100.0, block.revolutions, Sweep::Up).unwrap();
    assert!(steps.len() >= 9, "{}", steps.len());
    let cuts = order_cut(&even, &sampler, &steps, &[1.0, 2.5, 7.0], block).unwrap();
    for (cut, (amplitude, phase)) in cuts.iter().zip([(3.0, 0.7), (1.5, -1.1), (0.8, 2.0)]) {
        for (z, step) in cut.iter().zip(&steps) {
            assert!((z.norm() / amplitude - 1.0).abs() < 0.05, "{} for {amplitude} at {} rpm", z.norm(), step.rpm);
            let off = (z.arg() - phase + 3.0 * PI).rem_euclid(TAU) - PI;
            assert!(off.abs() < 0.06, "{} for {phase} at {} rpm", z.arg(), step.rpm);
        }
    }
    for step in &steps {
        let wanted = 60.0 * (10.0 + step.time_s);
        assert!((step.rpm / wanted - 1.0).abs() < 1e-3, "{} rpm for {wanted}", step.rpm);
    }
}

#[test]
fn moving_values_of_a_sine_are_those_of_its_periods() {
    let x = cosine(50.0, 2.0, 0.0, RATE, 4000);
    // Over whole periods the rms stands still at 2/√2, the mean at 0, the peak at 2.
    let level = moving(&x, 200, Moving::Rms).unwrap();
    assert!(level[200..].iter().all(|v| (v - 2f64.sqrt()).abs() < 1e-12));
    assert!(moving(&x, 200, Moving::Mean).unwrap()[200..].iter().all(|v| v.abs() < 1e-12));
    assert!(moving(&x, 200, Moving::Peak).unwrap()[200..].iter().all(|v| (v - 2.0).abs() < 1e-12));
    // The slope of the slope is −ω² times the sine itself.
    let twice = slope(&slope(&x, RATE).unwrap(), RATE).unwrap();
    let omega = TAU * 50.0;
    let ratio = rms(&twice[10..3990]) / rms(&x[10..3990]) / (omega * omega);
    assert!((ratio - 1.0).abs() < 2.5 * (omega / RATE).powi(4) / 30.0, "{ratio}");
}
