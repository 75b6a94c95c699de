//! Opening a waveform file by its ending.

use crate::{FormatError, csv, uff, wav};
use echo_job::analysis::Source;
use std::io::Read;
use std::path::Path;

/// Opens a WAV, CSV or universal file as a source of samples.
///
/// # Errors
/// The file cannot be read or is not what its ending says.
pub fn open(path: &Path) -> Result<Box<dyn Source>, FormatError> {
    let ending = path.extension().and_then(|e| e.to_str()).unwrap_or("").to_lowercase();
    match ending.as_str() {
        "wav" => Ok(Box::new(wav::WavSource::open(path)?)),
        "csv" => Ok(Box::new(csv::open(path)?)),
        "uff" | "unv" => Ok(Box::new(uff::open(path)?)),
        _ => Err(FormatError::not_that(
            &path.display().to_string(),
            "is neither .wav nor .csv nor .uff; allowed: these and .unv",
        )),
    }
}

/// Fingerprint of a file, `blake3:` and the hash in hex, read in pieces (BLAKE3, O'Connor et al. 2020).
///
/// # Errors
/// The file cannot be read.
pub fn fingerprint(path: &Path) -> Result<String, FormatError> {
    let wrap = |source| FormatError::Io { name: path.display().to_string(), source };
    let mut file = std::fs::File::open(path).map_err(wrap)?;
    let mut hash = blake3::Hasher::new();
    let mut buffer = vec![0; 1 << 18];
    loop {
        let n = file.read(&mut buffer).map_err(wrap)?;
        if n == 0 {
            return Ok(format!("blake3:{}", hash.finalize()));
        }
        hash.update(&buffer[..n]);
    }
}
