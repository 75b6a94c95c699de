//! Frequency responses as modal analysis takes them: every output to every reference, line by line.

use crate::error::{Result, argument};
use crate::response::Motion;
use realfft::num_complex::Complex64;

/// Responses of `outputs` degrees of freedom to forces at `references` of them.
#[derive(Debug, Clone, PartialEq)]
pub struct FrfMatrix {
    frequencies_hz: Vec<f64>,
    outputs: usize,
    references: usize,
    motion: Motion,
    values: Vec<Complex64>,
}

impl FrfMatrix {
    /// From values `[line][output][reference]` in SI units of the motion over N.
    ///
    /// # Errors
    /// Frequencies that do not rise or are negative; no output or reference; another number of
    /// values than frequencies × outputs × references; a value that is not finite.
    pub fn new(
        frequencies_hz: Vec<f64>,
        outputs: usize,
        references: usize,
        motion: Motion,
        values: Vec<Complex64>,
    ) -> Result<FrfMatrix> {
        for (name, count) in [("outputs", outputs), ("references", references)] {
            if count == 0 {
                return Err(argument(name, count, "1 or more"));
            }
        }
        let rises = frequencies_hz.windows(2).all(|w| w[1] > w[0]) && frequencies_hz.iter().all(|f| f.is_finite());
        if !rises || frequencies_hz.first().is_none_or(|f| *f < 0.0) {
            return Err(argument(
                "frequencies_hz",
                "not rising from 0 Hz or more",
                "finite values, each above the last",
            ));
        }
        let wanted = frequencies_hz.len() * outputs * references;
        if values.len() != wanted {
            let allowed = format!("lines × outputs × references, {wanted}");
            return Err(argument("values", format!("{} long", values.len()), allowed));
        }
        if let Some(at) = values.iter().position(|z| !z.is_finite()) {
            let hz = frequencies_hz[at / (outputs * references)];
            return Err(argument("values", format!("{} at {hz} Hz", values[at]), "finite numbers"));
        }
        Ok(FrfMatrix { frequencies_hz, outputs, references, motion, values })
    }

    /// Frequencies, Hz.
    pub fn frequencies_hz(&self) -> &[f64] {
        &self.frequencies_hz
    }

    /// How many frequencies there are.
    pub fn lines(&self) -> usize {
        self.frequencies_hz.len()
    }

    /// How many degrees of freedom answer.
    pub fn outputs(&self) -> usize {
        self.outputs
    }

    /// How many degrees of freedom are excited.
    pub fn references(&self) -> usize {
        self.references
    }

    /// Which motion answers.
    pub fn motion(&self) -> Motion {
        self.motion
    }

    /// One value.
    pub fn at(&self, line: usize, output: usize, reference: usize) -> Complex64 {
        self.line(line)[output * self.references + reference]
    }

    /// All of a line, `[output][reference]`.
    pub(super) fn line(&self, line: usize) -> &[Complex64] {
        let width = self.outputs * self.references;
        &self.values[line * width..(line + 1) * width]
    }
}
