//! Order cuts and order maps from samples at even steps of angle.
//!
//! A block of revolutions around each wished speed is weighted and projected on the orders.
//! Source: Fyfe & Munck 1997; Blough, "A survey of DSP methods for rotating machinery analysis",
//! J. Sound Vib. 263 (2003), also for the leakage between orders that are closer than the window's
//! main lobe, and between orders that cross.

use super::angle::AngleSampler;
use super::steps::SpeedStep;
use crate::error::{Result, SignalError, argument};
use crate::window::Window;
use realfft::RealFftPlanner;
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;

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
