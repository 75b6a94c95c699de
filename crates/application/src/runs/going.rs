//! Analyses that are going on: how far each is, and a way to stop it.

use serde::Deserialize;
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use utoipa::IntoParams;

/// How whoever asks follows what is asked for.
#[derive(Debug, Default, Deserialize, IntoParams)]
pub struct Following {
    /// A key of the asker's by which the progress can be read meanwhile.
    pub watch: Option<String>,
}

/// How far an analysis is, and whether it is to stop.
#[derive(Debug, Default)]
pub struct Watched {
    per_million: AtomicU32,
    /// How many are before it, plus one; 0 while it waits for nobody.
    waits: AtomicU32,
    stop: AtomicBool,
}

impl Watched {
    /// The share done, 0 to 1.
    pub fn share(&self) -> f64 {
        f64::from(self.per_million.load(Ordering::Relaxed)) * 1e-6
    }

    /// It waits, with so many before it.
    pub(super) fn wait(&self, ahead: usize) {
        self.waits.store(ahead as u32 + 1, Ordering::Relaxed);
    }

    /// It waits no more.
    pub(super) fn served(&self) {
        self.waits.store(0, Ordering::Relaxed);
    }

    /// How many are before it, while it waits for its turn.
    pub fn ahead(&self) -> Option<u32> {
        self.waits.load(Ordering::Relaxed).checked_sub(1)
    }

    /// Lets it stop at its next step.
    pub fn stop(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// Whether it was told to stop.
    pub fn stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }

    /// Tells the share done; false when it is to stop.
    pub fn tell(&self, share: f64) -> bool {
        self.per_million.store((share.clamp(0.0, 1.0) * 1e6) as u32, Ordering::Relaxed);
        !self.stopped()
    }
}

/// Stops what is watched when it is dropped before its end: whoever asked has gone away.
pub struct Hangup(Option<Arc<Watched>>);

impl Hangup {
    /// Stops that one.
    pub fn of(watched: &Arc<Watched>) -> Hangup {
        Hangup(Some(watched.clone()))
    }

    /// What was asked for is there: what is watched may go on to something else.
    pub fn served(mut self) {
        self.0 = None;
    }
}

impl Drop for Hangup {
    fn drop(&mut self) {
        if let Some(watched) = &self.0 {
            watched.stop();
        }
    }
}

/// Analyses by the key their asker gave them.
#[derive(Clone, Default)]
pub struct Going {
    by_key: Arc<Mutex<HashMap<String, Arc<Watched>>>>,
}

/// A key that is taken while its analysis goes on.
pub struct Keyed {
    going: Going,
    key: String,
    watched: Arc<Watched>,
}

impl Drop for Keyed {
    fn drop(&mut self) {
        let mut all = self.going.all();
        // A later one may have taken the key over.
        if all.get(&self.key).is_some_and(|w| Arc::ptr_eq(w, &self.watched)) {
            all.remove(&self.key);
        }
    }
}

impl Going {
    fn all(&self) -> MutexGuard<'_, HashMap<String, Arc<Watched>>> {
        self.by_key.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Lets an analysis be found by the key its asker gave, if any, until the guard is dropped.
    pub fn followed(&self, by: Option<&str>, watched: &Arc<Watched>) -> Option<Keyed> {
        by.filter(|w| w.len() <= 80).map(|w| self.begin(w, watched))
    }

    /// Lets an analysis be found by a key until the guard is dropped.
    pub fn begin(&self, key: &str, watched: &Arc<Watched>) -> Keyed {
        self.all().insert(key.into(), watched.clone());
        Keyed { going: self.clone(), key: key.into(), watched: watched.clone() }
    }

    /// The analysis of that key, if it is going on.
    pub fn of(&self, key: &str) -> Option<Arc<Watched>> {
        self.all().get(key).cloned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_key_is_held_by_its_newest_analysis() {
        let going = Going::default();
        let share = |key: &str| going.of(key).map(|w| w.share());
        let (first, second) = (Arc::new(Watched::default()), Arc::new(Watched::default()));
        let held = going.begin("a", &first);
        assert!(first.tell(0.25) && share("a") == Some(0.25));
        let newer = going.begin("a", &second);
        assert!(second.tell(7.0));
        drop(held);
        assert_eq!(share("a"), Some(1.0), "the newer one stays");
        drop(newer);
        assert_eq!(share("a"), None);
        Hangup::of(&first).served();
        assert!(!first.stopped(), "it was served");
        drop(Hangup::of(&first));
        assert!(first.stopped() && !first.tell(0.5));
    }
}
