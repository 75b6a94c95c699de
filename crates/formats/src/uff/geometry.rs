//! Points, lines, faces and directions: datasets 15, 2411, 82, 2412, 2420, and units, 164.

use super::cells::{Lines, columns, exponent, meant, words};
use crate::FormatError;

/// A point of a structure.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Node {
    /// Its number.
    pub label: u32,
    /// Its place, m.
    pub at_m: [f64; 3],
    /// Number of the system that its own directions are those of; the file's own where there is none of it.
    pub system: u32,
}

/// Directions of their own.
#[derive(Debug, Clone, PartialEq)]
pub struct System {
    /// Its number.
    pub label: u32,
    /// What it is called.
    pub name: String,
    /// Its x, y and z in the directions of the file.
    pub axes: [[f64; 3]; 3],
    /// Where it begins, m.
    pub at_m: [f64; 3],
}

/// A line through points.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TraceLine {
    /// Its number.
    pub label: u32,
    /// What it is called.
    pub name: String,
    /// Points it goes through; nothing is drawn over a 0.
    pub nodes: Vec<u32>,
}

/// A face or a beam between points.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Face {
    /// Its number.
    pub label: u32,
    /// Its corners in their order: two of a beam, three or four of a face.
    pub nodes: Vec<u32>,
}

/// Descriptor of an element: a rod, a thin triangle, a thin quadrilateral.
const ROD: i64 = 11;
const TRIANGLE: i64 = 91;
const QUADRILATERAL: i64 = 94;

fn label(lines: &Lines<'_>, n: i64) -> Result<u32, FormatError> {
    u32::try_from(n).map_err(|_| lines.wrong(format!("{n} is no number of a point; allowed: 0 or more")))
}

fn three(lines: &Lines<'_>, values: &[f64]) -> Result<[f64; 3], FormatError> {
    values.try_into().map_err(|_| lines.wrong(format!("a point has three coordinates, not {}", values.len())))
}

/// A file's unit of length: how many make a metre.
pub(super) fn length_unit(lines: &mut Lines<'_>) -> Result<f64, FormatError> {
    lines.need("the name of the units")?;
    let factors = lines.need("the factors of the units")?;
    match lines.numbers(&factors, 25)?.first() {
        Some(f) if *f > 0.0 => Ok(*f),
        _ => Err(lines.wrong("the unit of length has no factor above 0")),
    }
}

/// SI units: every factor is one, no offset of temperature.
pub(super) fn si() -> String {
    let cell = |x: f64| exponent(x, 25, 16).replace('E', "D");
    format!("{:>10}{:<20}{:>10}\n{}\n{}\n", 1, "SI: m, N, K", 2, cell(1.0).repeat(3), cell(0.0))
}

/// The system of a point's own directions, its third number.
fn system(lines: &Lines<'_>, head: &str) -> Result<u32, FormatError> {
    let third = head.split_whitespace().nth(2).filter(|_| head.split_whitespace().count() > 3);
    let in_columns = || head.get(20..30).map(str::trim);
    let n = third.or_else(in_columns).and_then(|t| t.parse().ok()).unwrap_or(1);
    label(lines, n)
}

pub(super) fn systems(lines: &mut Lines<'_>, length: f64) -> Result<Vec<System>, FormatError> {
    lines.need("the number of the part")?;
    lines.need("the name of the part")?;
    let mut systems = Vec::new();
    while let Some(head) = lines.next() {
        let [own, kind, ..] = lines.whole(&head, 10)?[..] else {
            return Err(lines.wrong("a system of directions needs its number and its kind"));
        };
        let own = label(lines, own)?;
        let name = meant(&lines.need("the name of a system of directions")?);
        let mut row = || -> Result<[f64; 3], FormatError> {
            let row = lines.need("the directions of a system")?;
            three(lines, &lines.numbers(&row, 25)?)
        };
        let (axes, at) = ([row()?, row()?, row()?], row()?);
        if kind != 0 {
            let says = format!("system {own} is not one of straight axes (0), and others are not read");
            return Err(lines.wrong(says));
        }
        systems.push(System { label: own, name, axes, at_m: at.map(|x| x / length) });
    }
    Ok(systems)
}

pub(super) fn write_systems(systems: &[System]) -> String {
    let row = |v: &[f64; 3]| v.iter().map(|x| exponent(*x, 25, 16).replace('E', "D")).collect::<String>() + "\n";
    let one = |s: &System| {
        let rows: String = s.axes.iter().chain([&s.at_m]).map(row).collect();
        format!("{:>10}{:>10}{:>10}\n{}{rows}", s.label, 0, 8, words(&s.name))
    };
    format!("{:>10}\n{}{}", 1, words("specimen"), systems.iter().map(one).collect::<String>())
}

