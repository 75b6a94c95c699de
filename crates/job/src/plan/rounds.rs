//! Rounds: captures by the clock, unattended.

use crate::Refusal;
use crate::measure::Measure;
use crate::rig::Rig;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A schedule of captures.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Rounds {
    /// From the start of a round to the start of the next, s.
    pub every_s: f64,
    /// Length of a round, s.
    pub length_s: f64,
    /// How many.
    pub count: u32,
    /// When the first begins; at once without.
    #[serde(default)]
    pub begin_at: Option<DateTime<Utc>>,
    /// No round begins after this.
    #[serde(default)]
    pub end_at: Option<DateTime<Utc>>,
    /// How many rounds' waveforms are kept, the newest ones; all without a number. The table keeps
    /// every round.
    #[serde(default)]
    pub keep_newest: Option<u32>,
    /// What is measured of each round.
    #[serde(default)]
    pub measures: Vec<Measure>,
}

/// Most rounds of a schedule.
const MOST: u32 = 100_000;
/// Time that must be left between rounds for writing and measuring, s.
pub const PAUSE_S: f64 = 1.0;

impl Rounds {
    /// Checks times, count and measures.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, rig: Option<&Rig>) -> Result<(), Refusal> {
        let wrong = |says: String| Err(Refusal::new("rounds", says));
        if !(self.length_s > 0.0 && self.length_s <= 86_400.0) {
            return wrong(format!("a round takes {} s; allowed: above 0 and up to a day", self.length_s));
        }
        if !(self.every_s >= self.length_s + PAUSE_S && self.every_s <= 30.0 * 86_400.0) {
            return wrong(format!(
                "a round of {} s comes every {} s; allowed: {} s to 30 days",
                self.length_s,
                self.every_s,
                self.length_s + PAUSE_S
            ));
        }
        if !(1..=MOST).contains(&self.count) {
            return wrong(format!("there are {} rounds; allowed: 1 to {MOST}", self.count));
        }
        if self.keep_newest == Some(0) {
            return wrong("the newest 0 rounds are kept; allowed: 1 or more, or no number".into());
        }
        if let (Some(a), Some(b)) = (self.begin_at, self.end_at)
            && b <= a
        {
            return wrong(format!("the session ends at {b} and begins at {a}; allowed: an end after the start"));
        }
        self.measures.iter().try_for_each(|m| m.check(rig))
    }

    /// From the first start to the last end, s.
    pub fn total_s(&self) -> f64 {
        f64::from(self.count - 1) * self.every_s + self.length_s
    }

    /// When round `number` (from 1) is due, for a schedule begun at `begun`.
    pub fn due(&self, begun: DateTime<Utc>, number: u32) -> DateTime<Utc> {
        let ms = f64::from(number.saturating_sub(1)) * self.every_s * 1e3;
        self.begin_at.unwrap_or(begun) + chrono::Duration::milliseconds(ms.round() as i64)
    }
}
