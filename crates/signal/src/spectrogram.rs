//! Spectra against time.
//!
//! Source: as for [`crate::spectrum`]; Allen & Rabiner, "A unified approach to short-time Fourier
//! analysis and synthesis", Proc. IEEE 65 (1977).

use crate::error::{Result, SignalError, argument, check_finite};
use crate::spectrum::{Scaling, SpectrumProcessor, SpectrumSettings};

/// Columns of a spectrogram.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Spectrogram {
    /// Middle of each column's samples from the start, s.
    pub times_s: Vec<f64>,
    /// Frequencies of the lines, Hz.
    pub frequencies_hz: Vec<f64>,
    /// One spectrum a column.
    pub columns: Vec<Vec<f64>>,
}

/// Makes columns as samples come: the same for any division of the input into calls.
///
/// A column begins every `interval_s` and averages the whole blocks in the interval, or the one
/// block that begins it where the interval is shorter than a block.
pub struct SpectrogramProcessor {
    settings: SpectrumSettings,
    /// Makes one column after the other; its plan and weights are found once.
    processor: SpectrumProcessor,
    scaling: Scaling,
    step: usize,
    span: usize,
    pending: Vec<f64>,
    /// Sample the pending ones begin at.
    at: u64,
    found: Spectrogram,
}

impl SpectrogramProcessor {
    /// A processor with no column yet; without an interval each block is a column.
    ///
    /// # Errors
    /// As [`SpectrumSettings::check`]; an interval shorter than a sample.
    pub fn new(settings: SpectrumSettings, scaling: Scaling, interval_s: Option<f64>) -> Result<Self> {
        let processor = SpectrumProcessor::new(settings)?;
        let step = match interval_s {
            None => settings.hop() as f64,
            Some(t) => (t * settings.sample_rate_hz).round(),
        };
        if !(1.0..=1e12).contains(&step) {
            let sample_s = 1.0 / settings.sample_rate_hz;
            let got = interval_s.unwrap_or(f64::NAN);
            return Err(argument("interval_s", got, format!("{sample_s} s, one sample, or more")));
        }
        let step = step as usize;
        Ok(SpectrogramProcessor {
            span: if interval_s.is_some() { step.max(settings.block) } else { settings.block },
            settings,
            processor,
            scaling,
            step,
            pending: Vec::new(),
            at: 0,
            found: Spectrogram::default(),
        })
    }

    /// Adds samples, in order.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        self.pending.extend_from_slice(samples);
        let mut from = 0;
        while self.pending.len() - from >= self.span {
            self.processor.restart();
            self.processor.push(&self.pending[from..from + self.span])?;
            let spectrum = self.processor.finish()?;
            if self.found.frequencies_hz.is_empty() {
                self.found.frequencies_hz = spectrum.frequencies_hz();
            }
            let middle = (self.at + from as u64) as f64 + self.span as f64 / 2.0;
            self.found.times_s.push(middle / self.settings.sample_rate_hz);
            self.found.columns.push(spectrum.values(self.scaling));
            from += self.step;
            if from > self.pending.len() {
                break;
            }
        }
        let done = from.min(self.pending.len());
        self.pending.drain(..done);
        self.at += done as u64;
        Ok(())
    }

    /// Says that the next sample is number `at`, and does not follow the last one.
    pub fn interrupt(&mut self, at: u64) {
        self.pending.clear();
        self.at = at;
    }

    /// The columns so far.
    ///
    /// # Errors
    /// [`SignalError::TooShort`] before the first column.
    pub fn finish(&self) -> Result<&Spectrogram> {
        if self.found.columns.is_empty() {
            return Err(SignalError::TooShort { what: "a column", have: self.pending.len(), need: self.span });
        }
        Ok(&self.found)
    }
}
