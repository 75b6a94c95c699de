//! Runs: what they hold, overviews, results, corrections.

use super::{ApiError, who};
use crate::App;
use crate::run_source::{RunSource, calibrated};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, header};
use axum::response::IntoResponse;
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use echo_job::analysis::{Analysis, Provenance, analyze};
use echo_job::recipe::Recipe;
use echo_job::rig::{Channel, typed_number};
use echo_job::sensitivity::Sensitivity;
use echo_store::run::Run;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use utoipa::{IntoParams, ToSchema};

/// A run in short.
#[derive(Serialize, ToSchema)]
pub struct RunBody {
    /// Key.
    pub id: i64,
    /// Number within the campaign.
    pub number: i32,
    /// What it is called.
    pub kind: String,
    /// `recording`, `whole` or `broken`.
    pub state: String,
    /// Why it ended.
    pub ended_because: Option<String>,
    /// Time of the first sample.
    pub started_at: DateTime<Utc>,
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Share of the rate without aliases.
    pub clean_share: f64,
    /// Samples a channel.
    pub samples: i64,
    /// Length, s.
    pub duration_s: f64,
    /// Front end in words.
    pub front_end: String,
}

impl From<Run> for RunBody {
    fn from(r: Run) -> Self {
        RunBody {
            duration_s: r.samples as f64 / r.sample_rate_hz,
            id: r.id,
            number: r.number,
            kind: r.kind,
            state: r.state,
            ended_because: r.ended_because,
            started_at: r.started_at,
            sample_rate_hz: r.sample_rate_hz,
            clean_share: r.clean_share,
            samples: r.samples,
            front_end: r.front_end,
        }
    }
}

/// A sensitivity with its history.
#[derive(Serialize, ToSchema)]
pub struct CalibrationBody {
    /// The value.
    pub sensitivity: Sensitivity,
    /// Why it was set.
    pub reason: String,
    /// By whom.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A channel of a run.
#[derive(Serialize, ToSchema)]
pub struct RunChannelBody {
    /// Number in the run, from 1.
    pub channel: i16,
    /// The row as recorded.
    pub recorded: Channel,
    /// Sensitivity in force.
    pub sensitivity: Sensitivity,
    /// All sensitivities, oldest first.
    pub history: Vec<CalibrationBody>,
    /// Whether the range was exceeded somewhere.
    pub clipped: bool,
}

/// A missing stretch.
#[derive(Serialize, ToSchema)]
pub struct GapBody {
    /// Start, s.
    pub from_s: f64,
    /// Length, s.
    pub length_s: f64,
    /// Why.
    pub why: String,
}

/// A run with its channels and gaps.
#[derive(Serialize, ToSchema)]
pub struct RunDetail {
    /// The run.
    #[serde(flatten)]
    pub run: RunBody,
    /// Channels.
    pub channels: Vec<RunChannelBody>,
    /// Gaps.
    pub gaps: Vec<GapBody>,
}

/// Runs of a campaign, oldest first.
#[utoipa::path(get, operation_id = "list_runs", path = "/api/campaigns/{id}/runs", params(("id" = i64, Path)), responses((status = 200, body = Vec<RunBody>)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<RunBody>>, ApiError> {
    Ok(Json(app.store.runs(id).await?.into_iter().map(RunBody::from).collect()))
}

/// A run with its channels and gaps.
#[utoipa::path(get, operation_id = "read_run", path = "/api/runs/{id}", params(("id" = i64, Path)), responses((status = 200, body = RunDetail), (status = 404, body = super::ErrorBody)))]
pub async fn one(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<RunDetail>, ApiError> {
    let run = app.store.run(id).await?;
    let clipped = app.store.clipped(id).await?;
    let history = app.store.calibrations(id).await?;
    let gaps = app.store.gaps(id).await?;
    let rate = run.sample_rate_hz;
    let channels = calibrated(&app.store, id)
        .await?
        .into_iter()
        .map(|c| RunChannelBody {
            channel: c.channel,
            clipped: clipped.contains(&c.channel),
            history: history
                .iter()
                .filter(|h| h.channel == c.channel)
                .map(|h| CalibrationBody {
                    sensitivity: h.sensitivity.clone(),
                    reason: h.reason.clone(),
                    who: h.who.clone(),
                    at: h.at,
                })
                .collect(),
            recorded: c.recorded.row,
            sensitivity: c.sensitivity,
        })
        .collect();
    let gaps = gaps
        .into_iter()
        .map(|g| GapBody { from_s: g.first_sample as f64 / rate, length_s: g.samples as f64 / rate, why: g.why })
        .collect();
    Ok(Json(RunDetail { run: run.into(), channels, gaps }))
}

/// A stretch in points.
#[derive(Deserialize, IntoParams)]
pub struct OverviewQuery {
    /// Channels, separated by commas.
    pub channels: String,
    /// Start, s; 0 when left out.
    pub from_s: Option<f64>,
    /// End, s; the end when left out.
    pub to_s: Option<f64>,
    /// Points, 1 to 10000.
    pub points: Option<usize>,
}

/// Smallest and largest of equal stretches as 32-bit floats, little-endian: for each channel all
/// smallest, then all largest values in its unit; NaN where nothing was recorded.
#[utoipa::path(get, operation_id = "read_overview", path = "/api/runs/{id}/overview", params(("id" = i64, Path), OverviewQuery),
    responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 422, body = super::ErrorBody)))]
