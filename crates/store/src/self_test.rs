//! What front ends found of their inputs when they were tested.

use crate::{Result, Store};
use chrono::{DateTime, Utc};
use serde_json::Value;

/// A test of some inputs.
#[derive(Debug, Clone, PartialEq)]
pub struct SelfTest {
    /// When.
    pub at: DateTime<Utc>,
    /// Who asked for it.
    pub who: String,
    /// The front end, in words.
    pub front_end: String,
    /// What was found, a list.
    pub inputs: Value,
}

impl Store {
    /// Keeps a test.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn keep_self_test(&self, campaign: i64, who: &str, front_end: &str, inputs: &Value) -> Result<()> {
        sqlx::query!(
            "INSERT INTO self_test (campaign_id, who, front_end, inputs) VALUES ($1, $2, $3, $4)",
            campaign,
            who,
            front_end,
            inputs
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Tests of a campaign's inputs, the newest first, up to so many.
    ///
    /// # Errors
    /// The database is away.
    pub async fn self_tests(&self, campaign: i64, most: i64) -> Result<Vec<SelfTest>> {
        Ok(sqlx::query_as!(
            SelfTest,
            "SELECT at, who, front_end, inputs FROM self_test WHERE campaign_id = $1 ORDER BY id DESC LIMIT $2",
            campaign,
            most
        )
        .fetch_all(self.pool())
        .await?)
    }
}
