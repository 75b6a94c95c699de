//! Poles moved to where they explain the measured responses best.
//!
//! The linear estimate of the poles weighs noise with the denominator and reads weak modes as too
//! lightly damped. From there Gauss–Newton steps on frequency, decay and participation alone,
//! residues being eliminated at every step, lead to the least squares of the responses themselves.
//!
//! Source: Golub & Pereyra, "The differentiation of pseudo-inverses and nonlinear least squares
//! problems whose variables separate", SIAM J. Numer. Anal. 1973; Kaufman, BIT 1975.

use super::band::Band;
use super::poles::Pole;
use super::shapes::{Fit, check, fit, same, unknowns};
use crate::error::Result;
use nalgebra::{DMatrix, DVector};
use realfft::num_complex::Complex64;

/// Steps after which it stops in any case.
const STEPS: usize = 30;

/// A step that would change every pole by less than this share is not taken any more.
const ENOUGH: f64 = 1e-8;

/// How far a pole may move before it is taken to have lost its mode: a share of its frequency, and a factor of its
/// damping.
const ASTRAY: (f64, f64) = (0.03, 4.0);

/// The poles of a band, refined together. Poles that would leave the band or lose their mode stay as they were, and
/// the others are refined beside them.
///
/// # Errors
/// No pole; two that are the same; poles of another number of references; fewer lines than unknowns.
pub fn refined(band: &Band, poles: &[Pole]) -> Result<Vec<Pole>> {
    check(poles, band.references())?;
    band.holds(unknowns(poles.len(), band.references()))?;
    let mut held = vec![false; poles.len()];
    loop {
        let now = settled(band, poles, &held)?;
        let strays: Vec<bool> = poles.iter().zip(&now).map(|(old, new)| astray(band, old, new)).collect();
        if !strays.contains(&true) {
            return Ok(now);
        }
        held.iter_mut().zip(strays).for_each(|(held, strays)| *held |= strays);
    }
}

/// Whether a pole is no longer that of the mode it was.
fn astray(band: &Band, old: &Pole, new: &Pole) -> bool {
    let (low, high) = band.band_hz();
    let moved = (new.frequency_hz() / old.frequency_hz() - 1.0).abs();
    let damped = (new.damping_ratio() / old.damping_ratio()).ln().abs();
    !(low..=high).contains(&new.frequency_hz()) || moved > ASTRAY.0 || damped > ASTRAY.1.ln()
}

/// Steps from the poles to the least rest; those held do not move.
fn settled(band: &Band, poles: &[Pole], held: &[bool]) -> Result<Vec<Pole>> {
    // A mode, its residual terms and what disturbs it take some outputs each.
    let answers = band.turned(4 * poles.len() + 8);
    let mut now = poles.to_vec();
    if !held.contains(&false) {
        return Ok(now);
    }
    let mut best = fit(band, answers, &now).ok_or_else(same)?;
    for _ in 0..STEPS {
        let Some(step) = step(band, &now, held, &best) else { break };
        if largest(&now, &moved(&now, &step, 1.0)) < ENOUGH {
            break;
        }
        let mut share = 1.0;
        let taken = loop {
            let tried = moved(&now, &step, share);
            let inside = tried.iter().all(|p| p.lambda.re < 0.0 && p.lambda.im > 0.0);
            let better =
                if inside { fit(band, answers, &tried).filter(|f| f.rest.norm() < best.rest.norm()) } else { None };
            match better {
                Some(f) => break Some((tried, f)),
                None if share < 1e-3 => break None,
                None => share /= 2.0,
            }
        };
        let Some((tried, found)) = taken else { break };
        (now, best) = (tried, found);
    }
    Ok(now)
}

/// Largest change of a pole, as a share of it.
fn largest(before: &[Pole], after: &[Pole]) -> f64 {
    let change = |(a, b): (&Pole, &Pole)| (a.lambda - b.lambda).norm() / a.lambda.norm();
    before.iter().zip(after).map(change).fold(0.0, f64::max)
}

/// Numbers a pole has: decay, frequency, and both parts of each participation.
fn width(inputs: usize) -> usize {
    2 + 2 * inputs
}

fn moved(poles: &[Pole], step: &DVector<f64>, share: f64) -> Vec<Pole> {
    let one = |(k, pole): (usize, &Pole)| {
        let first = k * width(pole.participation.len());
        let by = |at: usize| Complex64::new(step[first + at], step[first + at + 1]) * share;
        let raw: Vec<Complex64> = pole.participation.iter().enumerate().map(|(i, l)| l + by(2 + 2 * i)).collect();
        let length = raw.iter().map(Complex64::norm_sqr).sum::<f64>().sqrt();
        Pole { lambda: pole.lambda + by(0), participation: raw.into_iter().map(|l| l / length).collect() }
    };
    poles.iter().enumerate().map(one).collect()
}

