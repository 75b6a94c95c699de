//! The channel table as a spreadsheet: out as CSV or XLSX, in again with a preview.

use super::edit::{EditAnswer, register};
use crate::App;
use crate::api::{ApiError, spreadsheet};
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use echo_formats::sheet::{self, Sheet};
use echo_job::Refusal;
use echo_job::rig::paste::{self, Place};
use echo_job::rig::{Column, Rig};
use echo_job::sensor::followed;

fn sheet_of(rig: &Rig) -> Sheet {
    let heads = std::iter::once("Input").chain(Column::SHEET.iter().map(|c| c.head()));
    let row = |c: &echo_job::rig::Channel| {
        std::iter::once(c.input.to_string()).chain(Column::SHEET.iter().map(|k| k.text(c))).collect()
    };
    Sheet {
        name: "Channels".into(),
        heads: heads.map(String::from).collect(),
        rows: rig.channels.iter().map(row).collect(),
    }
}

async fn table(app: &App, id: i64) -> Result<Sheet, ApiError> {
    Ok(sheet_of(&app.store.rig(id).await?.rig.covering(app.capture.front_end().as_ref())))
}

/// The channel table as CSV.
#[utoipa::path(get, operation_id = "rig_csv", path = "/api/campaigns/{id}/rig.csv", params(("id" = i64, Path)), responses((status = 200, content_type = "text/csv")))]
pub async fn csv(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    let bytes = sheet::write_csv(&table(&app, id).await?)?;
    Ok((
        [
            (header::CONTENT_TYPE, "text/csv; charset=utf-8"),
            (header::CONTENT_DISPOSITION, "attachment; filename=\"channels.csv\""),
        ],
        bytes,
    ))
}

/// The channel table as XLSX.
#[utoipa::path(get, operation_id = "rig_xlsx", path = "/api/campaigns/{id}/rig.xlsx", params(("id" = i64, Path)), responses((status = 200, content_type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")))]
pub async fn xlsx(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    spreadsheet("channels.xlsx", &[table(&app, id).await?])
}

/// Reads a table from a file and tells what would become of it; nothing is written.
#[utoipa::path(post, operation_id = "try_rig_file", path = "/api/campaigns/{id}/rig/file", params(("id" = i64, Path)), request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = EditAnswer), (status = 422, body = crate::api::ErrorBody)))]
pub async fn file(State(app): State<App>, Path(id): Path<i64>, bytes: Bytes) -> Result<Json<EditAnswer>, ApiError> {
    let front_end = app.capture.front_end();
    let rig = app.store.rig(id).await?.rig.covering(front_end.as_ref());
    let block = sheet::read(&bytes).map_err(|e| Refusal::new("file", e.to_string()))?;
    let place = Place { inputs: rig.channels.iter().map(|c| c.input).collect(), columns: Column::SHEET.to_vec() };
    let cells = paste::cells(&block, &place, &rig)?;
    let register = register(&app).await?;
    let edit = rig.edited(&followed(cells.clone(), &register), front_end.as_ref());
    Ok(Json(EditAnswer { cells, changed: edit.changed, refused: edit.refused, clashes: Vec::new(), rig: None }))
}
