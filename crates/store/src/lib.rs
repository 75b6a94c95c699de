//! PostgreSQL behind everything that must last: campaigns, runs, waveforms, corrections.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`campaign`] | campaigns with rig, plan, report and saved recipes |
//! | `owner` | the one process that works on a database |
//! | [`rig`] | rigs with all their versions, rigs kept under a name, findings let pass |
//! | [`shelf`] | all campaigns, begun, put away, deleted |
//! | [`sensor`] | the register of sensors |
//! | [`run`] | runs and their channels, opening, closing, recovery |
//! | [`run_list`] | runs described, deleted, moved |
//! | [`calibration`] | sensitivities put right afterwards |
//! | [`chunk`] | packing of counts and the min/max pyramid |
//! | [`waveform`] | writing chunks, reading counts and overviews |
//! | [`template`], [`house`] | templates of reports, and what stands over them |
//! | [`deed`] | what is done by itself |
//! | [`take`] | takes inside a run, and marks |
//! | [`correction`] | entries put right |
//! | [`math`] | computed channels |
//! | [`result`] | results that are kept, with what they were made of |
//! | [`people`] | people, sessions, tokens |
//! | [`news`] | what changes, told as it is written |
//! | [`note`] | notes on curves |
//! | [`handover`] | campaigns and runs as JSON, handed over and laid again |
//! | [`upload`] | files that were sent to be brought in |
//! | [`job`] | work that outlives a request, in parts |
//! | [`schedule`] | rounds by the clock |
//! | [`watch`] | watched values, alarms |
//! | [`bench`] | benches |
//! | `seal` | the laboratory's key, and the fingerprint of what was recorded |
//! | [`state`] | words that stand for where something is |

pub mod bench;
pub mod calibration;
pub mod campaign;
pub mod chunk;
pub mod correction;
pub mod deed;
pub mod find;
pub mod function;
pub mod handover;
pub mod house;
pub mod job;
pub mod math;
pub mod news;
pub mod note;
mod owner;
pub mod people;
pub mod result;
pub mod rig;
pub mod run;
pub mod run_list;
pub mod schedule;
mod seal;
pub mod self_test;
pub mod sensor;
pub mod shelf;
pub mod specimen;
pub mod state;
pub mod take;
pub mod tap;
mod tap_record;
pub mod template;
mod unpacked;
pub mod upload;
pub mod watch;
pub mod waveform;

use owner::Ownership;
use sqlx::Connection;
use sqlx::postgres::{PgConnectOptions, PgConnection, PgPool, PgPoolOptions};
use std::str::FromStr;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Mutex;
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
    /// Another process works on it.
    #[error("{0} works on this database already; stop it first, or give this one a database of its own (DATABASE_URL)")]
    Owned(String),
    /// It answers, but something is not there.
    #[error("{0} is not there")]
    Missing(String),
    /// Somebody else changed it meanwhile.
    #[error("somebody else changed the {0} meanwhile; what is here now is version {1}")]
    Stale(&'static str, i64),
    /// The change breaks a rule of the database.
    #[error("{0}")]
    Refused(String),
    /// Something stored cannot be read.
    #[error("stored data cannot be read: {0}")]
    Unreadable(String),
    /// The database answers and will never take this.
    #[error("the database does not take this: {0}")]
    Fault(String),
}

impl StoreError {
    /// Whether the same again may succeed later.
    pub fn passes(&self) -> bool {
        matches!(self, StoreError::Away(_) | StoreError::Full(_))
    }
}

