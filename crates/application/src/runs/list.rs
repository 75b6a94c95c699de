//! The list of runs: what each holds and takes, described, deleted, moved, and two of them compared.

use super::detail::RunBody;
use crate::{App, Desk, Error, Result};
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use echo_job::plan::{Length, Plan};
use echo_job::rig::{CellChanged, differences};
use echo_store::run_list::Description;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// A run in the list.
#[derive(Serialize, ToSchema)]
pub struct ListedRun {
    /// The run.
    #[serde(flatten)]
    pub run: RunBody,
    /// Channels it stores.
    pub channels: i64,
    /// Its takes.
    pub takes: i64,
    /// Its marks.
    pub marks: i64,
    /// Kept results it is part of.
    pub results: i64,
}

/// A run that was deleted and can be brought back.
#[derive(Serialize, ToSchema)]
pub struct DeletedRunBody {
    /// Key.
    pub id: i64,
    /// Number.
    pub number: i32,
    /// What it was called.
    pub kind: String,
    /// Bytes that are given back.
    pub bytes: i64,
    /// When it goes for good.
    pub gone_at: DateTime<Utc>,
}

/// What a run is called and said to be.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RunDescription {
    /// What it is called; up to 200 characters.
    pub kind: String,
    /// What there is to say of it; up to 2000 characters.
    pub remark: String,
    /// Words it is found by; up to 20 of up to 40 characters.
    pub tags: Vec<String>,
}

/// Something in which two runs differ, in words.
#[derive(Debug, PartialEq, Serialize, ToSchema)]
pub struct Difference {
    /// What it is about.
    pub what: String,
    /// In the first run.
    pub one: String,
    /// In the other one.
    pub other: String,
}

/// In what two runs differ.
#[derive(Serialize, ToSchema)]
pub struct RunDifferences {
    /// Their front ends and plans.
    pub settings: Vec<Difference>,
    /// Their channel tables: before is the first run's.
    pub cells: Vec<CellChanged>,
}

const LONGEST_KIND: usize = 200;
const LONGEST_REMARK: usize = 2000;
const MOST_TAGS: usize = 20;
const LONGEST_TAG: usize = 40;

/// Runs of a campaign with what is counted of them, oldest first.
///
/// # Errors
/// The database is away.
pub async fn list(desk: &Desk, campaign: i64) -> Result<Vec<ListedRun>> {
    let counted = desk.store.counted_runs(campaign).await?;
    let mut counted: BTreeMap<i64, _> = counted.into_iter().map(|c| (c.run_id, c)).collect();
    let runs = desk.store.runs(campaign).await?.into_iter();
    let listed = runs.filter_map(|r| {
        let c = counted.remove(&r.id)?;
        let run = RunBody::from(r);
        Some(ListedRun { run, channels: c.channels, takes: c.takes, marks: c.marks, results: c.results })
    });
    Ok(listed.collect())
}

/// Runs of a campaign that can be brought back, those deleted last first.
///
/// # Errors
/// The database is away.
pub async fn deleted(desk: &Desk, campaign: i64) -> Result<Vec<DeletedRunBody>> {
    let all = desk.store.deleted_runs(campaign).await?.into_iter();
    let body =
        all.map(|d| DeletedRunBody { id: d.id, number: d.number, kind: d.kind, bytes: d.bytes, gone_at: d.gone_at });
    Ok(body.collect())
}

impl RunDescription {
    /// Checks it, and takes off what no list needs: spaces around words, empty and repeated tags.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn checked(self) -> std::result::Result<RunDescription, Refusal> {
        let kind = self.kind.trim().to_string();
        if kind.chars().count() > LONGEST_KIND || kind.chars().any(char::is_control) {
            let says = format!("what a run is called must be one line of up to {LONGEST_KIND} characters");
            return Err(Refusal::new("kind", says));
        }
        let remark = self.remark.trim().to_string();
        if remark.chars().count() > LONGEST_REMARK || remark.chars().any(|c| c.is_control() && c != '\n' && c != '\t') {
            let says = format!("a remark must have up to {LONGEST_REMARK} characters, without control characters");
            return Err(Refusal::new("remark", says));
        }
        let mut tags: Vec<String> = Vec::new();
        for tag in self.tags.iter().map(|t| t.trim()).filter(|t| !t.is_empty()) {
            if tag.chars().count() > LONGEST_TAG || tag.chars().any(|c| c.is_control() || c == ',') {
                let says = format!("a tag must be up to {LONGEST_TAG} characters without commas, not “{tag}”");
                return Err(Refusal::new("tags", says));
            }
            if !tags.iter().any(|t| t == tag) {
                tags.push(tag.to_string());
            }
        }
        if tags.len() > MOST_TAGS {
            return Err(Refusal::new("tags", format!("a run has up to {MOST_TAGS} tags, not {}", tags.len())));
        }
        Ok(RunDescription { kind, remark, tags })
    }
}

