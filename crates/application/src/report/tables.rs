//! Results and rigs as tables of the report.

use super::words::with;
use crate::runs::source::Calibrated;
use crate::{Error, Result};
use echo_job::analysis::Analysis;
use echo_job::analysis::result::{Number, PeakFound};
use echo_job::report::block::{Limit, Rows as Wanted};
use echo_job::report::language::{Language, Term};
use echo_job::report::limits::{Verdict, allowed, verdict};
use echo_job::sensor::Sensor;
use echo_report::document::Table;

/// Peaks told at most.
const MOST_PEAKS: usize = 12;
/// Digits of a number in a table.
pub(super) const DIGITS: usize = 4;

/// A number held against what is allowed.
pub(super) struct Judged<'a> {
    pub(super) number: &'a Number,
    at_most: f64,
    uncertainty: Option<f64>,
    verdict: Verdict,
    /// Whether its channel went over its range.
    over: bool,
}

impl Judged<'_> {
    /// Whether it cannot be said to be within: what was cut off may have been larger.
    pub(super) fn open(&self) -> bool {
        self.over || self.verdict != Verdict::Within
    }
}

/// A result, with what is needed to tell its rows.
pub(super) struct Rows<'a> {
    pub(super) a: &'a Analysis,
    /// Names of channels.
    pub(super) named: &'a dyn Fn(u32) -> String,
    /// Whether a channel went over its range.
    pub(super) over: &'a dyn Fn(u32) -> bool,
    /// Expanded uncertainty of a channel's values as a share, where it is known.
    pub(super) uncertain: &'a dyn Fn(u32) -> Option<f64>,
    pub(super) l: Language,
}

