//! Shapes of a result as those of a universal file.

use super::Dataset;
use super::shape::{Shape, ShapeOf};
use crate::FormatError;
use echo_job::analysis::Analysis;
use echo_job::analysis::words::{Along, Shown};
use echo_job::dof::Dof;
use echo_job::recipe::{DeflectionRecipe, Lens};
use echo_signal::spectrum::Complex64;
use std::collections::BTreeMap;
use std::f64::consts::TAU;

/// A shape for each one of a result: of modes complex ones with their poles, or real ones where they were turned so;
/// of a deflection what moves at its frequency, or at the middle of its band.
///
/// # Errors
/// A point without a number or a direction that is not x, y or z: a universal file cannot name it.
pub fn of_shapes(result: &Analysis) -> Result<Vec<Dataset>, FormatError> {
    let axis = result.axes.iter().find(|a| a.name == Along::Dof);
    let dofs = axis.map_or(&[][..], |a| &a.dofs);
    let places = dofs.iter().map(place).collect::<Result<Vec<(u32, usize, f64)>, FormatError>>()?;
    let number = |mode: Option<u32>, name: &str| {
        result.numbers.iter().find(|n| n.mode == mode && n.name == name).map_or(0.0, |n| n.value)
    };
    let real = match &result.recipe.lens {
        Lens::Modes(m) => m.real,
        Lens::OperationalModes(m) => m.real,
        _ => false,
    };
    let operating = match &result.recipe.lens {
        Lens::Deflection(DeflectionRecipe { order: Some(order), .. }) => Some(order * number(None, "speed") / 60.0),
        Lens::Deflection(DeflectionRecipe { band_hz: Some([low, high]), .. }) => Some((low + high) / 2.0),
        Lens::Deflection(_) => Some(number(None, "frequency")),
        _ => None,
    };
    let mut all = Vec::new();
    for t in result.traces.iter().filter(|t| t.quantity == Shown::Shape) {
        let (frequency_hz, damping_ratio) = (number(t.mode, "frequency"), number(t.mode, "damping_ratio"));
        let omega = TAU * frequency_hz;
        let damped = omega * (1.0 - damping_ratio * damping_ratio).sqrt();
        let nth = t.mode.unwrap_or(0);
        // Of unit modal mass where a driving point told it; else the mass is not known.
        let scaled = !t.unit.is_empty();
        let of = if let Some(frequency_hz) = operating {
            ShapeOf::Operating { number: nth.max(1), frequency_hz }
        } else if real {
            ShapeOf::NormalMode { number: nth, frequency_hz, mass: if scaled { 1.0 } else { 0.0 }, damping_ratio }
        } else {
            let modal_a = Complex64::new(0.0, if scaled { 2.0 * damped } else { 0.0 });
            ShapeOf::ComplexMode { number: nth, pole: Complex64::new(-damping_ratio * omega, damped), modal_a }
        };
        let mut points: BTreeMap<u32, [Complex64; 3]> = BTreeMap::new();
        for ((node, axis, sign), z) in places.iter().zip(t.complex().unwrap_or(&[])) {
            points.entry(*node).or_default()[*axis] = z * *sign;
        }
        let lines = [
            t.name.clone(),
            match (operating, scaled) {
                (Some(_), _) => format!("as it moves, {} rms", t.unit),
                (None, true) => "scaled to unit modal mass".into(),
                (None, false) => "scaled to its largest point".into(),
            },
            result.made.at.clone(),
            result.made.input.clone(),
            result.made.by.clone(),
        ];
        all.push(Dataset::Shape(Shape { lines, of, points: points.into_iter().collect() }));
    }
    Ok(all)
}

/// Number of the point, which of x, y and z, and the sign.
fn place(dof: &Dof) -> Result<(u32, usize, f64), FormatError> {
    let told = dof.number().zip(dof.axis());
    let (node, along) = told.ok_or_else(|| {
        let says = format!(
            "has “{dof}”, and a universal file tells points by numbers and directions by x, y and z; use .json for it"
        );
        FormatError::not_that("the result", says)
    })?;
    Ok((node, usize::from(along.unsigned_abs()) - 1, if along < 0 { -1.0 } else { 1.0 }))
}
