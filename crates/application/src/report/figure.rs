//! Results as figures of the report.

use super::look::Look;
use super::modal;
use super::words::{headed, with};
use crate::{Error, Result};
use echo_formats::plot::out::table;
use echo_formats::plot::{self, Axis, Curve, Map, Pane, Plot, draw};
use echo_job::analysis::Analysis;
use echo_job::analysis::result::{Axis as Direction, Trace};
use echo_job::analysis::words::Shown;
use echo_job::report::block::{Height, Part};
use echo_report::document::{Figure, Set};
use echo_store::note::Note;

/// A drawing's width, and its height for each pane, px.
const WIDTH: f64 = 640.0;

fn height(of: Height) -> f64 {
    match of {
        Height::Low => 130.0,
        Height::Usual => 190.0,
        Height::Half => 400.0,
        Height::Page => 840.0,
    }
}

/// Most maps of a figure, one under the other.
const MOST_MAPS: usize = 3;

/// A result as a figure.
///
/// # Errors
/// It has nothing to draw, with what else could be chosen.
pub(super) fn figure(result: &Analysis, alt: String, caption: Vec<Set>, look: &Look<'_>) -> Result<Figure> {
    let usual = look.drawn.height == Height::Usual && look.beside == 1;
    let size = (!usual).then(|| [WIDTH / f64::from(look.beside.max(1)), height(look.drawn.height)]);
    let none = |says: &str| Error::conflict(says);
    let modal = "this result has no modes; choose its curves, or a result of the lens modes";
    let (plot, notes) = match look.drawn.part {
        Part::Curves if result.axes.len() > 2 => (
            modal::over_frequency(result, look)
                .ok_or_else(|| none("this result has no curves of its own; choose its poles, shapes or a table"))?,
            Noted::new(),
        ),
        Part::Curves => plotted(result, look).ok_or_else(|| {
            none("there is nothing to draw in this range of this result; choose a wider one, or a table")
        })?,
        Part::Polar => (
            polar(result, look).ok_or_else(|| {
                none("this result has no complex curves; choose its curves, or a lens such as order cuts")
            })?,
            Noted::new(),
        ),
        Part::Poles => (modal::poles(result, look).ok_or_else(|| none(modal))?, Noted::new()),
        Part::Mac => (
            modal::mac(result, look)
                .ok_or_else(|| none("this result has no two modes to hold against each other; choose its curves"))?,
            Noted::new(),
        ),
        Part::Shapes => {
            let geometry = look.geometry.filter(|g| !g.points.is_empty()).ok_or_else(|| {
                none("the specimen has no geometry to draw shapes on; bring one in under Specimen, or choose a table")
            })?;
            let drawing = modal::shapes(result, geometry, look)
                .ok_or_else(|| none("this result has no shapes, or the geometry has no lines; choose its curves"))?;
            return Ok(Figure::of(drawing, alt, caption));
        }
    };
    let plot = Plot { size, ..plot };
    plot.check().map_err(|e| none(&e.says))?;
    let mut figure = Figure::of(draw(&plot), alt, caption);
    (figure.notes, figure.values) = (notes, Some(table(&plot)));
    Ok(figure)
}

/// Notes beside a figure: where, and the words.
type Noted = Vec<(String, String)>;

/// Curves or maps of a result, and its notes; nothing for what has neither.
fn plotted(result: &Analysis, look: &Look<'_>) -> Option<(Plot, Noted)> {
    let lens = result.recipe.lens.name();
    if lens == "orbit" {
        return Some((orbit(result)?, Noted::new()));
    }
    // Of a rainflow the ranges are shown, over the first axis, and not the matrix.
    let ranges = lens == "rainflow" && result.axes.len() == 2;
    let axis = if ranges { result.axes.first()? } else { result.axes.last()? };
    let first = result.traces.first()?;
    let inside = |v: &&f64| look.drawn.shown.is_none_or(|[lo, hi]| **v >= lo && **v <= hi);
    if axis.values.iter().filter(inside).count() < 2 {
        return None;
    }
    let panes = match &result.axes[..] {
        [_] if first.complex().is_some() => responses(result, look),
        [_] => vec![curves(result, look, result.traces.iter().collect())],
        [rows, _] if ranges => {
            let n = rows.values.len();
            vec![curves(result, look, result.traces.iter().filter(|t| t.len() == n).collect())]
        }
        [rows, columns] => maps(result, look, (rows, columns)),
        _ => return None,
    };
    let notes: Vec<&Note> = look.notes.iter().filter(|n| n.axis == axis.name.word() && n.lens == lens).collect();
    let plot = Plot {
        x: Axis {
            label: headed(&look.language.word(axis.name.word()), &axis.unit),
            values: axis.values.clone(),
            from: look.drawn.shown.map(|s| s[0]),
            to: look.drawn.shown.map(|s| s[1]),
            log: LOG_X.contains(&lens) && axis.values.iter().all(|x| *x > 0.0),
        },
        panes,
        notes: notes.iter().map(|n| plot::Note { at: n.place, says: n.says.clone() }).collect(),
        ..Plot::default()
    };
    plot.check().ok()?;
    let told = |n: &&Note| {
        let of = result.traces.iter().find(|t| n.channel.is_some_and(|c| t.channel == c as u32));
        let place = with(look.language.short(n.place, 6), &axis.unit);
        (of.map_or(place.clone(), |t| format!("{place}, {}", t.name)), n.says.clone())
    };
    let notes = notes.iter().map(told).collect();
    Some((plot, notes))
}

