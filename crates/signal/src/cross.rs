//! Averaged cross spectra of several references and several outputs, block by block.
//!
//! Cross spectra are `Gxy = mean(conj(X)·Y)`, one-sided and scaled as densities. Only whole blocks
//! count, and every channel's block begins at the same sample. Source: Bendat & Piersol, "Random
//! Data", ch. 5 and 7; ISO 18431-1.

use crate::confidence::Scatter;
use crate::error::{Result, SignalError, argument, check_finite};
use crate::spectrum::{Averaging, SpectrumSettings, scatter};
use realfft::num_complex::Complex64;
use realfft::{RealFftPlanner, RealToComplex};
use std::sync::Arc;

/// Averaged cross and auto densities. Channels `0..references` are the references, the others the
/// outputs.
#[derive(Debug, Clone)]
pub struct CrossSpectra {
    /// Number of references, r.
    pub references: usize,
    /// Number of outputs, m.
    pub outputs: usize,
    /// `Gxx`, one r × r matrix a line, row-major: `[line][j·r + k] = mean(conj(Xⱼ)·Xₖ)`.
    pub between_references: Vec<Vec<Complex64>>,
    /// `Gxy`, one r × m matrix a line, row-major: `[line][j·m + k] = mean(conj(Xⱼ)·Yₖ)`.
    pub to_outputs: Vec<Vec<Complex64>>,
    /// `Gyy`, m values a line.
    pub of_outputs: Vec<Vec<f64>>,
    /// Blocks averaged.
    pub averages: usize,
    /// Frequencies, Hz.
    pub frequencies_hz: Vec<f64>,
    /// How the auto densities scatter, as [`crate::spectrum::Spectrum::scatter`].
    pub scatter: Scatter,
}

/// What is done to a block of all channels before it is weighted: references first, then outputs.
pub type Condition = dyn Fn(&mut [Vec<f64>]) + Send;

/// Collects blocks of references and outputs that were sampled together.
///
/// Gives the same for any division of the same samples into calls of [`Self::push`].
pub struct CrossProcessor {
    settings: SpectrumSettings,
    weights: Vec<f64>,
    fft: Arc<dyn RealToComplex<f64>>,
    scratch: Vec<Complex64>,
    pending: Vec<Vec<f64>>,
    block: Vec<Vec<f64>>,
    spectra: Vec<Vec<Complex64>>,
    condition: Option<Box<Condition>>,
    references: usize,
    sums: Sums,
    averages: usize,
}

struct Sums {
    xx: Vec<Vec<Complex64>>,
    xy: Vec<Vec<Complex64>>,
    yy: Vec<Vec<f64>>,
}

impl CrossProcessor {
    /// A processor for `references` and `outputs` channels, 1 or more of each.
    ///
    /// # Errors
    /// As [`SpectrumSettings::check`]; no reference or no output; peak hold, which keeps no phase.
    pub fn new(settings: SpectrumSettings, references: usize, outputs: usize) -> Result<Self> {
        settings.check()?;
        if references == 0 || outputs == 0 {
            return Err(argument(
                "channels",
                format!("{references} references, {outputs} outputs"),
                "1 or more of each",
            ));
        }
        if settings.averaging == Averaging::PeakHold {
            return Err(argument("averaging", "peak_hold", "linear or exponential where phase is kept"));
        }
        let weights = settings.window.weights(settings.block)?;
        let fft = RealFftPlanner::<f64>::new().plan_fft_forward(settings.block);
        let lines = settings.block / 2 + 1;
        let zero = Complex64::new(0.0, 0.0);
        let all = references + outputs;
        Ok(CrossProcessor {
            scratch: fft.make_scratch_vec(),
            pending: vec![Vec::new(); all],
            block: vec![vec![0.0; settings.block]; all],
            spectra: vec![fft.make_output_vec(); all],
            condition: None,
            sums: Sums {
                xx: vec![vec![zero; references * references]; lines],
                xy: vec![vec![zero; references * outputs]; lines],
                yy: vec![vec![0.0; outputs]; lines],
            },
            settings,
            weights,
            fft,
            references,
            averages: 0,
        })
    }

    /// Has `condition` change every block of samples before it is weighted, as the force and
    /// exponential windows of an impact test do.
    #[must_use]
    pub fn conditioned(mut self, condition: Box<Condition>) -> Self {
        self.condition = Some(condition);
        self
    }

