//! What changes in the database, told as it is written, whichever process writes it.

use crate::{Result, Store};
use sqlx::postgres::PgListener;

/// Changes as they are told; see [`Store::news`].
#[derive(Debug)]
pub struct News(PgListener);

/// One of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Changed {
    /// Rows of a table, by its name.
    Table(String),
    /// The connection was lost for a while: anything may have changed.
    Anything,
}

impl Store {
    /// Listens to what changes, over a connection of its own.
    ///
    /// # Errors
    /// The database is away.
    pub async fn news(&self) -> Result<News> {
        let mut listener = PgListener::connect_with(self.pool()).await?;
        listener.listen("changed").await?;
        Ok(News(listener))
    }
}

impl News {
    /// Waits for the next change. Safe to abandon while waiting.
    ///
    /// # Errors
    /// The database is away and does not come back at once.
    pub async fn next(&mut self) -> Result<Changed> {
        Ok(match self.0.try_recv().await? {
            Some(told) => Changed::Table(told.payload().to_string()),
            None => Changed::Anything,
        })
    }
}
