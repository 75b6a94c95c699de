//! The specimen: its sheet and geometry, its pictures, the surface its points are put onto.

use super::versioned::MadeOn;
use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use echo_application::specimens::exchange::{self, GeometryFound};
use echo_application::specimens::files::{self, SpecimenFileBody, SurfaceQuery};
use echo_application::specimens::sheet::{self, PlacedSensor, SpecimenBody};
use echo_job::geometry::edit::GeometryChange;
use echo_job::specimen::Specimen;
use serde::Deserialize;
use utoipa::ToSchema;

/// The sheet of a campaign's specimen.
#[utoipa::path(get, operation_id = "read_specimen", path = "/api/campaigns/{id}/specimen", params(("id" = i64, Path)),
    responses((status = 200, body = SpecimenBody), (status = 404, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<SpecimenBody>, ApiError> {
    Ok(Json(sheet::read(&app.desk, id).await?))
}

/// Writes the sheet of a campaign's specimen.
#[utoipa::path(put, operation_id = "save_specimen", path = "/api/campaigns/{id}/specimen", params(("id" = i64, Path), MadeOn), request_body = Specimen,
    responses((status = 200, body = SpecimenBody), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn save(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<MadeOn>,
    headers: HeaderMap,
    Json(to): Json<Specimen>,
) -> Result<Json<SpecimenBody>, ApiError> {
    Ok(Json(sheet::save(&app.desk, id, q.made_on, &who(&headers), to).await?))
}

/// A change of the geometry.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewGeometryChange {
    /// Version it was made on.
    pub made_on: i64,
    /// What is to be changed.
    pub change: GeometryChange,
}

/// Changes the geometry as a spreadsheet is: cells, blocks, rows filled and removed, bodies added.
#[utoipa::path(post, operation_id = "change_geometry", path = "/api/campaigns/{id}/specimen/change", params(("id" = i64, Path)), request_body = NewGeometryChange,
    responses((status = 200, body = SpecimenBody), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn change(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(new): Json<NewGeometryChange>,
) -> Result<Json<SpecimenBody>, ApiError> {
    Ok(Json(sheet::change(&app.desk, id, new.made_on, &who(&headers), new.change).await?))
}

/// Points that are to be put onto the surface.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPlaces {
    /// Version they are of.
    pub made_on: i64,
    /// Their rows, from 0; all of them where empty.
    #[serde(default)]
    pub rows: Vec<usize>,
}

/// Puts points onto the nearest place of the surface.
#[utoipa::path(post, operation_id = "put_onto_surface", path = "/api/campaigns/{id}/specimen/onto-surface", params(("id" = i64, Path)), request_body = NewPlaces,
    responses((status = 200, body = SpecimenBody), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn put_onto_surface(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(new): Json<NewPlaces>,
) -> Result<Json<SpecimenBody>, ApiError> {
    Ok(Json(sheet::put_onto_surface(&app.desk, id, new.made_on, &who(&headers), new.rows).await?))
}

/// Where the channels of the rig are on the specimen.
#[utoipa::path(get, operation_id = "list_placed_sensors", path = "/api/campaigns/{id}/specimen/sensors", params(("id" = i64, Path)),
    responses((status = 200, body = [PlacedSensor]), (status = 404, body = super::ErrorBody)))]
pub async fn sensors(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<PlacedSensor>>, ApiError> {
    Ok(Json(sheet::sensors(&app.desk, id).await?))
}

/// What geometry is in a universal file or CSV; nothing is written.
#[utoipa::path(post, operation_id = "look_at_geometry", path = "/api/campaigns/{id}/specimen/look", params(("id" = i64, Path), super::bringing::FileName),
    request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = GeometryFound), (status = 422, body = super::ErrorBody)))]
pub async fn look(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<super::bringing::FileName>,
    bytes: Bytes,
) -> Result<Json<GeometryFound>, ApiError> {
    app.store.campaign(id).await?;
    Ok(Json(exchange::look(q.name, bytes.to_vec()).await?))
}

/// The geometry as a universal file (2411, 2420, 82, 2412).
#[utoipa::path(get, operation_id = "geometry_uff", path = "/api/campaigns/{id}/geometry.uff", params(("id" = i64, Path)),
    responses((status = 200, content_type = "text/plain"), (status = 404, body = super::ErrorBody)))]
pub async fn universal(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    let saved = "attachment; filename=\"geometry.uff\"";
    let bytes = exchange::universal_file(&app.desk, id).await?;
    Ok(([(header::CONTENT_TYPE, "text/plain; charset=utf-8"), (header::CONTENT_DISPOSITION, saved)], bytes))
}

/// The geometry as CSV.
#[utoipa::path(get, operation_id = "geometry_csv", path = "/api/campaigns/{id}/geometry.csv", params(("id" = i64, Path)),
    responses((status = 200, content_type = "text/csv"), (status = 404, body = super::ErrorBody)))]
pub async fn csv(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    let saved = "attachment; filename=\"geometry.csv\"";
    let bytes = exchange::csv(&app.desk, id).await?;
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8"), (header::CONTENT_DISPOSITION, saved)], bytes))
}

/// Pictures of the specimen, and its surface.
#[utoipa::path(get, operation_id = "list_specimen_files", path = "/api/campaigns/{id}/specimen/files", params(("id" = i64, Path)),
    responses((status = 200, body = [SpecimenFileBody])))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<SpecimenFileBody>>, ApiError> {
    Ok(Json(files::list(&app.desk, id).await?))
}

/// Keeps a picture with the specimen, PNG or JPEG; gives its key.
#[utoipa::path(post, operation_id = "add_picture", path = "/api/campaigns/{id}/specimen/pictures", params(("id" = i64, Path), super::bringing::FileName),
    request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = i64), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn add_picture(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<super::bringing::FileName>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(files::add_picture(&app.desk, id, &who(&headers), &q.name, &bytes).await?))
}

/// Keeps a surface, STL or OBJ, in place of the one before it; gives its key.
#[utoipa::path(post, operation_id = "set_surface", path = "/api/campaigns/{id}/specimen/surface", params(("id" = i64, Path), SurfaceQuery),
    request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = i64), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn set_surface(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<SurfaceQuery>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(files::set_surface(&app.desk, id, &who(&headers), q, bytes.to_vec()).await?))
}

/// Corners of the surface's triangles: 32-bit floats, little-endian, in m, nine a triangle.
#[utoipa::path(get, operation_id = "read_surface", path = "/api/campaigns/{id}/specimen/surface", params(("id" = i64, Path)),
    responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>)))]
pub async fn surface(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], files::corners(&app.desk, id).await?))
}

/// A picture of a specimen.
#[utoipa::path(get, operation_id = "read_picture", path = "/api/specimen-files/{id}", params(("id" = i64, Path)),
    responses((status = 200, content_type = "image/png", body = Vec<u8>), (status = 404, body = super::ErrorBody)))]
pub async fn picture(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    let (name, media_type, bytes) = files::picture(&app.desk, id).await?;
    let told = [
        (header::CONTENT_TYPE, media_type),
        (header::CONTENT_DISPOSITION, super::jobs::saved_as("inline", &name)),
        (header::CACHE_CONTROL, "private, max-age=86400".into()),
    ];
    Ok((told, bytes))
}

/// Removes a picture, or the surface.
#[utoipa::path(delete, operation_id = "remove_specimen_file", path = "/api/specimen-files/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn remove(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<StatusCode, ApiError> {
    app.store.remove_specimen_file(id, &who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}
