//! Largest values of what a page holds: taken of every spectrum that is made, whether or not it reaches the page.

use super::wish::PaneShown;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// How long values are kept that no page asks for.
const PATIENCE: Duration = Duration::from_secs(60);
/// Most wishes that are held.
const MOST: usize = 256;

/// When values were asked for last, and they.
type Kept = (Instant, Vec<f64>);

/// Largest values by their wish.
#[derive(Clone, Default)]
pub(crate) struct Held(Arc<Mutex<HashMap<PaneShown, Kept>>>);

impl Held {
    /// The largest values so far of a wish, these taken in; another number of values begins anew.
    pub(super) fn largest(&self, wish: &PaneShown, now: &[f64]) -> Vec<f64> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|_, (asked, _)| asked.elapsed() < PATIENCE);
        if all.len() >= MOST && !all.contains_key(wish) {
            return now.to_vec();
        }
        let (asked, held) = all.entry(wish.clone()).or_insert_with(|| (Instant::now(), now.to_vec()));
        *asked = Instant::now();
        if held.len() != now.len() {
            *held = now.to_vec();
        }
        held.iter_mut().zip(now).for_each(|(h, v)| *h = h.max(*v));
        held.clone()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pictures::wish::Picture;

    #[test]
    fn what_is_held_only_grows_until_it_begins_anew() {
        let held = Held::default();
        let wish = |hold| PaneShown {
            pane: 1,
            of: Picture::Spectrum {
                inputs: vec![7],
                block: 1024,
                to_hz: None,
                averages: None,
                unit: None,
                envelope_hz: None,
                hold: Some(hold),
            },
        };
        assert_eq!(held.largest(&wish(1), &[1.0, 5.0]), [1.0, 5.0]);
        assert_eq!(held.largest(&wish(1), &[2.0, f64::NAN]), [2.0, 5.0]);
        assert_eq!(held.largest(&wish(2), &[0.5, 0.5]), [0.5, 0.5], "another number begins anew");
        assert_eq!(held.largest(&wish(1), &[1.0, 1.0]), [2.0, 5.0], "and leaves the first alone");
        assert_eq!(held.largest(&wish(1), &[1.0]), [1.0], "other lines are another spectrum");
    }
}
