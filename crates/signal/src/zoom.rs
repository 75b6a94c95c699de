//! Zoomed spectra: a narrow band with lines closer than the sample rate and block would give.
//!
//! The band is shifted to zero by a complex demodulation, low-pass filtered and decimated; blocks
//! of the slower complex signal are then averaged as usual. Source: Thrane, "Zoom-FFT", 1980;
//! Crochiere & Rabiner, "Multirate Digital Signal Processing", for the linear-phase decimator.

use crate::error::{Result, SignalError, argument, check_finite};
use crate::resample::kaiser_beta;
use crate::spectrum::{Accumulator, Spectrum, SpectrumSettings};
use crate::window::{bessel_i0, corrections};
use realfft::num_complex::Complex64;
use rustfft::{Fft, FftPlanner};
use std::f64::consts::PI;
use std::sync::Arc;

/// The band that is looked at.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ZoomBand {
    /// Middle of the band, Hz.
    pub center_hz: f64,
    /// Width of the band, Hz.
    pub span_hz: f64,
}

/// Linear-phase low-pass for decimation by `factor`: pass band to 0.4, stop band from 0.6 of the
/// new rate, 100 dB down. Unit gain at DC, odd length.
fn decimator_taps(factor: usize) -> Vec<f64> {
    if factor == 1 {
        return vec![1.0];
    }
    let d = factor as f64;
    let transition = 0.2 / d;
    let attenuation = 105.0;
    let half = ((attenuation - 7.95) / (14.36 * transition) / 2.0).ceil() as i64;
    let beta = kaiser_beta(attenuation);
    let cutoff = 0.5 / d;
    let mut taps: Vec<f64> = (-half..=half)
        .map(|i| {
            let r = i as f64 / (half as f64 + 1.0);
            let w = bessel_i0(beta * (1.0 - r * r).sqrt()) / bessel_i0(beta);
            let x = 2.0 * cutoff * i as f64;
            let sinc = if i == 0 { 1.0 } else { (PI * x).sin() / (PI * x) };
            w * sinc
        })
        .collect();
    let sum: f64 = taps.iter().sum();
    taps.iter_mut().for_each(|t| *t /= sum);
    taps
}

/// Collects samples and keeps the averaged spectrum of a band.
pub struct ZoomProcessor {
    settings: SpectrumSettings,
    band: ZoomBand,
    factor: usize,
    taps: Vec<f64>,
    weights: Vec<f64>,
    fft: Arc<dyn Fft<f64>>,
    shifted: Vec<Complex64>,
    slow: Vec<Complex64>,
    seen: u64,
    accumulated: Accumulator,
}

impl ZoomProcessor {
    /// A processor for a band; `settings.block` counts samples of the decimated signal.
    ///
    /// # Errors
    /// As [`SpectrumSettings::check`]; a span of zero or less; a band that leaves 0 to Nyquist.
    pub fn new(settings: SpectrumSettings, band: ZoomBand) -> Result<Self> {
        settings.check()?;
        let nyquist = settings.sample_rate_hz / 2.0;
        if !(band.span_hz.is_finite() && band.span_hz > 0.0) {
            return Err(argument("zoom.span_hz", band.span_hz, "above 0 Hz"));
        }
        let (lo, hi) = (band.center_hz - band.span_hz / 2.0, band.center_hz + band.span_hz / 2.0);
        if !(lo > 0.0 && hi <= nyquist) {
            return Err(argument(
                "zoom.center_hz",
                band.center_hz,
                format!("a band inside 0 to {nyquist} Hz; this one is {lo} to {hi} Hz"),
            ));
        }
        // The span must fit the clean 80 % of the slow rate.
        let factor = ((0.8 * settings.sample_rate_hz / band.span_hz).floor() as usize).max(1);
        let weights = settings.window.weights(settings.block)?;
        Ok(ZoomProcessor {
            taps: decimator_taps(factor),
            fft: FftPlanner::new().plan_fft_forward(settings.block),
            accumulated: Accumulator::new(settings.block, settings.averaging),
            shifted: Vec::new(),
            slow: Vec::new(),
            seen: 0,
            settings,
            band,
            factor,
            weights,
        })
    }

    /// Sample rate of the decimated signal, Hz.
    pub fn slow_rate_hz(&self) -> f64 {
        self.settings.sample_rate_hz / self.factor as f64
    }

    /// Adds samples, in order.
    ///
    /// # Errors
    /// A sample that is not finite.
    pub fn push(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        let turn = self.band.center_hz / self.settings.sample_rate_hz;
        for &x in samples {
            let phase = -2.0 * PI * (turn * self.seen as f64).fract();
            self.shifted.push(Complex64::from_polar(x, phase));
            self.seen += 1;
        }
        let mut at = 0;
        while self.shifted.len() - at >= self.taps.len() {
            let z = self.shifted[at..].iter().zip(&self.taps).map(|(z, t)| z * t).sum();
            self.slow.push(z);
            at += self.factor;
            if at > self.shifted.len() {
                break;
            }
        }
        // A factor longer than what is left keeps its remainder for the next call.
        let done = at.min(self.shifted.len());
        debug_assert_eq!(done, at, "taps are longer than the factor");
        self.shifted.drain(..done);
        let (block, hop) = (self.settings.block, self.settings.hop());
        let mut at = 0;
        while self.slow.len() - at >= block {
            let mut buffer: Vec<Complex64> =
                self.slow[at..at + block].iter().zip(&self.weights).map(|(z, w)| z * w).collect();
            self.fft.process(&mut buffer);
            self.accumulated.add(&buffer);
            at += hop;
        }
        self.slow.drain(..at);
        Ok(())
    }

    /// Says that the next samples do not follow the last ones.
    pub fn interrupt(&mut self) {
        self.shifted.clear();
        self.slow.clear();
    }

    /// The spectrum of the band so far, lines from low to high frequency.
    ///
    /// # Errors
    /// [`SignalError::TooShort`] before the first whole block, in samples of the input.
    pub fn finish(&self) -> Result<Spectrum> {
        if self.accumulated.averages == 0 {
            return Err(SignalError::TooShort {
                what: "a zoomed block",
                have: self.seen as usize,
                need: (self.settings.block - 1) * self.factor + self.taps.len(),
            });
        }
        let block = self.settings.block;
        let rate = self.slow_rate_hz();
        let df = rate / block as f64;
        let sum: f64 = self.weights.iter().sum();
        let mean = self.accumulated.mean();
        let reach = ((self.band.span_hz / 2.0 / df).floor() as i64).min(block as i64 / 2 - 1);
        let power = (-reach..=reach).map(|k| 2.0 * mean[k.rem_euclid(block as i64) as usize] / (sum * sum)).collect();
        Ok(Spectrum::from_parts(
            power,
            self.settings,
            (&self.weights, corrections(&self.weights).noise_bandwidth),
            self.accumulated.averages,
            self.band.center_hz - reach as f64 * df,
            rate,
        ))
    }
}
