//! Jobs: lists of results, exports, reports; where they stand, and the files they give.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use echo_application::jobs::files::{self, JobFile};
use echo_application::jobs::lists::{self, NewList};
use echo_application::jobs::{self, JobKey, PartBody};
use echo_job::export::{ExportFormat, RunExport};
use echo_job::report::form::ReportForm;
use futures::stream;
use http_range_header::{RangeUnsatisfiableError, parse_range_header};
use serde::Deserialize;
use utoipa::IntoParams;

/// Begins a list of results; they are made one after the other and kept.
#[utoipa::path(post, operation_id = "begin_list", path = "/api/campaigns/{id}/jobs/results", params(("id" = i64, Path)), request_body = NewList,
    responses((status = 200, body = JobKey), (status = 422, body = super::ErrorBody)))]
pub async fn list(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(new): Json<NewList>,
) -> Result<Json<JobKey>, ApiError> {
    Ok(Json(lists::begin(&app.store, id, &who(&headers), new).await?))
}

/// Begins to write a run to a file.
#[utoipa::path(post, operation_id = "begin_export", path = "/api/runs/{id}/jobs/export", params(("id" = i64, Path)), request_body = RunExport,
    responses((status = 200, body = JobKey), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn export(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(new): Json<RunExport>,
) -> Result<Json<JobKey>, ApiError> {
    Ok(Json(files::export(&app.store, id, new, &who(&headers)).await?))
}

/// As what a report is made.
#[derive(Deserialize, IntoParams)]
pub struct FormQuery {
    /// PDF when left out.
    #[serde(default)]
    #[param(inline, required = false)]
    form: ReportForm,
}

/// Begins to make a campaign's report.
#[utoipa::path(post, operation_id = "begin_report", path = "/api/campaigns/{id}/jobs/report", params(("id" = i64, Path), FormQuery),
    responses((status = 200, body = JobKey), (status = 404, body = super::ErrorBody)))]
pub async fn report(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(FormQuery { form }): Query<FormQuery>,
    headers: HeaderMap,
) -> Result<Json<JobKey>, ApiError> {
    Ok(Json(files::report(&app.store, id, form, &who(&headers)).await?))
}

/// Where the parts of a job stand.
#[utoipa::path(get, operation_id = "read_job", path = "/api/jobs/{id}", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<PartBody>), (status = 404, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<PartBody>>, ApiError> {
    Ok(Json(jobs::read(&app.store, id).await?))
}

