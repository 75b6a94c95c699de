//! Beams, plates, boxes and cylinders from a few numbers; their points are counted on from a first one.

use super::{Geometry, Point};
use crate::Refusal;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;
use utoipa::ToSchema;

/// Most points that are made at once.
const MOST: usize = 5000;

/// A body.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "body", rename_all = "snake_case", deny_unknown_fields)]
#[schema(as = GeneratedBody)]
pub enum Body {
    /// Points along x.
    Beam {
        /// Its length, m.
        length_m: f64,
        /// Points along it, 2 or more.
        points: usize,
    },
    /// Points in x and y.
    Plate {
        /// Along x, m.
        length_m: f64,
        /// Along y, m.
        width_m: f64,
        /// Points along x, 2 or more.
        along: usize,
        /// Points along y, 2 or more.
        across: usize,
    },
    /// The edges of a box, with points along each.
    Box {
        /// Along x, m.
        length_m: f64,
        /// Along y, m.
        width_m: f64,
        /// Along z, m.
        height_m: f64,
        /// Points along an edge, 2 or more.
        points: usize,
    },
    /// Rings along z; each point's x shows outwards.
    Cylinder {
        /// Its radius, m.
        radius_m: f64,
        /// Along z, m.
        height_m: f64,
        /// Points around, 3 or more.
        around: usize,
        /// Rings, 2 or more.
        along: usize,
    },
}

/// A grid that is being named and joined.
struct Made {
    first: usize,
    prefix: String,
    geometry: Geometry,
}

impl Made {
    fn name(&self, i: usize) -> String {
        format!("{}{}", self.prefix, self.first + i)
    }

    fn point(&mut self, x: f64, y: f64, z: f64) {
        let name = self.name(self.geometry.points.len());
        self.geometry.points.push(Point::new(name, x, y, z));
    }

    fn line(&mut self, through: impl IntoIterator<Item = usize>) {
        let line = through.into_iter().map(|i| self.name(i)).collect();
        self.geometry.lines.push(line);
    }

    fn face(&mut self, of: [usize; 4]) {
        let face = of.iter().map(|i| self.name(*i)).collect();
        self.geometry.faces.push(face);
    }
}

fn spaced(length: f64, n: usize) -> impl Iterator<Item = f64> {
    (0..n).map(move |i| length * i as f64 / (n - 1) as f64)
}

impl Body {
    fn check(&self) -> Result<(), Refusal> {
        let (lengths, counts): (Vec<f64>, Vec<(usize, usize)>) = match *self {
            Body::Beam { length_m, points } => (vec![length_m], vec![(points, 2)]),
            Body::Plate { length_m, width_m, along, across } => {
                (vec![length_m, width_m], vec![(along, 2), (across, 2)])
            }
            Body::Box { length_m, width_m, height_m, points } => (vec![length_m, width_m, height_m], vec![(points, 2)]),
            Body::Cylinder { radius_m, height_m, around, along } => {
                (vec![radius_m, height_m], vec![(around, 3), (along, 2)])
            }
        };
        if let Some(bad) = lengths.iter().find(|l| !(l.is_finite() && **l > 0.0 && **l <= 1e6)) {
            return Err(Refusal::new("length_m", format!("a length must be above 0 and up to 1 000 km, not {bad} m")));
        }
        if let Some((n, least)) = counts.iter().find(|(n, least)| n < least) {
            return Err(Refusal::new("points", format!("{n} points; allowed: {least} or more")));
        }
        let all = counts.iter().map(|c| c.0).try_fold(1usize, |a, n| a.checked_mul(n));
        if all.is_none_or(|n| n > MOST) {
            return Err(Refusal::new("points", format!("a body has up to {MOST} points")));
        }
        Ok(())
    }

