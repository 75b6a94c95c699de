//! What was entered wrong, put right after the fact: sensitivities, cells of the rig, the tachometer.
//! The old value stays readable, and results made before are told as stale.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use echo_application::runs::setting_right;
use echo_application::runs::setting_right::CellRight;
use echo_application::runs::setting_right::SensitivityRight;
use echo_application::runs::setting_right::TachoRight;

/// Puts a sensitivity right: everything shown from this run follows, the old value stays in its history.
#[utoipa::path(post, operation_id = "correct_sensitivity", path = "/api/runs/{id}/channels/{channel}/sensitivity", params(("id" = i64, Path), ("channel" = i16, Path)), request_body = SensitivityRight,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn sensitivity(
    State(app): State<App>,
    Path((id, channel)): Path<(i64, i16)>,
    headers: HeaderMap,
    Json(c): Json<SensitivityRight>,
) -> Result<StatusCode, ApiError> {
    setting_right::sensitivity(&app.desk, id, channel, &who(&headers), c).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Puts a cell of a run's channel right; the old text stays in its history.
#[utoipa::path(post, operation_id = "correct_cell", path = "/api/runs/{id}/channels/{channel}/cell", params(("id" = i64, Path), ("channel" = i16, Path)), request_body = CellRight,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn cell(
    State(app): State<App>,
    Path((id, channel)): Path<(i64, i16)>,
    headers: HeaderMap,
    Json(c): Json<CellRight>,
) -> Result<StatusCode, ApiError> {
    setting_right::cell(&app.desk, id, channel, &who(&headers), c).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Puts the tachometer of a run right: speed, markers and what follows the shaft go by it.
#[utoipa::path(post, operation_id = "correct_tacho", path = "/api/runs/{id}/tacho", params(("id" = i64, Path)), request_body = TachoRight,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn tacho(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(t): Json<TachoRight>,
) -> Result<StatusCode, ApiError> {
    setting_right::tacho(&app.desk, id, &who(&headers), t).await?;
    Ok(StatusCode::NO_CONTENT)
}
