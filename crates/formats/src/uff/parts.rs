//! A file taken apart into its datasets, one after the other, so that a large file needs no more memory than its
//! largest dataset.

use super::{Dataset, datasets};
use crate::FormatError;
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;

/// Largest dataset, bytes.
const LARGEST: usize = 1 << 30;
/// Longest line that is looked for outside of binary values, bytes.
const LONGEST_LINE: u64 = 1 << 16;

/// Shows each dataset of a file.
///
/// # Errors
/// The file cannot be read, or is no universal file; what `sink` refuses.
pub(super) fn each(path: &Path, mut sink: impl FnMut(Dataset) -> Result<(), FormatError>) -> Result<(), FormatError> {
    let name = path.display().to_string();
    let wrap = |source| FormatError::Io { name: name.clone(), source };
    let mut from = BufReader::with_capacity(1 << 18, File::open(path).map_err(wrap)?);
    let mut any = false;
    while let Some(dataset) = next(&name, &mut from)? {
        for d in datasets(&name, &dataset)? {
            any = true;
            sink(d)?;
        }
    }
    if !any {
        return Err(FormatError::not_that(&name, "holds no dataset; allowed: a universal file"));
    }
    Ok(())
}

/// The bytes of the next dataset with the lines around it; none at the end of the file.
pub(super) fn next(name: &str, from: &mut impl BufRead) -> Result<Option<Vec<u8>>, FormatError> {
    let wrap = |source| FormatError::Io { name: name.into(), source };
    let mut out: Vec<u8> = Vec::new();
    // One line more; whether it is one that begins and ends datasets.
    let line = |from: &mut dyn BufRead, out: &mut Vec<u8>| -> Result<Option<bool>, FormatError> {
        let begin = out.len();
        from.take(LONGEST_LINE).read_until(b'\n', out).map_err(wrap)?;
        let told = &out[begin..];
        Ok((!told.is_empty()).then(|| told.trim_ascii() == b"-1"))
    };
    loop {
        match line(from, &mut out)? {
            None => return Ok(None),
            Some(true) => break,
            Some(false) if out.trim_ascii().is_empty() => out.clear(),
            // Something else than a dataset: whoever reads it says so.
            Some(false) => return Ok(Some(out)),
        }
    }
    let head = out.len();
    if line(from, &mut out)?.is_none() {
        return Ok(Some(out));
    }
    let first = String::from_utf8_lossy(&out[head..]).to_string();
    if let Some((_, cells)) = first.split_once('b') {
        let cells: Vec<usize> = cells.split_whitespace().map_while(|t| t.parse().ok()).collect();
        if let [_, _, lines, bytes, ..] = cells[..] {
            if bytes > LARGEST {
                return Err(FormatError::not_that(name, format!("has a dataset of {bytes} bytes; allowed: {LARGEST}")));
            }
            for _ in 0..lines.min(100) {
                line(from, &mut out)?;
            }
            from.take(bytes as u64).read_to_end(&mut out).map_err(wrap)?;
        }
    }
    while line(from, &mut out)? == Some(false) {
        if out.len() > LARGEST {
            return Err(FormatError::not_that(name, format!("has a dataset of more than {LARGEST} bytes")));
        }
    }
    Ok(Some(out))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_parted_into_its_datasets() {
        let lines = "    -1\n   164\n 1  SI\n  1.0 1.0 1.0\n    -1\n\n    -1\n    55\nx\n    -1\n";
        let mut from = lines.as_bytes();
        let mut parts = Vec::new();
        while let Some(part) = next("f", &mut from).unwrap() {
            parts.push(String::from_utf8(part).unwrap());
        }
        assert_eq!(parts, ["    -1\n   164\n 1  SI\n  1.0 1.0 1.0\n    -1\n", "    -1\n    55\nx\n    -1\n"]);
        assert_eq!(next("f", &mut &b"hello\n"[..]).unwrap(), Some(b"hello\n".to_vec()), "whoever reads it says so");
        assert_eq!(next("f", &mut &b"\n\n"[..]).unwrap(), None);
    }
}
