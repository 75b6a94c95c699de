//! Envelope by the analytic signal, and demodulation of a band.
//!
//! Source: Feldman, "Hilbert transform in vibration analysis", Mech. Syst. Signal Process. 25
//! (2011); Randall, "Vibration-based Condition Monitoring", ch. 5, for bearing diagnosis.

use crate::error::{Result, SignalError, argument, check_finite};
use crate::filter::{Band, Filter};
use realfft::num_complex::Complex64;
use realfft::{RealFftPlanner, RealToComplex};
use rustfft::{Fft, FftPlanner};
use std::sync::Arc;

/// Above this many samples a stretch of awkward length is transformed at a longer one.
const LONG: usize = 1 << 16;

/// Whether a number has no prime factor above 5.
fn smooth(mut n: usize) -> bool {
    for p in [2, 3, 5] {
        while n.is_multiple_of(p) {
            n /= p;
        }
    }
    n == 1
}

/// Makes analytic signals of stretches of one length; what the transforms need is found once.
///
/// The transform takes the stretch as periodic; ends that do not meet disturb some periods there. A
/// stretch of more than 65 536 samples whose number has a prime factor above 5 is continued by its
/// mirror image to the next number that has none.
pub struct Analytic {
    samples: usize,
    /// Length of the transforms.
    long: usize,
    forward: Arc<dyn RealToComplex<f64>>,
    inverse: Arc<dyn Fft<f64>>,
}

impl Analytic {
    /// For stretches of so many samples.
    ///
    /// # Errors
    /// Fewer than 2 samples.
    pub fn new(samples: usize) -> Result<Analytic> {
        if samples < 2 {
            return Err(SignalError::TooShort { what: "the analytic signal", have: samples, need: 2 });
        }
        let long = if samples > LONG && !smooth(samples) {
            (samples + 1..2 * samples - 1).find(|m| smooth(*m)).unwrap_or(samples)
        } else {
            samples
        };
        Ok(Analytic {
            samples,
            long,
            forward: RealFftPlanner::new().plan_fft_forward(long),
            inverse: FftPlanner::new().plan_fft_inverse(long),
        })
    }

    /// The samples and, as imaginary part, their Hilbert transform.
    ///
    /// # Errors
    /// Another number of samples than it was made for, a sample that is not finite.
    pub fn signal(&self, samples: &[f64]) -> Result<Vec<Complex64>> {
        check_finite(samples)?;
        let n = self.samples;
        if samples.len() != n {
            return Err(argument("samples", samples.len(), format!("{n} samples")));
        }
        let mut x = Vec::with_capacity(self.long);
        x.extend_from_slice(samples);
        x.extend(samples.iter().rev().skip(1).take(self.long - n));
        let mut z = Vec::with_capacity(self.long);
        z.resize(self.long / 2 + 1, Complex64::new(0.0, 0.0));
        self.forward.process(&mut x, &mut z).map_err(|e| argument("samples", e, "samples that can be transformed"))?;
        // Positive lines twice, negative ones not; DC and an even stretch's Nyquist line as they are.
        let share = 1.0 / self.long as f64;
        for (k, line) in z.iter_mut().enumerate() {
            *line *= if k == 0 || 2 * k == self.long { share } else { 2.0 * share };
        }
        z.resize(self.long, Complex64::new(0.0, 0.0));
        self.inverse.process(&mut z);
        z.truncate(n);
        Ok(z)
    }

    /// Magnitude of the analytic signal of a band: the samples are band-passed (Butterworth of
    /// `order`, forward and backward) and their envelope taken, in the unit of the samples.
    ///
    /// # Errors
    /// As [`Self::signal`]; edges or order out of range.
    pub fn envelope(
        &self,
        samples: &[f64],
        sample_rate_hz: f64,
        band_hz: (f64, f64),
        order: usize,
    ) -> Result<Vec<f64>> {
        let mut filter = Filter::butterworth(Band::Bandpass(band_hz.0, band_hz.1), order, sample_rate_hz)?;
        let mut x = samples.to_vec();
        filter.zero_phase(&mut x)?;
        // Far from the ends of what a number can hold, the plain root is exact enough and quick.
        Ok(self.signal(&x)?.into_iter().map(|z| z.norm_sqr().sqrt()).collect())
    }
}

/// Analytic signal of one whole stretch, as [`Analytic::signal`].
///
/// # Errors
/// Fewer than 2 samples, a sample that is not finite.
pub fn analytic(samples: &[f64]) -> Result<Vec<Complex64>> {
    check_finite(samples)?;
    Analytic::new(samples.len())?.signal(samples)
}

/// Envelope of one whole stretch, as [`Analytic::envelope`].
///
/// # Errors
/// As [`analytic`]; edges or order out of range.
pub fn envelope(samples: &[f64], sample_rate_hz: f64, band_hz: (f64, f64), order: usize) -> Result<Vec<f64>> {
    Analytic::new(samples.len())?.envelope(samples, sample_rate_hz, band_hz, order)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    #[test]
    fn an_awkward_length_has_the_same_envelope() {
        // 65 537 is prime: the stretch is continued by its mirror image.
        let n = LONG + 1;
        let modulated = |i: usize| (1.0 + 0.5 * (TAU * i as f64 / 8000.0).cos()) * (TAU * i as f64 / 16.0).cos();
        let samples: Vec<f64> = (0..n).map(modulated).collect();
        let made = Analytic::new(n).unwrap();
        assert!(made.signal(&samples[1..]).is_err() && Analytic::new(1).is_err());
        let z = made.signal(&samples).unwrap();
        assert_eq!(z.len(), n);
        for (i, z) in z.iter().enumerate().skip(2000).take(n - 4000) {
            let wanted = 1.0 + 0.5 * (TAU * i as f64 / 8000.0).cos();
            assert!((z.norm() - wanted).abs() < 2e-3, "{i}: {} for {wanted}", z.norm());
            assert!((z.re - samples[i]).abs() < 1e-9, "the samples themselves stay");
        }
        assert!(smooth(1 << 20) && smooth(3 * 5 * 64) && !smooth(7) && !smooth(65_537));
    }
}
