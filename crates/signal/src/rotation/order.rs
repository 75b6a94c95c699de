//! Order cuts and order maps from samples at even steps of angle.
//!
//! A block of revolutions around each wished speed is weighted and projected on the orders.
//! Source: Fyfe & Munck 1997; Blough, "A survey of DSP methods for rotating machinery analysis",
//! J. Sound Vib. 263 (2003), also for the leakage between orders that are closer than the window's
//! main lobe, and between orders that cross.

use super::angle::AngleSampler;
use super::curve::AngleCurve;
use crate::error::{Result, SignalError, argument};
use crate::window::Window;
use realfft::RealFftPlanner;
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;

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
    if !(step_rpm.is_finite() && step_rpm > 0.0) {
        return Err(argument("step_rpm", step_rpm, "above 0"));
    }
    let per_rev = sampler.per_rev() as f64;
    let half = (revolutions * per_rev / 2.0).ceil() as usize;
    let n = sampler.len();
    if n < 2 * half + 1 {
        return Err(SignalError::TooShort { what: "an order block, in angle steps,", have: n, need: 2 * half + 1 });
    }
    let times = &sampler.times_s()[half..n - half];
    let stride = (sampler.per_rev() / 8).max(1);
    let speeds: Vec<(usize, f64)> =
        (0..times.len()).step_by(stride).map(|k| (k, 60.0 * curve.speed_at(times[k]))).collect();
    let up = match sweep {
        Sweep::Up => true,
        Sweep::Down => false,
        Sweep::Automatic => speeds[speeds.len() - 1].1 >= speeds[0].1,
    };
    let at = |k: f64, rpm: f64| {
        let i = k.floor() as usize;
        let share = k - i as f64;
        let time_s = times[i] + share * (times[(i + 1).min(times.len() - 1)] - times[i]);
        SpeedStep { rpm, angle_rev: sampler.angle_rev(half + i) + share / per_rev, time_s }
    };
    let mut found: std::collections::BTreeMap<i64, SpeedStep> = std::collections::BTreeMap::new();
    for w in speeds.windows(2) {
        let ((k0, v0), (k1, v1)) = (w[0], w[1]);
        if (v1 > v0) != up || v1 == v0 {
            continue;
        }
        let (low, high) = (v0.min(v1) / step_rpm, v0.max(v1) / step_rpm);
        if high - low > 1e5 {
            return Err(argument("step_rpm", step_rpm, "a step that makes fewer than 100000 steps"));
        }
        for m in low.ceil() as i64..=high.floor() as i64 {
            let share = (m as f64 * step_rpm - v0) / (v1 - v0);
            let k = k0 as f64 + share * (k1 - k0) as f64;
            found.entry(m).or_insert_with(|| at(k, m as f64 * step_rpm));
        }
        if found.len() > 100_000 {
            return Err(argument("step_rpm", step_rpm, "a step that makes fewer than 100000 steps"));
        }
    }
    if found.is_empty() {
        let (k, rpm) = speeds[speeds.len() / 2];
        return Ok(vec![at(k as f64, rpm)]);
    }
    Ok(found.into_values().collect())
}

/// What an order is read with.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OrderBlock {
    /// Revolutions in a block, above 0; its inverse is the resolution in orders.
    pub revolutions: f64,
    /// Weighting of the block.
    pub window: Window,
}

impl OrderBlock {
    fn size(&self, per_rev: usize) -> Result<usize> {
        let size = (self.revolutions * per_rev as f64).round();
        if !(4.0..=16_777_216.0).contains(&size) {
            return Err(argument(
                "resolution",
                1.0 / self.revolutions,
                "orders a block of 4 to 2²⁴ angle steps resolves",
            ));
        }
        Ok(size as usize)
    }

    /// First sample of the block around a step.
    fn start(sampler: &AngleSampler, step: &SpeedStep, size: usize) -> Result<usize> {
        let middle = (step.angle_rev - sampler.angle_rev(0)) * sampler.per_rev() as f64;
        let start = (middle - size as f64 / 2.0).round().max(0.0) as usize;
        if start + size > sampler.len() {
            return if sampler.len() >= size {
                Ok(sampler.len() - size)
            } else {
                Err(SignalError::TooShort { what: "an order block, in angle steps,", have: sampler.len(), need: size })
            };
        }
        Ok(start)
    }
}

