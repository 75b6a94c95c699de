//! Words at places: marks in a run's time, notes on its curves.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use echo_application::runs::marks;
use echo_application::runs::marks::NewMark;
use echo_application::runs::marks::NewNote;

/// Sets a mark in a run that is there.
#[utoipa::path(post, operation_id = "set_mark", path = "/api/runs/{id}/marks", params(("id" = i64, Path)), request_body = NewMark,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn mark(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(m): Json<NewMark>,
) -> Result<StatusCode, ApiError> {
    marks::mark(&app.desk, id, &who(&headers), m).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Takes a mark away.
#[utoipa::path(delete, operation_id = "drop_mark", path = "/api/runs/{id}/marks/{mark}", params(("id" = i64, Path), ("mark" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn unmark(State(app): State<App>, Path((id, mark)): Path<(i64, i64)>) -> Result<StatusCode, ApiError> {
    marks::unmark(&app.desk, id, mark).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Sets a note on a curve of a run.
#[utoipa::path(post, operation_id = "set_note", path = "/api/runs/{id}/notes", params(("id" = i64, Path)), request_body = NewNote,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn note(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(n): Json<NewNote>,
) -> Result<StatusCode, ApiError> {
    marks::note(&app.desk, id, &who(&headers), n).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Takes a note away.
#[utoipa::path(delete, operation_id = "drop_note", path = "/api/runs/{id}/notes/{note}", params(("id" = i64, Path), ("note" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn unnote(State(app): State<App>, Path((id, note)): Path<(i64, i64)>) -> Result<StatusCode, ApiError> {
    marks::unnote(&app.desk, id, note).await?;
    Ok(StatusCode::NO_CONTENT)
}
