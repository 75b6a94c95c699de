//! The geometry of a specimen: points with their own directions, lines and faces between them.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`generate`] | beams, plates, boxes and cylinders from a few numbers |
//! | [`edit`] | its tables changed as a spreadsheet is: typed, pasted, filled, removed |
//! | [`places`] | what the rig's points and directions mean on it |
//! | [`mesh`] | a surface that points are put onto |
//! | [`drawn`] | a small drawing of its lines |

pub mod drawn;
pub mod edit;
pub mod generate;
pub mod mesh;
pub mod places;

use crate::Refusal;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;

/// Most points, and lines and faces together.
const MOST_POINTS: usize = 20_000;
const MOST_PARTS: usize = 60_000;
/// Largest coordinate, m.
const LARGEST_M: f64 = 1e6;
/// Longest name of a point, characters.
const LONGEST: usize = 40;

/// Whether a text is a name: one line of up to so many characters, without what stands between names.
fn is_name(text: &str) -> bool {
    let fits = !text.trim().is_empty() && text.chars().count() <= LONGEST;
    fits && !text.chars().any(|c| c.is_control() || c == ';')
}

/// A point of the specimen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = SpecimenPoint)]
pub struct Point {
    /// Its name, often a number; used once.
    pub name: String,
    /// Along the specimen's x, m.
    pub x: f64,
    /// Along its y, m.
    pub y: f64,
    /// Along its z, m.
    pub z: f64,
    /// How its own directions are turned against those of the specimen: about x, then y, then z, degrees.
    #[serde(default)]
    pub turned: [f64; 3],
}

/// Points, lines and faces.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Geometry {
    /// What the directions along x, y and z are called besides, such as “axial”; empty where they are not.
    #[serde(default)]
    pub called: [String; 3],
    /// Its points.
    #[serde(default)]
    pub points: Vec<Point>,
    /// Lines, each through two or more points by their names.
    #[serde(default)]
    pub lines: Vec<Vec<String>>,
    /// Faces of three or four points by their names.
    #[serde(default)]
    pub faces: Vec<Vec<String>>,
}

impl Point {
    /// A point whose directions are the specimen's.
    pub fn new(name: impl Into<String>, x: f64, y: f64, z: f64) -> Point {
        Point { name: name.into(), x, y, z, turned: [0.0; 3] }
    }

    /// The point's own x, y and z as directions of the specimen, of length one.
    pub fn axes(&self) -> [[f64; 3]; 3] {
        let [a, b, c] = self.turned.map(f64::to_radians);
        let turn = |v: [f64; 3]| {
            let [x, y, z] = v;
            let (y, z) = (y * a.cos() - z * a.sin(), y * a.sin() + z * a.cos());
            let (x, z) = (x * b.cos() + z * b.sin(), -x * b.sin() + z * b.cos());
            [x * c.cos() - y * c.sin(), x * c.sin() + y * c.cos(), z]
        };
        [turn([1.0, 0.0, 0.0]), turn([0.0, 1.0, 0.0]), turn([0.0, 0.0, 1.0])]
    }

    /// By how much a point is turned whose own x, y and z are these; the inverse of [`Point::axes`].
    pub fn turned_to(axes: [[f64; 3]; 3]) -> [f64; 3] {
        let [x, y, z] = axes;
        let about_y = (-x[2]).clamp(-1.0, 1.0).asin();
        // Looking straight up or down, turning about x and about z are one: it is told as about x.
        let (about_x, about_z) =
            if about_y.cos().abs() < 1e-9 { ((-z[1]).atan2(y[1]), 0.0) } else { (y[2].atan2(z[2]), x[1].atan2(x[0])) };
        // A turn by nought is nought, not nearly.
        [about_x, about_y, about_z].map(|a| (a.to_degrees() * 1e9).round() / 1e9 + 0.0)
    }
}

impl Geometry {
    /// Whether there is nothing in it.
    pub fn is_empty(&self) -> bool {
        self.points.is_empty()
    }

    /// A point by its name.
    pub fn point(&self, name: &str) -> Option<&Point> {
        self.points.iter().find(|p| p.name == name)
    }

