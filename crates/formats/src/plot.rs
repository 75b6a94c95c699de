//! A plot as lines in SVG and labels beside it: ink on paper, curves told apart by hue and dash.
//!
//! Labels are not part of the SVG, so that whoever sets them uses its own fonts and they stay text.

use serde::Serialize;
use std::fmt::Write;

/// One curve; values that are not finite break the line.
#[derive(Debug, Clone)]
pub struct Curve<'a> {
    /// Name in the legend.
    pub name: &'a str,
    /// Values over the axis; for an envelope the upper ones.
    pub values: &'a [f64],
    /// Lower values of an envelope.
    pub low: Option<&'a [f64]>,
}

/// What is drawn.
#[derive(Debug, Clone)]
pub struct Plot<'a> {
    /// Values of the horizontal axis, ascending.
    pub x: &'a [f64],
    /// Its name and unit.
    pub x_label: &'a str,
    /// Name and unit of the vertical axis.
    pub y_label: &'a str,
    /// Decades instead of even steps.
    pub log_y: bool,
    /// The curves.
    pub curves: Vec<Curve<'a>>,
    /// Words at places of the horizontal axis, set by the engineer.
    pub notes: Vec<(f64, &'a str)>,
}

/// Hue and dash of the first eight curves; further ones repeat hues with the next dash.
pub const TRACES: [(&str, &str); 8] = [
    ("#10263b", ""),
    ("#b06a00", "6 3"),
    ("#0b6b6b", "2 2"),
    ("#7a3fa0", "8 3 2 3"),
    ("#2f7fc1", "10 4"),
    ("#8a5a2b", "4 2"),
    ("#4d7c2a", "1 3"),
    ("#c0507a", "6 2 1 2"),
];

const WIDTH: f64 = 640.0;
const HEIGHT: f64 = 190.0;
const LEFT: f64 = 54.0;
const RIGHT: f64 = 8.0;
const TOP: f64 = 8.0;
const BOTTOM: f64 = 30.0;

/// Round steps that part a range into about `wanted` pieces.
pub fn ticks(lo: f64, hi: f64, wanted: usize) -> Vec<f64> {
    let span = hi - lo;
    if !(span.is_finite() && span > 0.0) {
        return vec![lo];
    }
    let raw = span / wanted.max(1) as f64;
    let power = 10f64.powf(raw.log10().floor());
    let step = [1.0, 2.0, 5.0, 10.0].into_iter().map(|m| m * power).find(|s| *s >= raw).unwrap_or(10.0 * power);
    let first = (lo / step).ceil() as i64;
    let last = (hi / step).floor() as i64;
    (first..=last).map(|k| k as f64 * step).collect()
}

/// A tick's text: short, with a real minus sign.
pub fn tick_text(x: f64) -> String {
    let text = if x != 0.0 && (x.abs() >= 1e5 || x.abs() < 1e-3) {
        format!("{x:e}")
    } else {
        let s = format!("{x:.4}");
        s.trim_end_matches('0').trim_end_matches('.').to_string()
    };
    text.replace('-', "\u{2212}")
}

fn limits(plot: &Plot<'_>) -> (f64, f64) {
    let values = plot.curves.iter().flat_map(|c| c.values.iter().chain(c.low.unwrap_or(&[])));
    let (mut lo, mut hi) = (f64::INFINITY, f64::NEG_INFINITY);
    for v in values.filter(|v| v.is_finite() && (!plot.log_y || **v > 0.0)) {
        lo = lo.min(*v);
        hi = hi.max(*v);
    }
    if !(lo.is_finite() && hi.is_finite()) {
        return (0.1, 1.0);
    }
    if plot.log_y {
        let top = hi.log10().ceil();
        return (10f64.powf(lo.log10().floor().max(top - 6.0)), 10f64.powf(top));
    }
    let pad = if hi > lo { 0.05 * (hi - lo) } else { hi.abs().max(1.0) };
    (lo - pad, hi + pad)
}

/// A label and where it stands, as shares of the drawing's width and height.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Label {
    /// Across, 0 to 1.
    pub x: f64,
    /// Down to its middle, 0 to 1.
    pub y: f64,
    /// Which side of it stands at `x`: `left`, `center` or `right`.
    pub anchor: &'static str,
    /// What it says.
    pub says: String,
}

/// A plot's lines and labels.
#[derive(Debug, Clone, PartialEq)]
pub struct Drawing {
    /// The lines.
    pub svg: String,
    /// The labels.
    pub labels: Vec<Label>,
}

/// Height of a drawing over its width.
pub const ASPECT: f64 = HEIGHT / WIDTH;

