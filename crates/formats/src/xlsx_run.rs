//! Waveforms as a spreadsheet, row by row: time, then a column a channel, numbers as numbers.

use crate::FormatError;
use crate::csv::headed;
use rust_xlsxwriter::{Format, Workbook, XlsxError};
use std::io::{Seek, Write};

fn unwritten(e: XlsxError) -> FormatError {
    FormatError::not_that("the spreadsheet", format!("cannot be written: {e}"))
}

/// Writes waveforms as one sheet; rows lie on the disk until they are packed.
pub struct XlsxOut {
    book: Workbook,
    rate: f64,
    at: u32,
}

impl XlsxOut {
    /// Writes the line of headings: names with units; of counts without.
    ///
    /// # Errors
    /// More columns than a sheet has.
    pub fn new(rate: f64, channels: &[(String, String)]) -> Result<Self, FormatError> {
        let mut book = Workbook::new();
        let sheet = book.add_worksheet_with_constant_memory().map_err(unwritten)?;
        sheet.set_name("Waveforms").map_err(unwritten)?;
        sheet.set_freeze_panes(1, 1).map_err(unwritten)?;
        let bold = Format::new().set_bold();
        sheet.write_string_with_format(0, 0, "time [s]", &bold).map_err(unwritten)?;
        for (c, (name, unit)) in channels.iter().enumerate() {
            let head = headed(name, unit);
            sheet.write_string_with_format(0, c as u16 + 1, &head, &bold).map_err(unwritten)?;
        }
        Ok(XlsxOut { book, rate, at: 0 })
    }

    /// Adds samples: one vector a channel. Missing ones (NaN) stay empty.
    ///
    /// # Errors
    /// More rows than a sheet has, or no room for them.
    pub fn push(&mut self, channels: &[Vec<f64>]) -> Result<(), FormatError> {
        let sheet = self.book.worksheet_from_index(0).map_err(unwritten)?;
        for i in 0..channels.first().map_or(0, Vec::len) {
            let row = self.at + 1;
            sheet.write_number(row, 0, f64::from(self.at) / self.rate).map_err(unwritten)?;
            for (c, x) in channels.iter().enumerate().filter(|(_, x)| x[i].is_finite()) {
                sheet.write_number(row, c as u16 + 1, x[i]).map_err(unwritten)?;
            }
            self.at += 1;
        }
        Ok(())
    }

    /// Packs the file and ends.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn finish(mut self, to: impl Write + Seek + Send) -> Result<(), FormatError> {
        self.book.save_to_writer(to).map_err(unwritten)
    }
}
