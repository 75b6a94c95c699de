//! An endless random signal of a wanted density that can change without a step.
//!
//! Blocks of fixed amplitudes and random phases overlap by half under a sine window, whose squares
//! add up to one: the density stays while blocks follow each other, and a new one fades in.

use crate::error::{Result, argument, check_rate};
use crate::spectrum::Complex64;
use realfft::{ComplexToReal, RealFftPlanner};
use std::f64::consts::{PI, TAU};
use std::sync::Arc;

/// Makes the drive half a block at a time.
pub struct Drive {
    inverse: Arc<dyn ComplexToReal<f64>>,
    window: Vec<f64>,
    amplitudes: Vec<f64>,
    /// The half of the last block that is still to come.
    tail: Vec<f64>,
    spacing_hz: f64,
    clip_sigma: f64,
    rms: f64,
    phases: u64,
    clipped: u64,
}

impl Drive {
    /// A silent one. Samples beyond `clip_sigma` times the drive's rms are cut off there; the same
    /// `seed` gives the same phases.
    ///
    /// # Errors
    /// A rate that is none; a block that is odd or shorter than 16; a clip below 2.
    pub fn new(sample_rate_hz: f64, block: usize, clip_sigma: f64, seed: u64) -> Result<Drive> {
        check_rate(sample_rate_hz)?;
        if block < 16 || !block.is_multiple_of(2) || block > crate::spectrum::LARGEST_BLOCK {
            return Err(argument("block", block, "an even number from 16"));
        }
        if clip_sigma.is_nan() || clip_sigma < 2.0 {
            return Err(argument("clip_sigma", clip_sigma, "2 or more"));
        }
        Ok(Drive {
            inverse: RealFftPlanner::new().plan_fft_inverse(block),
            window: (0..block).map(|i| (PI * (i as f64 + 0.5) / block as f64).sin()).collect(),
            amplitudes: vec![0.0; block / 2 + 1],
            tail: vec![0.0; block / 2],
            spacing_hz: sample_rate_hz / block as f64,
            clip_sigma,
            rms: 0.0,
            // Any seed must leave the generator in motion.
            phases: seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1,
            clipped: 0,
        })
    }

    /// Lines that a density has here.
    pub fn lines(&self) -> usize {
        self.amplitudes.len()
    }

    /// Takes a density, V²/Hz on every line, from the next half block on. What stands at 0 Hz and at
    /// the last line is left out.
    ///
    /// # Errors
    /// Another number of lines; a density that is negative or not finite.
    pub fn take(&mut self, density: &[f64]) -> Result<()> {
        if density.len() != self.lines() {
            return Err(argument("density", format!("{} long", density.len()), format!("{} lines", self.lines())));
        }
        if let Some(bad) = density.iter().find(|d| !(d.is_finite() && **d >= 0.0)) {
            return Err(argument("density", bad, "0 or more on every line"));
        }
        let last = density.len() - 1;
        let squares =
            density.iter().enumerate().map(|(k, d)| if k == 0 || k == last { 0.0 } else { d * self.spacing_hz });
        self.amplitudes = squares.map(|s| (2.0 * s).sqrt()).collect();
        self.rms = self.amplitudes.iter().map(|a| a * a / 2.0).sum::<f64>().sqrt();
        Ok(())
    }

    /// Root mean square that the drive has or goes to, V.
    pub fn rms(&self) -> f64 {
        self.rms
    }

    /// Samples cut off so far.
    pub fn clipped(&self) -> u64 {
        self.clipped
    }

    /// The next half block, V.
    pub fn half_block(&mut self) -> Vec<f64> {
        let half = self.tail.len();
        let mut lines: Vec<Complex64> = Vec::with_capacity(self.amplitudes.len());
        for k in 0..self.amplitudes.len() {
            let amplitude = self.amplitudes[k] / 2.0;
            let phase = self.phase();
            lines.push(if amplitude == 0.0 { Complex64::default() } else { Complex64::from_polar(amplitude, phase) });
        }
        let mut block = vec![0.0; 2 * half];
        // Both lengths are the plan's own, and the first and last line are zero.
        let done = self.inverse.process(&mut lines, &mut block);
        debug_assert!(done.is_ok());
        let limit = self.clip_sigma * self.rms;
        for x in &mut block {
            if x.abs() > limit {
                *x = x.clamp(-limit, limit);
                self.clipped += 1;
            }
        }
        let weighted: Vec<f64> = block.iter().zip(&self.window).map(|(x, w)| x * w).collect();
        let now = self.tail.iter().zip(&weighted[..half]).map(|(a, b)| a + b).collect();
        self.tail.copy_from_slice(&weighted[half..]);
        now
    }

    fn phase(&mut self) -> f64 {
        self.phases ^= self.phases << 13;
        self.phases ^= self.phases >> 7;
        self.phases ^= self.phases << 17;
        TAU * (self.phases >> 11) as f64 / (1u64 << 53) as f64
    }
}
