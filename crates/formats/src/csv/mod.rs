//! CSV: time in the first column, one header line with `name [unit]`; results as columns.

mod read;

use crate::FormatError;
use crate::guard::guarded;
use echo_job::analysis::Analysis;
use echo_job::analysis::result::Trace;
use echo_job::export::Separator;
pub use read::{Columns, open, open_with, read, read_with};
pub(crate) use read::{Dialect, Letters, bare, heading};
use std::io::Write;

fn io(source: std::io::Error) -> FormatError {
    FormatError::Io { name: "CSV".into(), source }
}

/// One CSV line of texts.
fn line(to: &mut impl Write, cells: &[String]) -> Result<(), FormatError> {
    separated(to, cells, ',')
}

fn separated(to: &mut impl Write, cells: &[String], separator: char) -> Result<(), FormatError> {
    let mut w = csv::WriterBuilder::new().delimiter(separator as u8).from_writer(Vec::new());
    w.write_record(cells.iter().map(|text| guarded(text).into_owned()))
        .map_err(|e| FormatError::not_that("CSV", e.to_string()))?;
    let bytes = w.into_inner().map_err(|e| FormatError::not_that("CSV", e.to_string()))?;
    to.write_all(&bytes).map_err(io)
}

fn number(x: f64) -> String {
    if x.is_finite() { format!("{x}") } else { String::new() }
}

/// What stands over a column: its name, and its unit where it has one.
pub(crate) fn headed(name: &str, unit: &str) -> String {
    if unit.is_empty() { name.into() } else { format!("{name} [{unit}]") }
}

/// What a curve's column is called: the name of a pair or an order says what it is; a channel's name does not.
pub(crate) fn titled(t: &Trace) -> String {
    if t.reference.is_some() { t.name.clone() } else { format!("{} {}", t.name, t.quantity) }
}

/// Writes a result: axis columns, then a column a trace; numbers as rows where there are no traces.
///
/// # Errors
/// The writer's own error.
pub fn write_result(result: &Analysis, to: &mut impl Write) -> Result<(), FormatError> {
    let Some(axis) = result.axes.first() else {
        line(to, &["name", "channel", "unit", "value"].map(String::from))?;
        for n in &result.numbers {
            line(to, &[n.name.clone(), n.channel.to_string(), n.unit.clone(), number(n.value)])?;
        }
        return Ok(());
    };
    // A map is written one line a pair of axis values; beside curves, one column a value of the
    // second axis.
    let second = result.axes.get(1);
    let long = second.filter(|_| result.traces.iter().all(|t| t.len() != axis.values.len()));
    let mut heads = vec![headed(axis.name.word(), &axis.unit)];
    heads.extend(long.map(|a| headed(a.name.word(), &a.unit)));
    let mut columns: Vec<Box<dyn Fn(usize) -> f64 + '_>> = Vec::new();
    for t in &result.traces {
        if let Some(z) = t.complex() {
            heads.push(headed(&format!("{}_re", titled(t)), &t.unit));
            heads.push(headed(&format!("{}_im", titled(t)), &t.unit));
            columns.push(Box::new(|i| z[i].re));
            columns.push(Box::new(|i| z[i].im));
            if let Some(within) = &t.within {
                heads.push(headed(&format!("{}_within", titled(t)), &t.unit));
                columns.push(Box::new(|i| within[i]));
            }
        } else if let (None, Some(across), false) = (long, second, t.len() == axis.values.len()) {
            let width = across.values.len();
            for (k, x) in across.values.iter().enumerate() {
                heads.push(headed(&format!("{}, {} {}", titled(t), across.name, number(*x)), &t.unit));
                columns.push(Box::new(move |i| t.real()[i * width + k]));
            }
        } else {
            heads.push(headed(&titled(t), &t.unit));
            columns.push(Box::new(|i| t.real()[i]));
        }
    }
    line(to, &heads)?;
    let width = long.map_or(1, |a| a.values.len());
    for i in 0..axis.values.len() * width {
        let mut cells = vec![number(axis.values[i / width])];
        cells.extend(long.map(|a| number(a.values[i % width])));
        cells.extend(columns.iter().map(|c| number(c(i))));
        writeln!(to, "{}", cells.join(",")).map_err(io)?;
    }
    Ok(())
}

/// Writes waveforms as CSV piece by piece.
pub struct CsvOut<W: Write> {
    to: W,
    rate: f64,
    at: u64,
    counts: bool,
    separator: char,
    decimal_comma: bool,
    row: String,
}

impl<W: Write> CsvOut<W> {
    /// Writes the header line: names with units. What follows are counts, or engineering units, with this between the
    /// cells, and a comma for the decimal point where that is wished.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn new(
        mut to: W,
        rate: f64,
        channels: &[(String, String)],
        counts: bool,
        (separator, decimal_comma): (Separator, bool),
    ) -> Result<Self, FormatError> {
        let separator = separator.letter();
        let mut heads = vec!["time [s]".to_string()];
        let head =
            |name: &str, unit: &str| if counts { format!("{name} [counts]") } else { format!("{name} [{unit}]") };
        heads.extend(channels.iter().map(|(name, unit)| head(name, unit)));
        separated(&mut to, &heads, separator)?;
        Ok(CsvOut { to, rate, at: 0, counts, separator, decimal_comma, row: String::new() })
    }

    /// Goes on with a file that was begun the same, of which so many rows are written: `to` takes what comes behind.
    pub fn on<V: Write>(self, to: V, rows: u64) -> CsvOut<V> {
        let CsvOut { rate, counts, separator, decimal_comma, row, .. } = self;
        CsvOut { to, rate, at: rows, counts, separator, decimal_comma, row }
    }

    /// Rows that are written.
    pub fn rows(&self) -> u64 {
        self.at
    }

    /// What takes the bytes.
    pub fn to(&mut self) -> &mut W {
        &mut self.to
    }

    /// Adds samples: one vector a channel. Missing ones (NaN) stay empty.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn push(&mut self, channels: &[Vec<f64>]) -> Result<(), FormatError> {
        use std::fmt::Write as _;
        for i in 0..channels.first().map_or(0, Vec::len) {
            self.row.clear();
            let _ = write!(self.row, "{}", self.at as f64 / self.rate);
            for c in channels {
                self.row.push(self.separator);
                if c[i].is_finite() && self.counts {
                    let _ = write!(self.row, "{}", c[i] as i64);
                } else if c[i].is_finite() {
                    let _ = write!(self.row, "{:.9e}", c[i]);
                }
            }
            if self.decimal_comma {
                self.row = self.row.replace('.', ",");
            }
            writeln!(self.to, "{}", self.row).map_err(io)?;
            self.at += 1;
        }
        self.to.flush().map_err(io)
    }
}
