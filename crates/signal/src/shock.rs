//! Shock response spectrum: peak absolute acceleration of oscillators on a shaken base.
//!
//! Each oscillator is a ramp-invariant recursive filter, exact for a base motion that is straight
//! between samples; the ring-down after the record is included. Where an oscillator has fewer than
//! 40 samples a period, the base motion is divided on its straight lines, so that peaks are not
//! missed between samples. Source: Smallwood, "An improved recursive formula for calculating shock
//! response spectra", Shock and Vibration Bulletin 51 (1981); ISO 18431-4.

use crate::error::{Result, SignalError, argument, check_finite, check_rate};
use std::f64::consts::TAU;

/// Settings of a shock response spectrum.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ShockSettings {
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Quality of the oscillators, above 0.5; 10 by custom.
    pub q: f64,
    /// Lowest natural frequency, Hz.
    pub from_hz: f64,
    /// No natural frequency is above this, Hz; below the Nyquist frequency.
    pub to_hz: f64,
    /// Natural frequencies an octave (a factor of 2), 1 to 96.
    pub per_octave: u32,
}

/// Spectra in the unit of the samples.
#[derive(Debug, Clone, PartialEq)]
pub struct ShockResponse {
    /// Natural frequencies, Hz.
    pub frequencies_hz: Vec<f64>,
    /// Highest responses, 0 or more.
    pub positive: Vec<f64>,
    /// Lowest responses, 0 or less.
    pub negative: Vec<f64>,
}

impl ShockResponse {
    /// Largest magnitudes.
    pub fn maximax(&self) -> Vec<f64> {
        self.positive.iter().zip(&self.negative).map(|(p, n)| p.max(-n)).collect()
    }
}

/// Oscillators stepped side by side.
const LANES: usize = 8;

/// Samples a period below which the base motion is divided.
const FINE: f64 = 40.0;

/// Parts a sample interval is divided into at most.
const MOST_PARTS: usize = 32;

/// Some oscillators of one fineness with their memory.
#[derive(Debug, Clone)]
struct Group {
    parts: usize,
    b: [[f64; LANES]; 3],
    a: [[f64; LANES]; 2],
    y: [[f64; LANES]; 2],
    high: [f64; LANES],
    low: [f64; LANES],
    /// Base motion at the last two parts.
    x: [f64; 2],
    /// Parts in a period of the slowest oscillator.
    period: usize,
}

/// Oscillators that take samples in any division.
#[derive(Debug, Clone)]
pub struct ShockProcessor {
    frequencies: Vec<f64>,
    groups: Vec<Group>,
    last: f64,
    started: bool,
}

impl ShockSettings {
    /// Checks every setting.
    ///
    /// # Errors
    /// The first setting outside what is allowed, by name.
    pub fn check(&self) -> Result<()> {
        check_rate(self.sample_rate_hz)?;
        if !(self.q.is_finite() && self.q > 0.5) {
            return Err(argument("q", self.q, "above 0.5"));
        }
        if !(1..=96).contains(&self.per_octave) {
            return Err(argument("per_octave", self.per_octave, "1 to 96"));
        }
        let nyquist = self.sample_rate_hz / 2.0;
        if !(self.from_hz >= nyquist * 1e-6 && self.from_hz < nyquist) {
            let allowed = format!("{} to below the Nyquist frequency, {nyquist} Hz", nyquist * 1e-6);
            return Err(argument("from_hz", self.from_hz, allowed));
        }
        if !(self.to_hz >= self.from_hz && self.to_hz < nyquist) {
            let allowed = format!("from_hz, {} Hz, to below the Nyquist frequency, {nyquist} Hz", self.from_hz);
            return Err(argument("to_hz", self.to_hz, allowed));
        }
        Ok(())
    }

    /// Natural frequencies, Hz.
    pub fn frequencies_hz(&self) -> Vec<f64> {
        let steps = (self.to_hz / self.from_hz).log2() * f64::from(self.per_octave);
        (0..=(steps + 1e-9).floor() as i32)
            .map(|k| self.from_hz * 2f64.powf(f64::from(k) / f64::from(self.per_octave)))
            .collect()
    }
}

