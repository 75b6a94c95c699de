//! Samples at even steps of angle.
//!
//! Each output is a weighted sum of the samples around its time, the weights a Kaiser-windowed
//! sinc whose cut-off follows the speed: what the even steps of angle cannot hold is taken off
//! before, at every speed. Source: Fyfe & Munck, "Analysis of computed order tracking", Mech. Syst.
//! Signal Process. 11 (1997); Crochiere & Rabiner for the interpolator.

use super::curve::AngleCurve;
use crate::error::{Result, SignalError, argument, check_finite, check_rate};
use crate::numeric::dot;
use crate::resample::kaiser_beta;
use crate::window::bessel_i0;
use std::f64::consts::PI;

/// Zero crossings of the sinc on either side.
const CROSSINGS: f64 = 16.0;

/// Places of the kernel's table a zero crossing.
const TABLE_STEPS: usize = 512;

/// Share of the Nyquist order (half the samples a revolution) that passes.
pub const CLEAN_SHARE: f64 = 0.7;

/// Samples a revolution that leave orders up to `highest` clean.
pub fn samples_for(highest_order: f64) -> usize {
    (2.0 * highest_order / CLEAN_SHARE).ceil().max(8.0) as usize
}

/// Where the resampled stretch lies and what its samples are made of.
#[derive(Debug, Clone)]
pub struct AngleSampler {
    /// Samples a revolution.
    per_rev: usize,
    /// Number of the first sample: its angle is `first / per_rev` revolutions.
    first: i64,
    times: Vec<f64>,
    /// Cut-off at each sample, as share of the sample rate.
    cutoffs: Vec<f64>,
    rate: f64,
    table: Vec<f64>,
}

impl AngleSampler {
    /// A sampler over the span of `curve` that lies in the record of `samples` samples from time 0.
    ///
    /// # Errors
    /// A rate not above 0; fewer than 4 or more than 65 536 samples a revolution; a stretch with
    /// less than one revolution.
    pub fn new(curve: &AngleCurve, per_rev: usize, sample_rate_hz: f64, samples: usize) -> Result<AngleSampler> {
        check_rate(sample_rate_hz)?;
        if !(4..=65_536).contains(&per_rev) {
            return Err(argument("samples a revolution", per_rev, "4 to 65536"));
        }
        let (from, to) = curve.span_s();
        let from = from.max(0.0);
        let to = to.min((samples.max(1) - 1) as f64 / sample_rate_hz);
        let n = per_rev as f64;
        let (first, last) = if to > from { (curve.angle_at(from), curve.angle_at(to)) } else { (0.0, 0.0) };
        let (first, last) = ((first * n - 1e-9).ceil(), (last * n + 1e-9).floor());
        let count = last - first + 1.0;
        if !(n..=1e9).contains(&count) {
            return Err(SignalError::TooShort {
                what: "orders, in angle steps,",
                have: count.max(0.0) as usize,
                need: per_rev,
            });
        }
        let (first, count) = (first as i64, count as i64);
        let times = curve.times_at((0..count).map(|k| (first + k) as f64 / n));
        let cutoffs = times
            .iter()
            .map(|t| {
                let angular_nyquist = curve.speed_at(*t).max(0.0) * n / 2.0 / sample_rate_hz;
                // 0.85 of it, so that the slope of the filter ends where folding begins.
                (0.85 * angular_nyquist).clamp(1e-4, 0.5)
            })
            .collect();
        let beta = kaiser_beta(80.0);
        let top = bessel_i0(beta);
        let table = (0..=CROSSINGS as usize * TABLE_STEPS + 1)
            .map(|i| {
                let x = i as f64 / TABLE_STEPS as f64;
                let r = x / CROSSINGS;
                if r >= 1.0 {
                    return 0.0;
                }
                let sinc = if i == 0 { 1.0 } else { (PI * x).sin() / (PI * x) };
                sinc * bessel_i0(beta * (1.0 - r * r).sqrt()) / top
            })
            .collect();
        Ok(AngleSampler { per_rev, first, times, cutoffs, rate: sample_rate_hz, table })
    }

    /// Samples a revolution.
    pub fn per_rev(&self) -> usize {
        self.per_rev
    }

    /// Number of samples.
    pub fn len(&self) -> usize {
        self.times.len()
    }

    /// Whether there is none; never so for a sampler that was made.
    pub fn is_empty(&self) -> bool {
        self.times.is_empty()
    }

    /// Time of each sample, s.
    pub fn times_s(&self) -> &[f64] {
        &self.times
    }

    /// Angle of sample `k`, revolutions.
    pub fn angle_rev(&self, k: usize) -> f64 {
        (self.first + k as i64) as f64 / self.per_rev as f64
    }

    /// Resamples channels of one record, all at once so that the weights are found once.
    ///
    /// # Errors
    /// A sample that is not finite; channels of different lengths.
    pub fn resample(&self, channels: &[&[f64]]) -> Result<Vec<Vec<f64>>> {
        let Some(first) = channels.first() else {
            return Ok(Vec::new());
        };
        for c in channels {
            check_finite(c)?;
            if c.len() != first.len() {
                return Err(argument("channels", "slices of different lengths", "slices of one length"));
            }
        }
        let n = first.len();
        let mut out = vec![Vec::with_capacity(self.len()); channels.len()];
        let mut weights = Vec::new();
        for (t, cutoff) in self.times.iter().zip(&self.cutoffs) {
            let place = t * self.rate;
            let per_crossing = 2.0 * cutoff;
            let half = CROSSINGS / per_crossing;
            let from = (place - half).ceil().max(0.0) as usize;
            let to = ((place + half).floor() as usize + 1).min(n);
            let step = per_crossing * TABLE_STEPS as f64;
            weights.clear();
            weights.extend((from..to).map(|i| {
                let x = (i as f64 - place).abs() * step;
                let k = (x as u32 as usize).min(self.table.len() - 2);
                let t = &self.table[k..k + 2];
                t[0] + (x - k as f64) * (t[1] - t[0])
            }));
            let sum: f64 = weights.iter().sum();
            for (c, out) in channels.iter().zip(&mut out) {
                out.push(dot(&c[from..to], &weights) / sum);
            }
        }
        Ok(out)
    }
}