    /// Adds samples: one slice a channel, all of the same length, references first.
    ///
    /// # Errors
    /// A wrong number of slices, slices of different lengths, a sample that is not finite; nothing
    /// of that call is added.
    pub fn push(&mut self, channels: &[&[f64]]) -> Result<()> {
        if channels.len() != self.pending.len() {
            return Err(argument("channels", channels.len(), format!("{} slices", self.pending.len())));
        }
        if channels.iter().any(|c| c.len() != channels[0].len()) {
            return Err(argument("channels", "slices of different lengths", "slices of one length"));
        }
        for c in channels {
            check_finite(c)?;
        }
        for (held, c) in self.pending.iter_mut().zip(channels) {
            held.extend_from_slice(c);
        }
        let (size, hop) = (self.settings.block, self.settings.hop());
        let mut at = 0;
        while self.pending[0].len() - at >= size {
            for (block, held) in self.block.iter_mut().zip(&self.pending) {
                block.copy_from_slice(&held[at..at + size]);
            }
            self.add_block();
            at += hop;
            if at > self.pending[0].len() {
                break;
            }
        }
        for held in &mut self.pending {
            held.drain(..at);
        }
        Ok(())
    }

    fn add_block(&mut self) {
        if let Some(condition) = &self.condition {
            condition(&mut self.block);
        }
        for (block, lines) in self.block.iter_mut().zip(&mut self.spectra) {
            block.iter_mut().zip(&self.weights).for_each(|(x, w)| *x *= w);
            self.fft.process_with_scratch(block, lines, &mut self.scratch).expect("buffers come from the same plan");
        }
        self.averages += 1;
        // Sums for a linear mean, a share towards the newest for an exponential one.
        let (keep, share) = match self.settings.averaging {
            Averaging::Exponential(tau) => {
                let share = 1.0 / (self.averages as f64).min(tau);
                (1.0 - share, share)
            }
            _ => (1.0, 1.0),
        };
        let (r, m) = (self.references, self.pending.len() - self.references);
        let (x, y) = self.spectra.split_at(r);
        for line in 0..self.sums.yy.len() {
            for j in 0..r {
                let conjugate = x[j][line].conj();
                for k in 0..r {
                    let to = &mut self.sums.xx[line][j * r + k];
                    *to = *to * keep + conjugate * x[k][line] * share;
                }
                for k in 0..m {
                    let to = &mut self.sums.xy[line][j * m + k];
                    *to = *to * keep + conjugate * y[k][line] * share;
                }
            }
            for k in 0..m {
                let to = &mut self.sums.yy[line][k];
                *to = *to * keep + y[k][line].norm_sqr() * share;
            }
        }
    }

    /// Says that the next samples do not follow the last ones: no block reaches over the break.
    pub fn interrupt(&mut self) {
        self.pending.iter_mut().for_each(Vec::clear);
    }

    /// Blocks averaged so far.
    pub fn averages(&self) -> usize {
        self.averages
    }

    /// The densities so far, `unit·unit/Hz`.
    ///
    /// # Errors
    /// [`SignalError::TooShort`] before the first whole block.
    pub fn finish(&self) -> Result<CrossSpectra> {
        if self.averages == 0 {
            return Err(SignalError::TooShort {
                what: "a block",
                have: self.pending[0].len(),
                need: self.settings.block,
            });
        }
        let squares: f64 = self.weights.iter().map(|w| w * w).sum();
        let mean = match self.settings.averaging {
            Averaging::Linear => 1.0 / self.averages as f64,
            _ => 1.0,
        };
        let last = self.sums.yy.len() - 1;
        let even = self.settings.block.is_multiple_of(2);
        let scale = |line: usize| {
            let sides = if line == 0 || (even && line == last) { 1.0 } else { 2.0 };
            sides * mean / (squares * self.settings.sample_rate_hz)
        };
        let complex = |sums: &Vec<Vec<Complex64>>| -> Vec<Vec<Complex64>> {
            sums.iter().enumerate().map(|(k, row)| row.iter().map(|z| z * scale(k)).collect()).collect()
        };
        let df = self.settings.line_spacing_hz();
        Ok(CrossSpectra {
            references: self.references,
            outputs: self.pending.len() - self.references,
            between_references: complex(&self.sums.xx),
            to_outputs: complex(&self.sums.xy),
            of_outputs: self
                .sums
                .yy
                .iter()
                .enumerate()
                .map(|(k, row)| row.iter().map(|p| p * scale(k)).collect())
                .collect(),
            averages: self.averages,
            frequencies_hz: (0..=last).map(|k| k as f64 * df).collect(),
            scatter: scatter(&self.weights, self.settings.hop(), self.averages, self.settings.averaging),
        })
    }
}

/// Cross spectra of whole stretches: references first, then outputs.
///
/// # Errors
/// As [`CrossProcessor`].
pub fn cross_spectra(references: &[&[f64]], outputs: &[&[f64]], settings: SpectrumSettings) -> Result<CrossSpectra> {
    let mut processor = CrossProcessor::new(settings, references.len(), outputs.len())?;
    processor.push(&references.iter().chain(outputs).copied().collect::<Vec<_>>())?;
    processor.finish()
}
