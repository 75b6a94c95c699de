//! Runs: opened before the first sample, closed after the last, recovered after a crash.

use crate::state::RunState;
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::plan::Plan;
use echo_job::rig::{Channel, Rig};
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use utoipa::ToSchema;

/// What is known when a run begins.
#[derive(Debug, Clone)]
pub struct NewRun {
    /// Campaign it belongs to.
    pub campaign: i64,
    /// What it is called.
    pub kind: String,
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Share of the rate without aliases.
    pub clean_share: f64,
    /// Front end in words: model and serial.
    pub front_end: String,
    /// The rig as it stands.
    pub rig: Rig,
    /// The plan as it stands.
    pub plan: Plan,
    /// The recorder.
    pub recorder: String,
    /// The first run of those that are recorded together; none for that one itself.
    pub together: Option<i64>,
    /// By how much the recorder divides the front end's rate.
    pub divide: u32,
    /// Who began it.
    pub who: String,
    /// The file it was brought in from; none where it was recorded.
    pub brought: Option<Brought>,
    /// Rows it stores with their V, C or V/V a count.
    pub channels: Vec<(Channel, f64)>,
}

/// The file a run was brought in from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Brought {
    /// Its name.
    pub file: String,
    /// SHA-256 of its bytes, hexadecimal.
    pub sha256: String,
    /// What it was read as, such as “WAV, 24-bit”.
    pub kind: String,
    /// What was assumed or done to read it.
    pub said: Vec<String>,
}

/// A run as stored.
#[derive(Debug, Clone)]
pub struct Run {
    /// Key.
    pub id: i64,
    /// Campaign it belongs to.
    pub campaign_id: i64,
    /// Number within the campaign.
    pub number: i32,
    /// What it is called.
    pub kind: String,
    /// Where it is.
    pub state: RunState,
    /// Why it ended.
    pub ended_because: Option<String>,
    /// Time of the first sample.
    pub started_at: DateTime<Utc>,
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Share of the rate without aliases.
    pub clean_share: f64,
    /// Samples a channel, gaps included.
    pub samples: i64,
    /// Front end in words.
    pub front_end: String,
    /// The recorder; empty for one that stores all.
    pub recorder: String,
    /// The first run of those recorded together, which start at the same sample.
    pub together: Option<i64>,
    /// By how much the recorder divided the front end's rate.
    pub divide: i32,
    /// Who began it.
    pub who: String,
    /// What there is to say of it.
    pub remark: String,
    /// Words it is found by.
    pub tags: Vec<String>,
    /// Bytes it takes, packed, with its pyramid; known when it has ended.
    pub bytes: i64,
    /// The file it was brought in from.
    pub brought: Option<Json<Brought>>,
}

/// A channel of a run as it was recorded.
#[derive(Debug, Clone)]
pub struct RunChannel {
    /// Number in the run, from 1.
    pub channel: i16,
    /// V, C or V/V a count, as the row's coupling takes.
    pub volts_per_count: f64,
    /// The row of the channel table at that time.
    pub row: Channel,
}

/// Why a stretch between takes is not there: nobody asked for it.
pub const BETWEEN_TAKES: &str = "between takes";

/// A stretch that did not arrive, or was not asked for.
#[derive(Debug, Clone, PartialEq)]
pub struct Gap {
    /// First missing sample.
    pub first_sample: i64,
    /// How many.
    pub samples: i64,
    /// Why.
    pub why: String,
}

impl Gap {
    /// Whether it lies between takes: nothing is missing there.
    pub fn between_takes(&self) -> bool {
        self.why == BETWEEN_TAKES
    }
}

