//! Analyses that are going on: how far each is, and a way to stop it.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// How far an analysis is, and whether it is to stop.
#[derive(Debug, Default)]
pub struct Watched {
    per_million: AtomicU32,
    stop: AtomicBool,
}

impl Watched {
    /// The share done, 0 to 1.
    pub fn share(&self) -> f64 {
        f64::from(self.per_million.load(Ordering::Relaxed)) * 1e-6
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

/// Stops what is watched when it is dropped: whoever asked has gone away.
pub struct Hangup(pub Arc<Watched>);

impl Drop for Hangup {
    fn drop(&mut self) {
        self.0.stop();
    }
}

/// Analyses by the key their asker gave them.
#[derive(Clone, Default)]
pub struct Going {
    by_key: Arc<Mutex<HashMap<String, Arc<Watched>>>>,
}

/// Holds a key while its analysis goes on.
pub struct Held {
    going: Going,
    key: String,
    watched: Arc<Watched>,
}

impl Drop for Held {
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

    /// Lets an analysis be found by a key until the guard is dropped.
    pub fn begin(&self, key: &str, watched: &Arc<Watched>) -> Held {
        self.all().insert(key.into(), watched.clone());
        Held { going: self.clone(), key: key.into(), watched: watched.clone() }
    }

    /// The share done of the analysis of that key, if it is going on.
    pub fn share(&self, key: &str) -> Option<f64> {
        self.all().get(key).map(|w| w.share())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_key_is_held_by_its_newest_analysis() {
        let going = Going::default();
        let (first, second) = (Arc::new(Watched::default()), Arc::new(Watched::default()));
        let held = going.begin("a", &first);
        assert!(first.tell(0.25) && going.share("a") == Some(0.25));
        let newer = going.begin("a", &second);
        assert!(second.tell(7.0));
        drop(held);
        assert_eq!(going.share("a"), Some(1.0), "the newer one stays");
        drop(newer);
        assert_eq!(going.share("a"), None);
        drop(Hangup(first.clone()));
        assert!(first.stopped() && !first.tell(0.5));
    }
}
