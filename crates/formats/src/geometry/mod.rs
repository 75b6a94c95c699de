//! The geometry of a specimen in files of other programs.
//!
//! | module | what it reads and writes |
//! | --- | --- |
//! | [`sheet`] | CSV |
//! | [`universal`] | universal files: 15, 2411, 82, 2412, 2420 |
//! | [`surface`] | STL and OBJ, read as a surface |

pub mod sheet;
pub mod surface;
pub mod universal;

use crate::FormatError;
use echo_job::geometry::Geometry;

/// A geometry that was read, and what had to be assumed or left out.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    /// Points, lines and faces.
    pub geometry: Geometry,
    /// What a reader should know.
    pub notes: Vec<String>,
}

/// Reads a universal file or CSV: which of them, the content tells.
///
/// # Errors
/// It is neither, breaks off, or what it holds does not hold together.
pub fn read(name: &str, bytes: &[u8]) -> Result<Found, FormatError> {
    let begins =
        |lines: usize| bytes.split(|b| *b == b'\n').map(<[u8]>::trim_ascii).filter(|l| !l.is_empty()).nth(lines);
    let found = if begins(0) == Some(b"-1") { universal::read(name, bytes) } else { sheet::read(name, bytes) }?;
    if found.geometry.is_empty() {
        return Err(FormatError::not_that(name, "holds no point; allowed: a universal file with points, or CSV"));
    }
    found.geometry.check().map_err(|e| FormatError::not_that(name, e.says))?;
    Ok(found)
}
