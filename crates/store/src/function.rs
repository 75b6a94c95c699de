//! Responses between two degrees of freedom, one row each, as doubles rather than as text.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::dof::Dof;
use echo_job::impact::Quality;
use serde::{Deserialize, Serialize};

/// A hit that a response was made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct HitOf {
    /// The run.
    pub run: i64,
    /// Its take.
    pub take: u32,
}

/// A response without its values.
#[derive(Debug, Clone, PartialEq)]
pub struct FunctionHead {
    /// Key; 0 for one that is to be kept.
    pub id: i64,
    /// The series it is of.
    pub series: Option<i64>,
    /// Place of its point in the series.
    pub point: i32,
    /// Whether both ends stay from point to point.
    pub stays: bool,
    /// The file it was brought in with; empty for a series.
    pub source: String,
    /// Where it answers.
    pub response: Dof,
    /// Where it is hit.
    pub reference: Dof,
    /// Unit.
    pub unit: String,
    /// First frequency, Hz.
    pub first_hz: f64,
    /// Distance of the lines, Hz.
    pub step_hz: f64,
    /// Lines.
    pub lines: i32,
    /// How good it is.
    pub quality: Quality,
    /// Hits it was made of.
    pub hits: Vec<HitOf>,
    /// What a window added to the decay, 1/s.
    pub added_decay: f64,
    /// Whether it is left out of what is made of responses.
    pub taken_out: bool,
    /// Who had it made.
    pub who: String,
    /// When.
    pub made_at: DateTime<Utc>,
}

/// A response with its values.
#[derive(Debug, Clone, PartialEq)]
pub struct Function {
    /// What it is of.
    pub head: FunctionHead,
    /// Real and imaginary parts in turn.
    pub parts: Vec<f64>,
    /// Coherence; none where it is not known.
    pub coherence: Option<Vec<f64>>,
}

fn bytes(values: &[f64]) -> Vec<u8> {
    values.iter().flat_map(|v| v.to_le_bytes()).collect()
}

fn doubles(bytes: &[u8]) -> Vec<f64> {
    bytes.as_chunks::<8>().0.iter().map(|b| f64::from_le_bytes(*b)).collect()
}

struct Row {
    id: i64,
    series_id: Option<i64>,
    point: i32,
    stays: bool,
    source: String,
    response: serde_json::Value,
    reference: serde_json::Value,
    unit: String,
    first_hz: f64,
    step_hz: f64,
    lines: i32,
    quality: serde_json::Value,
    hits: serde_json::Value,
    added_decay: f64,
    taken_out: bool,
    who: String,
    made_at: DateTime<Utc>,
}

impl Row {
    fn read(self) -> Result<FunctionHead> {
        Ok(FunctionHead {
            id: self.id,
            series: self.series_id,
            point: self.point,
            stays: self.stays,
            source: self.source,
            response: serde_json::from_value(self.response)?,
            reference: serde_json::from_value(self.reference)?,
            unit: self.unit,
            first_hz: self.first_hz,
            step_hz: self.step_hz,
            lines: self.lines,
            quality: serde_json::from_value(self.quality)?,
            hits: serde_json::from_value(self.hits)?,
            added_decay: self.added_decay,
            taken_out: self.taken_out,
            who: self.who,
            made_at: self.made_at,
        })
    }
}

