//! Unattended rounds: each one recorded when it is due, measured, and written into the table.
//!
//! What is to be done stands in the database, so a server that was stopped in between goes on with
//! the next round; those that fell into its absence are marked as missed.

use crate::App;
use crate::error::ApiError;
use crate::run_source::calibrated;
use chrono::Utc;
use echo_capture::{CaptureState, Setup};
use echo_job::measure::Measure;
use echo_store::schedule::{Round, Schedule};
use std::fmt::Write;
use std::time::Duration;

/// How often the clock is looked at.
const LOOK: Duration = Duration::from_millis(200);
/// A round that cannot begin is tried again for this share of the time to the next, s at most.
const PATIENCE_S: f64 = 10.0;
/// Most samples of a round that are measured.
const MEASURED: usize = 1 << 26;
/// Width and height of a round's picture, px.
const PICTURE: (usize, f64) = (600, 60.0);

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
async fn step(app: &App, own: &mut Option<i32>) -> Result<bool, ApiError> {
    let Some(s) = app.store.going_schedule().await? else {
        *own = None;
        return Ok(false);
    };
    let done = app.store.rounds(s.id).await?;
    // A round that goes and is not ours was broken by the end of the server.
    if let Some(r) = done.iter().find(|r| r.state == "going" && Some(r.number) != *own) {
        let says = "the server stopped while it was recorded".into();
        app.store.write_round(s.id, &Round { state: "broken".into(), says, ..r.clone() }).await?;
        return Ok(true);
    }
    let number = done.iter().map(|r| r.number).max().unwrap_or(0) + 1;
    let due_at = s.rounds.due(s.begun_at, number as u32);
    let over = s.rounds.end_at.is_some_and(|end| due_at > end);
    if number as u32 > s.rounds.count || over {
        app.store.end_schedule(s.id, "done").await?;
        give_back(app, &s).await;
        return Ok(true);
    }
    let late_s = (Utc::now() - due_at).num_milliseconds() as f64 / 1e3;
    if late_s < 0.0 {
        return Ok(false);
    }
    let mut round =
        Round { number, due_at, state: "missed".into(), says: String::new(), run_id: None, measured: Vec::new() };
    if late_s >= s.rounds.every_s {
        round.says = "the server was not running, or busy with another recording".into();
        app.store.write_round(s.id, &round).await?;
        return Ok(true);
    }
    match begin(app, &s, number).await {
        Ok(()) => {}
        Err(_) if late_s < PATIENCE_S.min(0.5 * s.rounds.every_s) => return Ok(false),
        Err(e) => {
            round.says = e;
            app.store.write_round(s.id, &round).await?;
            return Ok(true);
        }
    }
    *own = Some(number);
    round.state = "going".into();
    app.store.write_round(s.id, &round).await?;
    let ended = ended(app).await;
    round.run_id = ended.as_ref().map(|e| e.run_id);
    match &ended {
        Some(e) if e.whole => {
            let (measured, picture) = measured(app, &s, e.run_id).await?;
            (round.state, round.measured) = ("done".into(), measured);
            if e.lost_blocks > 0 {
                round.says = format!("{} blocks lost", e.lost_blocks);
            }
            app.store.write_round(s.id, &round).await?;
            app.store.write_picture(s.id, number, &picture).await?;
        }
        other => {
            round.state = "broken".into();
            round.says = other.as_ref().map_or("the recording did not end".into(), |e| e.because.clone());
            app.store.write_round(s.id, &round).await?;
        }
    }
    let_go(app, &s).await?;
    Ok(true)
}

async fn begin(app: &App, s: &Schedule, number: i32) -> Result<(), String> {
    let mut setup = app.setup().ok_or("no campaign is chosen")?;
    if setup.campaign != s.campaign {
        return Err("another campaign is chosen".into());
    }
    setup.plan = s.plan.of_round(&s.rounds);
    setup.plan.run_kind = format!("round {number}");
    app.capture.set_up(setup).await.map_err(|e| e.to_string())?;
    app.capture.record().await.map_err(|e| e.to_string())
}

async fn ended(app: &App) -> Option<echo_capture::Ended> {
    let mut status = app.capture.status();
    let idle = status.wait_for(|s| s.capture == CaptureState::Idle).await;
    idle.ok().and_then(|s| s.ended.clone())
}

