//! Findings that are let pass, with their reason.

use crate::App;
use crate::api::{ApiError, who};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use echo_application::rigs::view::RigBody;
use echo_application::rigs::waivers;
use echo_application::rigs::waivers::WaiverRequest;

/// Lets a finding pass with a reason that stays in the record, or takes that back.
#[utoipa::path(post, operation_id = "waive", path = "/api/campaigns/{id}/rig/waivers", params(("id" = i64, Path)), request_body = WaiverRequest,
    responses((status = 200, body = RigBody), (status = 422, body = crate::api::ErrorBody)))]
pub async fn waive(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(w): Json<WaiverRequest>,
) -> Result<Json<RigBody>, ApiError> {
    Ok(Json(waivers::waive(&app, id, &who(&headers), w).await?))
}
