//! Reading the vibration of a shaft: slow roll, resonance, orbit.
//!
//! Source: ISO 20816-1 and ISO 7919 for shafts; API 684, "Rotordynamic tutorial", for slow-roll
//! compensation and the half-power amplification factor; Bently & Hatch, "Fundamentals of Rotating
//! Machinery Diagnostics", for the filtered orbit.

use crate::error::{Result, SignalError, argument};
use realfft::num_complex::Complex64;
use std::f64::consts::{PI, TAU};

fn check_lengths(rpm: &[f64], values: &[Complex64]) -> Result<()> {
    if rpm.len() == values.len() {
        Ok(())
    } else {
        Err(argument("rpm", rpm.len(), format!("as many as values, {}", values.len())))
    }
}

fn check_pairs(rpm: &[f64], values: &[Complex64]) -> Result<()> {
    check_lengths(rpm, values)?;
    if rpm.windows(2).any(|w| w[1].partial_cmp(&w[0]) != Some(std::cmp::Ordering::Greater)) {
        return Err(argument("rpm", "out of order", "ascending speeds"));
    }
    Ok(())
}

/// Mean vector between two speeds: what a probe reads of a shaft that does not vibrate yet.
///
/// # Errors
/// No value in that range; speeds and values of different number.
pub fn slow_roll_vector(rpm: &[f64], order_one: &[Complex64], from_rpm: f64, to_rpm: f64) -> Result<Complex64> {
    check_lengths(rpm, order_one)?;
    let inside: Vec<&Complex64> = rpm
        .iter()
        .zip(order_one)
        .filter(|(r, z)| **r >= from_rpm && **r <= to_rpm && z.is_finite())
        .map(|p| p.1)
        .collect();
    if inside.is_empty() {
        return Err(argument("slow_roll", format!("{from_rpm} to {to_rpm} rpm"), "a range of speed that was measured"));
    }
    Ok(inside.iter().copied().sum::<Complex64>() / inside.len() as f64)
}

/// Takes a vector off every value.
pub fn subtract_slow_roll(order_one: &[Complex64], vector: Complex64) -> Vec<Complex64> {
    order_one.iter().map(|z| z - vector).collect()
}

/// A resonance read from an order cut.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Resonance {
    /// Speed at the peak, revolutions a minute.
    pub rpm: f64,
    /// Frequency of the order there, Hz.
    pub frequency_hz: f64,
    /// Amplitude at the peak, unit of the values.
    pub amplitude: f64,
    /// Speeds at which the amplitude is 1/√2 of the peak, rpm.
    pub half_power_rpm: (f64, f64),
    /// Peak speed over the distance of both; 1/(2ζ) for a lightly damped mode.
    pub amplification: f64,
    /// Change of phase between both, degrees; about −90 for one mode passed going up.
    pub phase_change_deg: f64,
}

