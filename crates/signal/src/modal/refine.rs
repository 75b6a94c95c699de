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

/// Change of every pole that lessens the rest most, to first order.
fn step(band: &FrfMatrix, poles: &[Pole], now: &Fit) -> Option<DVector<f64>> {
    let inputs = band.references();
    let rows = 2 * band.lines() * inputs;
    let unknown = poles.len() * width(inputs);
    let mut normal = DMatrix::<f64>::zeros(unknown, unknown);
    let mut right = DVector::<f64>::zeros(unknown);
    for output in 0..band.outputs() {
        let mut slope = DMatrix::<f64>::zeros(rows, unknown);
        for line in 0..band.lines() {
            let s = Complex64::new(0.0, TAU * band.frequencies_hz()[line]);
            let motion = s.powi(band.motion().derivative());
            for (k, pole) in poles.iter().enumerate() {
                let residue = Complex64::new(now.unknowns[(2 * k, output)], now.unknowns[(2 * k + 1, output)]);
                let (near, far) = ((s - pole.lambda).inv(), (s - pole.lambda.conj()).inv());
                for input in 0..inputs {
                    let row = 2 * (line * inputs + input);
                    let own = residue * pole.participation[input];
                    let mut set = |column: usize, plain: Complex64, mirrored: Complex64| {
                        let (re, im) = (motion * (plain + mirrored), motion * Complex64::i() * (plain - mirrored));
                        let column = k * width(inputs) + column;
                        (slope[(row, column)], slope[(row + 1, column)]) = (re.re, re.im);
                        (slope[(row, column + 1)], slope[(row + 1, column + 1)]) = (im.re, im.im);
                    };
                    set(0, own * near * near, own.conj() * far * far);
                    set(2 + 2 * input, residue * near, residue.conj() * far);
                }
            }
        }
        // What residues can take over themselves is no matter of the poles.
        slope -= &now.directions * now.directions.tr_mul(&slope);
        normal += slope.tr_mul(&slope);
        right += slope.tr_mul(&now.rest.column(output));
    }
    // The length and phase of a participation change nothing: that direction is held by a little stiffness.
    let sizes = normal.diagonal().map(|d| d.sqrt().max(f64::MIN_POSITIVE));
    let scaled = DMatrix::from_fn(unknown, unknown, |a, b| {
        normal[(a, b)] / (sizes[a] * sizes[b]) + if a == b { 1e-9 } else { 0.0 }
    });
    scaled.cholesky().map(|c| c.solve(&right.component_div(&sizes)).component_div(&sizes))
}
