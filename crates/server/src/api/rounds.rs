//! Rounds: started, stopped, their table, their pictures.

use super::{ApiError, spreadsheet, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use echo_application::rounds::table;
use echo_application::rounds::table::{ScheduleBody, Which};

/// A schedule of a campaign with its table, the newest where none is named; nothing if there was none.
#[utoipa::path(get, operation_id = "read_rounds", path = "/api/campaigns/{id}/rounds", params(("id" = i64, Path), Which),
    responses((status = 200, body = Option<ScheduleBody>), (status = 404, body = super::ErrorBody)))]
pub async fn read(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(which): Query<Which>,
) -> Result<Json<Option<ScheduleBody>>, ApiError> {
    Ok(Json(table::read(&app, id, which).await?))
}

/// Starts the rounds of the campaign's plan.
#[utoipa::path(post, operation_id = "start_rounds", path = "/api/campaigns/{id}/rounds", params(("id" = i64, Path)),
    responses((status = 200, body = ScheduleBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn start(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
) -> Result<Json<ScheduleBody>, ApiError> {
    Ok(Json(table::start(&app, id, &who(&headers)).await?))
}

/// Stops the rounds; one that is being recorded ends with what it has.
#[utoipa::path(delete, operation_id = "stop_rounds", path = "/api/campaigns/{id}/rounds", params(("id" = i64, Path)), responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    table::stop(&app, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The table of a schedule as XLSX.
#[utoipa::path(get, operation_id = "rounds_xlsx", path = "/api/campaigns/{id}/rounds.xlsx", params(("id" = i64, Path), Which), responses((status = 200, content_type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")))]
pub async fn xlsx(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(which): Query<Which>,
) -> Result<impl IntoResponse, ApiError> {
    spreadsheet("rounds.xlsx", &[table::sheet(&app, id, which).await?])
}

/// The picture of a round: its waveform.
#[utoipa::path(get, operation_id = "round_picture", path = "/api/campaigns/{id}/rounds/{number}/picture.svg", params(("id" = i64, Path), ("number" = i32, Path), Which), responses((status = 200, content_type = "image/svg+xml")))]
pub async fn picture(
    State(app): State<App>,
    Path((id, number)): Path<(i64, i32)>,
    Query(which): Query<Which>,
) -> Result<impl IntoResponse, ApiError> {
    let svg = table::picture(&app, id, which, number).await?;
    Ok(([(header::CONTENT_TYPE, "image/svg+xml")], svg))
}