pub async fn overview(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<OverviewQuery>,
) -> Result<impl IntoResponse, ApiError> {
    let run = app.store.run(id).await?;
    let channels: Vec<i16> =
        q.channels.split(',').map(|c| c.trim().parse()).collect::<Result<_, _>>().map_err(|_| {
            Refusal::new("channels", format!("channels is “{}”; allowed are numbers with commas between", q.channels))
        })?;
    let points = q.points.unwrap_or(1000);
    if !(1..=10_000).contains(&points) {
        return Err(Refusal::new("points", format!("points is {points}; allowed are 1 to 10000")).into());
    }
    let sample = |s: f64| (s * run.sample_rate_hz).round() as i64;
    let from = sample(q.from_s.unwrap_or(0.0)).max(0);
    let to = q.to_s.map_or(run.samples, sample).min(run.samples);
    let rows = app.store.overview(id, &channels, from, to, points).await?;
    let factors = calibrated(&app.store, id).await?;
    let mut bytes = Vec::with_capacity(rows.len() * points * 8);
    for (channel, row) in channels.iter().zip(&rows) {
        let f = factors.iter().find(|c| c.channel == *channel).map_or(f64::NAN, |c| c.factor);
        let value = |x: Option<i32>| x.map_or(f32::NAN, |x| (f64::from(x) * f) as f32).to_le_bytes();
        bytes.extend(row.iter().flat_map(|p| value(p.map(|p| p.0))));
        bytes.extend(row.iter().flat_map(|p| value(p.map(|p| p.1))));
    }
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes))
}

/// Sets a flag when it is dropped: the asker has gone away.
struct Hangup(Arc<AtomicBool>);

impl Drop for Hangup {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// Carries out a recipe on a run, away from the threads that answer requests.
///
/// # Errors
/// The recipe does not fit, the database is away.
pub async fn make(app: &App, run: &Run, recipe: Recipe) -> Result<Analysis, ApiError> {
    let mut source = RunSource::open(&app.store, run).await?;
    let provenance = Provenance {
        at: Utc::now().to_rfc3339(),
        input: format!("run {} of campaign {}", run.number, run.campaign_id),
        sha256: None,
    };
    let gone = Arc::new(AtomicBool::new(false));
    let _hangup = Hangup(gone.clone());
    tokio::task::spawn_blocking(move || {
        analyze(&recipe, &mut source, provenance, &mut |_| !gone.load(Ordering::Relaxed))
    })
    .await
    .map_err(|e| ApiError::fault(e.to_string()))?
    .map_err(ApiError::from)
}

/// Carries out a recipe. Going away stops it.
#[utoipa::path(post, operation_id = "make_result", path = "/api/runs/{id}/results", params(("id" = i64, Path)), request_body = Recipe,
    responses((status = 200, body = Analysis), (status = 422, body = super::ErrorBody)))]
pub async fn result(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(recipe): Json<serde_json::Value>,
) -> Result<Json<Analysis>, ApiError> {
    let recipe = Recipe::from_value(recipe)?;
    let run = app.store.run(id).await?;
    if run.samples == 0 {
        return Err(ApiError::conflict(format!("run {} holds no samples yet; wait until it has ended", run.number)));
    }
    Ok(Json(make(&app, &run, recipe).await?))
}

/// A sensitivity put right.
#[derive(Deserialize, ToSchema)]
pub struct Correction {
    /// The sensitivity as typed, with or without its unit.
    pub sensitivity: String,
    /// Why; not empty.
    pub reason: String,
}

/// Puts a sensitivity right: everything shown from this run follows, the old value stays in its history.
#[utoipa::path(post, operation_id = "correct_sensitivity", path = "/api/runs/{id}/channels/{channel}/sensitivity", params(("id" = i64, Path), ("channel" = i16, Path)), request_body = Correction,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn correct(
    State(app): State<App>,
    Path((id, channel)): Path<(i64, i16)>,
    headers: HeaderMap,
    Json(c): Json<Correction>,
) -> Result<axum::http::StatusCode, ApiError> {
    if c.reason.trim().is_empty() {
        return Err(
            Refusal::new("reason", "the reason is empty; allowed is a sentence on why the value changes").into()
        );
    }
    let all = calibrated(&app.store, id).await?;
    let now = all
        .iter()
        .find(|x| x.channel == channel)
        .ok_or_else(|| ApiError::missing(&format!("channel {channel} of this run")))?;
    let (value, unit) = typed_number("sensitivity", &c.sensitivity)?;
    let unit = if unit.is_empty() { now.sensitivity.unit.clone() } else { unit };
    let sensitivity = Sensitivity::new(value, &unit, now.recorded.row.quantity)?;
    app.store.correct(id, channel, &sensitivity, c.reason.trim(), &who(&headers)).await?;
    Ok(axum::http::StatusCode::NO_CONTENT)
}
