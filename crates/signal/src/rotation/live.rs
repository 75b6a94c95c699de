//! A wheel followed while it turns: speed and angle as pulses come.
//!
//! The first turns are kept and matched as a whole stretch would be, so that places and phase are
//! known; from there every pulse is taken by itself, and the likeliest reading at the moment counts.

use super::places::{Places, Wheel};
use super::track::{Fate, Tracker};
use super::wheel::{PulseVerdict, matched, zero};
use crate::error::Result;
use std::collections::VecDeque;

/// Turns after which the first pulses are matched, and matched again.
const TURNS: [usize; 2] = [3, 12];
/// Pulses there have to be for it.
const FEWEST: usize = 8;
/// Pulses before the newest that a tracker begins at.
const LEAD: usize = 12;

/// A wheel followed pulse by pulse.
#[derive(Debug, Clone)]
pub struct LiveWheel {
    wheel: Wheel,
    resolution_s: f64,
    /// The first pulses, until they have been matched for the last time.
    first: Vec<f64>,
    matches: usize,
    tracker: Option<(Tracker, f64)>,
    /// Times and angles of the pulses of the last turn.
    turn: VecDeque<(f64, f64)>,
    counted: u64,
}

impl LiveWheel {
    /// A wheel before its first pulse; `resolution_s` is the time from sample to sample.
    ///
    /// # Errors
    /// A wheel that cannot be.
    pub fn new(wheel: Wheel, resolution_s: f64) -> Result<LiveWheel> {
        wheel.check()?;
        Ok(LiveWheel {
            wheel,
            resolution_s,
            first: Vec::new(),
            matches: 0,
            tracker: None,
            turn: VecDeque::new(),
            counted: 0,
        })
    }

    /// Takes a pulse; times ascend. Tells what is thought of it once the wheel is known.
    pub fn push(&mut self, time_s: f64) -> Option<PulseVerdict> {
        let verdict = match &mut self.tracker {
            Some((tracker, zero)) => {
                tracker.push(time_s);
                tracker.forget_settled();
                match tracker.newest()? {
                    Fate::Extra => PulseVerdict::Extra,
                    Fate::At { place, missed, .. } => {
                        let angle = (tracker.angle(place) - *zero) / self.wheel.pulses_per_rev;
                        self.turn.push_back((time_s, angle));
                        if missed > 0 { PulseVerdict::AfterMissed(missed) } else { PulseVerdict::Good }
                    }
                }
            }
            None => {
                // As the first pulse was the first place, and none were missing.
                let teeth = self.wheel.teeth() as f64;
                let a_turn = if self.wheel.missing_teeth > 0 { teeth } else { self.wheel.pulses_per_rev };
                self.turn.push_back((time_s, self.counted as f64 / a_turn));
                PulseVerdict::Good
            }
        };
        self.counted += 1;
        let turns = TURNS.get(self.matches).copied();
        if let Some(turns) = turns {
            self.first.push(time_s);
            if self.first.len() > (turns * self.wheel.teeth()).max(FEWEST * (self.matches + 1)) {
                self.begin();
            }
        }
        // One pulse a turn ago or more is enough.
        if let Some((_, now)) = self.turn.back().copied() {
            while self.turn.len() > 2 && now - self.turn[1].1 >= 1.0 - 1e-9 {
                self.turn.pop_front();
            }
        }
        self.tracker.is_some().then_some(verdict)
    }

    /// Matches the first pulses and goes on from what they tell.
    fn begin(&mut self) {
        self.matches += 1;
        let times = std::mem::take(&mut self.first);
        if let Ok((found, places, noise)) = matched(&times, &self.wheel, self.resolution_s) {
            let carried: Vec<(usize, i64)> =
                found.places.iter().enumerate().filter_map(|(i, p)| p.map(|(k, _)| (i, k))).collect();
            if let Some(start) = carried.len().checked_sub(LEAD.min(carried.len())).filter(|s| s + 1 < carried.len()) {
                let ((i, low), (j, high)) = (carried[start], carried[carried.len() - 1]);
                let zero = zero(&places, &self.wheel, found.first());
                let angle = |k: i64, places: &Places| (places.angle(k) - zero) / self.wheel.pulses_per_rev;
                self.turn = carried.iter().map(|(i, k)| (times[*i], angle(*k, &places))).collect();
                let speed = (places.angle(high) - places.angle(low)) / (times[j] - times[i]);
                let mut tracker = Tracker::new(places, noise, times[i], &[low], speed);
                times[i + 1..].iter().for_each(|t| tracker.push(*t));
                self.tracker = Some((tracker, zero));
            }
        }
        if self.matches < TURNS.len() {
            self.first = times;
        }
    }

    /// Speed over the last whole turn, revolutions a second; none before there was one.
    pub fn speed(&self) -> Option<f64> {
        let ((t0, a0), (t1, a1)) = (*self.turn.front()?, *self.turn.back()?);
        (a1 - a0 >= 1.0 - 1e-9).then(|| (a1 - a0) / (t1 - t0))
    }

    /// Time and angle of the newest pulse that stands at a place, s and revolutions.
    pub fn newest(&self) -> Option<(f64, f64)> {
        self.turn.back().copied()
    }

    /// Forgets everything: what comes next does not follow.
    pub fn forget(&mut self) {
        self.first.clear();
        self.turn.clear();
        (self.matches, self.tracker, self.counted) = (0, None, 0);
    }
}
