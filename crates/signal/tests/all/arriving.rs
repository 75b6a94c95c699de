//! Arrivals of bursts of many shapes in noise: how early or late, and whether the uncertainty holds.

use crate::common::Dice;
use echo_signal::arrivals::{Pick, arrival};
use std::f64::consts::{E, PI, TAU};

/// A burst by the time from its onset in periods.
type Shape = fn(f64) -> f64;

fn sine(u: f64) -> f64 {
    (TAU * u).sin()
}

/// Falls after some periods.
fn after(u: f64, from: f64) -> f64 {
    (-(u - from).max(0.0) / 6.0).exp()
}

const SHAPES: [(&str, Shape); 8] = [
    ("a sine at once", |u| sine(u) * after(u, 0.0)),
    ("a jump", |u| (TAU * u).cos() * after(u, 0.0)),
    ("up in one cycle", |u| sine(u) * u.min(1.0) * after(u, 1.0)),
    ("up in two cycles", |u| sine(u) * (0.5 * u).min(1.0) * after(u, 2.0)),
    ("softly up in two cycles", |u| sine(u) * (0.5 - 0.5 * (PI * (0.5 * u).min(1.0)).cos()) * after(u, 2.0)),
    ("t·exp(−t)", |u| sine(u) * u * (-0.5 * u).exp() * E),
    ("t²·exp(−t)", |u| sine(u) * u * u * (-u).exp()),
    ("1 − exp(−t)", |u| sine(u) * (1.0 - (-u).exp()) * after(u, 0.0)),
];

/// Mean error, mean uncertainty in periods, and the share of repeats within two of them.
fn repeats(shape: Shape, db: f64, period: f64, count: u64) -> (f64, f64, f64) {
    let peak = (0..8000).map(|k| shape(f64::from(k) * 1e-3).abs()).fold(0.0, f64::max);
    let noise = peak * 10f64.powf(-db / 20.0) / 2f64.sqrt();
    let (mut off, mut told, mut inside) = (0.0, 0.0, 0.0);
    for k in 0..count {
        let mut dice = Dice(0x9e37_79b9_7f4a_7c15u64.wrapping_mul(k + 1) | 1);
        for _ in 0..10 {
            dice.roll();
        }
        let onset = 15.0 * period + dice.roll();
        let x: Vec<f64> = (0..(38.0 * period) as usize)
            .map(|i| {
                let u = (i as f64 - onset) / period;
                (if u >= 0.0 { shape(u) } else { 0.0 }) + noise * dice.gauss()
            })
            .collect();
        let found = arrival(&x, 1.0, Pick::Akaike).unwrap();
        let error = found.time_s - onset;
        off += error / period / count as f64;
        told += found.uncertainty_s / period / count as f64;
        inside += f64::from(u8::from(error.abs() < 2.0 * found.uncertainty_s)) / count as f64;
    }
    (off, told, inside)
}

#[test]
fn the_uncertainty_of_an_arrival_holds_for_bursts_of_many_shapes() {
    for (name, shape) in SHAPES {
        for db in [20.0, 26.0, 40.0] {
            let (off, told, inside) = repeats(shape, db, 16.0, 40);
            println!("{name}, {db} dB: {off:.3} of a period off, {told:.3} told, {inside:.3} within");
            assert!(inside >= 0.9, "{name}, {db} dB: {off} of a period off, {told} told, {inside} within");
            // In much noise nobody sees where a slow rise begins.
            assert!(told < if db < 40.0 { 1.5 } else { 0.5 }, "{name}, {db} dB: {told} of a period told");
        }
        // The bias is out where the shape tells it.
        let (off, ..) = repeats(shape, 46.0, 16.0, 10);
        assert!(off.abs() < 0.25, "{name}: {off} of a period");
    }
}

#[test]
fn an_onset_is_read_below_a_sample() {
    for (name, shape) in &SHAPES[..2] {
        let (off, told, inside) = repeats(*shape, 60.0, 16.0, 20);
        println!("{name}: {off} periods off, {told} told, {inside}");
        assert!(off.abs() * 16.0 < 0.2 && told * 16.0 < 1.0 && inside > 0.9, "{name}: {off} {told} {inside}");
    }
    // Long periods are read of means of several samples.
    let (off, told, inside) = repeats(SHAPES[0].1, 40.0, 500.0, 6);
    assert!(off.abs() < 0.03 && told < 0.1 && inside > 0.8, "{off} {told} {inside}");
}
