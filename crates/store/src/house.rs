//! What stands over the house's reports, lines and a logo, and the units they show.

use crate::{Result, Store};

/// What a house has of its own in every report.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct House {
    /// Name and address, line by line.
    pub lines: Vec<String>,
    /// The logo's file.
    pub logo: Option<Vec<u8>>,
    /// Symbols of the units that quantities are shown in; of those that are not among them, as they were measured.
    pub units: Vec<String>,
}

impl Store {
    /// What stands over the house's reports; empty where nobody has said anything.
    ///
    /// # Errors
    /// The database is away.
    pub async fn house(&self) -> Result<House> {
        let row = sqlx::query_as!(House, "SELECT lines, logo, units FROM house").fetch_optional(self.pool()).await?;
        Ok(row.unwrap_or_default())
    }

    /// Replaces the units; lines and logo stay.
    ///
    /// # Errors
    /// The database is away.
    pub async fn save_house_units(&self, units: &[String], who: &str) -> Result<()> {
        sqlx::query!(
            "INSERT INTO house (units, who) VALUES ($1, $2)
             ON CONFLICT (one) DO UPDATE SET units = excluded.units, who = excluded.who, at = now()",
            units,
            who
        )
        .execute(self.pool())
        .await?;
        Ok(())
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
