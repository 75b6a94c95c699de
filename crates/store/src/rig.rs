//! Rigs: the one in use with all its versions, those kept under a name, findings let pass.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::caution::Waiver;
use echo_job::rig::Rig;
use serde_json::Value;

/// A rig with the version it has in the database.
#[derive(Debug, Clone, PartialEq)]
pub struct VersionedRig {
    /// Counts up with every change.
    pub version: i64,
    /// The rig.
    pub rig: Rig,
}

/// A version in short.
#[derive(Debug, Clone, PartialEq)]
pub struct RigVersion {
    /// Its number.
    pub version: i64,
    /// Who made it.
    pub who: String,
    /// What was changed, in words.
    pub what: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A rig kept under a name, in short.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptRig {
    /// Key.
    pub id: i64,
    /// Campaign it belongs to.
    pub campaign_id: i64,
    /// Its campaign's name.
    pub campaign: String,
    /// Its name.
    pub name: String,
    /// Version it was kept from.
    pub version: i64,
    /// Who kept it.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

fn missing(campaign: i64) -> StoreError {
    StoreError::Missing(format!("campaign {campaign}"))
}

impl Store {
    /// The rig of a campaign.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn rig(&self, campaign: i64) -> Result<VersionedRig> {
        let row = sqlx::query!("SELECT rig, rig_version FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(campaign))?;
        Ok(VersionedRig { version: row.rig_version, rig: serde_json::from_value(row.rig)? })
    }

    /// Replaces the rig, if it still has the version the change was made on.
    ///
    /// # Errors
    /// [`StoreError::Stale`] when somebody else was faster.
    pub async fn save_rig(
        &self,
        campaign: i64,
        made_on: i64,
        rig: &Rig,
        who: &str,
        what: &str,
        detail: Value,
    ) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        let body = serde_json::to_value(rig)?;
        let version = sqlx::query_scalar!(
            "UPDATE campaign SET rig = $3, rig_version = rig_version + 1 WHERE id = $1 AND rig_version = $2 RETURNING rig_version",
            campaign, made_on, body
        )
        .fetch_optional(&mut *tx)
        .await?;
        let Some(version) = version else {
            drop(tx);
            return Err(StoreError::Stale("rig", self.rig(campaign).await?.version));
        };
        sqlx::query!(
            "INSERT INTO rig_version (campaign_id, version, rig, who, what) VALUES ($1, $2, $3, $4, $5)",
            campaign,
            version,
            body,
            who,
            what
        )
        .execute(&mut *tx)
        .await?;
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'rig', $3)",
            who,
            campaign,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(version)
    }

    /// The newest versions of a campaign's rig, newest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn rig_versions(&self, campaign: i64, most: i64) -> Result<Vec<RigVersion>> {
        Ok(sqlx::query_as!(
            RigVersion,
            "SELECT version, who, what, at FROM rig_version WHERE campaign_id = $1 ORDER BY version DESC LIMIT $2",
            campaign,
            most
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// One version of a campaign's rig.
    ///
    /// # Errors
    /// There is none of that number, or the database is away.
    pub async fn rig_at(&self, campaign: i64, version: i64) -> Result<Rig> {
        let body = sqlx::query_scalar!(
            "SELECT rig FROM rig_version WHERE campaign_id = $1 AND version = $2",
            campaign,
            version
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| StoreError::Missing(format!("version {version} of the rig")))?;
        Ok(serde_json::from_value(body)?)
    }

    /// Who made the newest version of a rig.
    ///
    /// # Errors
    /// The database is away.
    pub async fn rig_author(&self, campaign: i64) -> Result<Option<String>> {
        Ok(sqlx::query_scalar!(
            "SELECT who FROM rig_version WHERE campaign_id = $1 ORDER BY version DESC LIMIT 1",
            campaign
        )
        .fetch_optional(self.pool())
        .await?)
    }

    /// Keeps a rig under a name, replacing one of the same name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn keep_rig(&self, campaign: i64, name: &str, version: i64, rig: &Rig, who: &str) -> Result<i64> {
        Ok(sqlx::query_scalar!(
            "INSERT INTO kept_rig (campaign_id, name, version, rig, who) VALUES ($1, $2, $3, $4, $5)
             ON CONFLICT (campaign_id, name) DO UPDATE SET version = excluded.version, rig = excluded.rig, who = excluded.who, at = now()
             RETURNING id",
            campaign,
            name,
            version,
            serde_json::to_value(rig)?,
            who
        )
        .fetch_one(self.pool())
        .await?)
    }

    /// Rigs kept under a name, of all campaigns.
    ///
    /// # Errors
    /// The database is away.
    pub async fn kept_rigs(&self) -> Result<Vec<KeptRig>> {
        Ok(sqlx::query_as!(
            KeptRig,
            "SELECT k.id, k.campaign_id, c.name AS campaign, k.name, k.version, k.who, k.at
             FROM kept_rig k JOIN campaign c ON c.id = k.campaign_id ORDER BY k.campaign_id, k.name"
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// A rig kept under a name.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn kept_rig(&self, id: i64) -> Result<Rig> {
        let body = sqlx::query_scalar!("SELECT rig FROM kept_rig WHERE id = $1", id)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| StoreError::Missing(format!("kept rig {id}")))?;
        Ok(serde_json::from_value(body)?)
    }

    /// Findings that are let pass in a campaign.
    ///
    /// # Errors
    /// The database is away.
    pub async fn waivers(&self, campaign: i64) -> Result<Vec<Waiver>> {
        let rows = sqlx::query!(
            "SELECT rule, input, says, reason, who, at FROM waiver WHERE campaign_id = $1 AND taken_back IS NULL ORDER BY id",
            campaign
        )
        .fetch_all(self.pool())
        .await?;
        let read = |input: Option<i32>| input.and_then(|i| u16::try_from(i).ok());
        Ok(rows
            .into_iter()
            .map(|r| Waiver {
                rule: r.rule,
                input: read(r.input),
                says: r.says,
                reason: r.reason,
                who: r.who,
                at: r.at,
            })
            .collect())
    }

    /// Lets a finding pass.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn waive(&self, campaign: i64, w: &Waiver) -> Result<()> {
        sqlx::query!(
            "INSERT INTO waiver (campaign_id, rule, input, says, reason, who, at) VALUES ($1, $2, $3, $4, $5, $6, $7)",
            campaign,
            w.rule,
            w.input.map(i32::from),
            w.says,
            w.reason,
            w.who,
            w.at
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Takes back that a finding is let pass; the record of it stays.
    ///
    /// # Errors
    /// The database is away.
    pub async fn take_back_waiver(&self, campaign: i64, rule: &str, input: Option<u16>) -> Result<()> {
        sqlx::query!(
            "UPDATE waiver SET taken_back = now()
             WHERE campaign_id = $1 AND rule = $2 AND input IS NOT DISTINCT FROM $3 AND taken_back IS NULL",
            campaign,
            rule,
            input.map(i32::from)
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }
}
