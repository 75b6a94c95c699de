//! A report that is being made: what its blocks are made of, and what was made of it so far.

use crate::runs::going::Watched;
use crate::runs::quality::QualityMark;
use crate::runs::source::Calibrated;
use crate::{Desk, Error, Result};
use echo_job::analysis::Analysis;
use echo_job::report::Report;
use echo_job::report::block::Block;
use echo_job::sensor::Sensor;
use echo_job::specimen::Specimen;
use echo_job::unit::Unit;
use echo_store::StoreError;
use echo_store::campaign::Campaign;
use echo_store::result::KeptResult;
use echo_store::run::Run;
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A result that a block shows.
#[derive(Clone)]
pub(super) struct BlockResult {
    /// The lens, or the name it is kept under.
    pub(super) name: String,
    /// The result.
    pub(super) analysis: Arc<Analysis>,
    /// Key of its run; none where it is of none, or that is gone.
    pub(super) run_id: Option<i64>,
    /// Where it was kept before: as what.
    pub(super) kept: Option<KeptResult>,
}

impl BlockResult {
    /// The run whose numbers its channels have; none where they count responses of a set.
    pub(super) fn numbered_as(&self) -> Option<i64> {
        self.run_id.filter(|_| self.kept.as_ref().is_none_or(|k| k.recipe.get("of").is_none()))
    }

    /// Its recipe as it was carried out, or as it was kept with.
    pub(super) fn recipe(&self) -> Option<Value> {
        match &self.kept {
            Some(kept) => Some(kept.recipe.clone()),
            None => serde_json::to_value(&self.analysis.recipe).ok(),
        }
    }
}

/// What a block shows: one result, or one for each run or take.
pub(super) struct OfBlock {
    /// What was made for it.
    pub(super) made: Vec<BlockResult>,
    /// What is shown, one after the other; what could not be made says why.
    pub(super) shown: Vec<std::result::Result<BlockResult, String>>,
}

/// What became of each block's results.
pub(super) type Results = BTreeMap<u32, std::result::Result<OfBlock, String>>;

/// What a block is refused for stands in its place; what is no matter of the block ends the report.
pub(super) fn told<T>(made: Result<T>) -> Result<std::result::Result<T, String>> {
    match made {
        Ok(made) => Ok(Ok(made)),
        Err(e @ (Error::Refused(_) | Error::Missing(_) | Error::Conflict(_) | Error::Input(_))) => Ok(Err(e.says())),
        // Deleted in the same moment, say.
        Err(e @ Error::Store(StoreError::Missing(_))) => Ok(Err(e.says())),
        Err(e) => Err(e),
    }
}

/// What blocks are made of, and what was made of it so far.
pub(super) struct Making<'a> {
    pub(super) desk: &'a Desk,
    pub(super) report: &'a Report,
    pub(super) campaign: &'a Campaign,
    pub(super) runs: &'a [Run],
    pub(super) watched: &'a Arc<Watched>,
    /// Results by block.
    pub(super) made: Results,
    /// Channels by run.
    pub(super) channels: BTreeMap<i64, BTreeMap<u32, Calibrated>>,
    /// Stretches that went over range, by run and channel, of those that results were read from.
    pub(super) over: BTreeMap<(i64, u32), Vec<QualityMark>>,
    /// The specimen, where shapes are drawn on it.
    pub(super) geometry: Option<Arc<Specimen>>,
    /// Sensors of the register, where values are told with their uncertainty.
    pub(super) sensors: Vec<Sensor>,
    /// Units of the house.
    pub(super) units: Vec<&'static Unit>,
}

impl Making<'_> {
    /// The run a block is about.
    pub(super) fn run(&self, block: &Block) -> Result<&Run> {
        match block.show.run_id().or(self.report.run_id) {
            Some(id) => self.runs.iter().find(|r| r.id == id).ok_or_else(|| {
                Error::conflict(
                    "the run of this block was deleted, or is of another campaign; choose another run for it",
                )
            }),
            None => {
                self.runs.iter().rfind(|r| r.samples > 0).ok_or_else(|| {
                    Error::conflict("there is no recorded run to report on; record one, or choose another")
                })
            }
        }
    }

    /// The run of a block's result; none where that is of many.
    pub(super) fn run_of_result(&self, made: &BlockResult) -> Option<&Run> {
        self.runs.iter().find(|r| Some(r.id) == made.run_id)
    }

    /// What a block with a result is called.
    pub(super) fn name_of(&self, block: &Block, made: &BlockResult) -> String {
        match (&block.title, &made.kept) {
            (title, _) if !title.is_empty() => title.clone(),
            // What somebody called it, or its lens.
            (_, Some(_)) => made.name.clone(),
            (_, None) => self.report.language.word(&made.name),
        }
    }

    /// All results with their blocks, in the order of those.
    pub(super) fn all_made(&self) -> impl Iterator<Item = (&Block, &BlockResult)> {
        let of = |id: u32| self.made.get(&id).and_then(|m| m.as_ref().ok()).map_or(&[][..], |m| &m.made);
        self.report.blocks.iter().flat_map(move |b| of(b.id).iter().map(move |m| (b, m)))
    }
}
