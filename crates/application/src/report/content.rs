//! What the report says, block by block.

use super::figure::{Look, figure};
use super::made_of::{code, put_right};
use super::results::{BlockResult, Results, told};
use super::stored;
use super::tables::{of_result, of_rig};
use super::words::{About, told_run, with};
use crate::runs::going::Watched;
use crate::runs::source::calibrated;
use crate::{Desk, Error, Result};
use chrono::{DateTime, Utc};
use echo_job::analysis::Analysis;
use echo_job::geometry::Geometry;
use echo_job::recipe::Recipe;
use echo_job::report::Report;
use echo_job::report::block::Part::Shapes;
use echo_job::report::block::{Block, Drawn, Show};
use echo_job::report::language::Term;
use echo_job::report::recipe::in_words;
use echo_job::specimen::Specimen;
use echo_report::document::{Body, Document, Part};
use echo_store::campaign::Campaign;
use echo_store::run::{Run, RunChannel};
use serde::Serialize;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use utoipa::ToSchema;

/// A block that could not be made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct RefusedBlock {
    /// Its key.
    pub id: u32,
    /// What is wrong, and what is allowed.
    pub says: String,
}

/// A block that was made of samples.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct MadeBlock {
    /// Its key.
    pub id: u32,
    /// Its recipe as it was carried out, defaults filled in.
    #[schema(value_type = Object)]
    pub recipe: Value,
}

/// A report that was made, and what became of its blocks.
pub(crate) struct Collected {
    pub(crate) document: Document,
    pub(crate) made: Vec<MadeBlock>,
    pub(crate) refused: Vec<RefusedBlock>,
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
    /// Names of channels by run, with the inputs by which the rig calls them.
    names: BTreeMap<i64, BTreeMap<u32, (u16, String)>>,
    /// The specimen, where shapes are drawn on it.
    geometry: Option<Geometry>,
}

/// What a report is collected for.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum For {
    /// To be looked at.
    Sight,
    /// To be handed over, with everything it was made of.
    Keeps,
}

