//! The plan: how fast, how long, when and by which recorders, and what follows from it.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`recorder`] | sets of channels at one rate that are stored |
//! | [`rounds`] | captures by the clock |
//! | [`afterwards`] | what is done by itself at the end |
//! | [`sums`] | sizes, times and limits that follow |
//! | [`length`] | lengths as they are typed: time, samples, turns |

pub mod afterwards;
pub mod length;
pub mod recorder;
pub mod rounds;
pub mod sums;

pub use afterwards::Afterwards;
pub use recorder::{Keeps, RecorderPlan};
pub use rounds::Rounds;
pub use sums::{PlanSums, RecorderSums};

use crate::Refusal;
use crate::front_end::FrontEnd;
use crate::rig::Rig;
use crate::tacho::{Encoder, Tachometer};
use crate::trigger::Trigger;
use crate::watch::Watched;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// When a recording ends.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "ends", rename_all = "snake_case", deny_unknown_fields)]
pub enum Length {
    /// After this long.
    After {
        /// Seconds, above 0 and at most a week.
        duration_s: f64,
    },
    /// When somebody stops it.
    WhenStopped,
}

/// What is recorded.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Plan {
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// How long a take is from its trigger on, or when it ends.
    pub length: Length,
    /// What the run will be called, such as “coast-down”.
    #[serde(default)]
    pub run_kind: String,
    /// Block length the line spacing is given for, samples.
    #[serde(default = "usual_block")]
    pub block: u32,
    /// When a take begins.
    #[serde(default)]
    pub start: Trigger,
    /// Recorders; one of all channels at the full rate when empty.
    #[serde(default)]
    pub recorders: Vec<RecorderPlan>,
    /// Tachometers.
    #[serde(default)]
    pub tachos: Vec<Tachometer>,
    /// An encoder, once it is set up.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub encoder: Option<Encoder>,
    /// Captures by the clock.
    #[serde(default)]
    pub rounds: Option<Rounds>,
    /// Watched quantities with their limits.
    #[serde(default)]
    pub watch: Vec<Watched>,
    /// What is done by itself when something ends.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub afterwards: Vec<Afterwards>,
    /// A frequency that matters, Hz: the plan tells what becomes of it.
    #[serde(default)]
    pub named_hz: Option<f64>,
}

impl Default for Plan {
    fn default() -> Plan {
        Plan {
            sample_rate_hz: 51_200.0,
            length: Length::WhenStopped,
            run_kind: String::new(),
            block: usual_block(),
            start: Trigger::default(),
            recorders: Vec::new(),
            tachos: Vec::new(),
            encoder: None,
            rounds: None,
            watch: Vec::new(),
            afterwards: Vec::new(),
            named_hz: None,
        }
    }
}

fn usual_block() -> u32 {
    32768
}

/// Longest planned recording, s.
pub const LONGEST_S: f64 = 7.0 * 86400.0;

impl Plan {
    /// Checks the plan against what the front end offers.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, front_end: Option<&FrontEnd>) -> Result<(), Refusal> {
        if !(self.sample_rate_hz.is_finite() && self.sample_rate_hz > 0.0) {
            return Err(Refusal::new(
                "sample_rate_hz",
                format!("rate must be a number above 0, not {} Hz", self.sample_rate_hz),
            ));
        }
        if let Some(f) = front_end {
            f.check_rate(self.sample_rate_hz)?;
        }
        if let Length::After { duration_s } = self.length
            && !(duration_s.is_finite() && duration_s > 0.0 && duration_s <= LONGEST_S)
        {
            return Err(Refusal::new(
                "duration_s",
                format!("duration must be above 0 and up to {LONGEST_S} s (a week), not {duration_s} s"),
            ));
        }
        if !(16..=1 << 22).contains(&self.block) {
            return Err(Refusal::new(
                "block",
                format!("block must be 16 to {1}, not {0} samples", self.block, 1 << 22),
            ));
        }
        if let Some(hz) = self.named_hz.filter(|h| !(h.is_finite() && *h > 0.0)) {
            return Err(Refusal::new("named_hz", format!("the frequency must be above 0, not {hz} Hz")));
        }
        afterwards::check_all(&self.afterwards)?;
        recorder::check(&self.recorders, None)?;
        for (i, t) in self.tachos.iter().enumerate() {
            t.check()?;
            front_end.map_or(Ok(()), |f| t.check_supply(f))?;
            if self.tachos[..i].iter().any(|o| o.input == t.input) {
                return Err(Refusal::new("tachos", format!("input {} is set up as tachometer twice", t.input)));
            }
        }
        self.encoder.as_ref().map_or(Ok(()), Encoder::check)
    }

    /// Checks all that refers to the rig: recorders, triggers, rounds, watched quantities.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check_with(&self, rig: &Rig) -> Result<(), Refusal> {
        recorder::check(&self.recorders, Some(rig))?;
        let cut = self.recorders.iter().find(|r| r.keeps == Keeps::Takes && r.segment_s.is_some());
        if let Some(r) = cut.filter(|_| !self.start.by_hand()) {
            let says = format!("recorder {} keeps takes of a trigger, which are not cut into segments", r.name);
            return Err(Refusal::new("recorders", says));
        }
        self.start.check(rig, &self.tachos)?;
        if let Some(r) = &self.rounds {
            r.check(Some(rig))?;
        }
        self.watch.iter().try_for_each(|w| w.check(Some(rig)))
    }

    /// The recorders; one of all channels where none is named.
    pub fn recorders(&self) -> Vec<RecorderPlan> {
        if self.recorders.is_empty() { vec![RecorderPlan::whole()] } else { self.recorders.clone() }
    }

    /// Samples a channel from a trigger on, where the length is known.
    pub fn samples(&self) -> Option<u64> {
        match self.length {
            Length::After { duration_s } => Some((duration_s * self.sample_rate_hz).round() as u64),
            Length::WhenStopped => None,
        }
    }

    /// The plan of one round: its length, begun by hand, without rounds of its own.
    pub fn of_round(&self, rounds: &Rounds) -> Plan {
        Plan {
            length: Length::After { duration_s: rounds.length_s },
            start: Trigger::default(),
            rounds: None,
            ..self.clone()
        }
    }
}
