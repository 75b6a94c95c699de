//! A file becoming a campaign: laid out of sight, held against its checksums, and shown when all of it is there.

use super::{CAMPAIGN, Counts, Kept};
use crate::bring::laying::Laying;
use crate::runs::going::Watched;
use crate::specimens::files::{LARGEST_SURFACE, media_type};
use crate::uploads::{forget, local};
use crate::{Desk, Error, Result};
use echo_formats::campaign_file::CampaignIn;
use echo_job::plan::Plan;
use echo_job::rig::Rig;
use echo_job::specimen::Specimen;
use echo_store::specimen::NewSpecimenFile;
use echo_store::{Store, StoreError};
use serde_json::Value;
use std::fs::File;
use std::io::BufReader;
use std::sync::Arc;
use tokio::runtime::Handle;

/// Longest name of a campaign, characters.
const LONGEST_NAME: usize = 200;

fn wrong(says: impl std::fmt::Display) -> Error {
    Error::conflict(format!("the campaign file {says}"))
}

/// What the database does not take of a record is a fault of the file.
fn of_file(what: &str) -> impl Fn(StoreError) -> Error {
    move |e| if e.passes() { e.into() } else { wrong(format!("has {what} that does not fit: {e}")) }
}

/// Checks the parts of a record that the rules rely on.
fn check(record: &Value, what: &str) -> Result<()> {
    let rig: std::result::Result<Rig, _> = serde_json::from_value(record["rig"].clone());
    let plan: std::result::Result<Plan, _> = serde_json::from_value(record["plan"].clone());
    rig.map_err(|e| wrong(format!("has {what} whose rig cannot be read: {e}")))?;
    plan.map_err(|e| wrong(format!("has {what} whose plan cannot be read: {e}")))?;
    Ok(())
}

/// Checks the specimen, where the file knows one.
fn check_specimen(sheet: &Value) -> Result<()> {
    if sheet.is_null() {
        return Ok(());
    }
    let specimen: Specimen =
        serde_json::from_value(sheet.clone()).map_err(|e| wrong(format!("has a specimen that cannot be read: {e}")))?;
    specimen.check().map_err(|e| wrong(format!("has a specimen that does not hold together: {e}")))
}

struct Unpacking {
    store: Store,
    handle: Handle,
    file: CampaignIn<BufReader<File>>,
    watched: Arc<Watched>,
    done: f64,
    all: f64,
}

impl Unpacking {
    fn counts(&mut self, run: i64, rate_hz: f64, samples: i64, c: &Counts) -> Result<()> {
        let mut ends = 0;
        for (first, n) in &c.stretches {
            if *first < ends || *n <= 0 || first.saturating_add(*n) > samples {
                return Err(wrong(format!("has {} with a stretch outside of its run", c.file)));
            }
            ends = first + n;
        }
        let mut lane = Laying::new(c.channel, rate_hz, c.over_range.iter().copied().collect());
        let mut left = c.stretches.iter().copied().collect::<std::collections::VecDeque<_>>();
        let (store, handle, watched) = (&self.store, &self.handle, &self.watched);
        let (done, all) = (&mut self.done, self.all);
        self.file.each(&c.file, |piece| {
            let mut counts: &[[u8; 4]] = piece.as_chunks().0;
            if piece.len() % 4 != 0 {
                return Err(wrong(format!("has {} with half a count", c.file)));
            }
            while !counts.is_empty() {
                let Some((first, n)) = left.front_mut() else {
                    return Err(wrong(format!("has {} with more counts than its stretches", c.file)));
                };
                lane.skip(*first)?;
                let take = counts.len().min(*n as usize);
                let whole: Vec<i32> = counts[..take].iter().map(|b| i32::from_le_bytes(*b)).collect();
                lane.push(&whole)?;
                (*first, *n) = (*first + take as i64, *n - take as i64);
                if *n == 0 {
                    left.pop_front();
                }
                counts = &counts[take..];
            }
            lane.write((store, run, handle), false)?;
            *done += piece.len() as f64;
            if watched.tell(*done / all) { Ok(()) } else { Err(Error::Stopped) }
        })?;
        if !left.is_empty() {
            return Err(wrong(format!("has {} with fewer counts than its stretches", c.file)));
        }
        lane.write((&self.store, run, &self.handle), true)
    }

    fn run(&mut self, campaign: i64, name: &str) -> Result<()> {
        let record: Value = self.file.json(name)?;
        check(&record, name)?;
        let counts: Vec<Counts> = serde_json::from_value(record["counts"].clone())
            .map_err(|e| wrong(format!("has {name} without its counts: {e}")))?;
        let (rate_hz, samples) = (record["sample_rate_hz"].as_f64(), record["samples"].as_i64());
        let (Some(rate_hz), Some(samples)) = (rate_hz.filter(|r| *r > 0.0), samples.filter(|s| *s >= 0)) else {
            return Err(wrong(format!("has {name} without a rate or a length")));
        };
        let run = self.handle.block_on(self.store.lay_run(campaign, &record)).map_err(of_file(name))?;
        for c in &counts {
            self.counts(run, rate_hz, samples, c)?;
        }
        Ok(self.handle.block_on(self.store.laid_run(run))?)
    }

