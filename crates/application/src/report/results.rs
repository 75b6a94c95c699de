//! The results that blocks show: made of samples, or kept before.

use super::making::{BlockResult, Making, OfBlock, Results, told};
use crate::runs::results::analysed;
use crate::{Error, Result};
use echo_job::analysis::Analysis;
use echo_job::recipe::Recipe;
use echo_job::report::block::{Block, Each};
use echo_job::unit::{Quantity, find};
use echo_store::result::KeptResult;
use echo_store::run::{Run, RunChannel};
use futures::stream::{self, StreamExt, TryStreamExt};
use serde_json::{Value, json};
use std::sync::Arc;

/// Takes that a block is repeated over at most.
const MOST_TAKES: usize = 100;
/// Results that are made at once: while one reads, another computes.
const AT_ONCE: usize = 4;

impl Making<'_> {
    /// The results of all blocks; `tell` gets how many are done.
    pub(super) async fn results(&self, tell: &(dyn Fn(usize) -> bool + Sync)) -> Result<Results> {
        let kept = if self.report.blocks.iter().any(|b| b.show.kept().is_some()) {
            self.desk.store.kept_results(self.campaign.id).await?
        } else {
            Vec::new()
        };
        let shown = self.report.blocks.iter().filter(|b| b.show.kept().is_some() || b.show.recipe().is_some());
        let one = |block: &Block| {
            let (block, kept) = (block.clone(), &kept);
            async move { Ok::<_, Error>((block.id, told(self.of_block(&block, kept).await)?)) }
        };
        let going: Vec<_> = shown.map(one).collect();
        let mut all = stream::iter(going).buffered(AT_ONCE);
        let mut out = Results::new();
        while let Some((id, made)) = all.try_next().await? {
            out.insert(id, made);
            if !tell(out.len()) {
                return Err(Error::Stopped);
            }
        }
        Ok(out)
    }

    async fn of_block(&self, block: &Block, kept: &[KeptResult]) -> Result<OfBlock> {
        let Some(recipe) = block.show.recipe() else {
            let key = block.show.kept().ok_or_else(|| Error::fault("a block without a result"))?;
            return Ok(shown(block, self.kept(key, kept).await?));
        };
        let mut all = OfBlock { made: Vec::new(), shown: Vec::new() };
        if block.each == Some(Each::Take) {
            let run = self.run(block)?;
            for take in self.desk.store.takes(run.id).await?.iter().take(MOST_TAKES) {
                let mut own = recipe.clone();
                own["takes"] = json!([take.number]);
                let made = told(self.made_of_samples(run, own).await)?;
                all.made.extend(made.iter().cloned());
                all.shown.push(made.map_err(|says| format!("take {}: {says}", take.number)));
            }
            if all.shown.is_empty() {
                let says = format!("run {} has no takes; show it once, or choose another run", run.number);
                return Err(Error::conflict(says));
            }
            return Ok(all);
        }
        if block.each != Some(Each::Run) {
            return Ok(shown(block, self.made_of_samples(self.run(block)?, recipe.clone()).await?));
        }
        for run in self.runs.iter().filter(|r| r.samples > 0) {
            let made = told(self.made_of_samples(run, recipe.clone()).await)?;
            all.made.extend(made.iter().cloned());
            all.shown.push(made.map_err(|says| format!("run {}: {says}", run.number)));
        }
        if all.shown.is_empty() {
            return Err(Error::conflict("there is no recorded run to report on; record one, or choose another"));
        }
        Ok(all)
    }

    async fn made_of_samples(&self, run: &Run, recipe: Value) -> Result<BlockResult> {
        let mut recipe = Recipe::from_value(recipe)?;
        if recipe.channels.is_none() {
            recipe.channels = self.fitting(run, recipe.unit.as_deref()).await?;
        }
        let analysis = analysed(self.desk, run.id, recipe, self.watched).await?;
        let name = analysis.recipe.lens.name().to_string();
        Ok(BlockResult { name, analysis, run_id: Some(run.id), kept: None })
    }

    /// Channels of a run that can be shown in a unit; nothing, which is all, where none is asked for.
    async fn fitting(&self, run: &Run, unit: Option<&str>) -> Result<Option<Vec<u32>>> {
        let Some(unit) = unit else { return Ok(None) };
        let wanted = find(unit)?.quantity;
        let channels = self.desk.store.run_channels(run.id).await?;
        let fits = |c: &&RunChannel| {
            find(&c.row.unit).is_ok_and(|u| u.quantity == wanted || moves(u.quantity) && moves(wanted))
        };
        let all: Vec<u32> = channels.iter().filter(fits).filter_map(|c| u32::try_from(c.channel).ok()).collect();
        if all.is_empty() {
            return Err(Error::conflict(format!("run {} has no channel that can be shown in {unit}", run.number)));
        }
        Ok(Some(all))
    }

    async fn kept(&self, key: i64, all: &[KeptResult]) -> Result<BlockResult> {
        let head = all.iter().find(|k| k.id == key).ok_or_else(|| {
            Error::conflict("the kept result of this block was deleted, or is of another campaign; choose another one")
        })?;
        let analysis = Arc::new(Analysis::kept(self.desk.store.kept_result(key).await?)?);
        // Of many runs it is of none in particular.
        let run_id = head.run_id.filter(|_| head.runs.len() == 1);
        Ok(BlockResult { name: head.name.clone(), analysis, run_id, kept: Some(head.clone()) })
    }
}

