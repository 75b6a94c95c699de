//! Modes as figures of the report: poles of every order, how alike shapes are, shapes on the specimen.

use super::look::Look;
use super::words::headed;
use crate::specimens::motion::{Motion, motions};
use echo_formats::plot::{Axis, Curve, Drawing, Label, Map, Note, Pane, Plot, Shades};
use echo_job::analysis::Analysis;
use echo_job::analysis::result::Held;
use echo_job::analysis::words::{Along, Shown};
use echo_job::geometry::Geometry;
use echo_job::geometry::drawn::{Fitted, path, seen};
use std::fmt::Write;

/// Shapes beside each other, and width and height of one.
const BESIDE: usize = 3;
const CELL: [f64; 2] = [640.0 / BESIDE as f64, 190.0];
/// Between a shape and the edge of its cell, and the height of its words.
const EDGE: f64 = 10.0;
const WORDS: f64 = 16.0;
/// How far the point that moves most moves, as a share of the specimen's size on paper.
const MOVES: f64 = 0.12;
/// Strokes of a specimen that are drawn at most.
const MOST: usize = 1500;

/// Frequencies of the modes, Hz, by their numbers.
fn frequencies(a: &Analysis) -> Vec<(u32, f64)> {
    a.numbers.iter().filter(|n| n.name == "frequency").filter_map(|n| Some((n.mode?, n.value))).collect()
}

/// Poles of every order over frequency, by how much of them holds, with the modes that were picked.
pub(super) fn poles(a: &Analysis, look: &Look<'_>) -> Option<Plot> {
    let groups = [
        ("all of it holds", vec![Held::Shape]),
        ("frequency and damping hold", vec![Held::Damping]),
        ("frequency holds", vec![Held::Frequency]),
        ("new", vec![Held::New]),
    ];
    let band = a.stabilisation.iter().map(|p| p.frequency_hz);
    let (low, high) = (band.clone().fold(f64::INFINITY, f64::min), band.fold(f64::NEG_INFINITY, f64::max));
    let curve = |(name, of): &(&str, Vec<Held>)| {
        let (x, values) =
            a.stabilisation.iter().filter(|p| of.contains(&p.stable)).map(|p| (p.frequency_hz, p.order as f64)).unzip();
        Curve { name: (*name).into(), x, values, points: true, ..Curve::default() }
    };
    let curves: Vec<Curve> = groups.iter().map(curve).filter(|c| !c.x.is_empty()).collect();
    let shown = look.drawn.shown;
    (low < high).then(|| Plot {
        x: Axis {
            label: format!("{}, Hz", look.language.word("frequency")),
            from: Some(shown.map_or(low, |s| s[0])),
            to: Some(shown.map_or(high, |s| s[1])),
            ..Axis::default()
        },
        panes: vec![Pane { label: look.language.word("order"), curves, ..Pane::default() }],
        notes: frequencies(a).into_iter().map(|(mode, at)| Note { at, says: mode.to_string() }).collect(),
        ..Plot::default()
    })
}

/// How alike each shape is to each other one.
pub(super) fn mac(a: &Analysis, look: &Look<'_>) -> Option<Plot> {
    let mac = a.traces.iter().find(|t| t.quantity == Shown::Mac)?;
    let modes = a.axes.iter().find(|x| x.name == Along::Mode)?.values.clone();
    let map = Map {
        rows: modes.clone(),
        values: mac.real().to_vec(),
        label: "MAC".into(),
        decades: None,
        shades: Shades::Tide,
    };
    let whole = modes.len() > 1 && map.values.len() == modes.len() * modes.len();
    whole.then(|| Plot {
        x: Axis { label: look.language.word("mode"), values: modes, ..Axis::default() },
        panes: vec![Pane { label: look.language.word("mode"), map: Some(map), ..Pane::default() }],
        ..Plot::default()
    })
}

