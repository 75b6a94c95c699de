//! Bytes to types and back: WAV, CSV, XLSX and universal files in and out, geometries and surfaces of
//! specimens, memories of smart sensors, plots as SVG.

pub mod campaign_file;
pub mod csv;
pub mod faces;
pub mod file;
pub mod functions;
pub mod geometry;
mod guard;
pub mod parquet;
pub mod photo;
pub mod picture;
pub mod plot;
mod rate;
pub mod result_file;
pub mod sheet;
pub mod smart;
mod spool;
pub mod uff;
pub mod wav;
pub mod xlsx_run;

pub use spool::Spool;

/// What is wrong with a file.
#[derive(Debug, thiserror::Error)]
pub enum FormatError {
    /// It cannot be opened or read.
    #[error("{name}: {source}")]
    Io {
        /// The file.
        name: String,
        /// What the system says.
        source: std::io::Error,
    },
    /// It is not what it should be.
    #[error("{name} {says}")]
    NotThat {
        /// The file.
        name: String,
        /// What is wrong and what is allowed.
        says: String,
    },
}

impl FormatError {
    pub(crate) fn not_that(name: &str, says: impl Into<String>) -> Self {
        FormatError::NotThat { name: name.into(), says: says.into() }
    }
}

/// Adds a missing sample to gaps told as first sample and number of samples, in order.
fn add_to_gaps(gaps: &mut Vec<(u64, u64)>, at: u64) {
    match gaps.last_mut() {
        Some((from, n)) if *from + *n == at => *n += 1,
        _ => gaps.push((at, 1)),
    }
}