/// Whether one of these is made of another by integration.
fn moves(q: Quantity) -> bool {
    matches!(q, Quantity::Acceleration | Quantity::Velocity | Quantity::Displacement)
}

/// A result as its block shows it: whole, or channel by channel.
fn shown(block: &Block, made: BlockResult) -> OfBlock {
    let shown = match block.each {
        Some(Each::Channel) => channels(&made.analysis).into_iter().map(|c| Ok(of_channel(&made, c))).collect(),
        _ => vec![Ok(made.clone())],
    };
    OfBlock { made: vec![made], shown }
}

/// Channels of a result, in their order.
fn channels(a: &Analysis) -> Vec<u32> {
    let mut all = Vec::new();
    let told = a.traces.iter().map(|t| t.channel).chain(a.numbers.iter().map(|n| n.channel));
    for channel in told.filter(|c| *c > 0) {
        if !all.contains(&channel) {
            all.push(channel);
        }
    }
    all
}

/// What of a result is of one channel. It was made once for all of them: what is read together costs one reading.
fn of_channel(made: &BlockResult, channel: u32) -> BlockResult {
    let a = &made.analysis;
    let analysis = Analysis {
        recipe: a.recipe.clone(),
        made: a.made.clone(),
        cautions: a.cautions.iter().filter(|c| c.channel.is_none_or(|c| c == channel)).cloned().collect(),
        averages: a.averages,
        random_error: a.random_error,
        interval: a.interval,
        axes: a.axes.clone(),
        reached_s: a.reached_s.clone(),
        traces: a.traces.iter().filter(|t| t.channel == channel).cloned().collect(),
        numbers: a.numbers.iter().filter(|n| n.channel == channel).cloned().collect(),
        peaks: a.peaks.iter().filter(|p| p.channel == channel).cloned().collect(),
        stabilisation: Vec::new(),
    };
    BlockResult { analysis: Arc::new(analysis), ..made.clone() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_result_is_cut_into_its_channels_with_what_belongs_to_each() {
        let trace = |channel: u32| json!({ "name": format!("c{channel}"), "channel": channel, "quantity": "value", "unit": "g", "values": [1.0] });
        let number = |channel: u32| json!({ "name": "rms", "channel": channel, "unit": "g", "value": 1.0 });
        let body = json!({ "recipe": { "lens": "spectrum" }, "made": { "by": "", "at": "", "input": "" },
            "axes": [{ "name": "time", "unit": "s", "values": [0.0] }],
            "traces": [trace(8), trace(3), trace(8)], "numbers": [number(5), number(8), number(0)],
            "peaks": [{ "channel": 3, "frequency_hz": 1.0, "value": 2.0 }],
            "cautions": [{ "rule": "gap", "says": "all" }, { "rule": "gap", "says": "three", "channel": 3 }] });
        let whole = BlockResult {
            name: "spectrum".into(),
            analysis: Arc::new(Analysis::kept(body).unwrap()),
            run_id: Some(4),
            kept: None,
        };
        assert_eq!(channels(&whole.analysis), [8, 3, 5], "in their order; what is of all of them is of none");
        let block = |each: serde_json::Value| -> Block {
            serde_json::from_value(json!({ "id": 1, "each": each, "show": { "what": "figure", "recipe": {} } }))
                .unwrap()
        };
        let parts = shown(&block(json!("channel")), whole.clone());
        assert_eq!((parts.made.len(), parts.shown.len()), (1, 3), "made once, shown three times");
        let of = |k: usize| parts.shown[k].as_ref().unwrap().analysis.clone();
        assert_eq!((of(0).traces.len(), of(0).numbers.len(), of(0).peaks.len(), of(0).cautions.len()), (2, 1, 0, 1));
        assert_eq!((of(1).traces.len(), of(1).peaks.len(), of(1).cautions.len()), (1, 1, 2));
        assert_eq!((of(2).traces.len(), of(2).numbers.len()), (0, 1));
        assert_eq!(parts.shown[0].as_ref().unwrap().run_id, Some(4));
        let once = shown(&block(json!(null)), whole);
        assert_eq!(once.shown[0].as_ref().unwrap().analysis.traces.len(), 3);
    }
}