/// Complex peak amplitudes `[order][step]` of one channel: `A·e^(jφ)` of `A·cos(2π·order·θ + φ)`,
/// `θ` in revolutions from the curve's zero.
///
/// `samples` are one channel of the sampler's output.
///
/// # Errors
/// Samples that are not as many as the sampler makes; an order that is not above 0 or beyond what
/// the angle steps hold; a block longer than the stretch.
pub fn order_cut(
    samples: &[f64],
    sampler: &AngleSampler,
    steps: &[SpeedStep],
    orders: &[f64],
    block: OrderBlock,
) -> Result<Vec<Vec<Complex64>>> {
    check_length(samples, sampler)?;
    let highest = sampler.per_rev() as f64 / 2.0;
    if let Some(o) = orders.iter().find(|o| !(**o > 0.0 && **o < highest)) {
        return Err(argument("orders", o, format!("above 0 and below {highest}, half the samples a revolution")));
    }
    let size = block.size(sampler.per_rev())?;
    let weights = block.window.weights(size)?;
    let gain = 2.0 / weights.iter().sum::<f64>();
    let starts = steps.iter().map(|s| OrderBlock::start(sampler, s, size)).collect::<Result<Vec<_>>>()?;
    let mut out = Vec::with_capacity(orders.len());
    for order in orders {
        // The turn over a block is the same for all; its start adds a phase of its own.
        let turn: Vec<Complex64> = weights
            .iter()
            .enumerate()
            .map(|(i, w)| {
                Complex64::from_polar(*w * gain, -TAU * (order * i as f64 / sampler.per_rev() as f64).fract())
            })
            .collect();
        out.push(
            starts
                .iter()
                .map(|&start| {
                    let sum: Complex64 = samples[start..start + size].iter().zip(&turn).map(|(x, t)| t * x).sum();
                    sum * Complex64::from_polar(1.0, -TAU * (order * sampler.angle_rev(start)).fract())
                })
                .collect(),
        );
    }
    Ok(out)
}

/// Amplitudes against speed and order.
#[derive(Debug, Clone, PartialEq)]
pub struct OrderMap {
    /// Orders of the lines.
    pub orders: Vec<f64>,
    /// Peak amplitudes `[step][order]`.
    pub amplitudes: Vec<Vec<f64>>,
}

/// Peak amplitudes of all orders up to `max_order` at each step of one channel.
///
/// # Errors
/// As [`order_cut`].
pub fn order_map(
    samples: &[f64],
    sampler: &AngleSampler,
    steps: &[SpeedStep],
    max_order: f64,
    block: OrderBlock,
) -> Result<OrderMap> {
    check_length(samples, sampler)?;
    let highest = sampler.per_rev() as f64 / 2.0;
    if !(max_order > 0.0 && max_order <= highest) {
        return Err(argument("max_order", max_order, format!("above 0 and up to {highest}")));
    }
    let size = block.size(sampler.per_rev())?;
    let weights = block.window.weights(size)?;
    let sum: f64 = weights.iter().sum();
    let fft = RealFftPlanner::<f64>::new().plan_fft_forward(size);
    let (mut input, mut lines, mut scratch) = (fft.make_input_vec(), fft.make_output_vec(), fft.make_scratch_vec());
    let spacing = sampler.per_rev() as f64 / size as f64;
    let count = ((max_order / spacing + 1e-9).floor() as usize + 1).min(lines.len());
    let mut amplitudes = Vec::with_capacity(steps.len());
    for step in steps {
        let start = OrderBlock::start(sampler, step, size)?;
        for ((to, x), w) in input.iter_mut().zip(&samples[start..start + size]).zip(&weights) {
            *to = x * w;
        }
        fft.process_with_scratch(&mut input, &mut lines, &mut scratch).expect("buffers come from the same plan");
        let single = |k: usize| k == 0 || (size.is_multiple_of(2) && k == size / 2);
        amplitudes.push(
            lines[..count]
                .iter()
                .enumerate()
                .map(|(k, z)| z.norm() / sum * if single(k) { 1.0 } else { 2.0 })
                .collect(),
        );
    }
    Ok(OrderMap { orders: (0..count).map(|k| k as f64 * spacing).collect(), amplitudes })
}

fn check_length(samples: &[f64], sampler: &AngleSampler) -> Result<()> {
    if samples.len() == sampler.len() {
        Ok(())
    } else {
        Err(argument("samples", samples.len(), format!("the sampler's {} samples", sampler.len())))
    }
}