    /// Its geometry; points are called by a prefix and a number that counts on from `first`.
    ///
    /// # Errors
    /// A length or a number of points that is not allowed.
    pub fn geometry(&self, prefix: &str, first: usize) -> Result<Geometry, Refusal> {
        self.check()?;
        let mut made = Made { first, prefix: prefix.trim_start().into(), geometry: Geometry::default() };
        match *self {
            Body::Beam { length_m, points } => {
                spaced(length_m, points).for_each(|x| made.point(x, 0.0, 0.0));
                made.line(0..points);
            }
            Body::Plate { length_m, width_m, along, across } => {
                for y in spaced(width_m, across) {
                    spaced(length_m, along).for_each(|x| made.point(x, y, 0.0));
                }
                let at = |i: usize, j: usize| j * along + i;
                (0..across).for_each(|j| made.line((0..along).map(|i| at(i, j))));
                (0..along).for_each(|i| made.line((0..across).map(|j| at(i, j))));
                for j in 1..across {
                    (1..along).for_each(|i| made.face([at(i - 1, j - 1), at(i, j - 1), at(i, j), at(i - 1, j)]));
                }
            }
            Body::Box { length_m, width_m, height_m, points } => {
                edges(&mut made, [length_m, width_m, height_m], points)
            }
            Body::Cylinder { radius_m, height_m, around, along } => {
                for z in spaced(height_m, along) {
                    for k in 0..around {
                        let angle = TAU * k as f64 / around as f64;
                        made.point(radius_m * angle.cos(), radius_m * angle.sin(), z);
                        if let Some(p) = made.geometry.points.last_mut() {
                            p.turned[2] = angle.to_degrees();
                        }
                    }
                }
                let at = |k: usize, j: usize| j * around + k % around;
                (0..along).for_each(|j| made.line((0..=around).map(|k| at(k, j))));
                (0..around).for_each(|k| made.line((0..along).map(|j| at(k, j))));
                for j in 1..along {
                    (0..around).for_each(|k| made.face([at(k, j - 1), at(k + 1, j - 1), at(k + 1, j), at(k, j)]));
                }
            }
        }
        Ok(made.geometry)
    }
}

/// The twelve edges of a box: its corners first, then what lies between them.
fn edges(made: &mut Made, sizes: [f64; 3], points: usize) {
    let corner =
        |i: usize| -> [f64; 3] { std::array::from_fn(|axis| if i >> axis & 1 == 1 { sizes[axis] } else { 0.0 }) };
    for i in 0..8 {
        let [x, y, z] = corner(i);
        made.point(x, y, z);
    }
    for axis in 0..3 {
        for from in (0..8).filter(|i| i >> axis & 1 == 0) {
            let to = from | 1 << axis;
            let mut through = vec![from];
            for k in 1..points - 1 {
                let mut at = corner(from);
                at[axis] = sizes[axis] * k as f64 / (points - 1) as f64;
                through.push(made.geometry.points.len());
                made.point(at[0], at[1], at[2]);
            }
            through.push(to);
            made.line(through);
        }
    }
    for side in [[0, 1, 3, 2], [4, 5, 7, 6], [0, 1, 5, 4], [2, 3, 7, 6], [0, 2, 6, 4], [1, 3, 7, 5]] {
        made.face(side);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bodies_hold_together() {
        for (body, points, lines, faces) in [
            (Body::Beam { length_m: 2.0, points: 5 }, 5, 1, 0),
            (Body::Plate { length_m: 2.0, width_m: 1.0, along: 4, across: 3 }, 12, 7, 6),
            (Body::Box { length_m: 3.0, width_m: 2.0, height_m: 1.0, points: 4 }, 8 + 24, 12, 6),
            (Body::Cylinder { radius_m: 0.5, height_m: 2.0, around: 8, along: 3 }, 24, 11, 16),
        ] {
            let g = body.geometry("deck ", 101).unwrap();
            assert_eq!((g.points.len(), g.lines.len(), g.faces.len()), (points, lines, faces), "{body:?}");
            assert_eq!(g.check(), Ok(()), "{body:?}");
            assert_eq!(g.points[0].name, "deck 101");
        }
        let plate = Body::Plate { length_m: 2.0, width_m: 1.0, along: 3, across: 2 }.geometry("", 1).unwrap();
        let last = plate.points.last().unwrap();
        assert_eq!((last.name.as_str(), last.x, last.y), ("6", 2.0, 1.0));
    }

    #[test]
    fn a_cylinders_points_look_outwards() {
        let g = Body::Cylinder { radius_m: 2.0, height_m: 1.0, around: 7, along: 2 }.geometry("", 1).unwrap();
        for p in &g.points {
            let [x, _, z] = p.axes();
            assert!((x[0] - p.x / 2.0).abs() < 1e-12 && (x[1] - p.y / 2.0).abs() < 1e-12, "{p:?}");
            assert_eq!(z, [0.0, 0.0, 1.0]);
        }
    }

    #[test]
    fn bodies_that_cannot_be_are_refused() {
        let says = |b: Body| b.geometry("", 1).unwrap_err().says;
        assert!(says(Body::Beam { length_m: 0.0, points: 5 }).contains("above 0"));
        assert!(says(Body::Beam { length_m: 1.0, points: 1 }).contains("2 or more"));
        assert!(says(Body::Plate { length_m: 1.0, width_m: 1.0, along: 100, across: 100 }).contains("up to 5000"));
        assert!(says(Body::Cylinder { radius_m: 1.0, height_m: 1.0, around: 2, along: 2 }).contains("3 or more"));
    }
}
