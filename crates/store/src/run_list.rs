//! The list of runs: described, deleted, brought back, moved to another campaign.

use crate::{Result, Store, StoreError};
use sqlx::PgConnection;

/// What is counted of a run for the list.
#[derive(Debug, Clone, PartialEq)]
pub struct Counted {
    /// The run.
    pub run_id: i64,
    /// Channels it stores.
    pub channels: i64,
    /// Its takes.
    pub takes: i64,
    /// Its marks.
    pub marks: i64,
    /// Kept results it is part of.
    pub results: i64,
}

/// A run that was deleted and can be brought back.
#[derive(Debug, Clone, PartialEq)]
pub struct DeletedRun {
    /// Key.
    pub id: i64,
    /// Number.
    pub number: i32,
    /// What it was called.
    pub kind: String,
    /// Bytes that are given back.
    pub bytes: i64,
    /// When it goes for good.
    pub gone_at: chrono::DateTime<chrono::Utc>,
}

/// What a run is called and said to be.
#[derive(Debug, Clone, PartialEq)]
pub struct Description<'a> {
    /// What it is called.
    pub kind: &'a str,
    /// What there is to say of it.
    pub remark: &'a str,
    /// Words it is found by.
    pub tags: &'a [String],
}

fn missing(run: i64) -> StoreError {
    StoreError::Missing(format!("run {run}"))
}

/// Writes down what somebody did to a run.
async fn log(tx: &mut PgConnection, who: &str, campaign: i64, what: &str, detail: &serde_json::Value) -> Result<()> {
    sqlx::query!(
        "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, $3, $4)",
        who,
        campaign,
        what,
        detail
    )
    .execute(tx)
    .await?;
    Ok(())
}

