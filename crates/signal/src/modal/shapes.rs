//! Shapes of modes whose poles are known, by least squares in frequency, with what lies outside the band.
//!
//! Each response is the sum of all modes' residues over their distance to their poles, a part that
//! falls like mass (modes below the band) and one that stays like a spring (modes above it).
//!
//! Source: Guillaume et al. 2003 (as for the poles); Allemang & Brown, "A unified matrix polynomial
//! approach to modal identification", JSV 1998; Ewins, "Modal Testing", 2nd ed., ch. 4 (residuals,
//! scaling to unit modal mass).

use super::band::Band;
use super::poles::Pole;
use crate::error::{Result, SignalError, argument};
use crate::response::Motion;
use nalgebra::{DMatrix, DMatrixView};
use rayon::prelude::*;
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;

/// How a shape is scaled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ShapeScale {
    /// To a modal mass of 1 kg, by the driving point of this output and reference: 1/√kg.
    UnitModalMass {
        /// Output that sits where the force is.
        output: usize,
        /// Reference that is the force there.
        reference: usize,
    },
    /// Its largest point is 1: no driving point was measured, or none that moves.
    LargestIsOne,
}

/// A mode.
#[derive(Debug, Clone, PartialEq)]
pub struct Mode {
    /// Its pole.
    pub pole: Pole,
    /// Its shape at every output, scaled.
    pub shape: Vec<Complex64>,
    /// What its shape is scaled to.
    pub scale: ShapeScale,
    /// Residues of receptance before scaling, `[output]`; times the participation they are those of a reference.
    residues: Vec<Complex64>,
}

/// Modes of a band, with the residual terms of what lies below and above.
#[derive(Debug, Clone, PartialEq)]
pub struct Modes {
    /// Modes in the order of the poles.
    pub modes: Vec<Mode>,
    /// Share of the measured energy in the band that the synthesis misses, `[output][reference]`.
    pub misses: Vec<f64>,
    motion: Motion,
    references: usize,
    /// `[output][reference]`, of receptance: the lower residuals fall like mass, 1/kg, the upper ones stay, m/N.
    lower_residuals: Vec<f64>,
    upper_residuals: Vec<f64>,
}

/// Shapes of the poles of a band. `driving` names outputs that sit at references, both from 0;
/// with them shapes are scaled to unit modal mass.
///
/// # Errors
/// No pole; poles of another number of references; a driving point that is not there; fewer lines
/// than unknowns.
pub fn shapes(band: &Band, poles: &[Pole], driving: &[(usize, usize)]) -> Result<Modes> {
    let (outputs, inputs, lines) = (band.outputs(), band.references(), band.lines());
    check(poles, inputs)?;
    if let Some((o, r)) = driving.iter().find(|(o, r)| *o >= outputs || *r >= inputs) {
        let allowed = format!("outputs 0 to {}, references 0 to {}", outputs - 1, inputs - 1);
        return Err(argument("driving", format!("{o}, {r}"), allowed));
    }
    band.holds(unknowns(poles.len(), inputs))?;
    let model = Model::of(band, poles).ok_or_else(same)?;
    // Of each reference its own rows, so that what is missed is known for each.
    let of_reference = |i: usize| model.directions.rows(2 * lines * i, 2 * lines);
    let of_band = |i: usize| band.rows().rows(2 * lines * i, 2 * lines);
    let parts: Vec<DMatrix<f64>> =
        (0..inputs).into_par_iter().map(|i| of_reference(i).transpose() * of_band(i)).collect();
    let along = parts.iter().fold(DMatrix::zeros(parts[0].nrows(), outputs), |sum, part| sum + part);
    let found = model.unknowns(&along).ok_or_else(same)?;
    let mut misses = vec![0.0; outputs * inputs];
    for (i, part) in parts.iter().enumerate() {
        let own = of_reference(i).transpose() * of_reference(i);
        let made = &own * &along;
        for o in 0..outputs {
            let whole = band.energies()[o * inputs + i];
            let missed = whole - 2.0 * along.column(o).dot(&part.column(o)) + along.column(o).dot(&made.column(o));
            misses[o * inputs + i] = missed.max(0.0) / whole;
        }
    }
    let value = |row: usize, output: usize| found[(row, output)];
    let modes = poles.iter().enumerate().map(|(k, pole)| {
        let residues = (0..outputs).map(|o| Complex64::new(value(2 * k, o), value(2 * k + 1, o))).collect();
        scaled(pole.clone(), residues, driving)
    });
    let of = |first: usize| {
        let place = |o: usize| (0..inputs).map(move |i| (first + i, o));
        (0..outputs).flat_map(place).map(|(row, o)| value(row, o)).collect::<Vec<f64>>()
    };
    Ok(Modes {
        modes: modes.collect(),
        misses,
        motion: band.motion(),
        references: inputs,
        lower_residuals: of(2 * poles.len()),
        upper_residuals: of(2 * poles.len() + inputs),
    })
}

/// How many unknowns each output has.
pub(super) fn unknowns(poles: usize, inputs: usize) -> usize {
    2 * poles + 2 * inputs
}

/// Poles are there, and of so many references.
pub(super) fn check(poles: &[Pole], inputs: usize) -> Result<()> {
    if poles.is_empty() {
        return Err(argument("poles", "empty", "one or more"));
    }
    match poles.iter().find(|p| p.participation.len() != inputs) {
        Some(p) => {
            Err(argument("poles", p.participation.len(), format!("a participation of each reference, {inputs}")))
        }
        None => Ok(()),
    }
}

