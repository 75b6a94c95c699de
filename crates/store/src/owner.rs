//! One process at a time works on a database: it holds an advisory lock for as long as it lives.
//!
//! The lock belongs to a connection of its own. When the process ends, however it ends, the
//! connection does and the lock with it. When the database restarts, the lock is gone before the process
//! is: that is noticed, and until the lock is held again nothing of a recording is written.

use crate::{Result, Store, StoreError};
use sqlx::postgres::PgConnection;
use sqlx::{ConnectOptions, Connection};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// Any number, as long as it is always this one.
const LOCK: i64 = 0x4543_484f;
/// How often the connection that holds the lock is looked after, and how long it may take to answer.
const CARE: Duration = Duration::from_millis(500);
const PATIENCE: Duration = Duration::from_secs(3);
/// How long the lock of a process that has just ended is waited for.
const LINGERS: Duration = Duration::from_secs(3);

/// Whether this process owns the database; shared by all handles to it.
#[derive(Debug, Clone, Default)]
pub(crate) struct Ownership {
    /// Claimed at all: a store that never was writes as it likes.
    claimed: Arc<AtomicBool>,
    held: Arc<AtomicBool>,
}

impl Ownership {
    /// Whether what only the owner may do can be done now.
    pub(crate) fn check(&self) -> Result<()> {
        if self.claimed.load(Ordering::Acquire) && !self.held.load(Ordering::Acquire) {
            return Err(StoreError::Away("the database was lost, and is not this server's again yet".into()));
        }
        Ok(())
    }
}

/// Takes the lock; gives the connection that holds it, or who does.
async fn claimed(store: &Store, who: &str) -> Result<std::result::Result<PgConnection, String>> {
    let options = store.pool().connect_options().as_ref().clone().application_name(who).disable_statement_logging();
    let mut connection = PgConnection::connect_with(&options).await?;
    let locked: bool =
        sqlx::query_scalar("SELECT pg_try_advisory_lock($1)").bind(LOCK).fetch_one(&mut connection).await?;
    if locked {
        return Ok(Ok(connection));
    }
    let other = holder(&mut connection).await?;
    let _ = connection.close().await;
    Ok(Err(other.unwrap_or_else(|| "another program".into())))
}

/// Who holds the lock, by the name it gave itself.
async fn holder(connection: &mut PgConnection) -> Result<Option<String>> {
    // A lock on a number of 64 bits is told as its two halves.
    let other: Option<String> = sqlx::query_scalar(
        "SELECT a.application_name FROM pg_locks l JOIN pg_stat_activity a USING (pid)
         WHERE l.locktype = 'advisory' AND l.granted AND l.classid::bigint = $1 >> 32 AND l.objid::bigint = $1 & 4294967295
           AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database()) LIMIT 1",
    )
    .bind(LOCK)
    .fetch_optional(connection)
    .await?;
    Ok(other.filter(|o| !o.is_empty()))
}

impl Store {
    /// Who owns the database now; none where nobody does.
    ///
    /// # Errors
    /// The database is away.
    pub async fn owner(&self) -> Result<Option<String>> {
        let mut connection = self.pool().acquire().await?;
        holder(&mut connection).await
    }

    /// Makes this process the owner of the database until it ends; `who` is told to others that try.
    ///
    /// # Errors
    /// [`StoreError::Owned`] when another process is; the database is away.
    pub async fn own(&self, who: &str) -> Result<()> {
        let begun = tokio::time::Instant::now();
        let connection = loop {
            match claimed(self, who).await? {
                Ok(connection) => break connection,
                Err(other) if begun.elapsed() > LINGERS => return Err(StoreError::Owned(other)),
                Err(_) => tokio::time::sleep(Duration::from_millis(200)).await,
            }
        };
        let ownership = self.ownership();
        ownership.held.store(true, Ordering::Release);
        ownership.claimed.store(true, Ordering::Release);
        tokio::spawn(kept(self.clone(), who.to_string(), connection));
        Ok(())
    }
}

/// Looks after the lock, and takes it again when it was lost.
async fn kept(store: Store, who: String, mut connection: PgConnection) {
    loop {
        tokio::time::sleep(CARE).await;
        let answers = tokio::time::timeout(PATIENCE, sqlx::query("SELECT 1").execute(&mut connection)).await;
        if matches!(answers, Ok(Ok(_))) {
            continue;
        }
        store.ownership().held.store(false, Ordering::Release);
        tracing::warn!("the database is away, and its lock with it");
        // A connection that was only slow has the lock still, and would keep it from the one that follows.
        drop(connection);
        connection = loop {
            match tokio::time::timeout(PATIENCE, claimed(&store, &who)).await {
                Ok(Ok(Ok(connection))) => break connection,
                Ok(Ok(Err(other))) => tracing::error!("the database has another owner now: {other}"),
                _ => {}
            }
            tokio::time::sleep(CARE).await;
        };
        store.ownership().held.store(true, Ordering::Release);
        tracing::info!("the database is this server's again");
    }
}
