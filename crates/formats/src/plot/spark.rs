//! A waveform in a row of a table: its envelope alone, without axes.

use super::out::escaped;
use std::fmt::Write;

/// Smallest and largest at each point as SVG of this width and height, as high as its largest amount; a point without
/// values stays empty. `says` is its title.
pub fn spark(points: &[Option<(i32, i32)>], (w, h): (usize, f64), says: &str) -> String {
    let peak = points.iter().flatten().map(|p| f64::from(p.0.abs().max(p.1.abs()))).fold(1.0, f64::max);
    let y = |x: i32| h / 2.0 - f64::from(x) / peak * (h / 2.0 - 2.0);
    let mut path = String::new();
    for (x, p) in points.iter().enumerate().filter_map(|(x, p)| Some((x, (*p)?))) {
        let _ = write!(path, "M{x} {:.1}V{:.1}", y(p.1), y(p.0) + 0.6);
    }
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {w} {h}\"><title>{}</title><path d=\"{path}\" stroke=\"#10263b\" fill=\"none\"/></svg>",
        escaped(says)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn gaps_are_nothing_and_names_stay_as_they_are() {
        let svg = spark(&[Some((-100, 50)), None, Some((0, 100))], (3, 60.0), "a<b & c, up to 1 g");
        assert_eq!(svg.matches('M').count(), 2, "{svg}");
        // 100 counts end two units below the edge: 60 high, 28 units for the largest.
        assert!(svg.contains("M0 16.0V58.6M2 2.0V30.6"), "{svg}");
        assert!(svg.contains("<title>a&lt;b &amp; c, up to 1 g</title>"), "{svg}");
    }
}
