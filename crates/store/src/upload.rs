//! Files that were sent to be brought in, in pieces.

use crate::job::PIECE;
use crate::{Result, Store, StoreError};

/// A file that was sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Upload {
    /// Key.
    pub id: i64,
    /// Its name, as it was sent.
    pub name: String,
    /// Its bytes.
    pub bytes: i64,
    /// SHA-256 of them, hexadecimal.
    pub sha256: String,
}

impl Store {
    /// Begins to take a file; gives its key.
    ///
    /// # Errors
    /// The database is away.
    pub async fn begin_upload(&self, name: &str, who: &str) -> Result<i64> {
        sqlx::query!("DELETE FROM upload WHERE at < now() - interval '2 days'").execute(self.pool()).await?;
        let id = sqlx::query_scalar!("INSERT INTO upload (name, who) VALUES ($1, $2) RETURNING id", name, who);
        Ok(id.fetch_one(self.pool()).await?)
    }

    /// Writes a piece of a file that is being sent, from 0; each but the last has [`PIECE`] bytes.
    ///
    /// # Errors
    /// The database is away.
    pub async fn write_upload(&self, upload: i64, piece: i32, bytes: &[u8]) -> Result<()> {
        debug_assert!(bytes.len() <= PIECE);
        sqlx::query!("INSERT INTO upload_piece (upload_id, piece, bytes) VALUES ($1, $2, $3)", upload, piece, bytes)
            .execute(self.pool())
            .await?;
        Ok(())
    }

    /// Ends a file that is whole.
    ///
    /// # Errors
    /// The database is away.
    pub async fn end_upload(&self, upload: i64, bytes: i64, sha256: &str) -> Result<()> {
        sqlx::query!("UPDATE upload SET bytes = $2, sha256 = $3 WHERE id = $1", upload, bytes, sha256)
            .execute(self.pool())
            .await?;
        Ok(())
    }

    /// A file that was sent whole.
    ///
    /// # Errors
    /// There is none of that key, it is not whole, or the database is away.
    pub async fn upload(&self, id: i64) -> Result<Upload> {
        let row = sqlx::query!(
            r#"SELECT name, bytes AS "bytes!", sha256 AS "sha256!" FROM upload WHERE id = $1 AND bytes IS NOT NULL"#,
            id
        )
        .fetch_optional(self.pool())
        .await?;
        let row = row.ok_or_else(|| StoreError::Missing(format!("file {id} that was sent")))?;
        Ok(Upload { id, name: row.name, bytes: row.bytes, sha256: row.sha256 })
    }

    /// A piece of a file that was sent, from 0; nothing after the last.
    ///
    /// # Errors
    /// The database is away.
    pub async fn upload_piece(&self, upload: i64, piece: i32) -> Result<Option<Vec<u8>>> {
        let bytes =
            sqlx::query_scalar!("SELECT bytes FROM upload_piece WHERE upload_id = $1 AND piece = $2", upload, piece);
        Ok(bytes.fetch_optional(self.pool()).await?)
    }

    /// Lets a file that was sent go.
    ///
    /// # Errors
    /// The database is away.
    pub async fn drop_upload(&self, id: i64) -> Result<()> {
        sqlx::query!("DELETE FROM upload WHERE id = $1", id).execute(self.pool()).await?;
        Ok(())
    }
}
