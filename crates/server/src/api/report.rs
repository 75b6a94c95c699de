//! The report: its text and choices, the PDF made of them, and a PDF held against what is here.

use super::ApiError;
use super::versioned::{MadeOn, Versioned};
use super::who;
use crate::App;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, header};
use axum::response::IntoResponse;
use echo_application::report;
use echo_application::report::ReportPages;
use echo_application::report::seen;
use echo_application::report::templates::{self, FromTemplate, NewTemplate, TemplateBody};
use echo_application::report::verify::{Against, VerifiedReport, verified};
use echo_application::runs::going::{Hangup, Watched};
use echo_job::report::Report;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};

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

/// Where the report's pages are, each an SVG, and which blocks could not be made.
#[utoipa::path(get, operation_id = "report_pages", path = "/api/campaigns/{id}/report/pages", params(("id" = i64, Path)),
    responses((status = 200, body = ReportPages), (status = 404, body = super::ErrorBody)))]
pub async fn pages(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<ReportPages>, ApiError> {
    Ok(Json(report::pages(&app.desk, id).await?))
}

/// A page of a report, as SVG: what is under a name never changes.
#[utoipa::path(get, operation_id = "report_page", path = "/api/report-pages/{name}", params(("name" = String, Path)),
    responses((status = 200, content_type = "image/svg+xml"), (status = 404, body = super::ErrorBody)))]
pub async fn page(State(app): State<App>, Path(name): Path<String>) -> Result<impl IntoResponse, ApiError> {
    let page = seen::page(&app.desk, &name)?;
    let kept = "private, max-age=86400, immutable";
    Ok(([(header::CONTENT_TYPE, "image/svg+xml"), (header::CACHE_CONTROL, kept)], page.to_string()))
}

/// Which campaign a report is of, and how it is followed.
#[derive(Deserialize, IntoParams)]
pub struct VerifyQuery {
    /// Key of the campaign; the only one of the report's name when left out.
    campaign: Option<i64>,
    /// Key of the campaign it is held against where none of its name is here.
    otherwise: Option<i64>,
    /// A key of the asker's by which the progress can be read meanwhile.
    watch: Option<String>,
}

/// Makes every number of a report's PDF again, and says which hold. Going away stops it.
#[utoipa::path(post, operation_id = "verify_report", path = "/api/report/verify", params(VerifyQuery),
    request_body(content = Vec<u8>, content_type = "application/pdf"),
    responses((status = 200, body = VerifiedReport), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn verify(
    State(app): State<App>,
    Query(q): Query<VerifyQuery>,
    bytes: Bytes,
) -> Result<Json<VerifiedReport>, ApiError> {
    let watched = Arc::new(Watched::default());
    let _held = app.desk.going.followed(q.watch.as_deref(), &watched);
    let hangup = Hangup::of(&watched);
    let told =
        verified(&app.desk, Against { campaign: q.campaign, otherwise: q.otherwise }, bytes.into(), &watched).await?;
    hangup.served();
    Ok(Json(told))
}

/// The key by which this laboratory's seals are checked.
#[derive(Serialize, ToSchema)]
pub struct SealKeyBody {
    /// Ed25519, 32 bytes in hex.
    key: String,
}

/// The key by which this laboratory's seals are checked.
#[utoipa::path(get, operation_id = "seal_key", path = "/api/report/seal-key", responses((status = 200, body = SealKeyBody)))]
pub async fn seal_key(State(app): State<App>) -> Result<Json<SealKeyBody>, ApiError> {
    Ok(Json(SealKeyBody { key: report::public_key(&app.desk).await? }))
}

/// Templates of reports: those that come along, and the house's own.
#[utoipa::path(get, operation_id = "list_report_templates", path = "/api/report-templates",
    responses((status = 200, body = Vec<TemplateBody>)))]
pub async fn list_templates(State(app): State<App>) -> Result<Json<Vec<TemplateBody>>, ApiError> {
    Ok(Json(templates::list(&app.store).await?))
}

/// Keeps a report as a template of the house; answers with its key.
#[utoipa::path(put, operation_id = "keep_report_template", path = "/api/report-templates", request_body = NewTemplate,
    responses((status = 200, body = i64), (status = 422, body = super::ErrorBody)))]
pub async fn keep_template(
    State(app): State<App>,
    headers: HeaderMap,
    Json(new): Json<NewTemplate>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(templates::keep(&app.store, new, &who(&headers)).await?))
}

/// Deletes a template of the house.
#[utoipa::path(delete, operation_id = "drop_report_template", path = "/api/report-templates/{id}", params(("id" = i64, Path)),
    responses((status = 200), (status = 404, body = super::ErrorBody)))]
pub async fn drop_template(State(app): State<App>, Path(id): Path<i64>) -> Result<(), ApiError> {
    Ok(templates::drop(&app.store, id).await?)
}

/// Gives the report the blocks of a template; answers with its new version.
#[utoipa::path(post, operation_id = "report_from_template", path = "/api/campaigns/{id}/report/from-template",
    params(("id" = i64, Path), MadeOn), request_body = FromTemplate,
    responses((status = 200, body = i64), (status = 409, body = super::ErrorBody)))]
pub async fn from_template(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(MadeOn { made_on }): Query<MadeOn>,
    Json(from): Json<FromTemplate>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(templates::begin(&app.store, id, made_on, &from).await?))
}
