//! Benches: displays placed and sized by whoever works with them, kept under a name.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use echo_application::benches;
use echo_application::benches::Bench;
use echo_application::benches::KeptBench;

/// Benches of the Run station.
#[utoipa::path(get, operation_id = "list_benches", path = "/api/campaigns/{id}/benches", params(("id" = i64, Path)), responses((status = 200, body = Vec<KeptBench>)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<KeptBench>>, ApiError> {
    Ok(Json(benches::list(&app, id).await?))
}

/// Keeps a bench under a name; one of that name is replaced.
#[utoipa::path(put, operation_id = "keep_bench", path = "/api/campaigns/{id}/benches/{name}", params(("id" = i64, Path), ("name" = String, Path)), request_body = Bench,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    Path((id, name)): Path<(i64, String)>,
    Json(bench): Json<Bench>,
) -> Result<StatusCode, ApiError> {
    benches::keep(&app, id, name, bench).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Lets a bench go.
#[utoipa::path(delete, operation_id = "drop_bench", path = "/api/campaigns/{id}/benches/{name}", params(("id" = i64, Path), ("name" = String, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn drop(State(app): State<App>, Path((id, name)): Path<(i64, String)>) -> Result<StatusCode, ApiError> {
    benches::drop(&app, id, name).await?;
    Ok(StatusCode::NO_CONTENT)
}
