//! Benches: displays or lenses kept under a name.

use crate::state::Station;
use crate::{Result, Store, StoreError};

impl Store {
    /// Keeps a bench under its name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn keep_bench(
        &self,
        campaign: i64,
        station: Station,
        name: &str,
        body: &serde_json::Value,
    ) -> Result<()> {
        sqlx::query!(
            "INSERT INTO bench (campaign_id, station, name, body) VALUES ($1, $2, $3, $4)
             ON CONFLICT (campaign_id, station, name) DO UPDATE SET body = excluded.body",
            campaign,
            station.word(),
            name,
            body
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Lets a bench go.
    ///
    /// # Errors
    /// There is none of that name, or the database is away.
    pub async fn drop_bench(&self, campaign: i64, station: Station, name: &str) -> Result<()> {
        let done = sqlx::query!(
            "DELETE FROM bench WHERE campaign_id = $1 AND station = $2 AND name = $3",
            campaign,
            station.word(),
            name
        )
        .execute(self.pool())
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("bench “{name}”")));
        }
        Ok(())
    }

    /// Benches of a station, by name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn benches(&self, campaign: i64, station: Station) -> Result<Vec<(String, serde_json::Value)>> {
        let rows = sqlx::query!(
            "SELECT name, body FROM bench WHERE campaign_id = $1 AND station = $2 ORDER BY name",
            campaign,
            station.word()
        )
        .fetch_all(self.pool())
        .await?;
        Ok(rows.into_iter().map(|r| (r.name, r.body)).collect())
    }
}
