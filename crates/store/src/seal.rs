//! What makes a report checkable: the laboratory's key, and the fingerprint of what was recorded.

use crate::chunk::unpack;
use crate::waveform::away;
use crate::{Result, Store, StoreError};
use echo_job::report::made_of::{CountsDigest, OfCounts};

/// Chunks that are read at once.
const AT_ONCE: i64 = 16;

impl Store {
    /// The secret bytes of the laboratory's key: those that were kept before, or `fresh` ones from now on.
    ///
    /// # Errors
    /// The database is away.
    pub async fn seal_key(&self, fresh: [u8; 32]) -> Result<[u8; 32]> {
        sqlx::query!("INSERT INTO seal_key (secret) VALUES ($1) ON CONFLICT DO NOTHING", &fresh)
            .execute(self.pool())
            .await?;
        let kept = sqlx::query_scalar!("SELECT secret FROM seal_key").fetch_one(self.pool()).await?;
        kept.try_into().map_err(|_| StoreError::Unreadable("the laboratory's key has not 32 bytes".into()))
    }

    /// The fingerprint of a channel's counts as they are stored now, past what was unpacked lately.
    ///
    /// # Errors
    /// A chunk is damaged, or the database is away.
    pub async fn counts_digest(&self, run: i64, channel: i16) -> Result<OfCounts> {
        let mut digest = CountsDigest::default();
        let mut after = i64::MIN;
        loop {
            let rows = sqlx::query!(
                "SELECT first_sample, samples, counts FROM chunk
                 WHERE run_id = $1 AND channel = $2 AND first_sample > $3 ORDER BY first_sample LIMIT $4",
                run,
                channel,
                after,
                AT_ONCE
            )
            .fetch_all(self.pool())
            .await?;
            let Some(last) = rows.last() else { return Ok(digest.finish()) };
            after = last.first_sample;
            digest = away(move || {
                for r in rows {
                    digest.push(r.first_sample, &unpack(&r.counts, r.samples.max(0) as usize)?);
                }
                Ok(digest)
            })
            .await?;
        }
    }
}
