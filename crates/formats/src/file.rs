//! Opening a waveform file by what is in it, or else by its ending.

use crate::csv::Columns;
use crate::{FormatError, csv, parquet, sheet, uff, wav};
use echo_job::analysis::Source;
use std::io::Read;
use std::path::Path;

/// Kinds of files that hold waveforms.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// WAV.
    Wav,
    /// Lines of columns.
    Csv,
    /// A universal file.
    Uff,
    /// A spreadsheet.
    Xlsx,
    /// A table by columns.
    Parquet,
}

impl Kind {
    /// As it is called.
    pub fn name(self) -> &'static str {
        match self {
            Kind::Wav => "WAV",
            Kind::Csv => "CSV",
            Kind::Uff => "universal file",
            Kind::Xlsx => "XLSX",
            Kind::Parquet => "Parquet",
        }
    }

    fn of_ending(ending: &str) -> Option<Kind> {
        match ending {
            "wav" | "wave" => Some(Kind::Wav),
            "csv" | "txt" | "tsv" | "asc" | "dat" => Some(Kind::Csv),
            "uff" | "unv" => Some(Kind::Uff),
            "xlsx" => Some(Kind::Xlsx),
            "parquet" => Some(Kind::Parquet),
            _ => None,
        }
    }

    /// The kind that a file's first bytes tell; none where they could be those of any text.
    fn of_bytes(head: &[u8]) -> Option<Kind> {
        let text = String::from_utf8_lossy(head);
        let first = text.lines().find(|l| !l.trim().is_empty()).unwrap_or("");
        match head {
            [b'R', b'I', b'F', b'F' | b'X', ..] | [b'R', b'F' | b'6', b'6' | b'4', ..] => Some(Kind::Wav),
            [b'P', b'K', 3, 4, ..] => Some(Kind::Xlsx),
            [b'P', b'A', b'R', b'1', ..] => Some(Kind::Parquet),
            _ => (first.trim() == "-1").then_some(Kind::Uff),
        }
    }
}

/// Opens a WAV, CSV, universal, XLSX or Parquet file as a source of samples.
///
/// # Errors
/// The file cannot be read, or is none of these.
pub fn open(path: &Path) -> Result<Box<dyn Source>, FormatError> {
    Ok(open_with(path, &Columns::default())?.1)
}

/// The kind of a file by what is in it, or else by its ending.
///
/// # Errors
/// The file cannot be read, or is none of these kinds.
pub fn kind(path: &Path) -> Result<Kind, FormatError> {
    let name = path.display().to_string();
    let wrap = |source| FormatError::Io { name: name.clone(), source };
    let ending = path.extension().and_then(|e| e.to_str()).unwrap_or("").to_lowercase();
    let mut head = Vec::new();
    std::fs::File::open(path).map_err(wrap)?.take(256).read_to_end(&mut head).map_err(wrap)?;
    Kind::of_bytes(&head).or(Kind::of_ending(&ending)).ok_or_else(|| {
        FormatError::not_that(&name, "is neither WAV nor CSV nor a universal file nor XLSX nor Parquet; allowed: these, ending in .wav, .csv, .txt, .uff, .unv, .xlsx or .parquet")
    })
}

/// Opens a file as a source of samples by what is in it; `said` is of its columns, where it has such. Tells what it
/// was read as.
///
/// # Errors
/// The file cannot be read, or is none of these kinds.
pub fn open_with(path: &Path, said: &Columns) -> Result<(Kind, Box<dyn Source>), FormatError> {
    let name = path.display().to_string();
    let wrap = |source| FormatError::Io { name: name.clone(), source };
    let kind = kind(path)?;
    let source: Box<dyn Source> = match kind {
        Kind::Wav => Box::new(wav::WavSource::open(path)?),
        Kind::Csv => Box::new(csv::open_with(path, said)?),
        Kind::Uff => Box::new(uff::open(path)?),
        Kind::Parquet => Box::new(parquet::open(path, said.time, said.rate_hz)?),
        Kind::Xlsx => {
            let rows = sheet::read(&std::fs::read(path).map_err(wrap)?)?;
            let mut text = ::csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
            for row in rows.iter().filter(|r| r.iter().any(|c| !c.is_empty())) {
                text.write_record(row).map_err(|e| FormatError::not_that(&name, e.to_string()))?;
            }
            let bytes = text.into_inner().map_err(|e| FormatError::not_that(&name, e.to_string()))?;
            Box::new(csv::read_with(&name, &bytes[..], said)?)
        }
    };
    Ok((kind, source))
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