/// Everything the report says. A block that cannot be made says why in its place. Results are `share` of what is watched.
///
/// # Errors
/// It was stopped, or the database is away.
pub(crate) async fn collected(
    desk: &Desk,
    id: i64,
    watched: &Arc<Watched>,
    (what_for, share): (For, f64),
) -> Result<Collected> {
    let (report, _) = stored(&desk.store, id).await?;
    let campaign = desk.store.campaign(id).await?;
    let runs = desk.store.runs(id).await?;
    let mut making = Making {
        desk,
        report: &report,
        campaign: &campaign,
        runs: &runs,
        watched,
        made: Results::new(),
        names: BTreeMap::new(),
        geometry: None,
    };
    let all = report.blocks.len().max(1) as f64;
    making.made = making.results(&|done| watched.tell(share * done as f64 / all)).await?;
    making.names = making.names().await?;
    making.geometry = making.geometry().await?;
    let (mut parts, mut refused) = (Vec::new(), Vec::new());
    for block in &report.blocks {
        match told(making.body(block).await)? {
            Ok(None) => {}
            Ok(Some(body)) => parts.push(Part { title: block.title.clone(), body }),
            Err(says) => {
                refused.push(RefusedBlock { id: block.id, says: says.clone() });
                parts.push(Part { title: block.title.clone(), body: Body::Refused { says } });
            }
        }
    }
    let results = making.of_results();
    let by = format!("Fleet Echo {}", env!("CARGO_PKG_VERSION"));
    let foot = [by, campaign.name.clone(), report.language.says(Term::Code).replace("{}", &code(&results))];
    let source = match what_for {
        For::Sight => String::new(),
        For::Keeps => serde_json::to_string_pretty(&making.made_of(results).await?)?,
    };
    let document = Document {
        foot: foot.join(" · "),
        title: report.title.clone(),
        language: report.language,
        parts,
        made_at: Utc::now(),
        source,
    };
    let filled_in = |(id, made): (&u32, &std::result::Result<BlockResult, String>)| {
        let recipe = serde_json::to_value(&made.as_ref().ok()?.analysis.recipe).ok()?;
        Some(MadeBlock { id: *id, recipe })
    };
    let made = making.made.iter().filter_map(filled_in).collect();
    Ok(Collected { document, made, refused })
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

    /// Names of the channels of all runs that results are of.
    async fn names(&self) -> Result<BTreeMap<i64, BTreeMap<u32, (u16, String)>>> {
        let mut all = BTreeMap::new();
        let runs: BTreeSet<i64> = self.made.values().flatten().filter_map(|m| m.run_id).collect();
        for run in runs {
            let channels = self.desk.store.run_channels(run).await?;
            let one = |c: RunChannel| Some((u32::try_from(c.channel).ok()?, (c.row.input, c.row.name)));
            all.insert(run, channels.into_iter().filter_map(one).collect());
        }
        Ok(all)
    }

    async fn geometry(&self) -> Result<Option<Geometry>> {
        let drawn = |b: &Block| matches!(&b.show, Show::Figure(Drawn { part: Shapes, .. }));
        if !self.report.blocks.iter().any(drawn) {
            return Ok(None);
        }
        let specimen: Specimen = serde_json::from_value(self.desk.store.specimen(self.campaign.id).await?.0)?;
        Ok(Some(specimen.geometry))
    }

    /// The run of a block's result; none where that is of many.
    fn run_of_result(&self, made: &BlockResult) -> Option<&Run> {
        self.runs.iter().find(|r| Some(r.id) == made.run_id)
    }

    /// What a block with a result is called.
    pub(super) fn name_of(&self, block: &Block, made: &BlockResult) -> String {
        if block.title.is_empty() { made.name.clone() } else { block.title.clone() }
    }

    /// What a channel of a result is called: by its name in the run, or as the result does.
    fn channel<'b>(&'b self, made: &'b BlockResult, n: u32) -> Option<&'b str> {
        let of_run = made.run_id.and_then(|run| self.names.get(&run)?.get(&n)).map(|(_, name)| name.as_str());
        of_run.or_else(|| made.analysis.traces.iter().find(|t| t.channel == n).map(|t| t.name.as_str()))
    }

    fn about<'b>(&'b self, run: Option<&'b Run>, result: Option<&'b Analysis>) -> About<'b> {
        About { language: self.report.language, title: &self.report.title, campaign: self.campaign, run, result }
    }

    /// What was made for a block.
    fn made(&self, block: &Block) -> Result<&BlockResult> {
        match self.made.get(&block.id) {
            Some(Ok(made)) => Ok(made),
            Some(Err(says)) => Err(Error::conflict(says)),
            None => Err(Error::fault("a block was not made")),
        }
    }

    /// What a block shows; nothing where it has nothing to say.
    async fn body(&self, block: &Block) -> Result<Option<Body>> {
        let l = self.report.language;
        let listing = |entries: Vec<(String, String)>| {
            if entries.is_empty() { None } else { Some(Body::Listing { entries }) }
        };
        Ok(match &block.show {
            Show::Head => {
                let run = self.run(block).ok();
                let subtitle = run.map(|r| format!("{} {}, {}", l.says(Term::Run), r.number, l.day(r.started_at)));
                Some(Body::Head { heading: self.campaign.purpose.clone(), subtitle: subtitle.unwrap_or_default() })
            }
            Show::Text { text } if text.trim().is_empty() => None,
            Show::Text { text } => Some(Body::Text { paragraphs: self.about(self.run(block).ok(), None).set(text)? }),
            Show::Facts { .. } => Some(Body::Facts { rows: self.facts(self.run(block)?).await? }),
            Show::Figure(drawn) => Some(self.figure(block, drawn).await?),
            Show::Table { of, caption, .. } => {
                let made = self.made(block)?;
                let a = &*made.analysis;
                let about = self.about(self.run_of_result(made), Some(a));
                let named = |n: u32| self.channel(made, n).map_or_else(|| n.to_string(), str::to_string);
                let mut table = of_result(a, *of, &named, l).ok_or_else(|| {
                    let says = format!("{} gives none of these rows; choose another lens or other rows", made.name);
                    Error::conflict(says)
                })?;
                table.caption = about.set(&or(caption, || about.usual_caption()))?;
                Some(Body::Table(table))
            }
            Show::Rig { .. } => {
                let run = self.run(block)?;
                let channels = calibrated(&self.desk.store, run.id).await?;
                let history = self.desk.store.calibrations(run.id).await?;
                let corrected = |channel: i16| history.iter().filter(|h| h.channel == channel).count() > 1;
                Some(Body::Table(of_rig(&channels, &corrected, l)))
            }
            Show::Cautions => {
                let rows = self.cautions();
                if rows.is_empty() { None } else { Some(Body::Facts { rows }) }
            }
            Show::Corrections { .. } => listing(put_right(&self.desk.store, self.run(block)?.id).await?),
            Show::Made => listing(self.recipes()),
            Show::Signature { names } => Some(Body::Signature { names: names.clone() }),
            Show::NextPage => Some(Body::NextPage),
        })
    }

    async fn facts(&self, run: &Run) -> Result<Vec<(String, String)>> {
        let l = self.report.language;
        let channels = self.desk.store.run_channels(run.id).await?.len();
        let row = |term: Term, says: String| (l.says(term).to_string(), says);
        let rows = vec![
            row(Term::Specimen, self.campaign.specimen.clone()),
            row(Term::Run, format!("{} {}", run.number, run.kind)),
            row(Term::Recorded, moment(l.day(run.started_at), run.started_at)),
            row(Term::Length, with(l.short(About::length_s(run), 7), "s")),
            row(Term::Rate, with(l.short(run.sample_rate_hz, 9), "Hz")),
            row(Term::Channels, channels.to_string()),
            row(Term::FrontEnd, run.front_end.clone()),
            row(Term::Ended, run.ended_because.clone().unwrap_or_default()),
        ];
        Ok(rows.into_iter().filter(|r| !r.1.is_empty()).collect())
    }

    async fn figure(&self, block: &Block, drawn: &Drawn) -> Result<Body> {
        let made = self.made(block)?;
        let run = self.run_of_result(made);
        let about = self.about(run, Some(&made.analysis));
        let caption = about.set(&or(&drawn.caption, || about.usual_caption()))?;
        let notes = match run.filter(|_| drawn.notes) {
            Some(run) => self.desk.store.notes(run.id).await?,
            None => Vec::new(),
        };
        let look = Look { drawn, notes: &notes, language: self.report.language, geometry: self.geometry.as_ref() };
        let figure = figure(&made.analysis, self.name_of(block, made), caption, &look)?;
        Ok(Body::Figure(Box::new(figure)))
    }

    /// What is to be kept in mind of all results, in their order, each said once.
    fn cautions(&self) -> Vec<(String, String)> {
        let mut all: Vec<(String, String)> = Vec::new();
        let mut say = |rule: &str, says: String| {
            let told = (rule.to_string(), says);
            if !all.contains(&told) {
                all.push(told);
            }
        };
        for made in self.report.blocks.iter().filter_map(|b| self.made.get(&b.id)?.as_ref().ok()) {
            for c in &made.analysis.cautions {
                say(c.rule.word(), c.says.clone());
            }
            if let Some(kept) = made.kept.as_ref().filter(|k| k.stale) {
                let says =
                    format!("“{}” was kept before something of its runs was put right, or one is gone", kept.name);
                say("older than its runs", says);
            }
        }
        all
    }

    /// How each result was made, in words.
    fn recipes(&self) -> Vec<(String, String)> {
        let l = self.report.language;
        let one = |block: &Block| {
            let made = self.made.get(&block.id)?.as_ref().ok()?;
            // As the rig calls it: by its input.
            let named = |n: u32| {
                let of_run = self.names.get(&made.run_id?)?.get(&n)?;
                Some(format!("{} {}", of_run.0, of_run.1))
            };
            let recipe = serde_json::to_value(&made.analysis.recipe).ok()?;
            let of = match (&made.kept, self.run_of_result(made)) {
                (Some(kept), _) => format!("“{}”, {}", kept.name, l.day(kept.made_at)),
                (None, run) => told_run(l, run?),
            };
            let text = match recipe["lens"].as_str() {
                Some(_) if Recipe::from_value(recipe.clone()).is_ok() => in_words(&recipe, l, &named),
                _ => made.analysis.made.input.clone(),
            };
            Some((format!("{}: {of}", self.name_of(block, made)), text))
        };
        self.report.blocks.iter().filter_map(one).collect()
    }
}

fn or(text: &str, usual: impl Fn() -> String) -> String {
    if text.trim().is_empty() { escaped(&usual()) } else { text.into() }
}

/// Words of runs and channels as letters, whatever signs they hold.
fn escaped(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        if "\\*_^~{}".contains(c) {
            out.push('\\');
        }
        out.push(c);
    }
    out
}

fn moment(day: String, at: DateTime<Utc>) -> String {
    format!("{day}, {}", at.format("%H:%M:%S UTC"))
}
