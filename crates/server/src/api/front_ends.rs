//! The front ends beside measuring: tests, restarts, the setup on the device, the output.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use echo_application::front_ends;
use echo_application::front_ends::OutputRequest;
use echo_application::front_ends::SetupBody;
use echo_application::front_ends::TestBody;
use echo_application::front_ends::TestRequest;
use echo_application::front_ends::TestedInput;

/// Tests inputs.
#[utoipa::path(post, operation_id = "test_inputs", path = "/api/front-ends/test", request_body = TestRequest,
    responses((status = 200, body = Vec<TestBody>), (status = 409, body = super::ErrorBody)))]
pub async fn test(
    State(app): State<App>,
    headers: HeaderMap,
    Json(request): Json<TestRequest>,
) -> Result<Json<Vec<TestBody>>, ApiError> {
    Ok(Json(front_ends::test(&app, request, &who(&headers)).await?))
}

/// What the newest test of each input found.
#[utoipa::path(get, operation_id = "list_self_tests", path = "/api/campaigns/{id}/self-tests", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<TestedInput>)))]
pub async fn tests(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<TestedInput>>, ApiError> {
    Ok(Json(front_ends::tests(&app.store, id).await?))
}

/// Starts a front end anew; it is connected again by itself.
#[utoipa::path(post, operation_id = "restart_front_end", path = "/api/front-ends/{unit}/restart", params(("unit" = usize, Path)),
    responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn restart(State(app): State<App>, Path(unit): Path<usize>) -> Result<StatusCode, ApiError> {
    front_ends::restart(&app, unit).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Reads the setup back from the front ends and compares it with the rig.
#[utoipa::path(get, operation_id = "read_setup", path = "/api/front-ends/setup",
    responses((status = 200, body = SetupBody), (status = 409, body = super::ErrorBody)))]
pub async fn setup(State(app): State<App>) -> Result<Json<SetupBody>, ApiError> {
    Ok(Json(front_ends::setup(&app).await?))
}

/// Writes the rig's setup to the front ends again.
#[utoipa::path(post, operation_id = "write_setup", path = "/api/front-ends/setup",
    responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn write_setup(State(app): State<App>) -> Result<StatusCode, ApiError> {
    front_ends::write_setup(&app).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Drives the output of a front end.
#[utoipa::path(put, operation_id = "drive_output", path = "/api/front-ends/{unit}/output", params(("unit" = usize, Path)), request_body = OutputRequest,
    responses((status = 204), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn output(
    State(app): State<App>,
    Path(unit): Path<usize>,
    Json(to): Json<OutputRequest>,
) -> Result<StatusCode, ApiError> {
    front_ends::output(&app, unit, to).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Keeps an output going that was driven with a lease.
#[utoipa::path(post, operation_id = "keep_output", path = "/api/front-ends/{unit}/output/keep", params(("unit" = usize, Path)),
    responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn keep_output(State(app): State<App>, Path(unit): Path<usize>) -> Result<StatusCode, ApiError> {
    front_ends::keep_output(&app, unit)?;
    Ok(StatusCode::NO_CONTENT)
}

/// Silences every output at once.
#[utoipa::path(post, operation_id = "emergency_stop", path = "/api/emergency-stop",
    responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn emergency_stop(State(app): State<App>) -> Result<StatusCode, ApiError> {
    front_ends::emergency_stop(&app).await?;
    Ok(StatusCode::NO_CONTENT)
}