/// What tells modes, over frequency: the curves of a result that has other axes too.
pub(super) fn over_frequency(a: &Analysis, look: &Look<'_>) -> Option<Plot> {
    let axis = a.axes.first().filter(|x| x.name == Along::Frequency)?;
    let own = |t: &&echo_job::analysis::result::Trace| t.axes.as_deref() == Some(&[0]) && !t.real().is_empty();
    let curve = |t: &echo_job::analysis::result::Trace| Curve {
        name: t.name.clone(),
        values: t.real().to_vec(),
        ..Curve::default()
    };
    let of =
        |word: &str| a.traces.iter().filter(own).filter(|t| t.name.starts_with(word)).map(curve).collect::<Vec<_>>();
    let (complex, multivariate) = (of("complex"), of("multivariate"));
    let pane = |label: &str, log, curves: Vec<Curve>| Pane {
        label: look.language.word(label),
        log,
        curves,
        ..Pane::default()
    };
    let panes: Vec<Pane> = [("indicator", true, complex), ("multivariate", false, multivariate)]
        .into_iter()
        .filter(|p| !p.2.is_empty())
        .map(|(label, log, curves)| pane(label, log, curves))
        .collect();
    (!panes.is_empty()).then(|| Plot {
        x: Axis {
            label: headed(&look.language.word(axis.name.word()), &axis.unit),
            values: axis.values.clone(),
            from: look.drawn.shown.map(|s| s[0]),
            to: look.drawn.shown.map(|s| s[1]),
            log: false,
        },
        panes,
        notes: frequencies(a).into_iter().map(|(mode, at)| Note { at, says: mode.to_string() }).collect(),
        ..Plot::default()
    })
}

/// Each shape on the specimen, over the specimen at rest.
pub(super) fn shapes(a: &Analysis, geometry: &Geometry, look: &Look<'_>) -> Option<Drawing> {
    let strokes: Vec<Vec<usize>> = geometry.strokes().into_iter().take(MOST).collect();
    let motions = motions(a, geometry).motions;
    let names: Vec<String> = a
        .traces
        .iter()
        .filter(|t| t.quantity == Shown::Shape)
        .map(|t| {
            let damping = a.numbers.iter().find(|n| n.mode == t.mode && t.mode.is_some() && n.name == "damping_ratio");
            let percent = damping.map(|n| look.language.quantity(100.0 * n.value, 3, "%"));
            [Some(t.name.clone()), percent].into_iter().flatten().collect::<Vec<_>>().join(", ")
        })
        .collect();
    let rest = geometry.on_paper();
    // What moves is larger than what rests.
    let room = [CELL[0] - 2.0 * EDGE, CELL[1] - 2.0 * EDGE - WORDS].map(|r| r / (1.0 + 2.0 * MOVES));
    let fitted = Fitted::into(room, strokes.iter().flatten().map(|row| rest[*row]))?;
    if motions.is_empty() {
        return None;
    }
    let rows = motions.len().div_ceil(BESIDE);
    let size = [CELL[0] * BESIDE as f64, CELL[1] * rows as f64];
    let mut svg = format!("<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 {} {}'>", size[0], size[1]);
    let mut labels = Vec::new();
    for (k, (motion, name)) in motions.iter().zip(names).enumerate() {
        let corner = [CELL[0] * (k % BESIDE) as f64, CELL[1] * (k / BESIDE) as f64];
        let middle = [corner[0] + CELL[0] / 2.0, corner[1] + (CELL[1] - WORDS) / 2.0];
        let path = |side: f64| {
            let to = moved(&fitted, &rest, geometry, motion, side);
            path(&strokes, &|row| {
                let at = fitted.at(to[row]);
                [at[0] + middle[0], at[1] + middle[1]]
            })
        };
        let (still, there, back) = (path(0.0), path(1.0), path(-1.0));
        let _ = write!(
            svg,
            "<path d='{still}' fill='none' stroke='#d9d3c3' stroke-width='0.8'/><path d='{back}' fill='none' stroke='#0b6b6b' stroke-width='0.6' stroke-dasharray='2 2'/><path d='{there}' fill='none' stroke='#10263b' stroke-width='1.1'/>",
        );
        labels.push(Label {
            x: (corner[0] + CELL[0] / 2.0) / size[0],
            y: (corner[1] + CELL[1] - WORDS / 2.0) / size[1],
            anchor: "center",
            says: name,
        });
    }
    svg += "</svg>";
    Some(Drawing { svg, labels, size })
}

