//! PostgreSQL behind everything that must last: campaigns, runs, waveforms, corrections.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`campaign`] | campaigns with rig, plan, report and saved recipes |
//! | [`rig`] | rigs with all their versions, rigs kept under a name, findings let pass |
//! | [`sensor`] | the register of sensors |
//! | [`run`] | runs and their channels, opening, closing, recovery |
//! | [`calibration`] | sensitivities put right afterwards |
//! | [`chunk`] | packing of counts and the min/max pyramid |
//! | [`waveform`] | writing chunks, reading counts and overviews |
//! | [`take`] | takes inside a run, and marks |
//! | [`study`] | entries put right, computed channels, kept results, notes |
//! | [`schedule`] | rounds by the clock |
//! | [`watch`] | watched values, alarms, benches |

pub mod calibration;
pub mod campaign;
pub mod chunk;
pub mod find;
pub mod rig;
pub mod run;
pub mod schedule;
pub mod sensor;
pub mod study;
pub mod take;
mod unpacked;
pub mod watch;
pub mod waveform;

use sqlx::postgres::{PgConnectOptions, PgPool, PgPoolOptions};
use std::str::FromStr;
use std::time::Duration;
use unpacked::UnpackedChunks;

/// What can go wrong with the store.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database does not answer or refuses.
    #[error("the database is away: {0}")]
    Away(String),
    /// Its disk is full.
    #[error("the database's disk is full: {0}")]
    Full(String),
    /// It answers, but something is not there.
    #[error("{0} is not there")]
    Missing(String),
    /// Somebody else changed it meanwhile.
    #[error("somebody else changed the rig meanwhile; what is here now is version {0}")]
    Stale(i64),
    /// The change breaks a rule of the database.
    #[error("{0}")]
    Refused(String),
    /// Something stored cannot be read.
    #[error("stored data cannot be read: {0}")]
    Unreadable(String),
}

impl From<sqlx::Error> for StoreError {
    fn from(e: sqlx::Error) -> Self {
        match &e {
            sqlx::Error::RowNotFound => StoreError::Missing("the row".into()),
            // A zero byte in a text, as it is or escaped in JSON.
            sqlx::Error::Database(d) if matches!(d.code().as_deref(), Some("22021" | "22P05")) => {
                StoreError::Refused("a text holds a zero byte; allowed is any text without one".into())
            }
            sqlx::Error::Database(d) if d.is_unique_violation() => {
                StoreError::Refused("that name is used already; allowed is one not used yet".into())
            }
            // SQLSTATE 53100, disk_full.
            sqlx::Error::Database(d) if d.code().as_deref() == Some("53100") => StoreError::Full(e.to_string()),
            sqlx::Error::Decode(_) | sqlx::Error::ColumnDecode { .. } => StoreError::Unreadable(e.to_string()),
            _ => StoreError::Away(e.to_string()),
        }
    }
}

impl From<serde_json::Error> for StoreError {
    fn from(e: serde_json::Error) -> Self {
        StoreError::Unreadable(e.to_string())
    }
}

/// Shorthand for this crate's results.
pub type Result<T> = std::result::Result<T, StoreError>;

/// A handle to the database; cheap to clone.
#[derive(Debug, Clone)]
pub struct Store {
    pool: PgPool,
    unpacked: UnpackedChunks,
}

impl Store {
    /// Prepares a pool without waiting for the database; the first use connects.
    ///
    /// # Errors
    /// [`StoreError::Refused`] when `url` is not a PostgreSQL address.
    pub fn lazy(url: &str) -> Result<Store> {
        let wrong = |says: String| {
            StoreError::Refused(format!("DATABASE_URL {says}; allowed is postgres://user@host:port/name"))
        };
        if !(url.starts_with("postgres://") || url.starts_with("postgresql://")) {
            return Err(wrong("is no PostgreSQL address".into()));
        }
        let options = PgConnectOptions::from_str(url).map_err(|e| wrong(format!("cannot be read: {e}")))?;
        let pool =
            PgPoolOptions::new().max_connections(12).acquire_timeout(Duration::from_secs(4)).connect_lazy_with(options);
        Ok(Store { pool, unpacked: UnpackedChunks::default() })
    }

    /// Chunks that were unpacked lately.
    pub(crate) fn unpacked(&self) -> &UnpackedChunks {
        &self.unpacked
    }

    /// Brings the tables up to date.
    ///
    /// # Errors
    /// The database is away or holds tables of a newer version.
    pub async fn migrate(&self) -> Result<()> {
        sqlx::migrate!().run(&self.pool).await.map_err(|e| StoreError::Away(e.to_string()))
    }

    /// Asks whether the database answers.
    ///
    /// # Errors
    /// [`StoreError::Away`] when it does not.
    pub async fn ping(&self) -> Result<()> {
        sqlx::query("SELECT 1").execute(&self.pool).await?;
        Ok(())
    }

    /// Folder the database writes to, where it may be known (the same machine, a private server).
    pub async fn data_directory(&self) -> Option<String> {
        sqlx::query_scalar::<_, String>("SHOW data_directory").fetch_one(&self.pool).await.ok()
    }

    /// Size of the stored waveforms, bytes.
    ///
    /// # Errors
    /// The database is away.
    pub async fn waveform_bytes(&self) -> Result<i64> {
        Ok(sqlx::query_scalar!(r#"SELECT pg_total_relation_size('chunk') AS "size!""#).fetch_one(&self.pool).await?)
    }

    pub(crate) fn pool(&self) -> &PgPool {
        &self.pool
    }
}
