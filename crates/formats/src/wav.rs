//! WAV: float samples are engineering units, integer samples shares of full scale.

use crate::FormatError;
use echo_job::analysis::AnalysisError;
use echo_job::analysis::source::{Source, SourceChannel, SourceInfo};
use hound::{SampleFormat, WavReader, WavSpec, WavWriter};
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom, Write};
use std::path::Path;

/// A WAV file read piece by piece.
///
/// The head is read by hound; the samples are decoded here, many at a time, because files of
/// gigabytes are to be gone through at the speed of the disk.
pub struct WavSource {
    file: BufReader<File>,
    info: SourceInfo,
    spec: WavSpec,
    name: String,
    /// Position of the first frame in the file.
    data: u64,
    /// Bytes of one sample.
    width: usize,
    bytes: Vec<u8>,
}

/// Bytes a sample takes, and where the first frame is: what hound knows but does not tell.
fn layout(mut file: impl Read + Seek) -> std::io::Result<(usize, u64)> {
    let mut head = [0; 8];
    let (mut align, mut channels) = (0, 1);
    file.seek(SeekFrom::Start(12))?;
    loop {
        file.read_exact(&mut head)?;
        let length = u64::from(u32::from_le_bytes([head[4], head[5], head[6], head[7]]));
        match &head[..4] {
            b"data" => return Ok((align / channels, file.stream_position()?)),
            b"fmt " => {
                let mut fmt = [0; 16];
                file.read_exact(&mut fmt)?;
                channels = usize::from(u16::from_le_bytes([fmt[2], fmt[3]])).max(1);
                align = usize::from(u16::from_le_bytes([fmt[12], fmt[13]]));
                file.seek(SeekFrom::Current(length as i64 - 16 + (length % 2) as i64))?;
            }
            _ => {
                file.seek(SeekFrom::Current((length + length % 2) as i64))?;
            }
        }
    }
}

impl WavSource {
    /// Opens a file.
    ///
    /// # Errors
    /// It cannot be read, is no WAV, or has a kind of samples that is not allowed.
    pub fn open(path: &Path) -> Result<Self, FormatError> {
        let name = path.display().to_string();
        let reader = WavReader::open(path).map_err(|e| match e {
            hound::Error::IoError(source) if source.kind() == std::io::ErrorKind::NotFound => {
                FormatError::Io { name: name.clone(), source }
            }
            e => FormatError::not_that(
                &name,
                format!(
                    "is not a WAV file that can be read ({e}); allowed are 8 to 32-bit integer and 32-bit float samples"
                ),
            ),
        })?;
        let spec = reader.spec();
        if spec.channels == 0 || spec.sample_rate == 0 {
            return Err(FormatError::not_that(&name, "has no channel or no sample rate"));
        }
        let channels =
            (1..=spec.channels).map(|n| SourceChannel { name: format!("channel {n}"), unit: String::new() }).collect();
        let info = SourceInfo {
            sample_rate_hz: f64::from(spec.sample_rate),
            samples: u64::from(reader.duration()),
            channels,
            gaps: Vec::new(),
            full_scale: spec.sample_format == SampleFormat::Int,
        };
        let mut file = reader.into_inner();
        let (width, data) = layout(&mut file)
            .map_err(|e| FormatError::not_that(&name, format!("has a head that cannot be read: {e}")))?;
        Ok(WavSource { file, info, spec, name, data, width, bytes: Vec::new() })
    }
}

impl Source for WavSource {
    fn info(&self) -> &SourceInfo {
        &self.info
    }

    fn read(&mut self, channels: &[usize], from: u64, count: usize, out: &mut [Vec<f64>]) -> Result<(), AnalysisError> {
        let wrong = |name: &str, e: &dyn std::fmt::Display| {
            AnalysisError::Input(format!("{name} cannot be read to its end: {e}"))
        };
        let (width, frame) = (self.width, self.width * usize::from(self.spec.channels));
        let start = self.data + from * frame as u64;
        // A seek that stays in the buffer costs nothing.
        let here = self.file.stream_position().map_err(|e| wrong(&self.name, &e))?;
        self.file.seek_relative(start as i64 - here as i64).map_err(|e| wrong(&self.name, &e))?;
        self.bytes.resize(count * frame, 0);
        self.file.read_exact(&mut self.bytes).map_err(|_| wrong(&self.name, &"it ends early"))?;
        let scale = 0.5f64.powi(i32::from(self.spec.bits_per_sample) - 1);
        // A sample of fewer bits than its bytes hold stands at the lower end.
        let spare = 32 - u32::from(self.spec.bits_per_sample);
        let integer = |b: [u8; 4]| f64::from((i32::from_le_bytes(b) << spare) >> spare) * scale;
        let float = self.spec.sample_format == SampleFormat::Float;
        for (c, to) in channels.iter().zip(out) {
            to.clear();
            let samples = self.bytes.chunks_exact(frame).map(|f| &f[c * width..(c + 1) * width]);
            match width {
                _ if float => to.extend(samples.map(|b| f64::from(f32::from_le_bytes([b[0], b[1], b[2], b[3]])))),
                // One byte is counted from 0 to 255, unlike all others.
                1 => to.extend(samples.map(|b| (f64::from(b[0]) - 128.0) * scale)),
                2 => to.extend(samples.map(|b| f64::from(i16::from_le_bytes([b[0], b[1]])) * scale)),
                3 => to.extend(samples.map(|b| integer([b[0], b[1], b[2], 0]))),
                _ => to.extend(samples.map(|b| integer([b[0], b[1], b[2], b[3]]))),
            }
        }
        Ok(())
    }
}

/// Writes engineering units as 32-bit float frames, piece by piece.
pub struct WavOut<W: Write + Seek> {
    writer: WavWriter<W>,
}

impl<W: Write + Seek> WavOut<W> {
    /// A file with this many channels.
    ///
    /// # Errors
    /// A rate that is not a whole number of Hz, or the writer's own error.
    pub fn new(to: W, sample_rate_hz: f64, channels: usize) -> Result<Self, FormatError> {
        if sample_rate_hz.fract() != 0.0 {
            return Err(FormatError::not_that(
                "WAV",
                format!("cannot carry {sample_rate_hz} Hz; allowed are whole numbers"),
            ));
        }
        let spec = WavSpec {
            channels: channels as u16,
            sample_rate: sample_rate_hz as u32,
            bits_per_sample: 32,
            sample_format: SampleFormat::Float,
        };
        let writer = WavWriter::new(to, spec).map_err(|e| FormatError::not_that("WAV", e.to_string()))?;
        Ok(WavOut { writer })
    }

    /// Adds frames: one slice a channel, equally long.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn push(&mut self, channels: &[Vec<f64>]) -> Result<(), FormatError> {
        for i in 0..channels.first().map_or(0, Vec::len) {
            for c in channels {
                self.writer.write_sample(c[i] as f32).map_err(|e| FormatError::not_that("WAV", e.to_string()))?;
            }
        }
        Ok(())
    }

    /// Writes the head and ends.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn finish(self) -> Result<(), FormatError> {
        self.writer.finalize().map_err(|e| FormatError::not_that("WAV", e.to_string()))
    }
}
