//! Changing cells of the channel table: typed, pasted, filled, taken back.

use crate::App;
use crate::api::{ApiError, who};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use echo_application::rigs::edit;
use echo_application::rigs::edit::EditAnswer;
use echo_application::rigs::edit::EditRequest;
use echo_application::rigs::view::RigBody;
use echo_job::rig::RowChange;

/// Changes one row of the channel table; cells not named stay.
#[utoipa::path(patch, path = "/api/campaigns/{id}/rig/{input}", params(("id" = i64, Path), ("input" = u16, Path)), request_body = RowChange,
    responses((status = 200, body = RigBody), (status = 422, body = crate::api::ErrorBody), (status = 409, body = crate::api::ErrorBody)))]
pub async fn change_channel(
    State(app): State<App>,
    Path((id, input)): Path<(i64, u16)>,
    headers: HeaderMap,
    Json(change): Json<RowChange>,
) -> Result<Json<RigBody>, ApiError> {
    Ok(Json(edit::change_channel(&app, id, input, &who(&headers), change).await?))
}

/// Changes many cells at once. What is good is written, what is refused says why.
#[utoipa::path(post, operation_id = "edit_rig", path = "/api/campaigns/{id}/rig/cells", params(("id" = i64, Path)), request_body = EditRequest,
    responses((status = 200, body = EditAnswer), (status = 422, body = crate::api::ErrorBody), (status = 409, body = crate::api::ErrorBody)))]
pub async fn edit(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(request): Json<EditRequest>,
) -> Result<Json<EditAnswer>, ApiError> {
    Ok(Json(edit::edit(&app, id, &who(&headers), request).await?))
}
