//! From band, family and order to second-order sections.
//!
//! All-pole analogue prototypes with their edge at 1 rad/s, moved to the band, then to digital by
//! the bilinear transform with prewarped edges. Source: Oppenheim & Schafer, "Discrete-Time Signal
//! Processing", ch. 7; Thomson 1949 for Bessel; Zverev, "Handbook of Filter Synthesis".

use super::{Band, Family, Filter, HIGHEST_ORDER, Section};
use crate::error::{Result, argument, check_rate};
use realfft::num_complex::Complex64;
use std::f64::consts::PI;

fn check_edge(name: &'static str, edge: f64, nyquist: f64) -> Result<()> {
    if edge > 0.0 && edge < nyquist {
        Ok(())
    } else {
        Err(argument(name, edge, format!("above 0 and below the Nyquist frequency, {nyquist} Hz")))
    }
}

/// Poles of the low-pass prototype and its gain at 0 Hz.
fn prototype(family: Family, order: usize) -> Result<(Vec<Complex64>, f64)> {
    let angles = (0..order).map(|k| PI * (2 * k + order + 1) as f64 / (2 * order) as f64);
    match family {
        Family::Butterworth => Ok((angles.map(|a| Complex64::from_polar(1.0, a)).collect(), 1.0)),
        Family::Chebyshev(ripple_db) => {
            if !(ripple_db > 0.0 && ripple_db <= 6.0) {
                return Err(argument("ripple_db", ripple_db, "above 0 and up to 6 dB"));
            }
            let epsilon = (10f64.powf(ripple_db / 10.0) - 1.0).sqrt();
            let mu = (1.0 / epsilon).asinh() / order as f64;
            let poles = angles.map(|a| Complex64::new(mu.sinh() * a.cos(), mu.cosh() * a.sin())).collect();
            // With an even order the pass band begins at the bottom of a ripple.
            let gain = if order.is_multiple_of(2) { 10f64.powf(-ripple_db / 20.0) } else { 1.0 };
            Ok((poles, gain))
        }
        Family::Bessel => Ok((bessel_poles(order), 1.0)),
    }
}

/// Roots of the reverse Bessel polynomial, scaled to −3 dB at 1 rad/s.
fn bessel_poles(order: usize) -> Vec<Complex64> {
    // θₙ(s) = Σ (2n−k)! / (2^(n−k) k! (n−k)!) sᵏ, built by its recurrence from the top.
    let mut coefficients = vec![1.0; order + 1];
    for k in (0..order).rev() {
        let (n, k1) = (order as f64, k as f64 + 1.0);
        coefficients[k] = coefficients[k + 1] * (2.0 * n - k as f64) * k1 / (2.0 * (n - k as f64));
    }
    let value = |z: Complex64| coefficients.iter().rev().fold(Complex64::new(0.0, 0.0), |sum, c| sum * z + c);
    // Durand–Kerner: all roots at once.
    let spread = coefficients[0].powf(1.0 / order as f64);
    let mut roots: Vec<Complex64> =
        (0..order).map(|k| Complex64::from_polar(spread, 2.0 * PI * k as f64 / order as f64 + 0.4)).collect();
    for _ in 0..500 {
        let mut moved = 0.0f64;
        for i in 0..order {
            let others: Complex64 = (0..order).filter(|&j| j != i).map(|j| roots[i] - roots[j]).product();
            let step = value(roots[i]) / others;
            roots[i] -= step;
            moved = moved.max(step.norm() / spread);
        }
        if moved < 1e-15 {
            break;
        }
    }
    let gain = |w: f64| coefficients[0] / value(Complex64::new(0.0, w)).norm();
    let (mut lo, mut hi) = (0.0, 100.0);
    for _ in 0..200 {
        let mid = 0.5 * (lo + hi);
        if gain(mid) > 0.5f64.sqrt() { lo = mid } else { hi = mid }
    }
    // Conjugates are made exact, so that sections have real coefficients.
    let mut poles = Vec::with_capacity(order);
    for r in roots.iter().map(|r| r / lo).filter(|r| r.im > 1e-9) {
        poles.extend([r, r.conj()]);
    }
    poles.extend(roots.iter().map(|r| r / lo).filter(|r| r.im.abs() <= 1e-9).map(|r| Complex64::new(r.re, 0.0)));
    poles
}

impl Filter {
    /// A Butterworth filter of `order` (1 to [`HIGHEST_ORDER`]) for samples at `sample_rate_hz`.
    ///
    /// # Errors
    /// As [`Filter::design`].
    pub fn butterworth(band: Band, order: usize, sample_rate_hz: f64) -> Result<Filter> {
        Filter::design(Family::Butterworth, band, order, sample_rate_hz)
    }

    /// A filter of a family and `order` (1 to [`HIGHEST_ORDER`]) for samples at `sample_rate_hz`.
    ///
    /// # Errors
    /// Order or ripple out of range; an edge at or beyond Nyquist or not above zero; edges not
    /// ascending.
    pub fn design(family: Family, band: Band, order: usize, sample_rate_hz: f64) -> Result<Filter> {
        check_rate(sample_rate_hz)?;
        if !(1..=HIGHEST_ORDER).contains(&order) {
            return Err(argument("order", order, format!("1 to {HIGHEST_ORDER}")));
        }
        let (prototype, level) = prototype(family, order)?;
        let nyquist = sample_rate_hz / 2.0;
        // Edges prewarped for the bilinear transform s = 2(z − 1)/(z + 1).
        let warp = |f: f64| 2.0 * (PI * f / sample_rate_hz).tan();
        let split = |p: Complex64, width: f64, middle: f64| {
            let half = p * width / 2.0;
            let root = (half * half - middle * middle).sqrt();
            [half + root, half - root]
        };
        // Poles in s; the zeros every section gets; where the prototype's gain at 0 Hz lands.
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
        if let Some(first) = sections.first_mut() {
            first.b.iter_mut().for_each(|b| *b *= level);
        }
        let state = vec![[0.0; 2]; sections.len()];
        Ok(Filter { sections, state })
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
