//! WAV files written piece by piece; what grows beyond 4 GB becomes RF64 at its end.

use super::GAPS;
use crate::{FormatError, add_to_gaps};
use std::io::{Seek, SeekFrom, Write};

/// Most bytes a head of 32 bits can tell.
const MOST: u64 = u32::MAX as u64;
/// Last bytes of the identifiers of kinds of samples, whose first two are the kind.
const KIND: [u8; 14] = [0, 0, 0, 0, 16, 0, 128, 0, 0, 170, 0, 56, 155, 113];
/// Bytes of the chunk with sizes of 64 bits, which is kept free until it is known whether it is needed.
const ROOM: u32 = 28;
/// Where its length and what follows stand in the file, and where the length of the data.
const AT_ROOM: u64 = 12;
const AT_DATA: u64 = AT_ROOM + 8 + ROOM as u64 + 8 + 40 + 4;

/// Writes frames piece by piece: engineering units as 32-bit floats, or counts as whole numbers of 32 bits.
pub struct WavOut<W: Write + Seek> {
    to: W,
    channels: usize,
    counts: bool,
    at: u64,
    gaps: Vec<(u64, u64)>,
    bytes: Vec<u8>,
    most: u64,
}

fn io(source: std::io::Error) -> FormatError {
    FormatError::Io { name: "WAV".into(), source }
}

impl<W: Write + Seek> WavOut<W> {
    /// A file with this many channels, of counts or of engineering units.
    ///
    /// # Errors
    /// A rate that is not a whole number of Hz, more channels than a head can tell, or the writer's own error.
    pub fn new(mut to: W, sample_rate_hz: f64, channels: usize, counts: bool) -> Result<Self, FormatError> {
        let wrong = |says: String| FormatError::not_that("WAV", says);
        if sample_rate_hz.fract() != 0.0 || !(1.0..=f64::from(u32::MAX)).contains(&sample_rate_hz) {
            return Err(wrong(format!("cannot carry {sample_rate_hz} Hz; allowed: whole numbers")));
        }
        let most = usize::from(u16::MAX / 4);
        let align = u16::try_from(4 * channels).ok().filter(|a| *a > 0);
        let align = align.ok_or_else(|| wrong(format!("cannot carry {channels} channels; allowed: 1 to {most}")))?;
        let rate = sample_rate_hz as u32;
        let mut head = b"RIFF\0\0\0\0WAVEJUNK".to_vec();
        head.extend(ROOM.to_le_bytes());
        head.extend([0; ROOM as usize]);
        head.extend(b"fmt ");
        head.extend(40u32.to_le_bytes());
        head.extend(0xfffe_u16.to_le_bytes());
        head.extend((channels as u16).to_le_bytes());
        head.extend(rate.to_le_bytes());
        head.extend(rate.wrapping_mul(u32::from(align)).to_le_bytes());
        head.extend(align.to_le_bytes());
        // Bits of a sample, bytes that follow, bits that count, and no place of any loudspeaker.
        head.extend([32, 0, 22, 0, 32, 0, 0, 0, 0, 0]);
        head.extend([if counts { 1 } else { 3 }, 0]);
        head.extend(KIND);
        head.extend(b"data\0\0\0\0");
        to.write_all(&head).map_err(io)?;
        Ok(WavOut { to, channels, counts, at: 0, gaps: Vec::new(), bytes: Vec::new(), most: MOST })
    }