impl Store {
    /// Keeps responses of a point of a series in the place of those it had; none of them takes it out.
    ///
    /// # Errors
    /// The series is gone, or the database is away.
    pub async fn keep_functions(&self, campaign: i64, series: i64, point: i32, all: &[Function]) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let out: Vec<serde_json::Value> = sqlx::query_scalar!(
            r#"SELECT jsonb_build_array(response, reference) AS "pair!" FROM response_function
               WHERE series_id = $1 AND point = $2 AND taken_out"#,
            series,
            point
        )
        .fetch_all(&mut *tx)
        .await?;
        sqlx::query!("DELETE FROM response_function WHERE series_id = $1 AND point = $2", series, point)
            .execute(&mut *tx)
            .await?;
        for f in all {
            // What was taken out stays out though it is made anew.
            let pair = serde_json::json!([f.head.response, f.head.reference]);
            insert(&mut tx, campaign, f, out.contains(&pair)).await?;
        }
        tx.commit().await?;
        Ok(())
    }

    /// Keeps responses of a file, in the place of those of a file of that name.
    ///
    /// # Errors
    /// The campaign is gone, or the database is away.
    pub async fn keep_brought_functions(&self, campaign: i64, source: &str, all: &[Function]) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        sqlx::query!(
            "DELETE FROM response_function WHERE campaign_id = $1 AND series_id IS NULL AND source = $2",
            campaign,
            source
        )
        .execute(&mut *tx)
        .await?;
        for f in all {
            insert(&mut tx, campaign, f, false).await?;
        }
        tx.commit().await?;
        Ok(())
    }

    /// Responses of a campaign without their values: of series in the order of their points, then of files.
    ///
    /// # Errors
    /// The database is away.
    pub async fn function_heads(&self, campaign: i64) -> Result<Vec<FunctionHead>> {
        let rows = sqlx::query_as!(
            Row,
            "SELECT id, series_id, point, stays, source, response, reference, unit, first_hz, step_hz, lines, quality,
                    hits, added_decay, taken_out, who, made_at
             FROM response_function WHERE campaign_id = $1 ORDER BY series_id NULLS LAST, source, point, stays, id",
            campaign
        )
        .fetch_all(self.pool())
        .await?;
        rows.into_iter().map(Row::read).collect()
    }

    /// Values of responses in the order of their keys, each with its key: parts in turn, and coherence.
    ///
    /// # Errors
    /// The database is away.
    pub async fn function_values(&self, keys: &[i64]) -> Result<Vec<(i64, Vec<f64>, Option<Vec<f64>>)>> {
        let rows =
            sqlx::query!("SELECT id, parts, coherence FROM response_function WHERE id = ANY($1) ORDER BY id", keys)
                .fetch_all(self.pool())
                .await?;
        Ok(rows.into_iter().map(|r| (r.id, doubles(&r.parts), r.coherence.map(|c| doubles(&c)))).collect())
    }

    /// Takes responses out of what is made of them, or in again.
    ///
    /// # Errors
    /// The database is away.
    pub async fn take_functions(&self, campaign: i64, keys: &[i64], out: bool) -> Result<u64> {
        let done = sqlx::query!(
            "UPDATE response_function SET taken_out = $3 WHERE campaign_id = $1 AND id = ANY($2)",
            campaign,
            keys,
            out
        );
        Ok(done.execute(self.pool()).await?.rows_affected())
    }

    /// Deletes responses that were brought in; those of a series belong to its hits.
    ///
    /// # Errors
    /// [`StoreError::Refused`] for one of a series, or the database is away.
    pub async fn delete_functions(&self, campaign: i64, keys: &[i64]) -> Result<()> {
        let done = sqlx::query!(
            "DELETE FROM response_function WHERE campaign_id = $1 AND id = ANY($2) AND series_id IS NULL",
            campaign,
            keys
        )
        .execute(self.pool())
        .await?;
        if done.rows_affected() < keys.len() as u64 {
            let says = "responses of a tap series belong to its hits; take them out instead, or make their point anew";
            return Err(StoreError::Refused(says.into()));
        }
        Ok(())
    }
}

async fn insert(tx: &mut sqlx::PgConnection, campaign: i64, f: &Function, out: bool) -> Result<()> {
    let h = &f.head;
    sqlx::query!(
        "INSERT INTO response_function (campaign_id, series_id, point, stays, source, response, reference, unit, first_hz,
                step_hz, lines, parts, coherence, quality, hits, added_decay, taken_out, who)
         VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18)",
        campaign,
        h.series,
        h.point,
        h.stays,
        h.source,
        serde_json::to_value(&h.response)?,
        serde_json::to_value(&h.reference)?,
        h.unit,
        h.first_hz,
        h.step_hz,
        h.lines,
        bytes(&f.parts),
        f.coherence.as_deref().map(bytes),
        serde_json::to_value(&h.quality)?,
        serde_json::to_value(&h.hits)?,
        h.added_decay,
        out,
        h.who
    )
    .execute(tx)
    .await?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn doubles_come_back_to_the_last_bit() {
        let all = [0.1, -3.5e-300, f64::MAX, 0.0];
        assert_eq!(doubles(&bytes(&all)), all);
        assert!(doubles(&bytes(&[f64::NAN]))[0].is_nan());
    }
}
