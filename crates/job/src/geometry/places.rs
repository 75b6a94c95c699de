//! What the rig's points and directions mean on the geometry.

use super::{Geometry, Point};
use crate::dof::{Dof, Sign};
use std::collections::HashMap;

const AXES: [&str; 3] = ["x", "y", "z"];

/// A geometry's points by their names.
pub struct Places<'a> {
    geometry: &'a Geometry,
    points: HashMap<&'a str, &'a Point>,
}

impl Geometry {
    /// Which axis a direction lies along, 0 to 2: by its letter, or by what it is called.
    pub fn axis_of(&self, direction: &str) -> Option<usize> {
        let same = |word: &str| !word.is_empty() && word.to_lowercase() == direction.to_lowercase();
        (0..3).find(|axis| same(&self.called[*axis])).or_else(|| (0..3).find(|axis| same(AXES[*axis])))
    }

    /// What the directions are called, along x, y and z: by a name of their own where they have one.
    pub fn directions(&self) -> [&str; 3] {
        std::array::from_fn(|axis| if self.called[axis].is_empty() { AXES[axis] } else { &self.called[axis] })
    }

    /// Its points, found by their names.
    pub fn places(&self) -> Places<'_> {
        Places { geometry: self, points: self.points.iter().map(|p| (p.name.as_str(), p)).collect() }
    }
}

impl<'a> Places<'a> {
    /// A point by its name.
    pub fn point(&self, name: &str) -> Option<&'a Point> {
        self.points.get(name).copied()
    }

    /// The one point whose name differs by nothing but capitals and spaces.
    pub fn almost(&self, name: &str) -> Option<&'a Point> {
        let bare = |text: &str| text.to_lowercase().split_whitespace().collect::<String>();
        let wanted = bare(name);
        let mut like = self.geometry.points.iter().filter(|p| bare(&p.name) == wanted);
        like.next().filter(|_| like.next().is_none())
    }

    /// Which way a degree of freedom shows on the specimen: of length one, with its sign. None where the point or
    /// the direction is not known.
    pub fn way(&self, dof: &Dof) -> Option<[f64; 3]> {
        let (point, axis) = (self.point(&dof.point)?, self.geometry.axis_of(&dof.direction)?);
        let along = point.axes()[axis];
        Some(if dof.sign == Sign::Minus { along.map(|x| -x) } else { along })
    }

    /// The geometry.
    pub fn geometry(&self) -> &'a Geometry {
        self.geometry
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn hull() -> Geometry {
        let called = ["along", "Athwart", ""].map(String::from);
        let points = vec![
            Point { turned: [0.0, 0.0, 90.0], ..Point::new("frame 14", 1.0, 0.0, 0.0) },
            Point::new("Frame  15", 2.0, 0.0, 0.0),
        ];
        Geometry { called, points, ..Geometry::default() }
    }

    #[test]
    fn directions_are_known_by_their_letters_and_by_their_names() {
        let g = hull();
        assert_eq!(g.axis_of("athwart"), Some(1));
        assert_eq!((g.axis_of("X"), g.axis_of("z"), g.axis_of("up"), g.axis_of("")), (Some(0), Some(2), None, None));
        assert_eq!(g.directions(), ["along", "Athwart", "z"]);
    }

    #[test]
    fn a_name_comes_before_a_letter() {
        let called = ["z", "", "x"].map(String::from);
        let g = Geometry { called, ..Geometry::default() };
        assert_eq!((g.axis_of("z"), g.axis_of("x")), (Some(0), Some(2)));
    }

    #[test]
    fn a_degree_of_freedom_shows_the_way_of_its_turned_point() {
        let g = hull();
        let way = |point: &str, direction: &str| g.places().way(&Dof::read(point, direction).unwrap());
        let near = |a: [f64; 3], b: [f64; 3]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-12);
        assert!(near(way("frame 14", "along").unwrap(), [0.0, 1.0, 0.0]));
        assert!(near(way("frame 14", "-athwart").unwrap(), [1.0, 0.0, 0.0]));
        assert!(way("frame 14", "up").is_none() && way("frame 16", "x").is_none());
    }

    #[test]
    fn a_name_that_differs_by_spaces_is_found_where_it_is_the_only_one() {
        let mut g = hull();
        assert_eq!(g.places().almost("FRAME 15").map(|p| p.name.as_str()), Some("Frame  15"));
        g.points.push(Point::new("frame15", 0.0, 0.0, 0.0));
        assert!(g.places().almost("FRAME 15").is_none());
        assert!(g.places().almost("frame 16").is_none());
    }
}
