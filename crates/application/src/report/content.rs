//! What the report says, block by block.

use super::figure::{Look, figure};
use super::stored;
use super::tables::{of_result, of_rig};
use super::words::{About, told_run, with};
use crate::runs::going::Watched;
use crate::runs::results::analysed;
use crate::runs::source::calibrated;
use crate::{Desk, Error, Result};
use chrono::{DateTime, Utc};
use echo_job::analysis::Analysis;
use echo_job::analysis::words::CautionRule;
use echo_job::recipe::Recipe;
use echo_job::report::Report;
use echo_job::report::block::{Block, Drawn, Show};
use echo_job::report::language::Term;
use echo_report::document::{Body, Document, Part};
use echo_store::campaign::Campaign;
use echo_store::run::Run;
use serde::Serialize;
use serde_json::{Value, json};
use std::collections::BTreeMap;
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
struct Making<'a> {
    desk: &'a Desk,
    report: &'a Report,
    campaign: &'a Campaign,
    runs: &'a [Run],
    watched: &'a Arc<Watched>,
    /// Results by block.
    made: BTreeMap<u32, std::result::Result<Arc<Analysis>, String>>,
}

/// Everything the report says. A block that cannot be made says why in its place.
///
/// # Errors
/// It was stopped, or the database is away.
pub(crate) async fn collected(desk: &Desk, id: i64, watched: &Arc<Watched>) -> Result<Collected> {
    let (report, _) = stored(&desk.store, id).await?;
    let campaign = desk.store.campaign(id).await?;
    let runs = desk.store.runs(id).await?;
    let mut making = Making { desk, report: &report, campaign: &campaign, runs: &runs, watched, made: BTreeMap::new() };
    for block in &report.blocks {
        if let Some(recipe) = block.show.recipe() {
            let made = told(making.result(block, recipe.clone()).await)?;
            making.made.insert(block.id, made);
        }
    }
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
    let source = making.source().await?;
    let document = Document {
        foot: format!("Fleet Echo {} · {}", env!("CARGO_PKG_VERSION"), campaign.name),
        title: report.title.clone(),
        language: report.language,
        parts,
        made_at: Utc::now(),
        source,
    };
    let filled_in = |(id, made): (&u32, &std::result::Result<Arc<Analysis>, String>)| {
        let recipe = serde_json::to_value(&made.as_ref().ok()?.recipe).ok()?;
        Some(MadeBlock { id: *id, recipe })
    };
    let made = making.made.iter().filter_map(filled_in).collect();
    Ok(Collected { document, made, refused })
}

/// What a block is refused for stands in its place; what is no matter of the block ends the report.
fn told<T>(made: Result<T>) -> Result<std::result::Result<T, String>> {
    match made {
        Ok(made) => Ok(Ok(made)),
        Err(e @ (Error::Refused(_) | Error::Missing(_) | Error::Conflict(_) | Error::Input(_))) => Ok(Err(e.says())),
        Err(e) => Err(e),
    }
}

