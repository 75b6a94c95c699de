//! Jobs: work that outlives a request, in parts that workers on any machine make.
//!
//! What waits, who takes it and what becomes of it when a worker dies is the queue's, a library's with a
//! schema of its own; here stands what a part is to make, how far it is, and what came of it.

mod mark;

pub use mark::Mark;

use crate::state::PartState;
use crate::{Result, Store, StoreError};
use serde_json::Value;

/// A part of a job.
#[derive(Debug, Clone, PartialEq)]
pub struct JobPart {
    /// Place in the job, from 1.
    pub place: i32,
    /// What is to be made.
    pub wish: Value,
    /// Where it is.
    pub state: PartState,
    /// Share done, 0 to 1.
    pub share: f64,
    /// Why it could not be made.
    pub says: String,
    /// What it made.
    pub made: Made,
    /// Who works on it, or did last.
    pub worker: String,
}

/// One part, as the queue carries it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct PartKey {
    /// The job.
    pub job: i64,
    /// The part's place.
    pub place: i32,
}

/// What a part made, where that is not a file.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Made {
    /// A kept result.
    pub result: Option<i64>,
    /// A run.
    pub run: Option<i64>,
    /// A campaign.
    pub campaign: Option<i64>,
}

/// What came of a part.
#[derive(Debug, Clone, PartialEq)]
pub enum Came {
    /// It is made.
    Done(Made),
    /// It cannot be made, and why.
    Refused(String),
    /// It was stopped.
    Stopped,
}

/// Name of the queue's task that makes a part.
pub const PART_TASK: &str = "make_part";

/// Bytes of a piece of a file.
pub const PIECE: usize = 1 << 20;

