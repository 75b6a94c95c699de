//! What is done by itself: what ended, what of it is still to be done, and what came of it.

use crate::state::PartState;
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use serde_json::Value;

/// What ended and was not looked at yet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Untended {
    /// A recording.
    Run {
        /// Its key.
        id: i64,
        /// Number of the round it was recorded for.
        round: Option<i32>,
        /// Whether it was recorded for a tap series.
        tap: bool,
        /// Whether it is the first of those that were recorded together.
        first: bool,
    },
    /// Rounds.
    Schedule {
        /// Key of the schedule.
        id: i64,
    },
    /// A tap series that is not known to be whole.
    Series {
        /// Its key.
        id: i64,
        /// Counts up with every change.
        version: i64,
    },
}

/// What ended, with its campaign and its number there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ended {
    /// What.
    pub what: Untended,
    /// Its campaign.
    pub campaign: i64,
    /// Its number in the campaign.
    pub number: i32,
}

/// One thing that is done by itself.
#[derive(Debug, Clone, PartialEq)]
pub struct StoredDeed {
    /// Key.
    pub id: i64,
    /// Campaign.
    pub campaign_id: i64,
    /// What ended.
    pub ending: String,
    /// Its number in the campaign.
    pub number: i32,
    /// The run, where it is about one that is still there.
    pub run_id: Option<i64>,
    /// What is done.
    pub deed: Value,
    /// Where it is.
    pub state: PartState,
    /// The job that does it.
    pub job_id: Option<i64>,
    /// Share of it that is done, where somebody works on it.
    pub share: Option<f64>,
    /// Who that is.
    pub worker: Option<String>,
    /// Key of the kept result that was made, for as long as the job is known.
    pub result_id: Option<i64>,
    /// Why it could not be done.
    pub says: String,
    /// Where its file lies, below the folder for files.
    pub path: String,
    /// When what it follows ended.
    pub begun_at: DateTime<Utc>,
    /// When it was done.
    pub ended_at: Option<DateTime<Utc>>,
}

impl Store {
    /// What ended and was not looked at yet. A run that may be the one of a round that is being measured is left for
    /// later.
    ///
    /// # Errors
    /// The database is away.
    pub async fn untended(&self) -> Result<Vec<Ended>> {
        let runs = sqlx::query!(
            r#"SELECT run.id, campaign_id, run.number, r.number AS "round?", together IS NULL AS "first!",
                      EXISTS (SELECT FROM tap_run t WHERE t.run_id = run.id) AS "tap!"
               FROM run LEFT JOIN round r ON r.run_id = run.id
               WHERE NOT tended AND run.state <> 'recording' AND deleted_at IS NULL
               AND NOT EXISTS (SELECT FROM round g JOIN schedule s ON s.id = g.schedule_id
                               WHERE s.campaign_id = run.campaign_id AND g.state = 'going')
               ORDER BY run.id"#
        )
        .fetch_all(self.pool())
        .await?;
        let others = sqlx::query!(
            r#"SELECT 'schedule' AS "what!", id AS "id!", campaign_id AS "campaign_id!", 0::bigint AS "version!",
                      (SELECT count(*) FROM schedule o WHERE o.campaign_id = s.campaign_id AND o.id <= s.id)::int AS "number!"
               FROM schedule s WHERE NOT tended AND state <> 'going'
               AND NOT EXISTS (SELECT FROM round g WHERE g.schedule_id = s.id AND g.state = 'going')
               UNION ALL
               SELECT 'series', id, campaign_id, version, number FROM tap_series WHERE NOT tended"#
        )
        .fetch_all(self.pool())
        .await?;
        let runs = runs.into_iter().map(|r| Ended {
            what: Untended::Run { id: r.id, round: r.round, tap: r.tap, first: r.first },
            campaign: r.campaign_id,
            number: r.number,
        });
        let others = others.into_iter().map(|o| Ended {
            what: match o.what.as_str() {
                "schedule" => Untended::Schedule { id: o.id },
                _ => Untended::Series { id: o.id, version: o.version },
            },
            campaign: o.campaign_id,
            number: o.number,
        });
        Ok(runs.chain(others).collect())
    }

