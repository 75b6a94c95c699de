//! Normal equations of the poles: what is left of all responses once every numerator is eliminated.
//!
//! Source: as for the poles.

use super::band::Band;
use nalgebra::{Cholesky, DMatrix, Dyn};
use std::f64::consts::PI;

/// Outputs whose equations are put together before they are added up: bounds memory.
const AT_ONCE: usize = 64;

/// Normal equations of the denominator alone, numerators of every output eliminated: symmetric,
/// `references · (max_order + 1)` square.
pub(super) fn reduced(band: &Band, max_order: usize) -> DMatrix<f64> {
    let (outputs, inputs, lines) = (band.outputs(), band.references(), band.lines());
    let n = max_order + 1;
    let (low, high) = band.band_hz();
    let angle = |line: usize| PI * (band.frequencies_hz()[line] - low) / (high - low);
    // Sums over the lines depend on the difference of two powers only: cosines and sines of it, [difference][line].
    let mut cosines = DMatrix::<f64>::zeros(n, lines);
    let mut sines = DMatrix::<f64>::zeros(n, lines);
    for line in 0..lines {
        let (sine, cosine) = angle(line).sin_cos();
        let (mut c, mut s) = (1.0, 0.0);
        for d in 0..n {
            (cosines[(d, line)], sines[(d, line)]) = (c, s);
            (c, s) = (c * cosine - s * sine, s * cosine + c * sine);
        }
    }
    let powers = cosines.column_sum();
    let linear: Vec<Differences> = (0..inputs)
        .map(|input| {
            let (re, im) = band.parts(input);
            Differences { even: &cosines * re, odd: &sines * im }
        })
        .collect();
    let mut squares = (DMatrix::<f64>::zeros(lines, inputs * inputs), DMatrix::<f64>::zeros(lines, inputs * inputs));
    for a in 0..inputs {
        for b in 0..inputs {
            let ((ar, ai), (br, bi)) = (band.parts(a), band.parts(b));
            for output in 0..outputs {
                let columns = (ar.column(output), ai.column(output), br.column(output), bi.column(output));
                let (mut re, mut im) = (squares.0.column_mut(a * inputs + b), squares.1.column_mut(a * inputs + b));
                re.cmpy(1.0, &columns.0, &columns.2, 1.0);
                re.cmpy(1.0, &columns.1, &columns.3, 1.0);
                im.cmpy(1.0, &columns.0, &columns.3, 1.0);
                im.cmpy(-1.0, &columns.1, &columns.2, 1.0);
            }
        }
    }
    let cross = Differences { even: &cosines * squares.0, odd: &sines * squares.1 };

    let toeplitz = DMatrix::from_fn(n, n, |i, j| powers[i.abs_diff(j)]);
    let mut whole = DMatrix::from_fn(n * inputs, n * inputs, |a, b| {
        cross.at(a / inputs, b / inputs, a % inputs * inputs + b % inputs)
    });
    // With the numerators' own part halved to LLᵀ, every output takes away the square of L⁻¹ times its own part.
    let factor = positive(toeplitz);
    let mut halved = DMatrix::identity(n, n);
    factor.l_dirty().solve_lower_triangular_mut(&mut halved);
    let mut of_output = DMatrix::<f64>::zeros(n, n * inputs);
    for first in (0..outputs).step_by(AT_ONCE) {
        let count = AT_ONCE.min(outputs - first);
        let mut own = DMatrix::<f64>::zeros(n * count, n * inputs);
        for place in 0..count {
            for b in 0..n * inputs {
                for i in 0..n {
                    of_output[(i, b)] = linear[b % inputs].at(i, b / inputs, first + place);
                }
            }
            own.rows_mut(place * n, n).gemm(1.0, &halved, &of_output, 0.0);
        }
        whole.gemm(-1.0, &own.transpose(), &own, 1.0);
    }
    whole
}

/// Sums over the lines of values turned by a power, for every difference of two powers: the real part of
/// `e^{jdθ} z` is even in its cosine and odd in its sine.
struct Differences {
    /// `[difference][value]`.
    even: DMatrix<f64>,
    odd: DMatrix<f64>,
}

impl Differences {
    /// Of the product of the powers `i` and `j`: it belongs to the power `j − i`.
    fn at(&self, i: usize, j: usize, value: usize) -> f64 {
        let d = (i.abs_diff(j), value);
        if j >= i { self.even[d] - self.odd[d] } else { self.even[d] + self.odd[d] }
    }
}

/// Factors of a matrix that is positive but for rounding. One whose numbers have run out of what can be
/// written, which no lifting mends, has those of a unit matrix.
pub(super) fn positive(mut matrix: DMatrix<f64>) -> Cholesky<f64, Dyn> {
    if matrix.iter().any(|x| !x.is_finite()) {
        matrix = DMatrix::identity(matrix.nrows(), matrix.ncols());
    }
    let mean = matrix.diagonal().mean().max(f64::MIN_POSITIVE);
    let mut lift = 1e-14 * mean;
    loop {
        for k in 0..matrix.nrows() {
            matrix[(k, k)] += lift;
        }
        if let Some(c) = Cholesky::new(matrix.clone()) {
            return c;
        }
        lift *= 10.0;
    }
}
