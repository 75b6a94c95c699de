//! Parquet: a column of time in s, then a column a channel, `name [unit]`; written in row groups, read column by column.
//!
//! Source: Apache Parquet, format version 2, by the library of the Apache Arrow project.

mod read;
mod samples;
mod table;

pub use read::open;
pub use samples::ParquetOut;
pub(crate) use table::{Column, columns};

use crate::FormatError;
use parquet::basic::Compression;
use parquet::file::metadata::KeyValue;
use parquet::file::properties::{WriterProperties, WriterPropertiesPtr};
use std::sync::Arc;

/// The column with the time.
const TIME: &str = "time [s]";
/// Key of the sample rate among the file's own words, Hz.
const RATE: &str = "sample_rate_hz";

fn unwritten(e: impl std::fmt::Display) -> FormatError {
    FormatError::not_that("Parquet", format!("cannot be written: {e}"))
}

/// How columns are written, with words about the file.
fn properties<'a>(words: impl Iterator<Item = (&'a str, &'a str)>) -> WriterPropertiesPtr {
    let words = words.map(|(k, v)| KeyValue::new(k.to_string(), v.to_string())).collect();
    let properties = WriterProperties::builder()
        .set_compression(Compression::SNAPPY)
        .set_key_value_metadata(Some(words))
        // Samples hardly repeat: a dictionary of them would be made and thrown away.
        .set_dictionary_enabled(false);
    Arc::new(properties.build())
}
