//! The plan: read, replaced, lengths as they are typed, triggers tried on recorded runs.

use super::versioned::MadeOn;
use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use echo_application::plans::LengthBody;
use echo_application::plans::LengthTyped;
use echo_application::plans::PlanBody;
use echo_application::plans::tried::TriggerTried;
use echo_application::plans::tried::TryAnswer;
use echo_application::plans::{self, tried};
use echo_job::plan::Plan;

/// The plan of a campaign.
#[utoipa::path(get, operation_id = "read_plan", path = "/api/campaigns/{id}/plan", params(("id" = i64, Path)), responses((status = 200, body = PlanBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<PlanBody>, ApiError> {
    Ok(Json(plans::read(&app, id).await?))
}

/// Replaces the plan.
#[utoipa::path(put, operation_id = "save_plan", path = "/api/campaigns/{id}/plan", params(("id" = i64, Path), MadeOn), request_body = Plan,
    responses((status = 200, body = PlanBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn save(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(MadeOn { made_on }): Query<MadeOn>,
    headers: HeaderMap,
    Json(plan): Json<Plan>,
) -> Result<Json<PlanBody>, ApiError> {
    Ok(Json(plans::save(&app, id, made_on, &who(&headers), plan).await?))
}

/// Reads a typed length: a time, samples, or turns at the speed that is told or measured now.
#[utoipa::path(post, operation_id = "type_length", path = "/api/campaigns/{id}/plan/length", params(("id" = i64, Path)), request_body = LengthTyped,
    responses((status = 200, body = LengthBody), (status = 422, body = super::ErrorBody)))]
pub async fn length(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(typed): Json<LengthTyped>,
) -> Result<Json<LengthBody>, ApiError> {
    Ok(Json(plans::length(&app, id, typed).await?))
}

/// Tries a trigger on a recorded run: the same code as live. Going away stops it.
#[utoipa::path(post, operation_id = "try_trigger", path = "/api/plan/try", request_body = TriggerTried,
    responses((status = 200, body = TryAnswer), (status = 422, body = super::ErrorBody)))]
pub async fn tried(State(app): State<App>, Json(t): Json<TriggerTried>) -> Result<Json<TryAnswer>, ApiError> {
    Ok(Json(tried::tried(&app.desk, t).await?))
}