/// What is wrong with poles that cannot be told apart.
pub(super) fn same() -> SignalError {
    argument("poles", "two that are the same", "poles that differ")
}

/// The linear part of the model: what each unknown of an output does to its answers to all references, by rows
/// as the band has them. Unknowns are real and imaginary residues pole by pole, then what lies below, then above.
pub(super) struct Model {
    /// Orthonormal directions that span the columns.
    pub directions: DMatrix<f64>,
    /// What makes columns of length one of the directions, and the lengths they had.
    upper: DMatrix<f64>,
    sizes: Vec<f64>,
}

impl Model {
    /// For poles as they are; nothing where two of them are the same.
    pub(super) fn of(band: &Band, poles: &[Pole]) -> Option<Model> {
        let (inputs, lines) = (band.references(), band.lines());
        let mut matrix = DMatrix::<f64>::zeros(2 * lines * inputs, unknowns(poles.len(), inputs));
        for (line, (s, motion)) in band.places().enumerate() {
            let mut set = |column: usize, input: usize, z: Complex64| {
                let row = 2 * lines * input + line;
                (matrix[(row, column)], matrix[(row + lines, column)]) = (z.re, z.im);
            };
            for (k, pole) in poles.iter().enumerate() {
                let (near, far) = (motion / (s - pole.lambda), motion / (s - pole.lambda.conj()));
                for (input, l) in pole.participation.iter().enumerate() {
                    let (plain, mirrored) = (near * l, far * l.conj());
                    // Real and imaginary part of a residue each act through both of the pair.
                    set(2 * k, input, plain + mirrored);
                    set(2 * k + 1, input, Complex64::i() * (plain - mirrored));
                }
            }
            for input in 0..inputs {
                set(2 * poles.len() + input, input, motion / (s * s));
                set(2 * poles.len() + inputs + input, input, motion);
            }
        }
        // Columns of very different size are brought to one before they are weighed against each other.
        let sizes: Vec<f64> = matrix.column_iter().map(|c| c.norm().max(f64::MIN_POSITIVE)).collect();
        for (mut column, size) in matrix.column_iter_mut().zip(&sizes) {
            column /= *size;
        }
        let parts = matrix.qr();
        let upper = parts.r();
        if upper.diagonal().iter().any(|d| d.abs() < 1e-10) {
            return None;
        }
        Some(Model { directions: parts.q(), upper, sizes })
    }

    /// Unknowns `[unknown][output]` of answers with such shares along the directions.
    pub(super) fn unknowns(&self, along: &DMatrix<f64>) -> Option<DMatrix<f64>> {
        let mut unknowns = self.upper.solve_upper_triangular(along)?;
        for (mut row, size) in unknowns.row_iter_mut().zip(&self.sizes) {
            row /= *size;
        }
        Some(unknowns)
    }
}

/// What poles as they are explain of answers.
pub(super) struct Fit {
    /// The linear part.
    pub model: Model,
    /// `[unknown][output]`.
    pub unknowns: DMatrix<f64>,
    /// `[row][output]`: what is measured and not explained.
    pub rest: DMatrix<f64>,
}

/// Residues and residual terms of answers over a band; nothing where two poles are the same.
pub(super) fn fit(band: &Band, answers: DMatrixView<'_, f64>, poles: &[Pole]) -> Option<Fit> {
    let model = Model::of(band, poles)?;
    let along = model.directions.transpose() * answers;
    let unknowns = model.unknowns(&along)?;
    let mut rest = answers.into_owned();
    rest.gemm(-1.0, &model.directions, &along, 1.0);
    Some(Fit { model, unknowns, rest })
}

fn scaled(pole: Pole, residues: Vec<Complex64>, driving: &[(usize, usize)]) -> Mode {
    let at_driving = |(o, r): &(usize, usize)| residues[*o] * pole.participation[*r];
    let strongest = driving.iter().max_by(|a, b| at_driving(a).norm().total_cmp(&at_driving(b).norm()));
    let largest = residues.iter().copied().max_by(|a, b| a.norm().total_cmp(&b.norm())).unwrap_or_default();
    // A driving point near a node of the mode tells its mass badly.
    let usable = strongest.filter(|(o, _)| residues[*o].norm() > 1e-3 * largest.norm());
    let (factor, scale) = match usable {
        Some(&(output, reference)) => {
            // Residue of a mode of unit mass: φo·φi / (2j·ωd).
            let square = Complex64::new(0.0, 2.0 * pole.lambda.im) * at_driving(&(output, reference));
            let own = square.sqrt();
            (own / residues[output], ShapeScale::UnitModalMass { output, reference })
        }
        None => (largest.inv(), ShapeScale::LargestIsOne),
    };
    let shape = residues.iter().map(|r| r * factor).collect();
    Mode { pole, shape, scale, residues }
}

impl Modes {
    /// The response of an output to a reference that modes and residual terms make, in the motion
    /// they were found in. NaN at 0 Hz where it has no finite value.
    pub fn synthesis(&self, frequency_hz: f64, output: usize, reference: usize) -> Complex64 {
        let s = Complex64::new(0.0, TAU * frequency_hz);
        let of_modes: Complex64 = self
            .modes
            .iter()
            .map(|m| {
                let residue = m.residues[output] * m.pole.participation[reference];
                residue / (s - m.pole.lambda) + residue.conj() / (s - m.pole.lambda.conj())
            })
            .sum();
        let at = output * self.references + reference;
        let receptance = of_modes + self.lower_residuals[at] / (s * s) + self.upper_residuals[at];
        receptance * s.powi(self.motion.derivative())
    }
}
