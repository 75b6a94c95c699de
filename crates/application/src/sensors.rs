//! The register of sensors, and the memories of smart ones.

use crate::rigs::smart::SmartSensor;
use crate::{App, Error, Result};
use echo_formats::smart::{self, Told};
use echo_job::sensor::Sensor;
use echo_link::RequestBody;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A sensor of the register.
#[derive(Serialize, ToSchema)]
pub struct SensorBody {
    /// Key.
    pub id: i64,
    /// Type, serial: as it stands in the channel table.
    pub label: String,
    /// What is known of it.
    #[serde(flatten)]
    pub sensor: Sensor,
    /// When that was changed last.
    pub changed_at: chrono::DateTime<chrono::Utc>,
}

/// A line of a sensor's history.
#[derive(Serialize, ToSchema)]
pub struct SensorEventBody {
    /// When.
    pub at: chrono::DateTime<chrono::Utc>,
    /// Who.
    pub who: String,
    /// What.
    pub what: String,
    /// The sensor as it was from then on.
    pub sensor: Sensor,
    /// What belongs to the event: for a check against a reference its pairs, as found and as left.
    #[schema(value_type = Object)]
    pub detail: serde_json::Value,
}

/// Registers a sensor, or replaces what is known of it; what was known stays in its history.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn keep(app: &App, who: &str, mut sensor: Sensor) -> Result<SensorBody> {
    sensor.model = sensor.model.trim().into();
    sensor.serial = sensor.serial.trim().into();
    sensor.check()?;
    let known = app.store.sensors().await?.iter().any(|r| r.sensor.label() == sensor.label());
    let what = if known { "changed by hand" } else { "registered" };
    let id = app.store.keep_sensor(&sensor, who, what, serde_json::Value::Null).await?;
    Ok(SensorBody { id, label: sensor.label(), sensor, changed_at: chrono::Utc::now() })
}

/// What happened to a sensor, newest first.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn history(app: &App, id: i64) -> Result<Vec<SensorEventBody>> {
    let read = |mut e: echo_store::sensor::SensorEvent| {
        let sensor = serde_json::from_value(e.body["sensor"].take()).map_err(echo_store::StoreError::from)?;
        Ok(SensorEventBody { at: e.at, who: e.who, what: e.what, sensor, detail: e.body["detail"].take() })
    };
    app.store.sensor_history(id).await?.into_iter().map(read).collect()
}

/// Which sensor to write.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct WriteMemory {
    /// Key of the sensor in the register.
    pub sensor: i64,
    /// Whether a memory that is not blank may be written over.
    #[serde(default)]
    pub over: bool,
}

/// Writes a sensor of the register into the memory of the smart sensor on an input, reads it back
/// and compares.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn write(app: &App, input: u16, order: WriteMemory) -> Result<SmartSensor> {
    let held =
        app.capture.memories().get(&input).cloned().ok_or_else(|| Error::missing("a smart sensor on this input"))?;
    let bytes = smart::unhex(&held).unwrap_or_default();
    if !order.over && smart::read(&bytes) != Told::Blank {
        return Err(Error::conflict("the memory is not blank; say that it may be written over"));
    }
    let all = app.store.sensors().await?;
    let sensor = all.into_iter().find(|r| r.id == order.sensor).ok_or_else(|| Error::missing("this sensor"))?.sensor;
    let wanted = smart::write(&sensor, bytes.len()).map_err(|says| echo_job::Refusal::new("sensor", says))?;
    let front_end = app.capture.front_end().ok_or_else(|| Error::conflict("no front end is connected"))?;
    let offer = front_end.input(input).ok_or_else(|| Error::missing("this input"))?;
    let body = RequestBody::WriteMemory { input: offer.connector, memory: smart::hex(&wanted) };
    app.capture.ask(usize::from(offer.unit), body).await?;
    // Not the answer to the order, but what is in the memory now.
    let answer = app.capture.ask(usize::from(offer.unit), RequestBody::Memories).await?;
    let back = answer.memories().unwrap_or_default().into_iter().find(|m| m.input == offer.connector);
    let back = back.and_then(|m| smart::unhex(&m.memory)).unwrap_or_default();
    if back != wanted {
        return Err(Error::fault("the memory reads back differently from what was written; do not trust it"));
    }
    app.capture.remember_memory(input, smart::hex(&back));
    Ok(SmartSensor { input, told: smart::read(&back) })
}

/// All sensors of the register.
pub(crate) async fn register(app: &App) -> Result<Vec<Sensor>> {
    Ok(app.store.sensors().await?.into_iter().map(|r| r.sensor).collect())
}
