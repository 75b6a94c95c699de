//! WAV: float samples are engineering units, integer samples shares of full scale.
//!
//! Source: IBM & Microsoft, "Multimedia Programming Interface and Data Specifications 1.0" (1991), and
//! Microsoft, "Multiple channel audio data and WAVE files" (2007) for samples of fewer valid bits than
//! their container, which stand at its upper end; European Broadcasting Union, Tech 3306, "RF64" (2009), and
//! ITU-R BS.2088, "BW64" (2019), for files beyond 4 GB. Files of gigabytes are gone through at the speed of
//! the disk, so the samples are decoded here, many at a time.

mod out;

use crate::FormatError;
use echo_job::analysis::AnalysisError;
use echo_job::analysis::source::{Source, SourceChannel, SourceInfo};
pub use out::WavOut;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::Path;

/// Chunk of our own behind the data: missing stretches as pairs of first sample and number of samples,
/// 64-bit little-endian. Other programs pass over it, as over any chunk they do not know.
const GAPS: &[u8; 4] = b"gaps";

/// How a sample stands in its bytes.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Kind {
    /// Counted from 0 to 255, unlike all others.
    Byte,
    Int16,
    Int24,
    Int32,
    Float32,
    Float64,
}

impl Kind {
    /// By format tag and bytes a sample.
    fn new(float: bool, width: usize) -> Option<Kind> {
        match (float, width) {
            (false, 1) => Some(Kind::Byte),
            (false, 2) => Some(Kind::Int16),
            (false, 3) => Some(Kind::Int24),
            (false, 4) => Some(Kind::Int32),
            (true, 4) => Some(Kind::Float32),
            (true, 8) => Some(Kind::Float64),
            _ => None,
        }
    }

    fn width(self) -> usize {
        match self {
            Kind::Byte => 1,
            Kind::Int16 => 2,
            Kind::Int24 => 3,
            Kind::Int32 | Kind::Float32 => 4,
            Kind::Float64 => 8,
        }
    }
}

/// What the head of a file tells.
struct Head {
    kind: Kind,
    channels: usize,
    rate: u32,
    /// Position of the first frame, and the bytes of all of them.
    data: (u64, u64),
    gaps: Vec<(u64, u64)>,
    notes: Vec<String>,
}

/// Reads the chunks of a file, those behind the data as well.
fn head(mut file: impl Read + Seek) -> Result<Head, String> {
    let broken = |_| "is not a WAV file: its head ends early".to_string();
    let end = file.seek(SeekFrom::End(0)).map_err(broken)?;
    file.seek(SeekFrom::Start(0)).map_err(broken)?;
    let mut first = [0; 12];
    file.read_exact(&mut first).map_err(broken)?;
    let large = matches!(&first[..4], b"RF64" | b"BW64");
    if !(large || &first[..4] == b"RIFF") || &first[8..] != b"WAVE" {
        return Err("is not a WAV file: those begin with RIFF … WAVE, beyond 4 GB with RF64 or BW64".into());
    }
    let (mut format, mut data, mut gaps, mut notes) = (None, None, Vec::new(), Vec::new());
    // Length of the data in a file beyond 4 GB, whose own chunk has no room for it.
    let mut long = None;
    let mut chunk = [0; 8];
    // A file may end within its padding, and a broken one anywhere behind its data.
    while file.read_exact(&mut chunk).is_ok() {
        let mut length = u64::from(u32::from_le_bytes([chunk[4], chunk[5], chunk[6], chunk[7]]));
        let here = file.stream_position().map_err(broken)?;
        match &chunk[..4] {
            b"fmt " if format.is_none() => format = Some(sample_format(&mut file, length)?),
            b"ds64" if large && length >= 16 => {
                let mut sizes = [0; 16];
                file.read_exact(&mut sizes).map_err(broken)?;
                long = Some(sizes[8..].iter().rev().fold(0u64, |n, x| n << 8 | u64::from(*x)));
            }
            b"data" if data.is_none() => {
                let there = end - here;
                if length == u64::from(u32::MAX) {
                    length = long.unwrap_or(length);
                }
                if length > there {
                    notes.push(format!(
                        "the head tells {length} bytes of samples, the file holds {there}: it was read to its end"
                    ));
                }
                data = Some((here, length.min(there)));
            }
            id if id == GAPS && length % 16 == 0 && length <= end - here => {
                let mut bytes = vec![0; length as usize];
                file.read_exact(&mut bytes).map_err(broken)?;
                let number = |b: &[u8]| b.iter().rev().fold(0u64, |n, x| n << 8 | u64::from(*x));
                gaps = bytes.chunks_exact(16).map(|b| (number(&b[..8]), number(&b[8..]))).collect();
            }
            _ => {}
        }
        // Chunks of odd length are padded to an even one.
        let next = here.checked_add(length).and_then(|n| n.checked_add(length % 2));
        let Some(next) = next.filter(|n| *n <= end) else { break };
        file.seek(SeekFrom::Start(next)).map_err(broken)?;
    }
    let (kind, channels, rate) = format.ok_or("has no fmt chunk, which tells what its samples are")?;
    let data = data.ok_or("has no data chunk")?;
    Ok(Head { kind, channels, rate, data, gaps, notes })
}

