//! Files sent to be brought in, campaigns handed over and taken in.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use echo_application::Error;
use echo_application::bring::look::Look;
use echo_application::bring::{self, FileReading};
use echo_application::handover;
use echo_application::jobs::JobKey;
use echo_application::uploads::{self, Receiving, Sent};
use futures::StreamExt;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};

/// What a file is called.
#[derive(Deserialize, IntoParams)]
pub struct FileName {
    /// Its name with its ending.
    pub name: String,
}

/// Takes a file; its bytes are the body, of any size.
#[utoipa::path(post, operation_id = "send_file", path = "/api/files", params(FileName), request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = Sent), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn send(
    State(app): State<App>,
    Query(q): Query<FileName>,
    headers: HeaderMap,
    body: Body,
) -> Result<Json<Sent>, ApiError> {
    let mut taking = Receiving::begin(&app.desk, &q.name, &who(&headers)).await?;
    let mut pieces = body.into_data_stream();
    while let Some(piece) = pieces.next().await {
        let piece = piece.map_err(|e| Error::conflict(format!("the file did not come to its end: {e}")))?;
        taking.push(&piece).await?;
    }
    Ok(Json(taking.end().await?))
}

/// Lets a file that was sent go.
#[utoipa::path(delete, operation_id = "forget_file", path = "/api/files/{id}", params(("id" = i64, Path)), responses((status = 204)))]
pub async fn forget(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    uploads::forget(&app.desk, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What is in a file that was sent, read as is said.
#[utoipa::path(post, operation_id = "look_at_file", path = "/api/files/{id}/look", params(("id" = i64, Path)), request_body = FileReading,
    responses((status = 200, body = Look), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn look(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(reading): Json<FileReading>,
) -> Result<Json<Look>, ApiError> {
    Ok(Json(bring::look::look(&app.desk, id, reading).await?))
}

/// A file that is to become a run.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewBringing {
    /// Key of the file that was sent.
    pub file: i64,
    /// How it is to be read.
    #[serde(default)]
    pub reading: FileReading,
}

/// Begins to bring a file in as a run of a campaign.
#[utoipa::path(post, operation_id = "bring_in", path = "/api/campaigns/{id}/jobs/bring-in", params(("id" = i64, Path)), request_body = NewBringing,
    responses((status = 200, body = JobKey), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn bring_in(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(new): Json<NewBringing>,
) -> Result<Json<JobKey>, ApiError> {
    Ok(Json(bring::begin(&app.desk, id, new.file, new.reading, &who(&headers)).await?))
}

/// Begins to write a whole campaign to a file.
#[utoipa::path(post, operation_id = "hand_over", path = "/api/campaigns/{id}/jobs/hand-over", params(("id" = i64, Path)),
    responses((status = 200, body = JobKey), (status = 404, body = super::ErrorBody)))]
pub async fn hand_over(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
) -> Result<Json<JobKey>, ApiError> {
    Ok(Json(handover::hand_over(&app.desk, id, &who(&headers)).await?))
}

/// Begins to take a campaign in from a campaign file that was sent.
#[utoipa::path(post, operation_id = "take_in", path = "/api/files/{id}/jobs/take-in", params(("id" = i64, Path)),
    responses((status = 200, body = JobKey), (status = 404, body = super::ErrorBody)))]
pub async fn take_in(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
) -> Result<Json<JobKey>, ApiError> {
    Ok(Json(handover::take_in(&app.desk, id, &who(&headers)).await?))
}
