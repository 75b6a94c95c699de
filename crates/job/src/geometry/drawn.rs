//! A small drawing of a geometry's lines: seen from above one corner, in a frame of a hundred by seventy.

use super::Geometry;
use std::collections::HashMap;
use std::f64::consts::FRAC_1_SQRT_2;
use std::fmt::Write;

const WIDE: f64 = 100.0;
const HIGH: f64 = 70.0;
/// Most strokes: a picture of a hand's breadth shows no more.
const MOST: usize = 600;

/// Where a place lies on the paper, down and to the right: seen from front, right and above.
pub fn seen([x, y, z]: [f64; 3]) -> [f64; 2] {
    let right = (x - y) * FRAC_1_SQRT_2;
    let up = z * (2.0f64 / 3.0).sqrt() + (x + y) / 6f64.sqrt();
    [right, -up]
}

impl Geometry {
    /// Its lines, or the rims of its faces where it has none, each by the rows of its points.
    pub fn strokes(&self) -> Vec<Vec<usize>> {
        let at: HashMap<&str, usize> = self.points.iter().enumerate().map(|(i, p)| (p.name.as_str(), i)).collect();
        let rows =
            |names: &mut dyn Iterator<Item = &String>| names.filter_map(|n| at.get(n.as_str()).copied()).collect();
        if self.lines.is_empty() {
            self.faces.iter().map(|f| rows(&mut f.iter().chain(f.first()))).collect()
        } else {
            self.lines.iter().map(|l| rows(&mut l.iter())).collect()
        }
    }

    /// Where its points lie on the paper.
    pub fn on_paper(&self) -> Vec<[f64; 2]> {
        self.points.iter().map(|p| seen([p.x, p.y, p.z])).collect()
    }

    /// Its lines, or the rims of its faces where it has none, as the strokes of an SVG path; none where it has
    /// nothing that could be drawn.
    pub fn drawn(&self) -> Option<String> {
        let (places, strokes) = (self.on_paper(), self.strokes());
        let fitted = Fitted::into([WIDE, HIGH], strokes.iter().flatten().map(|row| places[*row]))?;
        let all: usize = strokes.iter().map(Vec::len).sum();
        let some: Vec<Vec<usize>> = strokes.into_iter().step_by(all.div_ceil(MOST).max(1)).collect();
        Some(path(&some, &|row| {
            let [x, y] = fitted.at(places[row]);
            [x + WIDE / 2.0, y + HIGH / 2.0]
        }))
    }
}

/// How places on the paper are fitted into a frame.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fitted {
    middle: [f64; 2],
    size: [f64; 2],
    scale: f64,
}

impl Fitted {
    /// Fits places into a frame of a width and a height; none where there is nothing that has a size.
    pub fn into(room: [f64; 2], places: impl IntoIterator<Item = [f64; 2]>) -> Option<Fitted> {
        let (mut low, mut high) = ([f64::INFINITY; 2], [f64::NEG_INFINITY; 2]);
        for p in places {
            for axis in 0..2 {
                low[axis] = low[axis].min(p[axis]);
                high[axis] = high[axis].max(p[axis]);
            }
        }
        let size = [high[0] - low[0], high[1] - low[1]];
        // A beam seen along itself has no width; what has neither is a point.
        let scale = (room[0] / size[0]).min(room[1] / size[1]);
        let middle = [(low[0] + high[0]) / 2.0, (low[1] + high[1]) / 2.0];
        (scale.is_finite() && scale > 0.0).then_some(Fitted { middle, size, scale })
    }

    /// Where a place comes to lie, from the middle of the frame.
    pub fn at(&self, place: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|axis| (place[axis] - self.middle[axis]) * self.scale)
    }

    /// Width and height of all of it, as fitted.
    pub fn size(&self) -> [f64; 2] {
        self.size.map(|s| s * self.scale)
    }

    /// Its larger side, before it was fitted.
    pub fn larger(&self) -> f64 {
        self.size[0].max(self.size[1])
    }
}

/// Strokes as an SVG path, each row at its place.
pub fn path(strokes: &[Vec<usize>], at: &dyn Fn(usize) -> [f64; 2]) -> String {
    let mut path = String::new();
    for stroke in strokes {
        for (i, row) in stroke.iter().enumerate() {
            let [x, y] = at(*row);
            let _ = write!(path, "{}{x:.1} {y:.1}", if i == 0 { 'M' } else { 'L' });
        }
    }
    path
}

#[cfg(test)]
mod tests {
    use super::super::generate::Body;
    use super::*;

    #[test]
    fn a_plate_fills_the_frame() {
        let plate = Body::Plate { length_m: 5.2, width_m: 3.4, along: 4, across: 3 }.geometry("", 1).unwrap();
        let path = plate.drawn().unwrap();
        assert_eq!(path.matches('M').count(), 7);
        let numbers: Vec<f64> = path.split(['M', 'L', ' ']).filter_map(|n| n.parse().ok()).collect();
        let (x, y): (Vec<f64>, Vec<f64>) = numbers.chunks(2).map(|p| (p[0], p[1])).unzip();
        let span = |v: &[f64]| v.iter().copied().fold(f64::MIN, f64::max) - v.iter().copied().fold(f64::MAX, f64::min);
        assert!((span(&x) - WIDE).abs() < 0.2 || (span(&y) - HIGH).abs() < 0.2, "{path}");
        assert!(x.iter().all(|x| (0.0..=WIDE).contains(x)) && y.iter().all(|y| (0.0..=HIGH).contains(y)), "{path}");
    }

    #[test]
    fn what_has_no_size_is_not_drawn() {
        assert_eq!(Geometry::default().drawn(), None);
        let lone = vec![super::super::Point::new("1", 1.0, 2.0, 3.0)];
        assert_eq!(Geometry { points: lone, ..Geometry::default() }.drawn(), None);
    }

    #[test]
    fn up_is_up() {
        assert!(seen([0.0, 0.0, 1.0])[1] < 0.0);
        assert!(seen([1.0, 0.0, 0.0])[0] > 0.0 && seen([0.0, 1.0, 0.0])[0] < 0.0);
    }
}
