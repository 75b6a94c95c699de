//! Campaigns with their rig, plan, report and saved recipes, and the log of changes.

use crate::shelf::Begun;
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::plan::Plan;
use echo_job::recipe::Recipe;
use echo_job::rig::Rig;
use serde_json::Value;

/// A campaign in short.
#[derive(Debug, Clone, PartialEq)]
pub struct Campaign {
    /// Key.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What is tested.
    pub specimen: String,
    /// What for.
    pub purpose: String,
    /// Laid to be looked at.
    pub demo: bool,
}

/// A line of the change log.
#[derive(Debug, Clone, PartialEq)]
pub struct Change {
    /// When.
    pub at: DateTime<Utc>,
    /// Who.
    pub who: String,
    /// What.
    pub what: String,
    /// Old and new values.
    pub detail: Value,
}

impl Store {
    /// All campaigns, oldest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn campaigns(&self) -> Result<Vec<Campaign>> {
        Ok(sqlx::query_as!(
            Campaign,
            "SELECT id, name, specimen, purpose, demo FROM campaign WHERE deleted_at IS NULL ORDER BY id"
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Lays a new campaign.
    ///
    /// # Errors
    /// The name is used, or the database is away.
    pub async fn create_campaign(
        &self,
        name: &str,
        specimen: &str,
        purpose: &str,
        rig: &Rig,
        plan: &Plan,
    ) -> Result<i64> {
        self.begin_campaign(&Begun { name, specimen, purpose, rig, plan, after: None, who: "engineer" }).await
    }

    /// A campaign in short.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn campaign(&self, id: i64) -> Result<Campaign> {
        sqlx::query_as!(
            Campaign,
            "SELECT id, name, specimen, purpose, demo FROM campaign WHERE id = $1 AND deleted_at IS NULL",
            id
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| missing(id))
    }

    /// Where the campaign's front ends were last.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn front_end(&self, campaign: i64) -> Result<Option<String>> {
        sqlx::query_scalar!("SELECT front_end FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(campaign))
    }

    /// Remembers where the campaign's front ends are.
    ///
    /// # Errors
    /// The database is away.
    pub async fn remember_front_end(&self, campaign: i64, address: Option<&str>) -> Result<()> {
        sqlx::query!("UPDATE campaign SET front_end = $2 WHERE id = $1", campaign, address)
            .execute(self.pool())
            .await?;
        Ok(())
    }

    /// The plan of a campaign.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn plan(&self, campaign: i64) -> Result<Plan> {
        let plan = sqlx::query_scalar!("SELECT plan FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(campaign))?;
        Ok(serde_json::from_value(plan)?)
    }

    /// Version of a campaign's plan.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn plan_version(&self, campaign: i64) -> Result<i64> {
        sqlx::query_scalar!("SELECT plan_version FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(campaign))
    }

    /// Replaces the plan that was changed on version `made_on`, or whatever it is where none is told; gives
    /// its new version.
    ///
    /// # Errors
    /// [`StoreError::Stale`] when somebody else was faster; there is none of that key, or the database is
    /// away.
    pub async fn save_plan(&self, campaign: i64, made_on: Option<i64>, plan: &Plan, who: &str) -> Result<i64> {
        let value = serde_json::to_value(plan)?;
        let mut tx = self.pool().begin().await?;
        let done = sqlx::query_scalar!(
            "UPDATE campaign SET plan = $2, plan_version = plan_version + 1
             WHERE id = $1 AND plan_version = coalesce($3, plan_version) RETURNING plan_version",
            campaign,
            value,
            made_on
        )
        .fetch_optional(&mut *tx)
        .await?;
        let Some(version) = done else {
            drop(tx);
            return Err(StoreError::Stale("plan", self.plan_version(campaign).await?));
        };
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'plan', $3)",
            who,
            campaign,
            value
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(version)
    }

    /// The report's own text and choices, as the page wrote them, and their version; none before the first time.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn report(&self, campaign: i64) -> Result<(Option<Value>, i64)> {
        let row = sqlx::query!("SELECT report, report_version FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(campaign))?;
        Ok((row.report, row.report_version))
    }

    /// Replaces the report's text and choices that were changed on version `made_on`, or whatever is there where
    /// none is told; gives the new version.
    ///
    /// # Errors
    /// [`StoreError::Stale`] when somebody else was faster; there is none of that key, or the database is away.
    pub async fn save_report(&self, campaign: i64, made_on: Option<i64>, report: &Value) -> Result<i64> {
        let done = sqlx::query_scalar!(
            "UPDATE campaign SET report = $2, report_version = report_version + 1
             WHERE id = $1 AND report_version = coalesce($3, report_version) RETURNING report_version",
            campaign,
            report,
            made_on
        )
        .fetch_optional(self.pool())
        .await?;
        match done {
            Some(version) => Ok(version),
            None => Err(StoreError::Stale("report", self.report(campaign).await?.1)),
        }
    }

