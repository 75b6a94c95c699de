//! What the campaign recorded besides samples, as blocks: marks, takes, rounds, alarms, what was let pass and changed,
//! the plan, the specimen with its pictures.

use super::making::Making;
use super::words::with;
use crate::{Error, Result};
use chrono::{DateTime, Utc};
use echo_formats::picture::drawing;
use echo_formats::plot::Drawing;
use echo_job::geometry::Geometry;
use echo_job::geometry::drawn::seen;
use echo_job::impact::PointState;
use echo_job::plan::{Length, Plan};
use echo_job::report::block::{Block, Records};
use echo_job::report::language::Term;
use echo_job::specimen::Specimen;
use echo_report::document::{Body, Figure, Table};
use echo_store::run::Run;
use echo_store::specimen::SpecimenFile;
use std::fmt::Write;

/// Rows that are told at most.
const MOST: usize = 1000;
/// Pictures that are shown at most, and the width of one, in the units of a drawing.
const MOST_PICTURES: usize = 12;
const WIDE: f64 = 640.0;
/// Height of the specimen's drawing at most, and what is left free around it.
const HIGH: f64 = 320.0;
const EDGE: f64 = 12.0;

fn moment(at: DateTime<Utc>) -> String {
    at.format("%Y-%m-%d %H:%M:%S UTC").to_string()
}

/// A value in words, whatever it is made of.
fn told(value: &serde_json::Value) -> String {
    match value {
        serde_json::Value::String(s) => s.clone(),
        serde_json::Value::Array(all) => all.iter().map(told).collect::<Vec<_>>().join("; "),
        serde_json::Value::Object(all) => {
            let known = all.iter().filter(|(_, v)| !v.is_null());
            known.map(|(k, v)| format!("{} {}", k.replace('_', " "), told(v))).collect::<Vec<_>>().join(", ")
        }
        other => other.to_string(),
    }
}

/// Old and new values of a change, on one line.
fn detail(value: &serde_json::Value) -> String {
    let text = told(value);
    let short: String = text.chars().take(240).collect();
    if short.len() < text.len() { short + " …" } else { short }
}

