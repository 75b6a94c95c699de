//! Runs: what they hold, overviews, results.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::IntoResponse;
use echo_application::runs::detail::RunBody;
use echo_application::runs::detail::RunDetail;
use echo_application::runs::overview::OneChannel;
use echo_application::runs::overview::OverviewQuery;
use echo_application::runs::overview::TakePeak;
use echo_application::runs::results::ResultQuery;
use echo_application::runs::{detail, overview as points, results};
use echo_job::analysis::Analysis;
use echo_job::recipe::Recipe;

/// Runs of a campaign, oldest first.
#[utoipa::path(get, operation_id = "list_runs", path = "/api/campaigns/{id}/runs", params(("id" = i64, Path)), responses((status = 200, body = Vec<RunBody>)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<RunBody>>, ApiError> {
    Ok(Json(detail::list(&app.desk, id).await?))
}

/// A run with its channels and gaps.
#[utoipa::path(get, operation_id = "read_run", path = "/api/runs/{id}", params(("id" = i64, Path)), responses((status = 200, body = RunDetail), (status = 404, body = super::ErrorBody)))]
pub async fn one(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<RunDetail>, ApiError> {
    Ok(Json(detail::one(&app.desk, id).await?))
}

/// The largest magnitude of each take, the first 500 of them.
#[utoipa::path(get, operation_id = "read_take_peaks", path = "/api/runs/{id}/takes/peaks", params(("id" = i64, Path), OneChannel),
    responses((status = 200, body = Vec<TakePeak>), (status = 404, body = super::ErrorBody)))]
pub async fn take_peaks(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<OneChannel>,
) -> Result<Json<Vec<TakePeak>>, ApiError> {
    Ok(Json(points::take_peaks(&app.desk, id, q).await?))
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
    let bytes = points::overview(&app.desk, id, q).await?;
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes))
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
    Ok(Json(results::sent(&app.desk, id, q, recipe).await?))
}
