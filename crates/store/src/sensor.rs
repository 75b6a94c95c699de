//! The register of sensors: what is known now, and every value it replaced.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::sensor::Sensor;
use serde_json::Value;

/// A sensor with its key.
#[derive(Debug, Clone, PartialEq)]
pub struct Registered {
    /// Key.
    pub id: i64,
    /// The sensor.
    pub sensor: Sensor,
    /// When it was changed last.
    pub changed_at: DateTime<Utc>,
}

/// A line of a sensor's history.
#[derive(Debug, Clone, PartialEq)]
pub struct SensorEvent {
    /// When.
    pub at: DateTime<Utc>,
    /// Who.
    pub who: String,
    /// What, in words.
    pub what: String,
    /// The sensor as it was from then on, and what belongs to the event.
    pub body: Value,
}

impl Store {
    /// All sensors by type and serial.
    ///
    /// # Errors
    /// The database is away.
    pub async fn sensors(&self) -> Result<Vec<Registered>> {
        let rows = sqlx::query!("SELECT id, body, changed_at FROM sensor ORDER BY model, length(serial), serial")
            .fetch_all(self.pool())
            .await?;
        let read = |body, id, changed_at| Ok(Registered { id, sensor: serde_json::from_value(body)?, changed_at });
        rows.into_iter().map(|r| read(r.body, r.id, r.changed_at)).collect()
    }

    /// Registers a sensor, or replaces what is known of the one with this type and serial.
    ///
    /// # Errors
    /// The database is away.
    pub async fn keep_sensor(&self, sensor: &Sensor, who: &str, what: &str, detail: Value) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        let body = serde_json::to_value(sensor)?;
        let id = sqlx::query_scalar!(
            "INSERT INTO sensor (model, serial, body) VALUES ($1, $2, $3)
             ON CONFLICT (model, serial) DO UPDATE SET body = excluded.body, changed_at = now() RETURNING id",
            sensor.model,
            sensor.serial,
            body
        )
        .fetch_one(&mut *tx)
        .await?;
        let event = serde_json::json!({ "sensor": body, "detail": detail });
        sqlx::query!(
            "INSERT INTO sensor_history (sensor_id, who, what, body) VALUES ($1, $2, $3, $4)",
            id,
            who,
            what,
            event
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(id)
    }

    /// The history of a sensor, newest first.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn sensor_history(&self, id: i64) -> Result<Vec<SensorEvent>> {
        let all = sqlx::query_as!(
            SensorEvent,
            "SELECT at, who, what, body FROM sensor_history WHERE sensor_id = $1 ORDER BY id DESC",
            id
        )
        .fetch_all(self.pool())
        .await?;
        if all.is_empty() {
            return Err(StoreError::Missing(format!("sensor {id}")));
        }
        Ok(all)
    }
}