/// Says anew what a run is called, what there is to say of it and by which words it is found.
///
/// # Errors
/// A text that is not allowed, there is none of that key, or the database is away.
pub async fn describe(app: &App, run: i64, who: &str, to: RunDescription) -> Result<()> {
    let to = to.checked()?;
    let description = Description { kind: &to.kind, remark: &to.remark, tags: &to.tags };
    Ok(app.store.describe_run(run, &description, who).await?)
}

/// Deletes a run; it can be brought back for a day.
///
/// # Errors
/// It is being recorded, there is none of that key, or the database is away.
pub async fn delete(app: &App, run: i64, who: &str) -> Result<()> {
    Ok(app.store.put_run_away(run, who).await?)
}

/// Moves a run into another campaign, with those it was recorded together with.
///
/// # Errors
/// One of them is being recorded, the run or the campaign is not there, or the database is away.
pub async fn move_to(app: &App, run: i64, campaign: i64, who: &str) -> Result<()> {
    Ok(app.store.move_run(run, campaign, who).await?)
}

fn hertz(hz: f64) -> String {
    if hz >= 1000.0 { format!("{} kHz", hz / 1000.0) } else { format!("{hz} Hz") }
}

/// What a plan says, thing by thing.
fn said(plan: &Plan, rig: &echo_job::rig::Rig) -> Vec<(&'static str, String)> {
    let length = match plan.length {
        Length::After { duration_s } => format!("{duration_s} s"),
        Length::WhenStopped => "until it is stopped".into(),
    };
    let recorders = plan.recorders().iter().map(|r| r.name.clone()).collect::<Vec<_>>().join(", ");
    let tachos = plan.tachos.iter().map(|t| {
        let unit = &t.unit;
        format!("input {}, {} pulses a turn at {} {unit}", t.input, t.pulses_per_rev, t.threshold)
    });
    let watched = plan.watch.iter().map(|w| {
        let limit = |l: Option<f64>| l.map_or("none".to_string(), |l| l.to_string());
        format!("input {}: caution {}, limit {}", w.measure.input, limit(w.caution), limit(w.limit))
    });
    let or_none = |text: String| if text.is_empty() { "none".to_string() } else { text };
    vec![
        ("sample rate", hertz(plan.sample_rate_hz)),
        ("length", length),
        ("block", format!("{} samples", plan.block)),
        ("begins", plan.start.says(rig)),
        ("kept from before a trigger", format!("{} s", plan.start.pre_s)),
        ("recorders", recorders),
        ("tachometers", or_none(tachos.collect::<Vec<_>>().join("; "))),
        ("watched", or_none(watched.collect::<Vec<_>>().join("; "))),
    ]
}

/// In what two runs differ: front end, plan, channel table, as they stood when each was recorded.
///
/// # Errors
/// One of them is not there, or the database is away.
pub async fn compare(desk: &Desk, one: i64, other: i64) -> Result<RunDifferences> {
    if one == other {
        return Err(Error::Refused(Refusal::new("with", "a run does not differ from itself; choose another one")));
    }
    let (a, b) = (desk.store.run(one).await?, desk.store.run(other).await?);
    let (plan_a, plan_b) = (desk.store.run_plan(one).await?, desk.store.run_plan(other).await?);
    let (rig_a, rig_b) = (desk.store.run_rig(one).await?, desk.store.run_rig(other).await?);
    let mut settings = vec![("front end", a.front_end.clone(), b.front_end.clone())];
    // A recorder may keep every which sample.
    if a.divide != b.divide {
        settings.push(("rate of the recorder", hertz(a.sample_rate_hz), hertz(b.sample_rate_hz)));
    }
    let pairs = said(&plan_a, &rig_a).into_iter().zip(said(&plan_b, &rig_b));
    settings.extend(pairs.map(|((what, one), (_, other))| (what, one, other)));
    let differs = settings.into_iter().filter(|(_, one, other)| one != other);
    Ok(RunDifferences {
        settings: differs.map(|(what, one, other)| Difference { what: what.into(), one, other }).collect(),
        cells: differences(&rig_a, &rig_b),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn described(kind: &str, remark: &str, tags: &[&str]) -> std::result::Result<RunDescription, String> {
        let tags = tags.iter().map(|t| t.to_string()).collect();
        RunDescription { kind: kind.into(), remark: remark.into(), tags }.checked().map_err(|e| e.says)
    }

    #[test]
    fn descriptions_are_bounded_and_tidied() {
        let good = described(" coast-down ", "twice\nas “loud”", &[" loud", "", "loud", "bearing 2"]).unwrap();
        assert_eq!((good.kind.as_str(), good.tags), ("coast-down", vec!["loud".to_string(), "bearing 2".into()]));
        assert!(described("a\nb", "", &[]).unwrap_err().contains("one line"));
        assert!(described("", "x\u{7}", &[]).unwrap_err().contains("control characters"));
        assert!(described("", &"x".repeat(2001), &[]).unwrap_err().contains("2000"));
        assert!(described("", "", &["a,b"]).unwrap_err().contains("without commas"));
        let many: Vec<String> = (0..21).map(|i| format!("t{i}")).collect();
        let many: Vec<&str> = many.iter().map(String::as_str).collect();
        assert!(described("", "", &many).unwrap_err().contains("up to 20 tags, not 21"));
    }
}
