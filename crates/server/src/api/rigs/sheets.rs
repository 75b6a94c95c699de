//! The channel table as a spreadsheet: out as CSV or XLSX, in again with a preview.

use crate::App;
use crate::api::ApiError;
use crate::api::spreadsheet;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use echo_application::rigs::edit::EditAnswer;
use echo_application::rigs::sheets;

/// The channel table as CSV.
#[utoipa::path(get, operation_id = "rig_csv", path = "/api/campaigns/{id}/rig.csv", params(("id" = i64, Path)), responses((status = 200, content_type = "text/csv")))]
pub async fn csv(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    let bytes = echo_formats::sheet::write_csv(&sheets::table(&app, id).await?)?;
    let saved = "attachment; filename=\"channels.csv\"";
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8"), (header::CONTENT_DISPOSITION, saved)], bytes))
}

/// The channel table as XLSX.
#[utoipa::path(get, operation_id = "rig_xlsx", path = "/api/campaigns/{id}/rig.xlsx", params(("id" = i64, Path)), responses((status = 200, content_type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")))]
pub async fn xlsx(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    spreadsheet("channels.xlsx", &[sheets::table(&app, id).await?])
}

/// Reads a table from a file and tells what would become of it; nothing is written.
#[utoipa::path(post, operation_id = "try_rig_file", path = "/api/campaigns/{id}/rig/file", params(("id" = i64, Path)), request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = EditAnswer), (status = 422, body = crate::api::ErrorBody)))]
pub async fn file(State(app): State<App>, Path(id): Path<i64>, bytes: Bytes) -> Result<Json<EditAnswer>, ApiError> {
    Ok(Json(sheets::file(&app, id, &bytes).await?))
}
