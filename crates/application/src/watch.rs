//! Watched quantities: measured twice a second, held against their limits, remembered.

use crate::App;
use chrono::{DateTime, Utc};
use echo_job::entry::number::{plain, rounded};
use echo_job::watch::{Guard, Watched, Zone};
use serde::Serialize;
use std::time::{Duration, Instant};
use utoipa::ToSchema;

/// How often it is measured.
const EVERY: Duration = Duration::from_millis(500);
/// Stretch that is measured, s.
const STRETCH_S: f64 = 1.0;
/// How often values go to the history.
const KEEP: Duration = Duration::from_secs(10);

/// A watched quantity now.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct WatchedNow {
    /// Its key in the history.
    pub key: String,
    /// Its name.
    pub watched: String,
    /// Input.
    pub input: u16,
    /// Unit.
    pub unit: String,
    /// Value; none while nothing comes.
    pub value: Option<f64>,
    /// Where it stands.
    pub zone: Zone,
    /// Caution.
    pub caution: Option<f64>,
    /// Limit.
    pub limit: Option<f64>,
    /// Since when it stands there.
    pub since: DateTime<Utc>,
}

struct Follower {
    watched: Watched,
    guard: Guard,
    since: DateTime<Utc>,
}

/// Watches for as long as the server lives.
pub async fn watch(app: App) {
    let begun = Instant::now();
    let mut followers: Vec<Follower> = Vec::new();
    let mut campaign = None;
    let mut kept = Instant::now();
    let mut switched = false;
    let mut tick = tokio::time::interval(EVERY);
    tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        tick.tick().await;
        let Some(setup) = app.setup() else { continue };
        let wanted = &setup.plan.watch;
        if campaign != Some(setup.campaign) || !followers.iter().map(|f| &f.watched).eq(wanted) {
            campaign = Some(setup.campaign);
            // A quantity that stays keeps where it stands, also when its limits move.
            let mut old = std::mem::take(&mut followers);
            let new = |w: &Watched| {
                let before = old.iter().position(|f| f.watched.measure == w.measure).map(|i| old.swap_remove(i));
                let (guard, since) = before.map_or((Guard::default(), Utc::now()), |f| (f.guard, f.since));
                Follower { watched: w.clone(), guard, since }
            };
            followers = wanted.iter().map(new).collect();
        }
        if followers.is_empty() {
            if switched {
                // Nothing is watched any more: what was switched on is switched off.
                switched = app.capture.ask(0, echo_link::RequestBody::Switch { on: false }).await.is_err();
            }
            app.tell_watched(Vec::new());
            continue;
        }
        let live = app.capture.live().clone();
        let rig = setup.rig.clone();
        let measures: Vec<_> = followers.iter().map(|f| f.watched.measure.clone()).collect();
        let values = tokio::task::spawn_blocking(move || {
            let rate = live.rate_hz();
            let one = |m: &echo_job::measure::Measure| {
                let row = rig.channel(m.input).filter(|c| c.on)?;
                let counts = live.last(m.input, (STRETCH_S * rate) as usize);
                let scale = row.full_scale() / f64::from(echo_link::FULL_SCALE);
                let samples: Vec<f64> = counts.into_iter().map(|c| f64::from(c) * scale).collect();
                let value = if rate > 0.0 { m.of(row, &samples, rate) } else { f64::NAN };
                Some(value).filter(|v| v.is_finite())
            };
            measures.iter().map(one).collect::<Vec<Option<f64>>>()
        });
        let Ok(values) = values.await else { continue };
        let at_s = begun.elapsed().as_secs_f64();
        let mut now = Vec::with_capacity(followers.len());
        for (f, value) in followers.iter_mut().zip(values) {
            let m = &f.watched.measure;
            let watched = format!("{}: {}", setup.rig.name_of(m.input), m.says());
            let unit = setup.rig.channel(m.input).map_or(String::new(), |c| m.unit(c));
            if let Some(zone) = value.and_then(|v| f.guard.step(&f.watched, v, at_s)) {
                f.since = Utc::now();
                let value = value.unwrap_or(f64::NAN);
                let says = told(&f.watched, zone, value, &unit);
                if let Err(e) = app.store.write_alarm(setup.campaign, &watched, zone.into(), value, &says).await {
                    tracing::warn!("an alarm could not be written: {e}");
                }
            }
            now.push(WatchedNow {
                key: m.key(),
                watched,
                input: m.input,
                unit,
                value,
                zone: f.guard.zone(),
                caution: f.watched.caution,
                limit: f.watched.limit,
                since: f.since,
            });
        }
        let wanted = followers.iter().any(|f| f.watched.switches && f.guard.zone() == Zone::Limit);
        if wanted != switched {
            match app.capture.ask(0, echo_link::RequestBody::Switch { on: wanted }).await {
                Ok(_) => switched = wanted,
                Err(e) => tracing::warn!("the digital output could not be switched: {e}"),
            }
        }
        if kept.elapsed() >= KEEP {
            kept = Instant::now();
            let values: Vec<(String, f64)> = now.iter().filter_map(|n| Some((n.key.clone(), n.value?))).collect();
            if !values.is_empty()
                && let Err(e) = app.store.keep_watched(setup.campaign, &values).await
            {
                tracing::warn!("watched values could not be kept: {e}");
            }
        }
        app.tell_watched(now);
    }
}

fn told(w: &Watched, zone: Zone, value: f64, unit: &str) -> String {
    let value = plain(rounded(value, 3));
    let level = |l: Option<f64>| plain(l.unwrap_or(f64::NAN));
    match zone {
        Zone::Limit => format!("{value} {unit}, over the limit of {}", level(w.limit)),
        Zone::Caution => format!("{value} {unit}, over the caution of {}", level(w.caution)),
        Zone::Good => format!("{value} {unit}, back to normal"),
    }
}
