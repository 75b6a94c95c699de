//! Hull frame 14 of the Skerry Lass while she comes alongside: bumps against the quay, mostly
//! athwartships, on the hum of the engines.
//!
//! Every bump is half a sine of known start, length and peak; what was made is kept, so that what
//! is found can be held against it.

use crate::noise::Noise;
use serde::Serialize;
use std::collections::VecDeque;
use std::f64::consts::{PI, TAU};

/// Axes: athwart, vertical, along.
pub const AXES: usize = 3;
/// Hum of the engines: frequency in Hz and amplitude an axis, m/s².
const HUM: (f64, [f64; AXES]) = (12.6, [0.25, 0.4, 0.15]);
/// Noise an axis, m/s² rms.
const NOISE: f64 = 0.08;
/// Bumps remembered.
const REMEMBERED: usize = 200;

/// A bump as it was made.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Bump {
    /// Start, s since the front end began to send.
    pub start_s: f64,
    /// Length of the half sine, s.
    pub length_s: f64,
    /// Peak an axis, m/s².
    pub peak: [f64; AXES],
}

impl Bump {
    fn at(&self, t: f64) -> f64 {
        let into = t - self.start_s;
        if (0.0..self.length_s).contains(&into) { (PI * into / self.length_s).sin() } else { 0.0 }
    }
}

/// The hull, stepped at any rate.
#[derive(Debug, Clone)]
pub struct Berth {
    rate_hz: f64,
    sample: u64,
    noise: Noise,
    dice: Noise,
    now: Bump,
    made: VecDeque<Bump>,
    /// Bumps still to come; they come for ever where none.
    left: Option<u32>,
}

/// Nothing comes.
const CALM: Bump = Bump { start_s: f64::INFINITY, length_s: 0.0, peak: [0.0; AXES] };

impl Berth {
    /// The hull before the first bump.
    pub fn new(rate_hz: f64) -> Berth {
        let mut dice = Noise::new(14);
        let now = next_bump(&mut dice, 0.0);
        Berth { rate_hz, sample: 0, noise: Noise::new(7), dice, now, made: VecDeque::new(), left: None }
    }

    /// Bumps that have begun, oldest first.
    pub fn made(&self) -> impl Iterator<Item = &Bump> {
        self.made.iter()
    }

    /// So many more bumps, and then calm water; the first after one and a half seconds or more.
    pub fn bump(&mut self, times: u32) {
        self.left = Some(times);
        let t = self.sample as f64 / self.rate_hz;
        self.now = if times == 0 { CALM } else { next_bump(&mut self.dice, t) };
    }

    /// The next `n` samples of every axis, m/s².
    pub fn run(&mut self, n: usize) -> [Vec<f64>; AXES] {
        let mut out = [(); AXES].map(|()| Vec::with_capacity(n));
        for _ in 0..n {
            let t = self.sample as f64 / self.rate_hz;
            self.sample += 1;
            if t >= self.now.start_s && self.made.back() != Some(&self.now) {
                self.made.push_back(self.now);
                if self.made.len() > REMEMBERED {
                    self.made.pop_front();
                }
            }
            if t >= self.now.start_s + self.now.length_s {
                self.left = self.left.map(|n| n.saturating_sub(1));
                let after = self.now.start_s + self.now.length_s;
                self.now = if self.left == Some(0) { CALM } else { next_bump(&mut self.dice, after) };
            }
            let shape = self.now.at(t);
            let hum = (TAU * (HUM.0 * t).fract()).sin();
            for (axis, to) in out.iter_mut().enumerate() {
                to.push(self.now.peak[axis] * shape + HUM.1[axis] * hum + NOISE * self.noise.gaussian());
            }
        }
        out
    }
}

/// One and a half to three seconds later, 15 to 60 ms long, 20 to 60 m/s² athwart.
fn next_bump(dice: &mut Noise, after_s: f64) -> Bump {
    let mut share = || (0.5 + dice.gaussian() / 6.0).clamp(0.0, 1.0);
    let athwart = 20.0 + 40.0 * share();
    Bump {
        start_s: after_s + 1.5 + 1.5 * share(),
        length_s: 0.015 + 0.045 * share(),
        peak: [athwart, athwart * (0.15 + 0.2 * share()), -athwart * (0.05 + 0.15 * share())],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bumps_are_what_they_are_said_to_be() {
        let rate = 5120.0;
        let mut berth = Berth::new(rate);
        let felt = berth.run((12.0 * rate) as usize);
        let bumps: Vec<Bump> = berth.made().copied().collect();
        assert!((4..=8).contains(&bumps.len()), "{bumps:?}");
        for b in bumps.iter().filter(|b| b.start_s < 11.9) {
            let (from, to) = ((b.start_s * rate) as usize, ((b.start_s + b.length_s) * rate) as usize);
            let peak = felt[0][from..to].iter().fold(0.0f64, |p, x| p.max(*x));
            assert!((peak - b.peak[0]).abs() < 0.7 && b.peak[0] > 2.0 * b.peak[1].abs(), "{peak} for {b:?}");
            let before = felt[0][from - 500..from].iter().fold(0.0f64, |p, x| p.max(x.abs()));
            assert!(before < 1.0, "nothing is felt before it: {before}");
        }
    }

    #[test]
    fn bumps_come_when_they_are_told_to() {
        let rate = 5120.0;
        let mut berth = Berth::new(rate);
        berth.bump(0);
        berth.run((20.0 * rate) as usize);
        assert_eq!(berth.made().count(), 0, "calm water");
        berth.bump(3);
        berth.run((20.0 * rate) as usize);
        let starts: Vec<f64> = berth.made().map(|b| b.start_s).collect();
        assert!(starts.len() == 3 && starts[0] >= 21.5, "{starts:?}");
    }
}
