//! Files of any program that have columns of numbers, read as channels.

use super::RATE;
use crate::csv::heading;
use crate::rate::roundest;
use crate::spool::{Spool, SpoolOut};
use crate::{FormatError, add_to_gaps};
use echo_job::analysis::{SourceChannel, SourceInfo};
use parquet::basic::Type as Physical;
use parquet::column::reader::{ColumnReader, ColumnReaderImpl};
use parquet::data_type::DataType;
use parquet::file::reader::{FileReader, SerializedFileReader};
use std::fs::File;
use std::path::Path;

/// Rows that are read at once.
const BLOCK: usize = 1 << 14;
/// Most columns.
const MOST_COLUMNS: usize = 4096;

fn broken(name: &str, e: impl std::fmt::Display) -> FormatError {
    FormatError::not_that(name, format!("is no Parquet file that can be read: {e}"))
}

/// A column's numbers of one row group, in order; missing ones are NaN.
fn numbers(
    reader: ColumnReader,
    rows: usize,
    mut sink: impl FnMut(&[f64]) -> Result<(), FormatError>,
    name: &str,
) -> Result<(), FormatError> {
    fn each<T: DataType>(
        mut reader: ColumnReaderImpl<T>,
        rows: usize,
        sink: &mut dyn FnMut(&[f64]) -> Result<(), FormatError>,
        name: &str,
        value: impl Fn(&T::T) -> f64,
    ) -> Result<(), FormatError> {
        let mut left = rows;
        let (mut values, mut levels, mut out) = (Vec::new(), Vec::new(), Vec::new());
        while left > 0 {
            values.clear();
            levels.clear();
            let (records, _, _) = reader
                .read_records(BLOCK.min(left), Some(&mut levels), None, &mut values)
                .map_err(|e| broken(name, e))?;
            if records == 0 {
                return Err(broken(name, "a column ends early"));
            }
            out.clear();
            // Where a column may lack values, a level of 0 says that one does.
            if levels.is_empty() {
                out.extend(values.iter().map(&value));
            } else {
                let mut there = values.iter();
                out.extend(
                    levels.iter().map(|l| if *l > 0 { there.next().map_or(f64::NAN, &value) } else { f64::NAN }),
                );
            }
            sink(&out)?;
            left -= records;
        }
        Ok(())
    }
    match reader {
        ColumnReader::DoubleColumnReader(r) => each(r, rows, &mut sink, name, |x| *x),
        ColumnReader::FloatColumnReader(r) => each(r, rows, &mut sink, name, |x| f64::from(*x)),
        ColumnReader::Int32ColumnReader(r) => each(r, rows, &mut sink, name, |x| f64::from(*x)),
        ColumnReader::Int64ColumnReader(r) => each(r, rows, &mut sink, name, |x| *x as f64),
        ColumnReader::BoolColumnReader(r) => each(r, rows, &mut sink, name, |x| f64::from(u8::from(*x))),
        _ => Err(broken(name, "a column is not of numbers")),
    }
}

/// Whether a column holds numbers, one a row.
fn is_number(column: &parquet::schema::types::ColumnDescriptor) -> bool {
    let numeric = matches!(
        column.physical_type(),
        Physical::DOUBLE | Physical::FLOAT | Physical::INT32 | Physical::INT64 | Physical::BOOLEAN
    );
    numeric && column.max_rep_level() == 0 && column.max_def_level() <= 1 && column.path().parts().len() == 1
}

/// How many a second there are, by evenly ascending times.
fn rate_of(name: &str, times: &[f64]) -> Result<f64, FormatError> {
    let n = times.len();
    let step = if n > 1 { (times[n - 1] - times[0]) / (n - 1) as f64 } else { f64::NAN };
    if !(step.is_finite() && step > 0.0) {
        return Err(FormatError::not_that(
            name,
            "has times that do not ascend; allowed: a column “time [s]”, or a rate",
        ));
    }
    let off = times.iter().enumerate().map(|(i, t)| (t - times[0] - i as f64 * step).abs()).fold(0.0, f64::max);
    if off.is_nan() || off > 0.01 * step {
        return Err(FormatError::not_that(name, "has times that are not even; allowed: one sample every so often"));
    }
    // As well as rounded times tell it.
    let (span, off) = (times[n - 1] - times[0], off.max(times[n - 1].abs() * f64::EPSILON));
    Ok(roundest((n - 1) as f64 / (span + 2.0 * off), (n - 1) as f64 / (span - 2.0 * off)))
}

