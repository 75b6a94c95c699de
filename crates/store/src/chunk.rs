//! About a second of one channel, packed, with its smallest and largest values on three levels.

use crate::{Result, StoreError};
use pco::standalone::{simple_compress, simple_decompress};
use pco::{ChunkConfig, DeltaSpec, ModeSpec};

/// Samples behind each pair of the fine level.
pub const FINE: usize = 256;
/// Samples behind each pair of the coarse level.
pub const COARSE: usize = 4096;

/// A chunk ready to be written.
#[derive(Debug, Clone, PartialEq)]
pub struct PackedChunk {
    /// Channel of the run, from 1.
    pub channel: i16,
    /// Number of its first sample in the run.
    pub first_sample: i64,
    /// Samples in it.
    pub samples: i32,
    /// Smallest count.
    pub low: i32,
    /// Largest count.
    pub high: i32,
    /// Whether the range was exceeded.
    pub over_range: bool,
    /// Pairs of the coarse level, little-endian.
    pub coarse: Vec<u8>,
    /// Pairs of the fine level, little-endian.
    pub fine: Vec<u8>,
    /// Counts, losslessly packed.
    pub counts: Vec<u8>,
}

impl PackedChunk {
    /// Bytes it takes in memory, about.
    pub fn bytes(&self) -> usize {
        self.counts.len() + self.fine.len() + self.coarse.len() + 80
    }
}

/// Samples in a chunk at a rate: the power of two nearest to a second.
pub fn chunk_samples(rate_hz: f64) -> usize {
    let exponent = rate_hz.max(1.0).log2().round() as u32;
    1usize << exponent.clamp(10, 17)
}

fn pairs(counts: &[i32], each: usize) -> Vec<(i32, i32)> {
    counts.chunks(each).map(|c| c.iter().fold((i32::MAX, i32::MIN), |(lo, hi), &x| (lo.min(x), hi.max(x)))).collect()
}

fn to_bytes(pairs: &[(i32, i32)]) -> Vec<u8> {
    pairs.iter().flat_map(|(lo, hi)| [lo.to_le_bytes(), hi.to_le_bytes()]).flatten().collect()
}

/// Reads pairs of smallest and largest.
///
/// # Errors
/// [`StoreError::Unreadable`] when the bytes are not whole pairs.
pub fn read_pairs(bytes: &[u8]) -> Result<Vec<(i32, i32)>> {
    if !bytes.len().is_multiple_of(8) {
        return Err(StoreError::Unreadable("a pyramid level has half a pair".into()));
    }
    let int = |b: &[u8]| i32::from_le_bytes([b[0], b[1], b[2], b[3]]);
    Ok(bytes.chunks_exact(8).map(|b| (int(&b[..4]), int(&b[4..]))).collect())
}

/// How hard packing looks for structure; what comes out is lossless either way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Effort {
    /// Some 23 million samples a second a core.
    #[default]
    Thorough,
    /// Four times as fast and a tenth larger: for when samples come faster than they are packed.
    Quick,
}

/// Packs counts (at least one), thoroughly.
///
/// # Errors
/// As [`pack_with`].
pub fn pack(channel: i16, first_sample: i64, counts: &[i32], over_range: bool) -> Result<PackedChunk> {
    pack_with(Effort::Thorough, channel, first_sample, counts, over_range)
}

/// Packs counts (at least one).
///
/// # Errors
/// [`StoreError::Refused`] when there are none or packing fails.
pub fn pack_with(
    effort: Effort,
    channel: i16,
    first_sample: i64,
    counts: &[i32],
    over_range: bool,
) -> Result<PackedChunk> {
    if counts.is_empty() {
        return Err(StoreError::Refused("a chunk needs a sample".into()));
    }
    // Vibration is noise for the last bits; searching for deeper structure costs time and gains
    // next to nothing.
    let (level, delta) = match effort {
        Effort::Thorough => (4, DeltaSpec::Auto),
        Effort::Quick => (1, DeltaSpec::TryConsecutive(1)),
    };
    let config =
        ChunkConfig::default().with_compression_level(level).with_mode_spec(ModeSpec::Classic).with_delta_spec(delta);
    let packed = simple_compress(counts, &config).map_err(|e| StoreError::Refused(e.to_string()))?;
    let fine = pairs(counts, FINE);
    let fold = |p: &[(i32, i32)]| p.iter().fold((i32::MAX, i32::MIN), |a, b| (a.0.min(b.0), a.1.max(b.1)));
    let coarse: Vec<_> = fine.chunks(COARSE / FINE).map(fold).collect();
    let (low, high) = fold(&coarse);
    Ok(PackedChunk {
        channel,
        first_sample,
        samples: counts.len() as i32,
        low,
        high,
        over_range,
        coarse: to_bytes(&coarse),
        fine: to_bytes(&fine),
        counts: packed,
    })
}

/// Unpacks counts.
///
/// # Errors
/// [`StoreError::Unreadable`] when the bytes are damaged or not `samples` long.
pub fn unpack(packed: &[u8], samples: usize) -> Result<Vec<i32>> {
    let counts: Vec<i32> = simple_decompress(packed).map_err(|e| StoreError::Unreadable(e.to_string()))?;
    if counts.len() != samples {
        return Err(StoreError::Unreadable(format!("a chunk holds {} samples instead of {samples}", counts.len())));
    }
    Ok(counts)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn nothing_is_lost(counts in prop::collection::vec(-8_388_607i32..=8_388_607, 1..9000), quick in any::<bool>()) {
            let effort = if quick { Effort::Quick } else { Effort::Thorough };
            let c = pack_with(effort, 3, 65_536, &counts, false).unwrap();
            prop_assert_eq!(&unpack(&c.counts, counts.len()).unwrap(), &counts);
            prop_assert_eq!(c.low, *counts.iter().min().unwrap());
            prop_assert_eq!(c.high, *counts.iter().max().unwrap());
            for (bytes, each) in [(&c.fine, FINE), (&c.coarse, COARSE)] {
                let level = read_pairs(bytes).unwrap();
                prop_assert_eq!(level.len(), counts.len().div_ceil(each));
                for (pair, part) in level.iter().zip(counts.chunks(each)) {
                    prop_assert_eq!(pair.0, *part.iter().min().unwrap());
                    prop_assert_eq!(pair.1, *part.iter().max().unwrap());
                }
            }
        }
    }

    #[test]
    fn damage_is_noticed() {
        let c = pack(1, 0, &(0..5000).collect::<Vec<i32>>(), false).unwrap();
        assert!(unpack(&c.counts, 4999).is_err());
        assert!(unpack(&c.counts[..c.counts.len() / 2], 5000).is_err());
        assert!(pack(1, 0, &[], false).is_err());
    }

    #[test]
    fn a_chunk_is_about_a_second() {
        for rate in [1024.0, 2560.0, 12_800.0, 51_200.0, 102_400.0] {
            let seconds = chunk_samples(rate) as f64 / rate;
            assert!((0.6..=1.6).contains(&seconds), "{rate}: {seconds}");
        }
    }
}
