//! The register of sensors, and the memories of smart ones.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use echo_application::rigs::smart::SmartSensor;
use echo_application::rigs::smart::smart_sensors;
use echo_application::sensors;
use echo_application::sensors::SensorBody;
use echo_application::sensors::SensorEventBody;
use echo_application::sensors::WriteMemory;
use echo_job::sensor::Sensor;

/// The register.
#[utoipa::path(get, operation_id = "list_sensors", path = "/api/sensors", responses((status = 200, body = Vec<SensorBody>)))]
pub async fn list(State(app): State<App>) -> Result<Json<Vec<SensorBody>>, ApiError> {
    let all = app.store.sensors().await?.into_iter();
    Ok(Json(
        all.map(|r| SensorBody { id: r.id, label: r.sensor.label(), sensor: r.sensor, changed_at: r.changed_at })
            .collect(),
    ))
}

/// Registers a sensor, or replaces what is known of it; what was known stays in its history.
#[utoipa::path(put, operation_id = "keep_sensor", path = "/api/sensors", request_body = Sensor,
    responses((status = 200, body = SensorBody), (status = 422, body = super::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    headers: HeaderMap,
    Json(sensor): Json<Sensor>,
) -> Result<Json<SensorBody>, ApiError> {
    Ok(Json(sensors::keep(&app, &who(&headers), sensor).await?))
}

/// What happened to a sensor, newest first.
#[utoipa::path(get, operation_id = "sensor_history", path = "/api/sensors/{id}/history", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<SensorEventBody>), (status = 404, body = super::ErrorBody)))]
pub async fn history(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<SensorEventBody>>, ApiError> {
    Ok(Json(sensors::history(&app, id).await?))
}

/// Smart sensors that are plugged in.
#[utoipa::path(get, operation_id = "smart_sensors", path = "/api/smart-sensors", responses((status = 200, body = Vec<SmartSensor>)))]
pub async fn plugged(State(app): State<App>) -> Json<Vec<SmartSensor>> {
    Json(smart_sensors(&app))
}

/// Writes a sensor of the register into the memory of the smart sensor on an input, reads it back
/// and compares.
#[utoipa::path(post, operation_id = "write_memory", path = "/api/smart-sensors/{input}", params(("input" = u16, Path)), request_body = WriteMemory,
    responses((status = 200, body = SmartSensor), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn write(
    State(app): State<App>,
    Path(input): Path<u16>,
    Json(order): Json<WriteMemory>,
) -> Result<Json<SmartSensor>, ApiError> {
    Ok(Json(sensors::write(&app, input, order).await?))
}