/// Lenses whose axis has decades, and those whose values hold until the next one.
const LOG_X: [&str; 2] = ["octave", "shock"];
const STEPS: [&str; 2] = ["distribution", "rainflow"];

/// The way of a shaft: the second probe over the first.
fn orbit(result: &Analysis) -> Option<Plot> {
    let [x, y, ..] = &result.traces[..] else { return None };
    let curve = Curve { name: String::new(), x: x.real().to_vec(), values: y.real().to_vec(), ..Curve::default() };
    Some(Plot {
        x: Axis { label: format!("{}, {}", x.name, x.unit), ..Axis::default() },
        panes: vec![Pane { label: format!("{}, {}", y.name, y.unit), curves: vec![curve], ..Pane::default() }],
        round: true,
        ..Plot::default()
    })
}

/// Complex curves as the way of their ends: the imaginary part over the real one.
fn polar(result: &Analysis, look: &Look<'_>) -> Option<Plot> {
    let [axis] = &result.axes[..] else { return None };
    let inside = |k: &usize| look.drawn.shown.is_none_or(|[lo, hi]| (lo..=hi).contains(&axis.values[*k]));
    let shown: Vec<usize> = (0..axis.values.len()).filter(inside).collect();
    let curve = |t: &Trace| {
        let z = t.complex()?;
        let part = |of: &dyn Fn(usize) -> f64| shown.iter().map(|k| of(*k)).collect();
        let (x, values) = (part(&|k| z[k].re), part(&|k| z[k].im));
        Some(Curve { name: t.name.clone(), x, values, ..Curve::default() })
    };
    let curves: Vec<Curve> = result.traces.iter().filter_map(curve).collect();
    let first = result.traces.iter().find(|t| t.complex().is_some())?;
    (shown.len() > 1).then(|| Plot {
        x: Axis { label: format!("in phase, {}", first.unit), ..Axis::default() },
        panes: vec![Pane { label: format!("90° ahead, {}", first.unit), curves, ..Pane::default() }],
        round: true,
        ..Plot::default()
    })
}

fn curves(result: &Analysis, look: &Look<'_>, traces: Vec<&Trace>) -> Pane {
    let steps = STEPS.contains(&result.recipe.lens.name());
    let line = |t: &Trace, low: Option<Vec<f64>>| Curve {
        name: t.name.clone(),
        values: t.real().to_vec(),
        low,
        steps,
        ..Curve::default()
    };
    let envelope = traces.iter().any(|t| t.quantity == Shown::Min);
    let curves: Vec<Curve> = if envelope {
        let pairs = traces.chunks_exact(2);
        pairs.map(|pair| line(pair[1], Some(pair[0].real().to_vec()))).collect()
    } else {
        traces.iter().map(|t| line(t, None)).collect()
    };
    let Some(first) = traces.first() else { return Pane::default() };
    let quantity = if envelope { Shown::Value } else { first.quantity };
    Pane {
        label: headed(&look.language.word(quantity.word()), &first.unit),
        log: look.log_y(result),
        curves,
        ..Pane::default()
    }
}

