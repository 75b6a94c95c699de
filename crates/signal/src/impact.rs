//! Impact testing: windows for hit and ring-down, double hits, overloads.
//!
//! Source: ISO 7626-5; Halvorsen & Brown, "Impulse technique for structural frequency response
//! testing", Sound and Vibration 1977.

use crate::error::{Result, argument, check_finite};
use realfft::RealFftPlanner;
use std::f64::consts::PI;

/// Force window around the hit: 1 for `length_s` from `before_s` before the highest sample, with
/// cosine tapers outside, 0 elsewhere.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ForceWindow {
    /// Time before the peak that is kept, s.
    pub before_s: f64,
    /// Length of the flat part, s.
    pub length_s: f64,
    /// Length of the taper on either side, s.
    pub taper_s: f64,
}

impl ForceWindow {
    /// Checks lengths.
    ///
    /// # Errors
    /// A time that is negative or not finite; no length at all.
    pub fn check(&self) -> Result<()> {
        for (name, t) in [
            ("force_window.before_s", self.before_s),
            ("force_window.length_s", self.length_s),
            ("force_window.taper_s", self.taper_s),
        ] {
            if !(t.is_finite() && t >= 0.0) {
                return Err(argument(name, t, "0 s or more"));
            }
        }
        if self.length_s + self.taper_s <= 0.0 {
            return Err(argument("force_window.length_s", self.length_s, "above 0 s"));
        }
        Ok(())
    }

    /// Weights of a block whose hit peaks at sample `peak`.
    pub fn weights(&self, block: usize, peak: usize, sample_rate_hz: f64) -> Vec<f64> {
        let start = peak as f64 / sample_rate_hz - self.before_s;
        let end = start + self.length_s;
        (0..block)
            .map(|i| {
                let t = i as f64 / sample_rate_hz;
                let outside = (start - t).max(t - end).max(0.0);
                if outside == 0.0 {
                    1.0
                } else if outside < self.taper_s {
                    0.5 * (1.0 + (PI * outside / self.taper_s).cos())
                } else {
                    0.0
                }
            })
            .collect()
    }
}

/// Exponential window `exp(−t/τ)` over a block, that lets a long ring-down end inside it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ExponentialWindow {
    /// Time constant τ, s.
    pub decay_s: f64,
}

impl ExponentialWindow {
    /// Checks the time constant.
    ///
    /// # Errors
    /// Not above zero.
    pub fn check(&self) -> Result<()> {
        if self.decay_s.is_finite() && self.decay_s > 0.0 {
            Ok(())
        } else {
            Err(argument("exponential_window.decay_s", self.decay_s, "above 0 s"))
        }
    }

    /// Weights of a block whose ring-down starts at sample `start`; 1 before it.
    pub fn weights(&self, block: usize, start: usize, sample_rate_hz: f64) -> Vec<f64> {
        (0..block).map(|i| (-(i.saturating_sub(start) as f64) / sample_rate_hz / self.decay_s).exp()).collect()
    }

    /// Decay rate the window adds to every mode, 1/s. A mode's own damping ratio is the measured
    /// one less this over its angular frequency, see [`own_damping`].
    pub fn added_decay(&self) -> f64 {
        1.0 / self.decay_s
    }
}

/// A mode's own damping ratio after taking off what the exponential window added.
pub fn own_damping(measured_ratio: f64, frequency_hz: f64, window: ExponentialWindow) -> f64 {
    measured_ratio - window.added_decay() / (2.0 * PI * frequency_hz)
}

/// Position of the largest magnitude; 0 for an empty block.
pub fn peak_position(samples: &[f64]) -> usize {
    let mut best = 0;
    for (i, x) in samples.iter().enumerate() {
        if x.abs() > samples[best].abs() {
            best = i;
        }
    }
    best
}

/// Share of the first peak from which a second one is a double hit, where nothing else is said.
pub const SECOND_HIT_SHARE: f64 = 0.1;

/// Time after which a second peak is another hit and no ringing of the first, where nothing else is said, s.
pub const SECOND_HIT_APART_S: f64 = 0.002;

/// A second hit inside a block.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DoubleHit {
    /// Sample of the second peak.
    pub at: usize,
    /// Its size as share of the first, 0 to 1.
    pub share: f64,
}

