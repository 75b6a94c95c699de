//! One recording: pieces in, chunks out, gaps kept, nothing lost while the store is away.

use echo_store::chunk::{Effort, PackedChunk, chunk_samples, pack_with};
use echo_store::run::Gap;
use echo_store::take::StoredTake;
use echo_store::{Store, StoreError};
use rayon::prelude::*;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, OnceLock};
use std::time::{Duration, Instant};
use tokio::sync::{mpsc, oneshot};

/// Counters shared with the engine.
#[derive(Debug, Default)]
pub struct Held {
    /// Bytes not yet stored.
    pub bytes: AtomicU64,
    /// Whether the store has stopped answering.
    pub away: AtomicBool,
    /// Whether its disk is full.
    pub full: AtomicBool,
    /// Why nothing more can ever be stored of this run.
    pub broken: OnceLock<String>,
    /// Time spent packing, all cores together counted as they ran, ns.
    pub packing_ns: AtomicU64,
    /// Time spent writing, ns.
    pub writing_ns: AtomicU64,
    /// Bytes written.
    pub written: AtomicU64,
}

enum Job {
    Samples { first: i64, counts: Vec<Vec<i32>>, over: Vec<bool> },
    Begun,
    Gap(Gap),
    Takes(Vec<StoredTake>),
    Mark { sample: i64, says: String, who: String },
    Finish { samples: i64, whole: bool, because: String, drop_empty: bool },
}

/// Cuts what is to be kept into chunks and hands them on.
pub struct Recorder {
    jobs: mpsc::UnboundedSender<Job>,
    held: Arc<Held>,
    chunk: usize,
    /// Run sample that comes next.
    next: u64,
    pending: Vec<Vec<i32>>,
    over: Vec<bool>,
    pending_first: u64,
    kept: u64,
    begun: bool,
}

impl Recorder {
    /// A recorder for an open run; the receiver tells when everything is stored and closed.
    pub fn start(
        store: Store,
        run: i64,
        channels: usize,
        rate_hz: f64,
    ) -> (Recorder, Arc<Held>, oneshot::Receiver<()>) {
        let (jobs, work) = mpsc::unbounded_channel();
        let (done, when_done) = oneshot::channel();
        let held = Arc::new(Held::default());
        tokio::spawn(write(store, run, work, held.clone(), done, pack_with));
        let recorder = Recorder {
            jobs,
            held: held.clone(),
            chunk: chunk_samples(rate_hz),
            next: 0,
            pending: vec![Vec::new(); channels],
            over: vec![false; channels],
            pending_first: 0,
            kept: 0,
            begun: false,
        };
        (recorder, held, when_done)
    }

    /// Run sample that comes next.
    pub fn next(&self) -> u64 {
        self.next
    }

    /// Samples a channel that were kept, gaps not counted.
    pub fn kept(&self) -> u64 {
        self.kept
    }

    /// Notes that samples are to be kept from now on.
    pub fn begin(&mut self) {
        if !std::mem::replace(&mut self.begun, true) {
            let _ = self.jobs.send(Job::Begun);
        }
    }

    /// Leaves out samples up to `to`; the sentence says why they are not there.
    pub fn skip(&mut self, to: u64, why: &str) {
        if to <= self.next {
            return;
        }
        self.flush();
        let gap = Gap { first_sample: self.next as i64, samples: (to - self.next) as i64, why: why.into() };
        let _ = self.jobs.send(Job::Gap(gap));
        self.next = to;
        self.pending_first = to;
    }

    /// Keeps `count` samples of every channel from place `from` of `counts` on.
    pub fn keep(&mut self, counts: &[Vec<i32>], from: usize, count: usize, over: &[bool]) {
        let mut taken = 0;
        while taken < count {
            // Up to the next chunk border or the end of the piece.
            let border = (self.next / self.chunk as u64 + 1) * self.chunk as u64;
            let piece = ((border - self.next) as usize).min(count - taken);
            let at = from + taken;
            for ((p, c), (o, now)) in self.pending.iter_mut().zip(counts).zip(self.over.iter_mut().zip(over)) {
                p.extend_from_slice(&c[at..at + piece]);
                *o |= now;
            }
            taken += piece;
            self.next += piece as u64;
            self.kept += piece as u64;
            if self.next == border {
                self.flush();
            }
        }
    }

