//! Waveforms as CSV: time in the first column, a column a channel, as different programs write them.
//!
//! Columns are parted by commas, semicolons or tabs; decimals may be commas where columns are parted
//! by something else. What had to be assumed is told with the source.

use crate::guard::unguarded;
use crate::{FormatError, add_to_gaps, rate};
use echo_job::analysis::Memory;
use std::collections::VecDeque;
use std::path::Path;

/// Times of which the digits are looked at: one or some of them may end in zeros that are not written.
const DIGITS: usize = 50;

/// Splits `name [unit]`.
fn heading(text: &str) -> (String, String) {
    match text.trim().rsplit_once('[') {
        Some((name, rest)) if rest.trim_end().ends_with(']') => {
            (name.trim().to_string(), rest.trim_end().trim_end_matches(']').trim().to_string())
        }
        _ => (text.trim().to_string(), String::new()),
    }
}

/// Seconds of a unit of time.
fn seconds(unit: &str) -> Option<f64> {
    match unit.trim() {
        "s" | "sec" | "S" => Some(1.0),
        "ms" | "msec" => Some(1e-3),
        "us" | "µs" | "μs" => Some(1e-6),
        "ns" => Some(1e-9),
        "min" => Some(60.0),
        "h" => Some(3600.0),
        _ => None,
    }
}

/// Reads a whole file.
///
/// # Errors
/// It cannot be read; has no data; a cell is no number; times do not ascend evenly.
pub fn open(path: &Path) -> Result<Memory, FormatError> {
    let name = path.display().to_string();
    let file = std::fs::File::open(path).map_err(|source| FormatError::Io { name: name.clone(), source })?;
    read(&name, file)
}

/// How a file is written.
struct Dialect {
    separator: u8,
    decimal_comma: bool,
}

impl Dialect {
    /// Told by the lines behind the first, which may be a head.
    fn of(text: &str) -> Dialect {
        let mut lines = text.lines().filter(|l| !l.trim().is_empty());
        let first = lines.next().unwrap_or("");
        let line = lines.next().unwrap_or(first);
        let separator = [b';', b'\t', b','].into_iter().find(|s| line.contains(*s as char)).unwrap_or(b',');
        let data: Vec<&str> = std::iter::once(line).chain(lines.take(64)).collect();
        let some = |letter: char| data.iter().any(|l| l.contains(letter));
        let decimal_comma = separator != b',' && some(',') && !some('.');
        Dialect { separator, decimal_comma }
    }

    /// A cell as a finite number.
    fn number(&self, cell: &str) -> Option<f64> {
        let cell = cell.trim().replace('\u{2212}', "-");
        let text = if self.decimal_comma { cell.replace(',', ".") } else { cell };
        text.parse().ok().filter(|x: &f64| x.is_finite())
    }

    /// Half a step of the last digit of a number as it is written.
    fn rounded(&self, cell: &str) -> f64 {
        let point = if self.decimal_comma { ',' } else { '.' };
        let lower = cell.trim().to_ascii_lowercase();
        let (digits, power) = lower.split_once('e').unwrap_or((&lower, "0"));
        let decimals = digits.split_once(point).map_or(0, |(_, d)| d.len() as i32);
        0.5 * 10f64.powi(power.parse::<i32>().unwrap_or(0) - decimals)
    }
}

/// Bytes as text: UTF-8, or where they are not that, one byte a letter (ISO 8859-1).
fn text_of(bytes: Vec<u8>, notes: &mut Vec<String>) -> String {
    match String::from_utf8(bytes) {
        Ok(text) => text.trim_start_matches('\u{feff}').to_string(),
        Err(e) => {
            notes.push("the text is not UTF-8: it was read as ISO 8859-1".into());
            e.as_bytes().iter().map(|b| char::from(*b)).collect()
        }
    }
}

