//! A report that was handed over held against what is here: its seal, its samples, and every result made again.

use super::made_of::{Counts, of_run};
use super::seal_key;
use crate::runs::going::Watched;
use crate::runs::results::make;
use crate::{Desk, Error, Result};
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use echo_job::analysis::Analysis;
use echo_job::recipe::Recipe;
use echo_job::report::made_of::{CameOut, FORM, Holds, MadeOf, OfResult, OfRun};
use echo_report::{Sealed, attached, sealed};
use echo_store::result::KeptResult;
use echo_store::run::Run;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use utoipa::ToSchema;

/// Largest PDF that is looked at, bytes.
pub const LARGEST: usize = 256 << 20;

/// What a seal says of a PDF.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SealState {
    /// It is as this laboratory sealed it.
    Whole,
    /// It is as another laboratory sealed it, whose key is told.
    Others,
    /// It was changed since it was sealed.
    Broken,
    /// It has no seal.
    Missing,
}

/// A result of the report, made again.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct VerifiedResult {
    /// Key of its block.
    pub block: u32,
    /// What the block is called.
    pub title: String,
    /// Number of its run.
    pub run: Option<i32>,
    /// Whether it comes out the same.
    pub holds: Holds,
    /// What differs, and why.
    pub says: Vec<String>,
}

/// What became of a report.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct VerifiedReport {
    /// Whether everything holds.
    pub holds: bool,
    /// What its seal says.
    pub seal: SealState,
    /// The key it was sealed with, in hex.
    pub key: Option<String>,
    /// Program and version that made it.
    pub by: String,
    /// When it was made.
    pub made_at: DateTime<Utc>,
    /// Name of the campaign it is of.
    pub campaign: String,
    /// Its results.
    pub results: Vec<VerifiedResult>,
}

fn refused(says: impl Into<String>) -> Error {
    Refusal::new("file", says.into()).into()
}

/// What a PDF carries.
fn carried(pdf: Vec<u8>) -> Result<MadeOf> {
    // A file that somebody made up may bring the reader down, and nothing else.
    let read = catch_unwind(AssertUnwindSafe(|| attached(pdf)));
    let read = read.map_err(|_| refused("this PDF cannot be read; it was changed, or is none"))?;
    let bytes = read.map_err(|e| refused(e.0))?;
    let value: serde_json::Value =
        serde_json::from_slice(&bytes).map_err(|_| refused("what the PDF carries is no JSON; it was changed"))?;
    let form = value["form"].as_u64().unwrap_or(0);
    if form != u64::from(FORM) {
        return Err(refused(format!(
            "the report tells what it was made of in form {form}; allowed: form {FORM}, which this version writes"
        )));
    }
    serde_json::from_value(value).map_err(|e| refused(format!("what the PDF carries cannot be read: {e}")))
}

/// Which campaign a report is held against.
#[derive(Debug, Clone, Copy, Default)]
pub struct Against {
    /// This one, whatever the report is of.
    pub campaign: Option<i64>,
    /// This one, where none of the report's name is here.
    pub otherwise: Option<i64>,
}

/// The campaign that is meant: the one that is told, or the only one of the report's name.
async fn campaign(desk: &Desk, told: Against, name: &str) -> Result<i64> {
    if let Some(id) = told.campaign {
        return Ok(desk.store.campaign(id).await?.id);
    }
    let all = desk.store.campaigns().await?;
    let found: Vec<i64> = all.iter().filter(|c| c.name == name).map(|c| c.id).collect();
    match (&found[..], told.otherwise) {
        ([id], _) => Ok(*id),
        (_, Some(id)) => Ok(desk.store.campaign(id).await?.id),
        (_, None) => Err(Error::conflict(format!(
            "there is no campaign “{name}” here; take its campaign file in, or say which campaign the report is of"
        ))),
    }
}

