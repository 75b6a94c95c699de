//! What several test files need: reference files, signals, comparisons.
use serde_json::Value;
use std::f64::consts::TAU;
use std::ops::Range;
use std::path::{Path, PathBuf};

pub fn file(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/reference").join(name)
}

pub fn json(name: &str) -> Value {
    serde_json::from_slice(&std::fs::read(file(name)).unwrap()).unwrap()
}

pub fn channels(name: &str) -> Vec<Vec<f64>> {
    let mut reader = hound::WavReader::open(file(name)).unwrap();
    let width = reader.spec().channels as usize;
    let mut out = vec![Vec::new(); width];
    for (i, s) in reader.samples::<f32>().enumerate() {
        out[i % width].push(f64::from(s.unwrap()));
    }
    out
}

pub fn numbers(v: &Value) -> Vec<f64> {
    v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap()).collect()
}

#[track_caller]
pub fn assert_close(got: &[f64], wanted: &[f64], tolerance: f64, what: &str) {
    assert_eq!(got.len(), wanted.len(), "{what}");
    let scale = wanted.iter().fold(0.0f64, |m, x| m.max(x.abs()));
    for (k, (g, w)) in got.iter().zip(wanted).enumerate() {
        assert!((g - w).abs() <= tolerance * scale, "{what} at {k}: {g} for {w}");
    }
}

/// `amplitude · cos(2π·hz·t + phase)` at `rate`.
pub fn cosine(hz: f64, amplitude: f64, phase: f64, rate: f64, n: usize) -> Vec<f64> {
    (0..n).map(|i| amplitude * (TAU * hz * i as f64 / rate + phase).cos()).collect()
}

/// Even noise between −1 and 1 from a fixed seed.
pub fn noise(seed: u64, n: usize) -> Vec<f64> {
    let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    (0..n)
        .map(|_| {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            (state >> 11) as f64 / (1u64 << 52) as f64 - 1.0
        })
        .collect()
}

pub fn rms(x: &[f64]) -> f64 {
    (x.iter().map(|v| v * v).sum::<f64>() / x.len() as f64).sqrt()
}

/// Pieces of a stretch after cuts of these lengths.
pub fn cut(n: usize, cuts: &[usize]) -> Vec<Range<usize>> {
    let mut at = 0;
    let mut out = Vec::new();
    for c in cuts {
        let end = (at + c).min(n);
        out.push(at..end);
        at = end;
    }
    out.push(at..n);
    out
}

/// Numbers from a seed that is not 0.
pub struct Dice(pub u64);

impl Dice {
    /// Even between 0 and 1.
    pub fn roll(&mut self) -> f64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) as f64 / (1u64 << 53) as f64
    }

    /// Gaussian of mean 0 and deviation 1.
    pub fn gauss(&mut self) -> f64 {
        (-2.0 * (1.0 - self.roll()).ln()).sqrt() * (TAU * self.roll()).cos()
    }
}