    /// Writes takes, or the new lengths of some.
    pub fn takes(&self, takes: Vec<StoredTake>) {
        let _ = self.jobs.send(Job::Takes(takes));
    }

    /// Sets a mark.
    pub fn mark(&self, sample: u64, says: &str, who: &str) {
        let _ = self.jobs.send(Job::Mark { sample: sample as i64, says: says.into(), who: who.into() });
    }

    /// Hands on what is held, however short the chunk.
    pub fn flush(&mut self) {
        let n = self.pending.first().map_or(0, Vec::len);
        if n == 0 {
            return;
        }
        let channels = self.pending.len();
        let fresh = vec![Vec::with_capacity(self.chunk); channels];
        let counts = std::mem::replace(&mut self.pending, fresh);
        let over = std::mem::replace(&mut self.over, vec![false; channels]);
        self.held.bytes.fetch_add((n * channels * 4) as u64, Ordering::Relaxed);
        let _ = self.jobs.send(Job::Samples { first: self.pending_first as i64, counts, over });
        self.pending_first = self.next;
    }

    /// Hands on the rest and closes the run; with `drop_empty` a run that kept nothing goes.
    pub fn finish(mut self, whole: bool, because: &str, drop_empty: bool) {
        self.flush();
        let drop_empty = drop_empty && self.kept == 0;
        let _ = self.jobs.send(Job::Finish { samples: self.next as i64, whole, because: because.into(), drop_empty });
    }
}

/// Packs a channel's counts.
type Pack = fn(Effort, i16, i64, &[i32], bool) -> Result<PackedChunk, StoreError>;

/// Packs all channels of a chunk over the cores; with a gap that says which could not be, and why.
fn pack_all(
    pack: Pack,
    effort: Effort,
    first: i64,
    counts: &[Vec<i32>],
    over: &[bool],
) -> (Vec<PackedChunk>, Option<Gap>) {
    let all: Vec<_> = counts
        .par_iter()
        .zip(over)
        .enumerate()
        .map(|(i, (c, over))| (i + 1, pack(effort, i as i16 + 1, first, c, *over)))
        .collect();
    let failed = all.iter().filter_map(|(i, made)| made.as_ref().err().map(|e| format!("channel {i}: {e}")));
    let failed: Vec<String> = failed.collect();
    let gap = (!failed.is_empty()).then(|| unpacked(first, counts, &failed.join("; ")));
    (all.into_iter().filter_map(|(_, made)| made.ok()).collect(), gap)
}

/// The gap in place of samples that could not be packed.
fn unpacked(first: i64, counts: &[Vec<i32>], says: &str) -> Gap {
    tracing::error!("a chunk could not be packed: {says}");
    let samples = counts.first().map_or(0, Vec::len) as i64;
    Gap { first_sample: first, samples, why: format!("could not be packed ({says})") }
}

/// What the store is asked to keep.
enum Keep {
    Begun,
    Chunks(Vec<PackedChunk>, Option<Gap>),
    Gap(Gap),
    Takes(Vec<StoredTake>),
    Mark { sample: i64, says: String, who: String },
    Close { samples: i64, whole: bool, because: String },
    Drop,
}

fn spent(since: Instant, into: &AtomicU64) {
    into.fetch_add(since.elapsed().as_nanos() as u64, Ordering::Relaxed);
}