/// Reads a file's columns of numbers as channels. Where the rate is not told by the file or said, its times tell it;
/// `time` says which column they are, from 1, 0 where there is none.
///
/// # Errors
/// It is no Parquet file, has no column of numbers, no rate, or times that are not even.
pub fn open(path: &Path, time: Option<usize>, rate_hz: Option<f64>) -> Result<Spool, FormatError> {
    let name = path.display().to_string();
    let file = File::open(path).map_err(|source| FormatError::Io { name: name.clone(), source })?;
    let reader = SerializedFileReader::new(file).map_err(|e| broken(&name, e))?;
    let told = reader.metadata().file_metadata();
    let schema = told.schema_descr_ptr();
    let own_rate = told
        .key_value_metadata()
        .and_then(|all| all.iter().find(|k| k.key == RATE))
        .and_then(|k| k.value.as_ref()?.parse::<f64>().ok())
        .filter(|r| r.is_finite() && *r > 0.0);
    if schema.num_columns() > MOST_COLUMNS {
        let says = format!("has {} columns; allowed: up to {MOST_COLUMNS}", schema.num_columns());
        return Err(FormatError::not_that(&name, says));
    }
    let of_numbers: Vec<usize> = (0..schema.num_columns()).filter(|i| is_number(&schema.column(*i))).collect();
    let heads: Vec<(String, String)> = of_numbers.iter().map(|i| heading(schema.column(*i).name())).collect();
    let named_time = || {
        let word = |h: &(String, String)| matches!(h.0.to_lowercase().as_str(), "time" | "t" | "seconds" | "zeit");
        heads.iter().position(word)
    };
    let time_at = match time {
        Some(0) => None,
        Some(n) => of_numbers.iter().position(|i| *i == n - 1),
        None => named_time(),
    };
    let mut notes = Vec::new();
    if of_numbers.len() < schema.num_columns() {
        notes.push(format!("{} columns are not of numbers and were left out", schema.num_columns() - of_numbers.len()));
    }
    let mut out = SpoolOut::new(&name);
    let (mut begins, mut channels, mut gaps) = (Vec::new(), Vec::new(), Vec::new());
    let mut times = Vec::new();
    for (k, column) in of_numbers.iter().enumerate() {
        begins.push(out.written());
        let mut at = 0u64;
        for g in 0..reader.num_row_groups() {
            let group = reader.get_row_group(g).map_err(|e| broken(&name, e))?;
            let rows = group.metadata().num_rows().max(0) as usize;
            let column = group.get_column_reader(*column).map_err(|e| broken(&name, e))?;
            let sink = |x: &[f64]| {
                if time_at == Some(k) {
                    times.extend_from_slice(x);
                    return Ok(());
                }
                for (i, _) in x.iter().enumerate().filter(|(_, x)| !x.is_finite()) {
                    gaps.push(at + i as u64);
                }
                at += x.len() as u64;
                out.push(x)
            };
            numbers(column, rows, sink, &name)?;
        }
        if time_at == Some(k) {
            begins.pop();
        } else {
            let (head, unit) = heads[k].clone();
            channels.push(SourceChannel { name: head, unit, dof: None });
        }
    }
    let samples = told.num_rows().max(0) as u64;
    if channels.is_empty() || samples == 0 {
        return Err(FormatError::not_that(&name, "has no column of numbers with rows; allowed: a table of samples"));
    }
    let sample_rate_hz = match rate_hz.or(own_rate) {
        Some(rate) => rate,
        None if time_at.is_some() => rate_of(&name, &times)?,
        None => {
            let says = "has no column “time [s]” and does not tell its rate; say how many samples a second it has";
            return Err(FormatError::not_that(&name, says));
        }
    };
    gaps.sort_unstable();
    gaps.dedup();
    let mut stretches = Vec::new();
    gaps.into_iter().for_each(|at| add_to_gaps(&mut stretches, at));
    let info =
        SourceInfo { sample_rate_hz, samples, channels, gaps: stretches, takes: Vec::new(), full_scale: false, notes };
    Ok(out.channels(begins)?.told(info))
}
