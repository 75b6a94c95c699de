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
            "SELECT channel, sensitivity, reason, who, at FROM calibration WHERE run_id = $1 ORDER BY id",
            run
        )
        .fetch_all(self.pool())
        .await?;
        rows.into_iter()
            .map(|r| {
                Ok(Calibration {
                    channel: r.channel,
                    sensitivity: serde_json::from_value(r.sensitivity)?,
                    reason: r.reason,
                    who: r.who,
                    at: r.at,
                })
            })
            .collect()
    }

    /// Puts a sensitivity right.
    ///
    /// # Errors
    /// The run has no such channel, or the database is away.
    pub async fn correct(
        &self,
        run: i64,
        channel: i16,
        sensitivity: &Sensitivity,
        reason: &str,
        who: &str,
    ) -> Result<()> {
        sqlx::query!(
            "INSERT INTO calibration (run_id, channel, sensitivity, reason, who) VALUES ($1, $2, $3, $4, $5)",
            run,
            channel,
            serde_json::to_value(sensitivity)?,
            reason,
            who
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }
}
