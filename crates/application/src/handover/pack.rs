//! A campaign becoming a file: its record, its runs with their counts, its results.

use super::{CAMPAIGN, Counts, Kept, counts_of, folder};
use crate::runs::going::Watched;
use crate::runs::source::{Calibrated, calibrated};
use crate::{Desk, Error, Result};
use echo_formats::campaign_file::CampaignOut;
use echo_store::Store;
use echo_store::run::Run;
use std::fs::File;
use std::io::{BufWriter, Seek, SeekFrom};
use std::sync::Arc;
use tokio::runtime::Handle;

/// Samples that are read at once.
const BLOCK: i64 = 1 << 18;

/// Stretches without a break from the chunks of a channel, and the chunks in which the range was exceeded.
fn stretches(chunks: &[(i64, i32, bool)]) -> (Vec<(i64, i64)>, Vec<i64>) {
    let mut out: Vec<(i64, i64)> = Vec::new();
    for (first, samples, _) in chunks {
        match out.last_mut() {
            Some((from, n)) if *from + *n == *first => *n += i64::from(*samples),
            _ => out.push((*first, i64::from(*samples))),
        }
    }
    (out, chunks.iter().filter(|c| c.2).map(|c| c.0).collect())
}

struct Packing {
    store: Store,
    handle: Handle,
    out: CampaignOut<BufWriter<File>>,
    watched: Arc<Watched>,
    share: f64,
    done: f64,
    all: f64,
}

impl Packing {
    fn tell(&mut self, samples: i64) -> Result<()> {
        self.done += samples as f64;
        if self.watched.tell(self.share * self.done / self.all.max(1.0)) { Ok(()) } else { Err(Error::Stopped) }
    }

    fn run(&mut self, run: &Run, channels: &[Calibrated]) -> Result<()> {
        let mut record = self.handle.block_on(self.store.run_record(run.id))?;
        let mut counts = Vec::new();
        for c in channels {
            let chunks = self.handle.block_on(self.store.chunks_of(run.id, c.channel))?;
            let (stretches, over_range) = stretches(&chunks);
            counts.push(Counts {
                channel: c.channel,
                file: counts_of(run.number, c.channel),
                name: c.recorded.row.name.clone(),
                unit: c.recorded.row.unit.clone(),
                unit_per_count: c.factor,
                stretches,
                over_range,
            });
        }
        record["counts"] = serde_json::to_value(&counts)?;
        self.out.json(&format!("{}/run.json", folder(run.number)), &record)?;
        for c in &counts {
            self.out.begin(&c.file)?;
            for (first, samples) in &c.stretches {
                for from in (*first..first + samples).step_by(BLOCK as usize) {
                    let n = BLOCK.min(first + samples - from);
                    let read = self.store.counts(run.id, c.channel, from, n as usize);
                    let read: Option<Vec<i32>> = self.handle.block_on(read)?.into_iter().collect();
                    let read = read.ok_or_else(|| Error::fault(format!("run {} lacks samples", run.number)))?;
                    self.out.counts(&read)?;
                    self.tell(n)?;
                }
            }
        }
        Ok(())
    }
}

/// Writes a campaign to a temporary file, away from the threads that answer requests; its whole is `share` of what
/// is watched.
///
/// # Errors
/// There is none of that key, it was stopped, there is no room for the file, or the database is away.
pub(crate) async fn packed(desk: &Desk, campaign: i64, watched: Arc<Watched>, share: f64) -> Result<File> {
    let store = desk.store.clone();
    let record = store.campaign_record(campaign).await?;
    let results = store.result_keys(campaign).await?;
    let files = store.specimen_files(campaign).await?;
    let mut runs = Vec::new();
    for run in store.handed_over(campaign).await? {
        let channels = calibrated(&store, run.id).await?;
        runs.push((run, channels));
    }
    let all = runs.iter().map(|(r, c)| r.samples as f64 * c.len() as f64).sum();
    let handle = Handle::current();
    tokio::task::spawn_blocking(move || {
        let out = CampaignOut::new(BufWriter::new(tempfile::tempfile()?));
        let mut packing = Packing { store, handle, out, watched, share, done: 0.0, all };
        packing.out.json(CAMPAIGN, &record)?;
        for (run, channels) in &runs {
            packing.run(run, channels)?;
        }
        for (n, id) in results.iter().enumerate() {
            let result = packing.handle.block_on(packing.store.result_record(*id))?;
            packing.out.json(&format!("results/{:04}.json", n + 1), &result)?;
        }
        for (n, f) in files.into_iter().enumerate() {
            let (f, bytes) = packing.handle.block_on(packing.store.specimen_file(f.id))?;
            let entry = format!("specimen/{:04}", n + 1);
            packing.out.json(&format!("{entry}.json"), &Kept::of(f))?;
            packing.out.begin(&entry)?;
            packing.out.write(&bytes)?;
        }
        let mut file = packing.out.finish()?.into_inner().map_err(|e| Error::fault(e.to_string()))?;
        file.seek(SeekFrom::Start(0))?;
        Ok(file)
    })
    .await?
}

#[cfg(test)]
mod tests {
    use super::stretches;

    #[test]
    fn chunks_that_follow_each_other_are_one_stretch() {
        let chunks = [(0, 1024, false), (1024, 6, true), (2048, 100, false), (2148, 1, true)];
        assert_eq!(stretches(&chunks), (vec![(0, 1030), (2048, 101)], vec![1024, 2148]));
        assert_eq!(stretches(&[]), (Vec::new(), Vec::new()));
    }
}
