//! Tap series: hits become responses, responses become modes.
//!
//! | file | what it does |
//! | --- | --- |
//! | [`series`] | series begun, read, changed; hits decided |
//! | [`going`] | a series that is recorded: each take judged as soon as it has come |
//! | `circuits` | sensors whose circuit is open or shorted |
//! | `samples` | samples of hits, from a moment ago or from the store |
//! | [`made`] | responses of a point made of its hits, and what is shown of them |
//! | [`functions`] | the table of responses |
//! | [`kept`] | responses kept under a name |
//! | [`halves`] | how much modes scatter over halves of the hits |
//! | [`modes`] | modes of a set of responses |

mod circuits;
pub mod functions;
pub mod going;
pub mod halves;
pub mod kept;
pub mod made;
pub mod modes;
mod samples;
pub mod series;

use echo_job::analysis::modal::Seen;
use echo_job::impact::HitHeard;
use echo_job::recipe::Recipe;
use functions::Read;
use going::Going;
use samples::{HeldHit, HitKey};
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Samples of hits that are kept at hand at most.
const MOST_SAMPLES: usize = 24 << 20;

#[derive(Default)]
struct Inner {
    going: Option<Going>,
    /// What was heard last, of which series, and how many before it.
    heard: Option<(i64, HitHeard)>,
    count: u64,
    held: VecDeque<(HitKey, Arc<HeldHit>)>,
}

/// Responses that were read last, and looked at last, by what they were.
#[derive(Default)]
struct Looks {
    read: Option<(String, Arc<Read>)>,
    seen: Option<(String, Arc<Seen>, Recipe)>,
}

/// Responses at hand, so that picking another pole answers at once; cheap to clone.
#[derive(Clone, Default)]
pub(crate) struct Responses(Arc<Mutex<Looks>>);

impl Responses {
    fn of(&self) -> MutexGuard<'_, Looks> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// What tap series share while the server lives; cheap to clone.
#[derive(Clone, Default)]
pub struct Taps {
    inner: Arc<Mutex<Inner>>,
    turn: Arc<tokio::sync::Mutex<()>>,
}

impl Taps {
    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The series that is recorded now.
    pub fn going(&self) -> Option<Going> {
        self.inner().going.clone()
    }

    fn hear(&self, series: i64, heard: HitHeard) {
        let mut inner = self.inner();
        inner.count += 1;
        inner.heard = Some((series, heard));
    }

    fn hold(&self, key: HitKey, hit: Arc<HeldHit>) {
        let mut inner = self.inner();
        inner.held.push_back((key, hit));
        let mut sum: usize = inner.held.iter().map(|(_, h)| h.samples()).sum();
        while sum > MOST_SAMPLES && inner.held.len() > 1 {
            sum -= inner.held.pop_front().map_or(0, |(_, h)| h.samples());
        }
    }

    fn held(&self, key: HitKey) -> Option<Arc<HeldHit>> {
        self.inner().held.iter().rev().find(|(k, _)| *k == key).map(|(_, h)| h.clone())
    }
}
