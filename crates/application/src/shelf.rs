//! The shelf: campaigns begun, renamed, put away, deleted and brought back.

use crate::sensors::register;
use crate::{App, Error, Result};
use chrono::{DateTime, Utc};
use echo_capture::CaptureState;
use echo_job::Refusal;
use echo_job::caution::{Facts, Station, check};
use echo_job::front_end::FrontEnd;
use echo_job::plan::Plan;
use echo_job::rig::Rig;
use echo_store::shelf::{Begun, LookedAt, Shelved};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::time::Duration;
use utoipa::ToSchema;

/// A campaign on the shelf.
#[derive(Serialize, ToSchema)]
pub struct ShelvedBody {
    /// Key.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What is tested.
    pub specimen: String,
    /// What for.
    pub purpose: String,
    /// When it was worked on last.
    pub worked_at: DateTime<Utc>,
    /// When it was put away, if it was.
    pub archived_at: Option<DateTime<Utc>>,
    /// When it goes for good, where it was deleted.
    pub gone_at: Option<DateTime<Utc>>,
    /// Laid to be looked at.
    pub demo: bool,
    /// Cautions of its rig that are not let pass.
    pub rig_cautions: usize,
    /// Cautions of its plan that are not let pass.
    pub plan_cautions: usize,
    /// Its specimen as strokes of an SVG path in a frame of 100 by 70; none without a geometry.
    pub drawing: Option<String>,
    /// Channels that are measured.
    pub channels: i64,
    /// Runs that keep samples.
    pub runs: i64,
    /// Bytes of its runs.
    pub bytes: i64,
    /// Kept results.
    pub results: i64,
    /// Whether its report has been written.
    pub reported: bool,
    /// Who worked on it, the newest first.
    pub people: Vec<String>,
    /// Whether the front ends measure for it.
    pub measured: bool,
}

/// What a new campaign begins with.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
#[serde(tag = "from", rename_all = "snake_case", deny_unknown_fields)]
pub enum From {
    /// An empty rig.
    Empty,
    /// Rig, plan, benches, machine, formulas and recipes of another one.
    Campaign {
        /// Its key.
        campaign: i64,
    },
}

/// A campaign that is to be begun.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewCampaign {
    /// What is tested.
    pub specimen: String,
    /// What for.
    pub purpose: String,
    /// Its name; made of both where left out.
    #[serde(default)]
    pub name: Option<String>,
    /// What it begins with.
    pub with: From,
}

/// What a campaign is called.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Naming {
    /// Its name.
    pub name: String,
    /// What is tested.
    pub specimen: String,
    /// What for.
    pub purpose: String,
}

/// Longest text, characters.
const LONGEST: usize = 200;

/// A line of text without what no line can hold.
fn line(field: &str, what: &str, text: &str, may_be_empty: bool) -> Result<String> {
    let text = text.trim();
    if text.is_empty() && !may_be_empty {
        return Err(Refusal::new(field, format!("{what} is empty; say it in a word or two")).into());
    }
    if text.chars().count() > LONGEST {
        return Err(Refusal::new(field, format!("{what} must be up to {LONGEST} characters long")).into());
    }
    if text.chars().any(char::is_control) {
        return Err(Refusal::new(field, format!("{what} must be one line without control characters")).into());
    }
    Ok(text.to_string())
}

fn body(measured: Option<i64>, seen: Seen, s: Shelved) -> ShelvedBody {
    ShelvedBody {
        measured: measured == Some(s.id),
        rig_cautions: seen.rig_cautions,
        plan_cautions: seen.plan_cautions,
        drawing: seen.drawing,
        gone_at: s.gone_at,
        demo: s.demo,
        id: s.id,
        name: s.name,
        specimen: s.specimen,
        purpose: s.purpose,
        worked_at: s.worked_at,
        archived_at: s.archived_at,
        channels: s.channels,
        runs: s.runs,
        bytes: s.bytes,
        results: s.results,
        reported: s.reported,
        people: s.people,
    }
}

/// What is seen of a campaign from the shelf.
#[derive(Debug, Clone, Default)]
struct Seen {
    rig_cautions: usize,
    plan_cautions: usize,
    drawing: Option<String>,
}

/// Cautions of rig and plan of the campaigns that are worked on, as far as they do not hang on what is heard now, and
/// small drawings of their specimens.
async fn looked_at(app: &App) -> Result<BTreeMap<i64, Seen>> {
    let register = register(app).await?;
    let (today, free) = (Utc::now().date_naive(), app.free_bytes().await);
    let all = app.store.looked_at().await?;
    let counted = tokio::task::spawn_blocking(move || {
        let count = |c: &LookedAt| {
            let facts =
                Facts::of(&c.rig).upon(&c.specimen.geometry).registered(&register, today).planned(&c.plan, free);
            let open: Vec<Station> =
                check(&facts, &c.waivers).into_iter().filter(|f| f.waived.is_none()).map(|f| f.station).collect();
            let of = |station| open.iter().filter(|s| **s == station).count();
            let drawing = c.specimen.geometry.drawn();
            (c.campaign, Seen { rig_cautions: of(Station::Rig), plan_cautions: of(Station::Plan), drawing })
        };
        all.iter().map(count).collect()
    });
    Ok(counted.await?)
}

/// All campaigns, those worked on last first; those deleted within a day too.
///
/// # Errors
/// The database is away.
pub async fn list(app: &App) -> Result<Vec<ShelvedBody>> {
    let measured = app.setup().map(|s| s.campaign);
    let mut seen = looked_at(app).await?;
    let mut of = |s: &Shelved| seen.remove(&s.id).unwrap_or_default();
    Ok(app.store.shelf().await?.into_iter().map(|s| body(measured, of(&s), s)).collect())
}

