//! Waveforms as CSV: time in the first column, a column a channel, as different programs write them.
//!
//! Columns are parted by commas, semicolons or tabs; decimals may be commas where columns are parted
//! by something else. What had to be assumed is told with the source.

use crate::guard::unguarded;
use crate::spool::{Spool, SpoolOut};
use crate::{FormatError, add_to_gaps, rate};
use echo_job::analysis::{SourceChannel, SourceInfo};
use std::borrow::Cow;
use std::collections::VecDeque;
use std::io::{Cursor, Read};
use std::path::Path;

/// Times of which the digits are looked at: one or some of them may end in zeros that are not written.
const DIGITS: usize = 50;

/// Splits `name [unit]`.
pub(crate) fn heading(text: &str) -> (String, String) {
    match text.trim().rsplit_once('[') {
        Some((name, rest)) if rest.trim_end().ends_with(']') => {
            (name.trim().to_string(), rest.trim_end().trim_end_matches(']').trim().to_string())
        }
        _ => (text.trim().to_string(), String::new()),
    }
}

/// A unit without the brackets around it.
pub(crate) fn bare(unit: &str) -> &str {
    unit.trim().trim_matches(['[', ']', '(', ')'])
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
pub fn open(path: &Path) -> Result<Spool, FormatError> {
    open_with(path, &Columns::default())
}

/// Reads a whole file, with what was said of its columns.
///
/// # Errors
/// As [`open`].
pub fn open_with(path: &Path, said: &Columns) -> Result<Spool, FormatError> {
    let name = path.display().to_string();
    let file = std::fs::File::open(path).map_err(|source| FormatError::Io { name: name.clone(), source })?;
    read_with(&name, file, said)
}

/// What is said of the columns, where the file does not tell it, or wrongly.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Columns {
    /// The column with the time, from 1; 0 where there is none. The first one where nothing is said.
    pub time: Option<usize>,
    /// Samples a second, Hz, whatever the times say.
    pub rate_hz: Option<f64>,
}

/// Most columns.
const MOST_COLUMNS: usize = 4096;
/// Bytes from which is told how a file is written.
const HEAD: u64 = 1 << 18;

/// How a file is written.
pub(crate) struct Dialect {
    /// Between its columns.
    pub separator: u8,
    decimal_comma: bool,
}