/// Stops a job; what is made already stays.
#[utoipa::path(delete, operation_id = "stop_job", path = "/api/jobs/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    jobs::stop(&app.store, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Lets a job that was stopped go on; an export of a run goes on from where it was.
#[utoipa::path(post, operation_id = "resume_job", path = "/api/jobs/{id}/resume", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn resume(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    jobs::resume(&app.store, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The file that a job made, or a range of its bytes: a transfer that broke off goes on where it was.
#[utoipa::path(get, operation_id = "job_file", path = "/api/jobs/{id}/file", params(("id" = i64, Path)),
    responses((status = 206, content_type = "application/octet-stream", body = Vec<u8>), (status = 416, body = super::ErrorBody), (status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn file(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Response, ApiError> {
    let mut file = files::file(&app.store, id).await?;
    // What a job made stays what it is.
    let tag = format!("\"job-{id}-{}\"", file.bytes);
    let asked = headers.get(header::RANGE).and_then(|v| v.to_str().ok());
    let same = headers.get(header::IF_RANGE).is_none_or(|v| v.as_bytes() == tag.as_bytes());
    let all = file.bytes;
    let range = asked.filter(|_| same).and_then(|r| range(r, all)).transpose();
    let Ok(range) = range else {
        let says = format!("the file has {all} bytes; allowed: a range of them, such as bytes=0-");
        let mut answer = Json(super::ErrorBody { says, field: Some("range".into()) }).into_response();
        *answer.status_mut() = StatusCode::RANGE_NOT_SATISFIABLE;
        answer.headers_mut().insert(header::CONTENT_RANGE, valued(&format!("bytes */{all}"))?);
        return Ok(answer);
    };
    if let Some((from, to)) = range {
        file.only(from, to);
    }
    let mut answer = sent(file, "attachment")?;
    let heads = answer.headers_mut();
    heads.insert(header::ACCEPT_RANGES, valued("bytes")?);
    heads.insert(header::ETAG, valued(&tag)?);
    if let Some((from, to)) = range {
        heads.insert(header::CONTENT_RANGE, valued(&format!("bytes {from}-{to}/{all}"))?);
        heads.insert(header::CONTENT_LENGTH, valued(&(to + 1 - from).to_string())?);
        *answer.status_mut() = StatusCode::PARTIAL_CONTENT;
    }
    Ok(answer)
}

fn valued(text: &str) -> Result<HeaderValue, ApiError> {
    HeaderValue::from_str(text).map_err(|e| ApiError::fault(e.to_string()))
}

/// One range of a file of so many bytes, first and last byte, or that it has none such; several at once, and other
/// units, are answered with the whole file.
fn range(text: &str, all: u64) -> Option<Result<(u64, u64), RangeUnsatisfiableError>> {
    let asked = parse_range_header(text).ok().filter(|asked| asked.ranges.len() == 1)?;
    Some(asked.validate(all).map(|found| (*found[0].start(), *found[0].end())))
}

/// All channels as 32-bit float WAV in their units; the same as a job that is waited for.
#[utoipa::path(get, operation_id = "export_wav", path = "/api/runs/{id}/export.wav", params(("id" = i64, Path)), responses((status = 200, content_type = "audio/wav", body = Vec<u8>)))]
pub async fn wav(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Response, ApiError> {
    let job = files::export(&app.store, id, RunExport::whole(ExportFormat::Wav), &who(&headers)).await?;
    sent(files::awaited(&app.store, job).await?, "attachment")
}

/// All channels as CSV: time, then a column a channel; the same as a job that is waited for.
#[utoipa::path(get, operation_id = "export_csv", path = "/api/runs/{id}/export.csv", params(("id" = i64, Path)), responses((status = 200, content_type = "text/csv", body = String)))]
pub async fn csv(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Response, ApiError> {
    let job = files::export(&app.store, id, RunExport::whole(ExportFormat::Csv), &who(&headers)).await?;
    sent(files::awaited(&app.store, job).await?, "attachment")
}

/// The report as PDF; the same as a job that is waited for.
#[utoipa::path(get, operation_id = "report_pdf", path = "/api/campaigns/{id}/report.pdf", params(("id" = i64, Path)),
    responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 409, body = super::ErrorBody)))]
pub async fn pdf(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Response, ApiError> {
    let job = files::report(&app.store, id, ReportForm::Pdf, &who(&headers)).await?;
    sent(files::awaited(&app.store, job).await?, "inline")
}

/// The report in a form: `pdf`, `html`, `xlsx`, or `figures` in a ZIP; the same as a job that is waited for.
#[utoipa::path(get, operation_id = "report_as", path = "/api/campaigns/{id}/report-as/{form}",
    params(("id" = i64, Path), ("form" = inline(ReportForm), Path)),
    responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 409, body = super::ErrorBody)))]
pub async fn report_as(
    State(app): State<App>,
    Path((id, form)): Path<(i64, ReportForm)>,
    headers: HeaderMap,
) -> Result<Response, ApiError> {
    let job = files::report(&app.store, id, form, &who(&headers)).await?;
    sent(files::awaited(&app.store, job).await?, "attachment")
}

/// The header that says under which name a file is saved: letters beyond ASCII as RFC 6266 has them.
pub fn saved_as(how: &str, name: &str) -> String {
    let plain: String = name.chars().map(|c| if c.is_ascii() && c != '"' && c != '\\' { c } else { '_' }).collect();
    let coded: String = name
        .bytes()
        .map(|b| {
            if b.is_ascii_alphanumeric() || b"-._".contains(&b) {
                char::from(b).to_string()
            } else {
                format!("%{b:02X}")
            }
        })
        .collect();
    format!("{how}; filename=\"{plain}\"; filename*=UTF-8''{coded}")
}

/// A file, piece by piece.
fn sent(file: JobFile, how: &str) -> Result<Response, ApiError> {
    let (kind, bytes) = (file.kind, file.bytes);
    let saved = saved_as(how, &file.name);
    let pieces = stream::try_unfold(file, async |mut file| {
        let piece = file.next().await.map_err(std::io::Error::other)?;
        Ok::<_, std::io::Error>(piece.map(|bytes| (bytes, file)))
    });
    Response::builder()
        .header(header::CONTENT_TYPE, kind)
        .header(header::CONTENT_DISPOSITION, saved)
        .header(header::CONTENT_LENGTH, bytes)
        .body(Body::from_stream(pieces))
        .map_err(|e| ApiError::fault(e.to_string()))
}
