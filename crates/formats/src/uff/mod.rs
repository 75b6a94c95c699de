//! Universal files: geometry, functions and shapes as test programs exchange them.
//!
//! A file is a row of datasets, each between two lines that hold −1 alone; its first line is its
//! number. Read and written are 15 and 2411 (points), 82 (lines), 2412 (faces), 2420 (own directions of
//! points), 58 (functions, text and binary) and 55 (shapes); 164 (units) is heeded in reading lengths and written as SI. Others
//! are named and passed over.
//!
//! Source: the descriptions of universal file datasets published by the Structural Dynamics
//! Research Laboratory, University of Cincinnati.

mod cells;
mod curves;
mod function;
mod geometry;
mod kinds;
mod modes;
mod parts;
mod result;
mod shape;
mod waveforms;

pub use curves::{Curves, Kept, curves};
pub use function::{Abscissa, Axis, Function, NodeDof, Ordinates};
pub use geometry::{Face, Node, System, TraceLine};
pub use kinds::{AxisKind, Direction, FunctionKind};
pub use modes::of_shapes;
pub use result::{of_result, of_samples};
pub use shape::{Shape, ShapeOf};
pub use waveforms::{open, waveforms};

use crate::FormatError;
use cells::Lines;

/// One dataset of a universal file.
#[derive(Debug, Clone, PartialEq)]
pub enum Dataset {
    /// Points in m (15, 2411).
    Nodes(Vec<Node>),
    /// Directions that points have as their own (2420).
    Systems(Vec<System>),
    /// A line through points (82).
    Line(TraceLine),
    /// Faces and beams between points (2412).
    Faces(Vec<Face>),
    /// A function of one or two degrees of freedom (58).
    Function(Box<Function>),
    /// A shape: values at points (55).
    Shape(Shape),
    /// One that is not read.
    Other(u32),
}

/// Which way a universal file writes functions.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Style {
    /// All as text.
    #[default]
    Text,
    /// Values of functions in binary, little-endian.
    Binary,
}

/// Reads a file; `name` is how it is called in errors.
///
/// # Errors
/// A dataset that breaks off or holds what it must not, with the line.
pub fn read(name: &str, bytes: &[u8]) -> Result<Vec<Dataset>, FormatError> {
    let found = datasets(name, bytes)?;
    if found.is_empty() {
        return Err(FormatError::not_that(name, "holds no dataset; allowed: a universal file"));
    }
    Ok(found)
}

/// The same; nothing where there is none but units.
fn datasets(name: &str, bytes: &[u8]) -> Result<Vec<Dataset>, FormatError> {
    let mut lines = Lines::new(name, bytes);
    let mut found = Vec::new();
    // Lengths divided by this are in m.
    let mut length = 1.0;
    while let Some(head) = lines.dataset()? {
        let number: String = head.trim().chars().take_while(char::is_ascii_digit).collect();
        let binary = head.trim()[number.len()..].starts_with('b');
        match (number.as_str(), binary) {
            ("15", false) => found.push(Dataset::Nodes(geometry::nodes_15(&mut lines, length)?)),
            ("2411", false) => found.push(Dataset::Nodes(geometry::nodes_2411(&mut lines, length)?)),
            ("2420", false) => found.push(Dataset::Systems(geometry::systems(&mut lines, length)?)),
            ("82", false) => found.push(Dataset::Line(geometry::line(&mut lines)?)),
            ("2412", false) => found.push(Dataset::Faces(geometry::faces(&mut lines)?)),
            ("58", false) => found.push(Dataset::Function(Box::new(function::text(&mut lines)?))),
            ("58", true) => found.push(Dataset::Function(Box::new(function::binary(&mut lines, &head)?))),
            ("55", false) => found.push(Dataset::Shape(shape::read(&mut lines)?)),
            ("164", false) => length = geometry::length_unit(&mut lines)?,
            (other, _) => {
                let Ok(number) = other.parse() else {
                    return Err(lines.wrong(format!("“{}” is no number of a dataset", head.trim())));
                };
                found.push(Dataset::Other(number));
            }
        }
        lines.end()?;
    }
    Ok(found)
}

/// Writes datasets in SI units, one after the other; what was not read is not written.
pub fn write(datasets: &[Dataset], style: Style) -> Vec<u8> {
    let mut out = Vec::new();
    let mut put = |number: &str, body: &[u8]| {
        out.extend_from_slice(b"    -1\n");
        out.extend_from_slice(format!("{number:>6}\n").as_bytes());
        out.extend_from_slice(body);
        out.extend_from_slice(b"    -1\n");
    };
    put("164", geometry::si().as_bytes());
    for dataset in datasets {
        match dataset {
            Dataset::Nodes(nodes) => put("2411", geometry::write_nodes(nodes).as_bytes()),
            Dataset::Systems(systems) => put("2420", geometry::write_systems(systems).as_bytes()),
            Dataset::Line(line) => put("82", geometry::write_line(line).as_bytes()),
            Dataset::Faces(faces) => put("2412", geometry::write_faces(faces).as_bytes()),
            Dataset::Function(f) if style == Style::Binary => {
                let (head, body) = function::write_binary(f);
                put(&head, &body);
            }
            Dataset::Function(f) => put("58", function::write_text(f).as_bytes()),
            Dataset::Shape(s) => put("55", shape::write(s).as_bytes()),
            Dataset::Other(_) => {}
        }
    }
    out
}
