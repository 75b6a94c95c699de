//! Rounds: started, stopped, their table, their pictures.

use crate::{App, Error, Result};
use chrono::{DateTime, Utc};
use echo_formats::sheet::Sheet;
use echo_job::Refusal;
use echo_job::entry::number::plain;
use echo_job::front_end::USUAL_CLEAN_SHARE;
use echo_store::schedule::Schedule;
use echo_store::state::{RoundState, ScheduleState};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// A schedule with its table.
#[derive(Serialize, ToSchema)]
pub struct ScheduleBody {
    /// Key.
    pub id: i64,
    /// Where it is.
    pub state: ScheduleState,
    /// When it was started.
    pub begun_at: DateTime<Utc>,
    /// Rounds planned.
    pub count: u32,
    /// When the next one is due, while it goes.
    pub next_at: Option<DateTime<Utc>>,
    /// When the last one will have ended.
    pub ends_at: DateTime<Utc>,
    /// Heads of the measured columns, with their units.
    pub heads: Vec<String>,
    /// Rounds so far.
    pub rounds: Vec<RoundBody>,
    /// All schedules of the campaign, newest first: each keeps its table.
    pub all: Vec<ScheduleShort>,
}

/// A schedule in short.
#[derive(Serialize, ToSchema)]
pub struct ScheduleShort {
    /// Key.
    pub id: i64,
    /// When it was started.
    pub begun_at: DateTime<Utc>,
    /// Rounds planned.
    pub count: u32,
    /// Where it is.
    pub state: ScheduleState,
}

/// Which schedule of a campaign.
#[derive(Clone, Copy, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Which {
    /// Its key; the newest when left out.
    pub schedule: Option<i64>,
}

/// A round.
#[derive(Serialize, ToSchema)]
pub struct RoundBody {
    /// Number, from 1.
    pub number: i32,
    /// When it was due.
    pub due_at: DateTime<Utc>,
    /// What became of it.
    pub state: RoundState,
    /// Why, where it is not done.
    pub says: String,
    /// Its run, while its waveform is kept.
    pub run_id: Option<i64>,
    /// Measured values, in the order of the heads.
    pub measured: Vec<Option<f64>>,
}

/// The table without the other schedules.
async fn body(app: &App, s: Schedule) -> Result<ScheduleBody> {
    let rig = app.store.rig(s.campaign).await?.rig;
    let rounds = app.store.rounds(s.id).await?;
    let heads = s.rounds.measures.iter().map(|m| {
        let unit = rig.channel(m.input).map_or(String::new(), |c| m.unit(c));
        let unit = if unit.is_empty() { unit } else { format!(" ({unit})") };
        format!("{}: {}{unit}", rig.name_of(m.input), m.says())
    });
    let next = rounds.iter().map(|r| r.number as u32).max().unwrap_or(0) + 1;
    let going = s.state == ScheduleState::Going && next <= s.rounds.count;
    let length = chrono::Duration::milliseconds((s.rounds.length_s * 1e3) as i64);
    Ok(ScheduleBody {
        id: s.id,
        begun_at: s.begun_at,
        count: s.rounds.count,
        next_at: going.then(|| s.rounds.due(s.begun_at, next)),
        ends_at: s.rounds.due(s.begun_at, s.rounds.count) + length,
        heads: heads.collect(),
        all: Vec::new(),
        state: s.state,
        rounds: rounds
            .into_iter()
            .map(|r| RoundBody {
                number: r.number,
                due_at: r.due_at,
                state: r.state,
                says: r.says,
                run_id: r.run_id,
                measured: r.measured,
            })
            .collect(),
    })
}

/// A schedule of a campaign, or its newest; nothing if there was none.
async fn found(app: &App, campaign: i64, which: Which) -> Result<Option<Schedule>> {
    let one = app.store.schedule(campaign, which.schedule).await?;
    match (one, which.schedule) {
        (None, Some(id)) => Err(Error::missing(&format!("schedule {id} in this campaign"))),
        (one, _) => Ok(one),
    }
}