    /// Lays a file of the specimen; a picture is one by its bytes, whatever the record says.
    fn specimen_file(&mut self, campaign: i64, name: &str) -> Result<()> {
        let kept: Kept = self.file.json(name)?;
        let entry = name.strip_suffix(".json").unwrap_or(name);
        let bytes = self.file.bytes_of(entry, LARGEST_SURFACE as u64)?;
        let media_type = match kept.kind.as_str() {
            "surface" => "application/octet-stream",
            _ => media_type(&bytes).ok_or_else(|| wrong(format!("has {entry}, which is no PNG or JPEG")))?,
        };
        let file = NewSpecimenFile { kind: &kept.kind, name: &kept.name, media_type, to_m: kept.to_m, bytes: &bytes };
        let laid = self.store.keep_specimen_file(campaign, &file, &kept.who);
        self.handle.block_on(laid).map_err(of_file(name))?;
        Ok(())
    }

    /// Lays everything into a campaign that is out of sight.
    fn all(&mut self, campaign: i64) -> Result<()> {
        let names = self.file.names();
        // A run that was recorded together with an earlier one finds it laid.
        for name in names.iter().filter(|n| n.starts_with("runs/") && n.ends_with("/run.json")) {
            self.run(campaign, name)?;
        }
        for name in names.iter().filter(|n| n.starts_with("results/") && n.ends_with(".json")) {
            let record: Value = self.file.json(name)?;
            self.handle.block_on(self.store.lay_result(campaign, &record)).map_err(of_file(name))?;
        }
        for name in names.iter().filter(|n| n.starts_with("specimen/") && n.ends_with(".json")) {
            self.specimen_file(campaign, name)?;
        }
        Ok(())
    }
}

/// A name that no campaign has: the file's own, or with a number.
async fn free(store: &Store, wanted: &str) -> Result<String> {
    let used: Vec<String> = store.campaigns().await?.into_iter().map(|c| c.name).collect();
    let plain: String = wanted.chars().filter(|c| !c.is_control()).take(LONGEST_NAME).collect();
    let plain = if plain.trim().is_empty() { "campaign".to_string() } else { plain.trim().to_string() };
    let numbered = (2..).map(|n| format!("{plain} ({n})"));
    Ok(std::iter::once(plain.clone()).chain(numbered).find(|n| !used.contains(n)).unwrap_or(plain))
}

/// Takes a campaign in from a file that was sent; gives its key. What cannot be taken in to its end leaves nothing
/// behind.
///
/// # Errors
/// It is no campaign file, is damaged or of a newer version, it was stopped, or the database is away.
pub(crate) async fn taken_in(desk: &Desk, upload: i64, watched: &Arc<Watched>) -> Result<i64> {
    let (sent, local) = local(desk, upload).await?;
    let opened = tokio::task::spawn_blocking(move || -> Result<_> {
        let file = BufReader::new(File::open(local.path())?);
        let mut file = CampaignIn::open(file, sent.bytes as u64)?;
        let record: Value = file.json(CAMPAIGN)?;
        check(&record, CAMPAIGN)?;
        check_specimen(&record["specimen_sheet"])?;
        Ok((file, record))
    });
    let (file, record) = opened.await?.map_err(refused)?;
    let store = desk.store.clone();
    let campaign = {
        let name = free(&store, record["name"].as_str().unwrap_or("")).await?;
        // Out of sight under a name of its own: another one may be begun under this name meanwhile.
        store.lay_campaign(&name, &record).await.map_err(of_file(CAMPAIGN))?
    };
    let all = file.bytes().max(1) as f64;
    let mut unpacking =
        Unpacking { store: store.clone(), handle: Handle::current(), file, watched: watched.clone(), done: 0.0, all };
    let laid = tokio::task::spawn_blocking(move || unpacking.all(campaign)).await?;
    let shown = async {
        laid.map_err(refused)?;
        store.show_campaign(campaign, &record).await.map_err(of_file(CAMPAIGN))
    };
    match shown.await {
        Ok(()) => {
            forget(desk, upload).await?;
            Ok(campaign)
        }
        Err(e) => {
            let _ = store.drop_laid(campaign).await;
            Err(e)
        }
    }
}

/// What a file is wrong about is no fault of this program.
fn refused(e: Error) -> Error {
    match e {
        Error::Fault(says) => Error::Conflict(says),
        other => other,
    }
}