/// Looks for a second force peak of the first one's sign above `share` of it, at least `apart_s`
/// away, with the force having fallen below half the threshold in between.
///
/// # Errors
/// A share outside 0 to 1, a sample that is not finite.
pub fn double_hit(force: &[f64], sample_rate_hz: f64, share: f64, apart_s: f64) -> Result<Option<DoubleHit>> {
    check_finite(force)?;
    if !(share > 0.0 && share <= 1.0) {
        return Err(argument("double-hit share", share, "above 0 and up to 1"));
    }
    let peak = peak_position(force);
    let Some(&top) = force.get(peak).filter(|x| **x != 0.0) else {
        return Ok(None);
    };
    let apart = (apart_s * sample_rate_hz).max(1.0) as usize;
    let mut worst: Option<DoubleHit> = None;
    // Walking away from the peak on either side; armed once the force has come down.
    let mut look = |positions: &mut dyn Iterator<Item = usize>| {
        let mut armed = false;
        for i in positions {
            let relative = force[i] / top;
            armed |= relative < share / 2.0;
            if armed && i.abs_diff(peak) >= apart && relative >= share && worst.is_none_or(|w| relative > w.share) {
                worst = Some(DoubleHit { at: i, share: relative });
            }
        }
    };
    look(&mut (peak..force.len()));
    look(&mut (0..peak).rev());
    Ok(worst)
}

/// What speaks for clipping.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Overload {
    /// Samples at or beyond the limit.
    pub at_limit: usize,
    /// Longest run of equal extreme samples.
    pub longest_run: usize,
}

/// Counts samples at or beyond `limit` (same unit, above 0) and the longest run of equal samples
/// at the stretch's own extremes: a converter that clips below its stated range shows in the run.
///
/// Give infinity where no limit is known. A constant stretch has no run.
///
/// # Errors
/// A limit that is not above 0, a sample that is not finite.
pub fn overload(samples: &[f64], limit: f64) -> Result<Overload> {
    check_finite(samples)?;
    if limit.is_nan() || limit <= 0.0 {
        return Err(argument("limit", limit, "above 0"));
    }
    let high = samples.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let low = samples.iter().copied().fold(f64::INFINITY, f64::min);
    let at_limit = samples.iter().filter(|x| x.abs() >= limit).count();
    let longest_run = if high > low {
        samples
            .chunk_by(|a, b| a == b)
            .filter(|run| run[0] == high || run[0] == low)
            .map(<[f64]>::len)
            .max()
            .unwrap_or(0)
    } else {
        0
    };
    Ok(Overload { at_limit, longest_run })
}

/// Spectrum of a hit: magnitude of the Fourier integral of its force, unit·s (for a force N/Hz), from 0 Hz to half
/// the sample rate in lines `sample_rate_hz / force.len()` apart.
///
/// # Errors
/// Fewer than two samples, a sample that is not finite.
pub fn hit_spectrum(force: &[f64], sample_rate_hz: f64) -> Result<Vec<f64>> {
    check_finite(force)?;
    if force.len() < 2 {
        return Err(argument("force", force.len(), "two samples or more"));
    }
    let fft = RealFftPlanner::<f64>::new().plan_fft_forward(force.len());
    let (mut block, mut lines) = (force.to_vec(), fft.make_output_vec());
    fft.process(&mut block, &mut lines).map_err(|e| argument("force", e, "a stretch that can be transformed"))?;
    Ok(lines.iter().map(|z| z.norm() / sample_rate_hz).collect())
}

/// Share of its level at low frequencies down to which a hit is taken to excite: −20 dB.
pub const EXCITES_DOWN_TO: f64 = 0.1;

/// Up to which frequency a hit excites, Hz: where its spectrum first falls below `share` of its largest value,
/// smoothed over neighbouring lines so that a single noisy one does not end it.
pub fn excited_to(spectrum: &[f64], line_hz: f64, share: f64) -> f64 {
    let top = spectrum.iter().copied().fold(0.0, f64::max);
    let at = spectrum.windows(3).position(|w| w.iter().sum::<f64>() / 3.0 < share * top);
    line_hz * at.map_or(spectrum.len().saturating_sub(1), |k| k + 1) as f64
}

/// What is left of a ring-down at the end of a block: rms of the last twentieth over the largest rms of any
/// twentieth, 0 to 1. The mean of the last twentieth is no ringing.
pub fn still_ringing(response: &[f64]) -> f64 {
    let part = response.len().div_ceil(20).max(1);
    let rms = |x: &[f64]| {
        let mean = x.iter().sum::<f64>() / x.len() as f64;
        (x.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / x.len() as f64).sqrt()
    };
    let most = response.chunks(part).map(rms).fold(0.0, f64::max);
    let last = response.len().checked_sub(part).map_or(0.0, |from| rms(&response[from..]));
    if most > 0.0 { last / most } else { 0.0 }
}
