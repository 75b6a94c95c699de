//! Poles moved to where they explain the measured responses best.
//!
//! The linear estimate of the poles weighs noise with the denominator and reads weak modes as too
//! lightly damped. From there Gauss–Newton steps on frequency, decay and participation alone,
//! residues being eliminated at every step, lead to the least squares of the responses themselves.
//!
//! Source: Golub & Pereyra, "The differentiation of pseudo-inverses and nonlinear least squares
//! problems whose variables separate", SIAM J. Numer. Anal. 1973; Kaufman, BIT 1975.

use super::frf::FrfMatrix;
use super::poles::Pole;
use super::shapes::{Fit, check, fit, same};
use crate::error::Result;
use nalgebra::{DMatrix, DVector, SymmetricEigen};
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;

/// Steps after which it stops in any case.
const STEPS: usize = 30;

/// A step that changes every pole by less than this share is the last.
const ENOUGH: f64 = 1e-8;

/// The poles of a band, refined together. Poles that would leave the band stay as they were.
///
/// # Errors
/// No pole; two that are the same; poles of another number of references; fewer lines than unknowns.
pub fn refined(functions: &FrfMatrix, band_hz: (f64, f64), poles: &[Pole]) -> Result<Vec<Pole>> {
    let inputs = functions.references();
    check(poles, inputs)?;
    let band = together(functions.within(band_hz, 2 * poles.len() + 2 * inputs)?, poles.len())?;
    let mut now = poles.to_vec();
    let mut best = fit(&band, &now).ok_or_else(same)?;
    for _ in 0..STEPS {
        let Some(step) = step(&band, &now, &best) else { break };
        let mut share = 1.0;
        let taken = loop {
            let tried = moved(&now, &step, share);
            let inside = tried.iter().all(|p| p.lambda.re < 0.0 && p.lambda.im > 0.0);
            let better = if inside { fit(&band, &tried).filter(|f| f.rest.norm() < best.rest.norm()) } else { None };
            match better {
                Some(f) => break Some((tried, f)),
                None if share < 1e-3 => break None,
                None => share /= 2.0,
            }
        };
        let Some((tried, found)) = taken else { break };
        let change = now.iter().zip(&tried).map(|(a, b)| (a.lambda - b.lambda).norm() / a.lambda.norm());
        let largest = change.fold(0.0, f64::max);
        (now, best) = (tried, found);
        if largest < ENOUGH {
            break;
        }
    }
    let in_band = |p: &Pole| (band_hz.0..=band_hz.1).contains(&p.frequency_hz());
    Ok(now.into_iter().zip(poles).map(|(new, old)| if in_band(&new) { new } else { old.clone() }).collect())
}

/// Fewer outputs that say the same: least squares do not change when outputs are turned into each other, and of
/// those turned by how much they move only the first are more than noise. A mode, its residual terms and what
/// disturbs it take some each.
fn together(band: FrfMatrix, poles: usize) -> Result<FrfMatrix> {
    let (outputs, inputs) = (band.outputs(), band.references());
    let kept = 4 * poles + 8;
    if outputs <= 2 * kept {
        return Ok(band);
    }
    let mut rows = DMatrix::<f64>::zeros(2 * band.lines() * inputs, outputs);
    for line in 0..band.lines() {
        for output in 0..outputs {
            for input in 0..inputs {
                let (row, h) = (2 * (line * inputs + input), band.at(line, output, input));
                (rows[(row, output)], rows[(row + 1, output)]) = (h.re, h.im);
            }
        }
    }
    let eigen = SymmetricEigen::new(rows.tr_mul(&rows));
    let mut order: Vec<usize> = (0..outputs).collect();
    order.sort_by(|a, b| eigen.eigenvalues[*b].total_cmp(&eigen.eigenvalues[*a]));
    let first: Vec<_> = order[..kept].iter().map(|k| eigen.eigenvectors.column(*k).into_owned()).collect();
    let turned = rows * DMatrix::from_columns(&first);
    let value = |line: usize, output: usize, input: usize| {
        let row = 2 * (line * inputs + input);
        Complex64::new(turned[(row, output)], turned[(row + 1, output)])
    };
    let values = (0..band.lines())
        .flat_map(|line| (0..kept).flat_map(move |o| (0..inputs).map(move |i| (line, o, i))))
        .map(|(line, o, i)| value(line, o, i))
        .collect();
    FrfMatrix::new(band.frequencies_hz().to_vec(), kept, inputs, band.motion(), values)
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
fn slopes(band: &FrfMatrix, poles: &[Pole]) -> DMatrix<f64> {
    let inputs = band.references();
    let mut basis = DMatrix::<f64>::zeros(2 * band.lines() * inputs, poles.len() * width(inputs));
    for line in 0..band.lines() {
        let s = Complex64::new(0.0, TAU * band.frequencies_hz()[line]);
        let motion = s.powi(band.motion().derivative());
        for (k, pole) in poles.iter().enumerate() {
            let (near, far) = ((s - pole.lambda).inv(), (s - pole.lambda.conj()).inv());
            for input in 0..inputs {
                let row = 2 * (line * inputs + input);
                let l = pole.participation[input];
                let mut set = |column: usize, plain: Complex64, mirrored: Complex64| {
                    let column = k * width(inputs) + column;
                    let (one, two) = (motion * (plain + mirrored), motion * Complex64::i() * (plain - mirrored));
                    (basis[(row, column)], basis[(row + 1, column)]) = (one.re, one.im);
                    (basis[(row, column + 1)], basis[(row + 1, column + 1)]) = (two.re, two.im);
                };
                set(0, l * near * near, l.conj() * far * far);
                set(2 + 2 * input, near, far);
            }
        }
    }
    basis
}

/// Change of every pole that lessens the rest most, to first order.
fn step(band: &FrfMatrix, poles: &[Pole], now: &Fit) -> Option<DVector<f64>> {
    let inputs = band.references();
    let unknown = poles.len() * width(inputs);
    let basis = slopes(band, poles);
    let turned = basis.transpose();
    // What residues can take over themselves is no matter of the poles.
    let taken = now.directions.tr_mul(&basis);
    let whole = &turned * &basis;
    let own = &whole - taken.tr_mul(&taken);
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
    for output in 0..band.outputs() {
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
            let (aa, ab, ba, bb) = (0..band.outputs()).fold((0.0, 0.0, 0.0, 0.0), |(aa, ab, ba, bb), output| {
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
    // The length and phase of a participation change nothing: that direction is held by a little stiffness.
    let sizes = sizes.map(|d| d.max(0.0).sqrt().max(f64::MIN_POSITIVE));
    let scaled = DMatrix::from_fn(unknown, unknown, |a, b| {
        normal[(a, b)] / (sizes[a] * sizes[b]) + if a == b { 1e-9 } else { 0.0 }
    });
    scaled.cholesky().map(|c| c.solve(&right.component_div(&sizes)).component_div(&sizes))
}
