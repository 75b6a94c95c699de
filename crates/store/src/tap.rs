//! Tap series: their plan, their runs, what became of each hit.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::impact::{Hit, ImpactPlan, ImpactSession};
use serde_json::Value;

/// A series in short.
#[derive(Debug, Clone, PartialEq)]
pub struct SeriesShort {
    /// Key.
    pub id: i64,
    /// Number in the campaign.
    pub number: i32,
    /// Points in its list.
    pub points: i32,
    /// Hits so far.
    pub hits: i64,
    /// Who began it.
    pub who: String,
    /// When.
    pub begun_at: DateTime<Utc>,
}

/// A series as it stands.
#[derive(Debug, Clone, PartialEq)]
pub struct Series {
    /// Key.
    pub id: i64,
    /// Campaign.
    pub campaign: i64,
    /// Number in the campaign.
    pub number: i32,
    /// Counts up with every change.
    pub version: i64,
    /// Where it is.
    pub session: ImpactSession,
    /// Runs it was recorded in.
    pub runs: Vec<i64>,
    /// Who began it.
    pub who: String,
    /// When.
    pub begun_at: DateTime<Utc>,
}

impl Store {
    /// Begins a series; gives its key.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn begin_series(&self, campaign: i64, plan: &ImpactPlan, who: &str) -> Result<i64> {
        Ok(sqlx::query_scalar!(
            "INSERT INTO tap_series (campaign_id, number, plan, who)
             SELECT $1, coalesce(max(number), 0) + 1, $2, $3 FROM tap_series WHERE campaign_id = $1 RETURNING id",
            campaign,
            serde_json::to_value(plan)?,
            who
        )
        .fetch_one(self.pool())
        .await?)
    }

    /// Series of a campaign, the newest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn all_series(&self, campaign: i64) -> Result<Vec<SeriesShort>> {
        Ok(sqlx::query_as!(
            SeriesShort,
            r#"SELECT id, number, jsonb_array_length(plan->'points') AS "points!", who, begun_at,
                      (SELECT count(*) FROM tap_hit h WHERE h.series_id = s.id) AS "hits!"
               FROM tap_series s WHERE campaign_id = $1 ORDER BY number DESC"#,
            campaign
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// A series.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn series(&self, id: i64) -> Result<Series> {
        let row = sqlx::query!(
            "SELECT campaign_id, number, version, plan, at, skipped, who, begun_at FROM tap_series WHERE id = $1",
            id
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| StoreError::Missing(format!("tap series {id}")))?;
        let hits = sqlx::query!(
            "SELECT point, run_id, take, verdict, state FROM tap_hit WHERE series_id = $1 ORDER BY nth",
            id
        )
        .fetch_all(self.pool())
        .await?;
        let runs = sqlx::query_scalar!("SELECT run_id FROM tap_run WHERE series_id = $1 ORDER BY run_id", id)
            .fetch_all(self.pool())
            .await?;
        let hits = hits
            .into_iter()
            .map(|h| {
                Ok(Hit {
                    point: h.point as usize,
                    run: h.run_id,
                    take: h.take as u32,
                    verdict: serde_json::from_value(h.verdict)?,
                    state: serde_json::from_value(Value::String(h.state))?,
                })
            })
            .collect::<Result<Vec<Hit>>>()?;
        let skipped = row.skipped.into_iter().map(|p| p as usize).collect();
        let session = ImpactSession::resumed(serde_json::from_value(row.plan)?, row.at.max(0) as usize, skipped, hits)
            .map_err(|e| StoreError::Refused(e.says))?;
        let (number, version, who, begun_at) = (row.number, row.version, row.who, row.begun_at);
        Ok(Series { id, campaign: row.campaign_id, number, version, session, runs, who, begun_at })
    }

    /// Writes a series as it stands now, on the version it was changed from; gives the new version.
    ///
    /// # Errors
    /// [`StoreError::Stale`] where somebody else was first, or the database is away.
    pub async fn write_series(&self, id: i64, from: i64, session: &ImpactSession) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        let skipped: Vec<i32> = session.skipped().iter().map(|p| *p as i32).collect();
        let version = sqlx::query_scalar!(
            "UPDATE tap_series SET plan = $3, at = $4, skipped = $5, version = version + 1
             WHERE id = $1 AND version = $2 RETURNING version",
            id,
            from,
            serde_json::to_value(session.plan())?,
            session.at() as i32,
            &skipped
        )
        .fetch_optional(&mut *tx)
        .await?;
        let Some(version) = version else {
            return Err(StoreError::Stale("tap series", self.series(id).await?.version));
        };
        let hits: Value = session
            .hits()
            .iter()
            .enumerate()
            .map(|(k, h)| {
                Ok(serde_json::json!({
                    "nth": k + 1, "point": h.point, "run_id": h.run, "take": h.take,
                    "verdict": serde_json::to_value(&h.verdict)?, "state": serde_json::to_value(h.state)?,
                }))
            })
            .collect::<Result<Vec<Value>>>()?
            .into();
        sqlx::query!(
            "INSERT INTO tap_hit (series_id, nth, point, run_id, take, verdict, state)
             SELECT $1, nth, point, run_id, take, verdict, state FROM jsonb_to_recordset($2)
             AS h(nth int, point int, run_id bigint, take int, verdict jsonb, state text)
             ON CONFLICT (series_id, nth) DO UPDATE SET state = excluded.state, verdict = excluded.verdict,
                point = excluded.point, run_id = excluded.run_id, take = excluded.take
             WHERE (tap_hit.state, tap_hit.verdict, tap_hit.point) IS DISTINCT FROM
                   (excluded.state, excluded.verdict, excluded.point)",
            id,
            hits
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(version)
    }

    /// Notes that a run is recorded for a series.
    ///
    /// # Errors
    /// Either is gone, or the database is away.
    pub async fn add_series_run(&self, series: i64, run: i64) -> Result<()> {
        sqlx::query!("INSERT INTO tap_run (series_id, run_id) VALUES ($1, $2) ON CONFLICT DO NOTHING", series, run)
            .execute(self.pool())
            .await?;
        Ok(())
    }

    /// Lets a series go, with its responses; the runs stay.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn delete_series(&self, id: i64) -> Result<()> {
        let done = sqlx::query!("DELETE FROM tap_series WHERE id = $1", id).execute(self.pool()).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("tap series {id}")));
        }
        Ok(())
    }
}
