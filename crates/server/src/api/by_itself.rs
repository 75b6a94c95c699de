//! What is done by itself when something ends: where it stands, again, stopped.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use echo_application::afterwards::list::{self, DeedBody};

/// What was done by itself in a campaign, and what is still to be done: the newest first.
#[utoipa::path(get, operation_id = "done_by_itself", path = "/api/campaigns/{id}/afterwards", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<DeedBody>), (status = 404, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<DeedBody>>, ApiError> {
    Ok(Json(list::read(&app, id).await?))
}

/// Tries again what was refused or stopped.
#[utoipa::path(post, operation_id = "do_again", path = "/api/afterwards/{id}/again", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn again(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    list::again(&app, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Stops what waits or goes.
#[utoipa::path(post, operation_id = "stop_doing", path = "/api/afterwards/{id}/stop", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    list::stop(&app, id).await?;
    Ok(StatusCode::NO_CONTENT)
}
