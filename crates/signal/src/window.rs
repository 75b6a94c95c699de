//! Weighting functions for block spectra and their corrections.
//!
//! All windows are periodic (DFT-even): the sample after the last one would repeat the first.
//! Source: F. J. Harris, "On the use of windows for harmonic analysis with the discrete Fourier
//! transform", Proc. IEEE 66 (1978); ISO 18431-2 for flat-top; Kaiser 1974.

use crate::error::{Result, argument};
use std::f64::consts::PI;

/// A weighting function.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Window {
    /// No weighting.
    Rectangular,
    /// Raised cosine.
    Hann,
    /// Raised cosine on a pedestal.
    Hamming,
    /// Five-term flat-top: amplitudes between lines read within 0.01 dB.
    FlatTop,
    /// Four-term Blackman-Harris, highest side lobe −92 dB.
    BlackmanHarris,
    /// Kaiser-Bessel with shape β ≥ 0.
    Kaiser(f64),
    /// Cosine-tapered with this share of the block tapered, 0 to 1.
    Tukey(f64),
}

/// What a window does to levels; all dimensionless.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Corrections {
    /// Mean of the weights: a sine on a line reads its amplitude times this.
    pub coherent_gain: f64,
    /// Equivalent noise bandwidth in lines.
    pub noise_bandwidth: f64,
    /// Largest loss of a sine halfway between two lines, dB (positive).
    pub scallop_loss_db: f64,
}

const FLAT_TOP: [f64; 5] = [0.21557895, 0.41663158, 0.277263158, 0.083578947, 0.006947368];
const BLACKMAN_HARRIS: [f64; 4] = [0.35875, 0.48829, 0.14128, 0.01168];

impl Window {
    /// Weights for a block of `block` samples.
    ///
    /// # Errors
    /// `block` below 1, Kaiser β negative or not finite, Tukey share outside 0 to 1.
    pub fn weights(&self, block: usize) -> Result<Vec<f64>> {
        if block == 0 {
            return Err(argument("block", 0, "1 sample or more"));
        }
        let n = block as f64;
        let cosines = |a: &[f64]| -> Vec<f64> {
            (0..block)
                .map(|i| {
                    let phase = 2.0 * PI * i as f64 / n;
                    a.iter()
                        .enumerate()
                        .map(|(k, c)| {
                            let sign = if k % 2 == 0 { 1.0 } else { -1.0 };
                            sign * c * (k as f64 * phase).cos()
                        })
                        .sum()
                })
                .collect()
        };
        Ok(match *self {
            Window::Rectangular => vec![1.0; block],
            Window::Hann => cosines(&[0.5, 0.5]),
            Window::Hamming => cosines(&[0.54, 0.46]),
            Window::FlatTop => cosines(&FLAT_TOP),
            Window::BlackmanHarris => cosines(&BLACKMAN_HARRIS),
            Window::Kaiser(beta) => {
                if !(beta.is_finite() && (0.0..=700.0).contains(&beta)) {
                    return Err(argument("Kaiser shape", beta, "0 to 700"));
                }
                let top = bessel_i0(beta);
                (0..block)
                    .map(|i| {
                        let r = 2.0 * i as f64 / n - 1.0;
                        bessel_i0(beta * (1.0 - r * r).max(0.0).sqrt()) / top
                    })
                    .collect()
            }
            Window::Tukey(share) => {
                if !(0.0..=1.0).contains(&share) {
                    return Err(argument("Tukey share", share, "0 to 1"));
                }
                let taper = share * n / 2.0;
                (0..block)
                    .map(|i| {
                        // Distance to the nearer end of the periodic block.
                        let edge = (i as f64).min(n - i as f64);
                        if edge >= taper { 1.0 } else { 0.5 * (1.0 - (PI * edge / taper).cos()) }
                    })
                    .collect()
            }
        })
    }

    /// Half the width of the main lobe in lines: how far a peak reaches on either side.
    pub fn main_lobe_lines(&self) -> f64 {
        match *self {
            Window::Rectangular => 1.0,
            Window::Hann | Window::Hamming => 2.0,
            Window::FlatTop => 5.0,
            Window::BlackmanHarris => 4.0,
            Window::Kaiser(beta) => (1.0 + (beta / PI).powi(2)).sqrt(),
            Window::Tukey(share) => 1.0 + share,
        }
    }
}

/// Magnitude of the transform of `weights` at a fractional line.
pub(crate) fn transform_at(weights: &[f64], offset: f64) -> f64 {
    /// Steps of the turning vector from one exact place to the next.
    const EXACT_EVERY: usize = 64;
    let step = 2.0 * PI * offset / weights.len() as f64;
    let (sin, cos) = step.sin_cos();
    let (mut re, mut im) = (0.0, 0.0);
    for (block, part) in weights.chunks(EXACT_EVERY).enumerate() {
        let (mut s, mut c) = (step * (block * EXACT_EVERY) as f64).sin_cos();
        for w in part {
            re += w * c;
            im -= w * s;
            (s, c) = (s * cos + c * sin, c * cos - s * sin);
        }
    }
    re.hypot(im)
}

/// Corrections of given weights (not empty, sum not zero).
pub fn corrections(weights: &[f64]) -> Corrections {
    let n = weights.len() as f64;
    let sum: f64 = weights.iter().sum();
    let squares: f64 = weights.iter().map(|w| w * w).sum();
    Corrections {
        coherent_gain: sum / n,
        noise_bandwidth: n * squares / (sum * sum),
        scallop_loss_db: -20.0 * (transform_at(weights, 0.5) / sum).log10(),
    }
}

/// Modified Bessel function of the first kind, order zero, by its power series.
pub(crate) fn bessel_i0(x: f64) -> f64 {
    let quarter = x * x / 4.0;
    let (mut sum, mut term, mut k) = (1.0, 1.0, 1.0);
    loop {
        term *= quarter / (k * k);
        sum += term;
        if term < sum * 1e-17 {
            return sum;
        }
        k += 1.0;
    }
}
