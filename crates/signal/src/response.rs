//! Frequency responses and coherence from averaged cross spectra, and what a response is of.
//!
//! Source: ISO 7626-1 and -2; Bendat & Piersol, "Random Data", ch. 6 and 7; Rocklin, Crowley &
//! Vold, "A comparison of H1, H2 and Hv frequency response functions", IMAC 1985.

use crate::cross::CrossSpectra;
use crate::error::{Result, argument};
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;

/// Which signal is taken to carry the noise.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Estimator {
    /// Noise on the output: `Gxy/Gxx`; with several references the solution of `Gxx·H = Gxy`.
    H1,
    /// Noise on the reference: `Gyy/Gyx`; one reference only.
    H2,
    /// Noise shared between both in the proportion of their levels: from the dominant eigenvector
    /// of the 2 × 2 matrix of both signals scaled to equal power; one reference only.
    Hv,
}

/// Responses of one output to every reference, with the coherence of the whole.
#[derive(Debug, Clone, PartialEq)]
pub struct Response {
    /// `[reference][line]`, output unit over reference unit. NaN where the references are not
    /// independent on that line.
    pub h: Vec<Vec<Complex64>>,
    /// Ordinary coherence (one reference) or multiple coherence (several), 0 to 1; NaN everywhere
    /// where fewer blocks were averaged than it needs (references + 1), for then it is 1 whatever
    /// the signals are.
    pub coherence: Vec<f64>,
}

/// Normalised random error of a response's magnitude: √(1 − γ²) / (|γ|·√(2n)).
///
/// Source: Bendat & Piersol, table 9.6.
pub fn response_error(coherence: f64, averages: usize) -> f64 {
    ((1.0 - coherence).max(0.0) / (2.0 * averages as f64 * coherence)).sqrt()
}

/// Responses of output `output` (from 0).
///
/// # Errors
/// An output that is not there; H2 or Hv with several references.
pub fn response(spectra: &CrossSpectra, output: usize, estimator: Estimator) -> Result<Response> {
    let (r, m) = (spectra.references, spectra.outputs);
    if output >= m {
        return Err(argument("output", output, format!("0 to {}", m - 1)));
    }
    if r > 1 && estimator != Estimator::H1 {
        return Err(argument("estimator", format!("{estimator:?}"), "h1 where there are several references"));
    }
    let lines = spectra.of_outputs.len();
    let mut h = vec![Vec::with_capacity(lines); r];
    let mut coherence = Vec::with_capacity(lines);
    let counts = spectra.averages > r;
    for line in 0..lines {
        let xx = &spectra.between_references[line];
        let xy: Vec<Complex64> = (0..r).map(|j| spectra.to_outputs[line][j * m + output]).collect();
        let yy = spectra.of_outputs[line][output];
        let h1 = solve(xx, &xy);
        // conj(Gxy)·H sums the part of the output that the references explain.
        let explained: f64 = xy.iter().zip(&h1).map(|(g, h)| (g.conj() * h).re).sum();
        let gamma = explained / yy;
        coherence.push(if counts && gamma.is_finite() { gamma.clamp(0.0, 1.0) } else { f64::NAN });
        let found = match estimator {
            Estimator::H1 => h1,
            Estimator::H2 => vec![Complex64::new(yy, 0.0) / xy[0].conj()],
            // With both scaled to unit power the dominant eigenvector is (1, e^jφ)/√2.
            Estimator::Hv => vec![Complex64::from_polar((yy / xx[0].re).sqrt(), xy[0].arg())],
        };
        for (to, z) in h.iter_mut().zip(found) {
            to.push(if z.is_finite() { z } else { Complex64::new(f64::NAN, f64::NAN) });
        }
    }
    Ok(Response { h, coherence })
}

/// Solves `matrix · x = right` for a Hermitian n × n matrix by elimination with row pivoting.
/// NaN where it is singular to rounding.
fn solve(matrix: &[Complex64], right: &[Complex64]) -> Vec<Complex64> {
    let n = right.len();
    let mut a: Vec<Vec<Complex64>> =
        (0..n).map(|j| matrix[j * n..(j + 1) * n].iter().copied().chain([right[j]]).collect()).collect();
    // References may differ by orders of magnitude; smallness is judged on their own scale.
    let mut scale: Vec<f64> = (0..n).map(|j| matrix[j * n + j].re).collect();
    for column in 0..n {
        let size = |row: &Vec<Complex64>, j: usize| row[column].norm() / scale[j].max(f64::MIN_POSITIVE).sqrt();
        let best = (column..n).max_by(|&p, &q| size(&a[p], p).total_cmp(&size(&a[q], q))).unwrap_or(column);
        a.swap(column, best);
        scale.swap(column, best);
        let pivot = a[column][column];
        if n > 1 && pivot.norm() <= 1e-12 * scale[column] {
            return vec![Complex64::new(f64::NAN, f64::NAN); n];
        }
        for row in column + 1..n {
            let share = a[row][column] / pivot;
            for k in column..=n {
                let take = share * a[column][k];
                a[row][k] -= take;
            }
        }
    }
    let mut x = vec![Complex64::new(0.0, 0.0); n];
    for j in (0..n).rev() {
        let rest: Complex64 = (j + 1..n).map(|k| a[j][k] * x[k]).sum();
        x[j] = (a[j][n] - rest) / a[j][j];
    }
    x
}

/// Which motion a response to force is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Motion {
    /// Displacement over force, m/N.
    Receptance,
    /// Velocity over force, (m/s)/N.
    Mobility,
    /// Acceleration over force, (m/s²)/N.
    Accelerance,
}

impl Motion {
    /// How many derivatives it stands above displacement.
    pub(crate) fn derivative(self) -> i32 {
        match self {
            Motion::Receptance => 0,
            Motion::Mobility => 1,
            Motion::Accelerance => 2,
        }
    }
}

/// Converts a response between receptance, mobility and accelerance by powers of jω.
///
/// Lines at 0 Hz have no finite value when integrating and become NaN.
///
/// # Errors
/// Different numbers of frequencies and values.
pub fn convert(h: &[Complex64], frequencies_hz: &[f64], from: Motion, to: Motion) -> Result<Vec<Complex64>> {
    if h.len() != frequencies_hz.len() {
        return Err(argument("frequencies_hz", frequencies_hz.len(), format!("as many as values, {}", h.len())));
    }
    let times = to.derivative() - from.derivative();
    Ok(h.iter()
        .zip(frequencies_hz)
        .map(|(z, f)| {
            if *f == 0.0 && times < 0 {
                Complex64::new(f64::NAN, f64::NAN)
            } else {
                z * Complex64::new(0.0, TAU * f).powi(times)
            }
        })
        .collect())
}
