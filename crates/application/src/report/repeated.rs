//! A block that is repeated over channels or points of its result: all of them, or those that limits say something of.

use super::making::{BlockResult, Making, OfBlock};
use super::tables::Judged;
use crate::{Error, Result};
use echo_job::analysis::Analysis;
use echo_job::report::block::{Block, Each, Only, Show};
use echo_job::report::language::Term;
use std::collections::BTreeSet;
use std::sync::Arc;

/// What a block shows once; what could not be made says why.
pub(super) type Once = std::result::Result<BlockResult, String>;

impl Making<'_> {
    /// What a block shows of its results, one after the other. Nothing where limits leave nothing.
    ///
    /// # Errors
    /// It goes by limits, and the report has none.
    pub(super) fn repeated(&self, block: &Block, of: &OfBlock) -> Result<Vec<Once>> {
        if !matches!(block.each, Some(Each::Channel | Each::Point)) {
            return Ok(of.shown.clone());
        }
        let held = match block.only {
            Only::All => None,
            only => Some(self.held(only)?),
        };
        let mut all = Vec::new();
        for once in &of.shown {
            let Ok(made) = once else {
                all.push(once.clone());
                continue;
            };
            let of = |n: u32| if block.each == Some(Each::Point) { self.point(made, n) } else { None };
            for group in groups(&made.analysis, &of) {
                let name = |n: &u32| self.channel(made, *n).map(str::to_string);
                if held.as_ref().is_none_or(|held| group.iter().filter_map(name).any(|n| held.contains(&n))) {
                    all.push(Ok(of_channels(made, &group)));
                }
            }
        }
        Ok(all)
    }

    /// What is said where limits leave nothing.
    pub(super) fn nothing_held(&self, only: Only) -> &'static str {
        self.report.language.says(if only == Only::Exceeded { Term::NoneExceeds } else { Term::NoneLimited })
    }

    /// Names of the channels that the report's limits say something of, or that are not within.
    fn held(&self, only: Only) -> Result<BTreeSet<String>> {
        let (mut any, mut names) = (false, BTreeSet::new());
        for b in &self.report.blocks {
            let Show::Limits { number, limits, .. } = &b.show else { continue };
            any = true;
            let made = self.made.get(&b.id).and_then(|m| m.as_ref().ok()).map_or(&[][..], |m| &m.made);
            for made in made {
                let open = |n: &Judged<'_>| only == Only::Limited || n.open();
                let channels: Vec<u32> = self.rows(made, "statistics", |rows| {
                    rows.judged(number, limits).iter().filter(|n| open(n)).map(|n| n.number.channel).collect()
                });
                names.extend(channels.iter().filter_map(|n| self.channel(made, *n).map(str::to_string)));
            }
        }
        if any {
            return Ok(names);
        }
        Err(Error::conflict("no block of this report holds channels against limits; add one, or show all of them"))
    }

    /// The point that a channel of a result is at: as the rig had it, or as the result tells.
    fn point(&self, made: &BlockResult, n: u32) -> Option<String> {
        let row = made.numbered_as().and_then(|run| self.channels.get(&run)?.get(&n)).map(|c| &c.recorded.row);
        let of_trace = || made.analysis.traces.iter().find(|t| t.channel == n)?.dof.clone();
        row.and_then(|r| r.dof()).or_else(of_trace).map(|d| d.point)
    }
}

/// Channels of a result that belong together, in their order; each by itself where `of` says nothing of it.
fn groups(a: &Analysis, of: &dyn Fn(u32) -> Option<String>) -> Vec<Vec<u32>> {
    let mut all: Vec<(Option<String>, Vec<u32>)> = Vec::new();
    let told = a.traces.iter().map(|t| t.channel).chain(a.numbers.iter().map(|n| n.channel));
    for channel in told.filter(|c| *c > 0) {
        if all.iter().any(|(_, g)| g.contains(&channel)) {
            continue;
        }
        let point = of(channel);
        match all.iter_mut().find(|(p, _)| point.is_some() && *p == point) {
            Some((_, group)) => group.push(channel),
            None => all.push((point, vec![channel])),
        }
    }
    all.into_iter().map(|(_, group)| group).collect()
}

/// What of a result is of some channels. It was made once for all of them: what is read together costs one reading.
fn of_channels(made: &BlockResult, channels: &[u32]) -> BlockResult {
    let a = &made.analysis;
    let analysis = Analysis {
        recipe: a.recipe.clone(),
        made: a.made.clone(),
        cautions: a.cautions.iter().filter(|c| c.channel.is_none_or(|c| channels.contains(&c))).cloned().collect(),
        averages: a.averages,
        random_error: a.random_error,
        interval: a.interval,
        axes: a.axes.clone(),
        reached_s: a.reached_s.clone(),
        traces: a.traces.iter().filter(|t| channels.contains(&t.channel)).cloned().collect(),
        numbers: a.numbers.iter().filter(|n| channels.contains(&n.channel)).cloned().collect(),
        peaks: a.peaks.iter().filter(|p| channels.contains(&p.channel)).cloned().collect(),
        stabilisation: Vec::new(),
    };
    BlockResult { analysis: Arc::new(analysis), ..made.clone() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

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
        let alone = groups(&whole.analysis, &|_| None);
        assert_eq!(alone, [vec![8], vec![3], vec![5]], "in their order; what is of all of them is of none");
        let top = |n: u32| (n != 3).then(|| "top".to_string());
        assert_eq!(groups(&whole.analysis, &top), [vec![8, 5], vec![3]], "a point's channels together");
        let of = |channels: &[u32]| {
            let part = of_channels(&whole, channels);
            let a = &part.analysis;
            (a.traces.len(), a.numbers.len(), a.peaks.len(), a.cautions.len(), part.run_id)
        };
        assert_eq!(of(&[8]), (2, 1, 0, 1, Some(4)));
        assert_eq!(of(&[3]), (1, 0, 1, 2, Some(4)));
        assert_eq!(of(&[8, 5]), (2, 2, 0, 1, Some(4)));
    }
}