    /// Checks it.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self) -> Result<(), Refusal> {
        for (axis, called) in ["x", "y", "z"].into_iter().zip(&self.called) {
            if !called.is_empty() && !is_name(called) {
                let says = format!("the name of {axis} must be one line of up to {LONGEST} characters");
                return Err(Refusal::new("called", says));
            }
            if called.starts_with(['+', '-', '\u{2212}']) {
                return Err(Refusal::new("called", format!("the name of {axis} must not begin with a sign")));
            }
        }
        let named: Vec<&String> = self.called.iter().filter(|c| !c.is_empty()).collect();
        if let Some(twice) = named.iter().enumerate().find_map(|(i, c)| named[..i].contains(c).then_some(c)) {
            return Err(Refusal::new("called", format!("two directions are called “{twice}”")));
        }
        if self.points.len() > MOST_POINTS {
            return Err(Refusal::new("points", format!("{} points; allowed: up to {MOST_POINTS}", self.points.len())));
        }
        let mut places: HashMap<&str, usize> = HashMap::with_capacity(self.points.len());
        for (i, p) in self.points.iter().enumerate() {
            let row = i + 1;
            if !is_name(&p.name) {
                let says =
                    format!("the point of row {row} needs a name of up to {LONGEST} characters and no semicolon");
                return Err(Refusal::new("name", says));
            }
            if let Some(other) = places.insert(&p.name, row) {
                return Err(Refusal::new("name", format!("“{}” is the name of rows {other} and {row}", p.name)));
            }
            for (axis, value) in [("x", p.x), ("y", p.y), ("z", p.z)] {
                if !(value.is_finite() && value.abs() <= LARGEST_M) {
                    let says = format!("{axis} of point {} must be a length of up to 1 000 km, not {value} m", p.name);
                    return Err(Refusal::new(axis, says));
                }
            }
            if let Some(angle) = p.turned.iter().find(|a| !(a.is_finite() && a.abs() <= 360.0)) {
                let says = format!("point {} must be turned by up to 360°, not {angle}°", p.name);
                return Err(Refusal::new("turned", says));
            }
        }
        if self.lines.len() + self.faces.len() > MOST_PARTS {
            let says = format!("{} lines and faces; allowed: up to {MOST_PARTS}", self.lines.len() + self.faces.len());
            return Err(Refusal::new("lines", says));
        }
        let parts = self.lines.iter().map(|l| ("lines", "a line", 2..=usize::MAX, l));
        let faces = self.faces.iter().map(|f| ("faces", "a face", 3..=4, f));
        for (field, what, allowed, part) in parts.chain(faces) {
            if !allowed.contains(&part.len()) {
                let wanted = if field == "lines" { "two or more" } else { "three or four" };
                return Err(Refusal::new(field, format!("{what} goes through {wanted} points, not {}", part.len())));
            }
            if let Some(name) = part.iter().find(|n| !places.contains_key(n.as_str())) {
                return Err(Refusal::new(field, format!("{what} goes through “{name}”, which is no point")));
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn near(a: [f64; 3], b: [f64; 3]) -> bool {
        a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-12)
    }

    #[test]
    fn a_points_own_directions_are_turned_about_x_then_y_then_z() {
        let turned = |turned| Point { turned, ..Point::new("1", 0.0, 0.0, 0.0) }.axes();
        assert_eq!(turned([0.0; 3]), [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]);
        let [x, y, z] = turned([0.0, 0.0, 90.0]);
        assert!(near(x, [0.0, 1.0, 0.0]) && near(y, [-1.0, 0.0, 0.0]) && near(z, [0.0, 0.0, 1.0]));
        let [x, y, z] = turned([90.0, 0.0, 90.0]);
        assert!(near(x, [0.0, 1.0, 0.0]) && near(y, [0.0, 0.0, 1.0]) && near(z, [1.0, 0.0, 0.0]), "{x:?} {y:?} {z:?}");
    }

    #[test]
    fn turns_come_back_from_the_directions() {
        for turned in [
            [0.0; 3],
            [10.0, -20.0, 130.0],
            [0.0, 0.0, 90.0],
            [-170.0, 45.0, -5.0],
            [30.0, 90.0, 0.0],
            [5.0, -90.0, 0.0],
        ] {
            let axes = Point { turned, ..Point::new("1", 0.0, 0.0, 0.0) }.axes();
            let back = Point::turned_to(axes);
            assert!(turned.iter().zip(back).all(|(a, b)| (a - b).abs() < 1e-7), "{turned:?} and {back:?}");
        }
    }

    #[test]
    fn what_does_not_hold_together_is_refused() {
        let points =
            vec![Point::new("1", 0.0, 0.0, 0.0), Point::new("2", 1.0, 0.0, 0.0), Point::new("3", 0.0, 1.0, 0.0)];
        let name = |n: &[&str]| n.iter().map(|n| n.to_string()).collect::<Vec<_>>();
        let good = Geometry {
            points,
            called: Default::default(),
            lines: vec![name(&["1", "2", "3"])],
            faces: vec![name(&["1", "2", "3"])],
        };
        assert_eq!(good.check(), Ok(()));
        let says = |change: &dyn Fn(&mut Geometry)| {
            let mut g = good.clone();
            change(&mut g);
            g.check().unwrap_err().says
        };
        assert!(says(&|g| g.points[1].name = "1".into()).contains("rows 1 and 2"));
        assert!(says(&|g| g.points[1].name = " ".into()).contains("row 2 needs a name"));
        assert!(says(&|g| g.points[1].y = f64::NAN).contains("y of point 2"));
        assert!(says(&|g| g.points[1].turned[2] = 400.0).contains("up to 360°"));
        assert!(says(&|g| g.lines[0].truncate(1)).contains("two or more"));
        assert!(says(&|g| g.faces[0].truncate(2)).contains("three or four"));
        assert!(says(&|g| g.faces[0][1] = "9".into()).contains("“9”, which is no point"));
        assert!(says(&|g| g.called = ["axial".into(), "axial".into(), String::new()]).contains("two directions"));
        assert!(says(&|g| g.called[2] = "-z".into()).contains("sign"));
    }
}
