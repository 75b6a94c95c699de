//! When a take begins: conditions on channels, joined, with hold-off and pre-trigger.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`condition`] | the conditions and what they mean in words |
//! | `edges` | the state machine of each condition |
//! | [`detector`] | all conditions over a stream of samples |
//! | [`takes`] | which samples a trigger keeps |
//!
//! The same code watches live samples and recorded ones, and finds the same samples for any
//! division of the stream into blocks.

pub mod condition;
pub mod detector;
mod edges;
pub mod takes;

pub use condition::{AxisLimit, Condition, Edge, Way};
pub use detector::{Detector, Fired};
pub use takes::{Take, Takes};

use crate::Refusal;
use crate::rig::Rig;
use crate::tacho::Tachometer;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Longest pre-trigger, s: it is held in memory.
pub const LONGEST_PRE_S: f64 = 60.0;
/// Most conditions a trigger may have.
const MOST_CONDITIONS: usize = 16;

/// How several conditions work together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Join {
    /// One is enough.
    #[default]
    Any,
    /// All must come true within a time.
    All,
}

/// When takes begin, and how many there are.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Trigger {
    /// What must happen; nothing: Record is pressed.
    pub conditions: Vec<Condition>,
    /// How they work together.
    pub join: Join,
    /// Time within which all must come true, s.
    pub within_s: f64,
    /// What is kept from before the trigger, s.
    pub pre_s: f64,
    /// Time after a trigger in which no other counts, s.
    pub hold_off_s: f64,
    /// How many takes; without a number until stopped.
    pub takes: Option<u32>,
}

impl Default for Trigger {
    fn default() -> Self {
        Trigger { conditions: Vec::new(), join: Join::Any, within_s: 0.1, pre_s: 0.0, hold_off_s: 0.0, takes: None }
    }
}

impl Trigger {
    /// Whether takes begin by hand.
    pub fn by_hand(&self) -> bool {
        self.conditions.is_empty()
    }

    /// Checks times and conditions against the rig.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, rig: &Rig, tachos: &[Tachometer]) -> Result<(), Refusal> {
        let bounds = [
            ("pre_s", "the time kept from before", self.pre_s, 0.0, LONGEST_PRE_S),
            ("hold_off_s", "the hold-off", self.hold_off_s, 0.0, 3600.0),
            ("within_s", "the time within which all must come", self.within_s, 0.0, 3600.0),
        ];
        for (field, what, value, from, to) in bounds {
            if !(from..=to).contains(&value) {
                return Err(Refusal::new(field, format!("{what} must be {from} to {to} s, not {value} s")));
            }
        }
        if self.takes == Some(0) {
            return Err(Refusal::new("takes", "there are 0 takes; allowed: 1 or more, or no number"));
        }
        if self.conditions.len() > MOST_CONDITIONS {
            let says = format!("there are {} conditions; allowed: up to {MOST_CONDITIONS}", self.conditions.len());
            return Err(Refusal::new("conditions", says));
        }
        self.conditions.iter().try_for_each(|c| c.check(rig, tachos))
    }

    /// What is waited for, in words.
    pub fn says(&self, rig: &Rig) -> String {
        let all: Vec<String> = self.conditions.iter().map(|c| c.says(rig)).collect();
        match (self.join, all.len()) {
            (_, 0) => "Record".into(),
            (Join::Any, _) => all.join(", or "),
            (Join::All, 1) => all[0].clone(),
            (Join::All, _) => {
                format!("{}, all within {} s", all.join(", and "), crate::entry::number::plain(self.within_s))
            }
        }
    }
}
