//! A geometry in a universal file: its points are numbers there, directions of their own are systems.

use super::Found;
use crate::FormatError;
use crate::uff::{self, Dataset, Node, Style, System, TraceLine};
use echo_job::geometry::{Geometry, Point};
use std::collections::{BTreeSet, HashMap};

/// Systems up to this number are the file's own.
const OWN: u32 = 1;

pub(super) fn read(name: &str, bytes: &[u8]) -> Result<Found, FormatError> {
    let mut g = Geometry::default();
    let (mut systems, mut nodes) = (HashMap::new(), Vec::new());
    let mut passed = BTreeSet::new();
    for dataset in uff::read(name, bytes)? {
        match dataset {
            Dataset::Nodes(found) => nodes.extend(found),
            Dataset::Systems(found) => systems.extend(found.into_iter().map(|s| (s.label, s))),
            // Nothing is drawn over a 0: what lies on both sides of it are two lines.
            Dataset::Line(line) => {
                let parts = line.nodes.split(|n| *n == 0).filter(|part| part.len() > 1);
                g.lines.extend(parts.map(|part| part.iter().map(u32::to_string).collect()));
            }
            Dataset::Faces(faces) => {
                for f in faces {
                    let corners: Vec<String> = f.nodes.iter().map(u32::to_string).collect();
                    match corners.len() {
                        2 => g.lines.push(corners),
                        3 | 4 => g.faces.push(corners),
                        n => {
                            passed.insert(format!("elements of {n} points"));
                        }
                    }
                }
            }
            Dataset::Function(_) => {
                passed.insert("functions".to_string());
            }
            Dataset::Shape(_) => {
                passed.insert("shapes".to_string());
            }
            Dataset::Other(n) => {
                passed.insert(format!("dataset {n}"));
            }
        }
    }
    let mut notes = Vec::new();
    let mut lost = BTreeSet::new();
    for n in nodes {
        let mut p = Point::new(n.label.to_string(), n.at_m[0], n.at_m[1], n.at_m[2]);
        match systems.get(&n.system) {
            Some(s) => p.turned = Point::turned_to(s.axes),
            None if n.system > OWN => {
                lost.insert(n.system);
            }
            None => {}
        }
        g.points.push(p);
    }
    let told = |all: &BTreeSet<u32>| all.iter().map(u32::to_string).collect::<Vec<_>>().join(", ");
    if !lost.is_empty() {
        let says = format!("directions of system {} are not in the file: the specimen's own were taken", told(&lost));
        notes.push(says);
    }
    if !passed.is_empty() {
        notes.push(format!("not read: {}", passed.into_iter().collect::<Vec<_>>().join(", ")));
    }
    Ok(Found { geometry: g, notes })
}

/// Numbers for the points: their own where their names are numbers, free ones above for the others.
fn numbers(g: &Geometry) -> HashMap<&str, u32> {
    let own = |p: &Point| p.name.parse::<u32>().ok().filter(|n| *n > 0 && n.to_string() == p.name);
    let mut next = g.points.iter().filter_map(own).max().unwrap_or(0);
    let mut number = |p: &Point| {
        own(p).unwrap_or_else(|| {
            next = next.saturating_add(1);
            next
        })
    };
    g.points.iter().map(|p| (p.name.as_str(), number(p))).collect()
}

/// The geometry as a universal file, in SI.
pub fn write(g: &Geometry) -> Vec<u8> {
    let numbers = numbers(g);
    let mut systems: Vec<System> = Vec::new();
    let mut node = |p: &Point| {
        let mut system = OWN;
        if p.turned != [0.0; 3] {
            let axes = p.axes();
            system = systems.iter().find(|s| s.axes == axes).map(|s| s.label).unwrap_or_else(|| {
                let label = OWN + 1 + systems.len() as u32;
                let name = p.turned.map(|a| a.to_string()).join(", ");
                systems.push(System { label, name: format!("turned by {name} degrees"), axes, at_m: [0.0; 3] });
                label
            });
        }
        Node { label: numbers[p.name.as_str()], at_m: [p.x, p.y, p.z], system }
    };
    let nodes: Vec<Node> = g.points.iter().map(&mut node).collect();
    let of = |names: &Vec<String>| names.iter().filter_map(|n| numbers.get(n.as_str()).copied()).collect::<Vec<u32>>();
    let mut all = vec![Dataset::Nodes(nodes)];
    if !systems.is_empty() {
        all.push(Dataset::Systems(systems));
    }
    for (i, line) in g.lines.iter().enumerate() {
        all.push(Dataset::Line(TraceLine { label: i as u32 + 1, name: format!("line {}", i + 1), nodes: of(line) }));
    }
    let face = |(i, f): (usize, &Vec<String>)| uff::Face { label: i as u32 + 1, nodes: of(f) };
    let faces: Vec<uff::Face> = g.faces.iter().enumerate().map(face).collect();
    if !faces.is_empty() {
        all.push(Dataset::Faces(faces));
    }
    uff::write(&all, Style::Text)
}
