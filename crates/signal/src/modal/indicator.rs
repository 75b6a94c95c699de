//! Mode indicator functions: where a structure has modes, and how many at one frequency.
//!
//! Source: Shih, Tsuei, Allemang & Brown, "Complex mode indication function and its applications
//! to spatial domain parameter estimation", MSSP 1988; Williams, Crowley & Vold, "The multivariate
//! mode indicator function in modal analysis", IMAC 1985.

use super::frf::FrfMatrix;
use crate::response::Motion;
use nalgebra::{Cholesky, DMatrix, SymmetricEigen};
use realfft::num_complex::Complex64;

/// Complex mode indicator functions `[which][line]`, the largest first: the singular values of the
/// matrix of responses, in its unit. A peak of the first is a mode; a peak of the second at the
/// same frequency is another one there. As many as the fewer of outputs and references.
pub fn cmif(functions: &FrfMatrix) -> Vec<Vec<f64>> {
    let (outputs, references) = (functions.outputs(), functions.references());
    let count = outputs.min(references);
    let mut found = vec![Vec::with_capacity(functions.lines()); count];
    for line in 0..functions.lines() {
        let h = DMatrix::from_row_slice(outputs, references, functions.line(line));
        // The smaller of both products has the same eigenvalues, the squares of the singular values.
        let square = if references <= outputs { h.adjoint() * &h } else { &h * h.adjoint() };
        let mut values: Vec<f64> = SymmetricEigen::new(square).eigenvalues.iter().copied().collect();
        values.sort_by(|a, b| b.total_cmp(a));
        for (to, v) in found.iter_mut().zip(values) {
            to.push(v.max(0.0).sqrt());
        }
    }
    found
}

/// Multivariate mode indicator functions `[which][line]`, 0 to 1, the smallest first: the share of
/// the answer's energy that cannot be brought in quadrature with the forces. A dip towards 0 is a
/// mode, a dip of the second at the same frequency another one. As many as references; NaN on lines
/// where the references do not all move the structure.
pub fn mmif(functions: &FrfMatrix) -> Vec<Vec<f64>> {
    let (outputs, references) = (functions.outputs(), functions.references());
    let mut found = vec![Vec::with_capacity(functions.lines()); references];
    // Displacement and acceleration are in quadrature with the force at a mode, velocity in phase.
    let in_phase = |z: &Complex64| if functions.motion() == Motion::Mobility { z.im } else { z.re };
    for line in 0..functions.lines() {
        let row = functions.line(line);
        let part = DMatrix::from_row_iterator(outputs, references, row.iter().map(in_phase));
        let re = DMatrix::from_row_iterator(outputs, references, row.iter().map(|z| z.re));
        let im = DMatrix::from_row_iterator(outputs, references, row.iter().map(|z| z.im));
        let whole = re.tr_mul(&re) + im.tr_mul(&im);
        let least = whole.diagonal().min();
        let values = Cholesky::new(whole).filter(|_| least > 0.0).and_then(|c| {
            let l = c.l();
            let half = l.solve_lower_triangular(&part.tr_mul(&part))?;
            let scaled = l.solve_lower_triangular(&half.transpose())?;
            let mut values: Vec<f64> = SymmetricEigen::new(scaled).eigenvalues.iter().copied().collect();
            values.sort_by(f64::total_cmp);
            Some(values)
        });
        for (k, to) in found.iter_mut().enumerate() {
            to.push(values.as_ref().map_or(f64::NAN, |v| v[k].clamp(0.0, 1.0)));
        }
    }
    found
}
