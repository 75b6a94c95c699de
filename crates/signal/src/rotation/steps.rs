//! Where along a run a block is taken: at round speeds, or at even times.

use super::angle::AngleSampler;
use super::curve::AngleCurve;
use crate::error::{Result, SignalError, argument};
use std::collections::BTreeMap;

/// Largest number of steps.
const MOST: usize = 100_000;

/// Which way the speed is followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sweep {
    /// The way it goes from the first to the last sample.
    Automatic,
    /// Only while it rises.
    Up,
    /// Only while it falls.
    Down,
}

/// A speed and the angle it is reached at.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SpeedStep {
    /// Speed, revolutions a minute.
    pub rpm: f64,
    /// Angle in the middle of the block, revolutions.
    pub angle_rev: f64,
    /// Time of that angle, s.
    pub time_s: f64,
}

/// Multiples of a step and the first place, between those given with their speeds, at which each is
/// reached. A speed that trembles crosses one several times: the middle of the crossings within
/// `reach` of the first is told, which is neither early nor late.
fn reached(speeds: &[(f64, f64)], step_rpm: f64, sweep: Sweep, reach: f64) -> Result<BTreeMap<i64, f64>> {
    if !(step_rpm.is_finite() && step_rpm > 0.0) {
        return Err(argument("step_rpm", step_rpm, "above 0"));
    }
    let too_fine = || argument("step_rpm", step_rpm, format!("a step that makes fewer than {MOST} steps"));
    let up = match (sweep, speeds) {
        (Sweep::Up, _) => true,
        (Sweep::Down, _) => false,
        (Sweep::Automatic, [first, .., last]) => last.1 >= first.1,
        (Sweep::Automatic, _) => true,
    };
    let mut found: BTreeMap<i64, (f64, f64)> = BTreeMap::new();
    for w in speeds.windows(2) {
        let ((k0, v0), (k1, v1)) = (w[0], w[1]);
        if (v1 > v0) != up || v1 == v0 {
            continue;
        }
        let (low, high) = (v0.min(v1) / step_rpm, v0.max(v1) / step_rpm);
        if high - low > MOST as f64 {
            return Err(too_fine());
        }
        for m in low.ceil() as i64..=high.floor() as i64 {
            let share = (m as f64 * step_rpm - v0) / (v1 - v0);
            let place = k0 + share * (k1 - k0);
            let (first, last) = found.entry(m).or_insert((place, place));
            if place - *first <= reach {
                *last = place;
            }
        }
        if found.len() > MOST {
            return Err(too_fine());
        }
    }
    Ok(found.into_iter().map(|(m, (first, last))| (m, 0.5 * (first + last))).collect())
}

/// Samples at either end that are no middle of a block of revolutions.
fn margin(sampler: &AngleSampler, revolutions: f64) -> Result<usize> {
    let (half, n) = ((revolutions * sampler.per_rev() as f64 / 2.0).ceil() as usize, sampler.len());
    if n < half.saturating_mul(2).saturating_add(1) {
        let need = half.saturating_mul(2).saturating_add(1);
        return Err(SignalError::TooShort { what: "an order block, in angle steps,", have: n, need });
    }
    Ok(half)
}