/// Draws a plot.
pub fn draw(plot: &Plot<'_>) -> Drawing {
    let (x0, x1) = (plot.x.first().copied().unwrap_or(0.0), plot.x.last().copied().unwrap_or(1.0));
    let (y0, y1) = limits(plot);
    let px = |x: f64| LEFT + (x - x0) / (x1 - x0).max(f64::MIN_POSITIVE) * (WIDTH - LEFT - RIGHT);
    let py = |y: f64| {
        let share = if plot.log_y { (y.max(y0) / y0).ln() / (y1 / y0).ln() } else { (y - y0) / (y1 - y0) };
        HEIGHT - BOTTOM - share.clamp(0.0, 1.0) * (HEIGHT - TOP - BOTTOM)
    };
    let (right, floor) = (WIDTH - RIGHT, HEIGHT - BOTTOM);
    let mut labels = Vec::new();
    let mut label =
        |x: f64, y: f64, anchor, says: String| labels.push(Label { x: x / WIDTH, y: y / HEIGHT, anchor, says });
    let mut s = format!("<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 {WIDTH} {HEIGHT}'>");
    let y_ticks = if plot.log_y {
        let (a, b) = (y0.log10().round() as i32, y1.log10().round() as i32);
        (a..=b).map(|k| 10f64.powi(k)).collect()
    } else {
        ticks(y0, y1, 5)
    };
    for t in y_ticks {
        let y = py(t);
        let _ = write!(s, "<path d='M{LEFT} {y:.2}H{right}' stroke='#d9d3c3' stroke-width='.6'/>");
        label(LEFT - 5.0, y, "right", tick_text(t));
    }
    for t in ticks(x0, x1, 8) {
        let x = px(t);
        let _ = write!(s, "<path d='M{x:.2} {TOP}V{floor}' stroke='#d9d3c3' stroke-width='.6'/>");
        label(x, floor + 8.0, "center", tick_text(t));
    }
    label(right, HEIGHT - 7.0, "right", plot.x_label.into());
    label(LEFT, HEIGHT - 7.0, "left", plot.y_label.into());
    for (i, c) in plot.curves.iter().enumerate() {
        let (hue, dash) = TRACES[i % TRACES.len()];
        let dashes =
            if dash.is_empty() || c.low.is_some() { String::new() } else { format!(" stroke-dasharray='{dash}'") };
        let d = outline(plot, c, &px, &py);
        let _ =
            write!(s, "<path d='{d}' fill='none' stroke='{hue}' stroke-width='.8' stroke-linejoin='round'{dashes}/>");
        if plot.curves.len() > 1 {
            let y = TOP + 7.0 + 12.0 * i as f64;
            let _ = write!(s, "<path d='M{} {y}h18' stroke='{hue}'{dashes}/>", right - 24.0);
            label(right - 30.0, y, "right", c.name.into());
        }
    }
    let mut ends: Vec<f64> = Vec::new();
    for (at, says) in plot.notes.iter().filter(|(at, _)| *at >= x0 && *at <= x1) {
        let x = px(*at);
        // Words that would overlap hang lower.
        let row = ends.iter().position(|end| *end < x - 4.0).unwrap_or(ends.len());
        let end = x + 4.0 + 4.6 * says.chars().count() as f64;
        if row == ends.len() {
            ends.push(end)
        } else {
            ends[row] = end
        }
        let y = TOP + 6.0 + 11.0 * row as f64;
        let _ = write!(s, "<path d='M{x:.2} {floor}V{y}' stroke='#a01c6b' stroke-width='.8' stroke-dasharray='3 2'/>");
        label(x + 3.0, y, "left", (*says).into());
    }
    s.push_str("</svg>");
    Drawing { svg: s, labels }
}

/// A curve's path; an envelope goes up and down at each point.
fn outline(plot: &Plot<'_>, c: &Curve<'_>, px: &impl Fn(f64) -> f64, py: &impl Fn(f64) -> f64) -> String {
    let mut d = String::new();
    let mut pen = false;
    let mut last = f64::NEG_INFINITY;
    for (k, (x, v)) in plot.x.iter().zip(c.values).enumerate() {
        if !v.is_finite() || (plot.log_y && *v <= 0.0) {
            pen = false;
            continue;
        }
        let at = px(*x);
        // Several points to a twentieth of a unit add bytes, not ink.
        if pen && at - last < 0.05 && c.low.is_none() && plot.x.len() > 20_000 {
            continue;
        }
        let _ = write!(d, "{}{at:.2} {:.2}", if pen { 'L' } else { 'M' }, py(*v));
        if let Some(low) = c.low {
            let _ = write!(d, "L{at:.2} {:.2}", py(low[k]));
        }
        pen = true;
        last = at;
    }
    d
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_plot_draws_what_is_there() {
        let x: Vec<f64> = (0..5).map(f64::from).collect();
        let y = [1.0, 10.0, f64::NAN, 0.0, 100.0];
        let curve = |name| Curve { name, values: &y, low: None };
        let plot = Plot {
            x: &x,
            x_label: "frequency, Hz",
            y_label: "peak, m/s²",
            log_y: true,
            curves: vec![curve("a"), curve("b")],
            notes: vec![(1.0, "shaft"), (1.05, "and more"), (9.0, "beyond")],
        };
        let d = draw(&plot);
        // Zero and what is missing break a curve on a scale of decades: two strokes each.
        let strokes = d
            .svg
            .split("<path")
            .filter(|p| p.contains("fill='none'"))
            .map(|p| p.matches('M').count())
            .collect::<Vec<_>>();
        assert_eq!(strokes, [2, 2]);
        // The second note hangs under the first; one beyond the axis is left out.
        assert_eq!(d.svg.matches("#a01c6b").count(), 2);
        assert!(d.labels[d.labels.len() - 1].y > d.labels[d.labels.len() - 2].y);
        let says: Vec<&str> = d.labels.iter().map(|l| l.says.as_str()).collect();
        assert_eq!(
            says,
            [
                "1",
                "10",
                "100",
                "0",
                "0.5",
                "1",
                "1.5",
                "2",
                "2.5",
                "3",
                "3.5",
                "4",
                "frequency, Hz",
                "peak, m/s²",
                "a",
                "b",
                "shaft",
                "and more"
            ]
        );
        assert!(d.labels.iter().all(|l| (0.0..=1.0).contains(&l.x) && (0.0..=1.0).contains(&l.y)));
    }

    #[test]
    fn ticks_are_round() {
        assert_eq!(ticks(0.0, 10.0, 5), [0.0, 2.0, 4.0, 6.0, 8.0, 10.0]);
        assert_eq!(tick_text(-0.25), "\u{2212}0.25");
        assert_eq!(ticks(3.0, 3.0, 5), [3.0]);
    }
}
