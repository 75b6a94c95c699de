//! What is wrong with a run along its time, where it lies over another one, and computed channels.

use super::versioned::{MadeOn, Versioned};
use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use echo_application::runs::align::AlignBody;
use echo_application::runs::align::AlignQuery;
use echo_application::runs::computed::RunMath;
use echo_application::runs::math::NewMath;
use echo_application::runs::quality::QualityBody;
use echo_application::runs::{align as alignment, math as computed, quality};

/// Looks through a run for what is wrong with it: clipped stretches, faults of the tachometer, double hits.
#[utoipa::path(get, operation_id = "read_quality", path = "/api/runs/{id}/quality", params(("id" = i64, Path)),
    responses((status = 200, body = QualityBody), (status = 404, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<QualityBody>, ApiError> {
    Ok(Json(quality::read(&app.desk, id).await?))
}

/// Where a place of this run lies in another one.
#[utoipa::path(get, operation_id = "align_runs", path = "/api/runs/{id}/alignment", params(("id" = i64, Path), AlignQuery),
    responses((status = 200, body = AlignBody), (status = 422, body = super::ErrorBody)))]
pub async fn align(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<AlignQuery>,
) -> Result<Json<AlignBody>, ApiError> {
    Ok(Json(alignment::align(&app.desk, id, q).await?))
}

/// Computed channels of a campaign, numbered as live displays take them.
#[utoipa::path(get, operation_id = "list_math", path = "/api/campaigns/{id}/math", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<RunMath>, headers(("x-version" = i64)))))]
pub async fn math(State(app): State<App>, Path(id): Path<i64>) -> Result<Versioned<Vec<RunMath>>, ApiError> {
    let (math, version) = computed::math(&app, id).await?;
    Ok(Versioned(math, version))
}

/// Replaces the computed channels of a campaign; answers with the new version.
#[utoipa::path(put, operation_id = "save_math", path = "/api/campaigns/{id}/math", params(("id" = i64, Path), MadeOn), request_body = NewMath,
    responses((status = 200, body = i64), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn save_math(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(MadeOn { made_on }): Query<MadeOn>,
    headers: HeaderMap,
    Json(new): Json<NewMath>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(computed::save_math(&app, id, made_on, &who(&headers), new).await?))
}