/// Makes every result of a report again and says which come out the same; the share done is told.
///
/// # Errors
/// It is no report's PDF, its campaign is not here, it was stopped, or the database is away.
pub async fn verified(desk: &Desk, told: Against, pdf: Vec<u8>, watched: &Arc<Watched>) -> Result<VerifiedReport> {
    let own = seal_key(desk).await?.public();
    let (seal, key, of) = tokio::task::spawn_blocking(move || -> Result<_> {
        let (seal, key) = match sealed(&pdf) {
            Sealed::Not => (SealState::Missing, None),
            Sealed::Broken { key } => (SealState::Broken, Some(key)),
            Sealed::Whole { key } if key == own => (SealState::Whole, Some(key)),
            Sealed::Whole { key } => (SealState::Others, Some(key)),
        };
        Ok((seal, key, carried(pdf)?))
    })
    .await??;
    let campaign = campaign(desk, told, &of.campaign).await?;
    let mut checking = Checking {
        desk,
        of: &of,
        runs: desk.store.runs(campaign).await?,
        kept: desk.store.kept_results(campaign).await?,
        now: BTreeMap::new(),
    };
    checking.now().await?;
    let mut results = Vec::new();
    for (k, r) in of.results.iter().enumerate() {
        results.push(checking.result(r, watched).await?);
        if !watched.tell((k + 1) as f64 / of.results.len() as f64) {
            return Err(Error::Stopped);
        }
    }
    let held = |r: &VerifiedResult| matches!(r.holds, Holds::Same | Holds::Near) && r.says.is_empty();
    let holds = matches!(seal, SealState::Whole | SealState::Others) && results.iter().all(held);
    Ok(VerifiedReport {
        holds,
        seal,
        key,
        by: of.by.clone(),
        made_at: of.made_at,
        campaign: of.campaign.clone(),
        results,
    })
}

struct Checking<'a> {
    desk: &'a Desk,
    of: &'a MadeOf,
    runs: Vec<Run>,
    kept: Vec<KeptResult>,
    /// Runs of the report as they are now.
    now: BTreeMap<i32, OfRun>,
}

impl Checking<'_> {
    async fn now(&mut self) -> Result<()> {
        for then in &self.of.runs {
            let Some(run) = self.runs.iter().find(|r| r.number == then.number) else { continue };
            let read: BTreeSet<i16> = then.channels.iter().filter(|c| c.counts.is_some()).map(|c| c.channel).collect();
            self.now.insert(then.number, of_run(self.desk, run, &read, Counts::Anew).await?);
        }
        Ok(())
    }

    async fn result(&self, then: &OfResult, watched: &Arc<Watched>) -> Result<VerifiedResult> {
        let of_run = then.run.and_then(|number| self.of.runs.iter().find(|r| r.number == number));
        let mut says = match of_run {
            Some(run) => match self.now.get(&run.number) {
                Some(now) => run.against(now, &then.channels),
                None => vec![format!("run {} is not here", run.number)],
            },
            None => Vec::new(),
        };
        // A watch of its own: the share told is that of the whole report.
        let own = Arc::new(Watched::default());
        let made = tokio::select! {
            made = self.made_again(then, &own) => made,
            () = stopped(watched, &own) => Err(Error::Stopped),
        };
        let holds = match made {
            Ok(now) => {
                let (holds, differs) = then.came_out.against(&now);
                says.extend(differs);
                holds
            }
            Err(e @ (Error::Stopped | Error::Store(_) | Error::Fault(_))) if !damaged(&e) => return Err(e),
            Err(e) => {
                says.push(e.says());
                Holds::NotMade
            }
        };
        let by = format!("fleet-echo {}", env!("CARGO_PKG_VERSION"));
        if holds == Holds::Differs && self.of.by != by {
            says.push(format!("the report was made by {}, this is {by}", self.of.by));
        }
        Ok(VerifiedResult { block: then.block, title: then.title.clone(), run: then.run, holds, says })
    }

    async fn made_again(&self, then: &OfResult, watched: &Arc<Watched>) -> Result<CameOut> {
        if let Some(name) = &then.kept {
            // What was kept is not made again: its curves were thinned, or its hits chosen by hand.
            let own = self.kept.iter().find(|k| k.name == *name && (then.run.is_none() || k.run_number == then.run));
            let own = own.ok_or_else(|| Error::missing(&format!("the kept result “{name}”")))?;
            return Ok(CameOut::of(&Analysis::kept(self.desk.store.kept_result(own.id).await?)?));
        }
        let run = self.runs.iter().find(|r| Some(r.number) == then.run);
        let run = run.ok_or_else(|| Error::conflict("it cannot be made again without its run"))?;
        let recipe = Recipe::from_value(then.recipe.clone())?;
        Ok(CameOut::of(&make(self.desk, run, recipe, watched).await?))
    }
}

/// Whether it is the stored samples that are at fault.
fn damaged(e: &Error) -> bool {
    matches!(e, Error::Store(echo_store::StoreError::Unreadable(_)))
}

/// Returns when the whole is to stop, and lets what goes on stop too.
async fn stopped(whole: &Watched, own: &Watched) {
    while !whole.stopped() {
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    own.stop();
}
