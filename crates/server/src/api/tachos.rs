//! Tachometers, counters and encoders as they are heard now.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::State;
use echo_application::encoders::EncoderRead;
use echo_application::tachos::TachoBody;
use echo_application::tachos::TachoRead;
use echo_application::{encoders, tachos};
use echo_job::tacho::EncoderBody;

/// Reads a tachometer: speed, quality, picture; finds threshold and hysteresis when asked to.
#[utoipa::path(post, operation_id = "read_tacho", path = "/api/tachos/read", request_body = TachoRead,
    responses((status = 200, body = TachoBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Json(r): Json<TachoRead>) -> Result<Json<TachoBody>, ApiError> {
    Ok(Json(tachos::read(&app, r)?))
}

/// Reads an encoder.
#[utoipa::path(post, operation_id = "read_encoder", path = "/api/encoders/read", request_body = EncoderRead,
    responses((status = 200, body = EncoderBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn encoder(State(app): State<App>, Json(r): Json<EncoderRead>) -> Result<Json<EncoderBody>, ApiError> {
    Ok(Json(encoders::encoder(&app, r)?))
}
