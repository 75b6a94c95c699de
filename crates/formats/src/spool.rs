//! Samples of a file that is read once and then from anywhere: in memory while it is small, in a temporary file else.

use crate::FormatError;
use echo_job::analysis::{AnalysisError, Source, SourceInfo};
use std::io::{Read, Seek, SeekFrom, Write};
use tempfile::SpooledTempFile;

/// Bytes that stay in memory.
const IN_MEMORY: usize = 48 << 20;
/// Bytes that are written at once.
const PIECE: usize = 1 << 18;
const WIDTH: u64 = size_of::<f64>() as u64;

/// Where the samples of each channel lie: the first one, and from one to the next, in samples.
#[derive(Debug, Clone)]
enum Layout {
    /// Rows of so many columns; which column each channel is.
    Rows(usize, Vec<usize>),
    /// Channel after channel; where each begins.
    Channels(Vec<u64>),
}

/// Numbers that are written one after the other, to be read back from anywhere.
pub(crate) struct SpoolOut {
    name: String,
    file: SpooledTempFile,
    piece: Vec<u8>,
    written: u64,
}

impl SpoolOut {
    pub fn new(name: &str) -> Self {
        let (file, piece) = (SpooledTempFile::new(IN_MEMORY), Vec::with_capacity(PIECE));
        SpoolOut { name: name.into(), file, piece, written: 0 }
    }

    /// Numbers written so far.
    pub fn written(&self) -> u64 {
        self.written
    }

    /// Writes numbers.
    pub fn push(&mut self, numbers: &[f64]) -> Result<(), FormatError> {
        for x in numbers {
            self.piece.extend_from_slice(&x.to_le_bytes());
        }
        self.written += numbers.len() as u64;
        if self.piece.len() >= PIECE { self.flush() } else { Ok(()) }
    }

    fn flush(&mut self) -> Result<(), FormatError> {
        let written = self.file.write_all(&self.piece);
        self.piece.clear();
        written.map_err(|source| FormatError::Io { name: format!("the samples of {}", self.name), source })
    }

    fn done(mut self, layout: Layout) -> Result<Spool, FormatError> {
        self.flush()?;
        let info = SourceInfo {
            sample_rate_hz: 0.0,
            samples: 0,
            channels: Vec::new(),
            gaps: Vec::new(),
            takes: Vec::new(),
            full_scale: false,
            notes: Vec::new(),
        };
        Ok(Spool { file: self.file, layout, info, bytes: Vec::new() })
    }

    /// Ends rows of `columns` numbers; `at` says which column each channel is.
    pub fn rows(self, columns: usize, at: Vec<usize>) -> Result<Spool, FormatError> {
        self.done(Layout::Rows(columns, at))
    }

    /// Ends channels that were written one after the other, each from its place on.
    pub fn channels(self, begins: Vec<u64>) -> Result<Spool, FormatError> {
        self.done(Layout::Channels(begins))
    }
}

/// Samples that were read from a file, with what is known of them.
pub struct Spool {
    file: SpooledTempFile,
    layout: Layout,
    info: SourceInfo,
    bytes: Vec<u8>,
}

impl Spool {
    /// Says what the samples are.
    pub(crate) fn told(mut self, info: SourceInfo) -> Spool {
        self.info = info;
        self
    }

    /// Numbers from a place on.
    fn numbers(&mut self, from: u64, count: usize) -> std::io::Result<&[u8]> {
        self.file.seek(SeekFrom::Start(from * WIDTH))?;
        self.bytes.resize(count * WIDTH as usize, 0);
        self.file.read_exact(&mut self.bytes)?;
        Ok(&self.bytes)
    }

    /// One column of all rows, piece by piece.
    pub(crate) fn column(&mut self, column: usize, mut each: impl FnMut(f64)) -> Result<(), FormatError> {
        let Layout::Rows(columns, _) = self.layout else { return Ok(()) };
        let rows = (self.file.seek(SeekFrom::End(0)).unwrap_or(0) / WIDTH) as usize / columns.max(1);
        let step = (PIECE / (columns * WIDTH as usize)).max(1);
        for at in (0..rows).step_by(step) {
            let n = step.min(rows - at);
            let bytes = self
                .numbers((at * columns) as u64, n * columns)
                .map_err(|source| FormatError::Io { name: "the samples".into(), source })?;
            bytes.chunks_exact(columns * WIDTH as usize).for_each(|row| each(number(row, column)));
        }
        Ok(())
    }
}

fn number(bytes: &[u8], at: usize) -> f64 {
    let mut eight = [0; WIDTH as usize];
    eight.copy_from_slice(&bytes[at * WIDTH as usize..(at + 1) * WIDTH as usize]);
    f64::from_le_bytes(eight)
}

impl Source for Spool {
    fn info(&self) -> &SourceInfo {
        &self.info
    }

    fn read(&mut self, channels: &[usize], from: u64, count: usize, out: &mut [Vec<f64>]) -> Result<(), AnalysisError> {
        let wrong =
            |e: std::io::Error| AnalysisError::Input(format!("samples that were read cannot be read again: {e}"));
        match self.layout.clone() {
            Layout::Rows(columns, at) => {
                let bytes = self.numbers(from * columns as u64, count * columns).map_err(wrong)?;
                for (c, to) in channels.iter().zip(out) {
                    to.clear();
                    to.extend(bytes.chunks_exact(columns * WIDTH as usize).map(|row| number(row, at[*c])));
                }
            }
            Layout::Channels(begins) => {
                for (c, to) in channels.iter().zip(out) {
                    let bytes = self.numbers(begins[*c] + from, count).map_err(wrong)?;
                    to.clear();
                    to.extend((0..count).map(|k| number(bytes, k)));
                }
            }
        }
        Ok(())
    }
}
