//! Averaged one-sided spectra, whole or block by block.
//!
//! Blocks overlap, are weighted and transformed; squared magnitudes are averaged. DC and, for
//! even blocks, the Nyquist line exist once in a two-sided spectrum and are not doubled. Only
//! whole blocks count. Source: P. D. Welch, IEEE Trans. Audio Electroacoust. 15 (1967);
//! ISO 18431-1 and -2; Bendat & Piersol, "Random Data", for the random error.

use crate::confidence::Scatter;
use crate::error::{Result, SignalError, argument, check_finite, check_rate};
use crate::window::{Window, corrections};
pub use realfft::num_complex::Complex64;
use realfft::{RealFftPlanner, RealToComplex};
use std::sync::Arc;

/// How block spectra are brought together.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Averaging {
    /// Arithmetic mean of the squared magnitudes.
    Linear,
    /// Recursive mean with this time constant, in averages (1 or more).
    Exponential(f64),
    /// Largest squared magnitude on each line.
    PeakHold,
}

/// What the values of a spectrum mean, for samples in unit `u`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scaling {
    /// Amplitude of a sine, `u` peak.
    Peak,
    /// Whole height of a sine, `u` peak to peak.
    PeakToPeak,
    /// Root mean square of a sine, `u` rms.
    Rms,
    /// Mean square of a sine, `u²`.
    Power,
    /// Power spectral density, `u²/Hz`.
    Psd,
    /// Energy spectral density, `u²·s/Hz`: the power spectral density times the block's length.
    Esd,
}

/// Settings of a spectrum.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SpectrumSettings {
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Samples in a block, 2 or more.
    pub block: usize,
    /// Share of a block that the next one repeats, 0 ≤ overlap < 1.
    pub overlap: f64,
    /// Weighting of each block.
    pub window: Window,
    /// How blocks are averaged.
    pub averaging: Averaging,
}

/// Largest block accepted: 2²⁴ samples.
pub const LARGEST_BLOCK: usize = 1 << 24;

impl SpectrumSettings {
    /// Samples from the start of a block to the start of the next, 1 or more.
    pub fn hop(&self) -> usize {
        let repeat = (self.overlap * self.block as f64).round() as usize;
        (self.block - repeat.min(self.block)).max(1)
    }

    /// Distance between lines, Hz.
    pub fn line_spacing_hz(&self) -> f64 {
        self.sample_rate_hz / self.block as f64
    }

    /// Checks every setting.
    ///
    /// # Errors
    /// The first setting outside what is allowed, by name.
    pub fn check(&self) -> Result<()> {
        check_rate(self.sample_rate_hz)?;
        if !(2..=LARGEST_BLOCK).contains(&self.block) {
            return Err(argument("block", self.block, format!("2 to {LARGEST_BLOCK} samples")));
        }
        if !(0.0..1.0).contains(&self.overlap) {
            return Err(argument("overlap", self.overlap, "0 or more and below 1"));
        }
        if let Averaging::Exponential(n) = self.averaging
            && !(n.is_finite() && n >= 1.0)
        {
            return Err(argument("exponential time constant", n, "1 average or more"));
        }
        Ok(())
    }
}

/// Averaged squared magnitudes and what is needed to scale them.
#[derive(Debug, Clone)]
pub struct Spectrum {
    /// Mean square per line (scaling [`Scaling::Power`]), from DC to Nyquist.
    power: Vec<f64>,
    settings: SpectrumSettings,
    noise_bandwidth: f64,
    averages: usize,
    scatter: Scatter,
    /// Frequency of the first line, Hz.
    first_hz: f64,
    /// Sample rate after demodulation and decimation; the settings' own where there was none.
    rate_hz: f64,
}

impl Spectrum {
    pub(crate) fn from_parts(
        power: Vec<f64>,
        settings: SpectrumSettings,
        (weights, noise_bandwidth): (&[f64], f64),
        averages: usize,
        first_hz: f64,
        rate_hz: f64,
    ) -> Spectrum {
        let scatter = scatter(weights, settings.hop(), averages, settings.averaging);
        Spectrum { power, settings, noise_bandwidth, averages, scatter, first_hz, rate_hz }
    }

    /// Frequencies of the lines, Hz.
    pub fn frequencies_hz(&self) -> Vec<f64> {
        let df = self.line_spacing_hz();
        (0..self.power.len()).map(|k| self.first_hz + k as f64 * df).collect()
    }

    /// Distance between lines, Hz.
    pub fn line_spacing_hz(&self) -> f64 {
        self.rate_hz / self.settings.block as f64
    }

    /// Number of blocks averaged.
    pub fn averages(&self) -> usize {
        self.averages
    }

