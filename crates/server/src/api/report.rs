//! The report: its text and choices, and the PDF made of them.

use super::ApiError;
use super::versioned::{MadeOn, Versioned};
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use echo_application::report;
use echo_application::report::ReportPages;
use echo_job::report::Report;

/// The report as it stands.
#[utoipa::path(get, operation_id = "read_report", path = "/api/campaigns/{id}/report", params(("id" = i64, Path)), 
    responses((status = 200, body = Report, headers(("x-version" = i64)))))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Versioned<Report>, ApiError> {
    let (body, version) = report::stored(&app.store, id).await?;
    Ok(Versioned(body, version))
}

/// Replaces text and choices; answers with the new version.
#[utoipa::path(put, operation_id = "save_report", path = "/api/campaigns/{id}/report", params(("id" = i64, Path), MadeOn), request_body = Report,
    responses((status = 200, body = i64), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn save(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(MadeOn { made_on }): Query<MadeOn>,
    Json(body): Json<Report>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(report::save(&app.store, id, made_on, body).await?))
}

/// The report as pictures, one SVG a page, and which blocks could not be made.
#[utoipa::path(get, operation_id = "report_pages", path = "/api/campaigns/{id}/report/pages", params(("id" = i64, Path)),
    responses((status = 200, body = ReportPages), (status = 404, body = super::ErrorBody)))]
pub async fn pages(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<ReportPages>, ApiError> {
    Ok(Json(report::pages(&app.desk, id).await?))
}
