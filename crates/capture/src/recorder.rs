//! One recording: pieces in, chunks out, gaps kept, nothing lost while the store is away.

use echo_store::chunk::{Effort, PackedChunk, chunk_samples, pack_with};
use echo_store::run::Gap;
use echo_store::take::Take;
use echo_store::{Store, StoreError};
use rayon::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
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
    /// Time spent packing, all cores together counted as they ran, ns.
    pub packing_ns: AtomicU64,
    /// Time spent writing, ns.
    pub writing_ns: AtomicU64,
    /// Bytes written.
    pub written: AtomicU64,
}

enum Job {
    Samples { first: i64, counts: Vec<Vec<i32>>, over: Vec<bool> },
    Gap(Gap),
    Takes(Vec<Take>),
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
        tokio::spawn(write(store, run, work, held.clone(), done));
        let recorder = Recorder {
            jobs,
            held: held.clone(),
            chunk: chunk_samples(rate_hz),
            next: 0,
            pending: vec![Vec::new(); channels],
            over: vec![false; channels],
            pending_first: 0,
            kept: 0,
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
    pub fn takes(&self, takes: Vec<Take>) {
        let _ = self.jobs.send(Job::Takes(takes));
    }

    /// Sets a mark.
    pub fn mark(&self, sample: u64, says: &str, who: &str) {
        let _ = self.jobs.send(Job::Mark { sample: sample as i64, says: says.into(), who: who.into() });
    }

    fn flush(&mut self) {
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

/// Packs all channels of a chunk over the cores.
fn pack_all(effort: Effort, first: i64, counts: &[Vec<i32>], over: &[bool]) -> Vec<PackedChunk> {
    counts
        .par_iter()
        .zip(over)
        .enumerate()
        .filter_map(|(i, (c, over))| match pack_with(effort, i as i16 + 1, first, c, *over) {
            Ok(chunk) => Some(chunk),
            Err(e) => {
                tracing::error!("a chunk could not be packed: {e}");
                None
            }
        })
        .collect()
}

/// What the store is asked to keep.
enum Keep {
    Chunks(Vec<PackedChunk>),
    Gap(Gap),
    Takes(Vec<Take>),
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
) {
    while let Some(job) = work.recv().await {
        match job {
            Job::Samples { first, counts, over } => {
                let raw = (counts.iter().map(Vec::len).sum::<usize>() * 4) as u64;
                let begun = Instant::now();
                // More than this chunk waits: no time for the last tenth.
                let behind = held.bytes.load(Ordering::Relaxed) > raw + raw / 2;
                let effort = if behind { Effort::Quick } else { Effort::Thorough };
                let packing = tokio::task::spawn_blocking(move || pack_all(effort, first, &counts, &over));
                let Ok(chunks) = packing.await else {
                    tracing::error!("packing failed");
                    continue;
                };
                spent(begun, &held.packing_ns);
                // What waits now is the packed size.
                let packed = chunks.iter().map(PackedChunk::bytes).sum::<usize>() as u64;
                held.bytes.fetch_add(packed, Ordering::Relaxed);
                held.bytes.fetch_sub(raw, Ordering::Relaxed);
                let begun = Instant::now();
                persist(&store, run, &held, &Keep::Chunks(chunks)).await;
                spent(begun, &held.writing_ns);
                held.bytes.fetch_sub(packed, Ordering::Relaxed);
                held.written.fetch_add(packed, Ordering::Relaxed);
            }
            Job::Gap(gap) => persist(&store, run, &held, &Keep::Gap(gap)).await,
            Job::Takes(takes) => persist(&store, run, &held, &Keep::Takes(takes)).await,
            Job::Mark { sample, says, who } => persist(&store, run, &held, &Keep::Mark { sample, says, who }).await,
            Job::Finish { samples, whole, because, drop_empty } => {
                let last = if drop_empty { Keep::Drop } else { Keep::Close { samples, whole, because } };
                persist(&store, run, &held, &last).await;
                break;
            }
        }
    }
    let _ = done.send(());
}

/// Tries until it is stored.
async fn persist(store: &Store, run: i64, held: &Held, keep: &Keep) {
    let mut again = false;
    loop {
        let result = match keep {
            Keep::Chunks(chunks) => store.append(run, chunks, &[], again).await,
            Keep::Gap(gap) => store.append(run, &[], std::slice::from_ref(gap), again).await,
            Keep::Takes(takes) => store.write_takes(run, takes).await,
            Keep::Mark { sample, says, who } => store.mark(run, *sample, says, who).await.map(drop),
            Keep::Close { samples, whole, because } => store.close_run(run, *samples, *whole, because).await,
            Keep::Drop => store.delete_run(run).await,
        };
        let Err(e) = result else { break };
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
