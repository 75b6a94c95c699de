//! Sensitivities put right afterwards: the counts stay, the newest value counts, the old ones last.

use crate::{Result, Store};
use chrono::{DateTime, Utc};
use echo_job::sensitivity::Sensitivity;

/// A sensitivity a channel of a run had from some time on.
#[derive(Debug, Clone, PartialEq)]
pub struct Calibration {
    /// Channel of the run.
    pub channel: i16,
    /// The value.
    pub sensitivity: Sensitivity,
    /// Whether it is the one the channel was recorded with.
    pub recorded: bool,
    /// Why it was set.
    pub reason: String,
    /// By whom.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

impl Store {
    /// All sensitivities of a run's channels, oldest first; the last of a channel is in force.
    ///
    /// # Errors
    /// The database is away.
    pub async fn calibrations(&self, run: i64) -> Result<Vec<Calibration>> {
        let rows = sqlx::query!(
            "SELECT channel, sensitivity, recorded, reason, who, at FROM calibration WHERE run_id = $1 ORDER BY id",
            run
        )
        .fetch_all(self.pool())
        .await?;
        rows.into_iter()
            .map(|r| {
                Ok(Calibration {
                    channel: r.channel,
                    sensitivity: serde_json::from_value(r.sensitivity)?,
                    recorded: r.recorded,
                    reason: r.reason,
                    who: r.who,
                    at: r.at,
                })
            })
            .collect()
    }
}