impl Store {
    /// Begins a job of parts and puts them into the queue, all or nothing; gives its key. Those of a smaller
    /// `turn` come first.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn begin_job(&self, campaign: Option<i64>, (wishes, turn): (&[Value], i16), who: &str) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        let job = Store::begin_job_in(&mut tx, campaign, (wishes, turn), who).await?;
        tx.commit().await?;
        Ok(job)
    }

    /// The same within a transaction.
    pub(crate) async fn begin_job_in(
        tx: &mut sqlx::PgTransaction<'_>,
        campaign: Option<i64>,
        (wishes, turn): (&[Value], i16),
        who: &str,
    ) -> Result<i64> {
        let job = sqlx::query_scalar!("INSERT INTO job (campaign_id, who) VALUES ($1, $2) RETURNING id", campaign, who)
            .fetch_one(&mut **tx)
            .await?;
        sqlx::query!(
            "INSERT INTO job_part (job_id, place, wish)
             SELECT $1, (n)::int, w FROM unnest($2::jsonb[]) WITH ORDINALITY AS u(w, n)",
            job,
            wishes
        )
        .execute(&mut **tx)
        .await?;
        Store::queue_parts(tx, job, turn).await?;
        Ok(job)
    }

    /// Puts the parts of a job that wait into the queue; one that stands there already stands there once.
    async fn queue_parts(tx: &mut sqlx::PgTransaction<'_>, job: i64, turn: i16) -> Result<()> {
        // The queue's own function: what is stored and what is queued are one transaction.
        sqlx::query(
            "SELECT graphile_worker.add_job($1, json_build_object('job', job_id, 'place', place), max_attempts => 1000,
                                               priority => $3, job_key => format('part %s of %s', place, job_id))
             FROM job_part WHERE job_id = $2 AND state = 'waiting' ORDER BY place",
        )
        .bind(PART_TASK)
        .bind(job)
        .bind(i32::from(turn))
        .execute(&mut **tx)
        .await?;
        Ok(())
    }

    /// Lets a job that was stopped go on: what was not made waits again, in the turn `turn`. Gives how many parts that
    /// are.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn resume_job(&self, job: i64, turn: i16) -> Result<usize> {
        let mut tx = self.pool().begin().await?;
        let done = sqlx::query!("UPDATE job SET stopped = false WHERE id = $1", job).execute(&mut *tx).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("job {job}")));
        }
        let waits = sqlx::query!("UPDATE job_part SET state = 'waiting' WHERE job_id = $1 AND state = 'stopped'", job)
            .execute(&mut *tx)
            .await?
            .rows_affected();
        // One that has not yet heard of its stop is let stop.
        if waits > 0 {
            Store::queue_parts(&mut tx, job, turn).await?;
            tx.commit().await?;
        }
        Ok(waits as usize)
    }

    /// Parts of a job, in their order.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn job_parts(&self, job: i64) -> Result<Vec<JobPart>> {
        let rows = sqlx::query!(
            r#"SELECT place, wish, state AS "state: PartState", share, says, result_id, made_run, made_campaign, worker
               FROM job_part WHERE job_id = $1 ORDER BY place"#,
            job
        )
        .fetch_all(self.pool())
        .await?;
        let parts: Vec<JobPart> = rows
            .into_iter()
            .map(|r| JobPart {
                place: r.place,
                wish: r.wish,
                state: r.state,
                share: r.share,
                says: r.says,
                made: Made { result: r.result_id, run: r.made_run, campaign: r.made_campaign },
                worker: r.worker,
            })
            .collect();
        if parts.is_empty() { Err(StoreError::Missing(format!("job {job}"))) } else { Ok(parts) }
    }

    /// The campaign of a job; none for one that makes a campaign.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn job_campaign(&self, job: i64) -> Result<Option<i64>> {
        let row = sqlx::query_scalar!("SELECT campaign_id FROM job WHERE id = $1", job).fetch_optional(self.pool());
        row.await?.ok_or_else(|| StoreError::Missing(format!("job {job}")))
    }

    /// Stops a job: what waits is not made any more, what goes is told so.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn stop_job(&self, job: i64) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let done = sqlx::query!("UPDATE job SET stopped = true WHERE id = $1", job).execute(&mut *tx).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("job {job}")));
        }
        sqlx::query!("UPDATE job_part SET state = 'stopped' WHERE job_id = $1 AND state = 'waiting'", job)
            .execute(&mut *tx)
            .await?;
        tx.commit().await?;
        Ok(())
    }

    /// A worker takes a part; gives the campaign, what is to be made and who asked, or nothing where there is
    /// no more to do.
    ///
    /// # Errors
    /// The database is away.
    pub async fn take_part(&self, key: PartKey, worker: &str) -> Result<Option<(Option<i64>, Value, String)>> {
        let mut tx = self.pool().begin().await?;
        sqlx::query!(
            "UPDATE job_part SET state = 'stopped' FROM job
             WHERE job.id = job_id AND job_id = $1 AND place = $2 AND state = 'going' AND stopped",
            key.job,
            key.place
        )
        .execute(&mut *tx)
        .await?;
        let row = sqlx::query!(
            "UPDATE job_part SET state = 'going', share = 0, worker = $3 FROM job
             WHERE job.id = job_id AND job_id = $1 AND place = $2 AND state IN ('waiting', 'going') AND NOT stopped
             RETURNING job.campaign_id, wish, who",
            key.job,
            key.place,
            worker
        )
        .fetch_optional(&mut *tx)
        .await?;
        // What a worker that died has left of a file that cannot be gone on with.
        sqlx::query!(
            "DELETE FROM job_file f WHERE job_id = $1 AND place = $2
             AND NOT EXISTS (SELECT FROM job_mark m WHERE m.job_id = f.job_id AND m.place = f.place)",
            key.job,
            key.place
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(row.map(|r| (r.campaign_id, r.wish, r.who)))
    }

    /// Tells how far a part is; false where it is to stop: the job was stopped, or another worker has it.
    ///
    /// # Errors
    /// The database is away.
    pub async fn tell_part(&self, key: PartKey, worker: &str, share: f64) -> Result<bool> {
        let stopped = sqlx::query_scalar!(
            "UPDATE job_part SET share = $4 FROM job
             WHERE job.id = job_id AND job_id = $1 AND place = $2 AND worker = $3 AND state = 'going' RETURNING stopped",
            key.job,
            key.place,
            worker,
            share
        )
        .fetch_optional(self.pool())
        .await?;
        Ok(stopped == Some(false))
    }

    /// Tells what came of a part, unless another worker has it by now.
    ///
    /// # Errors
    /// The database is away.
    pub async fn end_part(&self, key: PartKey, worker: &str, came: &Came) -> Result<()> {
        let (state, says, made) = match came {
            Came::Done(made) => (PartState::Done, "", *made),
            Came::Refused(says) => (PartState::Refused, says.as_str(), Made::default()),
            Came::Stopped => (PartState::Stopped, "", Made::default()),
        };
        sqlx::query!(
            "UPDATE job_part SET state = $4, says = $5, result_id = $6, made_run = $7, made_campaign = $8,
                 share = CASE WHEN $4 = 'stopped' THEN share ELSE 1 END
             WHERE job_id = $1 AND place = $2 AND worker = $3 AND state = 'going'",
            key.job,
            key.place,
            worker,
            state as PartState,
            says,
            made.result,
            made.run,
            made.campaign
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Writes a piece of the file that a part makes.
    ///
    /// # Errors
    /// The part is gone, or the database is away.
    pub async fn write_piece(&self, key: PartKey, piece: i32, bytes: &[u8]) -> Result<()> {
        sqlx::query!(
            "INSERT INTO job_file (job_id, place, piece, bytes) VALUES ($1, $2, $3, $4)
             ON CONFLICT (job_id, place, piece) DO UPDATE SET bytes = excluded.bytes",
            key.job,
            key.place,
            piece,
            bytes
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// A piece of the file that a part made, from 0; nothing after the last.
    ///
    /// # Errors
    /// The database is away.
    pub async fn piece(&self, key: PartKey, piece: i32) -> Result<Option<Vec<u8>>> {
        Ok(sqlx::query_scalar!(
            "SELECT bytes FROM job_file WHERE job_id = $1 AND place = $2 AND piece = $3",
            key.job,
            key.place,
            piece
        )
        .fetch_optional(self.pool())
        .await?)
    }

    /// Bytes of the file that a part made.
    ///
    /// # Errors
    /// The database is away.
    pub async fn file_bytes(&self, key: PartKey) -> Result<i64> {
        Ok(sqlx::query_scalar!(
            r#"SELECT coalesce(sum(octet_length(bytes)), 0)::bigint AS "bytes!" FROM job_file WHERE job_id = $1 AND place = $2"#,
            key.job,
            key.place
        )
        .fetch_one(self.pool())
        .await?)
    }

    /// Lets jobs go that were asked for more than so many hours ago and are not going, with their files; kept
    /// results stay.
    ///
    /// # Errors
    /// The database is away.
    pub async fn forget_jobs(&self, hours: i32) -> Result<u64> {
        let done = sqlx::query!(
            "DELETE FROM job WHERE asked_at < now() - make_interval(hours => $1)
             AND NOT EXISTS (SELECT FROM job_part WHERE job_id = job.id AND state IN ('waiting', 'going'))",
            hours
        )
        .execute(self.pool())
        .await?;
        Ok(done.rows_affected())
    }

    /// Pool of the queue, which brings its own tables.
    pub fn queue_pool(&self) -> sqlx::PgPool {
        self.pool().clone()
    }
}
