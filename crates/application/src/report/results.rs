//! The results that blocks show: made of samples, or kept before.

use super::content::Making;
use crate::runs::results::analysed;
use crate::{Error, Result};
use echo_job::analysis::Analysis;
use echo_job::recipe::Recipe;
use echo_job::report::block::Block;
use echo_store::result::KeptResult;
use futures::stream::{self, StreamExt, TryStreamExt};
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Results that are made at once: while one reads, another computes.
const AT_ONCE: usize = 4;

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

/// What became of each block's result.
pub(super) type Results = BTreeMap<u32, std::result::Result<BlockResult, String>>;

/// What a block is refused for stands in its place; what is no matter of the block ends the report.
pub(super) fn told<T>(made: Result<T>) -> Result<std::result::Result<T, String>> {
    match made {
        Ok(made) => Ok(Ok(made)),
        Err(e @ (Error::Refused(_) | Error::Missing(_) | Error::Conflict(_) | Error::Input(_))) => Ok(Err(e.says())),
        Err(e) => Err(e),
    }
}

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
            async move {
                let made = match (block.show.kept(), block.show.recipe()) {
                    (Some(key), _) => self.kept(key, kept).await,
                    (None, Some(recipe)) => self.made_of_samples(&block, recipe.clone()).await,
                    (None, None) => Err(Error::fault("a block without a result")),
                };
                Ok::<_, Error>((block.id, told(made)?))
            }
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

    async fn made_of_samples(&self, block: &Block, recipe: Value) -> Result<BlockResult> {
        let run = self.run(block)?;
        let analysis = analysed(self.desk, run.id, Recipe::from_value(recipe)?, self.watched).await?;
        let name = analysis.recipe.lens.name().to_string();
        Ok(BlockResult { name, analysis, run_id: Some(run.id), kept: None })
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
