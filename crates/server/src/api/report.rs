//! The report: its text and choices, and the PDF made of them.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use echo_application::report;
use echo_application::report::ReportBody;

/// The report as it stands.
#[utoipa::path(get, operation_id = "read_report", path = "/api/campaigns/{id}/report", params(("id" = i64, Path)), responses((status = 200, body = ReportBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<ReportBody>, ApiError> {
    Ok(Json(report::stored(&app.store, id).await?))
}

/// Replaces text and choices.
#[utoipa::path(put, operation_id = "save_report", path = "/api/campaigns/{id}/report", params(("id" = i64, Path)), request_body = ReportBody,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn save(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(body): Json<ReportBody>,
) -> Result<StatusCode, ApiError> {
    report::save(&app.store, id, body).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The report as pictures: one SVG a page.
#[utoipa::path(get, operation_id = "report_pages", path = "/api/campaigns/{id}/report/pages", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<String>), (status = 409, body = super::ErrorBody)))]
pub async fn pages(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<String>>, ApiError> {
    Ok(Json(report::pages(&app.desk, id).await?))
}
