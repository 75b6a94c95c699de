//! The plan against what is connected, at full rate, for a while: what each stage has left.

use crate::{App, Error, Result, processor};
use echo_capture::{CaptureState, Progress, Setup};
use echo_job::Refusal;
use echo_job::plan::{Length, Plan};
use echo_job::trigger::Trigger;
use futures::FutureExt;
use serde::{Deserialize, Serialize};
use std::panic::AssertUnwindSafe;
use std::time::{Duration, Instant};
use tokio::sync::oneshot;
use utoipa::ToSchema;

/// How long to try.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DryRun {
    /// Seconds, 1 to 600.
    pub seconds: f64,
}

/// One stage.
#[derive(Serialize, ToSchema)]
pub struct Stage {
    /// Which.
    pub stage: String,
    /// Share of what it can that was used, 0 to 1 and above.
    pub used: f64,
    /// In words.
    pub says: String,
    /// Whether it holds.
    pub good: bool,
}

/// What a dry run found.
#[derive(Serialize, ToSchema)]
pub struct Reserve {
    /// Length, s.
    pub seconds: f64,
    /// Channels times rate, samples a second.
    pub samples_per_s: f64,
    /// Blocks lost.
    pub lost_blocks: u64,
    /// Stages from the link to the disk.
    pub stages: Vec<Stage>,
    /// Whether all hold.
    pub good: bool,
}

/// Records what the plan asks for, by hand and for a while, measures each stage, and lets it go.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn run(app: &App, d: DryRun) -> Result<Reserve> {
    if !(1.0..=600.0).contains(&d.seconds) {
        return Err(Refusal::new("seconds", format!("a dry run of {} s; allowed: 1 to 600 s", d.seconds)).into());
    }
    let setup = app.setup().ok_or_else(|| Error::conflict("no campaign is chosen"))?;
    let plan = Plan {
        length: Length::After { duration_s: d.seconds },
        start: Trigger::default(),
        rounds: None,
        run_kind: "dry run".into(),
        ..setup.plan.clone()
    };
    // In a task of its own, so that it is cleared away though nobody waits for it any more.
    let (asked, gone) = oneshot::channel::<()>();
    let app = app.clone();
    let run = tokio::spawn(async move { lent(&app, Setup { plan, ..setup }, gone).await });
    let result = run.await?;
    drop(asked);
    result
}

/// Measures with a set-up that is not the campaign's own, until it is done or who asked is gone; then the own one
/// is in force again, whatever came of it.
async fn lent(app: &App, setup: Setup, gone: oneshot::Receiver<()>) -> Result<Reserve> {
    let begun = (Instant::now(), processor::own_s());
    let lent = app.capture.lend(setup).await?;
    let measured = async {
        tokio::select! {
            result = measure(app, begun) => result,
            _ = gone => Err(Error::conflict("nobody waits for the dry run any more")),
        }
    };
    let result = AssertUnwindSafe(measured).catch_unwind().await;
    if !matches!(result, Ok(Ok(_))) {
        clear_away(app).await;
    }
    drop(lent);
    result.unwrap_or_else(|_| Err(Error::fault("the dry run broke")))
}

/// Ends a dry run that is still going and lets its runs go.
async fn clear_away(app: &App) {
    let runs: Vec<i64> = match &app.capture.status().borrow().capture {
        CaptureState::Recording(p) | CaptureState::Armed(p) | CaptureState::Writing(p) => {
            p.recorders.iter().map(|r| r.run_id).collect()
        }
        CaptureState::Idle => Vec::new(),
    };
    let _ = app.capture.stop().await;
    let mut status = app.capture.status();
    let _ = status.wait_for(|s| s.capture == CaptureState::Idle).await;
    for run in runs {
        let _ = app.store.delete_run(run).await;
    }
}

async fn measure(app: &App, (begun, used_before): (Instant, f64)) -> Result<Reserve> {
    let mut status = app.capture.status();
    let mut last: Option<Progress> = None;
    let took = loop {
        let state = status.borrow_and_update().capture.clone();
        match state {
            CaptureState::Recording(p) | CaptureState::Armed(p) | CaptureState::Writing(p) => last = Some(p),
            CaptureState::Idle => break begun.elapsed().as_secs_f64(),
        }
        if status.changed().await.is_err() {
            return Err(Error::fault("capture has stopped"));
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    };
    let used_s = processor::own_s() - used_before;
    let p = last.ok_or_else(|| Error::conflict("nothing was recorded"))?;
    for r in &p.recorders {
        app.store.delete_run(r.run_id).await?;
    }
    let recorded = p.elapsed_samples as f64 / p.sample_rate_hz;
    if recorded <= 0.0 {
        return Err(Error::conflict("nothing came from the front end"));
    }
    let cores = std::thread::available_parallelism().map_or(1.0, |n| n.get() as f64);
    let rate = p.sample_rate_hz * p.channels as f64;
    let percent = |x: f64| format!("{:.0} %", x * 100.0);
    let stage = |stage: &str, used: f64, good: bool, says: String| Stage { stage: stage.into(), used, says, good };
    // What was not written when the last sample came counts as time the store would have needed.
    let store = p.writing_s.max(took - recorded) / recorded;
    let written = p.written_bytes as f64 / recorded;
    let room = app.free_bytes().await.map(|b| b as f64 / written.max(1.0) / 3600.0);
    let stages = vec![
        stage(
            "link",
            if p.lost_blocks > 0 { 1.0 } else { (recorded / took).clamp(0.0, 1.0).recip() - 1.0 },
            p.lost_blocks == 0,
            format!("{:.1} MB/s came, {} blocks lost", rate * 4.0 / 1e6, p.lost_blocks),
        ),
        stage(
            "processor",
            used_s / took / cores,
            used_s / took / cores < 0.8,
            format!("{} of {cores:.0} cores by Fleet Echo", percent(used_s / took / cores)),
        ),
        stage(
            "packing",
            p.packing_s / recorded,
            p.packing_s / recorded < 0.8,
            format!(
                "{} of the time; it keeps up with {:.1} times as much",
                percent(p.packing_s / recorded),
                recorded / p.packing_s.max(1e-6)
            ),
        ),
        stage("store", store, store < 0.8, format!("{} of the time at {:.1} MB/s", percent(store), written / 1e6)),
        stage(
            "disk",
            room.map_or(0.0, |h| (1.0 / h).min(1.0)),
            room.is_none_or(|h| h > 1.0),
            room.map_or("its room is not known".into(), |h| format!("room for {h:.1} h of this")),
        ),
    ];
    let good = stages.iter().all(|s| s.good);
    Ok(Reserve { seconds: recorded, samples_per_s: rate, lost_blocks: p.lost_blocks, stages, good })
}
