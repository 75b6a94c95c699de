//! Panes, curves, notes and levels as lines and labels.

use super::scale::{Scale, around, tick_text};
use super::{Curve, Pane, Plot, map};
use serde::Serialize;
use std::fmt::Write;

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

/// Width and height where nothing else is asked for, and of one more pane.
const SIZE: [f64; 2] = [640.0, 190.0];
const LEFT: f64 = 54.0;
const RIGHT: f64 = 8.0;
const TOP: f64 = 8.0;
const FOOT: f64 = 30.0;
/// Between two panes.
const BETWEEN: f64 = 18.0;
/// Height of a line of words, and about how wide a character is.
const LINE: f64 = 12.0;
const CHARACTER: f64 = 4.6;
/// Width of the bar beside a map with its numbers.
const BAR: f64 = 54.0;

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
    /// Width and height, in the units of the lines.
    pub size: [f64; 2],
}

impl Drawing {
    /// Height over width.
    pub fn aspect(&self) -> f64 {
        self.size[1] / self.size[0]
    }
}

/// Hue of a curve and the attribute of its dash.
fn look(i: usize) -> (&'static str, String) {
    let (hue, _) = TRACES[i % TRACES.len()];
    let (_, dash) = TRACES[(i + i / TRACES.len()) % TRACES.len()];
    (hue, if dash.is_empty() { String::new() } else { format!(" stroke-dasharray='{dash}'") })
}

struct Paper {
    svg: String,
    labels: Vec<Label>,
    size: [f64; 2],
}

impl Paper {
    fn label(&mut self, x: f64, y: f64, anchor: &'static str, says: impl Into<String>) {
        self.labels.push(Label { x: x / self.size[0], y: y / self.size[1], anchor, says: says.into() });
    }

    fn path(&mut self, d: &str, stroke: &str, width: f64, more: &str) {
        let _ = write!(self.svg, "<path d='{d}' fill='none' stroke='{stroke}' stroke-width='{width}'{more}/>");
    }
}

/// Where a pane lies, and its scales.
struct Frame {
    left: f64,
    right: f64,
    top: f64,
    floor: f64,
    x: Scale,
    y: Scale,
}

impl Frame {
    fn px(&self, x: f64) -> f64 {
        self.left + self.x.share(x).clamp(-1.0, 2.0) * (self.right - self.left)
    }

    fn py(&self, y: f64) -> f64 {
        self.floor - self.y.share(y).clamp(0.0, 1.0) * (self.floor - self.top)
    }
}

/// Names of a legend in lines that are no wider than the drawing: which curve, and where it begins.
fn legend(names: &[&str], width: f64) -> Vec<(usize, usize, f64)> {
    let (mut row, mut x, mut all) = (0, 0.0, Vec::new());
    for (i, name) in names.iter().enumerate() {
        let own = 34.0 + CHARACTER * name.chars().count() as f64;
        if x > 0.0 && x + own > width {
            (row, x) = (row + 1, 0.0);
        }
        all.push((i, row, x));
        x += own;
    }
    all
}

/// Curves that the legend names: those of a pane whose names no pane before it had.
fn names(plot: &Plot) -> Vec<&str> {
    let mut all: Vec<&str> = Vec::new();
    for pane in &plot.panes {
        if pane.curves.len() > 1 {
            let known = all.len();
            all.extend(pane.curves.iter().skip(known).map(|c| c.name.as_str()));
        }
    }
    all
}

/// The horizontal scale: of the axis, or of all curves that bring their own places.
fn across(plot: &Plot) -> Scale {
    let own = || plot.panes.iter().flat_map(|p| &p.curves).flat_map(|c| c.x.iter().copied());
    let axis = &plot.x;
    if axis.values.is_empty() {
        return around(own(), axis.log, axis.from, axis.to);
    }
    let first = axis.values.iter().copied().find(|v| !axis.log || *v > 0.0);
    let lo = axis.from.filter(|v| !axis.log || *v > 0.0).or(first).unwrap_or(0.0);
    let hi = axis.to.or(axis.values.last().copied()).filter(|hi| *hi > lo);
    Scale { lo, hi: hi.unwrap_or(if axis.log { lo * 10.0 } else { lo + 1.0 }), log: axis.log }
}

/// The vertical scale of a pane, of what is shown of it.
fn upward(plot: &Plot, pane: &Pane, x: Scale) -> Scale {
    if let Some(m) = &pane.map {
        return Scale { lo: m.rows[0], hi: m.rows[m.rows.len() - 1], log: false };
    }
    let shown = |c: &Curve| {
        let places = if c.x.is_empty() { &plot.x.values } else { &c.x };
        let within: Vec<usize> = (0..c.values.len()).filter(|i| places[*i] >= x.lo && places[*i] <= x.hi).collect();
        let lows = c.low.iter().flat_map(|low| within.iter().map(|i| low[*i])).collect::<Vec<_>>();
        within.iter().map(|i| c.values[*i]).chain(lows).collect::<Vec<_>>()
    };
    let values = pane.curves.iter().flat_map(shown).chain(pane.levels.iter().map(|l| l.at));
    around(values, pane.log, pane.from, pane.to)
}

