//! Computed channels of campaigns.

use crate::{Result, Store, StoreError};
use echo_job::math::MathChannel;

impl Store {
    /// Computed channels of a campaign.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn math(&self, campaign: i64) -> Result<Vec<MathChannel>> {
        Ok(self.versioned_math(campaign).await?.0)
    }

    /// The same with their version.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn versioned_math(&self, campaign: i64) -> Result<(Vec<MathChannel>, i64)> {
        let row = sqlx::query!("SELECT math, math_version FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| StoreError::Missing(format!("campaign {campaign}")))?;
        Ok((serde_json::from_value(row.math)?, row.math_version))
    }

    /// Replaces the computed channels of a campaign that were changed on version `made_on`, or whatever is there
    /// where none is told; the change is logged. Gives the new version.
    ///
    /// # Errors
    /// [`StoreError::Stale`] when somebody else was faster; there is no such campaign, or the database is away.
    pub async fn save_math(&self, campaign: i64, made_on: Option<i64>, math: &[MathChannel], who: &str) -> Result<i64> {
        let body = serde_json::to_value(math)?;
        let mut tx = self.pool().begin().await?;
        let before = sqlx::query_scalar!("SELECT math FROM campaign WHERE id = $1 FOR UPDATE", campaign)
            .fetch_optional(&mut *tx)
            .await?
            .ok_or_else(|| StoreError::Missing(format!("campaign {campaign}")))?;
        let detail = serde_json::json!({ "from": before, "to": math });
        let done = sqlx::query_scalar!(
            "UPDATE campaign SET math = $2, math_version = math_version + 1
             WHERE id = $1 AND math_version = coalesce($3, math_version) RETURNING math_version",
            campaign,
            body,
            made_on
        )
        .fetch_optional(&mut *tx)
        .await?;
        let Some(version) = done else {
            drop(tx);
            return Err(StoreError::Stale("computed channels", self.versioned_math(campaign).await?.1));
        };
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'computed channels', $3)",
            who,
            campaign,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(version)
    }
}
