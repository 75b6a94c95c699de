//! Envelope by the analytic signal, and demodulation of a band.
//!
//! Source: Feldman, "Hilbert transform in vibration analysis", Mech. Syst. Signal Process. 25
//! (2011); Randall, "Vibration-based Condition Monitoring", ch. 5, for bearing diagnosis.

use crate::error::{Result, SignalError, check_finite};
use crate::filter::{Band, Filter};
use realfft::num_complex::Complex64;
use rustfft::FftPlanner;

/// Analytic signal of a whole stretch: the samples and, as imaginary part, their Hilbert transform.
///
/// The transform takes the stretch as periodic; ends that do not meet disturb some periods there.
///
/// # Errors
/// Fewer than 2 samples, a sample that is not finite.
pub fn analytic(samples: &[f64]) -> Result<Vec<Complex64>> {
    check_finite(samples)?;
    let n = samples.len();
    if n < 2 {
        return Err(SignalError::TooShort { what: "the analytic signal", have: n, need: 2 });
    }
    let mut planner = FftPlanner::new();
    let mut z: Vec<Complex64> = samples.iter().map(|x| Complex64::new(*x, 0.0)).collect();
    planner.plan_fft_forward(n).process(&mut z);
    // Positive lines twice, negative ones not; DC and an even stretch's Nyquist line as they are.
    let half = n.div_ceil(2);
    for line in &mut z[1..half] {
        *line *= 2.0;
    }
    for line in &mut z[n / 2 + 1..] {
        *line = Complex64::new(0.0, 0.0);
    }
    planner.plan_fft_inverse(n).process(&mut z);
    z.iter_mut().for_each(|z| *z /= n as f64);
    Ok(z)
}

/// Magnitude of the analytic signal of a band: the samples are band-passed (Butterworth of
/// `order`, forward and backward) and their envelope taken, in the unit of the samples.
///
/// # Errors
/// As [`analytic`]; edges or order out of range.
pub fn envelope(samples: &[f64], sample_rate_hz: f64, band_hz: (f64, f64), order: usize) -> Result<Vec<f64>> {
    let mut filter = Filter::butterworth(Band::Bandpass(band_hz.0, band_hz.1), order, sample_rate_hz)?;
    let mut x = samples.to_vec();
    filter.zero_phase(&mut x)?;
    Ok(analytic(&x)?.into_iter().map(Complex64::norm).collect())
}
