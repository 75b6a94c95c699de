//! Outputs that drive something belong to the server, with a lease: one whose page is gone ends by itself.

use crate::{App, Error, Result};
use echo_link::{RequestBody, Wave};
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// How often leases are looked at.
const LOOK: Duration = Duration::from_millis(200);
/// When one that could not be silenced is tried again.
const AGAIN: Duration = Duration::from_secs(1);
/// What an output is set to when it is silent; its frequency does not matter then.
pub(crate) const SILENCE: RequestBody = RequestBody::Output { hz: 159.155, peak_v: 0.0, wave: Wave::Sine };

/// A lease: until when, and how long it is renewed for.
#[derive(Debug, Clone, Copy)]
struct Lease {
    until: Instant,
    lasts: Duration,
}

/// Leases by front end, counted from 0.
#[derive(Debug, Clone, Default)]
pub struct Outputs(Arc<Mutex<BTreeMap<usize, Lease>>>);

impl Outputs {
    fn with<T>(&self, what: impl FnOnce(&mut BTreeMap<usize, Lease>) -> T) -> T {
        what(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// Begins a lease, or forgets one where the output needs none.
    pub(crate) fn set(&self, unit: usize, lasts: Option<Duration>, now: Instant) {
        self.with(|all| match lasts {
            Some(lasts) => {
                all.insert(unit, Lease { until: now + lasts, lasts });
            }
            None => {
                all.remove(&unit);
            }
        });
    }

    /// Renews a lease.
    ///
    /// # Errors
    /// There is none: the output has ended, or never had one.
    pub(crate) fn keep(&self, unit: usize, now: Instant) -> Result<()> {
        let kept = self.with(|all| all.get_mut(&unit).map(|lease| lease.until = now + lease.lasts));
        kept.ok_or_else(|| Error::conflict("the output has ended: nobody kept it, or it was stopped"))
    }

    /// Takes out those that have run out.
    fn ended(&self, now: Instant) -> Vec<usize> {
        self.with(|all| {
            let over: Vec<usize> = all.iter().filter(|(_, l)| l.until <= now).map(|(unit, _)| *unit).collect();
            all.retain(|_, l| l.until > now);
            over
        })
    }
}

/// Silences outputs whose lease has run out, for as long as the server lives.
pub async fn watch(app: App) {
    loop {
        for unit in app.outputs.ended(Instant::now()) {
            tracing::warn!("the page that drove the output of front end {} is gone: it is silenced", unit + 1);
            if let Err(e) = app.capture.ask(unit, SILENCE).await {
                tracing::error!("the output of front end {} could not be silenced: {e}", unit + 1);
                // It is tried again until it is, as the front end may be back by then.
                app.outputs.set(unit, Some(AGAIN), Instant::now());
            }
        }
        tokio::time::sleep(LOOK).await;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_lease_ends_unless_it_is_kept() {
        let outputs = Outputs::default();
        let begun = Instant::now();
        let at = |s: f64| begun + Duration::from_secs_f64(s);
        let two = Some(Duration::from_secs(2));
        outputs.set(0, two, at(0.0));
        outputs.set(1, two, at(0.0));
        assert!(outputs.keep(0, at(1.5)).is_ok());
        assert!(outputs.ended(at(1.9)).is_empty());
        assert_eq!(outputs.ended(at(2.0)), [1]);
        assert_eq!(outputs.ended(at(3.5)), [0]);
        assert!(outputs.keep(0, at(3.6)).unwrap_err().says().contains("has ended"));
        outputs.set(0, two, at(4.0));
        outputs.set(0, None, at(4.1));
        assert!(outputs.ended(at(9.0)).is_empty(), "what was stopped needs no end");
    }
}