/// Lets what was deleted go when its day is over, for as long as the server lives.
pub async fn sweep(app: App) {
    loop {
        if let Err(e) = app.store.sweep().await {
            tracing::warn!("what was deleted is not let go yet: {e}");
        }
        tokio::time::sleep(Duration::from_secs(600)).await;
    }
}

/// Begins a campaign; where nothing is measured for another one, the front ends measure for it. Gives its key.
///
/// # Errors
/// A text that is not allowed, a name that is used, another campaign that is gone, or the database is away.
pub async fn begin(app: &App, who: &str, new: NewCampaign) -> Result<i64> {
    let specimen = line("specimen", "what is tested", &new.specimen, false)?;
    let purpose = line("purpose", "the purpose", &new.purpose, true)?;
    let named = match &new.name {
        Some(name) => line("name", "the name", name, false)?,
        None => free(app, &[specimen.as_str(), purpose.as_str()].join(": ")).await?,
    };
    let (rig, plan, after) = match new.with {
        From::Empty => {
            let front_end = app.capture.front_end();
            let name = format!("rig of {specimen}");
            (Rig { name, channels: Vec::new() }.covering(front_end.as_ref()), first_plan(front_end.as_ref()), None)
        }
        From::Campaign { campaign } => {
            (app.store.rig(campaign).await?.rig, app.store.plan(campaign).await?, Some(campaign))
        }
    };
    let begun = Begun { name: &named, specimen: &specimen, purpose: &purpose, rig: &rig, plan: &plan, after, who };
    let id = app.store.begin_campaign(&begun).await?;
    if app.setup().is_none() {
        app.choose(id).await?;
    }
    Ok(id)
}

/// The plan of a campaign that begins from nothing: the rate is one that the front end offers.
fn first_plan(front_end: Option<&FrontEnd>) -> Plan {
    let usual = Plan::default();
    let near = |hz: &f64| (hz / usual.sample_rate_hz).ln().abs();
    let offered = front_end.and_then(|f| f.rates_hz.iter().copied().min_by(|a, b| near(a).total_cmp(&near(b))));
    Plan { sample_rate_hz: offered.unwrap_or(usual.sample_rate_hz), ..usual }
}

/// A name that no campaign has yet.
async fn free(app: &App, name: &str) -> Result<String> {
    let name = name.trim_end_matches([':', ' ']).chars().take(LONGEST - 4).collect::<String>();
    let used: Vec<String> = app.store.campaigns().await?.into_iter().map(|c| c.name).collect();
    let numbered = (2..).map(|n| format!("{name} {n}"));
    Ok(std::iter::once(name.clone()).chain(numbered).find(|n| !used.contains(n)).unwrap_or(name))
}

/// Renames a campaign, or says anew what it is on and for.
///
/// # Errors
/// A text that is not allowed, a name that is used, there is none of that key, or the database is away.
pub async fn rename(app: &App, id: i64, who: &str, to: Naming) -> Result<()> {
    let name = line("name", "the name", &to.name, false)?;
    let specimen = line("specimen", "what is tested", &to.specimen, false)?;
    let purpose = line("purpose", "the purpose", &to.purpose, true)?;
    Ok(app.store.rename_campaign(id, (&name, &specimen, &purpose), who).await?)
}

/// Deletes a campaign; it can be brought back for a day. Where the front ends measured for it they measure for the
/// one that they measured for before.
///
/// # Errors
/// It is recorded for, or in rounds; there is none of that key, or the database is away.
pub async fn delete(app: &App, id: i64, who: &str) -> Result<()> {
    let measured = app.setup().is_some_and(|s| s.campaign == id);
    if measured && app.capture.status().borrow().capture != CaptureState::Idle {
        return Err(Error::conflict("the front ends record for this campaign; stop that first, then delete it"));
    }
    if app.store.going_schedule().await?.is_some_and(|s| s.campaign == id) {
        return Err(Error::conflict("this campaign goes in rounds; stop them first, then delete it"));
    }
    app.store.delete_campaign(id, who).await?;
    if measured {
        match app.store.chosen_last().await? {
            Some(other) => app.choose(other).await?,
            None => app.capture.measure_nothing().await?,
        }
    }
    Ok(())
}

/// Deletes all campaigns that were laid to be looked at; each can be brought back for a day. Gives their keys.
///
/// # Errors
/// As [`delete`].
pub async fn remove_demo(app: &App, who: &str) -> Result<Vec<i64>> {
    let demo: Vec<i64> =
        app.store.shelf().await?.into_iter().filter(|c| c.demo && c.gone_at.is_none()).map(|c| c.id).collect();
    for id in &demo {
        delete(app, *id, who).await?;
    }
    Ok(demo)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_first_plan_takes_a_rate_that_is_offered() {
        let front_end = FrontEnd {
            model: String::new(),
            serial: String::new(),
            firmware: String::new(),
            rates_hz: vec![1000.0, 40_000.0, 200_000.0],
            clean_share: 0.4,
            converter_bits: 24,
            keeps_bytes: 0,
            inputs: Vec::new(),
        };
        assert_eq!(first_plan(Some(&front_end)).sample_rate_hz, 40_000.0);
        assert_eq!(first_plan(None).sample_rate_hz, 51_200.0);
    }

    #[test]
    fn texts_are_lines_of_some_length() {
        let says = |text: &str| line("specimen", "what is tested", text, false).unwrap_err().says();
        assert_eq!(line("specimen", "x", "  ramp, “port”  ", false).unwrap(), "ramp, “port”");
        assert!(says(" ").contains("is empty"));
        assert!(says(&"x".repeat(201)).contains("up to 200"));
        assert!(says("a\nb").contains("one line"));
        assert_eq!(line("purpose", "x", "", true).unwrap(), "");
    }
}
