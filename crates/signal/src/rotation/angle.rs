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

/// Places of the table: those of one side of the kernel, and zeros to the next power of 2.
const TABLE: usize = 16_384;

/// One side of the kernel: at each place its value and how far it is to the next.
type Table = [[f64; 2]; TABLE];

/// 3·2⁵¹: adding it to a number leaves the nearest whole number in the lowest bits.
const WHOLE: f64 = 6_755_399_441_055_744.0;

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
    table: Box<Table>,
}

/// The kernel at a place counted in the table's steps, between two of them on a straight line.
#[inline]
fn weight(table: &Table, x: f64) -> f64 {
    // Truncation by conversion costs more than all the rest, as it minds numbers that cannot be here.
    let below = x - 0.5 + WHOLE;
    let [value, rise] = table[below.to_bits() as usize & (TABLE - 1)];
    value + (x - (below - WHOLE)) * rise
}

/// One side of the kernel, Kaiser-windowed.
fn table() -> Box<Table> {
    let beta = kaiser_beta(80.0);
    let top = bessel_i0(beta);
    let value = |i: usize| {
        let x = i as f64 / TABLE_STEPS as f64;
        let r = x / CROSSINGS;
        if r >= 1.0 {
            return 0.0;
        }
        let sinc = if i == 0 { 1.0 } else { (PI * x).sin() / (PI * x) };
        sinc * bessel_i0(beta * (1.0 - r * r).sqrt()) / top
    };
    let mut table = Box::new([[0.0; 2]; TABLE]);
    for (i, place) in table.iter_mut().enumerate().take(CROSSINGS as usize * TABLE_STEPS + 1) {
        *place = [value(i), value(i + 1) - value(i)];
    }
    table
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
        Ok(AngleSampler { per_rev, first, times, cutoffs, rate: sample_rate_hz, table: table() })
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

    /// Samples that make the one at a time.
    fn used(&self, time_s: f64, cutoff: f64, n: usize) -> std::ops::Range<usize> {
        let (place, half) = (time_s * self.rate, CROSSINGS / (2.0 * cutoff));
        (place - half).ceil().max(0.0) as usize..((place + half).floor() as usize + 1).min(n)
    }

    /// Resamples channels of one record, all at once so that the weights are found once.
    ///
    /// # Errors
    /// A sample that is not finite; channels of different lengths.
    pub fn resample(&self, channels: &[&[f64]]) -> Result<Vec<Vec<f64>>> {
        self.resample_part(channels, 0..self.len())
    }

    /// Some of the samples of [`Self::resample`], so that parts can be made side by side.
    ///
    /// # Errors
    /// As there; a part beyond the samples there are.
    pub fn resample_part(&self, channels: &[&[f64]], part: std::ops::Range<usize>) -> Result<Vec<Vec<f64>>> {
        let (Some(times), Some(cutoffs)) = (self.times.get(part.clone()), self.cutoffs.get(part.clone())) else {
            return Err(argument("part", format!("{part:?}"), format!("samples 0 to {}", self.len())));
        };
        let Some(first) = channels.first() else {
            return Ok(Vec::new());
        };
        for c in channels {
            if c.len() != first.len() {
                return Err(argument("channels", "slices of different lengths", "slices of one length"));
            }
        }
        let n = first.len();
        // Only what the part is made of is looked at: a part is often one of many.
        let (from, to) = times.iter().zip(cutoffs).fold((n, 0), |(from, to), (t, cutoff)| {
            let used = self.used(*t, *cutoff, n);
            (from.min(used.start), to.max(used.end))
        });
        channels.iter().try_for_each(|c| check_finite(c.get(from..to).unwrap_or(&[])))?;
        let mut out = vec![Vec::with_capacity(part.len()); channels.len()];
        let mut weights = Vec::new();
        for (t, cutoff) in times.iter().zip(cutoffs) {
            let place = t * self.rate;
            let step = 2.0 * cutoff * TABLE_STEPS as f64;
            let used = self.used(*t, *cutoff, n);
            // The side before the place and the one after it, without asking of each sample which.
            let middle = (place.ceil() as usize).clamp(used.start, used.end);
            weights.clear();
            weights.extend((used.start..middle).map(|i| weight(&self.table, (place - i as f64) * step)));
            weights.extend((middle..used.end).map(|i| weight(&self.table, (i as f64 - place) * step)));
            let sum: f64 = weights.iter().sum();
            for (c, out) in channels.iter().zip(&mut out) {
                out.push(dot(&c[used.clone()], &weights) / sum);
            }
        }
        Ok(out)
    }
}
