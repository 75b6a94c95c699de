//! How far the file of a part is: from there it is gone on with.

use super::{PIECE, PartKey};
use crate::{Result, Store};

/// A place in the file of a part from where it can be gone on with.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mark {
    /// Rows, or channels, that are written.
    pub done: u64,
    /// Bytes that are written.
    pub bytes: u64,
    /// Those of them that fill no piece yet.
    pub tail: Vec<u8>,
    /// What the file would end with.
    pub foot: Vec<u8>,
}

impl Store {
    /// Marks how far the file of a part is. `corrected` is how often something had been put right in the run when it
    /// was read.
    ///
    /// # Errors
    /// The part is gone, or the database is away.
    pub async fn write_mark(&self, key: PartKey, mark: &Mark, corrected: i64) -> Result<()> {
        sqlx::query!(
            "INSERT INTO job_mark (job_id, place, done, bytes, tail, foot, corrected) VALUES ($1, $2, $3, $4, $5, $6, $7)
             ON CONFLICT (job_id, place) DO UPDATE SET done = excluded.done, bytes = excluded.bytes,
                 tail = excluded.tail, foot = excluded.foot, corrected = excluded.corrected",
            key.job,
            key.place,
            mark.done as i64,
            mark.bytes as i64,
            mark.tail,
            mark.foot,
            corrected
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// From where the file of a part is gone on with; what lies behind that is gone. Where something was put right in
    /// the run since, or a piece is missing, all of it is, and the file begins anew.
    ///
    /// # Errors
    /// The database is away.
    pub async fn gone_on_from(&self, key: PartKey, corrected: i64) -> Result<Option<Mark>> {
        let mut tx = self.pool().begin().await?;
        let row = sqlx::query!(
            r#"SELECT done, bytes, tail, foot, corrected,
                      (SELECT count(*) FROM job_file f WHERE f.job_id = m.job_id AND f.place = m.place
                       AND f.piece < m.bytes / $3) AS "there!"
               FROM job_mark m WHERE job_id = $1 AND place = $2"#,
            key.job,
            key.place,
            PIECE as i64
        )
        .fetch_optional(&mut *tx)
        .await?;
        let fits = row.filter(|m| m.corrected == corrected && m.there == m.bytes / PIECE as i64);
        let from = fits.as_ref().map_or(0, |m| (m.bytes / PIECE as i64) as i32);
        sqlx::query!("DELETE FROM job_file WHERE job_id = $1 AND place = $2 AND piece >= $3", key.job, key.place, from)
            .execute(&mut *tx)
            .await?;
        if fits.is_none() {
            sqlx::query!("DELETE FROM job_mark WHERE job_id = $1 AND place = $2", key.job, key.place)
                .execute(&mut *tx)
                .await?;
        }
        tx.commit().await?;
        Ok(fits.map(|m| Mark { done: m.done as u64, bytes: m.bytes as u64, tail: m.tail, foot: m.foot }))
    }
}