impl Group {
    fn new(frequencies: &[f64], rate: f64, q: f64) -> Group {
        let fastest = frequencies[frequencies.len() - 1];
        let parts = (FINE * fastest / rate).ceil().clamp(1.0, MOST_PARTS as f64) as usize;
        let mut g = Group {
            parts,
            b: [[0.0; LANES]; 3],
            a: [[0.0; LANES]; 2],
            y: [[0.0; LANES]; 2],
            high: [0.0; LANES],
            low: [0.0; LANES],
            x: [0.0; 2],
            period: (rate * parts as f64 / frequencies[0]).ceil() as usize + 2,
        };
        let damping = 0.5 / q;
        for (lane, f) in frequencies.iter().enumerate() {
            let turn = TAU * f / (rate * parts as f64);
            let e = (-damping * turn).exp();
            let k = turn * (1.0 - damping * damping).sqrt();
            let (c, s) = (e * k.cos(), e * k.sin());
            let s_over = s / k;
            g.b[0][lane] = 1.0 - s_over;
            g.b[1][lane] = 2.0 * (s_over - c);
            g.b[2][lane] = e * e - s_over;
            g.a[0][lane] = 2.0 * c;
            g.a[1][lane] = -e * e;
        }
        g
    }

    #[inline]
    fn step(&mut self, x: f64) {
        let [x1, x2] = self.x;
        for l in 0..LANES {
            let y = self.b[0][l] * x
                + self.b[1][l] * x1
                + self.b[2][l] * x2
                + self.a[0][l] * self.y[0][l]
                + self.a[1][l] * self.y[1][l];
            self.y[1][l] = self.y[0][l];
            self.y[0][l] = y;
            self.high[l] = if y > self.high[l] { y } else { self.high[l] };
            self.low[l] = if y < self.low[l] { y } else { self.low[l] };
        }
        self.x = [x, x1];
    }

    fn run(&mut self, before: f64, samples: &[f64]) {
        if self.parts == 1 {
            samples.iter().for_each(|x| self.step(*x));
            return;
        }
        let mut before = before;
        let share = 1.0 / self.parts as f64;
        for &x in samples {
            for p in 1..=self.parts {
                self.step(before + (x - before) * share * p as f64);
            }
            before = x;
        }
    }
}

impl ShockProcessor {
    /// Oscillators at rest.
    ///
    /// # Errors
    /// As [`ShockSettings::check`].
    pub fn new(settings: ShockSettings) -> Result<ShockProcessor> {
        settings.check()?;
        let frequencies = settings.frequencies_hz();
        let groups = frequencies.chunks(LANES).map(|f| Group::new(f, settings.sample_rate_hz, settings.q)).collect();
        Ok(ShockProcessor { frequencies, groups, last: 0.0, started: false })
    }

    /// Adds samples, in order. Before the first one the base was at rest.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        if let Some(last) = samples.last() {
            for g in &mut self.groups {
                g.run(self.last, samples);
            }
            self.last = *last;
            self.started = true;
        }
        Ok(())
    }

    /// Spectra of everything so far, the ring-down of one period after it included.
    ///
    /// # Errors
    /// [`SignalError::TooShort`] before the first sample.
    pub fn finish(&self) -> Result<ShockResponse> {
        if !self.started {
            return Err(SignalError::TooShort { what: "a shock response", have: 0, need: 1 });
        }
        let (mut positive, mut negative) = (Vec::new(), Vec::new());
        for g in &self.groups {
            let mut g = g.clone();
            for _ in 0..g.period {
                g.step(0.0);
            }
            positive.extend_from_slice(&g.high);
            negative.extend_from_slice(&g.low);
        }
        positive.truncate(self.frequencies.len());
        negative.truncate(self.frequencies.len());
        Ok(ShockResponse { frequencies_hz: self.frequencies.clone(), positive, negative })
    }
}

/// Shock response spectrum of a whole stretch.
///
/// # Errors
/// As [`ShockProcessor`].
pub fn shock_response(samples: &[f64], settings: ShockSettings) -> Result<ShockResponse> {
    let mut processor = ShockProcessor::new(settings)?;
    processor.push(samples)?;
    processor.finish()
}
