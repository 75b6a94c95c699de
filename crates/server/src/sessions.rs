//! Sessions in the database, remembered in memory besides, so that who is signed in stays so while it is away.

use async_trait::async_trait;
use chrono::{DateTime, TimeZone, Utc};
use echo_store::Store;
use tower_sessions::session::{Id, Record};
use tower_sessions::session_store::{Error, Result};
use tower_sessions::{CachingSessionStore, Expiry, MemoryStore, SessionManagerLayer, SessionStore};

/// Days after which somebody who did nothing must sign in again.
const DAYS: i64 = 14;

/// The database as a keeper of sessions.
#[derive(Debug, Clone)]
pub(crate) struct Kept(Store);

fn ends(record: &Record) -> DateTime<Utc> {
    Utc.timestamp_opt(record.expiry_date.unix_timestamp(), 0).single().unwrap_or_else(Utc::now)
}

fn failed(e: impl std::fmt::Display) -> Error {
    Error::Backend(e.to_string())
}

#[async_trait]
impl SessionStore for Kept {
    async fn create(&self, record: &mut Record) -> Result<()> {
        // Keys of 128 random bits do not meet.
        self.save(record).await
    }

    async fn save(&self, record: &Record) -> Result<()> {
        let body = serde_json::to_string(record).map_err(|e| Error::Encode(e.to_string()))?;
        self.0.keep_session(&record.id.to_string(), &body, ends(record)).await.map_err(failed)
    }

    async fn load(&self, id: &Id) -> Result<Option<Record>> {
        let Some(body) = self.0.session(&id.to_string()).await.map_err(failed)? else { return Ok(None) };
        serde_json::from_str(&body).map(Some).map_err(|e| Error::Decode(e.to_string()))
    }

    async fn delete(&self, id: &Id) -> Result<()> {
        self.0.drop_session(&id.to_string()).await.map_err(failed)
    }
}

/// The layer that knows sessions by their cookie.
pub(crate) fn layer(store: &Store) -> SessionManagerLayer<CachingSessionStore<MemoryStore, Kept>> {
    let kept = CachingSessionStore::new(MemoryStore::default(), Kept(store.clone()));
    SessionManagerLayer::new(kept)
        .with_name("fleet-echo")
        .with_same_site(tower_sessions::cookie::SameSite::Strict)
        .with_http_only(true)
        // The page may be reached without TLS, on this machine or behind something that speaks it.
        .with_secure(false)
        .with_expiry(Expiry::OnInactivity(time::Duration::days(DAYS)))
}
