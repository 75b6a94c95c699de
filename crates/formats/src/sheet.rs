//! Tables as spreadsheets have them: XLSX and CSV, read and written.

use crate::FormatError;
use crate::guard::{guarded, unguarded};
use calamine::{Data, DataRef, Reader};
use rust_xlsxwriter::{Format, Workbook};
use std::io::{Cursor, Read};

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

/// Most rows, columns and cells that are read from a file, and bytes that a spreadsheet may unpack to:
/// a few bytes can name the last cell of a sheet, or unpack to a thousand times as many.
const MOST_ROWS: usize = 100_000;
const MOST_COLUMNS: usize = 1_000;
const MOST_CELLS: usize = 2_000_000;
const MOST_UNPACKED: u64 = 256 << 20;

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
    let quoted = Format::new().set_quote_prefix();
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
                    // Marked as text, so that it stays text when somebody edits the cell.
                    None if guarded(text) != *text => {
                        sheet.write_string_with_format(r, c, text, &quoted).map_err(say)?
                    }
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

/// Writes one sheet as CSV (RFC 4180), with a byte-order mark, so that units survive spreadsheets; texts
/// that would be formulas there begin with an apostrophe, which [`read`] takes off.
///
/// # Errors
/// Never for a sheet whose rows are as long as its headings.
pub fn write_csv(sheet: &Sheet) -> Result<Vec<u8>, FormatError> {
    let mut out = csv::Writer::from_writer("\u{feff}".as_bytes().to_vec());
    let say = |e: csv::Error| fault("cannot be written", e);
    for row in std::iter::once(&sheet.heads).chain(&sheet.rows) {
        out.write_record(row.iter().map(|text| guarded(text).into_owned())).map_err(say)?;
    }
    out.into_inner().map_err(|e| fault("cannot be written", e))
}

/// Writes one sheet as lines with tabs between the cells, as spreadsheets take them from the clipboard.
pub fn write_tsv(sheet: &Sheet) -> String {
    let clean = |text: &String| guarded(text).replace(['\t', '\n', '\r'], " ");
    let line = |row: &Vec<String>| row.iter().map(clean).collect::<Vec<_>>().join("\t");
    std::iter::once(&sheet.heads).chain(&sheet.rows).map(line).collect::<Vec<_>>().join("\n")
}

/// Reads a table from XLSX (its first sheet) or from CSV with commas, semicolons or tabs.
///
/// # Errors
/// A sentence when it is neither, or has far too many rows.
pub fn read(bytes: &[u8]) -> Result<Vec<Vec<String>>, FormatError> {
    let rows = if bytes.starts_with(b"PK") { read_xlsx(bytes)? } else { read_csv(bytes)? };
    if rows.len() > MOST_ROWS {
        return Err(FormatError::not_that("the table", format!("has {} rows; allowed: {MOST_ROWS}", rows.len())));
    }
    Ok(rows)
}

fn read_xlsx(bytes: &[u8]) -> Result<Vec<Vec<String>>, FormatError> {
    let say = |e: calamine::XlsxError| fault("is no spreadsheet that can be read", e);
    unpacked(bytes)?;
    let mut book = calamine::Xlsx::new(Cursor::new(bytes)).map_err(say)?;
    let first = book.sheet_names().first().cloned();
    let first = first.ok_or_else(|| FormatError::not_that("the spreadsheet", "has no sheet"))?;
    // Cell by cell, as the sheet's own size may be anything.
    let mut cells = book.worksheet_cells_reader(&first).map_err(say)?;
    let mut rows: Vec<Vec<String>> = Vec::new();
    let mut count = 0;
    while let Some(cell) = cells.next_cell().map_err(say)? {
        let text = match cell.get_value() {
            DataRef::Empty => continue,
            other => Data::from(other.clone()).to_string(),
        };
        let (row, column) = (cell.get_position().0 as usize, cell.get_position().1 as usize);
        // What the row grows by, as it will be once this cell is in it.
        count += (column + 1).saturating_sub(rows.get(row).map_or(0, Vec::len));
        if row >= MOST_ROWS || column >= MOST_COLUMNS || count > MOST_CELLS {
            let says = format!(
                "has a cell in row {}, column {}; allowed: {MOST_ROWS} rows, {MOST_COLUMNS} columns and {MOST_CELLS} cells in all",
                row + 1,
                column + 1
            );
            return Err(FormatError::not_that("the table", says));
        }
        if rows.len() <= row {
            rows.resize(row + 1, Vec::new());
        }
        if rows[row].len() <= column {
            rows[row].resize(column + 1, String::new());
        }
        rows[row][column] = text;
    }
    // Every row as long as the longest, and none before or behind what is filled.
    let width = rows.iter().map(Vec::len).max().unwrap_or(0);
    if width * rows.len() > MOST_CELLS {
        let says = format!("has {} rows of {width} cells; allowed: {MOST_CELLS} cells in all", rows.len());
        return Err(FormatError::not_that("the table", says));
    }
    rows.iter_mut().for_each(|r| r.resize(width, String::new()));
    let empty = rows.iter().take_while(|r| r.iter().all(String::is_empty)).count();
    rows.drain(..empty);
    Ok(rows)
}

/// Refuses what unpacks to more than is read; heads are not believed, so it is unpacked to see.
fn unpacked(bytes: &[u8]) -> Result<(), FormatError> {
    let say = |e: &dyn std::fmt::Display| fault("is no spreadsheet that can be read", e);
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).map_err(|e| say(&e))?;
    let mut left = MOST_UNPACKED;
    for i in 0..archive.len() {
        let part = archive.by_index(i).map_err(|e| say(&e))?;
        let size = std::io::copy(&mut part.take(left + 1), &mut std::io::sink()).map_err(|e| say(&e))?;
        if size > left {
            let says = format!("unpacks to more than {} MB, which is the most that is read", MOST_UNPACKED >> 20);
            return Err(FormatError::not_that("the spreadsheet", says));
        }
        left -= size;
    }
    Ok(())
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
    let rows = reader.records().map(|r| r.map(|r| r.iter().map(|text| unguarded(text).to_string()).collect()));
    rows.collect::<Result<_, _>>().map_err(|e| fault("cannot be read", e))
}
