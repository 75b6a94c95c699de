//! What the report says, block by block.

use super::counted::fitted;
use super::figure::figure;
use super::house::of_report;
use super::look::Look;
use super::made_of::{code, put_right};
use super::making::{BlockResult, Making, OfBlock, Results, told};
use super::stored;
use super::tables::{Rows, of_rig};
use super::templates::by_template;
use super::words::About;
use crate::runs::going::Watched;
use crate::runs::quality::{QualityMark, clipped};
use crate::runs::source::{Calibrated, calibrated};
use crate::specimens::sheet;
use crate::{Desk, Error, Result};
use chrono::Utc;
use echo_job::report::block::Part::Shapes;
use echo_job::report::block::{self, Block, Drawn, Only, Paper, Show};
use echo_job::report::language::{Language, Term};
use echo_job::sensor::Sensor;
use echo_job::specimen::Specimen;
use echo_report::document::{Body, Document, Part, Table};
use echo_store::run::Run;
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

/// What a report is collected for.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum For {
    /// To be looked at.
    Sight,
    /// To be handed over, with everything it was made of.
    Keeps,
}

/// Which report is made: the one that stands, or one by a template.
#[derive(Debug, Default)]
pub(crate) struct Wanted {
    /// Name of the template.
    pub(crate) template: Option<String>,
    /// The run it is about; the one it was about without.
    pub(crate) run_id: Option<i64>,
}