impl Dialect {
    /// Told by the lines behind the first, which may be a head.
    pub fn of(text: &str) -> Dialect {
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
    pub fn number(&self, cell: &str) -> Option<f64> {
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

/// How the letters of a file are told: as UTF-8, or where the head is not that, one byte a letter (ISO 8859-1).
#[derive(Clone, Copy, PartialEq)]
pub(crate) enum Letters {
    Utf8,
    Latin,
}

impl Letters {
    pub fn of(head: &[u8]) -> Letters {
        // A letter that the end of the piece cuts in two is none that is wrong.
        match std::str::from_utf8(head) {
            Err(e) if e.error_len().is_some() => Letters::Latin,
            _ => Letters::Utf8,
        }
    }

    pub fn read(self, bytes: &[u8]) -> Cow<'_, str> {
        match self {
            Letters::Utf8 => String::from_utf8_lossy(bytes),
            Letters::Latin => bytes.iter().map(|b| char::from(*b)).collect::<String>().into(),
        }
    }
}

/// Reads from anything.
///
/// # Errors
/// As [`open`].
pub fn read(name: &str, from: impl Read) -> Result<Spool, FormatError> {
    read_with(name, from, &Columns::default())
}

/// Reads from anything, with what was said of its columns.
///
/// # Errors
/// As [`open`].
pub fn read_with(name: &str, mut from: impl Read, said: &Columns) -> Result<Spool, FormatError> {
    let wrong = |says: String| FormatError::not_that(name, says);
    let mut head = Vec::new();
    from.by_ref().take(HEAD).read_to_end(&mut head).map_err(|source| FormatError::Io { name: name.into(), source })?;
    if head.starts_with(b"\xef\xbb\xbf") {
        head.drain(..3);
    }
    let letters = Letters::of(&head);
    let mut notes = Vec::new();
    if letters == Letters::Latin {
        notes.push("the text is not UTF-8: it was read as ISO 8859-1".to_string());
    }
    let dialect = Dialect::of(&letters.read(&head));
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(dialect.separator)
        .trim(csv::Trim::All)
        .from_reader(Cursor::new(head).chain(from));
    let mut records = reader.byte_records().peekable();
    let not_csv = |e: &csv::Error| wrong(format!("is not CSV: {e}"));
    let headed = match records.peek() {
        Some(Ok(first)) => first.get(0).is_some_and(|c| dialect.number(&letters.read(c)).is_none()),
        Some(Err(e)) => return Err(not_csv(e)),
        None => false,
    };
    let mut heads: Vec<(String, String)> = Vec::new();
    if headed && let Some(first) = records.next() {
        let first = first.map_err(|e| not_csv(&e))?;
        heads = first.iter().map(|c| heading(unguarded(&letters.read(c)))).collect();
        // A line of units of its own.
        let units = |r: &csv::ByteRecord| {
            r.get(0)
                .map(|c| letters.read(c))
                .is_some_and(|c| dialect.number(&c).is_none() && seconds(bare(&c)).is_some())
        };
        if records.peek().is_some_and(|r| r.as_ref().is_ok_and(units))
            && let Some(Ok(line)) = records.next()
        {
            heads.iter_mut().zip(line.iter()).for_each(|(h, unit)| h.1 = bare(&letters.read(unit)).into());
        }
    }
    let mut columns = heads.len();
    let time_at = match said.time {
        Some(0) => None,
        other => Some(other.unwrap_or(1) - 1),
    };
    let mut out = SpoolOut::new(name);
    let mut row: Vec<f64> = Vec::new();
    // Written digits of the last times: those of a program that counts digits are coarsest there.
    let mut digits: VecDeque<f64> = VecDeque::with_capacity(DIGITS);
    let mut gaps: Vec<(u64, u64)> = Vec::new();
    let mut rows = 0u64;
    for record in records {
        let record = record.map_err(|e| wrong(format!("is not CSV: {e}")))?;
        let line = record.position().map_or(0, csv::Position::line);
        if columns == 0 {
            columns = record.len();
            heads = (0..columns).map(|k| (format!("channel {k}"), String::new())).collect();
            notes.push(format!("there is no head: the {columns} columns are time in s, then channels"));
        }
        if columns > MOST_COLUMNS {
            return Err(wrong(format!("has {columns} columns; allowed: up to {MOST_COLUMNS}")));
        }
        // Some programs end each line with a separator.
        let cells = record.len() - usize::from(record.len() == columns + 1 && record[columns].is_empty());
        if cells != columns {
            return Err(wrong(format!("line {line} has {cells} columns; allowed: {columns} as in the first line")));
        }
        let channels = columns - usize::from(time_at.is_some_and(|t| t < columns));
        let missing =
            record.iter().take(cells).enumerate().filter(|(k, c)| Some(*k) != time_at && c.is_empty()).count();
        let gap = missing > 0 && missing == channels;
        if gap {
            add_to_gaps(&mut gaps, rows);
        }
        row.clear();
        for (k, cell) in record.iter().take(cells).enumerate() {
            let cell = letters.read(cell);
            let x = if gap && Some(k) != time_at { Some(f64::NAN) } else { dialect.number(&cell) };
            row.push(x.ok_or_else(|| {
                let gap = if cell.is_empty() { "; a line without any value is a gap" } else { "" };
                wrong(format!("line {line}, column {}: “{cell}” is not a finite number{gap}", k + 1))
            })?);
            if Some(k) == time_at {
                if digits.len() == DIGITS {
                    digits.pop_front();
                }
                digits.push_back(dialect.rounded(&cell));
            }
        }
        out.push(&row)?;
        rows += 1;
    }
    if heads.len() < 1 + usize::from(time_at.is_some()) {
        return Err(wrong(
            "has fewer than two columns; allowed: time, then a column a channel, parted by commas, semicolons or tabs"
                .into(),
        ));
    }
    if let Some(t) = time_at.filter(|t| *t >= heads.len()) {
        return Err(wrong(format!("has no column {} to take the time from; it has {}", t + 1, heads.len())));
    }
    if rows < 2 {
        return Err(wrong(format!("has {rows} lines of data; allowed: two or more")));
    }
    let at: Vec<usize> = (0..heads.len()).filter(|k| Some(*k) != time_at).collect();
    let mut spool = out.rows(heads.len(), at.clone())?;
    let sample_rate_hz = match (said.rate_hz, time_at) {
        (Some(hz), _) => {
            notes.push(format!("the sample rate was said to be {hz} Hz"));
            hz
        }
        (None, None) => {
            return Err(wrong("has no column with the time; say its sample rate".into()));
        }
        (None, Some(t)) => {
            let unit = &heads[t].1;
            let scale = match seconds(unit) {
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
            let found = even_rate(&mut spool, t, scale, rounded * scale)?.ok_or_else(|| {
                wrong(
                    "has times that do not ascend in even steps; allowed: times evenly sampled, within their digits"
                        .into(),
                )
            })?;
            notes.extend(found.note);
            found.rate_hz
        }
    };
    let channel = |k: &usize| SourceChannel { name: heads[*k].0.clone(), unit: heads[*k].1.clone(), dof: None };
    let channels = at.iter().map(channel).collect();
    let takes = Vec::new();
    Ok(spool.told(SourceInfo { sample_rate_hz, samples: rows, channels, gaps, takes, full_scale: false, notes }))
}

/// The rate of the times in a column (in units of `scale` seconds) that are rounded to within `rounded_s`; none where
/// they are not even within that.
fn even_rate(
    spool: &mut Spool,
    column: usize,
    scale: f64,
    rounded_s: f64,
) -> Result<Option<rate::RateFound>, FormatError> {
    let (mut first, mut end, mut n, mut ascend) = (None, f64::NEG_INFINITY, 0u64, true);
    spool.column(column, |t| {
        first.get_or_insert(t);
        ascend &= t > end;
        end = t;
        n += 1;
    })?;
    let (first, last) = (first.unwrap_or(0.0), (n - 1) as f64);
    let span = (end - first) * scale;
    let step = span / last;
    let (mut most, mut i) = (0f64, 0u64);
    spool.column(column, |t| {
        most = most.max(((t - first) * scale - i as f64 * step).abs());
        i += 1;
    })?;
    // Times that are even to their last digit are no rounded ones.
    let exact = 1e-12 * end.abs() * scale;
    let within = if most < 1e-6 * step + exact { exact } else { rounded_s.max(exact) };
    let ascend = ascend || span > 20.0 * rounded_s;
    let even = step > 0.0 && ascend && most < (0.01 * step + 1e-9 * end.abs() * scale).max(2.001 * rounded_s);
    Ok(even.then(|| rate::from_span(span, last, within)))
}
