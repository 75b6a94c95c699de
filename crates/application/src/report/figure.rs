//! Results as figures of the report.

use super::look::Look;
use super::modal;
use super::words::with;
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
    let drawing = match look.drawn.part {
        Part::Curves if result.axes.len() > 2 => modal::plotted(modal::over_frequency(result, look), size)
            .ok_or_else(|| none("this result has no curves of its own; choose its poles, shapes or a table"))?,
        Part::Curves => {
            let (plot, notes) = plotted(result, look, size).ok_or_else(|| {
                none("there is nothing to draw in this range of this result; choose a wider one, or a table")
            })?;
            let mut figure = Figure::of(draw(&plot), alt, caption);
            (figure.notes, figure.values) = (notes, Some(table(&plot)));
            return Ok(figure);
        }
        Part::Poles => modal::plotted(modal::poles(result, look), size).ok_or_else(|| none(modal))?,
        Part::Mac => modal::plotted(modal::mac(result), size)
            .ok_or_else(|| none("this result has no two modes to hold against each other; choose its curves"))?,
        Part::Shapes => {
            let geometry = look.geometry.filter(|g| !g.points.is_empty()).ok_or_else(|| {
                none("the specimen has no geometry to draw shapes on; bring one in under Specimen, or choose a table")
            })?;
            modal::shapes(result, geometry, look)
                .ok_or_else(|| none("this result has no shapes, or the geometry has no lines; choose its curves"))?
        }
    };
    Ok(Figure::of(drawing, alt, caption))
}

/// Notes beside a figure: where, and the words.
type Noted = Vec<(String, String)>;

/// Curves or maps of a result, and its notes; nothing for what has neither.
fn plotted(result: &Analysis, look: &Look<'_>, size: Option<[f64; 2]>) -> Option<(Plot, Noted)> {
    let axis = result.axes.last()?;
    let first = result.traces.first()?;
    let inside = |v: &&f64| look.drawn.shown.is_none_or(|[lo, hi]| **v >= lo && **v <= hi);
    if axis.values.iter().filter(inside).count() < 2 {
        return None;
    }
    let panes = match &result.axes[..] {
        [_] if first.complex().is_some() => responses(result, look),
        [_] => vec![curves(result, look)],
        [rows, columns] => maps(result, (rows, columns)),
        _ => return None,
    };
    let lens = result.recipe.lens.name();
    let notes: Vec<&Note> = look.notes.iter().filter(|n| n.axis == axis.name.word() && n.lens == lens).collect();
    let plot = Plot {
        x: Axis {
            label: format!("{}, {}", axis.name, axis.unit),
            values: axis.values.clone(),
            from: look.drawn.shown.map(|s| s[0]),
            to: look.drawn.shown.map(|s| s[1]),
            log: false,
        },
        panes,
        notes: notes.iter().map(|n| plot::Note { at: n.place, says: n.says.clone() }).collect(),
        size,
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

fn curves(result: &Analysis, look: &Look<'_>) -> Pane {
    let line = |t: &Trace, low: Option<Vec<f64>>| Curve {
        name: t.name.clone(),
        values: t.real().to_vec(),
        low,
        ..Curve::default()
    };
    let envelope = result.traces.iter().any(|t| t.quantity == Shown::Min);
    let curves: Vec<Curve> = if envelope {
        let pairs = result.traces.chunks_exact(2);
        pairs.map(|pair| line(&pair[1], Some(pair[0].real().to_vec()))).collect()
    } else {
        result.traces.iter().map(|t| line(t, None)).collect()
    };
    let (first, quantity) = (&result.traces[0], if envelope { Shown::Value } else { result.traces[0].quantity });
    Pane { label: format!("{quantity}, {}", first.unit), log: look.log_y(result), curves, ..Pane::default() }
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
            label: format!("{}, {}", first.quantity, first.unit),
            log: look.log_y(result),
            curves: complex.iter().map(|t| of(t, &f64::hypot)).collect(),
            ..Pane::default()
        },
        Pane {
            label: "phase, °".into(),
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
            label: format!("{}, {}", first.quantity, first.unit),
            curves: plain.iter().map(curve).collect(),
            share: Some(0.4),
            ..Pane::default()
        });
    }
    panes
}

fn maps(result: &Analysis, (rows, columns): (&Direction, &Direction)) -> Vec<Pane> {
    let n = rows.values.len() * columns.values.len();
    let whole = result.traces.iter().filter(|t| t.real().len() == n);
    let pane = |t: &Trace| Pane {
        label: format!("{}, {}; {}", rows.name, rows.unit, t.name),
        map: Some(Map {
            rows: rows.values.clone(),
            values: t.real().to_vec(),
            label: format!("{}, {}", t.quantity, t.unit),
            decades: Some(3.0),
            shades: plot::Shades::Tide,
        }),
        ..Pane::default()
    };
    whole.take(MOST_MAPS).map(pane).collect()
}
