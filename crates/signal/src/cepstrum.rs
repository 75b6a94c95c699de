//! Power cepstrum: families of evenly spaced lines as single peaks.
//!
//! Source: Randall, "A history of cepstrum analysis and its application to mechanical problems",
//! Mech. Syst. Signal Process. 97 (2017).

use crate::error::{Result, SignalError, argument};
use crate::spectrum::{Scaling, Spectrum};
use realfft::RealFftPlanner;
use realfft::num_complex::Complex64;

/// Values against quefrency.
#[derive(Debug, Clone, PartialEq)]
pub struct Cepstrum {
    /// Quefrency, s.
    pub quefrencies_s: Vec<f64>,
    /// Real cepstrum of the power, natural logarithm, dimensionless.
    pub values: Vec<f64>,
}

/// Inverse transform of the logarithm of an averaged power spectrum from 0 Hz to Nyquist.
///
/// Lines more than 300 dB below the highest are raised to there, since nothing has no logarithm.
///
/// # Errors
/// A zoomed spectrum, or one without any power.
pub fn cepstrum(spectrum: &Spectrum) -> Result<Cepstrum> {
    let power = spectrum.values(Scaling::Power);
    let frequencies = spectrum.frequencies_hz();
    if frequencies[0] != 0.0 {
        return Err(argument("spectrum", "a zoomed band", "a spectrum from 0 Hz to Nyquist"));
    }
    if power.len() < 2 {
        return Err(SignalError::TooShort { what: "a cepstrum", have: power.len(), need: 2 });
    }
    let top = power.iter().copied().fold(0.0, f64::max);
    if top <= 0.0 {
        return Err(argument("spectrum", "zero everywhere", "a spectrum with power"));
    }
    let size = 2 * (power.len() - 1);
    let inverse = RealFftPlanner::<f64>::new().plan_fft_inverse(size);
    let mut lines: Vec<Complex64> =
        power.iter().map(|p| Complex64::new(p.max(top * 1e-30).ln() / size as f64, 0.0)).collect();
    let mut values = inverse.make_output_vec();
    inverse.process(&mut lines, &mut values).expect("buffers come from the same plan");
    values.truncate(size / 2 + 1);
    let rate = 2.0 * frequencies[frequencies.len() - 1];
    Ok(Cepstrum { quefrencies_s: (0..values.len()).map(|k| k as f64 / rate).collect(), values })
}
