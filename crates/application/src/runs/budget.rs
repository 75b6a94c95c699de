//! Memory and processor that analyses share, so that many at once neither fill the machine nor slow a
//! recording.

use super::going::Watched;
use super::source::RunSource;
use crate::{Error, Result};
use echo_job::Refusal;
use echo_job::analysis::{Source, held_bytes};
use echo_job::recipe::Recipe;
use rayon::{ThreadPool, ThreadPoolBuilder};
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Steps by which the threads of analyses stand behind all others of the machine: a tenth of their share when both want
/// to run. Linux sets them thread by thread.
const BEHIND: i32 = 10;

/// About how many MB a recipe holds at once on a run.
pub fn weight(recipe: &Recipe, source: &RunSource) -> u32 {
    u32::try_from(held_bytes(recipe, source.info()) >> 20).unwrap_or(u32::MAX).max(1)
}

/// What analyses share. Who asks first is served first; what fits waits for nobody it need not wait for.
#[derive(Clone)]
pub struct Budget {
    most_mb: u32,
    free: Arc<Semaphore>,
    threads: Arc<ThreadPool>,
    line: Line,
}

/// Who waits for room, in order.
#[derive(Clone, Default)]
struct Line(Arc<Mutex<VecDeque<Arc<Watched>>>>);

impl Line {
    fn all(&self) -> MutexGuard<'_, VecDeque<Arc<Watched>>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// A place in the line, until it is dropped: served, or whoever waited has gone away.
struct Place<'a>(&'a Line, Arc<Watched>);

impl<'a> Place<'a> {
    fn last(line: &'a Line, who: &Arc<Watched>) -> Place<'a> {
        let mut all = line.all();
        who.wait(all.len());
        all.push_back(who.clone());
        Place(line, who.clone())
    }
}

impl Drop for Place<'_> {
    fn drop(&mut self) {
        let mut all = self.0.all();
        all.retain(|w| !Arc::ptr_eq(w, &self.1));
        self.1.served();
        all.iter().enumerate().for_each(|(ahead, w)| w.wait(ahead));
    }
}

/// Memory of an analysis, until it is dropped.
pub struct Room {
    _held: OwnedSemaphorePermit,
}

impl Budget {
    /// So many MB, and threads of its own, as many as there are cores: what packs a recording never stands in
    /// line behind an analysis.
    ///
    /// # Errors
    /// The system gives no threads.
    pub fn new(most_mb: u32) -> std::result::Result<Budget, String> {
        let cores = std::thread::available_parallelism().map_or(1, |n| n.get());
        let threads = ThreadPoolBuilder::new()
            .num_threads(cores)
            .thread_name(|i| format!("analysis {i}"))
            // The kernel lets recording, live pictures and answers run before them; nothing is lost where it may not be asked.
            .start_handler(|_| {
                let _ = rustix::process::nice(BEHIND);
            })
            .build()
            .map_err(|e| e.to_string())?;
        let free = Arc::new(Semaphore::new(most_mb as usize));
        Ok(Budget { most_mb, free, threads: Arc::new(threads), line: Line::default() })
    }

    /// Waits until there is room for so many MB; how many are before it is told meanwhile.
    ///
    /// # Errors
    /// More than there will ever be, with the number.
    pub async fn room(&self, mb: u32, watched: &Arc<Watched>) -> Result<Room> {
        if mb > self.most_mb {
            let says = format!(
                "this holds about {mb} MB at once; analyses have {} MB (serve --analysis-mb): a shorter stretch, fewer channels, or no preparation",
                self.most_mb
            );
            return Err(Refusal::new("stretch", says).into());
        }
        let _place = Place::last(&self.line, watched);
        let held = self.free.clone().acquire_many_owned(mb).await.map_err(|e| Error::fault(e.to_string()))?;
        Ok(Room { _held: held })
    }

    /// The threads that analyses run on.
    pub fn threads(&self) -> Arc<ThreadPool> {
        self.threads.clone()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicU32, Ordering};

    #[tokio::test]
    async fn thirty_at_once_stay_within_the_budget_and_all_are_served() {
        let budget = Budget::new(100).unwrap();
        let (now, most) = (Arc::new(AtomicU32::new(0)), Arc::new(AtomicU32::new(0)));
        let all = (0..30).map(|k| {
            let (budget, now, most) = (budget.clone(), now.clone(), most.clone());
            tokio::spawn(async move {
                let mb = 20 + k;
                let room = budget.room(mb, &Arc::default()).await.unwrap();
                most.fetch_max(now.fetch_add(mb, Ordering::SeqCst) + mb, Ordering::SeqCst);
                tokio::task::yield_now().await;
                now.fetch_sub(mb, Ordering::SeqCst);
                drop(room);
            })
        });
        for one in all.collect::<Vec<_>>() {
            one.await.unwrap();
        }
        assert!((20..=100).contains(&most.load(Ordering::SeqCst)), "{most:?}");
        let says = budget.room(101, &Arc::default()).await.err().unwrap().says();
        assert!(says.contains("about 101 MB at once; analyses have 100 MB"), "{says}");
    }

    #[tokio::test]
    async fn who_waits_is_told_how_many_are_before_it() {
        let budget = Budget::new(10).unwrap();
        let going = budget.room(10, &Arc::default()).await.unwrap();
        let all: [Arc<Watched>; 3] = Default::default();
        let mut waits: Vec<_> = all.iter().map(|w| Box::pin(budget.room(10, w))).collect();
        for w in &mut waits {
            assert!(futures::poll!(w.as_mut()).is_pending());
        }
        let ahead = || all.iter().map(|w| w.ahead()).collect::<Vec<_>>();
        assert_eq!(ahead(), [Some(0), Some(1), Some(2)]);
        // One gives up, and those behind it move on.
        drop(waits.remove(1));
        assert_eq!(ahead(), [Some(0), None, Some(1)]);
        drop(going);
        assert!(futures::poll!(waits[0].as_mut()).is_ready());
        assert_eq!(ahead(), [None, None, Some(0)]);
    }
}
