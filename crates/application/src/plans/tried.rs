//! A trigger tried on a recorded run: the same code as live.

use crate::runs::going::{Hangup, Watched};
use crate::runs::source::{RunSource, calibrated};
use crate::{Desk, Result};
use echo_job::Refusal;
use echo_job::analysis::Source;
use echo_job::rig::Rig;
use echo_job::tacho::Tachometer;
use echo_job::trigger::{Detector, Takes, Trigger};
use echo_job::unit::find;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;

/// A trigger that is to be tried on a recorded run.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TriggerTried {
    /// The run.
    pub run_id: i64,
    /// The trigger.
    pub start: Trigger,
    /// Tachometers it refers to.
    #[serde(default)]
    pub tachos: Vec<Tachometer>,
    /// Length of a take from the trigger on, s; open when left out.
    pub duration_s: Option<f64>,
}

/// A take it would have made.
#[derive(Serialize, ToSchema)]
pub struct WouldTake {
    /// Number, from 1.
    pub number: u32,
    /// Trigger, s from the run's start.
    pub trigger_s: f64,
    /// First sample kept, s.
    pub from_s: f64,
    /// End, s.
    pub to_s: Option<f64>,
    /// What brought it about.
    pub says: String,
}

/// What a trigger would have done.
#[derive(Serialize, ToSchema)]
pub struct TryAnswer {
    /// How often the conditions came true.
    pub fired: usize,
    /// How many of them came in another's hold-off.
    pub held_off: u64,
    /// Takes, the first 1 000 of them.
    pub takes: Vec<WouldTake>,
    /// Takes that begin before the one before them has ended.
    pub overlapping: u32,
    /// All takes.
    pub count: u32,
    /// Length of the run, s.
    pub run_s: f64,
}

/// Most takes that are listed.
const LISTED: usize = 1000;

/// Tries a trigger on a recorded run: the same code as live. Going away stops it.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn tried(desk: &Desk, t: TriggerTried) -> Result<TryAnswer> {
    if t.start.by_hand() {
        return Err(Refusal::new("conditions", "there is no condition to try; add one first").into());
    }
    if let Some(s) = t.duration_s.filter(|s| !(s.is_finite() && *s > 0.0)) {
        return Err(Refusal::new("duration_s", format!("a take of {s} s; allowed: above 0")).into());
    }
    let run = desk.store.run(t.run_id).await?;
    let channels = calibrated(&desk.store, t.run_id).await?;
    let rig = Rig { name: String::new(), channels: channels.into_iter().map(|c| c.recorded.row).collect() };
    let rate = run.sample_rate_hz;
    let detector = Detector::new(&t.start, &t.tachos, &rig, rate)?;
    let mut source = RunSource::open(&desk.store, &run).await?;
    let gone = Arc::new(Watched::default());
    let _hangup = Hangup::of(&gone);
    let made = tokio::task::spawn_blocking(move || watch(&t, detector, &rig, &mut source, &gone));
    made.await?
}

fn watch(
    t: &TriggerTried,
    mut detector: Detector,
    rig: &Rig,
    source: &mut RunSource,
    gone: &Watched,
) -> Result<TryAnswer> {
    let (rate, total) = (source.info().sample_rate_hz, source.info().samples);
    let samples = |s: f64| (s * rate).round() as u64;
    let start = &t.start;
    let mut takes = Takes::new(samples(start.pre_s), t.duration_s.map(samples), samples(start.hold_off_s), start.takes);
    let places: Vec<usize> =
        detector.inputs().iter().filter_map(|i| rig.channels.iter().position(|c| c.input == *i)).collect();
    let to_si: Vec<f64> = places.iter().map(|p| find(&rig.channels[*p].unit).map_or(f64::NAN, |u| u.to_si)).collect();
    let mut answer =
        TryAnswer { fired: 0, held_off: 0, takes: Vec::new(), overlapping: 0, count: 0, run_s: total as f64 / rate };
    let mut columns = vec![Vec::new(); places.len()];
    let (mut at, mut fired, mut ended) = (0, Vec::new(), 0);
    while at < total && !gone.stopped() {
        let n = (total - at).min(1 << 16) as usize;
        source.read(&places, at, n, &mut columns)?;
        for (c, f) in columns.iter_mut().zip(&to_si) {
            c.iter_mut().for_each(|x| *x *= f);
        }
        // Stretches without a hole, each by itself.
        let whole = |i: usize| columns.iter().all(|c| c[i].is_finite());
        let mut i = 0;
        while i < n {
            let from = i;
            while i < n && whole(i) {
                i += 1;
            }
            if i > from {
                let pieces: Vec<&[f64]> = columns.iter().map(|c| &c[from..i]).collect();
                detector.push(&pieces, &mut fired);
            }
            if i < n {
                while i < n && !whole(i) {
                    i += 1;
                }
                detector.interrupt(at + i as u64);
            }
        }
        at += n as u64;
        for f in fired.drain(..) {
            answer.fired += 1;
            let Some(take) = takes.fired(&f, 0) else { continue };
            answer.overlapping += u32::from(take.from < ended);
            ended = take.to.unwrap_or(u64::MAX);
            if answer.takes.len() < LISTED {
                let s = |x: u64| x as f64 / rate;
                answer.takes.push(WouldTake {
                    number: take.number,
                    trigger_s: s(take.trigger),
                    from_s: s(take.from),
                    to_s: take.to.map(s),
                    says: take.says,
                });
            }
        }
    }
    answer.count = takes.made();
    answer.held_off = takes.held_off;
    Ok(answer)
}
