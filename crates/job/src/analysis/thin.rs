//! Fewer points for a picture, without losing what stands out.

use super::result::{Analysis, Axis, Points, Trace};

/// Groups of equal size that leave at most `most` of `n`.
fn group(n: usize, most: usize) -> usize {
    n.div_ceil(most.max(1)).max(1)
}

/// A result with at most about `most` points an axis. Of curves the smallest and the largest of
/// every group stay where they are; of maps the largest stands for its cell. Complex curves stay whole.
pub fn thinned(result: &Analysis, most: usize) -> Analysis {
    let mut out = result.clone();
    match out.axes.len() {
        1 => curves(&mut out, most),
        2 => maps(&mut out, most),
        _ => {}
    }
    out
}

/// The part of a result whose last axis is between two values, and one point on either side of it.
pub fn cropped(result: &Analysis, low: f64, high: f64) -> Analysis {
    let mut out = result.clone();
    let Some(axis) = out.axes.last_mut() else { return out };
    let n = axis.values.len();
    let from = axis.values.partition_point(|x| *x < low).saturating_sub(1);
    let to = (axis.values.partition_point(|x| *x <= high) + 1).min(n);
    if low >= high || from >= to || n == 0 {
        return out;
    }
    axis.values = axis.values[from..to].to_vec();
    // Values of a map follow each other row by row, the last axis fastest.
    fn crop<T: Copy>(v: &mut Vec<T>, n: usize, (from, to): (usize, usize)) {
        if !v.is_empty() && v.len().is_multiple_of(n) {
            *v = v.chunks(n).flat_map(|row| row[from..to].iter().copied()).collect();
        }
    }
    for t in &mut out.traces {
        match &mut t.points {
            Points::Real(x) => crop(x, n, (from, to)),
            Points::Complex(z) => crop(z, n, (from, to)),
        }
        t.within.iter_mut().for_each(|w| crop(w, n, (from, to)));
    }
    out
}

fn curves(out: &mut Analysis, most: usize) {
    let n = out.axes[0].values.len();
    let each = group(n, most / 2);
    if each <= 2 || out.traces.iter().any(|t| t.complex().is_some()) {
        return;
    }
    // All curves keep the same places: those that stand out in any of them.
    let mut places = Vec::with_capacity(most + 2 * out.traces.len());
    for from in (0..n).step_by(each) {
        let to = (from + each).min(n);
        let start = places.len();
        for v in out.traces.iter().map(Trace::real).filter(|v| v.len() == n) {
            let finite = || (from..to).filter(|i| v[*i].is_finite());
            places.extend(finite().min_by(|a, b| v[*a].total_cmp(&v[*b])));
            places.extend(finite().max_by(|a, b| v[*a].total_cmp(&v[*b])));
        }
        if places.len() == start {
            places.push(from);
        }
        places[start..].sort_unstable();
    }
    places.dedup();
    let take = |v: &[f64]| places.iter().map(|i| v[*i]).collect::<Vec<f64>>();
    for t in out.traces.iter_mut().filter(|t| t.real().len() == n) {
        t.points = Points::Real(take(t.real()));
    }
    out.axes[0].values = take(&out.axes[0].values);
}

/// A value with five digits: more than a shade can show, and half as long to send.
fn short(x: f64) -> f64 {
    if x == 0.0 || !x.is_finite() {
        return x;
    }
    let places = 4 - x.abs().log10().floor() as i32;
    // Powers of ten up to 10²² are exact, so that a quotient by one is the number its digits say.
    match places {
        0..=22 => (x * 10f64.powi(places)).round() / 10f64.powi(places),
        -22..0 => (x / 10f64.powi(-places)).round() * 10f64.powi(-places),
        _ => x,
    }
}

