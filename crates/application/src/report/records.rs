//! What the campaign recorded besides samples, as blocks: marks, takes, rounds, alarms, what was let pass and changed,
//! the plan, what front ends found of their inputs, the machine's elements.

use super::making::Making;
use super::words::{headed, with};
use crate::Result;
use crate::front_ends::tests;
use crate::runs::events::{EventBody, EventsRequest, events};
use crate::runs::markers::{StretchQuery, markers};
use chrono::{DateTime, Utc};
use echo_job::impact::PointState;
use echo_job::plan::{Length, Plan};
use echo_job::report::block::{Block, Records};
use echo_job::report::language::Term;
use echo_report::document::{Body, Table};
use echo_store::run::Run;

/// Axes of an event where none are named.
const USUAL_AXES: usize = 3;
/// Rows that are told at most.
const MOST: usize = 1000;
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
    fn table(&self, heads: &[Term], digits: &[usize], mut rows: Vec<Vec<String>>) -> Option<Table> {
        rows.truncate(MOST);
        let heads: Vec<String> = heads.iter().map(|t| self.report.language.says(*t).to_string()).collect();
        let digits = (0..heads.len()).map(|c| digits.contains(&c)).collect();
        (!rows.is_empty()).then(|| Table { heads, rows, digits, ..Table::default() })
    }

    /// What was recorded of a kind; nothing where there is none.
    pub(super) async fn records(&self, block: &Block, of: Records, channels: &[i16]) -> Result<Option<Body>> {
        let store = &self.desk.store;
        let id = self.campaign.id;
        let l = self.report.language;
        let at = |run: &Run, sample: i64| l.short(sample as f64 / run.sample_rate_hz, 9);
        Ok(match of {
            Records::Marks => {
                let run = self.run(block)?;
                let marks = store.marks(run.id).await?;
                let rows = marks.into_iter().map(|m| vec![at(run, m.sample), m.says, m.who, moment(m.at)]).collect();
                self.table(&[Term::AtS, Term::Says, Term::Who, Term::When], &[0], rows).map(Body::Table)
            }
            Records::Takes => {
                let run = self.run(block)?;
                let rows = store.takes(run.id).await?.into_iter().map(|t| {
                    let long = t.samples.map_or_else(String::new, |n| at(run, n));
                    vec![t.number.to_string(), at(run, t.trigger_sample), long, t.says]
                });
                self.table(&[Term::Number, Term::AtS, Term::LengthS, Term::Says], &[0, 1, 2], rows.collect())
                    .map(Body::Table)
            }
            Records::Rounds => self.rounds().await?,
            Records::Alarms => {
                let rows = store.alarms(id, MOST as i64).await?.into_iter().rev().map(|a| {
                    let seen = a.acknowledged_by.unwrap_or_default();
                    vec![moment(a.at), a.watched, a.says, seen]
                });
                self.table(&[Term::When, Term::Watched, Term::Says, Term::Seen], &[], rows.collect()).map(Body::Table)
            }
            Records::Waivers => {
                let rows = store.waivers(id).await?.into_iter().map(|w| {
                    let input = w.input.map_or_else(String::new, |i| i.to_string());
                    vec![input, w.says, w.reason, w.who, moment(w.at)]
                });
                self.table(&[Term::Input, Term::Says, Term::Reason, Term::Who, Term::When], &[0], rows.collect())
                    .map(Body::Table)
            }
            Records::Changes => {
                let rows = store.changes(id, MOST as i64).await?.into_iter().rev();
                let rows = rows.map(|c| vec![moment(c.at), c.who, c.what, detail(&c.detail)]).collect();
                self.table(&[Term::When, Term::Who, Term::What, Term::Detail], &[], rows).map(Body::Table)
            }
            Records::Taps => self.taps().await?,
            Records::TapMap => self.tap_map().await?,
            Records::Events => self.events(self.run(block)?, channels).await?,
            Records::SelfTest => self.self_tests().await?,
            Records::Elements => self.elements(block).await?,
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
            let state = l.word(r.state.word());
            row.push(if r.says.is_empty() { state } else { format!("{state}: {}", r.says) });
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
            let mut flaws: Vec<String> = Vec::new();
            for f in of().flat_map(|h| &h.verdict.flaws) {
                let word = l.word(f.word());
                if !flaws.contains(&word) {
                    flaws.push(word);
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
        Ok(self
            .table(&[Term::Point, Term::Hits, Term::Rejected, Term::Why, Term::State], &[1, 2], rows)
            .map(Body::Table))
    }

    /// Takes of a run read as events.
    async fn events(&self, run: &Run, channels: &[i16]) -> Result<Option<Body>> {
        let l = self.report.language;
        let all = self.desk.store.run_channels(run.id).await?;
        let first = all.first().map(|c| c.row.unit.clone()).unwrap_or_default();
        let usual = || all.iter().filter(|c| c.row.unit == first).take(USUAL_AXES).map(|c| c.channel).collect();
        let channels: Vec<i16> = if channels.is_empty() { usual() } else { channels.to_vec() };
        let told = events(self.desk, run.id, EventsRequest { channels, zero: true, lowpass_hz: None }).await?;
        let mut heads = vec![l.says(Term::Number).to_string(), l.says(Term::AtS).to_string()];
        heads.extend(told.axes.iter().map(|name| headed(name, &told.unit)));
        let several = told.axes.len() > 1;
        if several {
            heads.extend([headed(l.says(Term::Resultant), &told.unit), l.says(Term::Dominant).into()]);
        }
        heads.extend([l.says(Term::DurationMs).to_string(), l.says(Term::HalfSineMs).into()]);
        heads.push(if told.velocity { headed(l.says(Term::Integral), "m/s") } else { told.integral_unit.clone() });
        let dominant = if several { 2 + told.axes.len() + 1 } else { usize::MAX };
        let row = |e: &EventBody| {
            let mut cells = vec![e.number.to_string(), l.short(e.trigger_s, 6)];
            let Some(read) = &e.event else {
                cells.extend(e.refused.clone());
                cells.resize(heads.len(), String::new());
                return cells;
            };
            cells.extend(read.axes.iter().map(|a| l.number(a.peak, 4)));
            if several {
                cells.extend([l.number(read.resultant, 4), told.axes.get(read.dominant).cloned().unwrap_or_default()]);
            }
            cells.extend([l.number(1e3 * read.duration_s, 4), l.number(1e3 * read.half_sine_s, 4)]);
            cells.push(read.axes.get(read.dominant).map_or_else(String::new, |a| l.number(a.integral, 3)));
            cells
        };
        let rows: Vec<Vec<String>> = told.events.iter().map(row).collect();
        let digits = (0..heads.len()).map(|c| c != dominant).collect();
        Ok((!rows.is_empty()).then(|| Body::Table(Table { heads, rows, digits, ..Table::default() })))
    }

    /// What the front end found of each input when it was tested last; what is not in order stands out.
    async fn self_tests(&self) -> Result<Option<Body>> {
        let l = self.report.language;
        let rig = self.desk.store.rig(self.campaign.id).await?.rig;
        let all = tests(&self.desk.store, self.campaign.id).await?;
        let heads = [Term::Input, Term::Channels, Term::Passed, Term::Rest, Term::Offset, Term::Noise, Term::When];
        let row = |t: &crate::front_ends::TestedInput| {
            let says = match t.test.passed {
                true => t.test.says.clone(),
                false => format!("{}: {}", l.says(Term::NotInOrder), t.test.says),
            };
            let rest = t.test.bias_v.map_or_else(String::new, |v| l.number(v, 3));
            let (offset, noise) = (l.number(1e6 * t.test.offset_v, 2), l.number(1e6 * t.test.noise_v, 2));
            let (input, name) = (t.test.input.to_string(), rig.name_of(t.test.input));
            vec![input, name, says, rest, offset, noise, moment(t.at)]
        };
        let loud = all.iter().map(|t| !t.test.passed).collect();
        let table = self.table(&heads, &[0, 3, 4, 5], all.iter().map(row).collect());
        Ok(table.map(|table| Body::Table(Table { loud, ..table })))
    }

    /// The machine's elements with their lines, a turn of the shaft with the tachometer; where the run has one, also in Hz.
    async fn elements(&self, block: &Block) -> Result<Option<Body>> {
        let l = self.report.language;
        // Who has no run yet has a machine all the same.
        let (found, rpm) = match self.run(block) {
            Ok(run) => {
                let whole = StretchQuery { from_s: 0.0, to_s: super::words::About::length_s(run) };
                let found = markers(self.desk, run.id, whole).await?;
                (found.markers, found.rpm)
            }
            Err(_) => (crate::runs::markers::machine(self.desk, self.campaign.id).await?.0.markers(), None),
        };
        let row = |m: &echo_job::machine::Marker| {
            let apart = m.sideband_order.map_or_else(String::new, |s| format!("± {}", l.short(s, 5)));
            let mut cells = vec![m.element.clone(), l.word(&m.says), l.short(m.order, 6), apart];
            cells.extend(rpm.map(|rpm| l.number(m.order * rpm / 60.0, 5)));
            cells
        };
        let mut heads: Vec<String> = [Term::Element, Term::Line, Term::PerTurn, Term::Sidebands]
            .iter()
            .map(|t| l.says(*t).to_string())
            .collect();
        heads.extend(rpm.map(|rpm| l.says(Term::HzAt).replace("{}", &with(l.number(rpm, 5), "rpm"))));
        let digits = (0..heads.len()).map(|c| c > 1).collect();
        let rows: Vec<Vec<String>> = found.iter().map(row).collect();
        Ok((!rows.is_empty()).then(|| Body::Table(Table { heads, rows, digits, ..Table::default() })))
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
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_change_is_told_on_one_line() {
        assert_eq!(
            detail(&json!({ "run": 3, "from": "g", "to": null, "reason": "typing error" })),
            "from g, reason typing error, run 3"
        );
        assert!(detail(&json!("x".repeat(500))).ends_with(" …"));
    }
}