/// Draws a plot that [`Plot::check`] accepts.
pub fn draw(plot: &Plot) -> Drawing {
    let names = names(plot);
    let mapped = plot.panes.iter().any(|p| p.map.is_some());
    let [w, _] = plot.size.unwrap_or(SIZE);
    let entries = legend(&names, w - LEFT - RIGHT);
    let rows = entries.last().map_or(0, |e| e.1 + 1) + usize::from(!plot.title.is_empty());
    let head = TOP + LINE * rows as f64;
    let shares: f64 = plot.panes.iter().map(|p| p.share.unwrap_or(1.0)).sum();
    let gaps = BETWEEN * (plot.panes.len() - 1) as f64;
    let own = SIZE[1] + 0.65 * SIZE[1] * (shares - 1.0).max(0.0) + head - TOP;
    let h = plot.size.map_or(if plot.round { w } else { own }, |s| s[1].max(head + FOOT + gaps + 40.0));
    let mut paper = Paper { svg: String::new(), labels: Vec::new(), size: [w, h] };
    let _ = write!(paper.svg, "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 {w} {h}'>");
    let x = across(plot);
    let mut top = head;
    let last = plot.panes.len() - 1;
    for (i, pane) in plot.panes.iter().enumerate() {
        let high = (h - head - FOOT - gaps) * pane.share.unwrap_or(1.0) / shares;
        let right = w - RIGHT - if mapped { BAR } else { 0.0 };
        let mut frame = Frame { left: LEFT, right, top, floor: top + high, x, y: upward(plot, pane, x) };
        if plot.round {
            squared(&mut frame);
        }
        self::pane(&mut paper, plot, pane, &frame, i == last);
        if i == 0 {
            notes(&mut paper, plot, &frame, top + (h - head - FOOT));
        }
        top += high + BETWEEN;
    }
    let words_from = if plot.title.is_empty() { 0 } else { 1 };
    if words_from == 1 {
        paper.label(LEFT, TOP + 2.0, "left", plot.title.clone());
    }
    for (i, row, x) in entries {
        let y = TOP + 2.0 + LINE * (row + words_from) as f64;
        let (hue, dash) = look(i);
        paper.path(&format!("M{:.1} {y}h18", LEFT + x), hue, 1.2, &dash);
        paper.label(LEFT + x + 22.0, y, "left", names[i]);
    }
    paper.svg.push_str("</svg>");
    Drawing { svg: paper.svg, labels: paper.labels, size: paper.size }
}

/// As many units a pixel down as across: the axis with too little of them gets more.
fn squared(f: &mut Frame) {
    let (w, h) = (f.right - f.left, f.floor - f.top);
    let each = ((f.x.hi - f.x.lo) / w).max((f.y.hi - f.y.lo) / h);
    let middle = |s: &Scale, n: f64| {
        let c = 0.5 * (s.lo + s.hi);
        Scale { lo: c - 0.5 * each * n, hi: c + 0.5 * each * n, log: false }
    };
    (f.x, f.y) = (middle(&f.x, w), middle(&f.y, h));
}

fn pane(paper: &mut Paper, plot: &Plot, pane: &Pane, f: &Frame, last: bool) {
    if let Some(m) = &pane.map {
        let top = map::most(m);
        let href = map::picture(m, top, &plot.x, f.x, f.y);
        let (w, h) = (f.right - f.left, f.floor - f.top);
        let _ = write!(
            paper.svg,
            "<image x='{:.2}' y='{:.2}' width='{w:.2}' height='{h:.2}' preserveAspectRatio='none' href='{href}'/>",
            f.left, f.top
        );
        bar(paper, m, top, f);
    }
    let wanted = ((f.floor - f.top) / 40.0).clamp(3.0, 8.0) as usize;
    let up = if pane.label.ends_with('°') { f.y.degrees(wanted) } else { f.y.ticks(wanted) };
    for t in up {
        let y = f.py(t);
        if pane.map.is_none() {
            paper.path(&format!("M{} {y:.2}H{:.2}", f.left, f.right), "#d9d3c3", 0.6, "");
        }
        paper.label(f.left - 5.0, y, "right", tick_text(t));
    }
    let ticks = f.x.ticks(((f.right - f.left) / 70.0).max(3.0) as usize);
    for t in &ticks {
        let x = f.px(*t);
        if pane.map.is_none() {
            paper.path(&format!("M{x:.2} {:.2}V{:.2}", f.top, f.floor), "#d9d3c3", 0.6, "");
        }
        if last {
            paper.label(x, f.floor + 8.0, "center", tick_text(*t));
        }
    }
    if last {
        paper.label(f.right, f.floor + 23.0, "right", plot.x.label.clone());
        paper.label(f.left, f.floor + 23.0, "left", pane.label.clone());
    } else {
        paper.label(f.left, f.floor + 9.0, "left", pane.label.clone());
    }
    for l in pane.levels.iter().filter(|l| (0.0..=1.0).contains(&f.y.share(l.at))) {
        let y = f.py(l.at);
        paper.path(&format!("M{} {y:.2}H{:.2}", f.left, f.right), "#8e1b3a", 0.8, " stroke-dasharray='5 3'");
        paper.label(f.right - 3.0, y - 6.0, "right", l.says.clone());
    }
    // What spans most lies under the others, so that two bands over each other stay both to be seen.
    let mut order: Vec<usize> = (0..pane.curves.len()).collect();
    order.sort_by(|a, b| spread(&pane.curves[*b]).total_cmp(&spread(&pane.curves[*a])));
    for i in order {
        let c = &pane.curves[i];
        let (hue, dash) = look(i);
        let dash = if c.low.is_some() || c.points { String::new() } else { dash };
        let d = outline(plot, pane, c, f);
        paper.path(&d, hue, 0.8, &format!(" stroke-linejoin='round'{dash}"));
    }
}

