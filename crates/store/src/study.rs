//! What studying adds to runs: entries put right, computed channels, kept results, notes on curves.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::math::MathChannel;
use echo_job::recipe::Tacho;
use echo_job::rig::Column;
use serde_json::Value;

/// An entry of a run that was put right.
#[derive(Debug, Clone, PartialEq)]
pub struct Correction {
    /// Channel of the run; none for the tachometer.
    pub channel: Option<i16>,
    /// The column, or “tachometer”.
    pub field: String,
    /// What stood there.
    pub before: String,
    /// What stands there since.
    pub after: String,
    /// The column or the tachometer.
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

/// A kept result without its curves.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptResult {
    /// Key.
    pub id: i64,
    /// Its run.
    pub run_id: i64,
    /// The run's number.
    pub run_number: i32,
    /// Its name.
    pub name: String,
    /// The recipe.
    pub recipe: Value,
    /// Whether something was put right in the run since.
    pub stale: bool,
    /// Who had it made.
    pub who: String,
    /// When.
    pub made_at: DateTime<Utc>,
}

/// A note on a curve.
#[derive(Debug, Clone, PartialEq)]
pub struct Note {
    /// Key.
    pub id: i64,
    /// Lens it was set on.
    pub lens: String,
    /// Axis along which its place is told.
    pub axis: String,
    /// The place.
    pub place: f64,
    /// Unit of the place.
    pub unit: String,
    /// Channel of the curve.
    pub channel: Option<i16>,
    /// The words.
    pub says: String,
    /// Who set it.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
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

    /// Puts an entry right.
    ///
    /// # Errors
    /// There is no such run, or the database is away.
    pub async fn put_right(&self, run: i64, new: &NewCorrection, reason: &str, who: &str) -> Result<()> {
        let (channel, field, before, after, body) = match new {
            NewCorrection::Cell(channel, column, before, after) => {
                let field = serde_json::to_value(column)?;
                (Some(*channel), field.as_str().unwrap_or_default().to_string(), before, after, field)
            }
            NewCorrection::Tacho(tacho, before, after) => {
                (None, "tachometer".to_string(), before, after, serde_json::to_value(tacho)?)
            }
        };
        self.run(run).await?;
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
        .execute(self.pool())
        .await?;
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

    /// Computed channels of a campaign.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn math(&self, campaign: i64) -> Result<Vec<MathChannel>> {
        let body = sqlx::query_scalar!("SELECT math FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| StoreError::Missing(format!("campaign {campaign}")))?;
        Ok(serde_json::from_value(body)?)
    }

    /// Replaces the computed channels of a campaign; the change is logged.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn save_math(&self, campaign: i64, math: &[MathChannel], who: &str) -> Result<()> {
        let before = self.math(campaign).await?;
        let body = serde_json::to_value(math)?;
        let detail = serde_json::json!({ "from": before, "to": math });
        let mut tx = self.pool().begin().await?;
        sqlx::query!("UPDATE campaign SET math = $2 WHERE id = $1", campaign, body).execute(&mut *tx).await?;
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'computed channels', $3)",
            who,
            campaign,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// Keeps a result under a name, replacing one of the same name of that run; gives its key.
    ///
    /// # Errors
    /// The database is away.
    pub async fn keep_result(
        &self,
        run: i64,
        name: &str,
        (recipe, body): (&Value, &Value),
        corrected: i64,
        who: &str,
    ) -> Result<i64> {
        Ok(sqlx::query_scalar!(
            "INSERT INTO result (run_id, name, recipe, body, corrected, who) VALUES ($1, $2, $3, $4, $5, $6)
             ON CONFLICT (run_id, name) DO UPDATE SET recipe = excluded.recipe, body = excluded.body,
                 corrected = excluded.corrected, who = excluded.who, made_at = now() RETURNING id",
            run,
            name,
            recipe,
            body,
            corrected,
            who
        )
        .fetch_one(self.pool())
        .await?)
    }

    /// Kept results of a campaign's runs, by run and name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn kept_results(&self, campaign: i64) -> Result<Vec<KeptResult>> {
        Ok(sqlx::query_as!(
            KeptResult,
            r#"SELECT result.id, run_id, run.number AS run_number, name, recipe, who, made_at,
                 (SELECT count(*) FROM calibration c WHERE c.run_id = run.id)
                   + (SELECT count(*) FROM correction c WHERE c.run_id = run.id) > corrected AS "stale!"
               FROM result JOIN run ON run.id = result.run_id WHERE run.campaign_id = $1 ORDER BY run.number, name"#,
            campaign
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// A kept result's curves.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn kept_result(&self, id: i64) -> Result<Value> {
        sqlx::query_scalar!("SELECT body FROM result WHERE id = $1", id)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| StoreError::Missing(format!("kept result {id}")))
    }

    /// Lets a kept result go.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn drop_result(&self, id: i64) -> Result<()> {
        let done = sqlx::query!("DELETE FROM result WHERE id = $1", id).execute(self.pool()).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("kept result {id}")));
        }
        Ok(())
    }

    /// Sets a note; its key and time are given by the database.
    ///
    /// # Errors
    /// There is no such run, or the database is away.
    pub async fn note(&self, run: i64, n: &Note) -> Result<i64> {
        self.run(run).await?;
        Ok(sqlx::query_scalar!(
            "INSERT INTO note (run_id, lens, axis, place, unit, channel, says, who) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
             RETURNING id",
            run,
            n.lens,
            n.axis,
            n.place,
            n.unit,
            n.channel,
            n.says,
            n.who
        )
        .fetch_one(self.pool())
        .await?)
    }

    /// Notes of a run, oldest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn notes(&self, run: i64) -> Result<Vec<Note>> {
        Ok(sqlx::query_as!(
            Note,
            "SELECT id, lens, axis, place, unit, channel, says, who, at FROM note WHERE run_id = $1 ORDER BY id",
            run
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Takes a note away.
    ///
    /// # Errors
    /// There is no such note, or the database is away.
    pub async fn drop_note(&self, run: i64, note: i64) -> Result<()> {
        let done =
            sqlx::query!("DELETE FROM note WHERE run_id = $1 AND id = $2", run, note).execute(self.pool()).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("note {note} of run {run}")));
        }
        Ok(())
    }

    /// Stretches of a run whose range was exceeded, chunk by chunk: channel, first sample, samples.
    ///
    /// # Errors
    /// The database is away.
    pub async fn clipped_stretches(&self, run: i64, most: i64) -> Result<Vec<(i16, i64, i32)>> {
        let rows = sqlx::query!(
            "SELECT channel, first_sample, samples FROM chunk WHERE run_id = $1 AND over_range ORDER BY channel, first_sample LIMIT $2",
            run,
            most
        )
        .fetch_all(self.pool())
        .await?;
        Ok(rows.into_iter().map(|r| (r.channel, r.first_sample, r.samples)).collect())
    }
}
