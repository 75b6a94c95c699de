//! The car deck of the Skerry Lass: a plate on eight modes, shaken by its engines and the sea.
//!
//! Every front end of a survey simulates the same plate from the same start, so that several of
//! them, begun together, measure one motion.

use super::resonator::Resonator;
use crate::noise::Noise;
use std::f64::consts::{PI, TAU};

/// Modes: frequency in Hz, damping ratio, half waves along and across.
pub const MODES: [(f64, f64, f64, f64); 8] = [
    (6.8, 0.018, 1.0, 1.0),
    (9.7, 0.016, 2.0, 1.0),
    (14.1, 0.015, 3.0, 1.0),
    (17.9, 0.014, 1.0, 2.0),
    (21.6, 0.014, 2.0, 2.0),
    (27.3, 0.013, 3.0, 2.0),
    (33.8, 0.012, 5.0, 1.0),
    (41.2, 0.012, 1.0, 3.0),
];
/// Firing frequency of the engines, Hz, and its harmonics' forces, m/s² a unit of modal mass.
pub const ENGINE_HZ: f64 = 12.6;
const ENGINE: [f64; 3] = [0.08, 0.04, 0.016];
/// Force of the sea on each mode, rms for white noise up to half of 1 kHz, m/s².
const SEA: f64 = 0.3;
/// Lines across the deck; frames follow each other along it.
pub const LINES: usize = 8;
/// Frames along the deck.
pub const FRAMES: usize = 32;

/// The plate, stepped at any rate.
#[derive(Debug, Clone)]
pub struct Deck {
    rate_hz: f64,
    modes: Vec<Resonator>,
    sea: Vec<Noise>,
    /// Shape of each mode at each place: place after place.
    shapes: Vec<[f64; MODES.len()]>,
    sample: u64,
}

impl Deck {
    /// The plate with the places of one front end: `first` counts the places of those before it.
    pub fn new(rate_hz: f64, first: usize, places: usize) -> Self {
        let shapes = (first..first + places)
            .map(|p| {
                let x = ((p / LINES) as f64 + 0.5) / FRAMES as f64;
                let y = ((p % LINES) as f64 + 0.5) / LINES as f64;
                std::array::from_fn(|m| (MODES[m].2 * PI * x).sin() * (MODES[m].3 * PI * y).sin())
            })
            .collect();
        Deck {
            rate_hz,
            modes: MODES.iter().map(|m| Resonator::new(m.0, m.1, rate_hz)).collect(),
            sea: (0..MODES.len() as u64).map(|m| Noise::new(400 + m)).collect(),
            shapes,
            sample: 0,
        }
    }

    /// The next `n` samples of modal acceleration, mode after mode.
    pub fn run(&mut self, n: usize) -> [Vec<f64>; MODES.len()] {
        let mut out: [Vec<f64>; MODES.len()] = std::array::from_fn(|_| Vec::with_capacity(n));
        // The same spectral density at every rate.
        let sea = SEA * (self.rate_hz / 1000.0).sqrt();
        for _ in 0..n {
            self.sample += 1;
            let t = self.sample as f64 / self.rate_hz;
            let engine: f64 =
                ENGINE.iter().enumerate().map(|(k, a)| a * (TAU * ENGINE_HZ * (k + 1) as f64 * t).sin()).sum();
            for (m, mode) in self.modes.iter_mut().enumerate() {
                mode.step(engine + sea * self.sea[m].gaussian());
                out[m].push(mode.acceleration());
            }
        }
        out
    }

    /// What a place feels of modal accelerations, m/s².
    pub fn felt(&self, place: usize, modal: &[Vec<f64>; MODES.len()], out: &mut Vec<f64>) {
        out.clear();
        let n = modal[0].len();
        let Some(s) = self.shapes.get(place) else {
            out.resize(n, 0.0);
            return;
        };
        out.extend((0..n).map(|i| (0..MODES.len()).map(|m| s[m] * modal[m][i]).sum::<f64>()));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_front_ends_measure_one_deck() {
        let (mut a, mut b) = (Deck::new(1024.0, 0, 128), Deck::new(1024.0, 64, 64));
        let (ma, mb) = (a.run(500), b.run(500));
        let (mut x, mut y) = (Vec::new(), Vec::new());
        a.felt(70, &ma, &mut x);
        b.felt(6, &mb, &mut y);
        assert_eq!(x, y);
        assert!(x.iter().any(|v| v.abs() > 0.03), "the deck moves");
    }
}
