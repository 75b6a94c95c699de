//! Writing chunks by binary COPY; reading counts, and overviews that cost the pixels they draw.

use crate::chunk::{COARSE, FINE, PackedChunk, read_pairs, unpack};
use crate::run::Gap;
use crate::unpacked::Unpacked;
use crate::{Result, Store, StoreError};
use bytes::{BufMut, BytesMut};

/// Count pairs of an overview: smallest and largest of each of `points` equal stretches, or none
/// where nothing was recorded.
pub type Overview = Vec<Option<(i32, i32)>>;

/// No chunk is longer, samples.
const LONGEST_CHUNK: i64 = 1 << 17;

const SIGNATURE: &[u8] = b"PGCOPY\n\xff\r\n\0";

fn field(b: &mut BytesMut, bytes: &[u8]) {
    b.put_i32(bytes.len() as i32);
    b.put_slice(bytes);
}

/// Rows in PostgreSQL's binary COPY format.
fn copy_bytes(run: i64, chunks: &[PackedChunk]) -> BytesMut {
    let size = chunks.iter().map(|c| c.bytes() + 60).sum::<usize>();
    let mut b = BytesMut::with_capacity(size + 32);
    b.put_slice(SIGNATURE);
    b.put_i32(0);
    b.put_i32(0);
    for c in chunks {
        b.put_i16(10);
        field(&mut b, &run.to_be_bytes());
        field(&mut b, &c.channel.to_be_bytes());
        field(&mut b, &c.first_sample.to_be_bytes());
        field(&mut b, &c.samples.to_be_bytes());
        field(&mut b, &c.low.to_be_bytes());
        field(&mut b, &c.high.to_be_bytes());
        field(&mut b, &[u8::from(c.over_range)]);
        field(&mut b, &c.coarse);
        field(&mut b, &c.fine);
        field(&mut b, &c.counts);
    }
    b.put_i16(-1);
    b
}

impl Store {
    /// Writes chunks and gaps of a run in one transaction; `again` replaces what an attempt of
    /// unknown outcome may have left.
    ///
    /// # Errors
    /// The database is away; nothing of this call is stored then.
    pub async fn append(&self, run: i64, chunks: &[PackedChunk], gaps: &[Gap], again: bool) -> Result<()> {
        self.ownership().check()?;
        let mut tx = self.pool().begin().await?;
        if again {
            chunks.iter().for_each(|c| self.unpacked().forget((run, c.channel, c.first_sample)));
            let firsts: Vec<i64> = chunks.iter().map(|c| c.first_sample).collect();
            let channels: Vec<i16> = chunks.iter().map(|c| c.channel).collect();
            sqlx::query!(
                "DELETE FROM chunk USING unnest($2::smallint[], $3::bigint[]) AS u(channel, first_sample)
                 WHERE chunk.run_id = $1 AND chunk.channel = u.channel AND chunk.first_sample = u.first_sample",
                run,
                &channels,
                &firsts
            )
            .execute(&mut *tx)
            .await?;
        }
        if !chunks.is_empty() {
            let mut copy = tx
                .copy_in_raw("COPY chunk (run_id, channel, first_sample, samples, low, high, over_range, coarse, fine, counts) FROM STDIN (FORMAT binary)")
                .await?;
            copy.send(copy_bytes(run, chunks).freeze()).await?;
            copy.finish().await?;
        }
        for g in gaps {
            sqlx::query!(
                "INSERT INTO gap (run_id, first_sample, samples, why) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING",
                run,
                g.first_sample,
                g.samples,
                g.why
            )
            .execute(&mut *tx)
            .await?;
        }
        tx.commit().await?;
        Ok(())
    }

