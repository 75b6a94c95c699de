//! Notes on curves of runs.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use serde::Serialize;
use utoipa::ToSchema;

/// A note on a curve.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
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
}