    /// Equivalent noise bandwidth of the window, lines.
    pub fn noise_bandwidth(&self) -> f64 {
        self.noise_bandwidth
    }

    /// Normalised random error of the power of a Gaussian signal: 1/√n for n independent blocks,
    /// corrected for their overlap. NaN for peak hold, which estimates no mean.
    pub fn random_error(&self) -> f64 {
        self.scatter.error
    }

    /// How the power of a Gaussian signal scatters; NaN for peak hold.
    pub fn scatter(&self) -> &Scatter {
        &self.scatter
    }

    /// Values in the wished scaling, one a line.
    pub fn values(&self, scaling: Scaling) -> Vec<f64> {
        let bandwidth = self.noise_bandwidth * self.line_spacing_hz();
        let density = match scaling {
            Scaling::Esd => self.settings.block as f64 / self.rate_hz / bandwidth,
            _ => 1.0 / bandwidth,
        };
        let last = self.power.len() - 1;
        let whole_band = self.first_hz == 0.0;
        self.power
            .iter()
            .enumerate()
            .map(|(k, &p)| match scaling {
                Scaling::Power => p,
                Scaling::Rms => p.sqrt(),
                Scaling::Peak | Scaling::PeakToPeak => {
                    let single = whole_band && (k == 0 || (k == last && self.settings.block.is_multiple_of(2)));
                    let peak = if single { p.sqrt() } else { (2.0 * p).sqrt() };
                    if scaling == Scaling::PeakToPeak { 2.0 * peak } else { peak }
                }
                Scaling::Psd | Scaling::Esd => p * density,
            })
            .collect()
    }
}

/// Time constants after which a block no longer counts in a recursive mean.
const FORGOTTEN: f64 = 40.0;

/// Blocks, and blocks that share samples, up to which the skewness of an average is reckoned.
const FEW: usize = 400;
const SHARING: usize = 32;

/// How averaged power scatters after overlap.
///
/// Blocks that share samples are correlated by the normalised autocorrelation of the window (Welch
/// 1967, eq. 14), so the error falls more slowly than 1/√n. A recursive mean weighs its blocks
/// unevenly: the sums run over the weights as they came about.
pub(crate) fn scatter(weights: &[f64], hop: usize, averages: usize, averaging: Averaging) -> Scatter {
    let energy: f64 = weights.iter().map(|w| w * w).sum();
    let correlation = |lag: usize| weights[lag * hop..].iter().zip(weights).map(|(a, b)| a * b).sum::<f64>() / energy;
    let shared: Vec<f64> = (1..averages).take_while(|j| j * hop < weights.len()).map(correlation).collect();
    let counts: Vec<f64> = match averaging {
        Averaging::Linear if averages <= FEW => vec![1.0 / averages as f64; averages],
        Averaging::Linear => Vec::new(),
        Averaging::Exponential(tau) => {
            let first = averages.saturating_sub((FORGOTTEN * tau).min(1e7) as usize);
            let mut left = 1.0;
            let counts = (first + 1..=averages).rev().map(|i| {
                let share = 1.0 / (i as f64).min(tau);
                let count = left * share;
                left *= 1.0 - share;
                count
            });
            counts.collect()
        }
        Averaging::PeakHold => return Scatter::plain(f64::NAN),
    };
    if !counts.is_empty() && counts.len() <= FEW && shared.len() <= SHARING {
        return Scatter::of(&counts, &shared);
    }
    // Sum over pairs of blocks `lag` apart of the product of what both count.
    let n = averages as f64;
    let paired = |lag: usize| match counts.get(lag.min(counts.len())..) {
        Some(later) if !counts.is_empty() => counts.iter().zip(later).map(|(a, b)| a * b).sum(),
        _ => (n - lag as f64) / (n * n),
    };
    let sum: f64 = shared.iter().zip(1..).map(|(r, lag)| 2.0 * paired(lag) * r * r).sum();
    Scatter::plain((paired(0) + sum).sqrt())
}

/// Collects blocks as samples come and keeps the average.
///
/// Gives the same spectrum for any division of the same samples into calls of [`Self::push`].
pub struct SpectrumProcessor {
    settings: SpectrumSettings,
    weights: Vec<f64>,
    noise_bandwidth: f64,
    fft: Arc<dyn RealToComplex<f64>>,
    scratch: Vec<Complex64>,
    input: Vec<f64>,
    output: Vec<Complex64>,
    pending: Vec<f64>,
    accumulated: Accumulator,
}

/// Running combination of squared magnitudes, shared with the zoomed spectrum.
pub(crate) struct Accumulator {
    pub(crate) sums: Vec<f64>,
    pub(crate) averages: usize,
    averaging: Averaging,
}

impl Accumulator {
    pub(crate) fn new(lines: usize, averaging: Averaging) -> Self {
        Accumulator { sums: vec![0.0; lines], averages: 0, averaging }
    }