fn maps(out: &mut Analysis, most: usize) {
    let (rows, columns) = (out.axes[0].values.len(), out.axes[1].values.len());
    let (high, wide) = (group(rows, most), group(columns, most));
    let map = |t: &mut Trace| {
        if t.real().len() != rows * columns {
            return;
        }
        let mut cells = Vec::with_capacity(rows.div_ceil(high) * columns.div_ceil(wide));
        for r in (0..rows).step_by(high) {
            for c in (0..columns).step_by(wide) {
                let inside = (r..(r + high).min(rows)).flat_map(|i| {
                    let row = &t.real()[i * columns..(i + 1) * columns];
                    row[c..(c + wide).min(columns)].iter().copied()
                });
                cells.push(short(inside.filter(|v| v.is_finite()).fold(f64::NAN, f64::max)));
            }
        }
        t.points = Points::Real(cells);
    };
    out.traces.iter_mut().for_each(map);
    let mean = |a: &mut Axis, each: usize| {
        a.values = a.values.chunks(each).map(|c| c.iter().sum::<f64>() / c.len() as f64).collect();
    };
    mean(&mut out.axes[0], high);
    mean(&mut out.axes[1], wide);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::analysis::{Memory, Provenance, analyze};
    use crate::recipe::Recipe;

    fn made(x: Vec<f64>, recipe: &str) -> Analysis {
        let mut source = Memory::new(1000.0, vec![("a".into(), "V".into(), x.clone()), ("b".into(), "V".into(), x)]);
        let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
        analyze(&Recipe::from_json(recipe).unwrap(), &mut source, provenance, &mut |_| true).unwrap()
    }

    fn spiky() -> Vec<f64> {
        let mut x: Vec<f64> = (0..50_000).map(|i| (f64::from(i) * 0.37).sin()).collect();
        (x[12_345], x[40_000]) = (9.0, -7.0);
        x
    }

    #[test]
    fn a_curve_keeps_its_extremes_where_they_are() {
        let whole = made(spiky(), r#"{"lens": "waveform"}"#);
        let thin = thinned(&whole, 1000);
        let (x, v) = (&thin.axes[0].values, &thin.traces[0].real());
        assert!(x.len() == v.len() && x.len() <= 2100 && x.windows(2).all(|w| w[1] > w[0]), "{}", x.len());
        for (wanted, at) in [(9.0, 12.345), (-7.0, 40.0)] {
            let i = v.iter().position(|y| *y == wanted).expect("it stands out");
            assert!((x[i] - at).abs() < 1e-9);
        }
        assert_eq!(thin.traces[1].real().len(), x.len());
        // What is small enough stays as it is.
        assert_eq!(thinned(&whole, 200_000).axes[0].values.len(), 50_000);
    }

    #[test]
    fn a_map_keeps_the_largest_of_each_cell() {
        let whole = made(spiky(), r#"{"lens": "spectrogram", "block": 512}"#);
        let thin = thinned(&whole, 60);
        let (rows, columns) = (thin.axes[0].values.len(), thin.axes[1].values.len());
        assert!(rows <= 60 && columns <= 60 && thin.traces[0].real().len() == rows * columns);
        let top = |a: &Analysis| a.traces[0].real().iter().copied().fold(0.0, f64::max);
        assert_eq!(top(&thin), short(top(&whole)));
        for (x, wanted) in [
            (0.0, 0.0),
            (-1234.5678, -1234.6),
            (0.000_123_456_78, 0.000_123_46),
            (9.999_999e7, 1e8),
            (1e-30, 1e-30),
            (f64::INFINITY, f64::INFINITY),
        ] {
            assert_eq!(short(x), wanted);
        }
        assert!(short(f64::NAN).is_nan());
    }

    #[test]
    fn a_part_is_cut_out_of_curves_and_maps() {
        let whole = made(spiky(), r#"{"lens": "spectrum", "block": 1000}"#);
        let part = cropped(&whole, 100.2, 200.0);
        let hz = &part.axes[0].values;
        assert!(hz[0] <= 100.2 && hz[1] > 100.2 && *hz.last().unwrap() > 200.0 && hz.len() == 102, "{hz:?}");
        assert_eq!(part.traces[1].real(), &whole.traces[1].real()[100..202]);
        let whole = made(spiky(), r#"{"lens": "spectrogram", "block": 500}"#);
        let part = cropped(&whole, 100.0, 200.0);
        let (rows, columns) = (part.axes[0].values.len(), part.axes[1].values.len());
        assert_eq!((rows, part.traces[0].real().len()), (whole.axes[0].values.len(), rows * columns));
        assert_eq!(part.traces[0].real()[columns], whole.traces[0].real()[251 + 49]);
        // A stretch that is not there changes nothing.
        assert_eq!(cropped(&whole, 900.0, 800.0).axes[1].values.len(), whole.axes[1].values.len());
    }

    #[test]
    fn complex_curves_stay_whole() {
        let whole = made(spiky(), r#"{"lens": "cross", "reference": 1, "channels": [2], "block": 16384}"#);
        assert_eq!(thinned(&whole, 100).axes[0].values.len(), whole.axes[0].values.len());
    }
}
