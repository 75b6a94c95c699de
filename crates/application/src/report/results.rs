//! The results that blocks show: made of samples, or kept before.

use super::making::{BlockResult, Making, OfBlock, Results, told};
use crate::runs::results::analysed;
use crate::{Error, Result};
use echo_job::analysis::Analysis;
use echo_job::recipe::Recipe;
use echo_job::report::block::{Block, Each, Show};
use echo_job::unit::{Quantity, find};
use echo_store::result::KeptResult;
use echo_store::run::{Run, RunChannel};
use futures::stream::{self, StreamExt, TryStreamExt};
use serde_json::{Value, json};
use std::sync::Arc;

/// Lenses whose results only scale with the unit: what is seen against another channel has a unit of both, and classes,
/// thresholds and hystereses are numbers that somebody typed in the unit he saw.
const IN_HOUSE: [&str; 7] = ["waveform", "statistics", "spectrum", "octave", "spectrogram", "order_map", "order_track"];
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
            return Ok(once(self.kept(key, kept).await?));
        };
        let mut all = OfBlock { made: Vec::new(), shown: Vec::new() };
        if block.each == Some(Each::Take) {
            let run = self.run(block)?;
            for take in self.desk.store.takes(run.id).await?.iter().take(MOST_TAKES) {
                let mut own = recipe.clone();
                own["takes"] = json!([take.number]);
                let made = told(self.made_of_samples(block, run, own).await)?;
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
            return Ok(once(self.made_of_samples(block, self.run(block)?, recipe.clone()).await?));
        }
        for run in self.runs.iter().filter(|r| r.samples > 0) {
            let made = told(self.made_of_samples(block, run, recipe.clone()).await)?;
            all.made.extend(made.iter().cloned());
            all.shown.push(made.map_err(|says| format!("run {}: {says}", run.number)));
        }
        if all.shown.is_empty() {
            return Err(Error::conflict("there is no recorded run to report on; record one, or choose another"));
        }
        Ok(all)
    }

    async fn made_of_samples(&self, block: &Block, run: &Run, recipe: Value) -> Result<BlockResult> {
        let mut recipe = Recipe::from_value(recipe)?;
        // A limit is in the unit it was typed for.
        if !matches!(block.show, Show::Limits { .. }) {
            recipe.unit = self.in_house(run, &recipe).await?.or(recipe.unit);
        }
        if recipe.channels.is_none() {
            recipe.channels = self.fitting(run, recipe.unit.as_deref()).await?;
        }
        let analysis = analysed(self.desk, run.id, recipe, self.watched).await?;
        let name = analysis.recipe.lens.name().to_string();
        Ok(BlockResult { name, analysis, run_id: Some(run.id), kept: None })
    }

    /// The unit of the house for what a recipe shows; none where it names one itself or makes another quantity of the
    /// samples, or its channels measure different things.
    async fn in_house(&self, run: &Run, recipe: &Recipe) -> Result<Option<String>> {
        let scales = IN_HOUSE.contains(&recipe.lens.name());
        if self.units.is_empty() || recipe.unit.is_some() || !recipe.prepare.is_empty() || !scales {
            return Ok(None);
        }
        let channels = self.desk.store.run_channels(run.id).await?;
        let shown = |c: &&RunChannel| {
            recipe.channels.as_ref().is_none_or(|all| all.iter().any(|n| i64::from(*n) == i64::from(c.channel)))
        };
        let mut of = channels.iter().filter(shown).map(|c| find(&c.row.unit).ok().map(|u| u.quantity));
        let Some(Some(first)) = of.next() else { return Ok(None) };
        let one = of.all(|q| q == Some(first));
        Ok(self.units.iter().find(|u| one && u.quantity == first).map(|u| u.symbol.to_string()))
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

/// What is made once.
fn once(made: BlockResult) -> OfBlock {
    OfBlock { shown: vec![Ok(made.clone())], made: vec![made] }
}

/// Whether one of these is made of another by integration.
fn moves(q: Quantity) -> bool {
    matches!(q, Quantity::Acceleration | Quantity::Velocity | Quantity::Displacement)
}
