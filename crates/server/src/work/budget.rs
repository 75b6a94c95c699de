//! Memory and processor that analyses share, so that many at once neither fill the machine nor slow a
//! recording.

use crate::error::ApiError;
use crate::run_source::RunSource;
use echo_job::Refusal;
use echo_job::analysis::{Source, held_bytes};
use echo_job::recipe::Recipe;
use rayon::{ThreadPool, ThreadPoolBuilder};
use std::sync::Arc;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

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
    pub fn new(most_mb: u32) -> Result<Budget, String> {
        let cores = std::thread::available_parallelism().map_or(1, |n| n.get());
        let threads = ThreadPoolBuilder::new()
            .num_threads(cores)
            .thread_name(|i| format!("analysis {i}"))
            .build()
            .map_err(|e| e.to_string())?;
        Ok(Budget { most_mb, free: Arc::new(Semaphore::new(most_mb as usize)), threads: Arc::new(threads) })
    }

    /// Waits until there is room for so many MB.
    ///
    /// # Errors
    /// More than there will ever be, with the number.
    pub async fn room(&self, mb: u32) -> Result<Room, ApiError> {
        if mb > self.most_mb {
            let says = format!(
                "this holds about {mb} MB at once; analyses have {} MB (serve --analysis-mb): a shorter stretch, fewer channels, or no preparation",
                self.most_mb
            );
            return Err(Refusal::new("stretch", says).into());
        }
        let held = self.free.clone().acquire_many_owned(mb).await.map_err(|e| ApiError::fault(e.to_string()))?;
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
                let room = budget.room(mb).await.unwrap();
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
        let says = budget.room(101).await.err().unwrap().says();
        assert!(says.contains("about 101 MB at once; analyses have 100 MB"), "{says}");
    }
}
