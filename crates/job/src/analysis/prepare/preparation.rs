//! What is done to a whole piece of a channel before the lens.

use super::steps::{Piece, apply, trimmed};
use super::units::Chosen;
use crate::Refusal;
use crate::analysis::AnalysisError;
use crate::recipe::Step;
use echo_signal::motion;

/// What is done to a whole piece of a channel before the lens.
#[derive(Debug, Clone)]
pub(super) struct Preparation {
    pub(super) steps: Vec<Step>,
    pub(super) rate: f64,
    pub(super) integrate_above_hz: f64,
}

impl Preparation {
    /// Prepares a whole piece; gives by how many samples of the new rate its start was trimmed.
    pub(super) fn carry_out(&self, c: &Chosen, samples: &mut Vec<f64>) -> Result<usize, AnalysisError> {
        let mut piece = Piece { samples: std::mem::take(samples), rate: self.rate, start_s: 0.0 };
        for step in &self.steps {
            apply(step, &mut piece)?;
        }
        if piece.samples.is_empty() {
            let (start_s, end_s) = trimmed(&self.steps);
            let says = format!(
                "{start_s} s at the start and {end_s} s at the end are trimmed; allowed: less than the stretch or a piece of it between gaps"
            );
            return Err(Refusal::new("prepare", says).into());
        }
        let rate = piece.rate;
        *samples = piece.samples;
        if c.motion > 0 {
            *samples = motion::integrate(samples, rate, c.motion, self.integrate_above_hz)?;
        } else if c.motion < 0 {
            *samples = motion::differentiate(samples, rate, -c.motion)?;
        }
        if c.motion != 0 {
            samples.iter_mut().for_each(|x| *x *= c.result_factor);
        }
        Ok((piece.start_s * rate).round() as usize)
    }

    /// The part of a piece as it came that trimming leaves.
    pub(super) fn only_trimmed(&self, samples: &mut Vec<f64>) -> Result<(), AnalysisError> {
        let mut piece = Piece { samples: std::mem::take(samples), rate: self.rate, start_s: 0.0 };
        for step in self.steps.iter().filter(|s| matches!(s, Step::Trim { .. })) {
            apply(step, &mut piece)?;
        }
        *samples = piece.samples;
        Ok(())
    }
}