impl Making<'_> {
    fn table(&self, heads: &[Term], digits: &[usize], mut rows: Vec<Vec<String>>) -> Option<Body> {
        rows.truncate(MOST);
        let heads: Vec<String> = heads.iter().map(|t| self.report.language.says(*t).to_string()).collect();
        let digits = (0..heads.len()).map(|c| digits.contains(&c)).collect();
        (!rows.is_empty()).then(|| Body::Table(Table { heads, rows, digits, ..Table::default() }))
    }

    /// What was recorded of a kind; nothing where there is none.
    pub(super) async fn records(&self, block: &Block, of: Records) -> Result<Option<Body>> {
        let store = &self.desk.store;
        let id = self.campaign.id;
        let l = self.report.language;
        let at = |run: &Run, sample: i64| l.short(sample as f64 / run.sample_rate_hz, 9);
        Ok(match of {
            Records::Marks => {
                let run = self.run(block)?;
                let marks = store.marks(run.id).await?;
                let rows = marks.into_iter().map(|m| vec![at(run, m.sample), m.says, m.who, moment(m.at)]).collect();
                self.table(&[Term::AtS, Term::Says, Term::Who, Term::When], &[0], rows)
            }
            Records::Takes => {
                let run = self.run(block)?;
                let rows = store.takes(run.id).await?.into_iter().map(|t| {
                    let long = t.samples.map_or_else(String::new, |n| at(run, n));
                    vec![t.number.to_string(), at(run, t.trigger_sample), long, t.says]
                });
                self.table(&[Term::Number, Term::AtS, Term::LengthS, Term::Says], &[0, 1, 2], rows.collect())
            }
            Records::Rounds => self.rounds().await?,
            Records::Alarms => {
                let rows = store.alarms(id, MOST as i64).await?.into_iter().rev().map(|a| {
                    let seen = a.acknowledged_by.unwrap_or_default();
                    vec![moment(a.at), a.watched, a.says, seen]
                });
                self.table(&[Term::When, Term::Watched, Term::Says, Term::Seen], &[], rows.collect())
            }
            Records::Waivers => {
                let rows = store.waivers(id).await?.into_iter().map(|w| {
                    let input = w.input.map_or_else(String::new, |i| i.to_string());
                    vec![input, w.says, w.reason, w.who, moment(w.at)]
                });
                self.table(&[Term::Input, Term::Says, Term::Reason, Term::Who, Term::When], &[0], rows.collect())
            }
            Records::Changes => {
                let rows = store.changes(id, MOST as i64).await?.into_iter().rev();
                let rows = rows.map(|c| vec![moment(c.at), c.who, c.what, detail(&c.detail)]).collect();
                self.table(&[Term::When, Term::Who, Term::What, Term::Detail], &[], rows)
            }
            Records::Taps => self.taps().await?,
            Records::Plan => {
                let run = self.run(block)?;
                Some(Body::Facts { rows: self.planned(run, &store.run_plan(run.id).await?).await? })
            }
        })
    }

    /// The newest rounds with what was measured of each.
    async fn rounds(&self) -> Result<Option<Body>> {
        let (store, l) = (&self.desk.store, self.report.language);
        let Some(schedule) = store.schedule(self.campaign.id, None).await? else { return Ok(None) };
        let rig = store.rig(self.campaign.id).await?.rig;
        let measures = &schedule.rounds.measures;
        let head = |m: &echo_job::measure::Measure| {
            let unit = rig.channel(m.input).map_or_else(String::new, |c| m.unit(c));
            with(format!("{}: {}", rig.name_of(m.input), m.says()), &unit)
        };
        let mut heads = vec![l.says(Term::Number).to_string(), l.says(Term::When).to_string()];
        heads.extend(measures.iter().map(head));
        heads.push(l.says(Term::State).to_string());
        let mut rows: Vec<Vec<String>> = Vec::new();
        for r in store.rounds(schedule.id).await?.into_iter().take(MOST) {
            let mut row = vec![r.number.to_string(), moment(r.due_at)];
            let value = |k: usize| r.measured.get(k).copied().flatten().map_or_else(String::new, |x| l.number(x, 4));
            row.extend((0..measures.len()).map(value));
            row.push(if r.says.is_empty() { r.state.word().into() } else { format!("{}: {}", r.state.word(), r.says) });
            rows.push(row);
        }
        let digits = (0..heads.len()).map(|c| c != 1 && c + 1 != heads.len()).collect();
        Ok((!rows.is_empty()).then(|| Body::Table(Table { heads, rows, digits, ..Table::default() })))
    }

    /// The points of the newest tap series, with their hits.
    async fn taps(&self) -> Result<Option<Body>> {
        let (store, l) = (&self.desk.store, self.report.language);
        let Some(newest) = store.all_series(self.campaign.id).await?.first().map(|s| s.id) else { return Ok(None) };
        let session = store.series(newest).await?.session;
        let row = |(p, point): (usize, &echo_job::impact::PointDirection)| {
            let of = || session.hits().iter().filter(|h| h.point == p);
            let counting = session.counting(p).count();
            let mut flaws: Vec<&str> = Vec::new();
            for f in of().flat_map(|h| &h.verdict.flaws) {
                if !flaws.contains(&f.word()) {
                    flaws.push(f.word());
                }
            }
            let state = match session.state_of(p) {
                PointState::Done => Term::Within,
                PointState::Skipped => Term::LeftOut,
                PointState::Open | PointState::Begun => Term::NotYet,
            };
            let state = if state == Term::Within { String::new() } else { l.says(state).into() };
            vec![
                point.to_string(),
                counting.to_string(),
                (of().count() - counting).to_string(),
                flaws.join(", "),
                state,
            ]
        };
        let rows = session.plan().points.iter().enumerate().map(row).collect();
        Ok(self.table(&[Term::Point, Term::Hits, Term::Rejected, Term::Why, Term::State], &[1, 2], rows))
    }

    /// The plan a run was recorded by.
    async fn planned(&self, run: &Run, plan: &Plan) -> Result<Vec<(String, String)>> {
        let l = self.report.language;
        let rig = self.desk.store.rig(self.campaign.id).await?.rig;
        let row = |term: Term, says: String| (l.says(term).to_string(), says);
        let length = match plan.length {
            Length::After { duration_s } => with(l.short(duration_s, 7), "s"),
            Length::WhenStopped => l.says(Term::WhenStopped).into(),
        };
        let begins = if plan.start.by_hand() { l.says(Term::ByHand).into() } else { plan.start.says(&rig) };
        let mut rows = vec![
            row(Term::Rate, with(l.short(plan.sample_rate_hz, 9), "Hz")),
            row(Term::Length, length),
            row(Term::Begins, begins),
            row(Term::Block, l.short(f64::from(plan.block), 9)),
        ];
        if !run.recorder.is_empty() {
            rows.push(row(Term::Recorder, run.recorder.clone()));
        }
        for t in &plan.tachos {
            rows.push(row(Term::Tachometer, rig.name_of(t.input)));
        }
        if let Some(r) = &plan.rounds {
            let every = with(l.short(r.every_s, 7), "s");
            rows.push(row(Term::Rounds, format!("{} × {}, {every}", r.count, with(l.short(r.length_s, 7), "s"))));
        }
        Ok(rows)
    }

    /// What was tested: its sheet, its drawing and its pictures.
    pub(super) async fn specimen(&self, drawn: bool, pictures: bool, beside: u8) -> Result<Vec<Body>> {
        let (store, l) = (&self.desk.store, self.report.language);
        let sheet: Specimen = serde_json::from_value(store.specimen(self.campaign.id).await?.0)?;
        let row = |term: Term, says: &str| (l.says(term).to_string(), says.to_string());
        let mut rows = vec![row(Term::Specimen, &self.campaign.specimen), row(Term::Kind, &sheet.kind)];
        rows.extend([row(Term::Serial, &sheet.serial), row(Term::Remarks, &sheet.remarks)]);
        rows.retain(|r| !r.1.trim().is_empty());
        let mut all = vec![Body::Facts { rows }];
        let mut figures: Vec<Figure> = Vec::new();
        if drawn && let Some(d) = outline(&sheet.geometry) {
            let caption =
                self.about(None, None).set(&format!("{}.", super::content::escaped(&self.campaign.specimen)))?;
            figures.push(Figure::of(d, self.campaign.specimen.clone(), caption));
        }
        if pictures {
            let files = store.specimen_files(self.campaign.id).await?;
            for file in files.iter().filter(|f| f.kind == "picture").take(MOST_PICTURES) {
                figures.push(self.picture(file).await?);
            }
        }
        if !figures.is_empty() {
            all.push(Body::Figures { beside, figures });
        }
        Ok(all)
    }

    async fn picture(&self, file: &SpecimenFile) -> Result<Figure> {
        let (_, bytes) = self.desk.store.specimen_file(file.id).await?;
        let drawn = tokio::task::spawn_blocking(move || drawing(&bytes, WIDE)).await?;
        let drawn = drawn.map_err(|e| Error::conflict(e.to_string()))?;
        let caption = self.about(None, None).set(&super::content::escaped(&file.name))?;
        Ok(Figure::of(drawn, file.name.clone(), caption))
    }
}

