//! What is known of a specimen: its sheet with the geometry, pictures, and the surface its points are put onto.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use serde_json::Value;

/// What a file of a specimen is, without its bytes.
#[derive(Debug, Clone, PartialEq)]
pub struct SpecimenFile {
    /// Key.
    pub id: i64,
    /// Whose it is.
    pub campaign_id: i64,
    /// `picture` or `surface`.
    pub kind: String,
    /// Its name.
    pub name: String,
    /// What its bytes are.
    pub media_type: String,
    /// How many m its unit is, of a surface.
    pub to_m: f64,
    /// How many bytes it has.
    pub size: i64,
    /// Who brought it.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A file that is to be kept with a specimen.
#[derive(Debug, Clone, PartialEq)]
pub struct NewSpecimenFile<'a> {
    /// `picture` or `surface`; of surfaces there is one, the newest.
    pub kind: &'a str,
    /// Its name.
    pub name: &'a str,
    /// What its bytes are.
    pub media_type: &'a str,
    /// How many m its unit is.
    pub to_m: f64,
    /// Its bytes.
    pub bytes: &'a [u8],
}

fn missing(id: i64) -> StoreError {
    StoreError::Missing(format!("campaign {id}"))
}

impl Store {
    /// The sheet of a campaign's specimen, as it was written, and its version.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn specimen(&self, campaign: i64) -> Result<(Value, i64)> {
        let row = sqlx::query!("SELECT specimen_sheet, specimen_version FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(campaign))?;
        Ok((row.specimen_sheet, row.specimen_version))
    }

    /// Version of that sheet.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn specimen_version(&self, campaign: i64) -> Result<i64> {
        sqlx::query_scalar!("SELECT specimen_version FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(campaign))
    }

    /// Replaces the sheet that was changed on version `made_on`, or whatever is there where none is told, and writes
    /// down who did and, in `detail`, what of it; gives the new version.
    ///
    /// # Errors
    /// [`StoreError::Stale`] when somebody else was faster; there is no such campaign, or the database is away.
    pub async fn save_specimen(
        &self,
        campaign: i64,
        made_on: Option<i64>,
        sheet: &Value,
        (who, detail): (&str, &Value),
    ) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        let done = sqlx::query_scalar!(
            "UPDATE campaign SET specimen_sheet = $2, specimen_version = specimen_version + 1
             WHERE id = $1 AND deleted_at IS NULL AND specimen_version = coalesce($3, specimen_version) RETURNING specimen_version",
            campaign,
            sheet,
            made_on
        )
        .fetch_optional(&mut *tx)
        .await?;
        let Some(version) = done else {
            drop(tx);
            return Err(StoreError::Stale("specimen", self.specimen_version(campaign).await?));
        };
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'specimen', $3)",
            who,
            campaign,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(version)
    }

    /// Files of a specimen without their bytes, oldest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn specimen_files(&self, campaign: i64) -> Result<Vec<SpecimenFile>> {
        Ok(sqlx::query_as!(
            SpecimenFile,
            r#"SELECT id, campaign_id, kind, name, media_type, to_m, octet_length(bytes)::bigint AS "size!", who, at
               FROM specimen_file WHERE campaign_id = $1 ORDER BY id"#,
            campaign
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// A file of a specimen, and its bytes.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn specimen_file(&self, id: i64) -> Result<(SpecimenFile, Vec<u8>)> {
        let file = sqlx::query_as!(
            SpecimenFile,
            r#"SELECT id, campaign_id, kind, name, media_type, to_m, octet_length(bytes)::bigint AS "size!", who, at
               FROM specimen_file WHERE id = $1"#,
            id
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| StoreError::Missing(format!("file {id} of a specimen")))?;
        let bytes = sqlx::query_scalar!("SELECT bytes FROM specimen_file WHERE id = $1", id);
        Ok((file, bytes.fetch_one(self.pool()).await?))
    }

    /// Keeps a file with a specimen; a surface replaces the one before it. Gives its key.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn keep_specimen_file(&self, campaign: i64, file: &NewSpecimenFile<'_>, who: &str) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        if file.kind == "surface" {
            sqlx::query!("DELETE FROM specimen_file WHERE campaign_id = $1 AND kind = 'surface'", campaign)
                .execute(&mut *tx)
                .await?;
        }
        let id = sqlx::query_scalar!(
            "INSERT INTO specimen_file (campaign_id, kind, name, media_type, to_m, bytes, who)
             SELECT id, $2, $3, $4, $5, $6, $7 FROM campaign WHERE id = $1 RETURNING id",
            campaign,
            file.kind,
            file.name,
            file.media_type,
            file.to_m,
            file.bytes,
            who
        )
        .fetch_optional(&mut *tx)
        .await?
        .ok_or_else(|| missing(campaign))?;
        // What comes with a campaign file is in its own list of changes.
        let detail = serde_json::json!({ "added": file.name });
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail)
             SELECT $1, id, 'specimen', $3 FROM campaign WHERE id = $2 AND deleted_at IS NULL",
            who,
            campaign,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(id)
    }

    /// Removes a file of a specimen.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn remove_specimen_file(&self, id: i64, who: &str) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let gone = sqlx::query!("DELETE FROM specimen_file WHERE id = $1 RETURNING campaign_id, name", id)
            .fetch_optional(&mut *tx)
            .await?
            .ok_or_else(|| StoreError::Missing(format!("file {id} of a specimen")))?;
        let detail = serde_json::json!({ "removed": gone.name });
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'specimen', $3)",
            who,
            gone.campaign_id,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }
}