/// The campaign's own plan again.
async fn give_back(app: &App, s: &Schedule) {
    if let (Some(setup), Ok(plan)) =
        (app.setup().filter(|x| x.campaign == s.campaign), app.store.plan(s.campaign).await)
    {
        let _ = app.set_up(Setup { plan, ..setup }).await;
    }
}

/// Lets waveforms go that are not among the newest.
async fn let_go(app: &App, s: &Schedule) -> Result<(), ApiError> {
    let Some(keep) = s.rounds.keep_newest else { return Ok(()) };
    let rounds = app.store.rounds(s.id).await?;
    let runs: Vec<i64> = rounds.iter().filter_map(|r| r.run_id).collect();
    for run in runs.iter().take(runs.len().saturating_sub(keep as usize)) {
        app.store.delete_run(*run).await?;
    }
    Ok(())
}

/// The schedule's measures of a run, and its picture: the first measured channel, or the first.
async fn measured(app: &App, s: &Schedule, run: i64) -> Result<(Vec<Option<f64>>, String), ApiError> {
    let run = app.store.run(run).await?;
    let channels = calibrated(&app.store, run.id).await?;
    let measures = &s.rounds.measures;
    let mut values = vec![None; measures.len()];
    // Channel by channel, so that each is read and unpacked once, and one at a time is held.
    for c in &channels {
        let of = |m: &Measure| m.input == c.recorded.row.input;
        let own: Vec<(usize, Measure)> = measures.iter().cloned().enumerate().filter(|(_, m)| of(m)).collect();
        if own.is_empty() {
            continue;
        }
        let count = (run.samples as usize).min(MEASURED);
        let counts = app.store.counts(run.id, c.channel, 0, count).await?;
        let samples: Vec<f64> = counts.into_iter().flatten().map(|x| f64::from(x) * c.factor).collect();
        let (row, rate) = (c.recorded.row.clone(), run.sample_rate_hz);
        let told = tokio::task::spawn_blocking(move || {
            own.into_iter().map(|(i, m)| (i, m.of(&row, &samples, rate))).collect::<Vec<_>>()
        });
        for (i, value) in told.await.unwrap_or_default() {
            values[i] = Some(value).filter(|v| v.is_finite());
        }
    }
    let first = measures.first().map(|m| m.input);
    let shown = channels.iter().find(|c| Some(c.recorded.row.input) == first).or(channels.first());
    let picture = match shown {
        Some(c) => {
            let points = app.store.overview(run.id, &[c.channel], 0, run.samples.max(1), PICTURE.0).await?;
            drawn(points.first().map_or(&[][..], Vec::as_slice), c.factor, &c.recorded.row.name, &c.recorded.row.unit)
        }
        None => String::new(),
    };
    Ok((values, picture))
}

/// A waveform as a small picture: its envelope, its name, its extremes.
fn drawn(points: &[Option<(i32, i32)>], factor: f64, name: &str, unit: &str) -> String {
    let (w, h) = PICTURE;
    let peak = points.iter().flatten().map(|p| f64::from(p.0.abs().max(p.1.abs()))).fold(1.0, f64::max);
    let y = |x: i32| h / 2.0 - f64::from(x) / peak * (h / 2.0 - 2.0);
    let mut path = String::new();
    for (x, p) in points.iter().enumerate().filter_map(|(x, p)| Some((x, (*p)?))) {
        let _ = write!(path, "M{x} {:.1}V{:.1}", y(p.1), y(p.0) + 0.6);
    }
    let escaped = name.replace('&', "&amp;").replace('<', "&lt;");
    let most = echo_job::rig::number::plain(echo_job::rig::number::rounded(peak * factor.abs(), 3));
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {w} {h}\"><title>{escaped}, up to {most} {unit}</title><path d=\"{path}\" stroke=\"#10263b\" fill=\"none\"/></svg>"
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_picture_shows_gaps_as_nothing_and_names_as_they_are() {
        let svg = drawn(&[Some((-100, 50)), None, Some((0, 100))], 0.01, "a<b & c", "g");
        assert_eq!(svg.matches('M').count(), 2, "{svg}");
        assert!(svg.contains("a&lt;b &amp; c, up to 1 g"), "{svg}");
    }
}
