//! What stands over the house's reports.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::body::Bytes;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use echo_application::report::house::{self, HouseBody, HouseLines};

/// What stands over the house's reports.
#[utoipa::path(get, operation_id = "read_letterhead", path = "/api/letterhead", responses((status = 200, body = HouseBody)))]
pub async fn read(State(app): State<App>) -> Result<Json<HouseBody>, ApiError> {
    Ok(Json(house::read(&app.store).await?))
}

/// Replaces its lines.
#[utoipa::path(put, operation_id = "write_letterhead", path = "/api/letterhead", request_body = HouseLines,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn write(
    State(app): State<App>,
    headers: HeaderMap,
    Json(new): Json<HouseLines>,
) -> Result<StatusCode, ApiError> {
    house::write(&app.store, new, &who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Replaces its logo: an SVG or a PNG.
#[utoipa::path(put, operation_id = "set_logo", path = "/api/letterhead/logo",
    request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn set_logo(State(app): State<App>, headers: HeaderMap, bytes: Bytes) -> Result<StatusCode, ApiError> {
    house::set_logo(&app.store, bytes.into(), &who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Takes its logo away.
#[utoipa::path(delete, operation_id = "drop_logo", path = "/api/letterhead/logo", responses((status = 204)))]
pub async fn drop_logo(State(app): State<App>, headers: HeaderMap) -> Result<StatusCode, ApiError> {
    house::drop_logo(&app.store, &who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}
