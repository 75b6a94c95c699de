//! Change of the sample rate by a ratio of whole numbers.
//!
//! A linear-phase low-pass in polyphase form: a Kaiser-windowed sinc that passes 80 % of the lower
//! of the two Nyquist frequencies and is more than 100 dB down from the new one on. Source:
//! Crochiere & Rabiner, "Multirate Digital Signal Processing", ch. 4; Kaiser 1974.

use crate::error::{Result, SignalError, argument, check_finite, check_rate};
use crate::numeric::dot;
use crate::window::bessel_i0;
use std::f64::consts::PI;

/// Share of the lower Nyquist frequency that passes unchanged.
pub const PASS_SHARE: f64 = 0.8;

/// Stop band the filter is designed for, dB; 100 dB are promised.
const ATTENUATION_DB: f64 = 106.0;

/// Most coefficients a resampler may hold.
const MOST_TAPS: usize = 1 << 22;

/// A resampler with memory: the same output for any division of the input into calls.
///
/// Output sample `k` stands at the time of input sample `k·down/up`: the filter's delay is taken
/// out. Before the first and after the last sample the signal is taken to stay constant.
#[derive(Debug, Clone)]
pub struct Resampler {
    up: u64,
    down: u64,
    /// Taps of every phase, one after the other, each `2·reach + 1` long.
    phases: Vec<f64>,
    reach: usize,
    /// Input samples from `first` on.
    held: Vec<f64>,
    /// Index of the first held sample, counted with `reach` copies of the first sample in front.
    first: u64,
    seen: u64,
    next_output: u64,
    last: f64,
}

fn gcd(a: u64, b: u64) -> u64 {
    if b == 0 { a } else { gcd(b, a % b) }
}

/// The whole numbers `(up, down)` that turn one rate into another.
///
/// # Errors
/// A rate that is not above 0, or a ratio that no numbers up to 100 000 make.
pub fn ratio(from_hz: f64, to_hz: f64) -> Result<(u64, u64)> {
    check_rate(from_hz)?;
    if !(to_hz.is_finite() && to_hz > 0.0) {
        return Err(argument("rate_hz", to_hz, "a finite number above 0"));
    }
    // Continued fraction of to/from until it is exact to rounding.
    let wanted = to_hz / from_hz;
    let (mut x, mut p, mut q) = (wanted, (1.0f64, wanted.floor()), (0.0f64, 1.0f64));
    for _ in 0..40 {
        if p.1 > 1e5 || q.1 > 1e5 {
            break;
        }
        if p.1 > 0.0 && (p.1 / q.1 / wanted - 1.0).abs() < 1e-12 {
            return Ok((p.1 as u64, q.1 as u64));
        }
        x = 1.0 / (x - x.floor());
        let a = x.floor();
        p = (p.1, a * p.1 + p.0);
        q = (q.1, a * q.1 + q.0);
    }
    Err(argument("rate_hz", to_hz, format!("{from_hz} Hz times a ratio of whole numbers up to 100000")))
}

/// Kaiser's β for a stop band.
pub(crate) fn kaiser_beta(attenuation_db: f64) -> f64 {
    0.1102 * (attenuation_db - 8.7)
}

