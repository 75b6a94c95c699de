//! A geometry as CSV: a row a point, a line or a face, told by its first cell; a plain table of points is read too.

use super::Found;
use crate::FormatError;
use crate::csv::{Dialect, Letters, bare, heading};
use crate::guard::{guarded, unguarded};
use echo_job::geometry::{Geometry, Point};

const POINT: &str = "point";
const LINE: &str = "line";
const FACE: &str = "face";
const DIRECTIONS: &str = "directions";
const HEAD: [&str; 8] =
    ["kind", "name", "x [m]", "y [m]", "z [m]", "turned about x [°]", "turned about y [°]", "turned about z [°]"];

/// A column of points.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Column {
    Name,
    /// A coordinate, with how many m its unit is.
    At(usize, f64),
    Turned(usize),
    Other,
}

/// A heading as the column it is; a unit stands in any brackets behind it.
fn column(head: &str) -> Result<Column, String> {
    let (name, unit) = match heading(head) {
        (name, unit) if unit.is_empty() => match name.rsplit_once('(') {
            Some((name, unit)) => (name.trim().to_string(), unit.to_string()),
            None => (name, unit),
        },
        both => both,
    };
    let unit = bare(&unit).to_string();
    let name = name.to_lowercase();
    let axis = |text: &str| ["x", "y", "z"].iter().position(|a| *a == text);
    if let Some(i) = axis(&name) {
        return match unit.as_str() {
            "" | "m" => Ok(Column::At(i, 1.0)),
            "mm" => Ok(Column::At(i, 1e-3)),
            "cm" => Ok(Column::At(i, 1e-2)),
            "in" => Ok(Column::At(i, 0.0254)),
            "ft" => Ok(Column::At(i, 0.3048)),
            other => Err(format!("has {name} in “{other}”; allowed: m, cm, mm, in, ft")),
        };
    }
    if let Some(i) = name.strip_prefix("turned about ").and_then(axis) {
        return Ok(Column::Turned(i));
    }
    Ok(match name.as_str() {
        "name" | "point" | "node" | "label" | "number" | "id" => Column::Name,
        _ => Column::Other,
    })
}

/// Writes it.
///
/// # Errors
/// The writer's own error.
pub fn write(g: &Geometry) -> Result<Vec<u8>, FormatError> {
    let wrong = |e: &dyn std::fmt::Display| FormatError::not_that("CSV", e.to_string());
    let mut w = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    let mut put = |cells: Vec<String>| w.write_record(&cells).map_err(|e| wrong(&e));
    let name = |text: &str| guarded(text).into_owned();
    put(HEAD.map(String::from).to_vec())?;
    if g.called.iter().any(|c| !c.is_empty()) {
        put(std::iter::once(DIRECTIONS.into())
            .chain([String::new()])
            .chain(g.called.iter().map(|c| name(c)))
            .collect())?;
    }
    for p in &g.points {
        let numbers = [p.x, p.y, p.z].into_iter().chain(p.turned).map(|x| x.to_string());
        put([POINT.to_string(), name(&p.name)].into_iter().chain(numbers).collect())?;
    }
    for (kind, parts) in [(LINE, &g.lines), (FACE, &g.faces)] {
        for part in parts {
            put(std::iter::once(kind.to_string()).chain(part.iter().map(|n| name(n))).collect())?;
        }
    }
    w.into_inner().map_err(|e| wrong(&e))
}

pub(super) fn read(name: &str, bytes: &[u8]) -> Result<Found, FormatError> {
    let wrong = |says: String| FormatError::not_that(name, says);
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let letters = Letters::of(bytes);
    let text = letters.read(bytes);
    let dialect = Dialect::of(&text);
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(dialect.separator)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let mut g = Geometry::default();
    let mut notes = Vec::new();
    if letters == Letters::Latin {
        notes.push("the text is not UTF-8: it was read as ISO 8859-1".to_string());
    }
    let mut columns: Vec<Column> = Vec::new();
    for (i, record) in reader.records().enumerate() {
        let record = record.map_err(|e| wrong(format!("is not CSV: {e}")))?;
        let cells: Vec<&str> = record.iter().map(unguarded).collect();
        let filled = || cells.iter().skip(1).filter(|c| !c.is_empty()).map(|c| c.to_string()).collect::<Vec<_>>();
        match cells.first().map(|c| c.to_lowercase()).as_deref() {
            Some(LINE) => g.lines.push(filled()),
            Some(FACE) => g.faces.push(filled()),
            Some(DIRECTIONS) => {
                let called = |k: usize| cells.get(k + 2).map_or_else(String::new, |c| c.to_string());
                g.called = std::array::from_fn(called);
            }
            _ if cells.iter().all(|c| c.is_empty()) => {}
            _ if i == 0 && cells.iter().skip(1).take(3).all(|c| dialect.number(c).is_none()) => {
                columns = cells.iter().map(|c| column(c)).collect::<Result<_, String>>().map_err(wrong)?;
                if let Some(axis) = (0..3).find(|a| !columns.iter().any(|c| matches!(c, Column::At(k, _) if k == a))) {
                    let axis = ["x", "y", "z"][axis];
                    return Err(wrong(format!("has no column {axis}; allowed: a table with name, x, y and z")));
                }
            }
            _ => {
                if columns.is_empty() {
                    columns = usual(cells.len()).ok_or_else(|| {
                        wrong("is no table of points; allowed: name, x, y and z, with a head or without".into())
                    })?;
                    notes.push("the table has no head: its columns were taken as name, x, y, z in m".into());
                }
                let point = point(&cells, &columns, &dialect, g.points.len());
                g.points.push(point.map_err(|says| wrong(format!("row {}: {says}", i + 1)))?);
            }
        }
    }
    Ok(Found { geometry: g, notes })
}

/// What the columns of a table without a head are.
fn usual(columns: usize) -> Option<Vec<Column>> {
    let at = (0..3).map(|i| Column::At(i, 1.0));
    match columns {
        3 => Some(at.collect()),
        4 => Some(std::iter::once(Column::Name).chain(at).collect()),
        _ => None,
    }
}

fn point(cells: &[&str], columns: &[Column], dialect: &Dialect, before: usize) -> Result<Point, String> {
    let mut p = Point::new((before + 1).to_string(), 0.0, 0.0, 0.0);
    for (cell, column) in cells.iter().zip(columns) {
        let number = || match *cell {
            "" => Ok(0.0),
            text => dialect.number(text).ok_or_else(|| format!("“{text}” is no number")),
        };
        match column {
            Column::Name => p.name = cell.to_string(),
            Column::At(0, to_m) => p.x = number()? * to_m,
            Column::At(1, to_m) => p.y = number()? * to_m,
            Column::At(_, to_m) => p.z = number()? * to_m,
            Column::Turned(axis) => p.turned[*axis] = number()?,
            Column::Other => {}
        }
    }
    Ok(p)
}
