//! The converter's decimation: linear-phase stages by 2 and 5 from the fast internal rate.

use std::f64::consts::PI;

/// Rates a stand-in offers and the factors that make them from [`INTERNAL_RATE_HZ`].
pub const FACTORS: [usize; 13] = [100, 80, 50, 40, 25, 20, 16, 10, 8, 5, 4, 2, 1];
/// Rate at which machines are simulated, Hz.
pub const INTERNAL_RATE_HZ: f64 = 102_400.0;
/// Share of the delivered rate that is flat and free of aliases.
pub const CLEAN_SHARE: f64 = 0.4;

#[derive(Debug, Clone)]
struct Stage {
    factor: usize,
    taps: Vec<f64>,
    held: Vec<f64>,
}

/// A cascade of stages with their memory.
#[derive(Debug, Clone)]
pub struct Decimator {
    stages: Vec<Stage>,
}

impl Stage {
    fn new(factor: usize) -> Self {
        // Flat to 0.4 and down 100 dB from 0.6 of the new rate: Kaiser design.
        let transition = 0.2 / factor as f64;
        let half = (92.05 / (14.36 * transition) / 2.0).ceil() as i64;
        let beta = 0.1102 * (100.0 - 8.7);
        let bessel = |x: f64| {
            let (mut sum, mut term) = (1.0, 1.0);
            for k in 1..60 {
                term *= (x / 2.0 / f64::from(k)).powi(2);
                sum += term;
            }
            sum
        };
        let mut taps: Vec<f64> = (-half..=half)
            .map(|i| {
                let x = i as f64 / factor as f64;
                let sinc = if i == 0 { 1.0 } else { (PI * x).sin() / (PI * x) };
                let r = i as f64 / (half + 1) as f64;
                sinc * bessel(beta * (1.0 - r * r).sqrt())
            })
            .collect();
        let sum: f64 = taps.iter().sum();
        taps.iter_mut().for_each(|t| *t /= sum);
        // Filled with zeros so that the first output is there with the first input.
        let held = vec![0.0; taps.len() - 1];
        Stage { factor, taps, held }
    }

    fn run(&mut self, input: &[f64]) -> Vec<f64> {
        self.held.extend_from_slice(input);
        let n = self.taps.len();
        let mut out = Vec::with_capacity(input.len() / self.factor + 1);
        let mut at = 0;
        while at + n <= self.held.len() {
            out.push(dot(&self.held[at..at + n], &self.taps));
            at += self.factor;
        }
        self.held.drain(..at);
        out
    }
}

/// Sum of products, in eight sums beside each other: one sum alone waits for itself at every addition.
fn dot(x: &[f64], taps: &[f64]) -> f64 {
    let ((x, x_rest), (taps, taps_rest)) = (x.as_chunks::<8>(), taps.as_chunks::<8>());
    let mut sums = [0.0; 8];
    for (x, t) in x.iter().zip(taps) {
        for k in 0..8 {
            sums[k] += x[k] * t[k];
        }
    }
    sums.iter().sum::<f64>() + x_rest.iter().zip(taps_rest).map(|(x, t)| x * t).sum::<f64>()
}

impl Decimator {
    /// A cascade for one of [`FACTORS`].
    pub fn new(factor: usize) -> Self {
        let mut stages = Vec::new();
        let mut rest = factor;
        for by in [5, 2] {
            while rest.is_multiple_of(by) {
                stages.push(Stage::new(by));
                rest /= by;
            }
        }
        Decimator { stages }
    }

    /// Decimates the next piece; pieces of a multiple of the factor give a steady count.
    pub fn run(&mut self, input: &[f64]) -> Vec<f64> {
        let mut x = input.to_vec();
        for s in &mut self.stages {
            x = s.run(&x);
        }
        x
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn gain(factor: usize, frequency_share: f64) -> f64 {
        let mut d = Decimator::new(factor);
        let n = 4000 * factor;
        let x: Vec<f64> = (0..n).map(|i| (2.0 * PI * frequency_share / factor as f64 * i as f64).sin()).collect();
        let y = d.run(&x);
        assert_eq!(y.len(), 4000);
        let tail = &y[1000..];
        (2.0 * tail.iter().map(|v| v * v).sum::<f64>() / tail.len() as f64).sqrt()
    }

    #[test]
    fn passes_what_is_clean_and_stops_what_would_fold() {
        for factor in [2, 5, 10, 100] {
            for share in [0.011, 0.217, 0.39] {
                assert!((gain(factor, share) - 1.0).abs() < 2e-3, "{factor} {share}");
            }
            for share in [0.613, 0.83] {
                assert!(gain(factor, share) < 2e-5, "{factor} {share}: {}", gain(factor, share));
            }
        }
    }
}
