//! Recursive filters as second-order sections, one pass with state or forward and backward.
//!
//! Source: Oppenheim & Schafer, "Discrete-Time Signal Processing", ch. 6; edge handling of the
//! zero-phase form by odd reflection, Gustafsson, IEEE Trans. Signal Process. 44 (1996). How the
//! sections are found is in `design`.

mod design;

use crate::error::{Result, SignalError, check_finite};
use realfft::num_complex::Complex64;
use std::array::from_fn;
use std::f64::consts::PI;

/// Which frequencies pass; edges in Hz, where Butterworth and Bessel are 3 dB down (one pass) and
/// Chebyshev leaves its ripple.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Band {
    /// Below the edge.
    Lowpass(f64),
    /// Above the edge.
    Highpass(f64),
    /// Between the edges; the filter has twice the order.
    Bandpass(f64, f64),
    /// Outside the edges; the filter has twice the order.
    Bandstop(f64, f64),
}

/// What the filter is best at.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Family {
    /// Flat pass band.
    Butterworth,
    /// Even delay in the pass band (of the analogue prototype), so that steps do not ring.
    Bessel,
    /// Steepest edge for a pass band that ripples by this many dB (type I), above 0 to 6.
    Chebyshev(f64),
}

/// One second-order section: b over 1 + a₁z⁻¹ + a₂z⁻².
#[derive(Debug, Clone, Copy, PartialEq)]
struct Section {
    b: [f64; 3],
    a: [f64; 2],
}

/// A filter with its memory.
#[derive(Debug, Clone)]
pub struct Filter {
    sections: Vec<Section>,
    state: Vec<[f64; 2]>,
}

/// Highest order accepted.
pub const HIGHEST_ORDER: usize = 12;

impl Filter {
    /// Filters in place, continuing from the last call.
    pub fn run(&mut self, samples: &mut [f64]) {
        for (sections, state) in self.sections.chunks(4).zip(self.state.chunks_mut(4)) {
            match sections.len() {
                4 => cascade::<4>(sections, state, samples),
                3 => cascade::<3>(sections, state, samples),
                2 => cascade::<2>(sections, state, samples),
                _ => cascade::<1>(sections, state, samples),
            }
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.state.fill([0.0; 2]);
    }

    /// Sets the memory to that after an endless constant `level`.
    fn settle(&mut self, level: f64) {
        let mut x = level;
        for (s, state) in self.sections.iter().zip(&mut self.state) {
            let y = x * s.response(Complex64::new(1.0, 0.0)).re;
            let z2 = s.b[2] * x - s.a[1] * y;
            *state = [s.b[1] * x - s.a[0] * y + z2, z2];
            x = y;
        }
    }

    /// Complex response at a frequency, one pass.
    pub fn response_at(&self, frequency_hz: f64, sample_rate_hz: f64) -> (f64, f64) {
        let z = Complex64::from_polar(1.0, 2.0 * PI * frequency_hz / sample_rate_hz);
        let h: Complex64 = self.sections.iter().map(|s| s.response(z)).product();
        (h.re, h.im)
    }

    /// Forward and backward over a whole stretch, in place: no phase, magnitude squared.
    ///
    /// The ends are extended by odd reflection over three times the filter's length (twice the
    /// sections and one), and the filter starts settled on the first value. Within a few periods of
    /// the lowest edge the ends still depend on what the signal did outside.
    ///
    /// # Errors
    /// Fewer than 2 samples, or a sample that is not finite.
    pub fn zero_phase(&mut self, samples: &mut [f64]) -> Result<()> {
        check_finite(samples)?;
        let n = samples.len();
        if n < 2 {
            return Err(SignalError::TooShort { what: "a zero-phase filter", have: n, need: 2 });
        }
        let single = |pick: fn(&Section) -> f64| self.sections.iter().filter(|s| pick(s) == 0.0).count();
        let reach = (3 * (2 * self.sections.len() + 1 - single(|s| s.b[2]).min(single(|s| s.a[1])))).min(n - 1);
        let mut long = Vec::with_capacity(n + 2 * reach);
        long.extend((1..=reach).rev().map(|i| 2.0 * samples[0] - samples[i]));
        long.extend_from_slice(samples);
        long.extend((1..=reach).map(|i| 2.0 * samples[n - 1] - samples[n - 1 - i]));
        for _ in 0..2 {
            self.settle(long[0]);
            self.run(&mut long);
            long.reverse();
        }
        self.reset();
        samples.copy_from_slice(&long[reach..reach + n]);
        Ok(())
    }
}

/// Sections one after the other, sample by sample: while one waits for its last value the others
/// work.
fn cascade<const N: usize>(sections: &[Section], state: &mut [[f64; 2]], samples: &mut [f64]) {
    let s: [Section; N] = from_fn(|k| sections[k]);
    let mut z: [[f64; 2]; N] = from_fn(|k| state[k]);
    for x in samples {
        let mut v = *x;
        for k in 0..N {
            let y = s[k].b[0] * v + z[k][0];
            z[k][0] = s[k].b[1] * v - s[k].a[0] * y + z[k][1];
            z[k][1] = s[k].b[2] * v - s[k].a[1] * y;
            v = y;
        }
        *x = v;
    }
    state.copy_from_slice(&z);
}

/// Filters of four sections at most on the same samples, side by side; each value is heard as it comes.
pub(crate) fn beside<const L: usize>(filters: [&mut Filter; L], samples: &[f64], mut hear: impl FnMut([f64; L])) {
    const N: usize = 4;
    debug_assert!(filters.iter().all(|f| f.sections.len() <= N));
    // What is short of four sections goes through such as change nothing.
    let section = |l: usize, k: usize| filters[l].sections.get(k).copied().unwrap_or(Section::NONE);
    let b: [[[f64; L]; 3]; N] = from_fn(|k| from_fn(|i| from_fn(|l| section(l, k).b[i])));
    let a: [[[f64; L]; 2]; N] = from_fn(|k| from_fn(|i| from_fn(|l| section(l, k).a[i])));
    let mut z: [[[f64; L]; 2]; N] =
        from_fn(|k| from_fn(|i| from_fn(|l| filters[l].state.get(k).map_or(0.0, |z| z[i]))));
    for x in samples {
        let mut v = [*x; L];
        for k in 0..N {
            for l in 0..L {
                let y = b[k][0][l] * v[l] + z[k][0][l];
                z[k][0][l] = b[k][1][l] * v[l] - a[k][0][l] * y + z[k][1][l];
                z[k][1][l] = b[k][2][l] * v[l] - a[k][1][l] * y;
                v[l] = y;
            }
        }
        hear(v);
    }
    for (l, f) in filters.into_iter().enumerate() {
        for (k, state) in f.state.iter_mut().enumerate() {
            *state = from_fn(|i| z[k][i][l]);
        }
    }
}

impl Section {
    const NONE: Section = Section { b: [1.0, 0.0, 0.0], a: [0.0, 0.0] };

    fn response(&self, z: Complex64) -> Complex64 {
        let d = z.inv();
        (self.b[0] + d * (self.b[1] + d * self.b[2])) / (1.0 + d * (self.a[0] + d * self.a[1]))
    }
}
