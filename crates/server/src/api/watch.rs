//! Watched quantities: now, over time, alarms and their acknowledgement.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use chrono::{DateTime, Duration, Utc};
use echo_application::watch::WatchedNow;
use echo_job::Refusal;
use echo_store::state::AlarmZone;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// A value that went from one zone to another.
#[derive(Serialize, ToSchema)]
pub struct AlarmBody {
    /// Key.
    pub id: i64,
    /// The watched quantity.
    pub watched: String,
    /// Zone it went to.
    pub zone: AlarmZone,
    /// In words.
    pub says: String,
    /// When.
    pub at: DateTime<Utc>,
    /// When somebody said that it was seen.
    pub acknowledged_at: Option<DateTime<Utc>>,
    /// Who.
    pub acknowledged_by: Option<String>,
}

/// Watched quantities and the newest alarms.
#[derive(Serialize, ToSchema)]
pub struct WatchBody {
    /// Quantities, in the order of the plan.
    pub now: Vec<WatchedNow>,
    /// The newest alarms, newest first.
    pub alarms: Vec<AlarmBody>,
}

/// Alarms that are listed.
const LISTED: i64 = 100;

/// Watched quantities now, and the newest alarms.
#[utoipa::path(get, operation_id = "read_watch", path = "/api/campaigns/{id}/watch", params(("id" = i64, Path)), responses((status = 200, body = WatchBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<WatchBody>, ApiError> {
    let chosen = app.setup().is_some_and(|s| s.campaign == id);
    let alarms = app.store.alarms(id, LISTED).await?.into_iter().map(|a| AlarmBody {
        id: a.id,
        watched: a.watched,
        zone: a.zone,
        says: a.says,
        at: a.at,
        acknowledged_at: a.acknowledged_at,
        acknowledged_by: a.acknowledged_by,
    });
    let alarms = alarms.collect();
    Ok(Json(WatchBody { now: if chosen { app.watched() } else { Vec::new() }, alarms }))
}

/// Says that an alarm was seen.
#[utoipa::path(post, operation_id = "acknowledge_alarm", path = "/api/campaigns/{id}/alarms/{alarm}", params(("id" = i64, Path), ("alarm" = i64, Path)), responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn acknowledge(
    State(app): State<App>,
    Path((id, alarm)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<StatusCode, ApiError> {
    app.store.acknowledge(id, alarm, &who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Which history.
#[derive(Deserialize, IntoParams)]
pub struct TrendQuery {
    /// The watched quantity, as it is named.
    pub watched: String,
    /// How far back, hours, above 0.
    pub hours: f64,
}

/// Values of a stretch of time.
#[derive(Serialize, ToSchema)]
pub struct TrendBody {
    /// Its start.
    pub at: DateTime<Utc>,
    /// Smallest.
    pub low: f64,
    /// Largest.
    pub high: f64,
}

/// Points of a history.
const POINTS: i32 = 400;

/// The history of a watched quantity.
#[utoipa::path(get, operation_id = "read_trend", path = "/api/campaigns/{id}/trend", params(("id" = i64, Path), TrendQuery), responses((status = 200, body = Vec<TrendBody>)))]
pub async fn trend(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<TrendQuery>,
) -> Result<Json<Vec<TrendBody>>, ApiError> {
    if !(q.hours > 0.0 && q.hours <= 24.0 * 3660.0) {
        return Err(Refusal::new("hours", format!("{} hours; allowed: above 0 and up to ten years", q.hours)).into());
    }
    let since = Utc::now() - Duration::milliseconds((q.hours * 3.6e6) as i64);
    let points = app.store.trend(id, &q.watched, since, POINTS).await?;
    Ok(Json(points.into_iter().map(|p| TrendBody { at: p.at, low: p.low, high: p.high }).collect()))
}
