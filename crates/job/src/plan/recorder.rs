//! Recorders: sets of channels at one rate that are stored.

use crate::Refusal;
use crate::rig::{Channel, Rig};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// When a recorder keeps samples.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Keeps {
    /// The takes of the trigger.
    #[default]
    Takes,
    /// Everything from arming on.
    Everything,
    /// What is started and stopped by hand.
    ByHand,
}

/// A recorder of the plan.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RecorderPlan {
    /// Its name; used once in a plan.
    pub name: String,
    /// Inputs it stores; all that are on when empty.
    #[serde(default)]
    pub inputs: Vec<u16>,
    /// Its rate is the plan's divided by this.
    #[serde(default = "one")]
    pub divide: u32,
    /// When it keeps samples.
    #[serde(default)]
    pub keeps: Keeps,
    /// Length of a segment, s; everything in one piece without.
    #[serde(default)]
    pub segment_s: Option<f64>,
}

fn one() -> u32 {
    1
}

/// Largest divider.
pub const LARGEST_DIVIDE: u32 = 1024;
/// Most recorders a plan may have.
const MOST: usize = 8;

impl RecorderPlan {
    /// The recorder of a plan that names none: all channels, full rate.
    pub fn whole() -> RecorderPlan {
        RecorderPlan { name: "A".into(), inputs: Vec::new(), divide: 1, keeps: Keeps::Takes, segment_s: None }
    }

    /// Rows it stores, in the order of their inputs.
    pub fn channels<'a>(&'a self, rig: &'a Rig) -> impl Iterator<Item = &'a Channel> {
        rig.active().filter(|c| self.inputs.is_empty() || self.inputs.contains(&c.input))
    }
}

/// Checks all recorders of a plan.
///
/// # Errors
/// The first entry that is not allowed, with what is.
pub(super) fn check(recorders: &[RecorderPlan], rig: Option<&Rig>) -> Result<(), Refusal> {
    let wrong = |says: String| Err(Refusal::new("recorders", says));
    if recorders.len() > MOST {
        return wrong(format!("there are {} recorders; allowed: up to {MOST}", recorders.len()));
    }
    for (i, r) in recorders.iter().enumerate() {
        let name = r.name.trim();
        if name.is_empty() || name.chars().count() > 20 {
            return wrong(format!("a recorder is called “{name}”; allowed: 1 to 20 characters"));
        }
        if recorders[..i].iter().any(|o| o.name.trim() == name) {
            return wrong(format!("two recorders are called “{name}”; allowed: any name not used yet"));
        }
        if !(1..=LARGEST_DIVIDE).contains(&r.divide) {
            return wrong(format!("recorder {name} divides the rate by {}; allowed: 1 to {LARGEST_DIVIDE}", r.divide));
        }
        if let Some(s) = r.segment_s.filter(|s| !(*s >= 1.0 && *s <= super::LONGEST_S)) {
            return wrong(format!("recorder {name} cuts every {s} s; allowed: 1 s to a week"));
        }
        let Some(rig) = rig else { continue };
        if let Some(input) = r.inputs.iter().find(|i| !rig.channel(**i).is_some_and(|c| c.on)) {
            return wrong(format!("recorder {name} stores input {input}, which is off; switch it on in the rig"));
        }
    }
    Ok(())
}
