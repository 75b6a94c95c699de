//! What was made lately, by what it was made of: a few of them, the longest unused one goes first.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// What was made, with what of; the one that was used last first.
type Newest<K, V> = VecDeque<(K, Arc<V>)>;

/// Up to `MOST` things that were made lately; cheap to clone.
pub(crate) struct Lately<K, V, const MOST: usize>(Arc<Mutex<Newest<K, V>>>);

impl<K, V, const MOST: usize> Clone for Lately<K, V, MOST> {
    fn clone(&self) -> Self {
        Lately(self.0.clone())
    }
}

impl<K, V, const MOST: usize> Default for Lately<K, V, MOST> {
    fn default() -> Self {
        Lately(Arc::default())
    }
}

impl<K: PartialEq, V, const MOST: usize> Lately<K, V, MOST> {
    /// What was made of that, where it is still there.
    pub(crate) fn get(&self, of: &K) -> Option<Arc<V>> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let at = all.iter().position(|(key, _)| key == of)?;
        let found = all.remove(at)?;
        let made = found.1.clone();
        all.push_front(found);
        Some(made)
    }

    /// Keeps what was made.
    pub(crate) fn keep(&self, of: K, made: V) -> Arc<V> {
        let made = Arc::new(made);
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|(key, _)| *key != of);
        all.push_front((of, made.clone()));
        all.truncate(MOST);
        made
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_longest_unused_one_goes() {
        let all: Lately<u32, &str, 2> = Lately::default();
        all.keep(1, "one");
        all.keep(2, "two");
        assert_eq!(all.get(&1).as_deref(), Some(&"one"));
        all.clone().keep(3, "three");
        assert_eq!((all.get(&2), all.get(&1).is_some(), all.get(&3).is_some()), (None, true, true));
        assert_eq!(*all.keep(1, "another"), "another");
        assert_eq!((all.get(&1).as_deref(), all.get(&3).is_some()), (Some(&"another"), true), "in its place");
    }
}
