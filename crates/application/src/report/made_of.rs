//! What a report was made of, as it goes with the PDF.

use super::making::{BlockResult, Making};
use super::told::moment;
use super::words::with;
use crate::runs::source::calibrated;
use crate::{Desk, Error, Result};
use chrono::{DateTime, Utc};
use echo_job::report::block::Block;
use echo_job::report::language::{Language, Term};
use echo_job::report::made_of::{CameOut, FORM, MadeOf, OfChannel, OfCounts, OfResult, OfRun};
use echo_store::run::Run;
use echo_store::{Store, StoreError};
use futures::stream::{self, StreamExt, TryStreamExt};
use sha2::{Digest, Sha256};
use std::collections::{BTreeMap, BTreeSet};

/// Channels whose counts are read at once.
const AT_ONCE: usize = 4;
/// Digits of a report's code.
const CODE: usize = 8;

/// What was put right in a run afterwards: what, and to what by whom and why.
pub(super) async fn put_right(store: &Store, run: i64, l: Language) -> Result<Vec<(String, String)>> {
    let mut out = Vec::new();
    let head = |field: &str, channel: Option<i16>, at: DateTime<Utc>| {
        let field = l.word(field);
        let what = channel.map(|n| l.filled(Term::OfChannel, &[&field, &n.to_string()])).unwrap_or(field);
        capital(&l.filled(Term::PutRight, &[&what, &moment(l.day(at), at)]))
    };
    for h in store.calibrations(run).await?.iter().filter(|h| !h.recorded) {
        let now = with(l.short(h.sensitivity.value, 7), &h.sensitivity.unit);
        // The rig's table marks it so.
        let head = format!("* {}", head("sensitivity", Some(h.channel), h.at));
        out.push((head, l.filled(Term::SetBy, &[&now, &h.who, &h.reason])));
    }
    for c in store.corrections(run).await? {
        let says = l.filled(Term::InsteadOf, &[&c.after, &c.before, &c.who, &c.reason]);
        out.push((head(&c.field, c.channel, c.at), says));
    }
    Ok(out)
}

fn capital(words: &str) -> String {
    let mut letters = words.chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

/// Where fingerprints of counts come from.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Counts {
    /// Made before, where they were.
    Known,
    /// From what is stored now.
    Anew,
}

/// A run with the fingerprints of those of its channels; one that cannot be read has none.
pub(super) async fn of_run(desk: &Desk, run: &Run, read: &BTreeSet<i16>, counts: Counts) -> Result<OfRun> {
    let channels = calibrated(&desk.store, run.id).await?;
    let there = channels.iter().map(|c| c.channel).filter(|c| read.contains(c));
    let one = |channel: i16| async move {
        let made = match counts {
            Counts::Known => desk.digests.of(&desk.store, run, channel).await,
            Counts::Anew => desk.store.counts_digest(run.id, channel).await.map_err(Error::from),
        };
        match made {
            Ok(made) => Ok(Some((channel, made))),
            Err(Error::Store(StoreError::Unreadable(_))) => Ok(None),
            Err(e) => Err(e),
        }
    };
    let going: Vec<_> = there.map(one).collect();
    let made: Vec<Option<(i16, OfCounts)>> = stream::iter(going).buffered(AT_ONCE).try_collect().await?;
    let mut made: BTreeMap<i16, OfCounts> = made.into_iter().flatten().collect();
    let channel = |c: &crate::runs::source::Calibrated| {
        Ok(OfChannel {
            channel: c.channel,
            row: serde_json::to_value(&c.recorded.row)?,
            sensitivity: serde_json::to_value(&c.sensitivity)?,
            unit_per_count: c.factor,
            counts: made.remove(&c.channel),
        })
    };
    Ok(OfRun {
        number: run.number,
        kind: run.kind.clone(),
        started_at: run.started_at,
        samples: run.samples,
        sample_rate_hz: run.sample_rate_hz,
        channels: channels.iter().map(channel).collect::<Result<_>>()?,
        corrections: put_right(&desk.store, run.id, Language::English).await?,
    })
}

/// What identifies the results of a report among others: eight digits at the foot of each page.
pub(super) fn code(results: &[OfResult]) -> String {
    let mut hash = Sha256::new();
    for r in results {
        hash.update(serde_json::to_vec(&r.came_out).unwrap_or_default());
    }
    hex::encode(hash.finalize())[..CODE].into()
}

impl Making<'_> {
    fn told_of(&self, (block, made): (&Block, &BlockResult)) -> Option<OfResult> {
        let run = self.runs.iter().find(|r| Some(r.id) == made.run_id);
        Some(OfResult {
            block: block.id,
            title: self.name_of(block, made),
            run: run.map(|r| r.number),
            kept: made.kept.as_ref().map(|k| k.name.clone()),
            recipe: made.recipe()?,
            channels: if run.is_some() { made.analysis.made.channels.clone() } else { Vec::new() },
            came_out: CameOut::of(&made.analysis),
        })
    }

    /// All results, in the order of their blocks.
    pub(super) fn of_results(&self) -> Vec<OfResult> {
        self.all_made().filter_map(|of| self.told_of(of)).collect()
    }

    /// Everything the report was made of.
    pub(super) async fn made_of(&self, results: Vec<OfResult>) -> Result<MadeOf> {
        let mut read: BTreeMap<i32, BTreeSet<i16>> = BTreeMap::new();
        for r in &results {
            if let Some(run) = r.run {
                read.entry(run).or_default().extend(&r.channels);
            }
        }
        // Runs that are told of without a result, by their rig or their facts, belong to it too.
        for run in self.report.blocks.iter().filter(|b| b.show.kept().is_none()).filter_map(|b| self.run(b).ok()) {
            read.entry(run.number).or_default();
        }
        let mut runs = Vec::new();
        for run in self.runs {
            if let Some(channels) = read.get(&run.number) {
                runs.push(of_run(self.desk, run, channels, Counts::Known).await?);
            }
            if self.watched.stopped() {
                return Err(Error::Stopped);
            }
        }
        Ok(MadeOf {
            form: FORM,
            by: format!("fleet-echo {}", env!("CARGO_PKG_VERSION")),
            made_at: Utc::now(),
            campaign: self.campaign.name.clone(),
            specimen: self.campaign.specimen.clone(),
            report: serde_json::to_value(self.report)?,
            runs,
            results,
        })
    }
}
