//! Results as figures of the report.

use echo_formats::plot::{self, Axis, Curve, Map, Pane, Plot, draw};
use echo_formats::report::Figure;
use echo_job::analysis::Analysis;
use echo_job::analysis::result::{Axis as Direction, Trace};
use echo_job::analysis::words::Shown;
use echo_store::note::Note;

/// How a figure is drawn.
pub(super) struct Look<'a> {
    pub(super) log_y: bool,
    pub(super) shown: Option<[f64; 2]>,
    pub(super) notes: &'a [Note],
}

/// Most maps of a figure, one under the other.
const MOST_MAPS: usize = 3;

/// A result as a figure; nothing for what has no curves.
pub(super) fn figure(result: &Analysis, title: &str, caption: String, look: &Look<'_>) -> Option<Figure> {
    let axis = result.axes.last()?;
    let first = result.traces.first()?;
    let inside = |v: &&f64| look.shown.is_none_or(|[lo, hi]| **v >= lo && **v <= hi);
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
    let notes = look.notes.iter().filter(|n| n.axis == axis.name.word() && n.lens == lens);
    let plot = Plot {
        x: Axis {
            label: format!("{}, {}", axis.name, axis.unit),
            values: axis.values.clone(),
            from: look.shown.map(|s| s[0]),
            to: look.shown.map(|s| s[1]),
            log: false,
        },
        panes,
        notes: notes.map(|n| plot::Note { at: n.place, says: n.says.clone() }).collect(),
        ..Plot::default()
    };
    plot.check().ok()?;
    let drawing = draw(&plot);
    let aspect = drawing.aspect();
    Some(Figure { title: title.into(), caption, svg: drawing.svg, labels: drawing.labels, aspect })
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
    Pane { label: format!("{quantity}, {}", first.unit), log: look.log_y, curves, ..Pane::default() }
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
            log: look.log_y,
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
