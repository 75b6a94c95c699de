//! Computed channels of campaigns.

use crate::{Result, Store, StoreError};
use echo_job::math::MathChannel;

impl Store {
    /// Computed channels of a campaign.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn math(&self, campaign: i64) -> Result<Vec<MathChannel>> {
        let body = sqlx::query_scalar!("SELECT math FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| StoreError::Missing(format!("campaign {campaign}")))?;
        Ok(serde_json::from_value(body)?)
    }

    /// Replaces the computed channels of a campaign; the change is logged.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn save_math(&self, campaign: i64, math: &[MathChannel], who: &str) -> Result<()> {
        let before = self.math(campaign).await?;
        let body = serde_json::to_value(math)?;
        let detail = serde_json::json!({ "from": before, "to": math });
        let mut tx = self.pool().begin().await?;
        sqlx::query!("UPDATE campaign SET math = $2 WHERE id = $1", campaign, body).execute(&mut *tx).await?;
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'computed channels', $3)",
            who,
            campaign,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }
}