    /// The machine's elements, as they were written, and their version.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub async fn machine(&self, campaign: i64) -> Result<(Value, i64)> {
        let row = sqlx::query!("SELECT machine, machine_version FROM campaign WHERE id = $1", campaign)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| missing(campaign))?;
        Ok((row.machine, row.machine_version))
    }

    /// Replaces the machine's elements that were changed on version `made_on`, or whatever is there where none is
    /// told, and writes down who did; gives the new version.
    ///
    /// # Errors
    /// [`StoreError::Stale`] when somebody else was faster; there is no such campaign, or the database is away.
    pub async fn save_machine(&self, campaign: i64, made_on: Option<i64>, machine: &Value, who: &str) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        let before = sqlx::query!("SELECT machine, machine_version FROM campaign WHERE id = $1 FOR UPDATE", campaign)
            .fetch_optional(&mut *tx)
            .await?
            .ok_or_else(|| missing(campaign))?;
        if made_on.is_some_and(|made_on| made_on != before.machine_version) {
            return Err(StoreError::Stale("machine", before.machine_version));
        }
        let version = before.machine_version + 1;
        sqlx::query!(
            "UPDATE campaign SET machine = $2, machine_version = $3 WHERE id = $1",
            campaign,
            machine,
            version
        )
        .execute(&mut *tx)
        .await?;
        let detail = serde_json::json!({ "from": before.machine, "to": machine });
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'machine elements', $3)",
            who,
            campaign,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(version)
    }

    /// Saved recipes by name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn recipes(&self, campaign: i64) -> Result<Vec<(String, Recipe)>> {
        let rows = sqlx::query!("SELECT name, body FROM recipe WHERE campaign_id = $1 ORDER BY name", campaign)
            .fetch_all(self.pool())
            .await?;
        rows.into_iter().map(|r| Ok((r.name, serde_json::from_value(r.body)?))).collect()
    }

    /// Keeps a recipe under a name, replacing one of the same name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn keep_recipe(&self, campaign: i64, name: &str, recipe: &Recipe) -> Result<()> {
        sqlx::query!(
            "INSERT INTO recipe (campaign_id, name, body) VALUES ($1, $2, $3) ON CONFLICT (campaign_id, name) DO UPDATE SET body = excluded.body",
            campaign, name, serde_json::to_value(recipe)?
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// The newest changes, newest first: what was written down, what was put right in runs, marks and notes on them.
    ///
    /// # Errors
    /// The database is away.
    pub async fn changes(&self, campaign: i64, most: i64) -> Result<Vec<Change>> {
        Ok(sqlx::query_as!(
            Change,
            r#"SELECT at AS "at!", who AS "who!", what AS "what!", detail AS "detail!" FROM (
                   SELECT at, who, what, detail FROM change WHERE campaign_id = $1
                   UNION ALL SELECT created_at, begun_by, 'begun', jsonb_build_object('on', specimen, 'for', purpose)
                   FROM campaign WHERE id = $1
                   UNION ALL SELECT c.at, c.who, 'sensitivity put right', jsonb_build_object('run', r.number, 'channel', c.channel,
                       'to', c.sensitivity, 'reason', c.reason)
                   FROM calibration c JOIN run r ON r.id = c.run_id WHERE r.campaign_id = $1 AND NOT c.recorded
                   UNION ALL SELECT c.at, c.who, c.field || ' put right', jsonb_build_object('run', r.number, 'channel', c.channel,
                       'from', c.before, 'to', c.after, 'reason', c.reason)
                   FROM correction c JOIN run r ON r.id = c.run_id WHERE r.campaign_id = $1
                   UNION ALL SELECT m.at, m.who, 'mark', jsonb_build_object('run', r.number, 'says', m.says)
                   FROM mark m JOIN run r ON r.id = m.run_id WHERE r.campaign_id = $1
                   UNION ALL SELECT n.at, n.who, 'note', jsonb_build_object('run', r.number, 'says', n.says)
                   FROM note n JOIN run r ON r.id = n.run_id WHERE r.campaign_id = $1) all_changes
               ORDER BY at DESC LIMIT $2"#,
            campaign,
            most
        )
        .fetch_all(self.pool())
        .await?)
    }
}

fn missing(id: i64) -> StoreError {
    StoreError::Missing(format!("campaign {id}"))
}