/// The specimen's lines, seen from front, right and above; nothing where it has none.
fn outline(geometry: &Geometry) -> Option<Drawing> {
    let places: Vec<[f64; 2]> = geometry.points.iter().map(|p| seen([p.x, p.y, p.z])).collect();
    let strokes = geometry.strokes();
    let through = || strokes.iter().flatten().filter_map(|row| places.get(*row));
    let end = |axis: usize, pick: fn(f64, f64) -> f64| through().map(|p| p[axis]).reduce(pick);
    let (left, right, top, foot) = (end(0, f64::min)?, end(0, f64::max)?, end(1, f64::min)?, end(1, f64::max)?);
    let scale = ((WIDE - 2.0 * EDGE) / (right - left)).min((HIGH - 2.0 * EDGE) / (foot - top));
    if !(scale.is_finite() && scale > 0.0) {
        return None;
    }
    let size = [WIDE, (foot - top) * scale + 2.0 * EDGE];
    let shift = (WIDE - (right - left) * scale) / 2.0;
    let at = |p: [f64; 2]| ((p[0] - left) * scale + shift, (p[1] - top) * scale + EDGE);
    let mut svg = format!("<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 {} {}'>", size[0], size[1]);
    svg += "<g fill='none' stroke='#10263b' stroke-width='0.7' stroke-linejoin='round'>";
    for stroke in &strokes {
        svg += "<path d='";
        for (k, p) in stroke.iter().filter_map(|row| places.get(*row)).enumerate() {
            let (x, y) = at(*p);
            let _ = write!(svg, "{}{x:.1} {y:.1}", if k == 0 { 'M' } else { 'L' });
        }
        svg += "'/>";
    }
    svg += "</g></svg>";
    Some(Drawing { svg, labels: Vec::new(), size })
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_specimen_is_drawn_within_its_frame_or_not_at_all() {
        let geometry = |points: serde_json::Value| -> Geometry {
            let points: Vec<serde_json::Value> = points
                .as_array()
                .unwrap()
                .iter()
                .enumerate()
                .map(|(i, p)| json!({ "name": i.to_string(), "x": p[0], "y": p[1], "z": p[2] }))
                .collect();
            let names: Vec<String> = (0..points.len()).map(|i| i.to_string()).collect();
            serde_json::from_value(json!({ "points": points, "lines": [names] })).unwrap()
        };
        let drawn = outline(&geometry(json!([[0, 0, 0], [1, 0, 0], [1, 1, 0.5]]))).unwrap();
        assert!(drawn.size[0] == WIDE && drawn.size[1] <= HIGH + 1e-9);
        let path = drawn.svg.split("d='").nth(1).unwrap().split('\'').next().unwrap();
        let numbers: Vec<f64> = path.split(['M', 'L', ' ']).filter_map(|n| n.parse().ok()).collect();
        assert_eq!(numbers.len(), 6);
        assert!(numbers.chunks(2).all(|p| (0.0..=WIDE).contains(&p[0]) && (0.0..=drawn.size[1]).contains(&p[1])));
        assert!(outline(&geometry(json!([]))).is_none());
        assert!(outline(&geometry(json!([[1, 1, 1], [1, 1, 1]]))).is_none(), "a point has no size");
    }

    #[test]
    fn a_change_is_told_on_one_line() {
        assert_eq!(
            detail(&json!({ "run": 3, "from": "g", "to": null, "reason": "typing error" })),
            "from g, reason typing error, run 3"
        );
        assert!(detail(&json!("x".repeat(500))).ends_with(" …"));
    }
}