/// Amplitude over phase; what is real among them, such as coherence, below.
fn responses(result: &Analysis, look: &Look<'_>) -> Vec<Pane> {
    let of = |t: &Trace, value: &dyn Fn(f64, f64) -> f64| Curve {
        name: t.name.clone(),
        values: t.complex().unwrap_or(&[]).iter().map(|z| value(z.re, z.im)).collect(),
        ..Curve::default()
    };
    let complex: Vec<&Trace> = result.traces.iter().filter(|t| t.complex().is_some()).collect();
    let plain: Vec<&Trace> = result.traces.iter().filter(|t| t.complex().is_none()).collect();
    let first = complex[0];
    let mut panes = vec![
        Pane {
            label: headed(&look.language.word(first.quantity.word()), &first.unit),
            log: look.log_y(result),
            curves: complex.iter().map(|t| of(t, &f64::hypot)).collect(),
            ..Pane::default()
        },
        Pane {
            label: format!("{}, °", look.language.word("phase")),
            curves: complex.iter().map(|t| of(t, &|re, im| im.atan2(re).to_degrees())).collect(),
            from: Some(-180.0),
            to: Some(180.0),
            share: Some(0.6),
            ..Pane::default()
        },
    ];
    if let Some(first) = plain.first() {
        let curve = |t: &&Trace| Curve { name: t.name.clone(), values: t.real().to_vec(), ..Curve::default() };
        panes.push(Pane {
            label: headed(&look.language.word(first.quantity.word()), &first.unit),
            curves: plain.iter().map(curve).collect(),
            share: Some(0.4),
            ..Pane::default()
        });
    }
    panes
}

fn maps(result: &Analysis, look: &Look<'_>, (rows, columns): (&Direction, &Direction)) -> Vec<Pane> {
    let n = rows.values.len() * columns.values.len();
    let whole = result.traces.iter().filter(|t| t.real().len() == n);
    let pane = |t: &Trace| Pane {
        label: format!("{}, {}; {}", look.language.word(rows.name.word()), rows.unit, t.name),
        map: Some(Map {
            rows: rows.values.clone(),
            values: t.real().to_vec(),
            label: headed(&look.language.word(t.quantity.word()), &t.unit),
            decades: Some(3.0),
            shades: plot::Shades::Tide,
        }),
        ..Pane::default()
    };
    whole.take(MOST_MAPS).map(pane).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::report::block::Drawn;
    use echo_job::report::language::Language;
    use serde_json::{Value, json};

    fn result(recipe: Value, axes: Value, traces: Value) -> Analysis {
        let body = json!({ "recipe": recipe, "made": { "by": "", "at": "", "input": "" }, "axes": axes,
            "traces": traces, "numbers": [], "peaks": [] });
        Analysis::kept(body).unwrap()
    }

    fn axis(name: &str, values: &[f64]) -> Value {
        json!({ "name": name, "unit": "Hz", "values": values })
    }

    fn drawn(a: &Analysis, part: &str) -> Result<Figure> {
        let drawn: Drawn = serde_json::from_value(json!({ "kept": 1, "part": part })).unwrap();
        let look = Look { drawn: &drawn, beside: 1, notes: &[], language: Language::English, geometry: None };
        figure(a, "alt".into(), Vec::new(), &look)
    }

    #[test]
    fn complex_curves_are_drawn_as_the_way_of_their_ends_and_handed_over_as_numbers() {
        let trace = json!({ "name": "top / hammer", "channel": 2, "reference": 1, "unit": "g/N", "quantity": "response",
            "re": [1.0, 0.0, -1.0], "im": [0.0, 1.0, 0.0] });
        let a = result(json!({ "lens": "response" }), json!([axis("frequency", &[1.0, 2.0, 3.0])]), json!([trace]));
        let polar = drawn(&a, "polar").unwrap();
        let sheet = polar.values.unwrap();
        assert_eq!(sheet.rows, [["1", "0"], ["0", "1"], ["-1", "0"]]);
        assert!(sheet.heads[0].contains("in phase, g/N"), "{:?}", sheet.heads);
        assert!((polar.aspect - 1.0).abs() < 0.2, "both axes have one scale: {}", polar.aspect);
        let plain = json!({ "name": "top", "channel": 2, "unit": "g", "quantity": "rms", "values": [1.0, 2.0] });
        let b = result(json!({ "lens": "spectrum" }), json!([axis("frequency", &[1.0, 2.0])]), json!([plain]));
        assert!(drawn(&b, "polar").unwrap_err().says().contains("no complex curves"));
        assert!(drawn(&b, "poles").unwrap_err().says().contains("no modes"));
    }
}
