//! WAV: float samples are engineering units, integer samples shares of full scale.

use crate::FormatError;
use echo_job::analysis::AnalysisError;
use echo_job::analysis::source::{Source, SourceChannel, SourceInfo};
use hound::{SampleFormat, WavReader, WavSpec, WavWriter};
use std::fs::File;
use std::io::{BufReader, Seek, Write};
use std::path::Path;

/// A WAV file read piece by piece.
pub struct WavSource {
    reader: WavReader<BufReader<File>>,
    info: SourceInfo,
    spec: WavSpec,
    name: String,
    /// Frame the reader stands before.
    at: u64,
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
        Ok(WavSource { reader, info, spec, name, at: 0 })
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
        if self.at != from {
            self.reader.seek(from as u32).map_err(|e| wrong(&self.name, &e))?;
        }
        let width = usize::from(self.spec.channels);
        // Which output a column goes to.
        let mut places = vec![None; width];
        for (i, c) in channels.iter().enumerate() {
            places[*c] = Some(i);
            out[i].clear();
        }
        let total = count * width;
        let mut put = |i: usize, x: f64| {
            if let Some(to) = places[i % width] {
                out[to].push(x);
            }
        };
        let name = &self.name;
        let mut seen = 0;
        match self.spec.sample_format {
            SampleFormat::Float => {
                for (i, s) in self.reader.samples::<f32>().take(total).enumerate() {
                    put(i, f64::from(s.map_err(|e| wrong(name, &e))?));
                    seen += 1;
                }
            }
            SampleFormat::Int => {
                let scale = 0.5f64.powi(i32::from(self.spec.bits_per_sample) - 1);
                for (i, s) in self.reader.samples::<i32>().take(total).enumerate() {
                    put(i, f64::from(s.map_err(|e| wrong(name, &e))?) * scale);
                    seen += 1;
                }
            }
        }
        if seen < total {
            return Err(wrong(name, &"it ends early"));
        }
        self.at = from + count as u64;
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
