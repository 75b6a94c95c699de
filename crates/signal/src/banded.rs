//! Symmetric equations that couple only neighbours, by Cholesky's factors.
//! Source: Golub & Van Loan, "Matrix Computations" (2013), 4.3.

use crate::numeric::dot;

/// The lower half of a symmetric banded matrix, row by row, before and after it is factored.
#[derive(Debug, Clone)]
pub(crate) struct Banded {
    size: usize,
    /// Elements left of the diagonal that may differ from 0.
    half: usize,
    /// Each row from `half` columns before its diagonal up to it.
    rows: Vec<f64>,
}

impl Banded {
    /// Nothing but zeros.
    pub fn zeros(size: usize, half: usize) -> Banded {
        Banded { size, half, rows: vec![0.0; size * (half + 1)] }
    }

    fn place(&self, row: usize, column: usize) -> usize {
        row * self.half + self.half + column
    }

    /// Adds to an element on or left of the diagonal.
    pub fn add(&mut self, row: usize, column: usize, value: f64) {
        let place = self.place(row, column);
        self.rows[place] += value;
    }

    /// Adds values times a factor to elements of a row from a column on, up to the diagonal at most.
    pub fn add_row(&mut self, row: usize, column: usize, values: &[f64], factor: f64) {
        let place = self.place(row, column);
        self.rows[place..place + values.len()].iter_mut().zip(values).for_each(|(r, v)| *r += factor * v);
    }

    /// L of L·Lᵀ; none where the matrix is not positive definite.
    pub fn factored(mut self) -> Option<Banded> {
        let width = self.half + 1;
        for i in 0..self.size {
            let (before, own) = self.rows.split_at_mut(i * width);
            let own = &mut own[..width];
            let from = i.saturating_sub(self.half);
            for j in from..i {
                let other = &before[j * width..(j + 1) * width];
                // Columns that both rows have: from the later of their beginnings.
                let first = from.max(j.saturating_sub(self.half));
                let a = &own[first + self.half - i..j + self.half - i];
                let b = &other[first + self.half - j..self.half];
                let sum = dot(a, b);
                own[j + self.half - i] = (own[j + self.half - i] - sum) / other[self.half];
            }
            let left = own[self.half] - dot(&own[..self.half], &own[..self.half]);
            if !(left > 0.0 && left.is_finite()) {
                return None;
            }
            own[self.half] = left.sqrt();
        }
        Some(self)
    }

    /// Solves with the factor: `x` is the right side before and the solution after.
    pub fn solve(&self, x: &mut [f64]) {
        let width = self.half + 1;
        for i in 0..self.size {
            let from = i.saturating_sub(self.half);
            let row = &self.rows[i * width..(i + 1) * width];
            x[i] = (x[i] - dot(&row[from + self.half - i..self.half], &x[from..i])) / row[self.half];
        }
        for i in (0..self.size).rev() {
            let from = i.saturating_sub(self.half);
            let row = &self.rows[i * width..(i + 1) * width];
            x[i] /= row[self.half];
            let own = x[i];
            x[from..i].iter_mut().zip(&row[from + self.half - i..self.half]).for_each(|(x, l)| *x -= l * own);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_banded_system_is_solved_and_a_bad_one_refused() {
        // Diagonal 4, −1 one and 0.5 two beside it.
        let n = 9;
        let mut m = Banded::zeros(n, 2);
        let value = |i: usize, j: usize| [4.0, -1.0, 0.5, 0.0][i.abs_diff(j).min(3)];
        for i in 0..n {
            let from = i.saturating_sub(2);
            let row: Vec<f64> = (from..=i).map(|j| value(i, j)).collect();
            m.add_row(i, from, &row, 1.0);
        }
        let wanted: Vec<f64> = (0..n).map(|i| (i as f64 * 1.7).sin()).collect();
        let mut x: Vec<f64> = (0..n).map(|i| (0..n).map(|j| value(i, j) * wanted[j]).sum()).collect();
        m.clone().factored().unwrap().solve(&mut x);
        x.iter().zip(&wanted).for_each(|(x, w)| assert!((x - w).abs() < 1e-14));
        m.add(4, 4, -9.0);
        assert!(m.factored().is_none());
    }
}
