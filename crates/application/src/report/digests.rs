//! Fingerprints of recorded counts, each made once: what was recorded does not change any more.

use crate::Result;
use echo_job::report::made_of::OfCounts;
use echo_store::Store;
use echo_store::run::Run;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Fingerprints kept at most.
const MOST: usize = 20_000;

/// Run, channel, samples.
type Key = (i64, i16, i64);

/// Fingerprints that were made before.
#[derive(Clone, Default)]
pub(crate) struct Digests(Arc<Mutex<BTreeMap<Key, OfCounts>>>);

impl Digests {
    /// The fingerprint of a channel's counts.
    ///
    /// # Errors
    /// A chunk is damaged, or the database is away.
    pub(crate) async fn of(&self, store: &Store, run: &Run, channel: i16) -> Result<OfCounts> {
        let key = (run.id, channel, run.samples);
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&key).cloned();
        if let Some(known) = known {
            return Ok(known);
        }
        let made = store.counts_digest(run.id, channel).await?;
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.len() >= MOST {
            all.clear();
        }
        all.insert(key, made.clone());
        Ok(made)
    }
}
