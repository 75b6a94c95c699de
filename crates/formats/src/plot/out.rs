//! A plot as a file: SVG of its own, PNG, and its values as a table.

use super::Plot;
use super::draw::Drawing;
use crate::FormatError;
use crate::picture::options;
use crate::sheet::Sheet;
use echo_job::entry::number::plain;
use resvg::{tiny_skia, usvg};
use std::fmt::Write;
use std::sync::{Arc, LazyLock};

/// Height of the labels, in the units of the lines.
const LETTERS: f64 = 8.6;

/// Text as it may stand in SVG.
pub fn escaped(text: &str) -> String {
    // Characters that XML cannot hold are left out.
    let held = |c: &char| !c.is_control() || *c == '\t';
    let clean: String = text.chars().filter(held).collect();
    clean.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

/// Lines and labels as one SVG file.
pub fn svg(drawing: &Drawing) -> String {
    let [w, h] = drawing.size;
    let lines = drawing.svg.strip_suffix("</svg>").unwrap_or(&drawing.svg);
    let ground = format!("width='{w}' height='{h}' viewBox='0 0 {w} {h}'><path d='M0 0H{w}V{h}H0z' fill='#ffffff'/>");
    let mut s = lines.replacen(&format!("viewBox='0 0 {w} {h}'>"), &ground, 1);
    let _ = write!(s, "<g font-family='Sofia Sans, sans-serif' font-size='{LETTERS}' fill='#52667a'>");
    for l in &drawing.labels {
        let anchor = match l.anchor {
            "right" => "end",
            "center" => "middle",
            _ => "start",
        };
        let (x, y) = (l.x * w, l.y * h + 0.35 * LETTERS);
        let _ = write!(s, "<text x='{x:.2}' y='{y:.2}' text-anchor='{anchor}'>{}</text>", escaped(&l.says));
    }
    s.push_str("</g></svg>\n");
    s
}

static FONTS: LazyLock<Arc<usvg::fontdb::Database>> = LazyLock::new(|| {
    let mut fonts = usvg::fontdb::Database::new();
    for bytes in crate::faces::FACES {
        fonts.load_font_data(bytes.to_vec());
    }
    fonts.set_sans_serif_family("Sofia Sans");
    Arc::new(fonts)
});

/// Largest picture, pixels.
const MOST_PIXELS: f64 = 40e6;

/// A drawing as PNG, with so many pixels to a unit of its lines.
///
/// # Errors
/// A picture that is too large.
pub fn png(drawing: &Drawing, scale: f64) -> Result<Vec<u8>, FormatError> {
    let [w, h] = drawing.size.map(|s| (s * scale).round());
    let fault = |says: String| FormatError::not_that("the picture", says);
    if !(w >= 1.0 && h >= 1.0 && w * h <= MOST_PIXELS) {
        return Err(fault(format!("would have {w} × {h} pixels; allowed: up to 40 million")));
    }
    let options = usvg::Options { fontdb: FONTS.clone(), font_family: "Sofia Sans".into(), ..options() };
    let tree = usvg::Tree::from_str(&svg(drawing), &options).map_err(|e| fault(format!("cannot be drawn: {e}")))?;
    let mut pixels = tiny_skia::Pixmap::new(w as u32, h as u32).ok_or_else(|| fault("has no size".into()))?;
    pixels.fill(tiny_skia::Color::WHITE);
    let transform = tiny_skia::Transform::from_scale(scale as f32, scale as f32);
    resvg::render(&tree, transform, &mut pixels.as_mut());
    pixels.encode_png().map_err(|e| fault(format!("cannot be written: {e}")))
}

/// The values that are shown, a column a curve; of a map a column a place of the horizontal axis.
pub fn table(plot: &Plot) -> Sheet {
    let number = |v: f64| if v.is_finite() { plain(v) } else { String::new() };
    let within = |x: f64| plot.x.from.is_none_or(|f| x >= f) && plot.x.to.is_none_or(|t| x <= t);
    let name = "Values".into();
    let shown: Vec<usize> = (0..plot.x.values.len()).filter(|i| within(plot.x.values[*i])).collect();
    if let Some((pane, m)) = plot.panes.iter().find_map(|p| Some((p, p.map.as_ref()?))) {
        let corner = format!("{} by {}, {}", pane.label, plot.x.label, m.label);
        let heads = std::iter::once(corner).chain(shown.iter().map(|i| number(plot.x.values[*i]))).collect();
        let n = plot.x.values.len();
        let row = |(r, at): (usize, &f64)| {
            let cells = shown.iter().map(|i| number(m.values[r * n + i]));
            std::iter::once(number(*at)).chain(cells).collect()
        };
        return Sheet { name, heads, rows: m.rows.iter().enumerate().map(row).collect() };
    }
    let mut heads = Vec::new();
    let mut columns: Vec<Vec<f64>> = Vec::new();
    if !shown.is_empty() {
        heads.push(plot.x.label.clone());
        columns.push(shown.iter().map(|i| plot.x.values[*i]).collect());
    }
    for pane in &plot.panes {
        for c in &pane.curves {
            let own = !c.x.is_empty();
            let taken = |v: &[f64]| if own { v.to_vec() } else { shown.iter().map(|i| v[*i]).collect() };
            if own {
                heads.push(format!("{}: {}", c.name, plot.x.label));
                columns.push(c.x.clone());
            }
            let head = if c.name.is_empty() { pane.label.clone() } else { format!("{}: {}", c.name, pane.label) };
            if let Some(low) = &c.low {
                heads.push(format!("{head}, smallest"));
                columns.push(taken(low));
                heads.push(format!("{head}, largest"));
            } else {
                heads.push(head);
            }
            columns.push(taken(&c.values));
        }
    }
    let long = columns.iter().map(Vec::len).max().unwrap_or(0);
    let row = |i: usize| columns.iter().map(|c| c.get(i).map_or(String::new(), |v| number(*v))).collect();
    Sheet { name, heads, rows: (0..long).map(row).collect() }
}