    /// Notes that what ended was looked at, and what is to be done: both or neither, and only once.
    ///
    /// # Errors
    /// The database is away.
    pub async fn tend(&self, ended: &Ended, ending: &str, deeds: &[Value]) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let (run, done) = match ended.what {
            Untended::Run { id, .. } => {
                let q = sqlx::query!("UPDATE run SET tended = true WHERE id = $1 AND NOT tended", id);
                (Some(id), q.execute(&mut *tx).await?)
            }
            Untended::Schedule { id } => {
                let q = sqlx::query!("UPDATE schedule SET tended = true WHERE id = $1 AND NOT tended", id);
                (None, q.execute(&mut *tx).await?)
            }
            Untended::Series { id, .. } => {
                let q = sqlx::query!("UPDATE tap_series SET tended = true WHERE id = $1 AND NOT tended", id);
                (None, q.execute(&mut *tx).await?)
            }
        };
        if done.rows_affected() == 0 {
            return Ok(());
        }
        sqlx::query!(
            "INSERT INTO deed (campaign_id, ending, number, run_id, deed)
             SELECT $1, $2, $3, $4, d FROM unnest($5::jsonb[]) WITH ORDINALITY AS u(d, n) ORDER BY n",
            ended.campaign,
            ending,
            ended.number,
            run,
            deeds
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// What is still to be done, in its order.
    ///
    /// # Errors
    /// The database is away.
    pub async fn open_deeds(&self) -> Result<Vec<StoredDeed>> {
        Ok(sqlx::query_as!(
            StoredDeed,
            r#"SELECT d.id, campaign_id, ending, number, run_id, deed, d.state AS "state: PartState", d.job_id, CASE WHEN p.state <> 'done' THEN p.share END AS "share?",
                      p.worker AS "worker?", p.result_id AS "result_id?", d.says, path, begun_at, ended_at
               FROM deed d LEFT JOIN job_part p ON p.job_id = d.job_id AND p.state IN ('going', 'done', 'stopped') WHERE d.state IN ('waiting', 'going') ORDER BY d.id"#
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// What was done by itself in a campaign, and what is still to be done: the newest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn deeds(&self, campaign: i64, most: i64) -> Result<Vec<StoredDeed>> {
        Ok(sqlx::query_as!(
            StoredDeed,
            r#"SELECT d.id, campaign_id, ending, number, run_id, deed, d.state AS "state: PartState", d.job_id, CASE WHEN p.state <> 'done' THEN p.share END AS "share?",
                      p.worker AS "worker?", p.result_id AS "result_id?", d.says, path, begun_at, ended_at
               FROM deed d LEFT JOIN job_part p ON p.job_id = d.job_id AND p.state IN ('going', 'done', 'stopped') WHERE campaign_id = $1 ORDER BY begun_at DESC, d.id LIMIT $2"#,
            campaign,
            most
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// One of them.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn deed(&self, id: i64) -> Result<StoredDeed> {
        sqlx::query_as!(
            StoredDeed,
            r#"SELECT d.id, campaign_id, ending, number, run_id, deed, d.state AS "state: PartState", d.job_id, CASE WHEN p.state <> 'done' THEN p.share END AS "share?",
                      p.worker AS "worker?", p.result_id AS "result_id?", d.says, path, begun_at, ended_at
               FROM deed d LEFT JOIN job_part p ON p.job_id = d.job_id AND p.state IN ('going', 'done', 'stopped') WHERE d.id = $1"#,
            id
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| StoreError::Missing(format!("{id} among what is done by itself")))
    }

    /// Begins the job of a deed that waits, or whose job is gone: both or neither.
    ///
    /// # Errors
    /// The database is away.
    pub async fn begin_deed(&self, deed: &StoredDeed, (wish, turn): (Value, i16), who: &str) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let job = Store::begin_job_in(&mut tx, Some(deed.campaign_id), (&[wish], turn), who).await?;
        let done = sqlx::query!(
            "UPDATE deed SET state = 'going', job_id = $2 WHERE id = $1 AND state IN ('waiting', 'going')",
            deed.id,
            job
        )
        .execute(&mut *tx)
        .await?;
        // Stopped meanwhile: nobody would wait for what the job makes.
        if done.rows_affected() > 0 {
            tx.commit().await?;
        }
        Ok(())
    }

    /// Notes where the file of a deed will lie: who goes on after a crash writes the same one.
    ///
    /// # Errors
    /// The database is away.
    pub async fn place_deed(&self, id: i64, path: &str) -> Result<()> {
        sqlx::query!("UPDATE deed SET path = $2 WHERE id = $1", id, path).execute(self.pool()).await?;
        Ok(())
    }

    /// Notes what came of a deed that waits or goes.
    ///
    /// # Errors
    /// The database is away.
    pub async fn end_deed(&self, id: i64, state: PartState, says: &str) -> Result<()> {
        sqlx::query!(
            "UPDATE deed SET state = $2, says = $3, ended_at = now() WHERE id = $1 AND state IN ('waiting', 'going')",
            id,
            state as PartState,
            says
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Puts a deed back among those that wait.
    ///
    /// # Errors
    /// The database is away.
    pub async fn retry_deed(&self, id: i64) -> Result<()> {
        sqlx::query!(
            "UPDATE deed SET state = 'waiting', job_id = NULL, says = '', path = '', ended_at = NULL
             WHERE id = $1 AND state <> 'done'",
            id
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Lets a deed that was stopped go on with the job that it has. False where it has none.
    ///
    /// # Errors
    /// The database is away.
    pub async fn resume_deed(&self, id: i64) -> Result<bool> {
        let done = sqlx::query!(
            "UPDATE deed SET state = 'going', says = '', ended_at = NULL
             WHERE id = $1 AND state = 'stopped' AND job_id IS NOT NULL",
            id
        )
        .execute(self.pool())
        .await?;
        Ok(done.rows_affected() > 0)
    }
}
