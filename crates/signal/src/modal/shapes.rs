//! Shapes of modes whose poles are known, by least squares in frequency, with what lies outside the band.
//!
//! Each response is the sum of all modes' residues over their distance to their poles, a part that
//! falls like mass (modes below the band) and one that stays like a spring (modes above it).
//!
//! Source: Guillaume et al. 2003 (as for the poles); Allemang & Brown, "A unified matrix polynomial
//! approach to modal identification", JSV 1998; Ewins, "Modal Testing", 2nd ed., ch. 4 (residuals,
//! scaling to unit modal mass).

use super::frf::FrfMatrix;
use super::poles::Pole;
use crate::error::{Result, SignalError, argument};
use crate::response::Motion;
use nalgebra::DMatrix;
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
    motion: Motion,
    references: usize,
    /// `[output][reference]`, of receptance: the lower residuals fall like mass, 1/kg, the upper ones stay, m/N.
    lower_residuals: Vec<f64>,
    upper_residuals: Vec<f64>,
}

/// Shapes of the poles in a band. `driving` names outputs that sit at references, both from 0;
/// with them shapes are scaled to unit modal mass.
///
/// # Errors
/// No pole; poles of another number of references; a driving point that is not there; fewer lines
/// than unknowns.
pub fn shapes(functions: &FrfMatrix, band_hz: (f64, f64), poles: &[Pole], driving: &[(usize, usize)]) -> Result<Modes> {
    let (outputs, inputs) = (functions.outputs(), functions.references());
    check(poles, inputs)?;
    if let Some((o, r)) = driving.iter().find(|(o, r)| *o >= outputs || *r >= inputs) {
        let allowed = format!("outputs 0 to {}, references 0 to {}", outputs - 1, inputs - 1);
        return Err(argument("driving", format!("{o}, {r}"), allowed));
    }
    let unknown = 2 * poles.len() + 2 * inputs;
    let band = functions.within(band_hz, unknown)?;
    let found = fit(&band, poles).ok_or_else(same)?;
    let value = |row: usize, output: usize| found.unknowns[(row, output)];
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
        motion: functions.motion(),
        references: inputs,
        lower_residuals: of(2 * poles.len()),
        upper_residuals: of(2 * poles.len() + inputs),
    })
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

/// The linear part of the model: what each unknown of an output does to its answers to all references.
pub(super) struct Fit {
    /// Columns of length one, as orthonormal directions that span them.
    pub directions: DMatrix<f64>,
    /// `[unknown][output]`: real and imaginary residues pole by pole, then below, then above.
    pub unknowns: DMatrix<f64>,
    /// `[row][output]`: what is measured and not explained.
    pub rest: DMatrix<f64>,
}

/// Residues and residual terms of all outputs for poles as they are; nothing where two of them are the same.
pub(super) fn fit(band: &FrfMatrix, poles: &[Pole]) -> Option<Fit> {
    let inputs = band.references();
    let rows = 2 * band.lines() * inputs;
    let mut matrix = DMatrix::<f64>::zeros(rows, 2 * poles.len() + 2 * inputs);
    let mut right = DMatrix::<f64>::zeros(rows, band.outputs());
    for line in 0..band.lines() {
        let s = Complex64::new(0.0, TAU * band.frequencies_hz()[line]);
        let motion = s.powi(band.motion().derivative());
        for input in 0..inputs {
            let row = 2 * (line * inputs + input);
            let mut set = |column: usize, z: Complex64| {
                matrix[(row, column)] = z.re;
                matrix[(row + 1, column)] = z.im;
            };
            for (k, pole) in poles.iter().enumerate() {
                let l = pole.participation[input];
                let (plain, mirrored) = (motion * l / (s - pole.lambda), motion * l.conj() / (s - pole.lambda.conj()));
                // Real and imaginary part of a residue each act through both of the pair.
                set(2 * k, plain + mirrored);
                set(2 * k + 1, Complex64::i() * (plain - mirrored));
            }
            set(2 * poles.len() + input, motion / (s * s));
            set(2 * poles.len() + inputs + input, motion);
            for output in 0..band.outputs() {
                let h = band.at(line, output, input);
                right[(row, output)] = h.re;
                right[(row + 1, output)] = h.im;
            }
        }
    }
    // Columns of very different size are brought to one before they are weighed against each other.
    let sizes: Vec<f64> = matrix.column_iter().map(|c| c.norm().max(f64::MIN_POSITIVE)).collect();
    for (mut column, size) in matrix.column_iter_mut().zip(&sizes) {
        column /= *size;
    }
    let parts = matrix.qr();
    let directions = parts.q();
    let along = directions.tr_mul(&right);
    let upper = parts.r();
    if upper.diagonal().iter().any(|d| d.abs() < 1e-10) {
        return None;
    }
    let mut unknowns = upper.solve_upper_triangular(&along)?;
    for (mut row, size) in unknowns.row_iter_mut().zip(&sizes) {
        row /= *size;
    }
    let rest = right - &directions * along;
    Some(Fit { directions, unknowns, rest })
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

    /// Share of the measured energy in a band that the synthesis misses, for each output and
    /// reference `[output][reference]`, 0 to 1 and more.
    ///
    /// # Errors
    /// A band without lines; functions of another number of outputs or references.
    pub fn misses(&self, functions: &FrfMatrix, band_hz: (f64, f64)) -> Result<Vec<f64>> {
        let band = functions.within(band_hz, 1)?;
        let (outputs, inputs) = (band.outputs(), band.references());
        if outputs * inputs != self.upper_residuals.len() || inputs != self.references {
            return Err(argument("functions", format!("{outputs} × {inputs}"), "those the modes were found in"));
        }
        let pairs = (0..outputs).flat_map(|o| (0..inputs).map(move |i| (o, i)));
        Ok(pairs
            .map(|(o, i)| {
                let (missed, whole) = (0..band.lines()).fold((0.0, 0.0), |(missed, whole), line| {
                    let h = band.at(line, o, i);
                    let off = h - self.synthesis(band.frequencies_hz()[line], o, i);
                    (missed + off.norm_sqr(), whole + h.norm_sqr())
                });
                missed / whole
            })
            .collect())
    }
}
