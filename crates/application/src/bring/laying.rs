//! Laying counts of a run that was not recorded here: cut into chunks as a recorder cuts them, packed, written.

use crate::{Error, Result};
use echo_store::Store;
use echo_store::chunk::{PackedChunk, chunk_samples, pack};
use std::collections::BTreeSet;
use tokio::runtime::Handle;

/// Chunks of a channel that are written at once.
const AT_ONCE: usize = 32;
/// Chunks that channels laid side by side hold together at most, some 150 kB each: few writes, and little memory.
const TOGETHER: usize = 256;

/// One channel that is being laid.
pub(crate) struct Laying {
    channel: i16,
    chunk: i64,
    /// First samples of chunks in which the range was exceeded.
    over: BTreeSet<i64>,
    first: i64,
    held: Vec<i32>,
    packed: Vec<PackedChunk>,
    /// Chunks that it holds before it writes them.
    at_once: usize,
}

impl Laying {
    /// Begins a channel of a run at its first sample.
    pub fn new(channel: i16, rate_hz: f64, over: BTreeSet<i64>) -> Laying {
        let chunk = chunk_samples(rate_hz) as i64;
        Laying { channel, chunk, over, first: 0, held: Vec::new(), packed: Vec::new(), at_once: AT_ONCE }
    }

    /// The same beside others, so that all of them together hold a bounded amount.
    pub fn beside(self, lanes: usize) -> Laying {
        Laying { at_once: (TOGETHER / lanes.max(1)).clamp(1, AT_ONCE), ..self }
    }

    /// The sample that comes next.
    pub fn next(&self) -> i64 {
        self.first + self.held.len() as i64
    }

    fn cut(&mut self) -> Result<()> {
        let next = self.next();
        if !self.held.is_empty() {
            let over = self.over.contains(&self.first);
            let packed = pack(self.channel, self.first, &self.held, over);
            self.packed.push(packed.map_err(Error::Store)?);
            self.held.clear();
        }
        self.first = next;
        Ok(())
    }

    /// Leaves out what was not recorded, up to a sample.
    ///
    /// # Errors
    /// Packing fails.
    pub fn skip(&mut self, to: i64) -> Result<()> {
        if to > self.next() {
            self.cut()?;
            self.first = to;
        }
        Ok(())
    }

    /// Lays counts.
    ///
    /// # Errors
    /// Packing fails.
    pub fn push(&mut self, mut counts: &[i32]) -> Result<()> {
        while !counts.is_empty() {
            // Chunks end at whole multiples of their length from the start of the run.
            let left = (self.chunk - self.next().rem_euclid(self.chunk)) as usize;
            let n = counts.len().min(left);
            self.held.extend_from_slice(&counts[..n]);
            counts = &counts[n..];
            if n == left {
                self.cut()?;
            }
        }
        Ok(())
    }

    /// Writes what is packed, where it is enough; all of it at the end. From a thread that may wait.
    ///
    /// # Errors
    /// Packing fails, or the database is away.
    pub fn write(&mut self, (store, run, handle): (&Store, i64, &Handle), last: bool) -> Result<()> {
        if last {
            self.cut()?;
        }
        if self.packed.len() >= if last { 1 } else { self.at_once } {
            let chunks = std::mem::take(&mut self.packed);
            handle.block_on(store.append(run, &chunks, &[], false))?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_store::chunk::unpack;

    #[test]
    fn chunks_are_cut_where_a_recorder_cuts_them() {
        let mut laying = Laying::new(3, 1024.0, BTreeSet::from([1024]));
        laying.push(&[1; 100]).unwrap();
        laying.push(&[2; 2000]).unwrap();
        laying.skip(5000).unwrap();
        laying.push(&[3; 300]).unwrap();
        laying.skip(5100).unwrap();
        laying.cut().unwrap();
        let told: Vec<(i64, i32, bool)> =
            laying.packed.iter().map(|c| (c.first_sample, c.samples, c.over_range)).collect();
        // 5 120 is a multiple of 1 024: the stretch from 5 000 on is cut there.
        let expected =
            [(0, 1024, false), (1024, 1024, true), (2048, 52, false), (5000, 120, false), (5120, 180, false)];
        assert_eq!(told, expected);
        assert_eq!(laying.next(), 5300);
        assert_eq!(unpack(&laying.packed[0].counts, 1024).unwrap()[98..102], [1, 1, 2, 2]);
    }
}
