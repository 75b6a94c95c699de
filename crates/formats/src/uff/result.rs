//! A result's curves as functions of a universal file.

use super::Dataset;
use super::function::{Abscissa, Axis, Function, NodeDof, Ordinates};
use super::kinds::{AxisKind, Direction, FunctionKind};
use crate::FormatError;
use echo_job::analysis::result::{Axis as Abscissae, Points, Trace};
use echo_job::analysis::words::{Along, Shown};
use echo_job::analysis::{Analysis, SourceChannel};
use echo_job::dof::Dof;
use echo_job::unit::{Quantity, find};

/// Each curve as a function between its channel and its reference, whose numbers stand for points.
/// Places without a value are left out.
///
/// # Errors
/// A result that is a map, or has no curve: a universal file holds curves.
pub fn of_result(result: &Analysis) -> Result<Vec<Dataset>, FormatError> {
    let refused = |what: &str| {
        let says = format!("has {what}, and a universal file holds curves; use .csv or .json for it");
        Err(FormatError::not_that("the result", says))
    };
    let Some(along) = result.axes.first().filter(|_| !result.traces.is_empty()) else {
        return refused("numbers only");
    };
    if result.traces.iter().any(|t| t.len() != along.values.len()) {
        return refused("a map");
    }
    Ok(result.traces.iter().map(|t| Dataset::Function(Box::new(function(result, along, t)))).collect())
}

fn function(result: &Analysis, along: &Abscissae, trace: &Trace) -> Function {
    let made = &result.made;
    let told =
        if trace.unit.is_empty() { trace.quantity.to_string() } else { format!("{}, {}", trace.quantity, trace.unit) };
    let kind = kind(along, trace);
    let (numerator, denominator) = parted(trace, kind);
    let (abscissa, values) = pairs(along, trace);
    Function {
        kind,
        lines: [trace.name.clone(), told, made.at.clone(), made.input.clone(), made.by.clone()],
        response: dof(trace.dof.as_ref(), Some(trace.channel)),
        reference: dof(trace.reference_dof.as_ref(), trace.reference),
        abscissa_axis: Axis { kind: axis_kind(along), label: along.name.to_string(), unit: along.unit.clone() },
        ordinate: numerator,
        denominator,
        abscissa,
        values,
    }
}

/// A point by its number and the way it moves; where a point has none, the channel's number stands for it, and
/// which way it looks the file is not told.
fn dof(of: Option<&Dof>, channel: Option<u32>) -> NodeDof {
    let numbered = of.and_then(|d| Some((d.number()?, d.axis().unwrap_or(0))));
    let (node, axis) = numbered.unwrap_or((channel.unwrap_or(0), 0));
    NodeDof { entity: String::new(), node, direction: Direction::new(i64::from(axis)).unwrap_or(Direction::SCALAR) }
}

/// A channel's samples from `from_s` on as a time response.
pub fn of_samples(channel: &SourceChannel, number: u32, (from_s, rate_hz): (f64, f64), samples: Vec<f64>) -> Dataset {
    let function = Function {
        kind: FunctionKind::TimeResponse,
        lines: [channel.name.clone(), String::new(), String::new(), String::new(), String::new()],
        response: dof(channel.dof.as_ref(), Some(number)),
        reference: dof(None, None),
        abscissa_axis: Axis { kind: AxisKind::Time, label: "time".into(), unit: "s".into() },
        ordinate: axis(channel.unit.clone(), ""),
        denominator: Axis::none(),
        abscissa: Abscissa::Even { from: from_s, step: 1.0 / rate_hz },
        values: Ordinates::Real(samples),
    };
    Dataset::Function(Box::new(function))
}