/// What a pole's change does to answers, apart from how much each output takes part in it: for each pole two columns
/// for its place and two for its participation in each input. With a residue `a + jb` an output's own columns are
/// `a` times the first of a pair plus `b` times the second, and `a` times the second less `b` times the first.
fn slopes(band: &Band, poles: &[Pole]) -> DMatrix<f64> {
    let (inputs, lines) = (band.references(), band.lines());
    let mut basis = DMatrix::<f64>::zeros(2 * lines * inputs, poles.len() * width(inputs));
    for (line, (s, motion)) in band.places().enumerate() {
        for (k, pole) in poles.iter().enumerate() {
            let (near, far) = ((s - pole.lambda).inv(), (s - pole.lambda.conj()).inv());
            for (input, l) in pole.participation.iter().enumerate() {
                let row = 2 * lines * input + line;
                let mut set = |column: usize, plain: Complex64, mirrored: Complex64| {
                    let column = k * width(inputs) + column;
                    let (one, two) = (motion * (plain + mirrored), motion * Complex64::i() * (plain - mirrored));
                    (basis[(row, column)], basis[(row + lines, column)]) = (one.re, one.im);
                    (basis[(row, column + 1)], basis[(row + lines, column + 1)]) = (two.re, two.im);
                };
                set(0, l * near * near, l.conj() * far * far);
                set(2 + 2 * input, near, far);
            }
        }
    }
    basis
}

/// Change of every pole that lessens the rest most, to first order.
fn step(band: &Band, poles: &[Pole], held: &[bool], now: &Fit) -> Option<DVector<f64>> {
    let inputs = band.references();
    let unknown = poles.len() * width(inputs);
    let basis = slopes(band, poles);
    let turned = basis.transpose();
    // What residues can take over themselves is no matter of the poles.
    let taken = now.model.directions.transpose() * &basis;
    let whole = &turned * &basis;
    let own = &whole - taken.transpose() * &taken;
    let along = &turned * &now.rest;
    let pole_of = |pair: usize| 2 * pair / width(inputs);
    let residue = |pair: usize, output: usize| {
        let k = pole_of(pair);
        (now.unknowns[(2 * k, output)], now.unknowns[(2 * k + 1, output)])
    };
    let mut normal = DMatrix::<f64>::zeros(unknown, unknown);
    let mut right = DVector::<f64>::zeros(unknown);
    // Sizes before anything is taken over: what is all taken over is nothing but rounding beside them.
    let mut sizes = DVector::<f64>::zeros(unknown);
    for output in 0..now.rest.ncols() {
        for p in 0..unknown / 2 {
            let (a, b) = residue(p, output);
            let (x, y) = (along[(2 * p, output)], along[(2 * p + 1, output)]);
            right[2 * p] += a * x + b * y;
            right[2 * p + 1] += a * y - b * x;
            let (one, two, both) = (whole[(2 * p, 2 * p)], whole[(2 * p + 1, 2 * p + 1)], whole[(2 * p, 2 * p + 1)]);
            sizes[2 * p] += a * a * one + b * b * two + 2.0 * a * b * both;
            sizes[2 * p + 1] += a * a * two + b * b * one - 2.0 * a * b * both;
        }
    }
    for p in 0..unknown / 2 {
        for q in 0..unknown / 2 {
            // Sums over the outputs of what both residues make together.
            let (aa, ab, ba, bb) = (0..now.rest.ncols()).fold((0.0, 0.0, 0.0, 0.0), |(aa, ab, ba, bb), output| {
                let ((a, b), (c, d)) = (residue(p, output), residue(q, output));
                (aa + a * c, ab + a * d, ba + b * c, bb + b * d)
            });
            let m = |i: usize, j: usize| own[(2 * p + i, 2 * q + j)];
            normal[(2 * p, 2 * q)] = aa * m(0, 0) + ab * m(0, 1) + ba * m(1, 0) + bb * m(1, 1);
            normal[(2 * p, 2 * q + 1)] = aa * m(0, 1) - ab * m(0, 0) + ba * m(1, 1) - bb * m(1, 0);
            normal[(2 * p + 1, 2 * q)] = aa * m(1, 0) + ab * m(1, 1) - ba * m(0, 0) - bb * m(0, 1);
            normal[(2 * p + 1, 2 * q + 1)] = aa * m(1, 1) - ab * m(1, 0) - ba * m(0, 1) + bb * m(0, 0);
        }
    }
    for k in (0..poles.len()).filter(|k| held[*k]) {
        let own = k * width(inputs);
        normal.rows_mut(own, width(inputs)).fill(0.0);
        normal.columns_mut(own, width(inputs)).fill(0.0);
        right.rows_mut(own, width(inputs)).fill(0.0);
    }
    // The length and phase of a participation change nothing: that direction is held by a little stiffness.
    let sizes = sizes.map(|d| d.max(0.0).sqrt().max(f64::MIN_POSITIVE));
    let scaled = DMatrix::from_fn(unknown, unknown, |a, b| {
        normal[(a, b)] / (sizes[a] * sizes[b]) + if a == b { 1e-9 } else { 0.0 }
    });
    scaled.cholesky().map(|c| c.solve(&right.component_div(&sizes)).component_div(&sizes))
}
