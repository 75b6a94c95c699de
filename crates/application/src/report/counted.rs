//! What was counted in classes, and resonances that orders pass, as tables.

use super::tables::{DIGITS, Rows, as_number};
use super::words::headed;
use crate::lately::Lately;
use crate::{Desk, Error, Result};
use echo_job::analysis::Analysis;
use echo_job::analysis::result::Trace;
use echo_job::analysis::words::Shown;
use echo_job::reading::{Ask, CursorReading, ForceName, read_all};
use echo_job::recipe::Lens;
use echo_job::report::language::Term;
use echo_report::document::Table;
use std::sync::Arc;

/// Classes that are told at most.
const MOST_CLASSES: usize = 400;
/// Fits kept at hand at most.
const MOST_FITS: usize = 32;

impl Rows<'_> {
    /// A row a class, a column a channel: time at level, histograms, crossings, cycles by range. Nothing for what counts
    /// nothing.
    pub(super) fn classes(&self) -> Option<Table> {
        let (a, l) = (self.a, self.l);
        let edges = match &a.recipe.lens {
            Lens::Distribution(d) => d.edges.as_deref(),
            Lens::Rainflow(r) => r.edges.as_deref(),
            _ => return None,
        };
        let axis = a.axes.first()?;
        let n = axis.values.len().min(MOST_CLASSES);
        let own = |t: &&Trace| t.len() == axis.values.len() && t.quantity != Shown::CountByMean;
        let traces: Vec<&Trace> = a.traces.iter().filter(own).collect();
        if traces.is_empty() {
            return None;
        }
        // Crossings are of levels, which have no width.
        let edges = edges.filter(|e| e.len() == axis.values.len() + 1);
        let label = |k: usize| match edges {
            Some(e) => format!("{} – {}", l.short(e[k], 5), l.short(e[k + 1], 5)),
            None => l.short(axis.values[k], 5),
        };
        let column = |t: &&Trace| {
            let what = headed(&l.word(t.quantity.word()), &t.unit);
            format!("{}: {what}", (self.named)(t.channel))
        };
        let along = headed(&l.word(axis.name.word()), &axis.unit);
        let heads: Vec<String> = std::iter::once(along.clone()).chain(traces.iter().map(column)).collect();
        let row = |k: usize| {
            let cells = traces.iter().map(|t| l.number(t.real()[k], DIGITS));
            std::iter::once(label(k)).chain(cells).collect::<Vec<String>>()
        };
        let ends = |k: usize| match edges {
            Some(e) => vec![as_number(e[k]), as_number(e[k + 1])],
            None => vec![as_number(axis.values[k])],
        };
        let plain = |k: usize| {
            let cells = traces.iter().map(|t| as_number(t.real()[k]));
            ends(k).into_iter().chain(cells).collect::<Vec<String>>()
        };
        let over = if edges.is_some() {
            vec![format!("{along}, {}", l.word("from")), format!("{along}, {}", l.word("to"))]
        } else {
            vec![along]
        };
        let plain_heads = over.into_iter().chain(traces.iter().map(column)).collect();
        Some(Table {
            digits: vec![true; heads.len()],
            heads,
            rows: (0..n).map(row).collect(),
            plain: Some((plain_heads, (0..n).map(plain).collect())),
            ..Table::default()
        })
    }

    /// A row for each curve of each range in which a resonance was read.
    ///
    /// # Errors
    /// None was, with why.
    pub(super) fn resonances(&self, fits: &[Fitted]) -> Result<Table> {
        let l = self.l;
        let (mut rows, mut plain) = (Vec::new(), Vec::new());
        let mut unit = "";
        for fit in fits {
            let (Some(t), Ok(read)) = (self.a.traces.get(fit.trace), &fit.read) else { continue };
            unit = &t.unit;
            // The fit tells how sure it is; half power does not.
            let found = match (&read.mode, &read.resonance) {
                (Some(m), _) => {
                    let share = m.damping_within / m.damping;
                    let rpm_within = m.rpm * m.frequency_within_hz / m.frequency_hz;
                    [
                        (m.rpm, Some(rpm_within)),
                        (m.frequency_hz, Some(m.frequency_within_hz)),
                        (100.0 * m.damping, Some(100.0 * m.damping_within)),
                        (m.amplification, Some(m.amplification * share)),
                        (m.amplitude, None),
                    ]
                }
                (None, Some(r)) => [
                    (r.rpm, None),
                    (r.frequency_hz, None),
                    (100.0 * r.damping, None),
                    (r.amplification, None),
                    (r.amplitude, None),
                ],
                (None, None) => continue,
            };
            let cell = |(x, u): &(f64, Option<f64>)| u.map_or_else(|| l.number(*x, DIGITS), |u| l.uncertain(*x, u, ""));
            rows.push(std::iter::once(t.name.clone()).chain(found.iter().map(cell)).collect::<Vec<String>>());
            let numbers = found.iter().flat_map(|(x, u)| [as_number(*x), u.map_or_else(String::new, as_number)]);
            plain.push(std::iter::once(t.name.clone()).chain(numbers).collect::<Vec<String>>());
        }
        if rows.is_empty() {
            let why = fits.iter().find_map(|f| match &f.read {
                Ok(read) => read.missing.clone(),
                Err(says) => Some(says.clone()),
            });
            let says = why.unwrap_or_else(|| "this result has no order cuts to read a resonance of".into());
            return Err(Error::conflict(says));
        }
        let amplitude = headed(&l.word("amplitude"), unit);
        let of = [headed(&l.word("speed"), "rpm"), headed(&l.word("frequency"), "Hz")];
        let of: Vec<String> =
            of.into_iter().chain([l.says(Term::DampingPercent).into(), "Q".into(), amplitude]).collect();
        let first = l.says(Term::Channels).to_string();
        let plain_heads =
            std::iter::once(first.clone()).chain(of.iter().flat_map(|h| [h.clone(), format!("± {h}")])).collect();
        Ok(Table {
            heads: std::iter::once(first).chain(of).collect(),
            digits: vec![false, true, true, true, true, true],
            rows,
            plain: Some((plain_heads, plain)),
            ..Table::default()
        })
    }
}