fn kind(along: &Abscissae, trace: &Trace) -> FunctionKind {
    match (trace.quantity, axis_kind(along)) {
        (Shown::Psd, _) => FunctionKind::PowerSpectralDensity,
        (Shown::Esd, _) => FunctionKind::EnergySpectralDensity,
        (Shown::Power, _) => FunctionKind::AutoSpectrum,
        (Shown::CrossPsd, _) => FunctionKind::CrossSpectrum,
        (Shown::Coherence, _) => FunctionKind::Coherence,
        (Shown::Order, _) => FunctionKind::OrderFunction,
        (_, AxisKind::Time) => FunctionKind::TimeResponse,
        _ if along.name == Along::NaturalFrequency => FunctionKind::ShockResponse,
        (_, AxisKind::Frequency) if trace.reference.is_some() => FunctionKind::FrequencyResponse,
        (_, AxisKind::Frequency) => FunctionKind::Spectrum,
        _ => FunctionKind::General,
    }
}

fn axis_kind(along: &Abscissae) -> AxisKind {
    match along.name {
        Along::Frequency | Along::NaturalFrequency => AxisKind::Frequency,
        Along::Time => AxisKind::Time,
        Along::Speed => AxisKind::Rpm,
        Along::Order => AxisKind::Order,
        _ => AxisKind::General,
    }
}

/// An axis of values in a unit.
fn axis(unit: String, label: &str) -> Axis {
    let kind = match find(&unit).map(|u| u.quantity) {
        Ok(Quantity::Acceleration) => AxisKind::Acceleration,
        Ok(Quantity::Velocity) => AxisKind::Velocity,
        Ok(Quantity::Displacement) => AxisKind::Displacement,
        Ok(Quantity::Force) => AxisKind::ExcitationForce,
        Ok(Quantity::Pressure) => AxisKind::Pressure,
        Ok(Quantity::Strain) => AxisKind::Strain,
        Ok(Quantity::Voltage) => AxisKind::General,
        Err(_) => AxisKind::Unknown,
    };
    Axis { kind, label: label.into(), unit }
}

/// The unit of a response over that of its reference, as two axes; any other unit stays whole.
fn parted(trace: &Trace, kind: FunctionKind) -> (Axis, Axis) {
    let bare = |u: &str| u.trim_start_matches('(').trim_end_matches(')').to_string();
    // (m/s²)/N, m/(m/s), N/N: the slash that stands outside of brackets.
    let mut depth = 0;
    let outside = trace.unit.char_indices().find(|(_, c)| {
        depth += i32::from(*c == '(') - i32::from(*c == ')');
        *c == '/' && depth == 0
    });
    match outside {
        Some((at, _)) if kind == FunctionKind::FrequencyResponse => {
            (axis(bare(&trace.unit[..at]), trace.quantity.word()), axis(bare(&trace.unit[at + 1..]), "reference"))
        }
        _ => (axis(trace.unit.clone(), trace.quantity.word()), Axis::none()),
    }
}

fn pairs(along: &Abscissae, trace: &Trace) -> (Abscissa, Ordinates) {
    let there = |k: usize| match &trace.points {
        Points::Real(x) => x[k].is_finite(),
        Points::Complex(z) => z[k].is_finite(),
    };
    let kept: Vec<usize> = (0..along.values.len()).filter(|k| there(*k)).collect();
    let values = match &trace.points {
        Points::Real(x) => Ordinates::Real(kept.iter().map(|k| x[*k]).collect()),
        Points::Complex(z) => Ordinates::Complex(kept.iter().map(|k| z[*k]).collect()),
    };
    let places: Vec<f64> = kept.iter().map(|k| along.values[*k]).collect();
    let (Some(from), Some(to)) = (places.first().copied(), places.last().copied()) else {
        return (Abscissa::Even { from: 0.0, step: 1.0 }, values);
    };
    let step = if places.len() > 1 { (to - from) / (places.len() - 1) as f64 } else { 1.0 };
    let off = |(k, x): (usize, &f64)| (x - from - k as f64 * step).abs() > 1e-9 * to.abs().max(from.abs());
    let even = !places.iter().enumerate().any(off);
    (if even { Abscissa::Even { from, step } } else { Abscissa::Uneven(places) }, values)
}