/// Kind of samples, channels, rate.
fn sample_format(file: &mut impl Read, length: u64) -> Result<(Kind, usize, u32), String> {
    let mut fmt = [0; 40];
    let known = (length as usize).min(40);
    if known < 16 {
        return Err(format!("has a fmt chunk of {length} bytes; allowed: 16 or more"));
    }
    file.read_exact(&mut fmt[..known]).map_err(|_| "is not a WAV file: its head ends early")?;
    let word = |i: usize| u16::from_le_bytes([fmt[i], fmt[i + 1]]);
    // The extensible form names the real one in the first bytes of an identifier.
    let tag = if word(0) == 0xfffe && known >= 26 { word(24) } else { word(0) };
    let (channels, align) = (usize::from(word(2)), usize::from(word(12)));
    let rate = u32::from_le_bytes([fmt[4], fmt[5], fmt[6], fmt[7]]);
    if channels == 0 || rate == 0 {
        return Err("has no channel or no sample rate".into());
    }
    let kind = (tag == 1 || tag == 3).then(|| Kind::new(tag == 3, align / channels)).flatten();
    match kind {
        Some(kind) if align == kind.width() * channels => Ok((kind, channels, rate)),
        _ => Err(format!(
            "has samples of format {tag} with {} bits in {align} bytes for {channels} channels; allowed: integers of 8 to 32 bits and floats of 32 and 64",
            word(14)
        )),
    }
}

/// A WAV file read piece by piece.
pub struct WavSource {
    file: BufReader<File>,
    info: SourceInfo,
    kind: Kind,
    name: String,
    /// Position of the first frame in the file.
    data: u64,
    bytes: Vec<u8>,
}

impl WavSource {
    /// Opens a file.
    ///
    /// # Errors
    /// It cannot be read, is no WAV, has a kind of samples that is not allowed, or holds none.
    pub fn open(path: &Path) -> Result<Self, FormatError> {
        let name = path.display().to_string();
        let file = File::open(path).map_err(|source| FormatError::Io { name: name.clone(), source })?;
        let mut file = BufReader::new(file);
        let head = head(&mut file).map_err(|says| FormatError::not_that(&name, says))?;
        let frame = (head.kind.width() * head.channels) as u64;
        let samples = head.data.1 / frame;
        if samples == 0 {
            let says = format!("is an empty recording: its samples are {} bytes long", head.data.1);
            return Err(FormatError::not_that(&name, says));
        }
        let channels = (1..=head.channels)
            .map(|n| SourceChannel { name: format!("channel {n}"), unit: String::new(), dof: None })
            .collect();
        let info = SourceInfo {
            sample_rate_hz: f64::from(head.rate),
            samples,
            channels,
            gaps: head.gaps.into_iter().filter(|(a, n)| *n > 0 && a.saturating_add(*n) <= samples).collect(),
            takes: Vec::new(),
            full_scale: !matches!(head.kind, Kind::Float32 | Kind::Float64),
            notes: head.notes,
        };
        Ok(WavSource { file, info, kind: head.kind, name, data: head.data.0, bytes: Vec::new() })
    }
}

/// Parts the samples of some channels out of frames of `all`, decoding each byte that is wanted once.
fn part<const W: usize>(
    bytes: &[u8],
    all: usize,
    channels: &[usize],
    out: &mut [Vec<f64>],
    value: impl Fn([u8; W]) -> f64,
) {
    // Some frames at a time, which stay near while each channel takes its own.
    const FRAMES: usize = 256;
    for to in out.iter_mut() {
        to.clear();
        to.reserve(bytes.len() / (W * all));
    }
    for piece in bytes.chunks(W * all * FRAMES) {
        for (c, to) in channels.iter().zip(out.iter_mut()) {
            to.extend(piece.chunks_exact(W * all).map(|frame| {
                let sample: [u8; W] = std::array::from_fn(|k| frame[c * W + k]);
                value(sample)
            }));
        }
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
        let (kind, all) = (self.kind, self.info.channels.len());
        let frame = kind.width() * all;
        let start = self.data + from * frame as u64;
        // A seek that stays in the buffer costs nothing.
        let here = self.file.stream_position().map_err(|e| wrong(&self.name, &e))?;
        self.file.seek_relative(start as i64 - here as i64).map_err(|e| wrong(&self.name, &e))?;
        self.bytes.resize(count * frame, 0);
        self.file.read_exact(&mut self.bytes).map_err(|_| wrong(&self.name, &"it ends early"))?;
        let bytes = &self.bytes;
        match kind {
            Kind::Byte => part(bytes, all, channels, out, byte),
            Kind::Int16 => part(bytes, all, channels, out, int16),
            Kind::Int24 => part(bytes, all, channels, out, int24),
            Kind::Int32 => part(bytes, all, channels, out, int32),
            Kind::Float32 => part(bytes, all, channels, out, float32),
            Kind::Float64 => part(bytes, all, channels, out, f64::from_le_bytes),
        }
        Ok(())
    }
}

fn byte(b: [u8; 1]) -> f64 {
    (f64::from(b[0]) - 128.0) / 128.0
}

fn int16(b: [u8; 2]) -> f64 {
    f64::from(i16::from_le_bytes(b)) / 32_768.0
}

fn int24(b: [u8; 3]) -> f64 {
    f64::from(i32::from_le_bytes([0, b[0], b[1], b[2]])) / 2_147_483_648.0
}

fn int32(b: [u8; 4]) -> f64 {
    f64::from(i32::from_le_bytes(b)) / 2_147_483_648.0
}

fn float32(b: [u8; 4]) -> f64 {
    f64::from(f32::from_le_bytes(b))
}
