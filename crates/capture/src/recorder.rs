//! One recording: blocks in, chunks out, gaps kept, nothing lost while the store is away.

use echo_store::Store;
use echo_store::chunk::{PackedChunk, chunk_samples, pack};
use echo_store::run::Gap;
use rayon::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;
use tokio::sync::{mpsc, oneshot};

/// Counters shared with the engine.
#[derive(Debug, Default)]
pub struct Held {
    /// Bytes not yet stored.
    pub bytes: AtomicU64,
    /// Whether the store has stopped answering.
    pub away: AtomicBool,
}

enum Job {
    Samples { first: i64, counts: Vec<Vec<i32>>, over: Vec<bool> },
    Gap(Gap),
    Finish { samples: i64, whole: bool, because: String },
}

/// Cuts blocks into chunks and hands them on.
pub struct Recorder {
    jobs: mpsc::UnboundedSender<Job>,
    held: Arc<Held>,
    chunk: usize,
    /// Number in the link's count of the run's first sample; set by the first block.
    origin: Option<u64>,
    /// Run sample that comes next.
    next: u64,
    pending: Vec<Vec<i32>>,
    over: Vec<bool>,
    pending_first: u64,
    limit: Option<u64>,
    /// Blocks lost so far.
    pub lost_blocks: u64,
    next_sequence: u64,
}

impl Recorder {
    /// A recorder for an open run; the receiver tells when everything is stored and closed.
    pub fn start(
        store: Store,
        run: i64,
        channels: usize,
        rate_hz: f64,
        limit: Option<u64>,
    ) -> (Recorder, Arc<Held>, oneshot::Receiver<()>) {
        let (jobs, work) = mpsc::unbounded_channel();
        let (done, when_done) = oneshot::channel();
        let held = Arc::new(Held::default());
        tokio::spawn(write(store, run, work, held.clone(), done));
        let recorder = Recorder {
            jobs,
            held: held.clone(),
            chunk: chunk_samples(rate_hz),
            origin: None,
            next: 0,
            pending: vec![Vec::new(); channels],
            over: vec![false; channels],
            pending_first: 0,
            limit,
            lost_blocks: 0,
            next_sequence: 0,
        };
        (recorder, held, when_done)
    }

    /// Samples a channel so far, gaps included.
    pub fn samples(&self) -> u64 {
        self.next
    }

    /// Takes a block: its sequence, its first sample by the link's count, counts and over-range
    /// flags a channel. Tells whether the planned length is reached.
    pub fn push(&mut self, sequence: u64, first_sample: u64, counts: &[Vec<i32>], over: &[bool]) -> bool {
        let origin = *self.origin.get_or_insert_with(|| {
            self.next_sequence = sequence;
            first_sample
        });
        let at = first_sample.saturating_sub(origin);
        if at > self.next {
            self.lost_blocks += sequence.saturating_sub(self.next_sequence).max(1);
            let end = self.limit.map_or(at, |l| at.min(l));
            self.flush();
            if end > self.next {
                let gap = Gap {
                    first_sample: self.next as i64,
                    samples: (end - self.next) as i64,
                    why: "blocks lost on the link".into(),
                };
                let _ = self.jobs.send(Job::Gap(gap));
                self.next = end;
            }
            self.pending_first = self.next;
        }
        self.next_sequence = sequence + 1;
        let n = counts.first().map_or(0, Vec::len);
        let mut taken = 0;
        while taken < n && self.limit.is_none_or(|l| self.next < l) {
            // Up to the next chunk border, the end of the block or the end of the run.
            let border = (self.next / self.chunk as u64 + 1) * self.chunk as u64;
            let stop = self.limit.map_or(border, |l| border.min(l));
            let piece = ((stop - self.next) as usize).min(n - taken);
            for ((p, c), (o, now)) in self.pending.iter_mut().zip(counts).zip(self.over.iter_mut().zip(over)) {
                p.extend_from_slice(&c[taken..taken + piece]);
                *o |= now;
            }
            taken += piece;
            self.next += piece as u64;
            if self.next == border {
                self.flush();
            }
        }
        self.limit.is_some_and(|l| self.next >= l)
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

    /// Hands on the rest and closes the run.
    pub fn finish(mut self, whole: bool, because: &str) {
        self.flush();
        let _ = self.jobs.send(Job::Finish { samples: self.next as i64, whole, because: because.into() });
    }
}

/// Packs all channels of a chunk over the cores.
fn pack_all(first: i64, counts: &[Vec<i32>], over: &[bool]) -> Vec<PackedChunk> {
    counts
        .par_iter()
        .zip(over)
        .enumerate()
        .filter_map(|(i, (c, over))| match pack(i as i16 + 1, first, c, *over) {
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
    Close { samples: i64, whole: bool, because: String },
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
                let Ok(chunks) = tokio::task::spawn_blocking(move || pack_all(first, &counts, &over)).await else {
                    tracing::error!("packing failed");
                    continue;
                };
                // What waits now is the packed size.
                let packed = chunks.iter().map(PackedChunk::bytes).sum::<usize>() as u64;
                held.bytes.fetch_add(packed, Ordering::Relaxed);
                held.bytes.fetch_sub(raw, Ordering::Relaxed);
                persist(&store, run, &held, &Keep::Chunks(chunks)).await;
                held.bytes.fetch_sub(packed, Ordering::Relaxed);
            }
            Job::Gap(gap) => persist(&store, run, &held, &Keep::Gap(gap)).await,
            Job::Finish { samples, whole, because } => {
                persist(&store, run, &held, &Keep::Close { samples, whole, because }).await;
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
            Keep::Close { samples, whole, because } => store.close_run(run, *samples, *whole, because).await,
        };
        let Err(e) = result else { break };
        if !held.away.swap(true, Ordering::Relaxed) {
            tracing::warn!("holding samples in memory: {e}");
        }
        again = true;
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    if held.away.swap(false, Ordering::Relaxed) {
        tracing::info!("the store answers again");
    }
}
