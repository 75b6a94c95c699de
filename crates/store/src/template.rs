//! Templates of reports.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use serde_json::Value;

/// A template that is kept.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptTemplate {
    /// Key.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// The report's blocks.
    pub body: Value,
    /// Who kept it.
    pub who: String,
    /// When.
    pub made_at: DateTime<Utc>,
}

impl Store {
    /// All templates by their names.
    ///
    /// # Errors
    /// The database is away.
    pub async fn templates(&self) -> Result<Vec<KeptTemplate>> {
        Ok(sqlx::query_as!(
            KeptTemplate,
            "SELECT id, name, body, who, made_at FROM report_template ORDER BY lower(name)"
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Keeps a template, in place of one of that name; gives its key.
    ///
    /// # Errors
    /// The database is away.
    pub async fn keep_template(&self, name: &str, body: &Value, who: &str) -> Result<i64> {
        Ok(sqlx::query_scalar!(
            "INSERT INTO report_template (name, body, who) VALUES ($1, $2, $3)
             ON CONFLICT (name) DO UPDATE SET body = excluded.body, who = excluded.who, made_at = now() RETURNING id",
            name,
            body,
            who
        )
        .fetch_one(self.pool())
        .await?)
    }

    /// Deletes a template.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn drop_template(&self, id: i64) -> Result<()> {
        let done = sqlx::query!("DELETE FROM report_template WHERE id = $1", id).execute(self.pool()).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("template {id}")));
        }
        Ok(())
    }
}