    pub(crate) fn clear(&mut self) {
        self.sums.fill(0.0);
        self.averages = 0;
    }

    pub(crate) fn add(&mut self, lines: &[Complex64]) {
        self.averages += 1;
        match self.averaging {
            Averaging::Linear => {
                for (s, z) in self.sums.iter_mut().zip(lines) {
                    *s += z.norm_sqr();
                }
            }
            Averaging::Exponential(tau) => {
                let share = 1.0 / (self.averages as f64).min(tau);
                for (s, z) in self.sums.iter_mut().zip(lines) {
                    *s += share * (z.norm_sqr() - *s);
                }
            }
            Averaging::PeakHold => {
                for (s, z) in self.sums.iter_mut().zip(lines) {
                    *s = s.max(z.norm_sqr());
                }
            }
        }
    }

    pub(crate) fn mean(&self) -> Vec<f64> {
        let share = match self.averaging {
            Averaging::Linear => 1.0 / self.averages.max(1) as f64,
            _ => 1.0,
        };
        self.sums.iter().map(|s| s * share).collect()
    }
}

impl SpectrumProcessor {
    /// A processor with nothing averaged yet.
    ///
    /// # Errors
    /// As [`SpectrumSettings::check`], and a window shape out of range.
    pub fn new(settings: SpectrumSettings) -> Result<Self> {
        settings.check()?;
        let weights = settings.window.weights(settings.block)?;
        let fft = RealFftPlanner::<f64>::new().plan_fft_forward(settings.block);
        Ok(SpectrumProcessor {
            scratch: fft.make_scratch_vec(),
            input: fft.make_input_vec(),
            output: fft.make_output_vec(),
            accumulated: Accumulator::new(settings.block / 2 + 1, settings.averaging),
            pending: Vec::with_capacity(2 * settings.block),
            settings,
            noise_bandwidth: corrections(&weights).noise_bandwidth,
            weights,
            fft,
        })
    }

    /// Adds samples, in order.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        let (block, hop) = (self.settings.block, self.settings.hop());
        if self.pending.is_empty() {
            // Straight from the caller's slice while whole blocks last.
            let mut at = 0;
            while samples.len() - at >= block {
                self.transform(&samples[at..at + block]);
                at += hop;
            }
            self.pending.extend_from_slice(&samples[at..]);
            return Ok(());
        }
        self.pending.extend_from_slice(samples);
        let pending = std::mem::take(&mut self.pending);
        let mut at = 0;
        while pending.len() - at >= block {
            self.transform(&pending[at..at + block]);
            at += hop;
        }
        self.pending = pending;
        self.pending.drain(..at);
        Ok(())
    }

    fn transform(&mut self, block: &[f64]) {
        for ((to, x), w) in self.input.iter_mut().zip(block).zip(&self.weights) {
            *to = x * w;
        }
        self.fft
            .process_with_scratch(&mut self.input, &mut self.output, &mut self.scratch)
            .expect("buffers come from the same plan");
        self.accumulated.add(&self.output);
    }

    /// Blocks averaged so far.
    pub fn averages(&self) -> usize {
        self.accumulated.averages
    }

    /// Says that the next samples do not follow the last ones: no block reaches over the break.
    pub fn interrupt(&mut self) {
        self.pending.clear();
    }

    /// Forgets everything that came so far.
    pub fn restart(&mut self) {
        self.pending.clear();
        self.accumulated.clear();
    }

    /// The spectrum so far.
    ///
    /// # Errors
    /// [`SignalError::TooShort`] before the first whole block.
    pub fn finish(&self) -> Result<Spectrum> {
        if self.accumulated.averages == 0 {
            return Err(SignalError::TooShort { what: "a block", have: self.pending.len(), need: self.settings.block });
        }
        let sum: f64 = self.weights.iter().sum();
        let mut power = self.accumulated.mean();
        let last = power.len() - 1;
        let even = self.settings.block.is_multiple_of(2);
        for (k, p) in power.iter_mut().enumerate() {
            let sides = if k == 0 || (even && k == last) { 1.0 } else { 2.0 };
            *p *= sides / (sum * sum);
        }
        Ok(Spectrum::from_parts(
            power,
            self.settings,
            (&self.weights, self.noise_bandwidth),
            self.accumulated.averages,
            0.0,
            self.settings.sample_rate_hz,
        ))
    }
}

/// Spectrum of a whole stretch.
///
/// # Errors
/// As [`SpectrumProcessor`].
pub fn spectrum(samples: &[f64], settings: SpectrumSettings) -> Result<Spectrum> {
    let mut processor = SpectrumProcessor::new(settings)?;
    processor.push(samples)?;
    processor.finish()
}