impl Rows<'_> {
    /// Rows of a kind; nothing where it has none of that kind.
    pub(super) fn of(&self, of: Wanted, at: &[f64]) -> Option<Table> {
        match of {
            Wanted::Numbers => self.numbers(),
            Wanted::Peaks => self.peaks(),
            Wanted::Values => self.values(at),
            Wanted::Classes => self.classes(),
            // They are fitted first.
            Wanted::Resonances => None,
        }
    }

    /// Expanded uncertainty of a number; none where it is not known, or the number hangs on no calibration.
    fn uncertainty(&self, n: &Number) -> Option<f64> {
        let share = (self.uncertain)(n.channel).filter(|_| !n.unit.is_empty())?;
        Some((share * n.value).abs())
    }

    /// A row a channel or mode, a column a number.
    fn numbers(&self) -> Option<Table> {
        let (a, l) = (self.a, self.l);
        let mut columns: Vec<(&str, &str)> = Vec::new();
        let mut rows: Vec<(u32, Option<u32>)> = Vec::new();
        for n in &a.numbers {
            let (column, row) = ((n.name.as_str(), n.unit.as_str()), (n.channel, n.mode));
            if !columns.contains(&column) {
                columns.push(column);
            }
            if !rows.contains(&row) {
                rows.push(row);
            }
        }
        if rows.is_empty() {
            return None;
        }
        let modes = rows.iter().any(|r| r.1.is_some());
        if modes {
            // What is of all of them together has no row among them.
            rows.retain(|r| r.1.is_some());
            columns.retain(|c| a.numbers.iter().any(|n| n.mode.is_some() && (n.name.as_str(), n.unit.as_str()) == *c));
        }
        let head = |(name, unit): &(&str, &str)| {
            let plain = l.word(name);
            if unit.is_empty() { plain } else { format!("{plain}, {unit}") }
        };
        let first = l.says(if modes { Term::Mode } else { Term::Channels }).to_string();
        let found = |r: &(u32, Option<u32>), c: &(&str, &str)| {
            a.numbers.iter().find(|n| (n.channel, n.mode) == *r && (n.name.as_str(), n.unit.as_str()) == *c)
        };
        let row = |r: &(u32, Option<u32>)| {
            let name = match r {
                (_, Some(mode)) => mode.to_string(),
                (0, None) => String::new(),
                (channel, None) => (self.named)(*channel),
            };
            let cell = |c: &(&str, &str)| {
                found(r, c).map_or_else(String::new, |n| match self.uncertainty(n) {
                    Some(u) => l.uncertain(n.value, u, ""),
                    None => l.number(n.value, DIGITS),
                })
            };
            std::iter::once(name).chain(columns.iter().map(cell)).collect::<Vec<String>>()
        };
        // As numbers, an uncertainty has a column of its own.
        let sure = !a.numbers.iter().any(|n| self.uncertainty(n).is_some());
        let plain_head = |c: &(&str, &str)| if sure { vec![head(c)] } else { vec![head(c), format!("± {}", head(c))] };
        let plain_row = |r: &(u32, Option<u32>)| {
            let cells = |c: &(&str, &str)| {
                let found = found(r, c);
                let value = found.map_or_else(String::new, |n| as_number(n.value));
                let half = found.and_then(|n| self.uncertainty(n)).map_or_else(String::new, as_number);
                if sure { vec![value] } else { vec![value, half] }
            };
            let name: Vec<String> = row(r).into_iter().take(1).collect();
            name.into_iter().chain(columns.iter().flat_map(cells)).collect()
        };
        let plain_heads = std::iter::once(first.clone()).chain(columns.iter().flat_map(plain_head)).collect();
        let plain = Some((plain_heads, rows.iter().map(plain_row).collect()));
        Some(Table {
            plain,
            heads: std::iter::once(first).chain(columns.iter().map(head)).collect(),
            rows: rows.iter().map(row).collect(),
            digits: std::iter::once(false).chain(columns.iter().map(|_| true)).collect(),
            ..Table::default()
        })
    }

    /// A number of each channel that limits say something of, held against them.
    pub(super) fn judged<'n>(&'n self, number: &str, limits: &[Limit]) -> Vec<Judged<'n>> {
        let one = |n: &'n Number| {
            let (at_most, uncertainty) = (allowed(limits, n.channel)?, self.uncertainty(n));
            let verdict = verdict(n.value, uncertainty, at_most);
            Some(Judged { number: n, at_most, uncertainty, verdict, over: (self.over)(n.channel) })
        };
        self.a.numbers.iter().filter(|n| n.name == number).filter_map(one).collect()
    }

    /// A number of each channel held against what is allowed, and how many are within.
    ///
    /// # Errors
    /// The result has no such number, or nothing is said of any of its channels.
    pub(super) fn against(&self, number: &str, limits: &[Limit]) -> Result<(Table, String)> {
        let l = self.l;
        let of = self.judged(number, limits);
        if of.is_empty() {
            let mut names: Vec<&str> = self.a.numbers.iter().map(|n| n.name.as_str()).collect();
            names.sort_unstable();
            names.dedup();
            let says = if names.contains(&number) {
                "no limit is said for any of these channels; name them, or leave the channels of a limit empty".into()
            } else {
                format!("the result has no number “{number}”; allowed: {}", names.join(", "))
            };
            return Err(Error::conflict(says));
        }
        let row = |j: &Judged<'_>| {
            let (n, at_most, u) = (j.number, j.at_most, j.uncertainty);
            let value = match u {
                Some(u) => l.uncertain(n.value, u, &n.unit),
                None => l.quantity(n.value, DIGITS, &n.unit),
            };
            let word = match j.verdict {
                Verdict::Within => Term::Within,
                Verdict::Exceeded => Term::Exceeded,
                Verdict::Undecided => Term::Undecided,
            };
            let share = l.number(100.0 * n.value / at_most, 3);
            let over = (self.over)(n.channel);
            let word =
                if over { format!("{}, {}", l.says(word), l.says(Term::OverRange)) } else { l.says(word).into() };
            let name = (self.named)(n.channel);
            let numbers = [Some(n.value), u, Some(at_most), Some(100.0 * n.value / at_most)];
            let numbers = numbers.map(|x| x.map_or_else(String::new, as_number));
            let plain = [name.clone()].into_iter().chain(numbers).chain([n.unit.clone(), word.clone()]).collect();
            (vec![name, value, l.quantity(at_most, DIGITS, &n.unit), share, word], plain)
        };
        let (rows, plain): (Vec<Vec<String>>, Vec<Vec<String>>) = of.iter().map(row).unzip();
        let good = of.iter().filter(|j| j.verdict == Verdict::Within).count();
        let summary = l.filled(Term::AllWithin, &[&good.to_string(), &rows.len().to_string()]);
        let heads = [Term::Channels, Term::Value, Term::Allowed, Term::Share, Term::Verdict];
        let mut heads: Vec<String> = heads.map(|t| l.says(t).to_string()).to_vec();
        heads[1] = l.word(number);
        let (name, own) = (heads[0].clone(), heads[1].clone());
        let plain_heads = vec![
            name,
            own.clone(),
            format!("± {own}"),
            heads[2].clone(),
            heads[3].clone(),
            "".into(),
            heads[4].clone(),
        ];
        let table = Table {
            plain: Some((plain_heads, plain)),
            heads,
            rows,
            digits: vec![false, true, true, true, false],
            loud: of.iter().map(Judged::open).collect(),
            shares: of.iter().map(|j| j.number.value / j.at_most).collect(),
            ..Table::default()
        };
        Ok((table, summary))
    }

    fn peaks(&self) -> Option<Table> {
        let (a, l) = (self.a, self.l);
        if a.peaks.is_empty() {
            return None;
        }
        let unit = |channel: u32| a.traces.iter().find(|t| t.channel == channel).map_or("", |t| t.unit.as_str());
        // Amplitudes hang on the sensitivity as values do; where a peak lies is known to half a line either way.
        let lines = a.axes.last().map_or(&[][..], |x| &x.values);
        let line = lines.get(1).zip(lines.first()).map(|(b, a)| (b - a).abs());
        let spread = line.map(|hz| hz / 3f64.sqrt());
        let own = |p: &PeakFound| (self.uncertain)(p.channel).map(|share| (share * p.value).abs());
        let row = |p: &PeakFound| {
            let frequency = spread.map_or_else(|| l.number(p.frequency_hz, 5), |u| l.uncertain(p.frequency_hz, u, ""));
            let value = match own(p) {
                Some(u) => l.uncertain(p.value, u, unit(p.channel)),
                None => l.quantity(p.value, DIGITS, unit(p.channel)),
            };
            vec![(self.named)(p.channel), frequency, value]
        };
        let plain = |p: &PeakFound| {
            let of = |x: Option<f64>| x.map_or_else(String::new, as_number);
            let values = [as_number(p.frequency_hz), of(spread), as_number(p.value), of(own(p))];
            std::iter::once((self.named)(p.channel)).chain(values).chain([unit(p.channel).to_string()]).collect()
        };
        let [channels, frequency, value] =
            [Term::Channels, Term::Frequency, Term::Value].map(|t| l.says(t).to_string());
        let shown = || a.peaks.iter().take(MOST_PEAKS);
        let plain_heads = vec![
            channels.clone(),
            frequency.clone(),
            format!("± {frequency}"),
            value.clone(),
            format!("± {value}"),
            l.says(Term::Unit).to_string(),
        ];
        Some(Table {
            heads: vec![channels, frequency, value],
            rows: shown().map(row).collect(),
            digits: vec![false, true, true],
            plain: Some((plain_heads, shown().map(plain).collect())),
            ..Table::default()
        })
    }
}