/// What was read of a curve.
pub(crate) struct Fitted {
    trace: usize,
    read: std::result::Result<CursorReading, String>,
}

/// Fits that were made lately, by the result they were made of: a report that somebody writes asks for them with every
/// word.
pub(crate) type Fits = Lately<String, Vec<Fitted>, MOST_FITS>;

/// Reads the resonances that the curves of a result pass between speeds, away from the threads that answer.
pub(super) async fn fitted(desk: &Desk, result: &Arc<Analysis>, ranges: &[[f64; 2]]) -> Result<Arc<Vec<Fitted>>> {
    let key = serde_json::to_string(&(&result.recipe, &result.made, ranges, result.traces.len()))?;
    if let Some(fits) = desk.fits.get(&key) {
        return Ok(fits);
    }
    let asks: Vec<(usize, Ask)> = ranges
        .iter()
        .flat_map(|[from_rpm, to_rpm]| {
            let ask = Ask::Resonance {
                from_rpm: *from_rpm,
                to_rpm: *to_rpm,
                force: ForceName::default(),
                force_channel: None,
            };
            let complex = result.traces.iter().enumerate().filter(|(_, t)| t.complex().is_some());
            complex.map(move |(k, _)| (k, ask.clone())).collect::<Vec<_>>()
        })
        .collect();
    let (of, threads) = (result.clone(), desk.budget.threads());
    let made = tokio::task::spawn_blocking(move || {
        let read = threads.install(|| read_all(&of, &asks));
        let one = |((trace, _), read): (&(usize, Ask), std::result::Result<CursorReading, echo_job::Refusal>)| Fitted {
            trace: *trace,
            read: read.map_err(|e| e.says),
        };
        asks.iter().zip(read).map(one).collect::<Vec<Fitted>>()
    });
    Ok(desk.fits.keep(key, made.await?))
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::report::language::Language;
    use serde_json::json;

    fn rows<T>(a: &Analysis, l: Language, then: impl FnOnce(&Rows<'_>) -> T) -> T {
        let named = |n: u32| format!("place {n}");
        then(&Rows { a, named: &named, uncertain: &|_| None, over: &|_| false, l })
    }

    fn counted(recipe: serde_json::Value, axis: &str, values: &[f64]) -> Analysis {
        let trace =
            json!({ "name": "t", "channel": 3, "quantity": "time", "unit": "s", "values": vec![1.5; values.len()] });
        let body = json!({ "recipe": recipe, "made": { "by": "", "at": "", "input": "" }, "numbers": [],
            "axes": [{ "name": axis, "unit": "g", "values": values }], "traces": [trace] });
        Analysis::kept(body).unwrap()
    }

    #[test]
    fn classes_stand_with_their_edges_and_levels_without() {
        let time = json!({ "lens": "distribution", "kind": "time_at_level", "edges": [0.0, 0.5, 2.0] });
        let table = rows(&counted(time, "class", &[0.25, 1.25]), Language::German, |r| r.classes()).unwrap();
        assert_eq!(table.heads, ["Klasse, g", "place 3: Zeit, s"]);
        assert_eq!(table.rows, [["0 – 0,5", "1,500"], ["0,5 – 2", "1,500"]]);
        assert_eq!(table.sheet().heads[..2], ["Klasse, g, von", "Klasse, g, bis"]);
        assert_eq!(table.sheet().rows[1], ["0.5", "2", "1.5"]);
        let levels = json!({ "lens": "distribution", "kind": "level_crossing", "edges": [0.0, 0.5] });
        let table = rows(&counted(levels, "level", &[0.0, 0.5]), Language::English, |r| r.classes()).unwrap();
        assert_eq!(table.rows[1], ["0.5", "1.500"]);
        let other = counted(json!({ "lens": "spectrum" }), "frequency", &[1.0]);
        assert!(rows(&other, Language::English, |r| r.classes()).is_none());
    }

    #[test]
    fn a_resonance_stands_with_what_its_fit_leaves_open() {
        let a = counted(
            json!({ "lens": "order_track", "orders": [1.0], "tacho": { "channel": 1 } }),
            "speed",
            &[900.0, 1000.0],
        );
        let fit = echo_job::reading::ModeFit {
            rpm: 1104.0,
            frequency_hz: 18.4,
            frequency_within_hz: 0.02,
            damping: 0.0208,
            damping_within: 0.0017,
            amplification: 24.04,
            amplitude: 12.5,
            unexplained: 0.001,
            curves: 1,
            at_rpm: Vec::new(),
            re: Vec::new(),
            im: Vec::new(),
        };
        let read = CursorReading { mode: Some(fit), ..CursorReading::default() };
        let fits = [Fitted { trace: 0, read: Ok(read) }];
        let table = rows(&a, Language::English, |r| r.resonances(&fits)).unwrap();
        assert_eq!(table.heads[1..5], ["speed, rpm", "frequency, Hz", "Damping, %", "Q"]);
        assert_eq!(
            table.rows[0][1..],
            ["(1104.0 ± 1.2)", "(18.400 ± 0.020)", "(2.08 ± 0.17)", "(24.0 ± 2.0)", "12.50"]
        );
        assert_eq!(table.sheet().rows[0].len(), 11, "each number with its uncertainty beside it");
        let none = [Fitted { trace: 0, read: Err("the range holds 3 speeds; allowed: 8 or more".into()) }];
        let says = rows(&a, Language::English, |r| r.resonances(&none)).unwrap_err().says();
        assert!(says.contains("allowed: 8 or more"), "{says}");
    }
}
