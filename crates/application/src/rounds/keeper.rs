//! Unattended rounds: each one recorded when it is due, measured, and written into the table.
//!
//! What is to be done stands in the database, so a server that was stopped in between goes on with
//! the next round; those that fell into its absence are marked as missed.

use super::measured::measured;
use crate::{App, Result};
use chrono::Utc;
use echo_capture::{CaptureState, Lent};
use echo_store::schedule::{Round, Schedule};
use echo_store::state::{RoundState, ScheduleState};
use std::time::Duration;

/// How often the clock is looked at.
const LOOK: Duration = Duration::from_millis(200);
/// A round that cannot begin is tried again for this share of the time to the next, s at most.
const PATIENCE_S: f64 = 10.0;

/// Keeps the rounds going for as long as the server lives.
pub async fn keep_rounds(app: App) {
    let mut own: Option<i32> = None;
    loop {
        match step(&app, &mut own).await {
            Ok(true) => {}
            Ok(false) => tokio::time::sleep(LOOK).await,
            Err(e) => {
                tracing::warn!("rounds: {e:?}");
                tokio::time::sleep(Duration::from_secs(1)).await;
            }
        }
    }
}

/// One look: tells whether something was done, so that the next look follows at once.
async fn step(app: &App, own: &mut Option<i32>) -> Result<bool> {
    let Some(s) = app.store.going_schedule().await? else {
        *own = None;
        return Ok(false);
    };
    let last = app.store.last_round(s.id).await?;
    // A round that goes and is not ours was broken by the end of the server.
    if let Some(r) = last.as_ref().filter(|r| r.state == RoundState::Going && Some(r.number) != *own) {
        let says = "the server stopped while it was recorded".into();
        app.store.write_round(s.id, &Round { state: RoundState::Broken, says, ..r.clone() }).await?;
        return Ok(true);
    }
    let number = last.map_or(0, |r| r.number) + 1;
    let due_at = s.rounds.due(s.begun_at, number as u32);
    let over = s.rounds.end_at.is_some_and(|end| due_at > end);
    if number as u32 > s.rounds.count || over {
        app.store.end_schedule(s.id, ScheduleState::Done).await?;
        return Ok(true);
    }
    let late_s = (Utc::now() - due_at).num_milliseconds() as f64 / 1e3;
    if late_s < 0.0 {
        return Ok(false);
    }
    let mut round =
        Round { number, due_at, state: RoundState::Missed, says: String::new(), run_id: None, measured: Vec::new() };
    if late_s >= s.rounds.every_s {
        round.says = "the server was not running, or busy with another recording".into();
        app.store.write_round(s.id, &round).await?;
        return Ok(true);
    }
    let lent = match begin(app, &s, number).await {
        Ok(lent) => lent,
        Err(_) if late_s < PATIENCE_S.min(0.5 * s.rounds.every_s) => return Ok(false),
        Err(e) => {
            round.says = e;
            app.store.write_round(s.id, &round).await?;
            return Ok(true);
        }
    };
    *own = Some(number);
    round.state = RoundState::Going;
    if let Err(e) = app.store.write_round(s.id, &round).await {
        // It is recorded all the same; its table is written when it has ended.
        tracing::warn!("round {number} is recorded and could not be noted: {e}");
    }
    let ended = ended(app).await;
    // The campaign's own plan again, while this one is measured.
    drop(lent);
    round.run_id = ended.as_ref().map(|e| e.run_id);
    match &ended {
        Some(e) if e.whole => {
            let (measured, picture) = measured(app, &s, e.run_id).await?;
            (round.state, round.measured) = (RoundState::Done, measured);
            if e.lost_blocks > 0 {
                round.says = format!("{} blocks lost", e.lost_blocks);
            }
            app.store.write_round(s.id, &round).await?;
            app.store.write_picture(s.id, number, &picture).await?;
        }
        other => {
            round.state = RoundState::Broken;
            round.says = other.as_ref().map_or("the recording did not end".into(), |e| e.because.clone());
            app.store.write_round(s.id, &round).await?;
        }
    }
    let_go(app, &s).await?;
    Ok(true)
}

async fn begin(app: &App, s: &Schedule, number: i32) -> std::result::Result<Lent, String> {
    let mut setup = app.setup().ok_or("no campaign is chosen")?;
    if setup.campaign != s.campaign {
        return Err("another campaign is chosen".into());
    }
    setup.plan = s.plan.of_round(&s.rounds);
    setup.plan.run_kind = format!("round {number}");
    app.capture.lend(setup).await.map_err(|e| e.to_string())
}

async fn ended(app: &App) -> Option<echo_capture::Ended> {
    let mut status = app.capture.status();
    let idle = status.wait_for(|s| s.capture == CaptureState::Idle).await;
    idle.ok().and_then(|s| s.ended.clone())
}

/// Lets waveforms go that are not among the newest.
async fn let_go(app: &App, s: &Schedule) -> Result<()> {
    let Some(keep) = s.rounds.keep_newest else { return Ok(()) };
    let runs = app.store.round_runs(s.id).await?;
    for run in runs.iter().take(runs.len().saturating_sub(keep as usize)) {
        app.store.delete_run(*run).await?;
    }
    Ok(())
}
