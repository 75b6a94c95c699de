//! Entries of runs put right.

use crate::{Result, Store};
use chrono::{DateTime, Utc};
use echo_job::recipe::Tacho;
use echo_job::rig::Column;
use echo_job::sensitivity::Sensitivity;
use serde::Serialize;
use serde_json::Value;
use sqlx::PgConnection;
use utoipa::ToSchema;

/// An entry of a run that was put right.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Correction {
    /// Channel of the run; none for the tachometer.
    pub channel: Option<i16>,
    /// The column, or “tachometer”.
    pub field: String,
    /// What stood there.
    pub before: String,
    /// What stands there since.
    pub after: String,
    /// The column or the tachometer, for the program.
    #[serde(skip)]
    pub body: Value,
    /// Why.
    pub reason: String,
    /// By whom.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A correction that is to be made.
#[derive(Debug, Clone)]
pub enum NewCorrection {
    /// A cell of a channel's row: channel, column, text before and after.
    Cell(i16, Column, String, String),
    /// The tachometer, with both settings in words.
    Tacho(Tacho, String, String),
}

async fn write_calibration(
    on: &mut PgConnection,
    run: i64,
    channel: i16,
    sensitivity: &Sensitivity,
    (reason, who): (&str, &str),
) -> Result<()> {
    sqlx::query!(
        "INSERT INTO calibration (run_id, channel, sensitivity, reason, who) VALUES ($1, $2, $3, $4, $5)",
        run,
        channel,
        serde_json::to_value(sensitivity)?,
        reason,
        who
    )
    .execute(on)
    .await?;
    Ok(())
}

impl Store {
    /// What was put right in a run beside sensitivities, oldest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn corrections(&self, run: i64) -> Result<Vec<Correction>> {
        Ok(sqlx::query_as!(
            Correction,
            "SELECT channel, field, before, after, body, reason, who, at FROM correction WHERE run_id = $1 ORDER BY id",
            run
        )
        .fetch_all(self.pool())
        .await?)
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
        let mut connection = self.pool().acquire().await?;
        write_calibration(&mut connection, run, channel, sensitivity, (reason, who)).await
    }

    /// Puts an entry right, and with a quantity its sensitivity: both, or neither.
    ///
    /// # Errors
    /// There is no such run, or the database is away.
    pub async fn put_right(
        &self,
        run: i64,
        new: &NewCorrection,
        sensitivity: Option<&Sensitivity>,
        reason: &str,
        who: &str,
    ) -> Result<()> {
        let (channel, field, before, after, body) = match new {
            NewCorrection::Cell(channel, column, before, after) => {
                let field = serde_json::to_value(column)?;
                (Some(*channel), field.as_str().unwrap_or_default().to_string(), before, after, field)
            }
            NewCorrection::Tacho(tacho, before, after) => {
                (None, "tachometer".to_string(), before, after, serde_json::to_value(tacho)?)
            }
        };
        let mut tx = self.pool().begin().await?;
        sqlx::query!(
            "INSERT INTO correction (run_id, channel, field, before, after, body, reason, who)
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8)",
            run,
            channel,
            field,
            before,
            after,
            body,
            reason,
            who
        )
        .execute(&mut *tx)
        .await?;
        if let (Some(channel), Some(sensitivity)) = (channel, sensitivity) {
            write_calibration(&mut tx, run, channel, sensitivity, (reason, who)).await?;
        }
        tx.commit().await?;
        Ok(())
    }

    /// How often something was put right in a run: what a result was made of before is stale after.
    ///
    /// # Errors
    /// The database is away.
    pub async fn corrected(&self, run: i64) -> Result<i64> {
        Ok(sqlx::query_scalar!(
            r#"SELECT (SELECT count(*) FROM calibration WHERE run_id = $1) + (SELECT count(*) FROM correction WHERE run_id = $1) AS "n!""#,
            run
        )
        .fetch_one(self.pool())
        .await?)
    }
}
