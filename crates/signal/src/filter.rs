//! Butterworth filters as second-order sections, one pass with state or forward and backward.
//!
//! Designed from the analogue prototype by the bilinear transform with prewarped edges.
//! Source: Oppenheim & Schafer, "Discrete-Time Signal Processing", ch. 7; edge handling of the
//! zero-phase form by odd reflection, Gustafsson, IEEE Trans. Signal Process. 44 (1996).

use crate::error::{Result, SignalError, argument, check_finite, check_rate};
use realfft::num_complex::Complex64;
use std::f64::consts::PI;

/// Which frequencies pass; edges in Hz at −3 dB (one pass).
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

fn check_edge(name: &'static str, edge: f64, nyquist: f64) -> Result<()> {
    if edge > 0.0 && edge < nyquist {
        Ok(())
    } else {
        Err(argument(name, edge, format!("above 0 and below the Nyquist frequency, {nyquist} Hz")))
    }
}

impl Filter {
    /// A Butterworth filter of `order` (1 to [`HIGHEST_ORDER`]) for samples at `sample_rate_hz`.
    ///
    /// # Errors
    /// Order out of range; an edge at or beyond Nyquist or not above zero; edges not ascending.
    pub fn butterworth(band: Band, order: usize, sample_rate_hz: f64) -> Result<Filter> {
        check_rate(sample_rate_hz)?;
        if !(1..=HIGHEST_ORDER).contains(&order) {
            return Err(argument("order", order, format!("1 to {HIGHEST_ORDER}")));
        }
        let nyquist = sample_rate_hz / 2.0;
        // Edges prewarped for the bilinear transform s = 2(z − 1)/(z + 1).
        let warp = |f: f64| 2.0 * (PI * f / sample_rate_hz).tan();
        let prototype: Vec<Complex64> = (0..order)
            .map(|k| {
                let angle = PI * (2 * k + order + 1) as f64 / (2 * order) as f64;
                Complex64::from_polar(1.0, angle)
            })
            .collect();
        let split = |p: Complex64, width: f64, middle: f64| {
            let half = p * width / 2.0;
            let root = (half * half - middle * middle).sqrt();
            [half + root, half - root]
        };
        // Poles in s; zeros at z: the kind of zero pair every section gets; where gain is one.
        let (poles, zeros, unity): (Vec<Complex64>, Zeros, Complex64) = match band {
            Band::Lowpass(edge) => {
                check_edge("edge_hz", edge, nyquist)?;
                let w = warp(edge);
                (prototype.iter().map(|p| p * w).collect(), Zeros::Same(-1.0), Complex64::new(1.0, 0.0))
            }
            Band::Highpass(edge) => {
                check_edge("edge_hz", edge, nyquist)?;
                let w = warp(edge);
                (prototype.iter().map(|p| w / p).collect(), Zeros::Same(1.0), Complex64::new(-1.0, 0.0))
            }
            Band::Bandpass(lo, hi) | Band::Bandstop(lo, hi) => {
                check_edge("edge_hz", lo, nyquist)?;
                check_edge("edge_hz", hi, nyquist)?;
                if lo >= hi {
                    return Err(argument("edge_hz", format!("{lo} to {hi}"), "a lower edge below the upper one"));
                }
                let (wl, wh) = (warp(lo), warp(hi));
                let (width, middle) = (wh - wl, (wl * wh).sqrt());
                let centre = Complex64::from_polar(1.0, 2.0 * (middle / 2.0).atan());
                if matches!(band, Band::Bandpass(..)) {
                    (prototype.iter().flat_map(|p| split(*p, width, middle)).collect(), Zeros::Both, centre)
                } else {
                    (
                        prototype.iter().flat_map(|p| split(p.inv(), width, middle)).collect(),
                        Zeros::Pair(centre.re),
                        Complex64::new(1.0, 0.0),
                    )
                }
            }
        };
        let digital: Vec<Complex64> = poles.iter().map(|s| (2.0 + s) / (2.0 - s)).collect();
        let mut sections = pair_up(&digital, zeros);
        for section in &mut sections {
            let gain = section.response(unity).norm();
            section.b.iter_mut().for_each(|b| *b /= gain);
        }
        let state = vec![[0.0; 2]; sections.len()];
        Ok(Filter { sections, state })
    }

    /// Filters in place, continuing from the last call.
    pub fn run(&mut self, samples: &mut [f64]) {
        for (s, state) in self.sections.iter().zip(&mut self.state) {
            let [mut z1, mut z2] = *state;
            for x in samples.iter_mut() {
                let y = s.b[0] * *x + z1;
                z1 = s.b[1] * *x - s.a[0] * y + z2;
                z2 = s.b[2] * *x - s.a[1] * y;
                *x = y;
            }
            *state = [z1, z2];
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
    /// The ends are extended by odd reflection over the filter's settling length.
    ///
    /// # Errors
    /// Fewer than 2 samples, or a sample that is not finite.
    pub fn zero_phase(&mut self, samples: &mut [f64]) -> Result<()> {
        check_finite(samples)?;
        let n = samples.len();
        if n < 2 {
            return Err(SignalError::TooShort { what: "a zero-phase filter", have: n, need: 2 });
        }
        let reach = self.settling().clamp(6 * self.sections.len(), 1 << 20).min(n - 1);
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

    /// Samples until the slowest pole has died down to a thousandth.
    fn settling(&self) -> usize {
        let slowest = self
            .sections
            .iter()
            .map(|s| {
                let inner = Complex64::new(s.a[0] * s.a[0] / 4.0 - s.a[1], 0.0).sqrt();
                let (p, q) = (-s.a[0] / 2.0 + inner, -s.a[0] / 2.0 - inner);
                p.norm().max(q.norm())
            })
            .fold(0.0, f64::max);
        if slowest <= 0.0 || slowest >= 1.0 {
            return 6;
        }
        (-6.9 / slowest.ln()).ceil() as usize
    }
}

impl Section {
    fn response(&self, z: Complex64) -> Complex64 {
        let d = z.inv();
        (self.b[0] + d * (self.b[1] + d * self.b[2])) / (1.0 + d * (self.a[0] + d * self.a[1]))
    }
}

#[derive(Clone, Copy)]
enum Zeros {
    /// Every zero at this real place.
    Same(f64),
    /// One at 1 and one at −1 in each section.
    Both,
    /// A conjugate pair on the unit circle with this real part.
    Pair(f64),
}

/// Sections from poles: each complex pole with its conjugate, real poles two by two.
fn pair_up(poles: &[Complex64], zeros: Zeros) -> Vec<Section> {
    let mut sections = Vec::new();
    let numerator = |two: bool| match zeros {
        Zeros::Same(z) if two => [1.0, -2.0 * z, 1.0],
        Zeros::Same(z) => [1.0, -z, 0.0],
        Zeros::Both => [1.0, 0.0, -1.0],
        Zeros::Pair(re) => [1.0, -2.0 * re, 1.0],
    };
    let tiny = 1e-12;
    for p in poles.iter().filter(|p| p.im > tiny) {
        sections.push(Section { b: numerator(true), a: [-2.0 * p.re, p.norm_sqr()] });
    }
    let real: Vec<f64> = poles.iter().filter(|p| p.im.abs() <= tiny).map(|p| p.re).collect();
    for pair in real.chunks(2) {
        sections.push(match pair {
            [p, q] => Section { b: numerator(true), a: [-(p + q), p * q] },
            [p, ..] => Section { b: numerator(false), a: [-p, 0.0] },
            [] => continue,
        });
    }
    sections
}
