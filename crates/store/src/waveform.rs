//! Writing chunks by binary COPY; reading counts, and overviews that cost the pixels they draw.

use crate::chunk::{COARSE, FINE, PackedChunk, read_pairs, unpack};
use crate::run::Gap;
use crate::unpacked::Unpacked;
use crate::{Result, Store, StoreError};
use bytes::{BufMut, BytesMut};
use std::collections::BTreeMap;

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

/// Unpacking is work for a processor, which requests and recording are not to wait for.
pub(crate) async fn away<T: Send + 'static>(work: impl FnOnce() -> Result<T> + Send + 'static) -> Result<T> {
    tokio::task::spawn_blocking(work).await.map_err(|e| StoreError::Unreadable(e.to_string()))?
}

/// Overviews that are being drawn.
struct Drawing {
    channels: Vec<i16>,
    /// First sample, and the one after the last.
    stretch: (i64, i64),
    points: i64,
    out: Vec<Overview>,
}

impl Drawing {
    fn new(channels: &[i16], stretch: (i64, i64), points: usize) -> Drawing {
        let out = vec![vec![None; points]; channels.len()];
        Drawing { channels: channels.to_vec(), stretch, points: points as i64, out }
    }

    /// Draws the smallest and largest of a stretch of a channel.
    fn put(&mut self, channel: i16, start: i64, samples: i64, pair: (i32, i32)) {
        let (from, to) = self.stretch;
        let place = self.channels.iter().position(|c| *c == channel);
        let (Some(i), a, b) = (place, start.max(from), (start + samples).min(to)) else { return };
        if a >= b {
            return;
        }
        // A pair that lies across a border belongs to both points, so that no peak is lost.
        let at = |sample: i64| ((sample - from) * self.points / (to - from)) as usize;
        for p in &mut self.out[i][at(a)..=at(b - 1)] {
            *p = Some(p.map_or(pair, |(lo, hi)| (lo.min(pair.0), hi.max(pair.1))));
        }
    }
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
        if !gaps.is_empty() {
            let firsts: Vec<i64> = gaps.iter().map(|g| g.first_sample).collect();
            let samples: Vec<i64> = gaps.iter().map(|g| g.samples).collect();
            let whys: Vec<String> = gaps.iter().map(|g| g.why.clone()).collect();
            sqlx::query!(
                "INSERT INTO gap (run_id, first_sample, samples, why)
                 SELECT $1, f, s, w FROM unnest($2::bigint[], $3::bigint[], $4::text[]) AS u(f, s, w) ON CONFLICT DO NOTHING",
                run,
                &firsts,
                &samples,
                &whys
            )
            .execute(&mut *tx)
            .await?;
        }
        tx.commit().await?;
        Ok(())
    }

    /// Counts of one channel from sample `from`, `count` long; none where nothing was recorded.
    ///
    /// # Errors
    /// The database is away or a chunk is damaged.
    pub async fn counts(&self, run: i64, channel: i16, from: i64, count: usize) -> Result<Vec<Option<i32>>> {
        let mut all = self.stretches(run, &[channel], &[(from, count)]).await?;
        Ok(all.pop().and_then(|mut of| of.pop()).unwrap_or_default())
    }

    /// Counts of several stretches of several channels, channel by channel, in two queries whatever their
    /// number: a stretch is its first sample and its length.
    ///
    /// Chunks that were read lately are not unpacked again.
    ///
    /// # Errors
    /// The database is away or a chunk is damaged.
    pub async fn stretches(
        &self,
        run: i64,
        channels: &[i16],
        stretches: &[(i64, usize)],
    ) -> Result<Vec<Vec<Vec<Option<i32>>>>> {
        let (firsts, ends): (Vec<i64>, Vec<i64>) = stretches.iter().map(|(f, n)| (*f, *f + *n as i64)).unzip();
        // Chunks of a channel do not overlap: the last one that starts at or before a stretch is the first that
        // may reach into it, so that each stretch costs its own chunks and one look beside them.
        let there = sqlx::query!(
            r#"SELECT DISTINCT c.channel AS "channel!", c.first_sample AS "first_sample!"
               FROM unnest($3::bigint[], $4::bigint[]) AS s(first, until)
               CROSS JOIN unnest($2::smallint[]) AS n(channel)
               CROSS JOIN LATERAL (
                   SELECT k.channel, k.first_sample FROM chunk k
                   WHERE k.run_id = $1 AND k.channel = n.channel AND k.first_sample < s.until
                     AND k.first_sample >= coalesce((SELECT max(b.first_sample) FROM chunk b WHERE b.run_id = $1
                         AND b.channel = n.channel AND b.first_sample <= s.first), s.first)
                     AND k.first_sample + k.samples > s.first) c
               ORDER BY 1, 2"#,
            run,
            channels,
            &firsts,
            &ends
        )
        .fetch_all(self.pool())
        .await?;
        let keys = there.iter().map(|r| (run, r.channel, r.first_sample));
        let mut chunks: BTreeMap<(i16, i64), Unpacked> = BTreeMap::new();
        let mut missing: (Vec<i16>, Vec<i64>) = Default::default();
        for key in keys {
            match self.unpacked().get(key) {
                Some(counts) => drop(chunks.insert((key.1, key.2), counts)),
                None => {
                    missing.0.push(key.1);
                    missing.1.push(key.2);
                }
            }
        }
        if !missing.0.is_empty() {
            let rows = sqlx::query!(
                "SELECT channel, first_sample, samples, counts FROM chunk
                 JOIN unnest($2::smallint[], $3::bigint[]) AS u(c, f) ON channel = c AND first_sample = f
                 WHERE run_id = $1",
                run,
                &missing.0,
                &missing.1
            )
            .fetch_all(self.pool())
            .await?;
            let unpacked = away(move || {
                let one = |r: &(i16, i64, usize, Vec<u8>)| Ok(((r.0, r.1), Unpacked::from(unpack(&r.3, r.2)?)));
                let rows = rows.into_iter().map(|r| (r.channel, r.first_sample, r.samples as usize, r.counts));
                rows.map(|r| one(&r)).collect::<Result<Vec<_>>>()
            });
            for ((channel, first), counts) in unpacked.await? {
                self.unpacked().keep((run, channel, first), counts.clone());
                chunks.insert((channel, first), counts);
            }
        }
        let cut = |channel: i16, from: i64, count: usize| {
            let (mut out, to) = (vec![None; count], from + count as i64);
            for ((_, first), counts) in chunks.range((channel, from - LONGEST_CHUNK)..(channel, to)) {
                let (a, b) = ((*first).max(from), (first + counts.len() as i64).min(to));
                if a < b {
                    let part = &counts[(a - first) as usize..(b - first) as usize];
                    out[(a - from) as usize..].iter_mut().zip(part).for_each(|(to, x)| *to = Some(*x));
                }
            }
            out
        };
        Ok(channels.iter().map(|c| stretches.iter().map(|(from, n)| cut(*c, *from, *n)).collect()).collect())
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
                "a stretch from sample {from} to {to} in {points} points; allowed: an end after the start and a point or more"
            )));
        }
        let mut drawing = Drawing::new(channels, (from, to), points);
        let each = (to - from) as usize / points;
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
                drawing.put(r.channel, r.first_sample, i64::from(r.samples), (r.low, r.high));
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
                    drawing.put(r.channel, start, step.min(end - start), pair);
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
            drawing = away(move || {
                for r in rows {
                    for (k, x) in unpack(&r.counts, r.samples as usize)?.into_iter().enumerate() {
                        drawing.put(r.channel, r.first_sample + k as i64, 1, (x, x));
                    }
                }
                Ok(drawing)
            })
            .await?;
        }
        Ok(drawing.out)
    }
}
