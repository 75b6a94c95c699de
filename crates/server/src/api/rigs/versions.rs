//! Versions of the rig, rigs kept under a name, and what differs between them.

use crate::App;
use crate::api::{ApiError, who};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use echo_application::rigs::versions;
use echo_application::rigs::versions::RigName;
use echo_application::rigs::versions::Versions;
use echo_application::rigs::versions::Which;
use echo_application::rigs::view::RigBody;
use echo_job::rig::CellChanged;

/// Versions of a campaign's rig, and rigs kept under a name.
#[utoipa::path(get, operation_id = "rig_versions", path = "/api/campaigns/{id}/rig/versions", params(("id" = i64, Path)), responses((status = 200, body = Versions)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Versions>, ApiError> {
    Ok(Json(versions::list(&app, id).await?))
}

/// Cells in which another rig differs from the one in use.
#[utoipa::path(get, operation_id = "rig_differences", path = "/api/campaigns/{id}/rig/differences", params(("id" = i64, Path), Which),
    responses((status = 200, body = Vec<CellChanged>), (status = 404, body = crate::api::ErrorBody)))]
pub async fn compare(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(which): Query<Which>,
) -> Result<Json<Vec<CellChanged>>, ApiError> {
    Ok(Json(versions::compare(&app, id, which).await?))
}

/// Takes another rig into use; the one in use stays as a version.
#[utoipa::path(post, operation_id = "take_rig", path = "/api/campaigns/{id}/rig/take", params(("id" = i64, Path)), request_body = Which,
    responses((status = 200, body = RigBody), (status = 404, body = crate::api::ErrorBody)))]
pub async fn take(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(which): Json<Which>,
) -> Result<Json<RigBody>, ApiError> {
    Ok(Json(versions::take(&app, id, &who(&headers), which).await?))
}

/// Keeps the rig in use under a name; one of that name in this campaign is replaced.
#[utoipa::path(post, operation_id = "keep_rig", path = "/api/campaigns/{id}/rig/keep", params(("id" = i64, Path)), request_body = RigName,
    responses((status = 200, body = RigBody), (status = 422, body = crate::api::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(to): Json<RigName>,
) -> Result<Json<RigBody>, ApiError> {
    Ok(Json(versions::keep(&app, id, &who(&headers), to).await?))
}