impl From<sqlx::Error> for StoreError {
    fn from(e: sqlx::Error) -> Self {
        match &e {
            sqlx::Error::RowNotFound => StoreError::Missing("the row".into()),
            // A zero byte in a text, as it is or escaped in JSON.
            sqlx::Error::Database(d) if matches!(d.code().as_deref(), Some("22021" | "22P05")) => {
                StoreError::Refused("a text holds a zero byte; allowed: any text without one".into())
            }
            sqlx::Error::Database(d) if d.is_unique_violation() => {
                StoreError::Refused("that name is used already; allowed: one not used yet".into())
            }
            sqlx::Error::Database(d) if d.is_foreign_key_violation() => {
                // What it would belong to: the constraint is named after the table and the column.
                let owner = ["campaign", "run", "sensor", "rig", "schedule"];
                let told = d.constraint().unwrap_or_default();
                let found = owner.into_iter().find(|o| told.contains(&format!("_{o}")));
                StoreError::Missing(format!("the {}", found.unwrap_or("row this belongs to")))
            }
            sqlx::Error::Database(d) => match d.code().as_deref().unwrap_or_default() {
                // SQLSTATE disk_full; then broken connections, other resources, somebody stopping it, its
                // disk, and what only happened at the same time as something else.
                "53100" => StoreError::Full(e.to_string()),
                code if ["08", "53", "57", "58", "40"].iter().any(|class| code.starts_with(class)) => {
                    StoreError::Away(e.to_string())
                }
                _ => StoreError::Fault(e.to_string()),
            },
            sqlx::Error::Decode(_) | sqlx::Error::ColumnDecode { .. } | sqlx::Error::TypeNotFound { .. } => {
                StoreError::Unreadable(e.to_string())
            }
            sqlx::Error::Encode(_) | sqlx::Error::ColumnNotFound(_) | sqlx::Error::ColumnIndexOutOfBounds { .. } => {
                StoreError::Fault(e.to_string())
            }
            // Sockets, pools and the protocol: it may be there again the next moment.
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
    ownership: Ownership,
    asking: Arc<Mutex<Option<PgConnection>>>,
}

impl Store {
    /// Prepares a pool without waiting for the database; the first use connects.
    ///
    /// # Errors
    /// [`StoreError::Refused`] when `url` is not a PostgreSQL address.
    pub fn lazy(url: &str) -> Result<Store> {
        let wrong =
            |says: String| StoreError::Refused(format!("DATABASE_URL {says}; allowed: postgres://user@host:port/name"));
        if !(url.starts_with("postgres://") || url.starts_with("postgresql://")) {
            return Err(wrong("is no PostgreSQL address".into()));
        }
        let options = PgConnectOptions::from_str(url).map_err(|e| wrong(format!("cannot be read: {e}")))?;
        let pool =
            PgPoolOptions::new().max_connections(12).acquire_timeout(Duration::from_secs(4)).connect_lazy_with(options);
        Ok(Store { pool, unpacked: UnpackedChunks::default(), ownership: Ownership::default(), asking: Arc::default() })
    }

    /// Whether this process owns the database.
    pub(crate) fn ownership(&self) -> &Ownership {
        &self.ownership
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

    /// Whether the tables are those that this program knows.
    ///
    /// # Errors
    /// They are of another version, or the database is away.
    pub async fn fits(&self) -> Result<()> {
        let known = sqlx::migrate!().iter().map(|m| m.version).max();
        let there: Option<i64> =
            sqlx::query_scalar("SELECT max(version) FROM _sqlx_migrations WHERE success").fetch_one(&self.pool).await?;
        if there == known {
            return Ok(());
        }
        let told = |v: Option<i64>| v.map_or("none".to_string(), |v| v.to_string());
        let says = format!("its tables are of version {}, this program knows {}", told(there), told(known));
        Err(StoreError::Refused(format!("{says}; allowed: a program of the same version as its server")))
    }

    /// Whether there is nothing in the database.
    ///
    /// # Errors
    /// The database is away.
    pub async fn is_empty(&self) -> Result<bool> {
        let tables: i64 = sqlx::query_scalar(
            "SELECT count(*) FROM information_schema.tables WHERE table_schema NOT IN ('pg_catalog', 'information_schema')",
        )
        .fetch_one(&self.pool)
        .await?;
        Ok(tables == 0)
    }

    /// Asks whether the database answers.
    ///
    /// # Errors
    /// [`StoreError::Away`] when it does not.
    pub async fn ping(&self) -> Result<()> {
        sqlx::query("SELECT 1").execute(&self.pool).await?;
        Ok(())
    }

    /// Whether the database answers now, asked over a connection of its own: a pool whose connections are
    /// all at work says nothing of the database.
    pub async fn answers(&self) -> bool {
        let mut own = self.asking.lock().await;
        if let Some(mut connection) = own.take()
            && connection.ping().await.is_ok()
        {
            *own = Some(connection);
            return true;
        }
        let options = self.pool.connect_options();
        *own = PgConnection::connect_with(&options).await.ok();
        own.is_some()
    }

    /// Folder the database writes to, where it may be known (the same machine, a private server).
    pub async fn data_directory(&self) -> Option<String> {
        sqlx::query_scalar::<_, String>("SHOW data_directory").fetch_one(&self.pool).await.ok()
    }

    /// What time it is there, and which PostgreSQL it is.
    ///
    /// # Errors
    /// The database is away.
    pub async fn clock_and_kind(&self) -> Result<(chrono::DateTime<chrono::Utc>, String)> {
        Ok(sqlx::query_as("SELECT clock_timestamp(), current_setting('server_version')").fetch_one(&self.pool).await?)
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