/// Reads from anything.
///
/// # Errors
/// As [`open`].
pub fn read(name: &str, mut from: impl std::io::Read) -> Result<Memory, FormatError> {
    let wrong = |says: String| FormatError::not_that(name, says);
    let mut bytes = Vec::new();
    from.read_to_end(&mut bytes).map_err(|source| FormatError::Io { name: name.into(), source })?;
    let mut notes = Vec::new();
    let text = text_of(bytes, &mut notes);
    let dialect = Dialect::of(&text);
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(dialect.separator)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let mut records = reader.records().peekable();
    let not_csv = |e: &csv::Error| wrong(format!("is not CSV: {e}"));
    let headed = match records.peek() {
        Some(Ok(first)) => first.get(0).is_some_and(|c| dialect.number(c).is_none()),
        Some(Err(e)) => return Err(not_csv(e)),
        None => false,
    };
    let mut heads: Vec<(String, String)> = Vec::new();
    if headed && let Some(first) = records.next() {
        heads = first.map_err(|e| not_csv(&e))?.iter().map(unguarded).map(heading).collect();
        // A line of units of its own.
        let units =
            |r: &csv::StringRecord| r.get(0).is_some_and(|c| dialect.number(c).is_none() && seconds(c).is_some());
        if records.peek().is_some_and(|r| r.as_ref().is_ok_and(units))
            && let Some(Ok(line)) = records.next()
        {
            heads
                .iter_mut()
                .zip(line.iter())
                .for_each(|(h, unit)| h.1 = unit.trim_matches(['[', ']', '(', ')']).into());
        }
    }
    let mut columns: Vec<Vec<f64>> = vec![Vec::new(); heads.len()];
    // Written digits of the last times: those of a program that counts digits are coarsest there.
    let mut digits: VecDeque<f64> = VecDeque::with_capacity(DIGITS);
    let mut gaps: Vec<(u64, u64)> = Vec::new();
    for record in records {
        let record = record.map_err(|e| wrong(format!("is not CSV: {e}")))?;
        let line = record.position().map_or(0, csv::Position::line);
        if columns.is_empty() {
            columns = vec![Vec::new(); record.len()];
            heads = (0..record.len()).map(|k| (format!("channel {k}"), String::new())).collect();
            notes.push(format!("there is no head: the {} columns are time in s, then channels", record.len()));
        }
        // Some programs end each line with a separator.
        let cells = record.len() - usize::from(record.len() == columns.len() + 1 && record[columns.len()].is_empty());
        if cells != columns.len() {
            let says = format!("line {line} has {cells} columns; allowed: {} as in the first line", columns.len());
            return Err(wrong(says));
        }
        let row = columns.first().map_or(0, Vec::len) as u64;
        let missing = record.iter().skip(1).take(cells - 1).filter(|c| c.is_empty()).count();
        if missing > 0 && missing == cells - 1 {
            add_to_gaps(&mut gaps, row);
        }
        for (k, (cell, column)) in record.iter().zip(&mut columns).enumerate() {
            let gap = k > 0 && cell.is_empty() && missing == cells - 1;
            let x = if gap { Some(f64::NAN) } else { dialect.number(cell) };
            column.push(x.ok_or_else(|| {
                let gap = if cell.is_empty() { "; a line without any value is a gap" } else { "" };
                wrong(format!("line {line}, column {}: “{cell}” is not a finite number{gap}", k + 1))
            })?);
            if k == 0 {
                if digits.len() == DIGITS {
                    digits.pop_front();
                }
                digits.push_back(dialect.rounded(cell));
            }
        }
    }
    if heads.len() < 2 {
        return Err(wrong(
            "has fewer than two columns; allowed: time, then a column a channel, parted by commas, semicolons or tabs"
                .into(),
        ));
    }
    let time = columns.remove(0);
    if time.len() < 2 {
        return Err(wrong(format!("has {} lines of data; allowed: two or more", time.len())));
    }
    let (_, unit) = heads.remove(0);
    let scale = match seconds(&unit) {
        Some(scale) => scale,
        None if unit.is_empty() => {
            if headed {
                notes.push("the time has no unit: it was taken as s".into());
            }
            1.0
        }
        None => return Err(wrong(format!("has times in “{unit}”; allowed: s, ms, µs, ns, min and h"))),
    };
    let rounded = digits.into_iter().fold(f64::INFINITY, f64::min);
    let found = even_rate(&time, scale, rounded * scale).ok_or_else(|| {
        wrong("has times that do not ascend in even steps; allowed: times evenly sampled, within their digits".into())
    })?;
    notes.extend(found.note);
    let channels = heads.into_iter().zip(columns).map(|((name, unit), data)| (name, unit, data)).collect();
    Ok(Memory::new(found.rate_hz, channels).with_gaps(gaps).with_notes(notes))
}

/// The rate of times (in units of `scale` seconds) that are rounded to within `rounded_s`; none where
/// they are not even within that.
fn even_rate(time: &[f64], scale: f64, rounded_s: f64) -> Option<rate::RateFound> {
    let last = time.len() - 1;
    let span = (time[last] - time[0]) * scale;
    let step = span / last as f64;
    let off = |(i, t): (usize, &f64)| ((t - time[0]) * scale - i as f64 * step).abs();
    let most = time.iter().enumerate().map(off).fold(0.0, f64::max);
    // Times that are even to their last digit are no rounded ones.
    let exact = 1e-12 * time[last].abs() * scale;
    let within = if most < 1e-6 * step + exact { exact } else { rounded_s.max(exact) };
    let ascend = time.windows(2).all(|w| w[1] > w[0]) || span > 20.0 * rounded_s;
    let even = step > 0.0 && ascend && most < (0.01 * step + 1e-9 * time[last].abs() * scale).max(2.001 * rounded_s);
    even.then(|| rate::from_span(span, last as f64, within))
}