/// Reads the highest peak between two speeds of an order's cut.
///
/// # Errors
/// Fewer than 5 values in the range; the highest at its end; the amplitude does not fall to 1/√2 on
/// both sides, so that no amplification factor can be read.
pub fn resonance(rpm: &[f64], values: &[Complex64], order: f64, from_rpm: f64, to_rpm: f64) -> Result<Resonance> {
    check_pairs(rpm, values)?;
    let (a, b) = (rpm.partition_point(|r| *r < from_rpm), rpm.partition_point(|r| *r <= to_rpm));
    if b < a + 5 {
        return Err(SignalError::TooShort { what: "a resonance, in speeds,", have: b.saturating_sub(a), need: 5 });
    }
    let amplitude: Vec<f64> = values.iter().map(|z| z.norm()).collect();
    let top = (a..b).max_by(|&i, &j| amplitude[i].total_cmp(&amplitude[j])).unwrap_or(a);
    if top == a || top + 1 == b {
        return Err(argument("speed range", format!("{from_rpm} to {to_rpm} rpm"), "a range with the peak inside it"));
    }
    // Parabola through three points that may not be evenly spaced.
    let (x, y) = ([rpm[top - 1], rpm[top], rpm[top + 1]], [amplitude[top - 1], amplitude[top], amplitude[top + 1]]);
    let (left, right) = ((y[1] - y[0]) / (x[1] - x[0]), (y[2] - y[1]) / (x[2] - x[1]));
    let bend = (right - left) / (x[2] - x[0]);
    let (peak_rpm, peak) = if bend < 0.0 {
        let at = (0.5 * (x[0] + x[1]) - left / (2.0 * bend)).clamp(x[0], x[2]);
        (at, y[0] + left * (at - x[0]) + bend * (at - x[0]) * (at - x[1]))
    } else {
        (x[1], y[1])
    };
    let level = peak / 2f64.sqrt();
    let unwrapped = unwrap(&values[a..b]);
    let crossing = |i: usize, j: usize| {
        let share = (level - amplitude[i]) / (amplitude[j] - amplitude[i]);
        let phase = unwrapped[i - a] + share * (unwrapped[j - a] - unwrapped[i - a]);
        (rpm[i] + share * (rpm[j] - rpm[i]), phase)
    };
    let none = |side: &str| {
        argument(
            "speed range",
            format!("{from_rpm} to {to_rpm} rpm"),
            format!("a range in which the amplitude falls to 1/√2 of the peak {side} it"),
        )
    };
    let low = (a..top).rev().find(|&i| amplitude[i] < level).ok_or_else(|| none("below"))?;
    let high = (top + 1..b).find(|&i| amplitude[i] < level).ok_or_else(|| none("above"))?;
    let ((rpm_low, phase_low), (rpm_high, phase_high)) = (crossing(low, low + 1), crossing(high - 1, high));
    Ok(Resonance {
        rpm: peak_rpm,
        frequency_hz: peak_rpm / 60.0 * order,
        amplitude: peak,
        half_power_rpm: (rpm_low, rpm_high),
        amplification: peak_rpm / (rpm_high - rpm_low),
        phase_change_deg: (phase_high - phase_low).to_degrees(),
    })
}

/// Phases without jumps of a full turn, rad.
fn unwrap(values: &[Complex64]) -> Vec<f64> {
    let mut offset = 0.0;
    let mut last = 0.0;
    values
        .iter()
        .enumerate()
        .map(|(i, z)| {
            let phase = z.arg();
            if i > 0 {
                let jump = phase + offset - last;
                offset -= (jump / TAU).round() * TAU;
            }
            last = phase + offset;
            last
        })
        .collect()
}

/// The ellipse two probes at right angles see at one order.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Orbit {
    /// Half the longest diameter, unit of the probes.
    pub major: f64,
    /// Half the shortest diameter, 0 or more.
    pub minor: f64,
    /// Angle of the longest diameter from the first probe towards the second, degrees, −90 to 90.
    pub inclination_deg: f64,
    /// Whether the shaft goes round from the first probe towards the second as the angle grows.
    pub forward: bool,
}

/// Ellipse from the complex amplitudes of both probes.
pub fn orbit(x: Complex64, y: Complex64) -> Orbit {
    // Two circles turning against each other make any ellipse.
    let j = Complex64::new(0.0, 1.0);
    let (forward, backward) = ((x + j * y) / 2.0, (x.conj() + j * y.conj()) / 2.0);
    let (f, b) = (forward.norm(), backward.norm());
    let mut tilt = 0.5 * (forward.arg() + backward.arg());
    while tilt > PI / 2.0 {
        tilt -= PI;
    }
    while tilt <= -PI / 2.0 {
        tilt += PI;
    }
    Orbit { major: f + b, minor: (f - b).abs(), inclination_deg: tilt.to_degrees(), forward: f >= b }
}

/// Mean turn of samples at even steps of angle, `per_rev` of them: what repeats every revolution.
///
/// # Errors
/// `per_rev` below 1, or less than one revolution.
pub fn mean_turn(samples: &[f64], per_rev: usize) -> Result<Vec<f64>> {
    if per_rev == 0 {
        return Err(argument("samples a revolution", 0, "1 or more"));
    }
    let turns = samples.len() / per_rev;
    if turns == 0 {
        return Err(SignalError::TooShort { what: "one revolution", have: samples.len(), need: per_rev });
    }
    let mut mean = vec![0.0; per_rev];
    for turn in samples.chunks_exact(per_rev) {
        mean.iter_mut().zip(turn).for_each(|(m, x)| *m += x);
    }
    mean.iter_mut().for_each(|m| *m /= turns as f64);
    Ok(mean)
}
