//! Shapes: values at points, dataset 55.

use super::cells::{Lines, columns, meant, place, words};
use crate::FormatError;
use echo_signal::spectrum::Complex64;

/// What a shape is of.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum ShapeOf {
    /// A real mode: frequency in Hz, modal mass in kg, share of critical damping.
    NormalMode {
        /// Its number.
        number: u32,
        /// Natural frequency, Hz.
        frequency_hz: f64,
        /// Modal mass, kg.
        mass: f64,
        /// Share of critical damping.
        damping_ratio: f64,
    },
    /// A complex mode: its pole in rad/s and its modal A.
    ComplexMode {
        /// Its number.
        number: u32,
        /// Pole, rad/s.
        pole: Complex64,
        /// Modal A.
        modal_a: Complex64,
    },
    /// What moves at a frequency in Hz.
    Operating {
        /// Its number.
        number: u32,
        /// Frequency, Hz.
        frequency_hz: f64,
    },
}

/// A shape: three translations at each point.
#[derive(Debug, Clone, PartialEq)]
pub struct Shape {
    /// Five lines of words.
    pub lines: [String; 5],
    /// What it is of.
    pub of: ShapeOf,
    /// Points with what they do along X, Y and Z.
    pub points: Vec<(u32, [Complex64; 3])>,
}

/// Analysis types: normal mode, complex eigenvalue of first and second order, frequency response.
const NORMAL: i64 = 2;
const COMPLEX: i64 = 3;
const RESPONSE: i64 = 5;
const COMPLEX_SECOND: i64 = 7;

pub(super) fn read(lines: &mut Lines<'_>) -> Result<Shape, FormatError> {
    let mut told = [const { String::new() }; 5];
    for line in &mut told {
        *line = meant(&lines.need("words about a shape")?);
    }
    let head = lines.need("the kind of a shape")?;
    let [_, analysis, _, _, data, a_point] = lines.whole(&head, 10)?[..] else {
        return Err(lines.wrong("the kind of a shape needs six numbers"));
    };
    if ![3, 6].contains(&a_point) || ![2, 5].contains(&data) {
        return Err(lines.wrong("a shape must have 3 or 6 values a point, real (2) or complex (5)"));
    }
    let whole = lines.need("the number of a shape")?;
    let whole = lines.whole(&whole, 10)?;
    let real = lines.need("the frequency of a shape")?;
    let real = lines.numbers(&real, 13)?;
    let value = |k: usize| real.get(k).copied().unwrap_or(0.0);
    let number = whole.get(3).copied().and_then(|n| u32::try_from(n).ok()).unwrap_or(0);
    let of = match analysis {
        NORMAL => ShapeOf::NormalMode { number, frequency_hz: value(0), mass: value(1), damping_ratio: value(2) },
        COMPLEX | COMPLEX_SECOND => ShapeOf::ComplexMode {
            number,
            pole: Complex64::new(value(0), value(1)),
            modal_a: Complex64::new(value(2), value(3)),
        },
        RESPONSE => ShapeOf::Operating { number, frequency_hz: value(0) },
        other => return Err(lines.wrong(format!("shapes of analysis {other} are not read; allowed: 2, 3, 5 and 7"))),
    };
    let complex = data == 5;
    let wanted = a_point as usize * if complex { 2 } else { 1 };
    let mut points = Vec::new();
    while let Some(line) = lines.next() {
        let node = lines.whole(&line, 10)?.first().copied().and_then(|n| u32::try_from(n).ok());
        let node = node.ok_or_else(|| lines.wrong("a point without a number"))?;
        let mut values = Vec::new();
        while values.len() < wanted {
            let row = lines.need("the values of a point")?;
            values.extend(lines.numbers(&row, 13)?);
        }
        let one = |k: usize| if complex { Complex64::new(values[2 * k], values[2 * k + 1]) } else { values[k].into() };
        points.push((node, [one(0), one(1), one(2)]));
    }
    Ok(Shape { lines: told, of, points })
}

pub(super) fn write(shape: &Shape) -> String {
    let mut out: String = shape.lines.iter().map(|l| words(l)).collect();
    let (analysis, number, real) = match shape.of {
        ShapeOf::NormalMode { number, frequency_hz, mass, damping_ratio } => {
            (NORMAL, number, vec![frequency_hz, mass, damping_ratio, 0.0])
        }
        ShapeOf::ComplexMode { number, pole, modal_a } => {
            (COMPLEX, number, vec![pole.re, pole.im, modal_a.re, modal_a.im, 0.0, 0.0])
        }
        ShapeOf::Operating { number, frequency_hz } => (RESPONSE, number, vec![frequency_hz]),
    };
    // A normal mode is real; everything else moves with a phase.
    let complex = analysis != NORMAL;
    out += &format!("{:>10}{analysis:>10}{:>10}{:>10}{:>10}{:>10}\n", 1, 2, 8, if complex { 5 } else { 2 }, 3);
    out += &format!("{:>10}{:>10}{:>10}{number:>10}\n", 2, real.len(), 0);
    out += &columns(real.into_iter().map(place), 6);
    for (node, values) in &shape.points {
        out += &format!("{node:>10}\n");
        let flat: Vec<f64> = if complex {
            values.iter().flat_map(|z| [z.re, z.im]).collect()
        } else {
            values.iter().map(|z| z.re).collect()
        };
        out += &columns(flat.into_iter().map(place), 6);
    }
    out
}
