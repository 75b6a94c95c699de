//! Crossings of a pulse signal with hysteresis, read between samples.
//!
//! Source: Schmitt's comparator; the straight line between the two samples around the crossing.

use crate::error::{Result, argument, check_finite};

/// Which edge of a pulse counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Slope {
    /// From below the threshold to above.
    Rising,
    /// From above to below.
    Falling,
}

/// When a crossing counts.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PulseSettings {
    /// Value that is crossed, in the unit of the samples.
    pub threshold: f64,
    /// How far the signal must have been on the other side before, 0 or more.
    pub hysteresis: f64,
    /// Which edge counts.
    pub slope: Slope,
}

impl PulseSettings {
    /// Threshold halfway between the extremes of some samples, hysteresis a fifth of the way.
    ///
    /// # Errors
    /// A sample that is not finite; samples that never change, which hold no pulse.
    pub fn automatic(samples: &[f64], slope: Slope) -> Result<PulseSettings> {
        check_finite(samples)?;
        let high = samples.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let low = samples.iter().copied().fold(f64::INFINITY, f64::min);
        PulseSettings::between(low, high, slope)
    }

    /// As [`PulseSettings::automatic`] from extremes that are known.
    ///
    /// # Errors
    /// Extremes that are equal or not finite.
    pub fn between(low: f64, high: f64, slope: Slope) -> Result<PulseSettings> {
        if !(high > low && low.is_finite() && high.is_finite()) {
            return Err(argument("tacho.channel", "a signal that never changes", "a signal with pulses"));
        }
        Ok(PulseSettings { threshold: 0.5 * (low + high), hysteresis: 0.2 * (high - low), slope })
    }

    /// Checks both numbers.
    ///
    /// # Errors
    /// A threshold that is not finite, a hysteresis below 0 or not finite.
    pub fn check(&self) -> Result<()> {
        if !self.threshold.is_finite() {
            return Err(argument("tacho.threshold", self.threshold, "a finite number"));
        }
        if !(self.hysteresis.is_finite() && self.hysteresis >= 0.0) {
            return Err(argument("tacho.hysteresis", self.hysteresis, "0 or more"));
        }
        Ok(())
    }
}

/// Finds crossings as samples come; the same ones for any division of the input into calls.
#[derive(Debug, Clone)]
pub struct PulseDetector {
    settings: PulseSettings,
    armed: bool,
    last: Option<f64>,
    seen: u64,
}

impl PulseDetector {
    /// A detector before the first sample.
    ///
    /// # Errors
    /// As [`PulseSettings::check`].
    pub fn new(settings: PulseSettings) -> Result<PulseDetector> {
        settings.check()?;
        Ok(PulseDetector { settings, armed: false, last: None, seen: 0 })
    }

    /// Adds samples and appends the positions of crossings to `out`, in samples from the first.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64], out: &mut Vec<f64>) -> Result<()> {
        check_finite(samples)?;
        let sign = if self.settings.slope == Slope::Rising { 1.0 } else { -1.0 };
        for &x in samples {
            // Height above the threshold in the direction that counts.
            let height = sign * (x - self.settings.threshold);
            if height >= 0.0 {
                if self.armed
                    && let Some(last) = self.last
                {
                    // `last` is below 0, so the line between both crosses once.
                    out.push(self.seen as f64 - height / (height - last));
                }
                self.armed = false;
            } else if height < -self.settings.hysteresis || self.settings.hysteresis == 0.0 {
                self.armed = true;
            }
            self.last = Some(height);
            self.seen += 1;
        }
        Ok(())
    }

    /// Says that the next sample is number `at`, and does not follow the last one.
    pub fn interrupt(&mut self, at: u64) {
        self.armed = false;
        self.last = None;
        self.seen = at;
    }
}

/// Positions of all crossings of a whole stretch, in samples.
///
/// # Errors
/// As [`PulseDetector`].
pub fn pulses(samples: &[f64], settings: PulseSettings) -> Result<Vec<f64>> {
    let mut out = Vec::new();
    PulseDetector::new(settings)?.push(samples, &mut out)?;
    Ok(out)
}

/// Lengths of pulses: from each crossing up to the next one down, in samples, with the start.
///
/// # Errors
/// As [`PulseDetector`].
pub fn pulse_widths(samples: &[f64], settings: PulseSettings) -> Result<Vec<(f64, f64)>> {
    let other = if settings.slope == Slope::Rising { Slope::Falling } else { Slope::Rising };
    let starts = pulses(samples, settings)?;
    let ends = pulses(samples, PulseSettings { slope: other, ..settings })?;
    Ok(starts
        .iter()
        .filter_map(|&s| {
            let end = ends[ends.partition_point(|e| *e <= s)..].first()?;
            Some((s, end - s))
        })
        .collect())
}