impl Store {
    /// Opens a run: the row is there before any sample. One that is brought in is out of every list until it is closed.
    ///
    /// # Errors
    /// The database is away.
    pub async fn open_run(&self, new: &NewRun) -> Result<Run> {
        self.ownership().check()?;
        let mut tx = self.pool().begin().await?;
        // The campaign's row is the lock that keeps two runs from taking one number.
        sqlx::query!("SELECT id FROM campaign WHERE id = $1 FOR UPDATE", new.campaign).fetch_one(&mut *tx).await?;
        let run = sqlx::query_as!(
            Run,
            r#"INSERT INTO run (campaign_id, number, kind, state, sample_rate_hz, clean_share, front_end, rig, plan, recorder, together, divide, who, brought, deleted_at, tended)
               VALUES ($1, (SELECT coalesce(max(number), 0) + 1 FROM run WHERE campaign_id = $1), $2, 'recording', $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, CASE WHEN $12::jsonb IS NOT NULL THEN now() END, $12::jsonb IS NOT NULL)
               RETURNING id, campaign_id, number, kind, state AS "state: RunState", ended_because, started_at, sample_rate_hz, clean_share, samples, front_end, recorder, together, divide, who, remark, tags, bytes, brought AS "brought: Json<Brought>""#,
            new.campaign, new.kind, new.sample_rate_hz, new.clean_share, new.front_end,
            serde_json::to_value(&new.rig)?, serde_json::to_value(&new.plan)?, new.recorder, new.together, new.divide as i32,
            new.who, new.brought.as_ref().map(serde_json::to_value).transpose()?
        )
        .fetch_one(&mut *tx)
        .await?;
        let json = |of: fn(&Channel) -> serde_json::Result<serde_json::Value>| {
            new.channels.iter().map(|(row, _)| of(row)).collect::<serde_json::Result<Vec<_>>>()
        };
        let (rows, sensitivities) =
            (json(|r| serde_json::to_value(r))?, json(|r| serde_json::to_value(&r.sensitivity))?);
        let inputs: Vec<i16> = new.channels.iter().map(|(row, _)| row.input as i16).collect();
        let volts: Vec<f64> = new.channels.iter().map(|(_, volts)| *volts).collect();
        sqlx::query!(
            "INSERT INTO run_channel (run_id, channel, input, volts_per_count, body)
             SELECT $1, n::smallint, i, v, b FROM unnest($2::smallint[], $3::float8[], $4::jsonb[]) WITH ORDINALITY AS u(i, v, b, n)",
            run.id,
            &inputs,
            &volts,
            &rows
        )
        .execute(&mut *tx)
        .await?;
        sqlx::query!(
            "INSERT INTO calibration (run_id, channel, sensitivity, reason, who, recorded)
             SELECT $1, n::smallint, s, 'as recorded', 'rig', true FROM unnest($2::jsonb[]) WITH ORDINALITY AS u(s, n) ORDER BY n",
            run.id,
            &sensitivities
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(run)
    }

    /// Notes that a run keeps samples from now on, which it did not while it only waited.
    ///
    /// # Errors
    /// The database is away.
    pub async fn begin_run(&self, run: i64) -> Result<()> {
        self.ownership().check()?;
        sqlx::query!("UPDATE run SET begun = true WHERE id = $1", run).execute(self.pool()).await?;
        Ok(())
    }

    /// Closes a run with its length.
    ///
    /// # Errors
    /// The database is away.
    pub async fn close_run(&self, run: i64, samples: i64, whole: bool, because: &str) -> Result<()> {
        self.ownership().check()?;
        let state = if whole { RunState::Whole } else { RunState::Broken };
        sqlx::query!(
            "UPDATE run SET state = $2, samples = $3, ended_because = $4, deleted_at = CASE WHEN brought IS NULL THEN deleted_at END, bytes =
                 (SELECT coalesce(sum(octet_length(counts) + octet_length(fine) + octet_length(coarse)), 0) FROM chunk WHERE run_id = $1)
             WHERE id = $1",
            run,
            state.word(),
            samples,
            because
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Takes a run away with all it holds.
    ///
    /// # Errors
    /// The database is away.
    pub async fn delete_run(&self, run: i64) -> Result<()> {
        self.ownership().check()?;
        let mut tx = self.pool().begin().await?;
        // What was made of it alone goes with it; what was made of others too stays, and is told as stale.
        sqlx::query!(
            "DELETE FROM result WHERE id IN (SELECT result_id FROM result_input WHERE run_id = $1)
             AND NOT EXISTS (SELECT FROM result_input i WHERE i.result_id = result.id AND i.run_id IS DISTINCT FROM $1)",
            run
        )
        .execute(&mut *tx)
        .await?;
        sqlx::query!("DELETE FROM run WHERE id = $1", run).execute(&mut *tx).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Closes runs that a crash left open at their last whole chunk; gives their keys. Those that
    /// were only armed hold nothing and go.
    ///
    /// # Errors
    /// The database is away.
    pub async fn recover(&self) -> Result<Vec<i64>> {
        sqlx::query!(
            "DELETE FROM run WHERE state = 'recording' AND brought IS NULL AND NOT begun AND NOT EXISTS (SELECT FROM chunk WHERE chunk.run_id = run.id)"
        )
        .execute(self.pool())
        .await?;
        Ok(sqlx::query_scalar!(
            r#"UPDATE run SET state = 'broken', ended_because = 'the server stopped while recording',
                 samples = coalesce((SELECT min(top) FROM
                     (SELECT coalesce((SELECT max(first_sample + samples) FROM chunk c
                                       WHERE c.run_id = run.id AND c.channel = rc.channel), 0) AS top
                      FROM run_channel rc WHERE rc.run_id = run.id) t), 0)
               WHERE state = 'recording' AND brought IS NULL RETURNING id"#
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Runs of a campaign, oldest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn runs(&self, campaign: i64) -> Result<Vec<Run>> {
        Ok(sqlx::query_as!(
            Run,
            r#"SELECT id, campaign_id, number, kind, state AS "state: RunState", ended_because, started_at, sample_rate_hz, clean_share, samples, front_end, recorder, together, divide, who, remark, tags, bytes, brought AS "brought: Json<Brought>"
             FROM run WHERE campaign_id = $1 AND deleted_at IS NULL ORDER BY number"#,
            campaign
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// A run.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn run(&self, id: i64) -> Result<Run> {
        sqlx::query_as!(
            Run,
            r#"SELECT id, campaign_id, number, kind, state AS "state: RunState", ended_because, started_at, sample_rate_hz, clean_share, samples, front_end, recorder, together, divide, who, remark, tags, bytes, brought AS "brought: Json<Brought>"
             FROM run WHERE id = $1 AND deleted_at IS NULL"#,
            id
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| StoreError::Missing(format!("run {id}")))
    }

    /// The plan a run was recorded by.
    ///
    /// # Errors
    /// There is no such run, or the database is away.
    pub async fn run_plan(&self, run: i64) -> Result<Plan> {
        let plan = sqlx::query_scalar!("SELECT plan FROM run WHERE id = $1", run)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| StoreError::Missing(format!("run {run}")))?;
        Ok(serde_json::from_value(plan)?)
    }

    /// Channels of a run as recorded.
    ///
    /// # Errors
    /// The database is away.
    pub async fn run_channels(&self, run: i64) -> Result<Vec<RunChannel>> {
        let rows = sqlx::query!(
            "SELECT channel, volts_per_count, body FROM run_channel WHERE run_id = $1 ORDER BY channel",
            run
        )
        .fetch_all(self.pool())
        .await?;
        rows.into_iter()
            .map(|r| {
                Ok(RunChannel {
                    channel: r.channel,
                    volts_per_count: r.volts_per_count,
                    row: serde_json::from_value(r.body)?,
                })
            })
            .collect()
    }

    /// Gaps of a run.
    ///
    /// # Errors
    /// The database is away.
    pub async fn gaps(&self, run: i64) -> Result<Vec<Gap>> {
        Ok(sqlx::query_as!(
            Gap,
            "SELECT first_sample, samples, why FROM gap WHERE run_id = $1 ORDER BY first_sample",
            run
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Channels of a run whose range was exceeded.
    ///
    /// # Errors
    /// The database is away.
    pub async fn clipped(&self, run: i64) -> Result<Vec<i16>> {
        Ok(sqlx::query_scalar!("SELECT DISTINCT channel FROM chunk WHERE run_id = $1 AND over_range ORDER BY 1", run)
            .fetch_all(self.pool())
            .await?)
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