    /// Counts of one channel from sample `from`, `count` long; none where nothing was recorded.
    ///
    /// Chunks that were read lately are not unpacked again.
    ///
    /// # Errors
    /// The database is away or a chunk is damaged.
    pub async fn counts(&self, run: i64, channel: i16, from: i64, count: usize) -> Result<Vec<Option<i32>>> {
        let to = from + count as i64;
        let there = sqlx::query!(
            "SELECT first_sample, samples FROM chunk
             WHERE run_id = $1 AND channel = $2 AND first_sample < $4 AND first_sample > $5 AND first_sample + samples > $3
             ORDER BY first_sample",
            run,
            channel,
            from,
            to,
            from - LONGEST_CHUNK
        )
        .fetch_all(self.pool())
        .await?;
        let mut chunks: Vec<(i64, Option<Unpacked>)> =
            there.iter().map(|r| (r.first_sample, self.unpacked().get((run, channel, r.first_sample)))).collect();
        let missing: Vec<i64> = chunks.iter().filter(|(_, c)| c.is_none()).map(|(first, _)| *first).collect();
        if !missing.is_empty() {
            let rows = sqlx::query!(
                "SELECT first_sample, samples, counts FROM chunk
                 WHERE run_id = $1 AND channel = $2 AND first_sample = ANY($3)",
                run,
                channel,
                &missing
            )
            .fetch_all(self.pool())
            .await?;
            // Unpacking is work for a processor, which requests and recording are not to wait for.
            let unpacking = tokio::task::spawn_blocking(move || {
                let one = |first, samples, packed: &[u8]| Ok((first, Unpacked::from(unpack(packed, samples)?)));
                rows.iter().map(|r| one(r.first_sample, r.samples as usize, &r.counts)).collect::<Result<Vec<_>>>()
            });
            let unpacked = unpacking.await.map_err(|e| StoreError::Unreadable(e.to_string()))??;
            for (first_sample, counts) in unpacked {
                self.unpacked().keep((run, channel, first_sample), counts.clone());
                if let Some((_, c)) = chunks.iter_mut().find(|(first, _)| *first == first_sample) {
                    *c = Some(counts);
                }
            }
        }
        let mut out = vec![None; count];
        for (first, counts) in chunks {
            let Some(counts) = counts else { continue };
            let (a, b) = (first.max(from), (first + counts.len() as i64).min(to));
            let part = &counts[(a - first) as usize..(b - first) as usize];
            for (to, x) in out[(a - from) as usize..].iter_mut().zip(part) {
                *to = Some(*x);
            }
        }
        Ok(out)
    }

    /// Overviews of several channels over samples `from` to `to`, `points` pairs each.
    ///
    /// Reads the coarsest level that still resolves a point: whole chunks, 4096 samples, 256
    /// samples or the counts themselves.
    ///
    /// # Errors
    /// The database is away or a chunk is damaged.
    pub async fn overview(
        &self,
        run: i64,
        channels: &[i16],
        from: i64,
        to: i64,
        points: usize,
    ) -> Result<Vec<Overview>> {
        if to <= from || points == 0 {
            return Err(StoreError::Refused(format!(
                "a stretch from sample {from} to {to} in {points} points; allowed is an end after the start and a point or more"
            )));
        }
        let mut out: Vec<Overview> = vec![vec![None; points]; channels.len()];
        let place = |channel: i16| channels.iter().position(|c| *c == channel);
        let each = (to - from) as usize / points;
        let mut put = |channel: i16, start: i64, samples: i64, pair: (i32, i32)| {
            let (Some(i), a, b) = (place(channel), start.max(from), (start + samples).min(to)) else { return };
            if a >= b {
                return;
            }
            // A pair that lies across a border belongs to both points, so that no peak is lost.
            let span = to - from;
            let (p, q) = ((a - from) * points as i64 / span, (b - 1 - from) * points as i64 / span);
            for p in p..=q {
                let to = &mut out[i][p as usize];
                *to = Some(to.map_or(pair, |(lo, hi)| (lo.min(pair.0), hi.max(pair.1))));
            }
        };
        if each as i64 >= LONGEST_CHUNK {
            let rows = sqlx::query!(
                "SELECT channel, first_sample, samples, low, high FROM chunk
                 WHERE run_id = $1 AND channel = ANY($2) AND first_sample < $4 AND first_sample > $3",
                run,
                channels,
                from - LONGEST_CHUNK,
                to
            )
            .fetch_all(self.pool())
            .await?;
            for r in rows {
                put(r.channel, r.first_sample, i64::from(r.samples), (r.low, r.high));
            }
        } else if each >= FINE {
            let coarse = each >= COARSE;
            let step = if coarse { COARSE } else { FINE } as i64;
            let rows = sqlx::query!(
                r#"SELECT channel, first_sample, samples, CASE WHEN $5 THEN coarse ELSE fine END AS "level!" FROM chunk
                   WHERE run_id = $1 AND channel = ANY($2) AND first_sample < $4 AND first_sample > $3"#,
                run,
                channels,
                from - LONGEST_CHUNK,
                to,
                coarse
            )
            .fetch_all(self.pool())
            .await?;
            for r in rows {
                let end = r.first_sample + i64::from(r.samples);
                for (k, pair) in read_pairs(&r.level)?.into_iter().enumerate() {
                    let start = r.first_sample + k as i64 * step;
                    put(r.channel, start, step.min(end - start), pair);
                }
            }
        } else {
            let rows = sqlx::query!(
                "SELECT channel, first_sample, samples, counts FROM chunk
                 WHERE run_id = $1 AND channel = ANY($2) AND first_sample < $4 AND first_sample > $3 AND first_sample + samples > $5",
                run, channels, from - LONGEST_CHUNK, to, from
            )
            .fetch_all(self.pool())
            .await?;
            for r in rows {
                for (k, x) in unpack(&r.counts, r.samples as usize)?.into_iter().enumerate() {
                    put(r.channel, r.first_sample + k as i64, 1, (x, x));
                }
            }
        }
        Ok(out)
    }
}
