//! Results that were made lately, so that a cursor, a redrawn picture or a report need not make them again.

use echo_job::analysis::Analysis;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Values held at most, all results together.
const MOST_VALUES: usize = 30_000_000;

/// What a result was made of, and the result.
type Newest = VecDeque<(String, Arc<Analysis>)>;

/// Results by what they were made of.
#[derive(Clone, Default)]
pub struct KeptResults {
    newest_first: Arc<Mutex<Newest>>,
}

fn values(a: &Analysis) -> usize {
    a.traces.iter().map(|t| t.len() * if t.complex().is_some() { 2 } else { 1 }).sum::<usize>() + 1000
}

impl KeptResults {
    fn all(&self) -> MutexGuard<'_, Newest> {
        self.newest_first.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The result of that making, if it is still there.
    pub fn get(&self, of: &str) -> Option<Arc<Analysis>> {
        let mut all = self.all();
        let at = all.iter().position(|(key, _)| key == of)?;
        let found = all.remove(at)?;
        let result = found.1.clone();
        all.push_front(found);
        Some(result)
    }

    /// Keeps a result; the longest unused ones go when there are too many values.
    pub fn keep(&self, of: String, result: Arc<Analysis>) {
        let mut all = self.all();
        all.retain(|(key, _)| *key != of);
        all.push_front((of, result));
        let mut sum = 0;
        let fits = all.iter().take_while(|(_, a)| {
            sum += values(a);
            sum <= MOST_VALUES
        });
        // The newest stays however large it is.
        let fitting = fits.count().max(1);
        all.truncate(fitting);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::analysis::{Memory, Provenance, analyze};
    use echo_job::recipe::Recipe;

    fn result(samples: usize) -> Arc<Analysis> {
        let mut source = Memory::new(100.0, vec![("a".into(), "V".into(), vec![1.0; samples])]);
        let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
        let recipe = Recipe::from_json(r#"{"lens": "waveform"}"#).unwrap();
        Arc::new(analyze(&recipe, &mut source, provenance, &mut |_| true).unwrap())
    }

    #[test]
    fn the_longest_unused_go_first() {
        let kept = KeptResults::default();
        for key in ["a", "b", "c"] {
            kept.keep(key.into(), result(9_000_000));
        }
        assert!(kept.get("a").is_some(), "three fit");
        kept.keep("d".into(), result(9_000_000));
        assert!(kept.get("b").is_none(), "b was used least lately");
        assert!(["a", "c", "d"].iter().all(|k| kept.get(k).is_some()));
        kept.keep("huge".into(), result(31_000_000));
        assert!(kept.get("huge").is_some() && kept.get("a").is_none());
        kept.keep("huge".into(), result(10));
        assert_eq!(kept.get("huge").map(|a| a.traces[0].len()), Some(10), "a key stands for its newest result");
    }
}