impl Store {
    /// What is counted of the runs of a campaign.
    ///
    /// # Errors
    /// The database is away.
    pub async fn counted_runs(&self, campaign: i64) -> Result<Vec<Counted>> {
        Ok(sqlx::query_as!(
            Counted,
            r#"SELECT id AS run_id,
                      (SELECT count(*) FROM run_channel c WHERE c.run_id = run.id) AS "channels!",
                      (SELECT count(*) FROM take t WHERE t.run_id = run.id) AS "takes!",
                      (SELECT count(*) FROM mark m WHERE m.run_id = run.id) AS "marks!",
                      (SELECT count(DISTINCT i.result_id) FROM result_input i JOIN result r ON r.id = i.result_id
                       WHERE i.run_id = run.id AND r.deleted_at IS NULL) AS "results!"
               FROM run WHERE campaign_id = $1 AND deleted_at IS NULL ORDER BY number"#,
            campaign
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Says anew what a run is called, what there is to say of it and by which words it is found.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn describe_run(&self, run: i64, to: &Description<'_>, who: &str) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let was = sqlx::query!(
            "SELECT campaign_id, number, kind, remark, tags FROM run WHERE id = $1 AND deleted_at IS NULL FOR UPDATE",
            run
        )
        .fetch_optional(&mut *tx)
        .await?
        .ok_or_else(|| missing(run))?;
        sqlx::query!(
            "UPDATE run SET kind = $2, remark = $3, tags = $4 WHERE id = $1",
            run,
            to.kind,
            to.remark,
            to.tags
        )
        .execute(&mut *tx)
        .await?;
        let detail = serde_json::json!({
            "run": was.number,
            "from": { "kind": was.kind, "remark": was.remark, "tags": was.tags },
            "to": { "kind": to.kind, "remark": to.remark, "tags": to.tags },
        });
        log(&mut tx, who, was.campaign_id, "run described", &detail).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Deletes a run, so that it can be brought back for a day.
    ///
    /// # Errors
    /// [`StoreError::Refused`] while it is recorded; there is none of that key, or the database is away.
    pub async fn put_run_away(&self, run: i64, who: &str) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let was = sqlx::query!(
            "SELECT campaign_id, number, kind, state FROM run WHERE id = $1 AND deleted_at IS NULL FOR UPDATE",
            run
        )
        .fetch_optional(&mut *tx)
        .await?
        .ok_or_else(|| missing(run))?;
        if was.state == "recording" {
            return Err(StoreError::Refused(format!(
                "run {} is being recorded; stop it before deleting it",
                was.number
            )));
        }
        sqlx::query!("UPDATE run SET deleted_at = now() WHERE id = $1", run).execute(&mut *tx).await?;
        let detail = serde_json::json!({ "run": was.number, "kind": was.kind });
        log(&mut tx, who, was.campaign_id, "run deleted", &detail).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Brings a deleted run back.
    ///
    /// # Errors
    /// None of that key was deleted within a day, or the database is away.
    pub async fn bring_run_back(&self, run: i64, who: &str) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let back = sqlx::query!(
            "UPDATE run SET deleted_at = NULL WHERE id = $1 AND deleted_at IS NOT NULL AND state <> 'recording'
             RETURNING campaign_id, number",
            run
        )
        .fetch_optional(&mut *tx)
        .await?
        .ok_or_else(|| StoreError::Missing(format!("deleted run {run}")))?;
        let detail = serde_json::json!({ "run": back.number });
        log(&mut tx, who, back.campaign_id, "run brought back", &detail).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Runs of a campaign that can be brought back, those deleted last first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn deleted_runs(&self, campaign: i64) -> Result<Vec<DeletedRun>> {
        Ok(sqlx::query_as!(
            DeletedRun,
            r#"SELECT id, number, kind, bytes, deleted_at + interval '1 day' AS "gone_at!"
               FROM run WHERE campaign_id = $1 AND deleted_at IS NOT NULL AND state <> 'recording' ORDER BY deleted_at DESC"#,
            campaign
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Moves a run into another campaign, with those it was recorded together with and with results that were made
    /// of them alone; each takes the next free number there.
    ///
    /// # Errors
    /// [`StoreError::Refused`] while one of them is recorded; the run or the campaign is not there, or the database
    /// is away.
    pub async fn move_run(&self, run: i64, to: i64, who: &str) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let there =
            sqlx::query_scalar!("SELECT name FROM campaign WHERE id = $1 AND deleted_at IS NULL FOR UPDATE", to)
                .fetch_optional(&mut *tx)
                .await?;
        let Some(name) = there else { return Err(StoreError::Missing(format!("campaign {to}"))) };
        let all = sqlx::query!(
            "SELECT r.id, r.campaign_id, r.number, r.state FROM run r, run asked
             WHERE asked.id = $1 AND asked.deleted_at IS NULL
               AND coalesce(r.together, r.id) = coalesce(asked.together, asked.id) ORDER BY r.number FOR UPDATE OF r",
            run
        )
        .fetch_all(&mut *tx)
        .await?;
        let Some(first) = all.first() else { return Err(missing(run)) };
        if first.campaign_id == to {
            return Ok(());
        }
        if let Some(going) = all.iter().find(|r| r.state == "recording") {
            let says = format!("run {} is being recorded; stop it before moving it", going.number);
            return Err(StoreError::Refused(says));
        }
        let ids: Vec<i64> = all.iter().map(|r| r.id).collect();
        sqlx::query!(
            "UPDATE run SET campaign_id = $2, number = n.number FROM
                 (SELECT id, row_number() OVER (ORDER BY place) + (SELECT coalesce(max(number), 0) FROM run WHERE campaign_id = $2) AS number
                  FROM unnest($1::bigint[]) WITH ORDINALITY AS u(id, place)) n
             WHERE run.id = n.id",
            &ids,
            to
        )
        .execute(&mut *tx)
        .await?;
        // A name that is used there for the same runs cannot be: they were not there.
        sqlx::query!(
            "UPDATE result SET campaign_id = $2 WHERE campaign_id = $3
             AND EXISTS (SELECT FROM result_input i WHERE i.result_id = result.id AND i.run_id = ANY($1))
             AND NOT EXISTS (SELECT FROM result_input i WHERE i.result_id = result.id
                             AND (i.other_id IS NOT NULL OR i.run_id IS NULL OR i.run_id <> ALL($1)))",
            &ids,
            to,
            first.campaign_id
        )
        .execute(&mut *tx)
        .await?;
        let numbers: Vec<i32> = all.iter().map(|r| r.number).collect();
        let detail = serde_json::json!({ "runs": numbers, "to": name });
        log(&mut tx, who, first.campaign_id, "run moved", &detail).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Says when a run began, where that is known better than by its row.
    ///
    /// # Errors
    /// The database is away.
    pub async fn date_run(&self, run: i64, at: chrono::DateTime<chrono::Utc>) -> Result<()> {
        sqlx::query!("UPDATE run SET started_at = $2 WHERE id = $1", run, at).execute(self.pool()).await?;
        Ok(())
    }

    /// Lets everything go that was deleted more than a day ago.
    ///
    /// # Errors
    /// The database is away.
    pub async fn sweep(&self) -> Result<()> {
        self.ownership().check()?;
        let old = "deleted_at < now() - interval '1 day'";
        for table in ["result", "campaign"] {
            let text = format!("DELETE FROM {table} WHERE {old}");
            sqlx::query(sqlx::AssertSqlSafe(text)).execute(self.pool()).await?;
        }
        let runs = sqlx::query_scalar!("SELECT id FROM run WHERE deleted_at < now() - interval '1 day'");
        for run in runs.fetch_all(self.pool()).await? {
            self.delete_run(run).await?;
        }
        Ok(())
    }

    /// What a run was made by, in the words it is compared by: its rig and plan as they stood.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn run_rig(&self, run: i64) -> Result<echo_job::rig::Rig> {
        let rig = sqlx::query_scalar!("SELECT rig FROM run WHERE id = $1", run)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(run))?;
        Ok(serde_json::from_value(rig)?)
    }
}
