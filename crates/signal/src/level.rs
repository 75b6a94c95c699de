//! Overall level in a band against time.
//!
//! Source: ISO 20816-1 (true rms in a band, 10 Hz to 1 kHz for machinery); ISO 2041 for the terms.

use crate::error::{Result, argument, check_finite, check_rate};
use crate::filter::{Band, Filter};

/// What is read from the band-passed signal in each interval.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reading {
    /// Root mean square.
    Rms,
    /// Largest magnitude.
    Peak,
}

/// Order of the Butterworth band-pass on either side.
pub const ORDER: usize = 4;

/// Levels interval by interval. The band-pass runs one way and carries over between intervals.
#[derive(Debug, Clone)]
pub struct LevelProcessor {
    filter: Option<Filter>,
    interval: usize,
    reading: Reading,
    held: f64,
    count: usize,
    work: Vec<f64>,
}

impl LevelProcessor {
    /// Levels in a band (all frequencies where none is given) every `interval_s`.
    ///
    /// # Errors
    /// Edges out of range; an interval shorter than a sample.
    pub fn new(
        sample_rate_hz: f64,
        band_hz: Option<(f64, f64)>,
        reading: Reading,
        interval_s: f64,
    ) -> Result<LevelProcessor> {
        check_rate(sample_rate_hz)?;
        let filter =
            band_hz.map(|(lo, hi)| Filter::butterworth(Band::Bandpass(lo, hi), ORDER, sample_rate_hz)).transpose()?;
        let interval = (interval_s * sample_rate_hz).round();
        if !(1.0..=1e12).contains(&interval) {
            return Err(argument("interval_s", interval_s, format!("{} s, one sample, or more", 1.0 / sample_rate_hz)));
        }
        Ok(LevelProcessor { filter, interval: interval as usize, reading, held: 0.0, count: 0, work: Vec::new() })
    }

    /// Samples in an interval.
    pub fn interval(&self) -> usize {
        self.interval
    }

    /// Lets the filter settle on samples that come before the first interval, without reading them.
    ///
    /// # Errors
    /// A sample that is not finite.
    pub fn settle(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        if let Some(f) = &mut self.filter {
            f.run(&mut samples.to_vec());
        }
        Ok(())
    }

    /// Adds samples and appends the level of every interval that is full.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64], out: &mut Vec<f64>) -> Result<()> {
        check_finite(samples)?;
        self.work.clear();
        self.work.extend_from_slice(samples);
        if let Some(f) = &mut self.filter {
            f.run(&mut self.work);
        }
        for x in &self.work {
            match self.reading {
                Reading::Rms => self.held += x * x,
                Reading::Peak => self.held = self.held.max(x.abs()),
            }
            self.count += 1;
            if self.count == self.interval {
                out.push(match self.reading {
                    Reading::Rms => (self.held / self.interval as f64).sqrt(),
                    Reading::Peak => self.held,
                });
                (self.held, self.count) = (0.0, 0);
            }
        }
        Ok(())
    }
}
