//! Watched values over time, and alarms.

use crate::state::AlarmZone;
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};

/// A watched value that went from one zone to another.
#[derive(Debug, Clone, PartialEq)]
pub struct Alarm {
    /// Key.
    pub id: i64,
    /// The watched quantity.
    pub watched: String,
    /// Zone it went to.
    pub zone: AlarmZone,
    /// Value at that moment.
    pub value: f64,
    /// In words.
    pub says: String,
    /// When.
    pub at: DateTime<Utc>,
    /// When somebody said that it was seen.
    pub acknowledged_at: Option<DateTime<Utc>>,
    /// Who.
    pub acknowledged_by: Option<String>,
}

/// Values between two moments: smallest, largest and last.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TrendPoint {
    /// Start of the stretch.
    pub at: DateTime<Utc>,
    /// Smallest.
    pub low: f64,
    /// Largest.
    pub high: f64,
}

impl Store {
    /// Keeps watched values of one moment.
    ///
    /// # Errors
    /// The database is away.
    pub async fn keep_watched(&self, campaign: i64, values: &[(String, f64)]) -> Result<()> {
        let (names, values): (Vec<String>, Vec<f64>) = values.iter().cloned().unzip();
        sqlx::query!(
            "INSERT INTO watched_value (campaign_id, watched, value) SELECT $1, w, v FROM unnest($2::text[], $3::float8[]) AS u(w, v)",
            campaign,
            &names,
            &values
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Values of a watched quantity since a moment, `points` stretches of equal length.
    ///
    /// # Errors
    /// The database is away.
    pub async fn trend(
        &self,
        campaign: i64,
        watched: &str,
        since: DateTime<Utc>,
        points: i32,
    ) -> Result<Vec<TrendPoint>> {
        Ok(sqlx::query_as!(
            TrendPoint,
            r#"SELECT min(at) AS "at!", min(value) AS "low!", max(value) AS "high!" FROM watched_value
               WHERE campaign_id = $1 AND watched = $2 AND at >= $3
               GROUP BY width_bucket(extract(epoch FROM at)::float8, extract(epoch FROM $3::timestamptz)::float8,
                                     extract(epoch FROM now())::float8 + 1, $4)
               ORDER BY 1"#,
            campaign,
            watched,
            since,
            points
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Writes an alarm.
    ///
    /// # Errors
    /// The database is away.
    pub async fn write_alarm(
        &self,
        campaign: i64,
        watched: &str,
        zone: AlarmZone,
        value: f64,
        says: &str,
    ) -> Result<i64> {
        Ok(sqlx::query_scalar!(
            "INSERT INTO alarm (campaign_id, watched, zone, value, says) VALUES ($1, $2, $3, $4, $5) RETURNING id",
            campaign,
            watched,
            zone as AlarmZone,
            value,
            says
        )
        .fetch_one(self.pool())
        .await?)
    }

    /// The newest alarms, newest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn alarms(&self, campaign: i64, most: i64) -> Result<Vec<Alarm>> {
        Ok(sqlx::query_as!(
            Alarm,
            r#"SELECT id, watched, zone AS "zone: AlarmZone", value, says, at, acknowledged_at, acknowledged_by FROM alarm
               WHERE campaign_id = $1 ORDER BY id DESC LIMIT $2"#,
            campaign,
            most
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Says that an alarm was seen; the first who said so stays.
    ///
    /// # Errors
    /// There is no such alarm, or the database is away.
    pub async fn acknowledge(&self, campaign: i64, alarm: i64, who: &str) -> Result<()> {
        let done = sqlx::query!(
            "UPDATE alarm SET acknowledged_at = coalesce(acknowledged_at, now()), acknowledged_by = coalesce(acknowledged_by, $3)
             WHERE campaign_id = $1 AND id = $2",
            campaign,
            alarm,
            who
        )
        .execute(self.pool())
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("alarm {alarm}")));
        }
        Ok(())
    }
}
