//! A result's curves as functions of a universal file.

use super::Dataset;
use super::function::{Abscissa, Axis, Dof, Function, Ordinates};
use super::kinds::{AxisKind, Direction, FunctionKind};
use crate::FormatError;
use echo_job::analysis::Analysis;
use echo_job::analysis::result::{Axis as Along, Trace};
use echo_job::unit::{Quantity, find};
use echo_signal::spectrum::Complex64;

/// Each curve as a function between its channel and its reference, whose numbers stand for points.
/// Places without a value are left out.
///
/// # Errors
/// A result that is a map, or has no curve: a universal file holds curves.
pub fn of_result(result: &Analysis) -> Result<Vec<Dataset>, FormatError> {
    let refused = |what: &str| {
        let says = format!("has {what}; a universal file holds curves, so allowed are .csv and .json for it");
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

fn function(result: &Analysis, along: &Along, trace: &Trace) -> Function {
    let made = &result.made;
    let told =
        if trace.unit.is_empty() { trace.quantity.clone() } else { format!("{}, {}", trace.quantity, trace.unit) };
    let kind = kind(along, trace);
    let (numerator, denominator) = parted(trace, kind);
    let (abscissa, values) = pairs(along, trace);
    Function {
        kind,
        lines: [trace.name.clone(), told, made.at.clone(), made.input.clone(), made.by.clone()],
        response: dof(Some(trace.channel)),
        reference: dof(trace.reference),
        abscissa_axis: Axis { kind: axis_kind(along), label: along.name.clone(), unit: along.unit.clone() },
        ordinate: numerator,
        denominator,
        abscissa,
        values,
    }
}

/// A channel's number stands for its point; which way it looks the file is not told.
fn dof(channel: Option<u32>) -> Dof {
    Dof { entity: String::new(), node: channel.unwrap_or(0), direction: Direction::SCALAR }
}

fn kind(along: &Along, trace: &Trace) -> FunctionKind {
    match (trace.quantity.as_str(), axis_kind(along)) {
        ("PSD", _) => FunctionKind::PowerSpectralDensity,
        ("ESD", _) => FunctionKind::EnergySpectralDensity,
        ("power", _) => FunctionKind::AutoSpectrum,
        ("cross PSD", _) => FunctionKind::CrossSpectrum,
        ("coherence", _) => FunctionKind::Coherence,
        ("order", _) => FunctionKind::OrderFunction,
        (_, AxisKind::Time) => FunctionKind::TimeResponse,
        _ if along.name == "natural frequency" => FunctionKind::ShockResponse,
        (_, AxisKind::Frequency) if trace.reference.is_some() => FunctionKind::FrequencyResponse,
        (_, AxisKind::Frequency) => FunctionKind::Spectrum,
        _ => FunctionKind::General,
    }
}

fn axis_kind(along: &Along) -> AxisKind {
    match (along.unit.as_str(), along.name.as_str()) {
        ("Hz", _) => AxisKind::Frequency,
        ("s", "time") => AxisKind::Time,
        ("rpm", _) => AxisKind::Rpm,
        (_, "order") => AxisKind::Order,
        _ => AxisKind::General,
    }
}

/// The unit of a response over that of its reference, as two axes; any other unit stays whole.
fn parted(trace: &Trace, kind: FunctionKind) -> (Axis, Axis) {
    let bare = |u: &str| u.trim_start_matches('(').trim_end_matches(')').to_string();
    let of = |unit: String, label: &str| {
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
    };
    // (m/s²)/N, m/(m/s), N/N: the slash that stands outside of brackets.
    let mut depth = 0;
    let outside = trace.unit.char_indices().find(|(_, c)| {
        depth += i32::from(*c == '(') - i32::from(*c == ')');
        *c == '/' && depth == 0
    });
    match outside {
        Some((at, _)) if kind == FunctionKind::FrequencyResponse => {
            (of(bare(&trace.unit[..at]), &trace.quantity), of(bare(&trace.unit[at + 1..]), "reference"))
        }
        _ => (of(trace.unit.clone(), &trace.quantity), Axis::none()),
    }
}

fn pairs(along: &Along, trace: &Trace) -> (Abscissa, Ordinates) {
    let there = |k: usize| match (&trace.re, &trace.im) {
        (Some(re), Some(im)) => re[k].is_finite() && im[k].is_finite(),
        _ => trace.values[k].is_finite(),
    };
    let kept: Vec<usize> = (0..along.values.len()).filter(|k| there(*k)).collect();
    let values = match (&trace.re, &trace.im) {
        (Some(re), Some(im)) => Ordinates::Complex(kept.iter().map(|k| Complex64::new(re[*k], im[*k])).collect()),
        _ => Ordinates::Real(kept.iter().map(|k| trace.values[*k]).collect()),
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