/// A number as a workbook takes it; nothing for what is none.
pub(super) fn as_number(x: f64) -> String {
    if x.is_finite() { x.to_string() } else { String::new() }
}

/// Channels with sensors and calibrations; those of `corrected` have a mark. `sensor` knows the day of the calibration.
pub(super) fn of_rig<'a>(
    channels: &[Calibrated],
    corrected: &dyn Fn(i16) -> bool,
    sensor: &dyn Fn(&Calibrated) -> Option<&'a Sensor>,
    l: Language,
) -> Table {
    let dated = channels.iter().any(|c| sensor(c).is_some_and(|s| s.calibrated_on.is_some()));
    let row = |c: &Calibrated| {
        let row = &c.recorded.row;
        let mark = if corrected(c.channel) { " *" } else { "" };
        let mut cells = vec![
            row.input.to_string(),
            row.name.clone(),
            row.sensor.clone(),
            format!("{}{mark}", with(l.short(c.sensitivity.value, 7), &c.sensitivity.unit)),
        ];
        if dated {
            let on = sensor(c).and_then(|s| s.calibrated_on);
            cells.push(on.map_or_else(String::new, |d| d.to_string()));
        }
        cells.push(format!("{} {}", row.coupling.name(), with(l.short(row.range_v, 5), "V")));
        cells
    };
    let heads: &[Term] = if dated {
        &[Term::Channels, Term::Sensor, Term::Sensitivity, Term::Calibrated, Term::SetTo]
    } else {
        &[Term::Channels, Term::Sensor, Term::Sensitivity, Term::SetTo]
    };
    Table {
        heads: std::iter::once(String::new()).chain(heads.iter().map(|t| l.says(*t).to_string())).collect(),
        rows: channels.iter().map(row).collect(),
        digits: [true, false, false].into_iter().chain(heads[2..].iter().map(|_| true)).collect(),
        // With a day more there is no room for two halves beside each other.
        twin: channels.len() > 8 && !dated,
        ..Table::default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::{Value, json};

    fn result(numbers: Value, peaks: Value) -> Analysis {
        let body = json!({ "recipe": { "lens": "statistics" }, "made": { "by": "", "at": "", "input": "" }, "axes": [],
            "traces": [], "numbers": numbers, "peaks": peaks });
        Analysis::kept(body).unwrap()
    }

    fn number(name: &str, channel: u32, unit: &str, value: f64) -> Value {
        json!({ "name": name, "channel": channel, "unit": unit, "value": value })
    }

    /// Rows of a result whose channel 7 is known to 2 per cent.
    fn with<T>(a: &Analysis, l: Language, then: impl FnOnce(&Rows<'_>) -> T) -> T {
        let (named, uncertain) = (|n: u32| format!("place {n}"), |n: u32| (n == 7).then_some(0.02));
        then(&Rows { a, named: &named, uncertain: &uncertain, over: &|n| n == 6, l })
    }

    #[test]
    fn a_number_stands_with_its_uncertainty_where_that_is_known() {
        let all = json!([
            number("rms", 7, "g", 2.0),
            number("crest_factor", 7, "", 3.5),
            number("rms", 8, "g", 0.5),
            number("crest_factor", 8, "", f64::NAN),
        ]);
        let table = with(&result(all, json!([])), Language::English, |r| r.of(Wanted::Numbers, &[])).unwrap();
        assert_eq!(table.heads, ["Channels", "rms, g", "crest factor"]);
        assert_eq!(table.rows[0], ["place 7", "(2.000 ± 0.040)", "3.500"], "a ratio hangs on no calibration");
        assert_eq!(table.rows[1], ["place 8", "0.5000", "–"], "and nothing is claimed where nothing is known");
        // The workbook has numbers, and the uncertainty beside them.
        let sheet = table.sheet();
        assert_eq!(sheet.heads, ["Channels", "rms, g", "± rms, g", "crest factor", "± crest factor"]);
        assert_eq!(sheet.rows[0], ["place 7", "2", "0.04", "3.5", ""]);
        assert_eq!(sheet.rows[1], ["place 8", "0.5", "", "", ""]);
    }

    #[test]
    fn modes_have_a_row_each_and_what_is_of_all_of_them_has_none() {
        let of = |name: &str, mode: Option<u32>, value: f64| json!({ "name": name, "channel": 0, "mode": mode, "unit": "", "value": value });
        let all = json!([of("frequency", Some(1), 58.18), of("frequency", Some(2), 142.57), of("missed", None, 0.03)]);
        let table = with(&result(all, json!([])), Language::German, |r| r.of(Wanted::Numbers, &[])).unwrap();
        assert_eq!(table.heads, ["Eigenform", "Frequenz"]);
        assert_eq!(table.rows, [["1", "58,18"], ["2", "142,6"]]);
        assert!(with(&result(json!([]), json!([])), Language::German, |r| r.of(Wanted::Numbers, &[])).is_none());
    }

    #[test]
    fn the_highest_peaks_are_told_with_their_unit() {
        let peaks = json!([{ "channel": 7, "frequency_hz": 582.81, "value": 4.25 }]);
        let table = with(&result(json!([]), peaks), Language::English, |r| r.of(Wanted::Peaks, &[])).unwrap();
        assert_eq!(table.rows, [["place 7", "582.81", "(4.250 ± 0.085)"]]);
        assert_eq!(table.sheet().rows, [["place 7", "582.81", "", "4.25", "0.085", ""]]);
        // Between lines 1.5 Hz apart it is known to half a line either way: √(1.5²/12), twice.
        let mut a = result(json!([]), json!([{ "channel": 9, "frequency_hz": 582.81, "value": 4.25 }]));
        a.axes = vec![
            serde_json::from_value(json!({ "name": "frequency", "unit": "Hz", "values": [0.0, 1.5, 3.0] })).unwrap(),
        ];
        let table = with(&a, Language::German, |r| r.of(Wanted::Peaks, &[])).unwrap();
        assert_eq!(table.rows, [["place 9", "(582,81 ± 0,87)", "4,250"]]);
    }

    #[test]
    fn a_number_is_held_against_what_is_allowed_with_its_uncertainty() {
        let limit = |channels: &[u32], at_most: f64| Limit { channels: channels.to_vec(), at_most };
        let all =
            json!([number("rms", 7, "mm/s", 4.45), number("rms", 8, "mm/s", 4.45), number("rms", 9, "mm/s", 9.0)]);
        let a = result(all, json!([]));
        let (table, says) =
            with(&a, Language::English, |r| r.against("rms", &[limit(&[], 4.5), limit(&[9], 8.0)])).unwrap();
        assert_eq!(
            table.rows[0],
            ["place 7", "(4.450 ± 0.089)\u{202f}mm/s", "4.500\u{202f}mm/s", "98.9", "not decided"]
        );
        assert_eq!(table.rows[1][4], "within", "without an uncertainty the value itself counts");
        assert_eq!(table.rows[2][4], "EXCEEDED");
        assert_eq!((table.loud.as_slice(), says.as_str()), (&[true, false, true][..], "Within limits: 1 of 3."));
        assert_eq!(
            table.sheet().rows[0],
            ["place 7", "4.45", "0.08900000000000001", "4.5", "98.88888888888889", "mm/s", "not decided"]
        );

        let quiet = result(json!([number("rms", 6, "mm/s", 1.0)]), json!([]));
        let (table, _) = with(&quiet, Language::German, |r| r.against("rms", &[limit(&[], 4.5)])).unwrap();
        assert_eq!(
            (table.rows[0][4].as_str(), &table.loud),
            ("eingehalten, übersteuert", &vec![true]),
            "it was cut off"
        );

        let e = |number: &str, limits: &[Limit]| {
            with(&a, Language::English, |r| r.against(number, limits)).unwrap_err().says()
        };
        assert!(e("peak", &[limit(&[], 1.0)]).contains("no number “peak”; allowed: rms"));
        assert!(e("rms", &[limit(&[1], 1.0)]).contains("no limit is said for any of these channels"));
    }
}
