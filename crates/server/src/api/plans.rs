//! The plan: read, replaced, lengths as they are typed, triggers tried on recorded runs.

use super::{ApiError, who};
use crate::App;
use crate::going::{Hangup, Watched};
use crate::run_source::{RunSource, calibrated};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use echo_capture::Setup;
use echo_job::Refusal;
use echo_job::analysis::Source;
use echo_job::front_end::USUAL_CLEAN_SHARE;
use echo_job::plan::length::typed_length;
use echo_job::plan::{Plan, PlanSums};
use echo_job::rig::Rig;
use echo_job::tacho::Tachometer;
use echo_job::trigger::{Detector, Takes, Trigger};
use echo_job::unit::find;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};

/// A plan with what follows from it.
#[derive(Serialize, ToSchema)]
pub struct PlanBody {
    /// The plan.
    pub plan: Plan,
    /// Its version: a change tells which it was made on.
    pub version: i64,
    /// What follows.
    pub sums: PlanSums,
    /// Rates the front end offers, Hz.
    pub rates_hz: Vec<f64>,
    /// What the plan refers to and the rig does not have, in words.
    pub unfit: Option<String>,
}

async fn body(app: &App, id: i64, version: i64, plan: Plan) -> Result<PlanBody, ApiError> {
    let rig = app.store.rig(id).await?.rig;
    let offer = app.capture.front_end();
    let sums = plan.sums(&rig, offer.as_ref().map_or(USUAL_CLEAN_SHARE, |f| f.clean_share), app.free_bytes().await);
    let unfit = plan.check_with(&rig).err().map(|e| e.says);
    Ok(PlanBody { plan, version, sums, rates_hz: offer.map(|f| f.rates_hz).unwrap_or_default(), unfit })
}

/// The plan of a campaign.
#[utoipa::path(get, operation_id = "read_plan", path = "/api/campaigns/{id}/plan", params(("id" = i64, Path)), responses((status = 200, body = PlanBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<PlanBody>, ApiError> {
    // The version first: a plan that is newer than it is only refused once more.
    let version = app.store.plan_version(id).await?;
    let plan = app.store.plan(id).await?;
    Ok(Json(body(&app, id, version, plan).await?))
}

/// On what a plan was changed.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct MadeOn {
    /// Version of the plan that was changed; left out, it is written over whatever is there.
    made_on: Option<i64>,
}

/// Replaces the plan.
#[utoipa::path(put, operation_id = "save_plan", path = "/api/campaigns/{id}/plan", params(("id" = i64, Path), MadeOn), request_body = Plan,
    responses((status = 200, body = PlanBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn save(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(MadeOn { made_on }): Query<MadeOn>,
    headers: HeaderMap,
    Json(plan): Json<Plan>,
) -> Result<Json<PlanBody>, ApiError> {
    plan.check(app.capture.front_end().as_ref())?;
    let who = who(&headers);
    // To its end even if who asked is gone by then: what is stored is what is in force.
    let version = tokio::spawn({
        let (app, plan) = (app.clone(), plan.clone());
        async move { stored(&app, id, made_on, plan, &who).await }
    });
    let version = version.await.map_err(|e| ApiError::fault(e.to_string()))??;
    Ok(Json(body(&app, id, version, plan).await?))
}

async fn stored(app: &App, id: i64, made_on: Option<i64>, plan: Plan, who: &str) -> Result<i64, ApiError> {
    let _turn = app.turn().await;
    let rig = app.store.rig(id).await?.rig;
    let before = app.store.plan(id).await?;
    // A channel that was switched off since must not keep the rest of the plan from being changed:
    // what is missed already is told, and refused when it is armed.
    let mut all_on = rig.clone();
    all_on.channels.iter_mut().for_each(|c| c.on = true);
    plan.check_with(&all_on)?;
    if before.check_with(&rig).is_ok() {
        plan.check_with(&rig)?;
    }
    let wanted = app.setup().filter(|s| s.campaign == id).map(|s| Setup { plan: plan.clone(), ..s });
    if let Some(setup) = &wanted {
        app.capture.consider(setup.clone()).await?;
    }
    let version = app.store.save_plan(id, made_on, &plan, who).await?;
    let Some(setup) = wanted else { return Ok(version) };
    let Err(refused) = app.set_up(setup.clone()).await else { return Ok(version) };
    // What the front end does not take is not in force.
    app.store.save_plan(id, Some(version), &before, "Fleet Echo").await?;
    let _ = app.set_up(Setup { plan: before, ..setup }).await;
    Err(refused.into())
}

/// A length as it was typed.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LengthTyped {
    /// The text.
    pub text: String,
}

/// A length.
#[derive(Serialize, ToSchema)]
pub struct LengthBody {
    /// Seconds.
    pub duration_s: f64,
}

/// Reads a typed length: a time, samples, or turns at the speed that is told or measured now.
#[utoipa::path(post, operation_id = "type_length", path = "/api/campaigns/{id}/plan/length", params(("id" = i64, Path)), request_body = LengthTyped,
    responses((status = 200, body = LengthBody), (status = 422, body = super::ErrorBody)))]
