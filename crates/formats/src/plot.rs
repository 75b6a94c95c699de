//! A plot as SVG: ink on paper, curves told apart by hue and dash.

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
const HEIGHT: f64 = 230.0;
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

/// Draws a plot.
pub fn svg(plot: &Plot<'_>) -> String {
    let (x0, x1) = (plot.x.first().copied().unwrap_or(0.0), plot.x.last().copied().unwrap_or(1.0));
    let (y0, y1) = limits(plot);
    let px = |x: f64| LEFT + (x - x0) / (x1 - x0).max(f64::MIN_POSITIVE) * (WIDTH - LEFT - RIGHT);
    let py = |y: f64| {
        let share = if plot.log_y { (y.max(y0) / y0).ln() / (y1 / y0).ln() } else { (y - y0) / (y1 - y0) };
        HEIGHT - BOTTOM - share.clamp(0.0, 1.0) * (HEIGHT - TOP - BOTTOM)
    };
    let mut s = format!(
        "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 {WIDTH} {HEIGHT}' font-family='Sofia Sans' font-size='10'>"
    );
    let y_ticks = if plot.log_y {
        let (a, b) = (y0.log10().round() as i32, y1.log10().round() as i32);
        (a..=b).map(|k| 10f64.powi(k)).collect()
    } else {
        ticks(y0, y1, 5)
    };
    for t in y_ticks {
        let y = py(t);
        let _ = write!(
            s,
            "<path d='M{LEFT} {y:.2}H{}' stroke='#d9d3c3' stroke-width='.6'/><text x='{}' y='{:.2}' text-anchor='end' fill='#52667a'>{}</text>",
            WIDTH - RIGHT,
            LEFT - 5.0,
            y + 3.5,
            tick_text(t)
        );
    }
    for t in ticks(x0, x1, 8) {
        let x = px(t);
        let _ = write!(
            s,
            "<path d='M{x:.2} {TOP}V{}' stroke='#d9d3c3' stroke-width='.6'/><text x='{x:.2}' y='{}' text-anchor='middle' fill='#52667a'>{}</text>",
            HEIGHT - BOTTOM,
            HEIGHT - BOTTOM + 12.0,
            tick_text(t)
        );
    }
    let _ = write!(
        s,
        "<text x='{}' y='{}' text-anchor='end' fill='#52667a'>{}</text>",
        WIDTH - RIGHT,
        HEIGHT - 5.0,
        escape(plot.x_label)
    );
    let _ = write!(s, "<text x='{LEFT}' y='{}' fill='#52667a'>{}</text>", HEIGHT - 5.0, escape(plot.y_label));
    for (i, c) in plot.curves.iter().enumerate() {
        let (hue, dash) = TRACES[i % TRACES.len()];
        let mut d = String::new();
        let mut pen = false;
        let mut last = f64::NEG_INFINITY;
        for (k, (x, v)) in plot.x.iter().zip(c.values).enumerate() {
            if !v.is_finite() || (plot.log_y && *v <= 0.0) {
                pen = false;
                continue;
            }
            let at = px(*x);
            // Several points to a hundredth of a unit add bytes, not ink.
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
        let dashes =
            if dash.is_empty() || c.low.is_some() { String::new() } else { format!(" stroke-dasharray='{dash}'") };
        let _ =
            write!(s, "<path d='{d}' fill='none' stroke='{hue}' stroke-width='.8' stroke-linejoin='round'{dashes}/>");
        if plot.curves.len() > 1 {
            let y = TOP + 10.0 + 12.0 * i as f64;
            let _ = write!(
                s,
                "<path d='M{} {}h18' stroke='{hue}'{dashes}/><text x='{}' y='{y}' text-anchor='end' fill='#10263b'>{}</text>",
                WIDTH - RIGHT - 24.0,
                y - 3.5,
                WIDTH - RIGHT - 30.0,
                escape(c.name)
            );
        }
    }
    s.push_str("</svg>");
    s
}

fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
