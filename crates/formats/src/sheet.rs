//! Tables as spreadsheets have them: XLSX and CSV, read and written.

use crate::FormatError;
use calamine::{Data, Reader};
use rust_xlsxwriter::{Format, Workbook};
use std::io::Cursor;

/// One sheet: a line of headings and rows under it.
#[derive(Debug, Clone, PartialEq)]
pub struct Sheet {
    /// Its name, at most 31 characters.
    pub name: String,
    /// The headings.
    pub heads: Vec<String>,
    /// Rows of texts; what reads as a plain number is written as one.
    pub rows: Vec<Vec<String>>,
}

/// Most rows that are read from a file.
const MOST_ROWS: usize = 100_000;

fn fault(what: &str, e: impl std::fmt::Display) -> FormatError {
    FormatError::not_that("the table", format!("{what}: {e}"))
}

/// Writes sheets as XLSX.
///
/// # Errors
/// A sheet name that spreadsheets do not take.
pub fn write_xlsx(sheets: &[Sheet]) -> Result<Vec<u8>, FormatError> {
    let mut book = Workbook::new();
    let bold = Format::new().set_bold();
    let say = |e: rust_xlsxwriter::XlsxError| fault("cannot be written as a spreadsheet", e);
    for s in sheets {
        let sheet = book.add_worksheet().set_name(&s.name).map_err(say)?;
        for (c, head) in s.heads.iter().enumerate() {
            sheet.write_string_with_format(0, c as u16, head, &bold).map_err(say)?;
        }
        for (r, row) in s.rows.iter().enumerate() {
            for (c, text) in row.iter().enumerate() {
                let (r, c) = (r as u32 + 1, c as u16);
                match number(text) {
                    Some(x) => sheet.write_number(r, c, x).map_err(say)?,
                    None => sheet.write_string(r, c, text).map_err(say)?,
                };
            }
        }
        sheet.set_freeze_panes(1, 0).map_err(say)?;
        sheet.autofit();
    }
    book.save_to_buffer().map_err(say)
}

/// A text that is a number and comes back as the same text; serials with zeros in front stay text.
fn number(text: &str) -> Option<f64> {
    text.parse::<f64>().ok().filter(|x| x.is_finite() && x.to_string() == text)
}

/// Writes one sheet as CSV (RFC 4180), with a byte-order mark, so that units survive spreadsheets.
///
/// # Errors
/// Never for a sheet whose rows are as long as its headings.
pub fn write_csv(sheet: &Sheet) -> Result<Vec<u8>, FormatError> {
    let mut out = csv::Writer::from_writer("\u{feff}".as_bytes().to_vec());
    let say = |e: csv::Error| fault("cannot be written", e);
    out.write_record(&sheet.heads).map_err(say)?;
    for row in &sheet.rows {
        out.write_record(row).map_err(say)?;
    }
    out.into_inner().map_err(|e| fault("cannot be written", e))
}

/// Reads a table from XLSX (its first sheet) or from CSV with commas, semicolons or tabs.
///
/// # Errors
/// A sentence when it is neither, or has far too many rows.
pub fn read(bytes: &[u8]) -> Result<Vec<Vec<String>>, FormatError> {
    let rows = if bytes.starts_with(b"PK") { read_xlsx(bytes)? } else { read_csv(bytes)? };
    if rows.len() > MOST_ROWS {
        return Err(FormatError::not_that("the table", format!("has {} rows; allowed are {MOST_ROWS}", rows.len())));
    }
    Ok(rows)
}

fn read_xlsx(bytes: &[u8]) -> Result<Vec<Vec<String>>, FormatError> {
    let say = |e: calamine::XlsxError| fault("is no spreadsheet that can be read", e);
    let mut book = calamine::Xlsx::new(Cursor::new(bytes)).map_err(say)?;
    let range = book
        .worksheet_range_at(0)
        .ok_or_else(|| FormatError::not_that("the spreadsheet", "has no sheet"))?
        .map_err(say)?;
    let text = |d: &Data| match d {
        Data::Empty => String::new(),
        Data::String(s) => s.clone(),
        Data::Float(x) => x.to_string(),
        Data::Int(x) => x.to_string(),
        Data::Bool(b) => b.to_string(),
        other => other.to_string(),
    };
    Ok(range.rows().map(|r| r.iter().map(text).collect()).collect())
}

fn read_csv(bytes: &[u8]) -> Result<Vec<Vec<String>>, FormatError> {
    let text = std::str::from_utf8(bytes).map_err(|_| {
        FormatError::not_that("the file", "is neither a spreadsheet (XLSX) nor text in UTF-8; save it as one of these")
    })?;
    let text = text.trim_start_matches('\u{feff}');
    let first = text.lines().next().unwrap_or("");
    let delimiter =
        [b'\t', b';', b','].into_iter().max_by_key(|d| (first.bytes().filter(|b| b == d).count(), *d == b','));
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(delimiter.unwrap_or(b','))
        .from_reader(text.as_bytes());
    let rows = reader.records().map(|r| r.map(|r| r.iter().map(String::from).collect()));
    rows.collect::<Result<_, _>>().map_err(|e| fault("cannot be read", e))
}
