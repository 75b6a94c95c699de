//! Takes inside a run, and marks set while it was recorded or afterwards.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};

/// A capture inside a run.
#[derive(Debug, Clone, PartialEq)]
pub struct StoredTake {
    /// Number, from 1.
    pub number: i32,
    /// Sample of the trigger.
    pub trigger_sample: i64,
    /// First sample kept.
    pub first_sample: i64,
    /// Samples that were to be kept; none while open.
    pub samples: Option<i64>,
    /// What brought it about.
    pub says: String,
}

/// A word at a place of a run.
#[derive(Debug, Clone, PartialEq)]
pub struct Mark {
    /// Key.
    pub id: i64,
    /// Where.
    pub sample: i64,
    /// The word.
    pub says: String,
    /// Who set it.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

impl Store {
    /// Writes takes of a run; one that is there already gets its new length.
    ///
    /// # Errors
    /// The database is away.
    pub async fn write_takes(&self, run: i64, takes: &[StoredTake]) -> Result<()> {
        let (mut numbers, mut triggers, mut firsts) = (Vec::new(), Vec::new(), Vec::new());
        // An open take travels as a length of −1.
        let (mut samples, mut says): (Vec<i64>, Vec<String>) = (Vec::new(), Vec::new());
        for t in takes {
            numbers.push(t.number);
            triggers.push(t.trigger_sample);
            firsts.push(t.first_sample);
            samples.push(t.samples.unwrap_or(-1));
            says.push(t.says.clone());
        }
        sqlx::query!(
            "INSERT INTO take (run_id, number, trigger_sample, first_sample, samples, says)
             SELECT $1, n, t, f, nullif(s, -1), w
             FROM unnest($2::int[], $3::bigint[], $4::bigint[], $5::bigint[], $6::text[]) AS u(n, t, f, s, w)
             ON CONFLICT (run_id, number) DO UPDATE SET samples = excluded.samples",
            run,
            &numbers,
            &triggers,
            &firsts,
            &samples,
            &says
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Takes of a run, in their order.
    ///
    /// # Errors
    /// The database is away.
    pub async fn takes(&self, run: i64) -> Result<Vec<StoredTake>> {
        Ok(sqlx::query_as!(
            StoredTake,
            "SELECT number, trigger_sample, first_sample, samples, says FROM take WHERE run_id = $1 ORDER BY number",
            run
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Sets a mark.
    ///
    /// # Errors
    /// There is no such run, or the database is away.
    pub async fn mark(&self, run: i64, sample: i64, says: &str, who: &str) -> Result<Mark> {
        self.run(run).await?;
        Ok(sqlx::query_as!(
            Mark,
            "INSERT INTO mark (run_id, sample, says, who) VALUES ($1, $2, $3, $4) RETURNING id, sample, says, who, at",
            run,
            sample,
            says,
            who
        )
        .fetch_one(self.pool())
        .await?)
    }

    /// Takes a mark away.
    ///
    /// # Errors
    /// There is no such mark, or the database is away.
    pub async fn unmark(&self, run: i64, mark: i64) -> Result<()> {
        let done =
            sqlx::query!("DELETE FROM mark WHERE run_id = $1 AND id = $2", run, mark).execute(self.pool()).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("mark {mark} of run {run}")));
        }
        Ok(())
    }

    /// Marks of a run, in the order of their places.
    ///
    /// # Errors
    /// The database is away.
    pub async fn marks(&self, run: i64) -> Result<Vec<Mark>> {
        Ok(sqlx::query_as!(
            Mark,
            "SELECT id, sample, says, who, at FROM mark WHERE run_id = $1 ORDER BY sample, id",
            run
        )
        .fetch_all(self.pool())
        .await?)
    }
}
