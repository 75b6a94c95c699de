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

    /// Its lines, or the rims of its faces where it has none, as the strokes of an SVG path; none where it has
    /// nothing that could be drawn.
    pub fn drawn(&self) -> Option<String> {
        let places: Vec<[f64; 2]> = self.points.iter().map(|p| seen([p.x, p.y, p.z])).collect();
        let through: Vec<Vec<[f64; 2]>> =
            self.strokes().iter().map(|line| line.iter().map(|row| places[*row]).collect()).collect();
        let all: Vec<[f64; 2]> = through.iter().flatten().copied().collect();
        let end = |axis: usize, pick: fn(f64, f64) -> f64| all.iter().map(|p| p[axis]).reduce(pick);
        let (left, right) = (end(0, f64::min)?, end(0, f64::max)?);
        let (top, bottom) = (end(1, f64::min)?, end(1, f64::max)?);
        // A beam seen along itself has no width; what has neither is a point.
        let scale = (WIDE / (right - left)).min(HIGH / (bottom - top));
        if !scale.is_finite() {
            return None;
        }
        let place = |p: &[f64; 2]| {
            let x = (p[0] - (left + right) / 2.0) * scale + WIDE / 2.0;
            let y = (p[1] - (top + bottom) / 2.0) * scale + HIGH / 2.0;
            format!("{:.1} {:.1}", x, y)
        };
        let every = all.len().div_ceil(MOST).max(1);
        let mut path = String::new();
        for line in through.iter().step_by(every) {
            for (i, p) in line.iter().enumerate() {
                let _ = write!(path, "{}{}", if i == 0 { "M" } else { "L" }, place(p));
            }
        }
        Some(path)
    }
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
