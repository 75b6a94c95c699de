//! Runs: what they hold, overviews, results.

use super::ApiError;
use super::marks::{MarkBody, NoteBody};
use super::setting_right::CorrectionBody;
use crate::App;
use crate::going::Watched;
use crate::run_source::calibrated;
use crate::work::computed::{RunMath, math_of, numbered};
use crate::work::results::analysed;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::IntoResponse;
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use echo_job::analysis::Analysis;
use echo_job::analysis::thin::{cropped, thinned};
use echo_job::recipe::Recipe;
use echo_job::rig::Channel;
use echo_job::sensitivity::Sensitivity;
use echo_store::run::Run;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
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
    /// The recorder; empty for one that stores all.
    pub recorder: String,
    /// The first run of those that were recorded together: they start at the same sample.
    pub together: Option<i64>,
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
            recorder: r.recorder,
            together: r.together,
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
    /// The row as recorded, and as put right since.
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
    /// Takes of triggers, or segments.
    pub takes: Vec<TakeBody>,
    /// Marks.
    pub marks: Vec<MarkBody>,
    /// Notes on its curves.
    pub notes: Vec<NoteBody>,
    /// Computed channels of the campaign as this run has them.
    pub math: Vec<RunMath>,
    /// What was put right beside sensitivities, oldest first.
    pub corrections: Vec<CorrectionBody>,
}

/// A capture inside a run.
#[derive(Serialize, ToSchema)]
pub struct TakeBody {
    /// Number, from 1.
    pub number: i32,
    /// Trigger, s.
    pub trigger_s: f64,
    /// First sample kept, s.
    pub from_s: f64,
    /// Length, s, as far as the run goes.
    pub length_s: f64,
    /// What brought it about.
    pub says: String,
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
    let takes = app.store.takes(id).await?.into_iter().map(|t| TakeBody {
        number: t.number,
        trigger_s: t.trigger_sample as f64 / rate,
        from_s: t.first_sample as f64 / rate,
        length_s: t.samples.map_or(i64::MAX, |n| n).min(run.samples - t.first_sample).max(0) as f64 / rate,
        says: t.says,
    });
    let takes = takes.collect();
    let marks = app.store.marks(id).await?.into_iter().map(|m| MarkBody {
        id: m.id,
        at_s: m.sample as f64 / rate,
        says: m.says,
        who: m.who,
        at: m.at,
    });
    let marks = marks.collect();
    let notes = app.store.notes(id).await?.into_iter().map(NoteBody::from).collect();
    let corrections = app.store.corrections(id).await?.into_iter().map(CorrectionBody::from).collect();
    let math = math_of(&app, &run).await?;
    Ok(Json(RunDetail { run: run.into(), channels, gaps, takes, marks, notes, math, corrections }))
}

/// Which channel.
#[derive(Deserialize, IntoParams)]
pub struct OneChannel {
    /// Channel of the run, from 1.
    pub channel: i16,
}

/// The largest magnitude of a take.
#[derive(Serialize, ToSchema)]
pub struct TakePeak {
    /// Number of the take.
    pub number: i32,
    /// Value, in the channel's unit, with its sign.
    pub value: f64,
    /// Where, s from the run's start.
    pub at_s: f64,
}

/// Most takes whose peaks are told.
const MOST_TAKES: usize = 500;

/// The largest magnitude of each take, the first 500 of them.
#[utoipa::path(get, operation_id = "read_take_peaks", path = "/api/runs/{id}/takes/peaks", params(("id" = i64, Path), OneChannel),
    responses((status = 200, body = Vec<TakePeak>), (status = 404, body = super::ErrorBody)))]
pub async fn take_peaks(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<OneChannel>,
) -> Result<Json<Vec<TakePeak>>, ApiError> {
    let run = app.store.run(id).await?;
    let all = calibrated(&app.store, id).await?;
    let channel = all.iter().find(|c| c.channel == q.channel);
    let channel = channel.ok_or_else(|| ApiError::missing(&format!("channel {} of this run", q.channel)))?;
    let mut peaks = Vec::new();
    for t in app.store.takes(id).await?.into_iter().take(MOST_TAKES) {
        let count = t.samples.unwrap_or(i64::MAX).min(run.samples - t.first_sample).max(0) as usize;
        let counts = app.store.counts(id, q.channel, t.first_sample, count).await?;
        let most = counts.iter().enumerate().filter_map(|(i, c)| Some((i, (*c)?))).max_by_key(|(_, c)| c.abs());
        if let Some((i, c)) = most {
            peaks.push(TakePeak {
                number: t.number,
                value: f64::from(c) * channel.factor,
                at_s: (t.first_sample + i as i64) as f64 / run.sample_rate_hz,
            });
        }
    }
    Ok(Json(peaks))
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

/// How a result is sent.
#[derive(Deserialize, IntoParams)]
pub struct ResultQuery {
    /// Points an axis at most, for a picture; what stands out stays. All when left out.
    pub most: Option<usize>,
    /// Only what is from here on along the last axis.
    pub low: Option<f64>,
    /// Only what is up to here along the last axis.
    pub high: Option<f64>,
    /// A key of the asker's by which the progress can be read meanwhile.
    pub watch: Option<String>,
    /// The run whose channels the recipe names; in this one they are found by their names.
    pub numbered_as: Option<i64>,
}

/// Carries out a recipe. Going away stops it.
#[utoipa::path(post, operation_id = "make_result", path = "/api/runs/{id}/results", params(("id" = i64, Path), ResultQuery), request_body = Recipe,
    responses((status = 200, body = Analysis), (status = 422, body = super::ErrorBody)))]
pub async fn result(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<ResultQuery>,
    Json(recipe): Json<serde_json::Value>,
) -> Result<Json<Analysis>, ApiError> {
    let watched = Arc::new(Watched::default());
    let _held = q.watch.as_deref().filter(|w| w.len() <= 80).map(|w| app.going.begin(w, &watched));
    let recipe = match q.numbered_as.filter(|of| *of != id) {
        Some(of) => {
            let moved = numbered(&app, Recipe::from_value(recipe)?, of, id).await?;
            serde_json::to_value(moved).map_err(|e| ApiError::fault(e.to_string()))?
        }
        None => recipe,
    };
    let result = analysed(&app, id, recipe, &watched).await?;
    let part = match (q.low, q.high) {
        (None, None) => Analysis::clone(&result),
        (low, high) => cropped(&result, low.unwrap_or(f64::NEG_INFINITY), high.unwrap_or(f64::INFINITY)),
    };
    Ok(Json(match q.most {
        Some(most) => thinned(&part, most.clamp(2, 100_000)),
        None => part,
    }))
}