pub async fn length(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(typed): Json<LengthTyped>,
) -> Result<Json<LengthBody>, ApiError> {
    let plan = app.store.plan(id).await?;
    let rpm = plan.tachos.first().and_then(|t| super::tachos::now(&app, t, 2.0).ok()?.0.rpm);
    Ok(Json(LengthBody { duration_s: typed_length(&typed.text, plan.sample_rate_hz, rpm)? }))
}

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
    /// All takes.
    pub count: u32,
    /// Length of the run, s.
    pub run_s: f64,
}

/// Most takes that are listed.
const LISTED: usize = 1000;

/// Tries a trigger on a recorded run: the same code as live. Going away stops it.
#[utoipa::path(post, operation_id = "try_trigger", path = "/api/plan/try", request_body = TriggerTried,
    responses((status = 200, body = TryAnswer), (status = 422, body = super::ErrorBody)))]
pub async fn tried(State(app): State<App>, Json(t): Json<TriggerTried>) -> Result<Json<TryAnswer>, ApiError> {
    if t.start.by_hand() {
        return Err(Refusal::new("conditions", "there is no condition to try; add one first").into());
    }
    if let Some(s) = t.duration_s.filter(|s| !(s.is_finite() && *s > 0.0)) {
        return Err(Refusal::new("duration_s", format!("a take of {s} s; allowed is above 0")).into());
    }
    let run = app.store.run(t.run_id).await?;
    let channels = calibrated(&app.store, t.run_id).await?;
    let rig = Rig { name: String::new(), channels: channels.into_iter().map(|c| c.recorded.row).collect() };
    let rate = run.sample_rate_hz;
    let detector = Detector::new(&t.start, &t.tachos, &rig, rate)?;
    let mut source = RunSource::open(&app.store, &run).await?;
    let gone = Arc::new(Watched::default());
    let _hangup = Hangup(gone.clone());
    let made = tokio::task::spawn_blocking(move || watch(&t, detector, &rig, &mut source, &gone));
    Ok(Json(made.await.map_err(|e| ApiError::fault(e.to_string()))??))
}

fn watch(
    t: &TriggerTried,
    mut detector: Detector,
    rig: &Rig,
    source: &mut RunSource,
    gone: &Watched,
) -> Result<TryAnswer, ApiError> {
    let (rate, total) = (source.info().sample_rate_hz, source.info().samples);
    let samples = |s: f64| (s * rate).round() as u64;
    let start = &t.start;
    let mut takes = Takes::new(samples(start.pre_s), t.duration_s.map(samples), samples(start.hold_off_s), start.takes);
    let places: Vec<usize> =
        detector.inputs().iter().filter_map(|i| rig.channels.iter().position(|c| c.input == *i)).collect();
    let to_si: Vec<f64> = places.iter().map(|p| find(&rig.channels[*p].unit).map_or(f64::NAN, |u| u.to_si)).collect();
    let mut answer = TryAnswer { fired: 0, held_off: 0, takes: Vec::new(), count: 0, run_s: total as f64 / rate };
    let mut columns = vec![Vec::new(); places.len()];
    let (mut at, mut fired) = (0, Vec::new());
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