/// Everything the report says. A block that cannot be made says why in its place. Results are `share` of what is watched.
///
/// # Errors
/// It was stopped, or the database is away.
pub(crate) async fn collected(
    desk: &Desk,
    id: i64,
    wanted: &Wanted,
    watched: &Arc<Watched>,
    (what_for, share): (For, f64),
) -> Result<Collected> {
    let (mut report, _) = stored(&desk.store, id).await?;
    if let Some(template) = &wanted.template {
        report = by_template(&desk.store, id, report, template).await?;
    }
    report.run_id = wanted.run_id.or(report.run_id);
    report.blocks.retain(|b| !b.folded);
    let campaign = desk.store.campaign(id).await?;
    let runs = desk.store.runs(id).await?;
    let (letterhead, units) = of_report(&desk.store).await?;
    let mut making = Making {
        desk,
        report: &report,
        campaign: &campaign,
        runs: &runs,
        watched,
        made: Results::new(),
        channels: BTreeMap::new(),
        over: BTreeMap::new(),
        geometry: None,
        sensors: Vec::new(),
        units,
    };
    let all = report.blocks.len().max(1) as f64;
    making.made = making.results(&|done| watched.tell(share * done as f64 / all)).await?;
    making.channels = making.channels().await?;
    making.over = making.over_range().await?;
    making.geometry = making.geometry().await?;
    making.sensors = making.sensors().await?;
    let (mut parts, mut refused) = (Vec::new(), Vec::new());
    for block in &report.blocks {
        let bodies = told(making.bodies(block).await)?.unwrap_or_else(|says| vec![Body::Refused { says }]);
        for (k, body) in bodies.into_iter().enumerate() {
            if let Body::Refused { says } = &body {
                refused.push(RefusedBlock { id: block.id, says: says.clone() });
            }
            parts.push(Part { title: if k == 0 { block.title.clone() } else { String::new() }, body });
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
        letterhead,
        paper: echo_report::Paper { letter: report.paper == Paper::Letter },
        parts,
        made_at: Utc::now(),
        source,
    };
    let filled_in = |(id, made): (&u32, &std::result::Result<OfBlock, String>)| {
        let recipe = serde_json::to_value(&made.as_ref().ok()?.made.first()?.analysis.recipe).ok()?;
        Some(MadeBlock { id: *id, recipe })
    };
    let made = making.made.iter().filter_map(filled_in).collect();
    Ok(Collected { document, made, refused })
}

impl Making<'_> {
    /// Channels of all runs that results are of.
    async fn channels(&self) -> Result<BTreeMap<i64, BTreeMap<u32, Calibrated>>> {
        let mut all = BTreeMap::new();
        let made = self.made.values().flatten().flat_map(|m| &m.made);
        let runs: BTreeSet<i64> = made.filter_map(|m| m.run_id).collect();
        for run in runs {
            let channels = calibrated(&self.desk.store, run).await?;
            all.insert(run, channels.into_iter().filter_map(|c| Some((u32::try_from(c.channel).ok()?, c))).collect());
        }
        Ok(all)
    }

    /// What of the channels that results were read from went over range, where a block tells of it.
    async fn over_range(&self) -> Result<BTreeMap<(i64, u32), Vec<QualityMark>>> {
        let mut all: BTreeMap<(i64, u32), Vec<QualityMark>> = BTreeMap::new();
        if !self.report.blocks.iter().any(|b| matches!(b.show, Show::Limits { .. } | Show::Cautions)) {
            return Ok(all);
        }
        for run in self.runs.iter().filter(|r| self.channels.contains_key(&r.id)) {
            for mark in clipped(&self.desk.store, run).await? {
                let Ok(channel) = u32::try_from(mark.channel) else { continue };
                all.entry((run.id, channel)).or_default().push(mark);
            }
        }
        Ok(all)
    }

    /// Whether a channel went over its range within what a result was made of.
    pub(super) fn went_over(&self, made: &BlockResult, n: u32) -> bool {
        let within = |m: &QualityMark| {
            let stretch = made.analysis.recipe.stretch.as_ref();
            stretch.is_none_or(|s| m.from_s < s.to_s && m.from_s + m.length_s > s.from_s)
        };
        let run = made.numbered_as();
        run.and_then(|run| self.over.get(&(run, n))).is_some_and(|marks| marks.iter().any(within))
    }

    async fn geometry(&self) -> Result<Option<Arc<Specimen>>> {
        let drawn = |b: &Block| matches!(&b.show, Show::Figure(Drawn { part: Shapes, .. }));
        if !self.report.blocks.iter().any(drawn) {
            return Ok(None);
        }
        Ok(Some(sheet::read(self.desk, self.campaign.id).await?.specimen))
    }

    /// What a channel of a result is called: by its name in the run, or as the result does.
    pub(super) fn channel<'b>(&'b self, made: &'b BlockResult, n: u32) -> Option<&'b str> {
        let of_run =
            made.numbered_as().and_then(|run| self.channels.get(&run)?.get(&n)).map(|c| c.recorded.row.name.as_str());
        of_run.or_else(|| made.analysis.traces.iter().find(|t| t.channel == n).map(|t| t.name.as_str()))
    }

    pub(super) fn about<'b>(&'b self, run: Option<&'b Run>, made: Option<&'b BlockResult>) -> About<'b> {
        About {
            language: self.report.language,
            title: &self.report.title,
            campaign: self.campaign,
            run,
            result: made.map(|m| &*m.analysis),
            kept: made.and_then(|m| Some(m.kept.as_ref()?.name.as_str())),
        }
    }

    async fn sensors(&self) -> Result<Vec<Sensor>> {
        let wanted = |b: &Block| matches!(b.show, Show::Table { .. } | Show::Limits { .. } | Show::Rig { .. });
        if !self.report.blocks.iter().any(wanted) {
            return Ok(Vec::new());
        }
        Ok(self.desk.store.sensors().await?.into_iter().map(|s| s.sensor).collect())
    }

    /// The sensor of a channel as it was calibrated: none where the register knows another sensitivity since.
    fn sensor(&self, c: &Calibrated) -> Option<&Sensor> {
        let sensor = Sensor::meant(&c.recorded.row.sensor, &self.sensors)?;
        Some(sensor).filter(|s| s.sensitivity == c.sensitivity)
    }

    /// Expanded uncertainty of a channel's calibration as a share of the value; none where nothing is known.
    fn uncertainty(&self, made: &BlockResult, n: u32, lens: &str) -> Option<f64> {
        // Of other lenses it is not known how a number hangs on the sensitivity.
        let linear = made.analysis.recipe.lens.name() == lens;
        let channel = self.channels.get(&made.numbered_as()?)?.get(&n).filter(|_| linear)?;
        Some(self.sensor(channel)?.uncertainty_percent? / 100.0)
    }

    /// What was made for a block.
    fn made(&self, block: &Block) -> Result<&OfBlock> {
        match self.made.get(&block.id) {
            Some(Ok(made)) => Ok(made),
            Some(Err(says)) => Err(Error::conflict(says)),
            None => Err(Error::fault("a block was not made")),
        }
    }

    /// What a block shows, one after the other; nothing where it has nothing to say.
    async fn bodies(&self, block: &Block) -> Result<Vec<Body>> {
        if let Show::Specimen { drawn, pictures, beside } = &block.show {
            return self.specimen(*drawn, *pictures, *beside).await;
        }
        if block.show.recipe().is_none() && block.show.kept().is_none() {
            return Ok(self.body(block).await?.into_iter().collect());
        }
        let mut all = Vec::new();
        let mut figures = Vec::new();
        let shown = self.repeated(block, self.made(block)?)?;
        if shown.is_empty() && block.only != Only::All {
            let paragraphs = self.about(None, None).set(self.nothing_held(block.only))?;
            return Ok(vec![Body::Text { paragraphs }]);
        }
        for shown in &shown {
            let body = match shown {
                Ok(result) => told(self.of_result(block, result).await)?,
                Err(says) => Err(says.clone()),
            };
            match body.unwrap_or_else(|says| Body::Refused { says }) {
                Body::Figure(figure) if block.each.is_some() => figures.push(*figure),
                body => all.push(body),
            }
        }
        if !figures.is_empty() {
            let beside = if let Show::Figure(drawn) = &block.show { drawn.beside } else { 1 };
            all.insert(0, Body::Figures { beside, figures });
        }
        Ok(all)
    }

    /// A result as its block shows it.
    async fn of_result(&self, block: &Block, made: &BlockResult) -> Result<Body> {
        let fits = match &block.show {
            Show::Table { of: block::Rows::Resonances, ranges, .. } => {
                fitted(self.desk, &made.analysis, ranges).await?
            }
            _ => Arc::default(),
        };
        if let Show::Figure(drawn) = &block.show {
            return self.figure(block, made, drawn).await;
        }
        let l = self.report.language;
        let about = self.about(self.run_of_result(made), Some(made));
        let lens = match &block.show {
            Show::Table { of: block::Rows::Peaks, .. } => "spectrum",
            // Of each value its curve says how it hangs on the sensor.
            Show::Table { of: block::Rows::Values, .. } => made.analysis.recipe.lens.name(),
            _ => "statistics",
        };
        let none =
            || Error::conflict(format!("{} gives none of these rows; choose another lens or other rows", made.name));
        self.rows(made, lens, |rows| {
            let (mut table, summary, caption) = match &block.show {
                Show::Limits { number, limits, caption, .. } => {
                    let (table, summary) = rows.against(number, limits)?;
                    (table, summary + " ", caption)
                }
                Show::Table { of: block::Rows::Resonances, caption, .. } => {
                    (rows.resonances(&fits)?, String::new(), caption)
                }
                Show::Table { of, at, caption, .. } => (rows.of(*of, at).ok_or_else(none)?, String::new(), caption),
                _ => return Err(Error::fault("a block without a result")),
            };
            let caption = with_coverage(or(caption, || about.usual_caption()), &table, l);
            table.caption = about.set(&format!("{summary}{caption}"))?;
            Ok(Body::Table(table))
        })
    }

    /// What the rows of a result are told by; uncertainties where it is of this lens.
    pub(super) fn rows<T>(&self, made: &BlockResult, lens: &str, then: impl FnOnce(&Rows<'_>) -> T) -> T {
        let named = |n: u32| self.channel(made, n).map_or_else(|| n.to_string(), str::to_string);
        let uncertain = |n: u32| self.uncertainty(made, n, lens);
        let over = |n: u32| self.went_over(made, n);
        let (a, l) = (&*made.analysis, self.report.language);
        then(&Rows { a, named: &named, uncertain: &uncertain, over: &over, l })
    }

    /// What a block without a result shows; nothing where it has nothing to say.
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
            Show::Figure(_) | Show::Table { .. } | Show::Limits { .. } | Show::Specimen { .. } => None,
            Show::Records { of, channels, .. } => self.records(block, *of, channels).await?,
            Show::Rig { .. } => {
                let run = self.run(block)?;
                let channels = calibrated(&self.desk.store, run.id).await?;
                let history = self.desk.store.calibrations(run.id).await?;
                let corrected = |channel: i16| history.iter().filter(|h| h.channel == channel).count() > 1;
                Some(Body::Table(of_rig(&channels, &corrected, &|c| self.sensor(c), l)))
            }
            Show::Cautions => {
                let rows = self.cautions();
                if rows.is_empty() { None } else { Some(Body::Facts { rows }) }
            }
            Show::Corrections { .. } => {
                listing(put_right(&self.desk.store, self.run(block)?.id, self.report.language).await?)
            }
            Show::Made => listing(self.recipes()),
            Show::Signature { names } => Some(Body::Signature { names: names.clone() }),
            Show::NextPage => Some(Body::NextPage),
        })
    }

    async fn figure(&self, block: &Block, made: &BlockResult, drawn: &Drawn) -> Result<Body> {
        let run = self.run_of_result(made);
        let about = self.about(run, Some(made));
        let caption = about.set(&or(&drawn.caption, || about.usual_caption()))?;
        let notes = match run.filter(|_| drawn.notes) {
            Some(run) => self.desk.store.notes(run.id).await?,
            None => Vec::new(),
        };
        let beside = if block.each.is_some() { drawn.beside } else { 1 };
        let look = Look {
            drawn,
            beside,
            notes: &notes,
            language: self.report.language,
            geometry: self.geometry.as_ref().map(|s| &s.geometry),
        };
        let figure = figure(&made.analysis, self.name_of(block, made), caption, &look)?;
        Ok(Body::Figure(Box::new(figure)))
    }
}

/// What is said of uncertainties, where any stands in a table.
fn with_coverage(caption: String, table: &Table, l: Language) -> String {
    let any = table.rows.iter().flatten().any(|cell| cell.contains('±'));
    if any { format!("{caption} {}", l.says(Term::Coverage)) } else { caption }
}

fn or(text: &str, usual: impl Fn() -> String) -> String {
    if text.trim().is_empty() { escaped(&usual()) } else { text.into() }
}

/// Words of runs and channels as letters, whatever signs they hold.
pub(super) fn escaped(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        if "\\*_^~{}".contains(c) {
            out.push('\\');
        }
        out.push(c);
    }
    out
}