impl Resampler {
    /// A resampler that makes `up` samples of `down`.
    ///
    /// # Errors
    /// A number of 0, or a ratio that needs more than 2²² coefficients.
    pub fn new(up: u64, down: u64) -> Result<Resampler> {
        if up == 0 || down == 0 || up > 1 << 20 || down > 1 << 20 {
            return Err(argument("resampling ratio", format!("{up}/{down}"), "whole numbers from 1 to 2²⁰"));
        }
        let common = gcd(up, down);
        let (up, down) = (up / common, down / common);
        if up == 1 && down == 1 {
            return Ok(Resampler::with_phases(1, 1, vec![1.0], 0));
        }
        // All frequencies in cycles a sample of the fast, common rate.
        let slower = up.max(down) as f64;
        let (pass, stop) = (PASS_SHARE * 0.5 / slower, 0.5 / slower);
        let half = ((ATTENUATION_DB - 7.95) / (14.36 * (stop - pass)) / 2.0).ceil();
        let reach = (half / up as f64).ceil() as usize;
        let width = 2 * reach + 1;
        if up as usize * width > MOST_TAPS {
            return Err(argument("resampling ratio", format!("{up}/{down}"), "a ratio of smaller whole numbers"));
        }
        let (cutoff, beta) = ((pass + stop) / 2.0, kaiser_beta(ATTENUATION_DB));
        let mut phases = Vec::with_capacity(up as usize * width);
        for phase in 0..up {
            let at = phases.len();
            for j in 0..width {
                // From the tap's sample to the output, in steps of the fast rate.
                let d = phase as f64 - up as f64 * (j as f64 - reach as f64);
                let r = d / half;
                let tap = if r.abs() < 1.0 {
                    let x = 2.0 * cutoff * d;
                    let sinc = if d == 0.0 { 1.0 } else { (PI * x).sin() / (PI * x) };
                    bessel_i0(beta * (1.0 - r * r).sqrt()) * sinc
                } else {
                    0.0
                };
                phases.push(tap);
            }
            // Every phase passes a constant exactly.
            let sum: f64 = phases[at..].iter().sum();
            phases[at..].iter_mut().for_each(|t| *t /= sum);
        }
        Ok(Resampler::with_phases(up, down, phases, reach))
    }

    fn with_phases(up: u64, down: u64, phases: Vec<f64>, reach: usize) -> Resampler {
        Resampler { up, down, phases, reach, held: Vec::new(), first: 0, seen: 0, next_output: 0, last: 0.0 }
    }

    /// Input samples the output lags behind, for live use.
    pub fn lag(&self) -> usize {
        self.reach
    }

    /// Adds samples and appends what can be made of them to `out`.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64], out: &mut Vec<f64>) -> Result<()> {
        check_finite(samples)?;
        let Some(&last) = samples.last() else {
            return Ok(());
        };
        if self.seen == 0 {
            self.held.extend(std::iter::repeat_n(samples[0], self.reach));
        }
        self.held.extend_from_slice(samples);
        self.seen += samples.len() as u64;
        self.last = last;
        self.make(u64::MAX, out);
        Ok(())
    }

    /// Appends the outputs that still stand inside the input, and forgets everything.
    pub fn finish(&mut self, out: &mut Vec<f64>) {
        if self.seen > 0 {
            self.held.extend(std::iter::repeat_n(self.last, self.reach));
            // Outputs up to the last input sample: k·down/up ≤ seen − 1.
            self.make((self.seen - 1) * self.up / self.down + 1, out);
        }
        self.reset();
    }

    /// Forgets everything.
    pub fn reset(&mut self) {
        self.held.clear();
        (self.first, self.seen, self.next_output) = (0, 0, 0);
    }

    fn make(&mut self, end: u64, out: &mut Vec<f64>) {
        let width = 2 * self.reach + 1;
        while self.next_output < end {
            let place = self.next_output * self.down;
            // With `reach` samples in front, the first tap of an output falls on its own index.
            let from = (place / self.up - self.first) as usize;
            let Some(x) = self.held.get(from..from + width) else {
                break;
            };
            let phase = (place % self.up) as usize * width;
            out.push(dot(x, &self.phases[phase..phase + width]));
            self.next_output += 1;
        }
        let keep_from = self.next_output * self.down / self.up;
        let done = ((keep_from - self.first) as usize).min(self.held.len());
        if done > 0 {
            self.held.drain(..done);
            self.first += done as u64;
        }
    }
}

/// A whole stretch at another rate: `⌊(n − 1)·up/down⌋ + 1` samples.
///
/// # Errors
/// As [`Resampler`]; an empty stretch.
pub fn resample(samples: &[f64], up: u64, down: u64) -> Result<Vec<f64>> {
    if samples.is_empty() {
        return Err(SignalError::TooShort { what: "resampling", have: 0, need: 1 });
    }
    let mut resampler = Resampler::new(up, down)?;
    let mut out = Vec::with_capacity((samples.len() as f64 * up as f64 / down as f64) as usize + 1);
    resampler.push(samples, &mut out)?;
    resampler.finish(&mut out);
    Ok(out)
}
