//! Moments and extremes of a stretch, whole or block by block.
//!
//! Population moments (divided by the number of samples); kurtosis of a Gaussian signal is 3.
//! Central moments are updated by the pairwise rule, which stays exact over long stretches.
//! Source: Pébay, "Formulas for robust, one-pass parallel computation of covariances and
//! arbitrary-order statistical moments", Sandia report SAND2008-6212; ISO 2041 for the terms.

use crate::error::{Result, SignalError, check_finite};

/// Statistics of a stretch, in the unit of the samples unless noted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Statistics {
    /// Samples seen.
    pub count: u64,
    /// Arithmetic mean.
    pub mean: f64,
    /// Root mean square, mean included.
    pub rms: f64,
    /// Population standard deviation.
    pub std: f64,
    /// Largest magnitude.
    pub peak: f64,
    /// Smallest value.
    pub min: f64,
    /// Largest value.
    pub max: f64,
    /// Largest minus smallest value.
    pub peak_to_peak: f64,
    /// Peak over rms; NaN for a stretch of zeros.
    pub crest_factor: f64,
    /// Third standardised moment, dimensionless; NaN for a constant.
    pub skewness: f64,
    /// Fourth standardised moment, dimensionless, 3 for Gaussian; NaN for a constant.
    pub kurtosis: f64,
}

/// Collects samples block by block; the order of blocks and their lengths do not matter.
#[derive(Debug, Clone, Copy)]
pub struct Moments {
    n: f64,
    mean: f64,
    m2: f64,
    m3: f64,
    m4: f64,
    min: f64,
    max: f64,
}

impl Default for Moments {
    fn default() -> Self {
        Moments { n: 0.0, mean: 0.0, m2: 0.0, m3: 0.0, m4: 0.0, min: f64::INFINITY, max: f64::NEG_INFINITY }
    }
}

impl Moments {
    /// Adds samples.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that block is added.
    pub fn push(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        // Two passes over a cache-sized piece, then one exact merge.
        for piece in samples.chunks(4096) {
            let n = piece.len() as f64;
            let mean = piece.iter().sum::<f64>() / n;
            let (mut m2, mut m3, mut m4) = (0.0, 0.0, 0.0);
            let (mut min, mut max) = (f64::INFINITY, f64::NEG_INFINITY);
            for &x in piece {
                let d = x - mean;
                let d2 = d * d;
                m2 += d2;
                m3 += d2 * d;
                m4 += d2 * d2;
                min = min.min(x);
                max = max.max(x);
            }
            self.merge(&Moments { n, mean, m2, m3, m4, min, max });
        }
        Ok(())
    }

    /// Adds what another collector has seen.
    pub fn merge(&mut self, o: &Moments) {
        if o.n == 0.0 {
            return;
        }
        if self.n == 0.0 {
            *self = *o;
            return;
        }
        let (na, nb) = (self.n, o.n);
        let n = na + nb;
        let d = o.mean - self.mean;
        let m2 = self.m2 + o.m2 + d * d * na * nb / n;
        let m3 = self.m3 + o.m3 + d.powi(3) * na * nb * (na - nb) / (n * n) + 3.0 * d * (na * o.m2 - nb * self.m2) / n;
        let m4 = self.m4
            + o.m4
            + d.powi(4) * na * nb * (na * na - na * nb + nb * nb) / (n * n * n)
            + 6.0 * d * d * (na * na * o.m2 + nb * nb * self.m2) / (n * n)
            + 4.0 * d * (na * o.m3 - nb * self.m3) / n;
        self.mean += d * nb / n;
        self.n = n;
        self.m2 = m2;
        self.m3 = m3;
        self.m4 = m4;
        self.min = self.min.min(o.min);
        self.max = self.max.max(o.max);
    }

    /// Statistics of everything so far.
    ///
    /// # Errors
    /// [`SignalError::TooShort`] when no sample has come.
    pub fn finish(&self) -> Result<Statistics> {
        if self.n == 0.0 {
            return Err(SignalError::TooShort { what: "statistics", have: 0, need: 1 });
        }
        let variance = self.m2 / self.n;
        let rms = (variance + self.mean * self.mean).sqrt();
        let peak = self.max.max(-self.min);
        Ok(Statistics {
            count: self.n as u64,
            mean: self.mean,
            rms,
            std: variance.sqrt(),
            peak,
            min: self.min,
            max: self.max,
            peak_to_peak: self.max - self.min,
            crest_factor: peak / rms,
            skewness: (self.m3 / self.n) / variance.powf(1.5),
            kurtosis: (self.m4 / self.n) / (variance * variance),
        })
    }
}

/// Statistics of a whole stretch.
///
/// # Errors
/// An empty stretch or a sample that is not finite.
pub fn statistics(samples: &[f64]) -> Result<Statistics> {
    let mut moments = Moments::default();
    moments.push(samples)?;
    moments.finish()
}
