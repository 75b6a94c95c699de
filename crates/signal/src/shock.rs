//! Shock response spectrum: peak absolute acceleration of oscillators on a shaken base.
//!
//! The base motion is taken as straight between samples, for which each oscillator's response is
//! exact: the line itself and a free motion on it. The ring-down after the record is included. Where
//! an oscillator has fewer than 40 samples a period it is looked at between them, too, so that peaks
//! are not missed; only where its free motion is large enough for a new extreme, which gives the
//! same and is much faster. Source: Smallwood, "An improved recursive formula for calculating shock
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
const LANES: usize = 4;

/// Samples a period below which the base motion is divided.
const FINE: f64 = 40.0;

/// Parts a sample interval is divided into at most.
const MOST_PARTS: usize = 32;

/// Free motion below which an oscillator is at rest.
const GONE: f64 = 1e-140;

/// Oscillators' free motion, side by side: `w` and `v` of each. See [`Turn`].
#[derive(Debug, Clone, Copy)]
struct Free {
    w: [f64; LANES],
    v: [f64; LANES],
}

/// What a stretch of time makes of free motion.
///
/// While the base moves in a straight line the response is that line and a free motion on it:
/// `w″ + 2ζω·w′ + ω²·w = 0` for the difference `w`. With `v = (w′ + ζω·w)/ω_d` the pair turns by
/// `ω_d·t` and shrinks by `exp(−ζω·t)`, so that `√(w² + v²)` is never exceeded afterwards. Where
/// the line bends by `Δ`, `w′` jumps by `−Δ`.
#[derive(Debug, Clone, Copy)]
struct Turn {
    along: [f64; LANES],
    across: [f64; LANES],
}

impl Turn {
    #[inline(always)]
    fn of(&self, f: Free) -> Free {
        let mut after = f;
        for l in 0..LANES {
            after.w[l] = self.along[l] * f.w[l] + self.across[l] * f.v[l];
            after.v[l] = self.along[l] * f.v[l] - self.across[l] * f.w[l];
        }
        after
    }
}

/// Some oscillators of one fineness with their memory.
#[derive(Debug, Clone, Copy)]
struct Group {
    /// Parts a sample interval is looked at in.
    parts: usize,
    /// Over an interval, and over one of its parts.
    whole: Turn,
    part: Turn,
    /// Square of how far the response can leave the straight line between its values at two samples,
    /// as a share of the motion's strength: `|w″| ≤ ω²·(1 + 2ζ + 2ζ²)·√(w² + v²)`, an eighth of that
    /// over the square of the interval.
    bulge: [f64; LANES],
    /// Jump of `v` for a bend of the base's line, by its change of slope a sample.
    jump: [f64; LANES],
    free: Free,
    high: [f64; LANES],
    low: [f64; LANES],
    /// Slope of the base's line, a sample.
    slope: f64,
    /// Samples in a period of the slowest oscillator.
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
        let damping = 0.5 / q;
        let damped = (1.0 - damping * damping).sqrt();
        let none = Turn { along: [0.0; LANES], across: [0.0; LANES] };
        let mut g = Group {
            parts,
            whole: none,
            part: none,
            bulge: [0.0; LANES],
            jump: [0.0; LANES],
            free: Free { w: [0.0; LANES], v: [0.0; LANES] },
            high: [0.0; LANES],
            low: [0.0; LANES],
            slope: 0.0,
            period: (rate / frequencies[0]).ceil() as usize + 2,
        };
        for (lane, f) in frequencies.iter().enumerate() {
            let angle = TAU * f / rate;
            for (turn, share) in [(&mut g.whole, 1.0), (&mut g.part, 1.0 / parts as f64)] {
                let shrunk = (-damping * angle * share).exp();
                turn.along[lane] = shrunk * (damped * angle * share).cos();
                turn.across[lane] = shrunk * (damped * angle * share).sin();
            }
            g.bulge[lane] = (angle * angle / 8.0 * (1.0 + 2.0 * damping * (1.0 + damping))).powi(2);
            g.jump[lane] = 1.0 / (damped * angle);
        }
        g
    }

    /// The base goes on in a straight line from `from` to `to`. Gives the free motion it began with,
    /// and by how much each oscillator could have gone beyond its extremes in between, above 0 where
    /// it could.
    #[inline(always)]
    fn step<const BETWEEN: bool>(&mut self, from: f64, to: f64) -> (Free, [f64; LANES]) {
        let slope = to - from;
        let bend = slope - self.slope;
        self.slope = slope;
        for l in 0..LANES {
            self.free.v[l] -= self.jump[l] * bend;
        }
        let before = self.free;
        self.free = self.whole.of(before);
        let mut beyond = [0.0; LANES];
        for l in 0..LANES {
            let y = to + self.free.w[l];
            self.high[l] = if y > self.high[l] { y } else { self.high[l] };
            self.low[l] = if y < self.low[l] { y } else { self.low[l] };
            if BETWEEN {
                let first = from + before.w[l];
                let (top, bottom) = if y > first { (y, first) } else { (first, y) };
                let (up, down) = (self.high[l] - top, bottom - self.low[l]);
                let room = if up < down { up } else { down };
                let strength = before.w[l] * before.w[l] + before.v[l] * before.v[l];
                beyond[l] = self.bulge[l] * strength - room * room;
            }
        }
        (before, beyond)
    }

    /// The same, and looks at every part of the interval where that could find something.
    fn step_by_parts(&mut self, from: f64, to: f64) {
        let (mut free, beyond) = self.step::<true>(from, to);
        if beyond.iter().all(|b| *b <= 0.0) {
            return;
        }
        let share = (to - from) / self.parts as f64;
        for p in 1..self.parts {
            free = self.part.of(free);
            let base = from + share * p as f64;
            for l in 0..LANES {
                self.high[l] = self.high[l].max(base + free.w[l]);
                self.low[l] = self.low[l].min(base + free.w[l]);
            }
        }
    }

    /// Looks between the samples of a block only where something could be found there.
    #[inline(always)]
    fn run_between(&mut self, mut from: f64, samples: &[f64]) {
        for block in samples.chunks(8) {
            let (start, first) = (*self, from);
            let mut most = [0.0; LANES];
            for &to in block {
                let (_, beyond) = self.step::<true>(from, to);
                for l in 0..LANES {
                    most[l] = if beyond[l] > most[l] { beyond[l] } else { most[l] };
                }
                from = to;
            }
            if most.iter().any(|m| *m > 0.0) {
                *self = start;
                from = first;
                for &to in block {
                    self.step_by_parts(from, to);
                    from = to;
                }
            }
        }
    }

    fn run(&mut self, from: f64, samples: &[f64]) {
        // A copy that nobody else sees stays in registers, which halves the time.
        let mut own = *self;
        if own.parts > 1 {
            own.run_between(from, samples);
        } else {
            let mut from = from;
            for &to in samples {
                own.step::<false>(from, to);
                from = to;
            }
        }
        // What has died away would be computed on slowly in numbers that are hardly there.
        for l in 0..LANES {
            if own.free.w[l].abs().max(own.free.v[l].abs()) < GONE {
                (own.free.w[l], own.free.v[l]) = (0.0, 0.0);
            }
        }
        *self = own;
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
            let mut g = *g;
            g.run(self.last, &vec![0.0; g.period]);
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
