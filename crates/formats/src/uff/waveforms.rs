//! Time responses of a universal file as channels.

use super::function::{Abscissa, Function, Ordinates};
use super::kinds::{Direction, FunctionKind};
use super::{Dataset, read};
use crate::FormatError;
use crate::rate::roundest;
use echo_job::analysis::Memory;
use echo_job::dof::Dof;
use std::path::Path;

/// Reads the time responses of a whole file.
///
/// # Errors
/// The file cannot be read, is no universal file, or its time responses are no channels of one record.
pub fn open(path: &Path) -> Result<Memory, FormatError> {
    let name = path.display().to_string();
    let bytes = std::fs::read(path).map_err(|source| FormatError::Io { name: name.clone(), source })?;
    waveforms(&name, &read(&name, &bytes)?)
}

/// Time responses as channels of one record; all else in the file is left aside. A channel is called
/// by the first line of its function, or by its point and direction where that line does not tell.
///
/// # Errors
/// No time response; one that is complex or unevenly sampled; two of different rates, beginnings or lengths.
pub fn waveforms(name: &str, datasets: &[Dataset]) -> Result<Memory, FormatError> {
    let wrong = |says: String| FormatError::not_that(name, says);
    let functions = datasets.iter().filter_map(|d| if let Dataset::Function(f) = d { Some(f.as_ref()) } else { None });
    let found: Vec<&Function> = functions.filter(|f| f.kind == FunctionKind::TimeResponse).collect();
    let Some(first) = found.first() else {
        return Err(wrong("holds no time response; allowed: a universal file with one or more (dataset 58)".into()));
    };
    let telling =
        |f: &Function| !f.lines[0].is_empty() && found.iter().filter(|o| o.lines[0] == f.lines[0]).count() == 1;
    let called = |f: &Function| {
        if telling(f) { f.lines[0].clone() } else { format!("point {} {}", f.response.node, f.response.direction) }
    };
    let record = |f: &Function| match (&f.abscissa, &f.values) {
        (Abscissa::Even { from, step }, Ordinates::Real(v)) if *step > 0.0 && v.len() > 1 => {
            Ok((*from, *step, v.len()))
        }
        (Abscissa::Even { .. }, Ordinates::Real(_)) => Err("has fewer than two samples or no time between them"),
        (_, Ordinates::Complex(_)) => Err("is complex"),
        (Abscissa::Uneven(_), _) => Err("is unevenly sampled"),
    };
    let of = |f: &Function| {
        let says = |what| wrong(format!("“{}” {what}; allowed: real, evenly sampled time responses", called(f)));
        record(f).map_err(says)
    };
    let shape = of(first)?;
    let (mut channels, mut dofs) = (Vec::new(), Vec::new());
    for f in &found {
        if of(f)? != shape {
            let says = "differ in rate, beginning or length; allowed: the channels of one record";
            return Err(wrong(format!("“{}” and “{}” {says}", called(first), called(f))));
        }
        if let Ordinates::Real(samples) = &f.values {
            channels.push((called(f), f.ordinate.unit.clone(), samples.clone()));
            let numbered = f.response.node > 0;
            let direction =
                Some(f.response.direction).filter(|d| *d != Direction::SCALAR).map_or(String::new(), |d| d.to_string());
            dofs.push(Dof::read(&f.response.node.to_string(), &direction).filter(|_| numbered));
        }
    }
    // A step is written with five decimals of its leading digit.
    let (step, half) = (shape.1, 0.5 * 10f64.powi(shape.1.log10().floor() as i32 - 5));
    let (plain, rate_hz) = (1.0 / step, roundest(1.0 / (step + half), 1.0 / (step - half)));
    let mut notes = Vec::new();
    if (rate_hz / plain - 1.0).abs() > 1e-9 {
        notes.push(format!(
            "the sample rate was taken as {rate_hz} Hz: the file tells its step as {step:e} s, which is {plain:.3} Hz"
        ));
    }
    Ok(Memory::new(rate_hz, channels).with_notes(notes).with_dofs(dofs))
}