/// How far the ends of an envelope lie apart in all; nothing for a line, which lies on top.
fn spread(c: &Curve) -> f64 {
    let Some(low) = &c.low else { return 0.0 };
    c.values.iter().zip(low).map(|(h, l)| h - l).filter(|d| d.is_finite()).sum()
}

/// The bar of a map: its shades up to `top`, with the values they stand for.
fn bar(paper: &mut Paper, m: &super::Map, top: f64, f: &Frame) {
    let (x, steps) = (f.right + 10.0, 24);
    let high = (f.floor - f.top) / f64::from(steps);
    for k in 0..steps {
        let [r, g, b] = m.shades.of((f64::from(k) + 0.5) / f64::from(steps));
        let y = f.floor - high * f64::from(k + 1);
        let _ = write!(paper.svg, "<path d='M{x:.2} {y:.2}h9v{:.2}h-9z' fill='#{r:02x}{g:02x}{b:02x}'/>", high + 0.2);
    }
    paper.path(&format!("M{x:.2} {:.2}h9V{:.2}h-9z", f.top, f.floor), "#52667a", 0.5, "");
    let scale = match m.decades {
        Some(d) => Scale { lo: top * 10f64.powf(-d), hi: top, log: true },
        None => Scale { lo: 0.0, hi: top, log: false },
    };
    for t in scale.ticks(4) {
        paper.label(x + 12.0, f.floor - scale.share(t) * (f.floor - f.top), "left", tick_text(t));
    }
    paper.label(f.right + BAR, f.top - 7.0, "right", m.label.clone());
}

/// A curve's path; an envelope goes up and down at each point, a step stays until the next.
fn outline(plot: &Plot, pane: &Pane, c: &Curve, f: &Frame) -> String {
    let mut d = String::new();
    let mut pen = false;
    let (mut last, mut before) = (f64::NEG_INFINITY, 0.0);
    let places = if c.x.is_empty() { &plot.x.values } else { &c.x };
    for (k, (x, v)) in places.iter().zip(&c.values).enumerate() {
        let seen = x.is_finite() && v.is_finite() && !(pane.log && *v <= 0.0) && !(f.x.log && *x <= 0.0);
        if !seen {
            pen = pen && c.spans;
            continue;
        }
        if c.x.is_empty() && !(f.x.lo..=f.x.hi).contains(x) {
            pen = false;
            continue;
        }
        let (at, y) = (f.px(*x), f.py(*v));
        if c.points {
            let _ = write!(d, "M{:.2} {y:.2}a2.5 2.5 0 1 0 5 0a2.5 2.5 0 1 0 -5 0", at - 2.5);
            continue;
        }
        // Several points to a twentieth of a unit add bytes, not ink.
        if pen && at - last < 0.05 && at >= last && c.low.is_none() && places.len() > 20_000 {
            continue;
        }
        if c.steps && pen {
            let _ = write!(d, "L{at:.2} {before:.2}");
        }
        let _ = write!(d, "{}{at:.2} {y:.2}", if pen { 'L' } else { 'M' });
        if let Some(low) = c.low.as_ref().map(|l| l[k]).filter(|l| l.is_finite()) {
            let _ = write!(d, "L{at:.2} {:.2}", f.py(low));
        }
        (pen, last, before) = (true, at, y);
    }
    d
}

fn notes(paper: &mut Paper, plot: &Plot, f: &Frame, foot: f64) {
    let mut ends: Vec<f64> = Vec::new();
    for n in plot.notes.iter().filter(|n| n.at >= f.x.lo && n.at <= f.x.hi) {
        let x = f.px(n.at);
        // Words that would overlap hang lower.
        let row = ends.iter().position(|end| *end < x - 4.0).unwrap_or(ends.len());
        let end = x + 4.0 + CHARACTER * n.says.chars().count() as f64;
        if row == ends.len() {
            ends.push(end)
        } else {
            ends[row] = end
        }
        let y = f.top + 6.0 + 11.0 * row as f64;
        paper.path(&format!("M{x:.2} {foot:.2}V{y:.2}"), "#a01c6b", 0.8, " stroke-dasharray='3 2'");
        paper.label(x + 3.0, y, "left", n.says.clone());
    }
}