/// Packs and writes in order; waits and tries again while the store is away.
async fn write(
    store: Store,
    run: i64,
    mut work: mpsc::UnboundedReceiver<Job>,
    held: Arc<Held>,
    done: oneshot::Sender<()>,
    pack: Pack,
) {
    while let Some(job) = work.recv().await {
        match job {
            // Nothing of it can be stored any more: what came before is kept, memory is given back.
            Job::Samples { counts, .. } if held.broken.get().is_some() => {
                let raw = (counts.iter().map(Vec::len).sum::<usize>() * 4) as u64;
                held.bytes.fetch_sub(raw, Ordering::Relaxed);
            }
            Job::Samples { first, counts, over } => {
                let raw = (counts.iter().map(Vec::len).sum::<usize>() * 4) as u64;
                let begun = Instant::now();
                // More than this chunk waits: no time for the last tenth.
                let behind = held.bytes.load(Ordering::Relaxed) > raw + raw / 2;
                let effort = if behind { Effort::Quick } else { Effort::Thorough };
                let packing = tokio::task::spawn_blocking(move || {
                    // A fault in packing costs these samples only.
                    let packed = catch_unwind(AssertUnwindSafe(|| pack_all(pack, effort, first, &counts, &over)));
                    packed.unwrap_or_else(|_| (Vec::new(), Some(unpacked(first, &counts, "a fault of Fleet Echo"))))
                });
                let (chunks, gap) = packing.await.unwrap_or_default();
                spent(begun, &held.packing_ns);
                // What waits now is the packed size.
                let packed = chunks.iter().map(PackedChunk::bytes).sum::<usize>() as u64;
                held.bytes.fetch_add(packed, Ordering::Relaxed);
                held.bytes.fetch_sub(raw, Ordering::Relaxed);
                let begun = Instant::now();
                persist(&store, run, &held, &Keep::Chunks(chunks, gap)).await;
                spent(begun, &held.writing_ns);
                held.bytes.fetch_sub(packed, Ordering::Relaxed);
                held.written.fetch_add(packed, Ordering::Relaxed);
            }
            Job::Begun => persist(&store, run, &held, &Keep::Begun).await,
            Job::Gap(gap) => persist(&store, run, &held, &Keep::Gap(gap)).await,
            Job::Takes(takes) => persist(&store, run, &held, &Keep::Takes(takes)).await,
            Job::Mark { sample, says, who } => persist(&store, run, &held, &Keep::Mark { sample, says, who }).await,
            Job::Finish { samples, whole, because, drop_empty } => {
                let (whole, because) = match held.broken.get() {
                    Some(says) => (false, says.clone()),
                    None => (whole, because),
                };
                let last = if drop_empty { Keep::Drop } else { Keep::Close { samples, whole, because } };
                persist(&store, run, &held, &last).await;
                break;
            }
        }
    }
    let _ = done.send(());
}

/// Tries until it is stored, or cannot be.
async fn persist(store: &Store, run: i64, held: &Held, keep: &Keep) {
    let mut again = false;
    loop {
        let result = match keep {
            Keep::Chunks(chunks, gap) => store.append(run, chunks, gap.as_slice(), again).await,
            Keep::Begun => store.begin_run(run).await,
            Keep::Gap(gap) => store.append(run, &[], std::slice::from_ref(gap), again).await,
            Keep::Takes(takes) => store.write_takes(run, takes).await,
            Keep::Mark { sample, says, who } => store.mark(run, *sample, says, who).await.map(drop),
            Keep::Close { samples, whole, because } => store.close_run(run, *samples, *whole, because).await,
            Keep::Drop => store.delete_run(run).await,
        };
        let Err(e) = result else { break };
        if !e.passes() {
            tracing::error!("run {run} cannot be stored any further: {e}");
            let _ = held.broken.set(format!("it could not be stored any further: {e}"));
            return;
        }
        held.full.fetch_or(matches!(e, StoreError::Full(_)), Ordering::Relaxed);
        if !held.away.swap(true, Ordering::Relaxed) {
            tracing::warn!("holding samples in memory: {e}");
        }
        again = true;
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    if held.away.swap(false, Ordering::Relaxed) {
        held.full.store(false, Ordering::Relaxed);
        tracing::info!("the store answers again");
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_channel_that_cannot_be_packed_leaves_a_gap_with_its_reason() {
        let fails: Pack = |effort, channel, first, counts, over| match channel {
            2 => Err(StoreError::Refused("out of order".into())),
            _ => pack_with(effort, channel, first, counts, over),
        };
        let counts = vec![vec![1, 2, 3]; 3];
        let (chunks, gap) = pack_all(fails, Effort::Quick, 4096, &counts, &[false; 3]);
        assert_eq!(chunks.iter().map(|c| c.channel).collect::<Vec<_>>(), [1, 3]);
        let gap = gap.unwrap();
        assert_eq!((gap.first_sample, gap.samples), (4096, 3));
        assert!(gap.why.contains("channel 2: out of order"), "{}", gap.why);
        assert!(pack_all(pack_with, Effort::Quick, 0, &counts, &[false; 3]).1.is_none());
    }
}
