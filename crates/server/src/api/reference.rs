//! Checking a sensor against a reference: live pairs, the fit, acceptance into the register.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::State;
use axum::http::{HeaderMap, header};
use axum::response::IntoResponse;
use echo_application::reference::FitRequest;
use echo_application::reference::ReadAnswer;
use echo_application::reference::ReadRequest;
use echo_application::reference::verdict::{Judged, Judgement, TakenBack};
use echo_application::reference::{self, sheet as checked, verdict};
use echo_formats::sheet;
use echo_job::reference::Fit;
use echo_job::sensor::Sensor;

/// Waits, reads, and tells the level of the tone.
#[utoipa::path(post, operation_id = "read_reference", path = "/api/reference/read", request_body = ReadRequest,
    responses((status = 200, body = ReadAnswer), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Json(r): Json<ReadRequest>) -> Result<Json<ReadAnswer>, ApiError> {
    Ok(Json(reference::read(&app, r).await?))
}

/// The straight line through pairs and what follows.
#[utoipa::path(post, operation_id = "fit_reference", path = "/api/reference/fit", request_body = FitRequest,
    responses((status = 200, body = Fit), (status = 422, body = super::ErrorBody)))]
pub async fn fitted(State(app): State<App>, Json(r): Json<FitRequest>) -> Result<Json<Fit>, ApiError> {
    Ok(Json(reference::fitted(&app, r)?))
}

/// Pairs as a spreadsheet.
#[utoipa::path(post, operation_id = "reference_sheet", path = "/api/reference/sheet.xlsx", request_body = FitRequest,
    responses((status = 200, content_type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"), (status = 422, body = super::ErrorBody)))]
pub async fn xlsx(State(app): State<App>, Json(r): Json<FitRequest>) -> Result<impl IntoResponse, ApiError> {
    let bytes = sheet::write_xlsx(&[checked::table(&app, &r)?])?;
    let kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";
    Ok(([(header::CONTENT_TYPE, kind)], bytes))
}

/// Pairs as CSV.
#[utoipa::path(post, operation_id = "reference_csv", path = "/api/reference/sheet.csv", request_body = FitRequest,
    responses((status = 200, content_type = "text/csv"), (status = 422, body = super::ErrorBody)))]
pub async fn csv(State(app): State<App>, Json(r): Json<FitRequest>) -> Result<impl IntoResponse, ApiError> {
    let bytes = sheet::write_csv(&checked::table(&app, &r)?)?;
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8")], bytes))
}

/// Accepts a new sensitivity into the register and the rig, or rejects it; both are kept as found
/// and as left in the sensor's history.
#[utoipa::path(post, operation_id = "judge_reference", path = "/api/reference/verdict", request_body = Judgement,
    responses((status = 200, body = Judged), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn judge(
    State(app): State<App>,
    headers: HeaderMap,
    Json(v): Json<Judgement>,
) -> Result<Json<Judged>, ApiError> {
    Ok(Json(verdict::judge(&app, &who(&headers), v).await?))
}

/// Takes an accepted check back: the register and the row are as they were found.
#[utoipa::path(post, operation_id = "take_back_reference", path = "/api/reference/take-back", request_body = TakenBack,
    responses((status = 200, body = Sensor), (status = 409, body = super::ErrorBody)))]
pub async fn take_back(
    State(app): State<App>,
    headers: HeaderMap,
    Json(t): Json<TakenBack>,
) -> Result<Json<Sensor>, ApiError> {
    Ok(Json(verdict::take_back(&app, &who(&headers), t).await?))
}