pub(super) fn nodes_15(lines: &mut Lines<'_>, length: f64) -> Result<Vec<Node>, FormatError> {
    let mut nodes = Vec::new();
    while let Some(line) = lines.next() {
        // In columns of 10 and 13, or between spaces.
        let (head, rest) = match line.split_whitespace().collect::<Vec<_>>()[..] {
            [first, _, _, _, x, y, z] => (first.to_string(), format!("{x} {y} {z}")),
            _ => match line.split_at_checked(40) {
                Some((head, rest)) => (head.to_string(), rest.to_string()),
                None => return Err(lines.wrong("a point needs four whole numbers and three coordinates")),
            },
        };
        let first = lines.whole(&head, 10)?.first().copied().unwrap_or(-1);
        let system = system(lines, &line)?;
        let place = three(lines, &lines.numbers(&rest, 13)?)?;
        nodes.push(Node { label: label(lines, first)?, at_m: place.map(|x| x / length), system });
    }
    Ok(nodes)
}

pub(super) fn nodes_2411(lines: &mut Lines<'_>, length: f64) -> Result<Vec<Node>, FormatError> {
    let mut nodes = Vec::new();
    while let Some(head) = lines.next() {
        let first = lines.whole(&head, 10)?.first().copied().unwrap_or(-1);
        let (own, system) = (label(lines, first)?, system(lines, &head)?);
        let rest = lines.need("the coordinates of a point")?;
        let place = three(lines, &lines.numbers(&rest, 25)?)?;
        nodes.push(Node { label: own, at_m: place.map(|x| x / length), system });
    }
    Ok(nodes)
}

pub(super) fn write_nodes(nodes: &[Node]) -> String {
    let one = |n: &Node| {
        let place: String = n.at_m.iter().map(|x| exponent(*x, 25, 16).replace('E', "D")).collect();
        format!("{:>10}{:>10}{:>10}{:>10}\n{place}\n", n.label, 1, n.system, 11)
    };
    nodes.iter().map(one).collect()
}

pub(super) fn line(lines: &mut Lines<'_>) -> Result<TraceLine, FormatError> {
    let head = lines.need("the number of a line")?;
    let head = lines.whole(&head, 10)?;
    let [own, count, ..] = head[..] else {
        return Err(lines.wrong("a line needs its number and how many points it has"));
    };
    let name = meant(&lines.need("the name of a line")?);
    let mut nodes = Vec::new();
    while let Some(row) = lines.next() {
        for n in lines.whole(&row, 10)? {
            nodes.push(label(lines, n)?);
        }
    }
    if i64::try_from(nodes.len()) != Ok(count) {
        return Err(lines.wrong(format!("{count} points are announced and {} given", nodes.len())));
    }
    Ok(TraceLine { label: label(lines, own)?, name, nodes })
}

pub(super) fn write_line(line: &TraceLine) -> String {
    let head = format!("{:>10}{:>10}{:>10}\n{}", line.label, line.nodes.len(), 7, words(&line.name));
    head + &columns(line.nodes.iter().map(|n| format!("{n:>10}")), 8)
}

pub(super) fn faces(lines: &mut Lines<'_>) -> Result<Vec<Face>, FormatError> {
    let mut faces = Vec::new();
    while let Some(head) = lines.next() {
        let head = lines.whole(&head, 10)?;
        let [own, kind, _, _, _, count] = head[..] else { return Err(lines.wrong("an element needs six numbers")) };
        // Beams carry a line about their cross-section first.
        if [11, 21, 22, 23, 24].contains(&kind) {
            lines.need("the orientation of a beam")?;
        }
        let mut nodes = Vec::new();
        while (nodes.len() as i64) < count {
            let row = lines.need("the corners of an element")?;
            for n in lines.whole(&row, 10)? {
                nodes.push(label(lines, n)?);
            }
        }
        faces.push(Face { label: label(lines, own)?, nodes });
    }
    Ok(faces)
}

pub(super) fn write_faces(faces: &[Face]) -> String {
    let one = |f: &Face| {
        let (kind, orientation) = match f.nodes.len() {
            0..=2 => (ROD, format!("{:>10}{:>10}{:>10}\n", 0, 1, 1)),
            3 => (TRIANGLE, String::new()),
            _ => (QUADRILATERAL, String::new()),
        };
        let head = format!("{:>10}{kind:>10}{:>10}{:>10}{:>10}{:>10}\n", f.label, 1, 1, 7, f.nodes.len());
        head + &orientation + &columns(f.nodes.iter().map(|n| format!("{n:>10}")), 8)
    };
    faces.iter().map(one).collect()
}
