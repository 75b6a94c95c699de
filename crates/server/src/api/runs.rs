//! Runs: what they hold, overviews, results.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use echo_application::runs::detail::RunDetail;
use echo_application::runs::list::{self as listed, DeletedRunBody, ListedRun, RunDescription, RunDifferences};
use echo_application::runs::overview::OneChannel;
use echo_application::runs::overview::OverviewQuery;
use echo_application::runs::overview::TakePeak;
use echo_application::runs::results::ResultQuery;
use echo_application::runs::{detail, overview as points, results};
use echo_job::analysis::Analysis;
use echo_job::recipe::Recipe;

/// Runs of a campaign, oldest first.
#[utoipa::path(get, operation_id = "list_runs", path = "/api/campaigns/{id}/runs", params(("id" = i64, Path)), responses((status = 200, body = Vec<ListedRun>)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<ListedRun>>, ApiError> {
    Ok(Json(listed::list(&app.desk, id).await?))
}

/// Runs of a campaign that were deleted within a day, those deleted last first.
#[utoipa::path(get, operation_id = "list_deleted_runs", path = "/api/campaigns/{id}/deleted-runs", params(("id" = i64, Path)), responses((status = 200, body = Vec<DeletedRunBody>)))]
pub async fn deleted(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<DeletedRunBody>>, ApiError> {
    Ok(Json(listed::deleted(&app.desk, id).await?))
}

/// Says anew what a run is called, what there is to say of it and by which words it is found.
#[utoipa::path(put, operation_id = "describe_run", path = "/api/runs/{id}/description", params(("id" = i64, Path)), request_body = RunDescription,
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn describe(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(to): Json<RunDescription>,
) -> Result<StatusCode, ApiError> {
    listed::describe(&app, id, &super::who(&headers), to).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes a run; it can be brought back for a day.
#[utoipa::path(delete, operation_id = "delete_run", path = "/api/runs/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn delete(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<StatusCode, ApiError> {
    listed::delete(&app, id, &super::who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Brings a deleted run back.
#[utoipa::path(post, operation_id = "restore_run", path = "/api/runs/{id}/restore", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn restore(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<StatusCode, ApiError> {
    app.store.bring_run_back(id, &super::who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Moves a run into another campaign, by its key, with those it was recorded together with.
#[utoipa::path(put, operation_id = "move_run", path = "/api/runs/{id}/campaign", params(("id" = i64, Path)), request_body = i64,
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn move_to(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(campaign): Json<i64>,
) -> Result<StatusCode, ApiError> {
    listed::move_to(&app, id, campaign, &super::who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// In what two runs differ: front end, plan and channel table, as they stood when each was recorded.
#[utoipa::path(get, operation_id = "compare_runs", path = "/api/runs/{id}/differences/{other}", params(("id" = i64, Path), ("other" = i64, Path)),
    responses((status = 200, body = RunDifferences), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn compare(
    State(app): State<App>,
    Path((id, other)): Path<(i64, i64)>,
) -> Result<Json<RunDifferences>, ApiError> {
    Ok(Json(listed::compare(&app.desk, id, other).await?))
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