/// A table with the other schedules of its campaign beside it.
async fn with_all(app: &App, s: Schedule) -> Result<ScheduleBody> {
    let all = app.store.schedules(s.campaign).await?.into_iter();
    let short = all.map(|s| ScheduleShort { id: s.id, begun_at: s.begun_at, count: s.count as u32, state: s.state });
    let all = short.collect();
    Ok(ScheduleBody { all, ..body(app, s).await? })
}

async fn there(app: &App, campaign: i64, which: Which) -> Result<Schedule> {
    let none = || Error::missing("a schedule of this campaign; start its rounds first");
    found(app, campaign, which).await?.ok_or_else(none)
}

/// A schedule of a campaign with its table; nothing if there was none.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn read(app: &App, id: i64, which: Which) -> Result<Option<ScheduleBody>> {
    Ok(match found(app, id, which).await? {
        Some(s) => Some(with_all(app, s).await?),
        None => None,
    })
}

/// Starts the rounds of the campaign's plan.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn start(app: &App, id: i64, who: &str) -> Result<ScheduleBody> {
    let plan = app.store.plan(id).await?;
    let rounds = plan.rounds.clone();
    let rounds = rounds.ok_or_else(|| Refusal::new("rounds", "the plan has no rounds; say how often and how many"))?;
    let rig = app.store.rig(id).await?.rig;
    rounds.check(Some(&rig))?;
    if app.setup().is_none_or(|s| s.campaign != id) {
        return Err(Error::conflict("another campaign is chosen; choose this one first"));
    }
    if rounds.end_at.is_some_and(|end| end <= Utc::now()) {
        return Err(Refusal::new("rounds", "the session has ended already; set a later end").into());
    }
    let free = app.free_bytes().await;
    if let (Some(need), Some(free)) = (plan.sums(&rig, USUAL_CLEAN_SHARE, free).rounds_bytes, free)
        && need > free as f64
    {
        let says = format!("the rounds take {:.1} GB and the disk has {:.1} GB", need / 1e9, free as f64 / 1e9);
        return Err(Error::conflict(says));
    }
    let schedule = app.store.start_schedule(id, &rounds, &plan, who).await?;
    with_all(app, schedule).await
}

/// Stops the rounds; one that is being recorded ends with what it has.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn stop(app: &App, id: i64) -> Result<()> {
    let schedule = there(app, id, Which { schedule: None }).await?;
    app.store.end_schedule(schedule.id, ScheduleState::Stopped).await?;
    let _ = app.capture.stop().await;
    Ok(())
}

/// The table of a schedule as a sheet.
///
/// # Errors
/// There is none, or the database is away.
pub async fn sheet(app: &App, id: i64, which: Which) -> Result<Sheet> {
    let table = body(app, there(app, id, which).await?).await?;
    let heads = ["Round", "Due (UTC)", "State"].into_iter().map(String::from).chain(table.heads);
    let row = |r: RoundBody| {
        let word = r.state.word();
        let state = if r.says.is_empty() { word.into() } else { format!("{word}: {}", r.says) };
        let measured = r.measured.into_iter().map(|v| v.map_or(String::new(), plain));
        let first = [r.number.to_string(), r.due_at.format("%Y-%m-%d %H:%M:%S").to_string(), state];
        first.into_iter().chain(measured).collect::<Vec<String>>()
    };
    let rows = table.rounds.into_iter().map(row).collect();
    Ok(Sheet { name: "Rounds".into(), heads: heads.collect(), rows })
}

/// The picture of a round of a schedule: its waveform as SVG.
///
/// # Errors
/// There is none, or the database is away.
pub async fn picture(app: &App, id: i64, which: Which, number: i32) -> Result<String> {
    let schedule = there(app, id, which).await?;
    Ok(app.store.picture(schedule.id, number).await?)
}