impl Making<'_> {
    /// The run a block is about.
    fn run(&self, block: &Block) -> Result<&Run> {
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

    async fn result(&self, block: &Block, recipe: Value) -> Result<Arc<Analysis>> {
        analysed(self.desk, self.run(block)?.id, Recipe::from_value(recipe)?, self.watched).await
    }

    fn about<'b>(&'b self, run: Option<&'b Run>, result: Option<&'b Analysis>) -> About<'b> {
        About { language: self.report.language, title: &self.report.title, campaign: self.campaign, run, result }
    }

    /// What was made for a block.
    fn made(&self, block: &Block) -> Result<&Arc<Analysis>> {
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
                let run = self.run(block)?;
                let about = self.about(Some(run), Some(made));
                let channels = self.desk.store.run_channels(run.id).await?;
                let named = |n: u32| {
                    let row = channels.iter().find(|c| u32::try_from(c.channel) == Ok(n));
                    let computed = || made.traces.iter().find(|t| t.channel == n).map(|t| t.name.clone());
                    row.map(|c| c.row.name.clone()).or_else(computed).unwrap_or_else(|| n.to_string())
                };
                let mut table = of_result(made, *of, &named, l).ok_or_else(|| {
                    let says = format!(
                        "the lens {} gives none of these rows; choose another lens or other rows",
                        made.recipe.lens.name()
                    );
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
            Show::Corrections { .. } => listing(self.corrections(self.run(block)?).await?),
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
        let (made, run) = (self.made(block)?, self.run(block)?);
        let about = self.about(Some(run), Some(made));
        let caption = about.set(&or(&drawn.caption, || about.usual_caption()))?;
        let notes = if drawn.notes { self.desk.store.notes(run.id).await? } else { Vec::new() };
        let look = Look { drawn, notes: &notes, language: self.report.language };
        let alt = if block.title.is_empty() { made.recipe.lens.name().into() } else { block.title.clone() };
        let figure = figure(made, alt, caption, &look).ok_or_else(|| {
            Error::conflict("there is nothing to draw in this range of this result; choose a wider one, or a table")
        })?;
        Ok(Body::Figure(Box::new(figure)))
    }

    /// What is to be kept in mind of all results, each said once.
    fn cautions(&self) -> Vec<(String, String)> {
        let mut all: Vec<(CautionRule, String)> = Vec::new();
        for c in self.made.values().flatten().flat_map(|a| &a.cautions) {
            let told = (c.rule, c.says.clone());
            if !all.contains(&told) {
                all.push(told);
            }
        }
        all.into_iter().map(|(rule, says)| (rule.word().to_string(), says)).collect()
    }

    async fn corrections(&self, run: &Run) -> Result<Vec<(String, String)>> {
        let mut out = Vec::new();
        for h in self.desk.store.calibrations(run.id).await?.iter().filter(|h| !h.recorded) {
            out.push((
                format!("* Sensitivity of channel {} put right {}", h.channel, h.at.format("%-d %B %Y, %H:%M UTC")),
                format!("{} {}, by {}: {}", h.sensitivity.value, h.sensitivity.unit, h.who, h.reason),
            ));
        }
        for c in self.desk.store.corrections(run.id).await? {
            let what = c.channel.map_or_else(|| c.field.clone(), |n| format!("{} of channel {n}", c.field));
            out.push((
                format!("{what} put right {}", c.at.format("%-d %B %Y, %H:%M UTC")),
                format!("{} instead of {}, by {}: {}", c.after, c.before, c.who, c.reason),
            ));
        }
        Ok(out)
    }

    /// A block's run by its number, by which it is known wherever the campaign is.
    fn run_of(&self, block: &Block) -> Option<String> {
        Some(told_run(self.report.language, self.run(block).ok()?))
    }

    /// How each result was made.
    fn recipes(&self) -> Vec<(String, String)> {
        let one = |block: &Block| {
            let made = self.made.get(&block.id)?.as_ref().ok()?;
            // A space after each comma lets the line break there.
            let text = serde_json::to_string(&made.recipe).unwrap_or_default().replace(",\"", ", \"");
            let name = if block.title.is_empty() { made.recipe.lens.name().to_string() } else { block.title.clone() };
            Some((format!("{name}: {}", self.run_of(block)?), text))
        };
        self.report.blocks.iter().filter_map(one).collect()
    }

    /// Everything it was made of, as it goes with the PDF.
    async fn source(&self) -> Result<String> {
        let mut of_runs = BTreeMap::new();
        for run in self.report.blocks.iter().filter_map(|b| self.run(b).ok()) {
            if of_runs.contains_key(&run.number) {
                continue;
            }
            let calibrations: Vec<Value> = calibrated(&self.desk.store, run.id)
                .await?
                .iter()
                .map(|c| json!({ "channel": c.channel, "row": c.recorded.row, "sensitivity": c.sensitivity }))
                .collect();
            let corrections = self.corrections(run).await?;
            let told = json!({
                "id": run.id, "kind": run.kind, "started_at": run.started_at, "samples": run.samples,
                "sample_rate_hz": run.sample_rate_hz, "channels": calibrations, "corrections": corrections,
            });
            of_runs.insert(run.number, told);
        }
        let results: Vec<Value> = self
            .report
            .blocks
            .iter()
            .filter_map(|b| {
                let made = self.made.get(&b.id)?.as_ref().ok()?;
                Some(json!({ "block": b.id, "of": self.run_of(b)?, "recipe": made.recipe }))
            })
            .collect();
        let all = json!({ "report": self.report, "campaign": self.campaign.name, "runs": of_runs, "results": results });
        Ok(serde_json::to_string_pretty(&all)?)
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
