//! Results as figures of the report.

use echo_formats::plot::{ASPECT, Curve, Plot, draw};
use echo_formats::report::Figure;
use echo_job::analysis::Analysis;
use echo_job::analysis::words::Shown;
use echo_store::note::Note;

/// How a figure is drawn.
pub(super) struct Look<'a> {
    pub(super) log_y: bool,
    pub(super) shown: Option<[f64; 2]>,
    pub(super) notes: &'a [Note],
}

/// A result as a figure; nothing for what cannot be drawn as curves.
pub(super) fn figure(result: &Analysis, title: &str, caption: String, look: &Look<'_>) -> Option<Figure> {
    // Curves of real values over one axis can be drawn; maps and complex traces are not, yet.
    let [axis] = &result.axes[..] else { return None };
    if result.traces.iter().any(|t| t.real().len() != axis.values.len()) {
        return None;
    }
    let (a, b) = match look.shown {
        Some([lo, hi]) => (axis.values.partition_point(|x| *x < lo), axis.values.partition_point(|x| *x <= hi)),
        None => (0, axis.values.len()),
    };
    if b <= a + 1 {
        return None;
    }
    let envelope = result.traces.iter().any(|t| t.quantity == Shown::Min);
    let curves = if envelope {
        result
            .traces
            .chunks(2)
            .filter_map(|pair| match pair {
                [lo, hi] => Some(Curve { name: &hi.name, values: &hi.real()[a..b], low: Some(&lo.real()[a..b]) }),
                _ => None,
            })
            .collect()
    } else {
        result.traces.iter().map(|t| Curve { name: &t.name, values: &t.real()[a..b], low: None }).collect()
    };
    let t = result.traces.first()?;
    let quantity = if envelope { Shown::Value } else { t.quantity };
    let lens = result.recipe.lens.name();
    let notes: Vec<&Note> = look.notes.iter().filter(|n| n.axis == axis.name.word() && n.lens == lens).collect();
    let plot = Plot {
        x: &axis.values[a..b],
        x_label: &format!("{}, {}", axis.name, axis.unit),
        y_label: &format!("{quantity}, {}", t.unit),
        log_y: look.log_y,
        curves,
        notes: notes.iter().map(|n| (n.place, n.says.as_str())).collect(),
    };
    let drawing = draw(&plot);
    Some(Figure { title: title.into(), caption, svg: drawing.svg, labels: drawing.labels, aspect: ASPECT })
}