    /// Adds frames: one slice a channel, equally long. Frames in which a value is missing (NaN) are a gap.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn push(&mut self, channels: &[Vec<f64>]) -> Result<(), FormatError> {
        let frames = channels.first().map_or(0, Vec::len);
        self.bytes.clear();
        self.bytes.resize(4 * self.channels * frames, 0);
        for (k, c) in channels.iter().enumerate() {
            let places = self.bytes.chunks_exact_mut(4).skip(k).step_by(self.channels);
            for (place, x) in places.zip(c) {
                // A missing count is nought; the gap tells that it is none.
                place.copy_from_slice(&if self.counts { (*x as i32).to_le_bytes() } else { (*x as f32).to_le_bytes() });
            }
        }
        for i in (0..frames).filter(|i| channels.iter().any(|c| c[*i].is_nan())) {
            add_to_gaps(&mut self.gaps, self.at + i as u64);
        }
        self.at += frames as u64;
        self.to.write_all(&self.bytes).map_err(io)
    }

    /// Writes the list of gaps, if there are any, and the head, and ends.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn finish(mut self) -> Result<(), FormatError> {
        let data = self.at * 4 * self.channels as u64;
        if !self.gaps.is_empty() {
            let mut chunk = GAPS.to_vec();
            chunk.extend((16 * self.gaps.len() as u32).to_le_bytes());
            self.gaps.iter().for_each(|(from, n)| chunk.extend(from.to_le_bytes().iter().chain(&n.to_le_bytes())));
            self.to.write_all(&chunk).map_err(io)?;
        }
        let all = self.to.stream_position().map_err(io)? - 8;
        let mut put = |at: u64, bytes: &[u8]| {
            self.to.seek(SeekFrom::Start(at)).map_err(io)?;
            self.to.write_all(bytes).map_err(io)
        };
        if all <= self.most {
            put(4, &(all as u32).to_le_bytes())?;
            put(AT_DATA, &(data as u32).to_le_bytes())?;
        } else {
            put(0, b"RF64\xff\xff\xff\xff")?;
            put(AT_ROOM, b"ds64")?;
            let sizes: Vec<u8> = [all, data, self.at].iter().flat_map(|n| n.to_le_bytes()).collect();
            put(AT_ROOM + 8, &sizes)?;
            put(AT_DATA, &[0xff; 4])?;
        }
        self.to.seek(SeekFrom::End(0)).map_err(io)?;
        self.to.flush().map_err(io)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::wav::WavSource;
    use echo_job::analysis::source::Source;

    #[test]
    fn a_file_beyond_what_32_bits_can_tell_is_read_back_with_its_gaps() {
        let file = tempfile::NamedTempFile::new().unwrap();
        let mut out = WavOut::new(std::fs::File::create(file.path()).unwrap(), 2000.0, 2, false).unwrap();
        out.most = 100;
        let first: Vec<f64> = (0..50).map(f64::from).collect();
        let mut second = first.clone();
        second[7] = f64::NAN;
        out.push(&[first.clone(), second]).unwrap();
        out.finish().unwrap();
        let bytes = std::fs::read(file.path()).unwrap();
        assert!(bytes.starts_with(b"RF64\xff\xff\xff\xffWAVEds64"));
        let mut back = WavSource::open(file.path()).unwrap();
        assert_eq!((back.info().samples, &back.info().gaps[..]), (50, &[(7, 1)][..]));
        let mut read = vec![Vec::new(); 2];
        back.read(&[0, 1], 0, 50, &mut read).unwrap();
        assert_eq!(read[0], first);
        // One whose sizes lie is read as far as it goes, and said so.
        let mut lying = bytes.clone();
        lying[28..36].copy_from_slice(&u64::MAX.to_le_bytes());
        std::fs::write(file.path(), lying).unwrap();
        let back = WavSource::open(file.path()).unwrap();
        assert!(back.info().notes[0].contains("was read to its end"), "{:?}", back.info().notes);
    }

    #[test]
    fn what_a_head_cannot_tell_is_refused() {
        let new =
            |rate: f64, channels: usize| WavOut::new(std::io::Cursor::new(Vec::new()), rate, channels, true).err();
        assert!(new(1000.5, 1).unwrap().to_string().contains("whole numbers"));
        assert!(new(1000.0, 0).unwrap().to_string().contains("1 to 16383"));
        assert!(new(1000.0, 16_384).is_some() && new(1000.0, 16_383).is_none());
    }
}