/// The first place at which each multiple of `step_rpm` is reached, in ascending speed.
///
/// Only places with `revolutions / 2` on either side count. Where the speed reaches no multiple,
/// as at a steady speed, the middle of the stretch is the one step.
///
/// # Errors
/// A step that is not above 0 or makes more than 100 000 steps; fewer revolutions in the stretch
/// than a block holds.
pub fn speed_steps(
    sampler: &AngleSampler,
    curve: &AngleCurve,
    step_rpm: f64,
    revolutions: f64,
    sweep: Sweep,
) -> Result<Vec<SpeedStep>> {
    let half = margin(sampler, revolutions)?;
    let times = &sampler.times_s()[half..sampler.len() - half];
    let stride = (sampler.per_rev() / 8).max(1);
    let speeds: Vec<(f64, f64)> =
        (0..times.len()).step_by(stride).map(|k| (k as f64, 60.0 * curve.speed_at(times[k]))).collect();
    let at = |k: f64, rpm: f64| {
        let i = k.floor() as usize;
        let share = k - i as f64;
        let time_s = times[i] + share * (times[(i + 1).min(times.len() - 1)] - times[i]);
        SpeedStep { rpm, angle_rev: sampler.angle_rev(half + i) + share / sampler.per_rev() as f64, time_s }
    };
    let found = reached(&speeds, step_rpm, sweep, revolutions * sampler.per_rev() as f64)?;
    if found.is_empty() {
        let (k, rpm) = speeds[speeds.len() / 2];
        return Ok(vec![at(k, rpm)]);
    }
    Ok(found.into_iter().map(|(m, k)| at(k, m as f64 * step_rpm)).collect())
}

/// The multiples of `interval_s` that have `revolutions / 2` on either side, each with the speed
/// there; the middle of the stretch where there is none.
///
/// # Errors
/// An interval that is not above 0 or makes more than 100 000 steps; fewer revolutions in the
/// stretch than a block holds.
pub fn time_steps(
    sampler: &AngleSampler,
    curve: &AngleCurve,
    interval_s: f64,
    revolutions: f64,
) -> Result<Vec<SpeedStep>> {
    let half = margin(sampler, revolutions)?;
    let times = &sampler.times_s()[half..sampler.len() - half];
    let (from, to) = (times[0], times[times.len() - 1]);
    if !(interval_s > 0.0 && (to - from) / interval_s < MOST as f64) {
        let allowed = format!("above {} s, so that there are fewer than {MOST}", (to - from) / MOST as f64);
        return Err(argument("interval_s", interval_s, allowed));
    }
    let step =
        |time_s: f64| SpeedStep { rpm: 60.0 * curve.speed_at(time_s), angle_rev: curve.angle_at(time_s), time_s };
    let (first, last) = ((from / interval_s).ceil() as i64, (to / interval_s).floor() as i64);
    if last < first {
        return Ok(vec![step(0.5 * (from + to))]);
    }
    Ok((first..=last).map(|k| step(k as f64 * interval_s)).collect())
}

/// The first time between two at which each multiple of `step_rpm` is reached, in ascending speed;
/// the middle where none is.
///
/// # Errors
/// A step that is not above 0 or makes more than 100 000 steps; no time of the curve between the
/// two.
pub fn speed_steps_between(
    curve: &AngleCurve,
    (from_s, to_s): (f64, f64),
    step_rpm: f64,
    sweep: Sweep,
) -> Result<Vec<SpeedStep>> {
    let span = curve.span_s();
    let (from, to) = (from_s.max(span.0), to_s.min(span.1));
    if from >= to {
        let allowed = format!("a stretch with pulses from {} to {} s", span.0, span.1);
        return Err(argument("stretch", format!("{from_s} to {to_s} s"), allowed));
    }
    // Eight places a revolution follow what a speed curve can do.
    let turns = curve.angle_at(to) - curve.angle_at(from);
    let n = (8.0 * turns).ceil().clamp(16.0, 4e6) as usize;
    let time = |k: f64| from + (to - from) * k / n as f64;
    let speeds: Vec<(f64, f64)> = (0..=n).map(|k| (k as f64, 60.0 * curve.speed_at(time(k as f64)))).collect();
    let step = |k: f64, rpm: f64| SpeedStep { rpm, angle_rev: curve.angle_at(time(k)), time_s: time(k) };
    // Two revolutions.
    let found = reached(&speeds, step_rpm, sweep, 16.0)?;
    if found.is_empty() {
        let (k, rpm) = speeds[n / 2];
        return Ok(vec![step(k, rpm)]);
    }
    Ok(found.into_iter().map(|(m, k)| step(k, m as f64 * step_rpm)).collect())
}
