//! A band of the FRF matrix, laid out once for all least squares over it.

use super::frf::FrfMatrix;
use crate::error::{Result, argument};
use crate::response::Motion;
use nalgebra::{DMatrix, DMatrixView, SymmetricEigen};
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;
use std::sync::OnceLock;

/// Most outputs that [`Band::turned`] keeps: enough for some thirty poles.
const MOST_TURNED: usize = 128;
/// Outputs up to which they are turned exactly: its effort grows with their cube.
const MOST_EXACT: usize = 512;

/// Responses of a band as real numbers: rows `[reference][real, imaginary][line]`, a column for each output.
#[derive(Debug, Clone)]
pub struct Band {
    band_hz: (f64, f64),
    frequencies_hz: Vec<f64>,
    references: usize,
    motion: Motion,
    rows: DMatrix<f64>,
    /// Sum of squares of each response, `[output][reference]`.
    energies: Vec<f64>,
    turned: OnceLock<DMatrix<f64>>,
}

impl FrfMatrix {
    /// The lines within a band, without 0 Hz, where a response to force says nothing of a mode.
    ///
    /// # Errors
    /// A band that is none, or without a line.
    pub fn band(&self, band_hz: (f64, f64)) -> Result<Band> {
        if !(band_hz.0 >= 0.0 && band_hz.1 > band_hz.0 && band_hz.1.is_finite()) {
            let told = format!("{} to {}", band_hz.0, band_hz.1);
            return Err(argument("band_hz", told, "two frequencies from 0 Hz, the lower first"));
        }
        let inside = |f: f64| f > 0.0 && (band_hz.0..=band_hz.1).contains(&f);
        let kept: Vec<usize> = (0..self.lines()).filter(|k| inside(self.frequencies_hz()[*k])).collect();
        let (lines, outputs, references) = (kept.len(), self.outputs(), self.references());
        let mut rows = DMatrix::<f64>::zeros(2 * lines * references, outputs);
        for (place, line) in kept.iter().enumerate() {
            for (at, h) in self.line(*line).iter().enumerate() {
                let (output, real) = (at / references, 2 * lines * (at % references) + place);
                (rows[(real, output)], rows[(real + lines, output)]) = (h.re, h.im);
            }
        }
        let of = |output: usize, reference: usize| rows.view((2 * lines * reference, output), (2 * lines, 1));
        let energies = (0..outputs).flat_map(|o| (0..references).map(move |i| (o, i)));
        let energies = energies.map(|(o, i)| of(o, i).norm_squared()).collect();
        let band = Band {
            band_hz,
            frequencies_hz: kept.iter().map(|k| self.frequencies_hz()[*k]).collect(),
            references,
            motion: self.motion(),
            rows,
            energies,
            turned: OnceLock::new(),
        };
        band.holds(1)?;
        Ok(band)
    }
}

impl Band {
    /// Refuses a band of fewer lines.
    pub(super) fn holds(&self, least: usize) -> Result<()> {
        if self.lines() >= least {
            return Ok(());
        }
        let allowed = format!("a band with {least} lines or more; this one has {}", self.lines());
        Err(argument("band_hz", format!("{} to {}", self.band_hz.0, self.band_hz.1), allowed))
    }

    /// Lower and upper end, Hz.
    pub fn band_hz(&self) -> (f64, f64) {
        self.band_hz
    }

    /// Frequencies of its lines, Hz.
    pub fn frequencies_hz(&self) -> &[f64] {
        &self.frequencies_hz
    }

    /// How many lines it has.
    pub fn lines(&self) -> usize {
        self.frequencies_hz.len()
    }

    /// How many degrees of freedom answer.
    pub fn outputs(&self) -> usize {
        self.rows.ncols()
    }

    /// How many degrees of freedom are excited.
    pub fn references(&self) -> usize {
        self.references
    }

    /// Which motion answers.
    pub fn motion(&self) -> Motion {
        self.motion
    }

    /// Rows `[reference][real, imaginary][line]`, a column for each output.
    pub(super) fn rows(&self) -> &DMatrix<f64> {
        &self.rows
    }

    /// Sum of squares of each response over the band, `[output][reference]`.
    pub(super) fn energies(&self) -> &[f64] {
        &self.energies
    }

    /// Real and imaginary parts of the answers to one reference, `[line][output]`.
    pub(super) fn parts(&self, reference: usize) -> (DMatrixView<'_, f64>, DMatrixView<'_, f64>) {
        let lines = self.lines();
        let first = 2 * lines * reference;
        (self.rows.rows(first, lines), self.rows.rows(first + lines, lines))
    }

    /// Of every line the place on the imaginary axis, rad/s, and what makes this motion of a receptance there.
    pub(super) fn places(&self) -> impl Iterator<Item = (Complex64, Complex64)> + '_ {
        self.frequencies_hz.iter().map(|hz| {
            let s = Complex64::new(0.0, TAU * hz);
            (s, s.powi(self.motion.derivative()))
        })
    }

    /// Rows of at least so many outputs that say the same as all: least squares do not change when outputs are
    /// turned into each other, and of those turned by how much they move only the first are more than noise.
    pub(super) fn turned(&self, kept: usize) -> DMatrixView<'_, f64> {
        if self.outputs() <= 2 * kept || kept > MOST_TURNED {
            return self.rows.columns(0, self.outputs());
        }
        let turned = self.turned.get_or_init(|| match self.outputs() {
            ..=MOST_EXACT => turned(&self.rows, MOST_TURNED),
            // Turned at random and then by how much they move, twice over: what moves much is all in it.
            _ => {
                let mut by = signs(self.outputs(), 2 * MOST_TURNED);
                for _ in 0..2 {
                    by = (self.rows.transpose() * (&self.rows * by)).qr().q();
                }
                turned(&(&self.rows * by), MOST_TURNED)
            }
        });
        turned.columns(0, kept.min(turned.ncols()))
    }
}

/// Columns turned into each other by how much they move, the first of them.
fn turned(rows: &DMatrix<f64>, most: usize) -> DMatrix<f64> {
    let eigen = SymmetricEigen::new(rows.transpose() * rows);
    let mut order: Vec<usize> = (0..rows.ncols()).collect();
    order.sort_by(|a, b| eigen.eigenvalues[*b].total_cmp(&eigen.eigenvalues[*a]));
    order.truncate(most);
    rows * eigen.eigenvectors.select_columns(&order)
}

/// Ones and minus ones in no order, the same every time.
fn signs(rows: usize, columns: usize) -> DMatrix<f64> {
    let mut state = 0x2545_f491_4f6c_dd1d_u64;
    DMatrix::from_fn(rows, columns, |_, _| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        if state >> 63 == 0 { 1.0 } else { -1.0 }
    })
}
