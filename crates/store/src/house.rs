//! What stands over the house's reports: lines and a logo.

use crate::{Result, Store};

/// What stands over a report.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct House {
    /// Name and address, line by line.
    pub lines: Vec<String>,
    /// The logo's file.
    pub logo: Option<Vec<u8>>,
}

impl Store {
    /// What stands over the house's reports; empty where nobody has said anything.
    ///
    /// # Errors
    /// The database is away.
    pub async fn house(&self) -> Result<House> {
        let row = sqlx::query_as!(House, "SELECT lines, logo FROM house").fetch_optional(self.pool()).await?;
        Ok(row.unwrap_or_default())
    }

    /// Replaces the lines; the logo stays.
    ///
    /// # Errors
    /// The database is away.
    pub async fn save_house_lines(&self, lines: &[String], who: &str) -> Result<()> {
        sqlx::query!(
            "INSERT INTO house (lines, who) VALUES ($1, $2)
             ON CONFLICT (one) DO UPDATE SET lines = excluded.lines, who = excluded.who, at = now()",
            lines,
            who
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Replaces the logo, or takes it away; the lines stay.
    ///
    /// # Errors
    /// The database is away.
    pub async fn save_house_logo(&self, logo: Option<&[u8]>, who: &str) -> Result<()> {
        sqlx::query!(
            "INSERT INTO house (logo, who) VALUES ($1, $2)
             ON CONFLICT (one) DO UPDATE SET logo = excluded.logo, who = excluded.who, at = now()",
            logo,
            who
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }
}
