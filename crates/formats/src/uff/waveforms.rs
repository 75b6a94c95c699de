//! Time responses of a universal file as channels.

use super::Dataset;
use super::function::{Abscissa, Function, NodeDof, Ordinates};
use super::kinds::FunctionKind;
use super::parts::each;
use crate::FormatError;
use crate::rate::roundest;
use crate::spool::{Spool, SpoolOut};
use echo_job::analysis::{SourceChannel, SourceInfo};
use std::path::Path;

/// Reads the time responses of a whole file.
///
/// # Errors
/// The file cannot be read, is no universal file, or its time responses are no channels of one record.
pub fn open(path: &Path) -> Result<Spool, FormatError> {
    let mut gathered = Gathered::new(&path.display().to_string());
    each(path, |d| gathered.take(&d))?;
    gathered.done()
}

/// A time response without its samples.
struct Head {
    line: String,
    unit: String,
    response: NodeDof,
    begins: u64,
}

impl Head {
    fn of(f: &Function, begins: u64) -> Head {
        Head { line: f.lines[0].clone(), unit: f.ordinate.unit.clone(), response: f.response.clone(), begins }
    }

    /// By its first line, or by its point and direction where that line does not tell.
    fn called(&self, tells: bool) -> String {
        if tells && !self.line.is_empty() {
            self.line.clone()
        } else {
            format!("point {} {}", self.response.node, self.response.direction)
        }
    }
}

/// Time responses that become the channels of one record.
struct Gathered {
    name: String,
    samples: SpoolOut,
    heads: Vec<Head>,
    /// Beginning and step, s, and number of samples.
    shape: (f64, f64, usize),
}

impl Gathered {
    fn new(name: &str) -> Gathered {
        Gathered { name: name.into(), samples: SpoolOut::new(name), heads: Vec::new(), shape: (0.0, 0.0, 0) }
    }

    fn take(&mut self, dataset: &Dataset) -> Result<(), FormatError> {
        let wrong = |says: String| FormatError::not_that(&self.name, says);
        let f = match dataset {
            Dataset::Function(f) if f.kind == FunctionKind::TimeResponse => f,
            _ => return Ok(()),
        };
        let head = Head::of(f, self.samples.written());
        let said =
            |what: &str| wrong(format!("“{}” {what}; allowed: real, evenly sampled time responses", head.called(true)));
        let (shape, values) = match (&f.abscissa, &f.values) {
            (Abscissa::Even { from, step }, Ordinates::Real(v)) if *step > 0.0 && v.len() > 1 => {
                ((*from, *step, v.len()), v)
            }
            (Abscissa::Even { .. }, Ordinates::Real(_)) => {
                return Err(said("has fewer than two samples or no time between them"));
            }
            (_, Ordinates::Complex(_)) => return Err(said("is complex")),
            (Abscissa::Uneven(_), _) => return Err(said("is unevenly sampled")),
        };
        match self.heads.first() {
            Some(first) if self.shape != shape => {
                let says = "differ in rate, beginning or length; allowed: the channels of one record";
                return Err(wrong(format!("“{}” and “{}” {says}", first.called(true), head.called(true))));
            }
            _ => self.shape = shape,
        }
        self.samples.push(values)?;
        self.heads.push(head);
        Ok(())
    }

    fn done(self) -> Result<Spool, FormatError> {
        if self.heads.is_empty() {
            let says = "holds no time response; allowed: a universal file with one or more (dataset 58)";
            return Err(FormatError::not_that(&self.name, says));
        }
        let alone = |h: &Head| self.heads.iter().filter(|o| o.line == h.line).count() == 1;
        let channel =
            |h: &Head| SourceChannel { name: h.called(alone(h)), unit: h.unit.clone(), dof: h.response.dof() };
        let channels = self.heads.iter().map(channel).collect();
        // A step is written with five decimals of its leading digit.
        let (_, step, count) = self.shape;
        let half = 0.5 * 10f64.powi(step.log10().floor() as i32 - 5);
        let (plain, rate_hz) = (1.0 / step, roundest(1.0 / (step + half), 1.0 / (step - half)));
        let mut notes = Vec::new();
        if (rate_hz / plain - 1.0).abs() > 1e-9 {
            notes.push(format!(
                "the sample rate was taken as {rate_hz} Hz: the file tells its step as {step:e} s, which is {plain:.3} Hz"
            ));
        }
        let begins = self.heads.iter().map(|h| h.begins).collect();
        let info = SourceInfo {
            sample_rate_hz: rate_hz,
            samples: count as u64,
            channels,
            gaps: Vec::new(),
            takes: Vec::new(),
            full_scale: false,
            notes,
        };
        Ok(self.samples.channels(begins)?.told(info))
    }
}

/// Time responses as channels of one record; all else in the file is left aside. A channel is called by the first line
/// of its function, or by its point and direction where that line does not tell.
///
/// # Errors
/// No time response; one that is complex or unevenly sampled; two of different rates, beginnings or lengths.
pub fn waveforms(name: &str, datasets: &[Dataset]) -> Result<Spool, FormatError> {
    let mut gathered = Gathered::new(name);
    datasets.iter().try_for_each(|d| gathered.take(d))?;
    gathered.done()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::uff::kinds::Direction;
    use crate::uff::parts::next;
    use crate::uff::{Axis, Style, datasets, write};

    #[test]
    fn binary_values_may_look_like_the_end_of_a_dataset() {
        // The bytes of "    -1\n" lie within the values.
        let odd = f64::from_le_bytes(*b"\n    -1\n");
        let dof = NodeDof { entity: String::new(), node: 1, direction: Direction::SCALAR };
        let f = Function {
            kind: FunctionKind::TimeResponse,
            lines: std::array::from_fn(|_| "a".to_string()),
            response: dof.clone(),
            reference: dof,
            abscissa_axis: Axis::none(),
            ordinate: Axis::none(),
            denominator: Axis::none(),
            abscissa: Abscissa::Even { from: 0.0, step: 0.5 },
            values: Ordinates::Real(vec![odd, 1.0, odd]),
        };
        let bytes = write(&[Dataset::Function(Box::new(f))], Style::Binary);
        let mut from = &bytes[..];
        let mut parts = 0;
        let mut gathered = Gathered::new("f");
        while let Some(part) = next("f", &mut from).unwrap() {
            parts += 1;
            datasets("f", &part).unwrap().iter().for_each(|d| gathered.take(d).unwrap());
        }
        assert_eq!((parts, gathered.shape.2), (2, 3), "units, then the function");
    }
}
