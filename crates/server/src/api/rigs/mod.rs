//! The rig: the channel table with what follows from it, and its findings.

pub mod edit;
pub mod sheets;
pub mod versions;
pub mod waivers;

use crate::App;
use crate::api::ApiError;
use axum::Json;
use axum::extract::{Path, Query, State};
use echo_application::rigs::view;
use echo_application::rigs::view::Headroom;
use echo_application::rigs::view::RigBody;
use echo_job::rig::ranging::Ranged;

/// The rig of a campaign.
#[utoipa::path(get, operation_id = "read_rig", path = "/api/campaigns/{id}/rig", params(("id" = i64, Path)), responses((status = 200, body = RigBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<RigBody>, ApiError> {
    Ok(Json(view::read(&app, id).await?))
}

/// Ranges that fit what was heard since the held levels were reset.
#[utoipa::path(get, operation_id = "fitting_ranges", path = "/api/campaigns/{id}/rig/ranges", params(("id" = i64, Path), Headroom),
    responses((status = 200, body = Vec<Ranged>), (status = 422, body = super::ErrorBody)))]
pub async fn ranges(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<Headroom>,
) -> Result<Json<Vec<Ranged>>, ApiError> {
    Ok(Json(view::ranges(&app, id, q).await?))
}