/// Where the points are when the shape is at one of its ends.
fn moved(fitted: &Fitted, rest: &[[f64; 2]], geometry: &Geometry, motion: &Motion, side: f64) -> Vec<[f64; 2]> {
    // Turned to the phase in which most of it moves at once.
    let square = motion.moves.iter().flat_map(|m| (0..3).map(|x| (m[x], m[x + 3])));
    let (re, im) = square.fold((0.0, 0.0), |(re, im), (a, b)| (re + a * a - b * b, im + 2.0 * a * b));
    let (cos, sin) = ((f64::atan2(im, re) / 2.0).cos(), (f64::atan2(im, re) / 2.0).sin());
    let far = side * MOVES * fitted.larger();
    let one = |((rest, p), m): ((&[f64; 2], &echo_job::geometry::Point), &[f64; 6])| {
        let by: [f64; 3] = std::array::from_fn(|x| far * (m[x] * cos + m[x + 3] * sin));
        let to = seen([p.x + by[0], p.y + by[1], p.z + by[2]]);
        if to.iter().all(|x| x.is_finite()) { to } else { *rest }
    };
    rest.iter().zip(&geometry.points).zip(&motion.moves).map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::geometry::Point;
    use echo_job::report::block::Drawn;
    use echo_job::report::language::Language;
    use serde_json::{Value, json};

    fn axis(name: &str, values: &[f64], dofs: Value) -> Value {
        json!({ "name": name, "unit": if name == "frequency" { "Hz" } else { "" }, "values": values, "dofs": dofs })
    }

    fn curve(name: &str, quantity: &str, axes: &[usize], part: Value) -> Value {
        let mut all = json!({ "name": name, "channel": 0, "quantity": quantity, "unit": "", "axes": axes });
        for (key, value) in part.as_object().unwrap() {
            all[key] = value.clone();
        }
        all
    }

    /// Two modes of three points in a line, the second of which lags the first by a quarter turn everywhere.
    fn modes() -> Analysis {
        let dof = |point: &str| json!({ "point": point, "direction": "z", "sign": "+" });
        let pole = |order: usize, hz: f64, stable: &str| json!({ "order": order, "frequency_hz": hz, "damping_ratio": 0.01, "stable": stable });
        let number = |name: &str, mode: u32, value: f64| json!({ "name": name, "channel": 0, "mode": mode, "unit": "", "value": value });
        let shape = |mode: u32, re: [f64; 3], im: [f64; 3]| json!({ "mode": mode, "re": re, "im": im });
        let body = json!({
            "recipe": { "lens": "modes" }, "made": { "by": "", "at": "", "input": "" },
            "axes": [axis("frequency", &[10.0, 20.0, 30.0], json!([])),
                axis("dof", &[1.0, 2.0, 3.0], json!([dof("1"), dof("2"), dof("3")])), axis("mode", &[1.0, 2.0], json!([]))],
            "traces": [
                curve("complex 1", "indicator", &[0], json!({ "values": [1.0, 4.0, 2.0] })),
                curve("mode 1, 12.00 Hz", "shape", &[1], shape(1, [0.0, 1.0, 0.0], [0.0; 3])),
                curve("mode 2, 24.00 Hz", "shape", &[1], shape(2, [0.0; 3], [1.0, 0.0, -1.0])),
                curve("MAC", "mac", &[2, 2], json!({ "values": [1.0, 0.1, 0.1, 1.0] })),
            ],
            "numbers": [number("frequency", 1, 12.0), number("frequency", 2, 24.0), number("damping_ratio", 2, 0.0125)],
            "stabilisation": [pole(2, 12.0, "new"), pole(3, 12.0, "shape"), pole(4, 24.0, "shape")],
        });
        Analysis::kept(body).unwrap()
    }

    fn beam() -> Geometry {
        let points = (0..3).map(|k| Point::new((k + 1).to_string(), f64::from(k), 0.0, 0.0)).collect();
        Geometry { points, lines: vec![["1", "2", "3"].map(String::from).to_vec()], ..Geometry::default() }
    }

    fn seen_by<T>(then: impl FnOnce(&Look<'_>) -> T) -> T {
        let drawn: Drawn = serde_json::from_value(json!({ "kept": 1 })).unwrap();
        then(&Look { drawn: &drawn, beside: 1, notes: &[], language: Language::German, geometry: None })
    }

    #[test]
    fn each_shape_is_drawn_on_the_specimen_in_the_phase_in_which_it_moves() {
        let drawing = seen_by(|look| shapes(&modes(), &beam(), look)).unwrap();
        let says: Vec<&str> = drawing.labels.iter().map(|l| l.says.as_str()).collect();
        assert_eq!(says, ["mode 1, 12.00 Hz", "mode 2, 24.00 Hz, 1,25\u{202f}%"]);
        let paths: Vec<&str> = drawing.svg.split("<path d='").skip(1).map(|p| p.split('\'').next().unwrap()).collect();
        assert_eq!(paths.len(), 6, "at rest and both ends of each");
        let heights = |path: &str| -> Vec<f64> {
            path.split(['M', 'L']).skip(1).map(|p| p.split(' ').nth(1).unwrap().parse().unwrap()).collect()
        };
        let lift = |still: &str, moved: &str| -> Vec<f64> {
            heights(still).iter().zip(heights(moved)).map(|(a, b)| a - b).collect()
        };
        let first = lift(paths[0], paths[2]);
        assert!(first[0].abs() < 0.11 && first[1] > 3.0 && first[2].abs() < 0.11, "{first:?}");
        let second = lift(paths[3], paths[5]);
        assert!(second[0].abs() > 3.0 && (second[0] + second[2]).abs() < 0.3, "not flat because it lags: {second:?}");
        assert!(seen_by(|look| shapes(&modes(), &Geometry::default(), look)).is_none(), "nothing to draw on");
    }

    #[test]
    fn poles_stand_by_what_of_them_holds_and_shapes_are_held_against_each_other() {
        let plot = seen_by(|look| poles(&modes(), look)).unwrap();
        let curves = &plot.panes[0].curves;
        assert_eq!(
            curves.iter().map(|c| (c.name.as_str(), c.x.len())).collect::<Vec<_>>(),
            [("all of it holds", 2), ("new", 1)]
        );
        assert_eq!(plot.notes.iter().map(|n| (n.at, n.says.as_str())).collect::<Vec<_>>(), [(12.0, "1"), (24.0, "2")]);
        assert_eq!((plot.x.from, plot.x.to), (Some(12.0), Some(24.0)));
        let map = seen_by(|look| mac(&modes(), look)).unwrap();
        assert_eq!(map.panes[0].map.as_ref().map(|m| m.values.clone()), Some(vec![1.0, 0.1, 0.1, 1.0]));
        let over = seen_by(|look| over_frequency(&modes(), look)).unwrap();
        assert_eq!((over.panes.len(), over.panes[0].log), (1, true));
        for plot in [plot, map, over] {
            assert!(plot.check().is_ok(), "it can be drawn");
            assert!(!echo_formats::plot::out::table(&plot).rows.is_empty(), "and handed over as numbers");
        }
    }
}
