//! Chunks that were unpacked lately: a lens that is looked at again, or a bracket that is dragged,
//! need not unpack them once more.
//!
//! A chunk never changes once it is written, and keys of runs are never used again.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Counts of a chunk.
pub type Unpacked = Arc<[i32]>;

/// Run, channel, first sample.
type Key = (i64, i16, i64);

/// Counts held at most: 320 MB.
const MOST: usize = 80_000_000;

#[derive(Default)]
struct Kept {
    chunks: HashMap<Key, (u64, Unpacked)>,
    counts: usize,
    /// Counts uses, so that the longest unused go first.
    clock: u64,
}

/// The chunks, shared by all who read.
#[derive(Clone, Default)]
pub struct UnpackedChunks(Arc<Mutex<Kept>>);

impl std::fmt::Debug for UnpackedChunks {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} unpacked chunks", self.kept().chunks.len())
    }
}

impl UnpackedChunks {
    fn kept(&self) -> MutexGuard<'_, Kept> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A chunk, if it is still there.
    pub fn get(&self, key: Key) -> Option<Unpacked> {
        let mut kept = self.kept();
        kept.clock += 1;
        let now = kept.clock;
        let (used, counts) = kept.chunks.get_mut(&key)?;
        *used = now;
        Some(counts.clone())
    }

    /// Forgets a chunk that is written anew.
    pub fn forget(&self, key: Key) {
        let mut kept = self.kept();
        if let Some((_, gone)) = kept.chunks.remove(&key) {
            kept.counts -= gone.len();
        }
    }

    /// Keeps a chunk; the longest unused quarter goes when there are too many.
    pub fn keep(&self, key: Key, counts: Unpacked) {
        let mut kept = self.kept();
        kept.clock += 1;
        let now = kept.clock;
        kept.counts += counts.len();
        if let Some((_, old)) = kept.chunks.insert(key, (now, counts)) {
            kept.counts -= old.len();
        }
        if kept.counts <= MOST {
            return;
        }
        let mut uses: Vec<(u64, Key)> = kept.chunks.iter().map(|(key, (used, _))| (*used, *key)).collect();
        uses.sort_unstable();
        for (_, key) in uses {
            if kept.counts <= MOST / 4 * 3 {
                break;
            }
            if let Some((_, gone)) = kept.chunks.remove(&key) {
                kept.counts -= gone.len();
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_longest_unused_quarter_goes_first() {
        let kept = UnpackedChunks::default();
        let chunk: Unpacked = vec![7; MOST / 8].into();
        for k in 0..8 {
            kept.keep((1, 1, k), chunk.clone());
        }
        assert!((0..8).all(|k| kept.get((1, 1, k)).is_some()), "eight fill it");
        assert!(kept.get((1, 1, 0)).is_some(), "the first was used last");
        kept.keep((1, 2, 0), chunk.clone());
        assert!(kept.get((1, 1, 1)).is_none() && kept.get((1, 1, 2)).is_none() && kept.get((1, 1, 3)).is_none());
        assert!(kept.get((1, 1, 0)).is_some() && kept.get((1, 2, 0)).is_some());
        // The same chunk again takes no more room.
        for _ in 0..20 {
            kept.keep((1, 2, 0), chunk.clone());
        }
        assert!(kept.get((1, 1, 7)).is_some());
        kept.forget((1, 1, 7));
        kept.forget((9, 9, 9));
        assert!(kept.get((1, 1, 7)).is_none());
    }
}
