//! The shelf: all campaigns with what is in them, begun, renamed, put away, deleted, brought back.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::caution::Waiver;
use echo_job::plan::Plan;
use echo_job::report::Report;
use echo_job::rig::Rig;
use echo_job::specimen::Specimen;

/// A campaign on the shelf.
#[derive(Debug, Clone, PartialEq)]
pub struct Shelved {
    /// Key.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What is tested.
    pub specimen: String,
    /// What for.
    pub purpose: String,
    /// When it was worked on last: a change, a run.
    pub worked_at: DateTime<Utc>,
    /// When it was put away, if it was.
    pub archived_at: Option<DateTime<Utc>>,
    /// When it goes for good, where it was deleted.
    pub gone_at: Option<DateTime<Utc>>,
    /// Laid to be looked at.
    pub demo: bool,
    /// Channels that are measured.
    pub channels: i64,
    /// Runs that keep samples.
    pub runs: i64,
    /// Bytes of its runs.
    pub bytes: i64,
    /// Kept results.
    pub results: i64,
    /// Whether its report has been written.
    pub reported: bool,
    /// Who worked on it, the newest first.
    pub people: Vec<String>,
}

/// What the rules look at in a campaign.
#[derive(Debug, Clone)]
pub struct LookedAt {
    /// The campaign.
    pub campaign: i64,
    /// Its rig.
    pub rig: Rig,
    /// Its plan.
    pub plan: Plan,
    /// Findings let pass.
    pub waivers: Vec<Waiver>,
    /// Its specimen.
    pub specimen: Specimen,
}

/// What a new campaign begins with.
#[derive(Debug, Clone, PartialEq)]
pub struct Begun<'a> {
    /// Its name.
    pub name: &'a str,
    /// What is tested.
    pub specimen: &'a str,
    /// What for.
    pub purpose: &'a str,
    /// Its rig.
    pub rig: &'a Rig,
    /// Its plan.
    pub plan: &'a Plan,
    /// Whose benches, machine, formulas, recipes and specimen it takes over.
    pub after: Option<i64>,
    /// Who begins it.
    pub who: &'a str,
}

fn missing(id: i64) -> StoreError {
    StoreError::Missing(format!("campaign {id}"))
}

impl Store {
    /// All campaigns, those worked on last first; those deleted within a day too.
    ///
    /// # Errors
    /// The database is away.
    pub async fn shelf(&self) -> Result<Vec<Shelved>> {
        Ok(sqlx::query_as!(
            Shelved,
            r#"WITH runs AS (
                   SELECT campaign_id, count(*) FILTER (WHERE samples > 0) AS n, sum(bytes)::bigint AS bytes, max(started_at) AS at
                   FROM run WHERE deleted_at IS NULL GROUP BY campaign_id),
                 changes AS (
                   SELECT campaign_id, max(at) AS at, array_agg(who ORDER BY at DESC) AS people FROM
                       (SELECT campaign_id, who, max(at) AS at FROM
                            (SELECT campaign_id, who, at FROM change UNION ALL SELECT campaign_id, who, at FROM rig_version) c
                        GROUP BY campaign_id, who) w GROUP BY campaign_id)
               SELECT c.id, c.name, c.specimen, c.purpose, c.archived_at, c.demo, c.deleted_at + interval '1 day' AS gone_at,
                      greatest(c.created_at, runs.at, changes.at) AS "worked_at!",
                      (SELECT count(*) FROM jsonb_array_elements(c.rig->'channels') ch WHERE (ch->>'on')::bool) AS "channels!",
                      coalesce(runs.n, 0) AS "runs!", coalesce(runs.bytes, 0) AS "bytes!",
                      (SELECT count(*) FROM result r WHERE r.campaign_id = c.id AND r.deleted_at IS NULL) AS "results!",
                      c.report IS NOT NULL AS "reported!", coalesce(changes.people, '{}') AS "people!"
               FROM campaign c LEFT JOIN runs ON runs.campaign_id = c.id LEFT JOIN changes ON changes.campaign_id = c.id
               ORDER BY "worked_at!" DESC, c.id DESC"#
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// Rigs, plans, waivers and specimens of all campaigns that are worked on, in two queries.
    ///
    /// # Errors
    /// The database is away, or holds what cannot be read.
    pub async fn looked_at(&self) -> Result<Vec<LookedAt>> {
        let waivers = sqlx::query!(
            "SELECT campaign_id, rule, input, says, reason, who, at FROM waiver WHERE taken_back IS NULL ORDER BY id"
        )
        .fetch_all(self.pool())
        .await?;
        let rows = sqlx::query!(
            "SELECT id, rig, plan, specimen_sheet FROM campaign WHERE deleted_at IS NULL AND archived_at IS NULL ORDER BY id"
        )
        .fetch_all(self.pool())
        .await?;
        rows.into_iter()
            .map(|r| {
                let own = waivers.iter().filter(|w| w.campaign_id == r.id).map(|w| Waiver {
                    rule: w.rule.clone(),
                    input: w.input.and_then(|i| u16::try_from(i).ok()),
                    says: w.says.clone(),
                    reason: w.reason.clone(),
                    who: w.who.clone(),
                    at: w.at,
                });
                Ok(LookedAt {
                    campaign: r.id,
                    rig: serde_json::from_value(r.rig)?,
                    plan: serde_json::from_value(r.plan)?,
                    waivers: own.collect(),
                    specimen: serde_json::from_value(r.specimen_sheet)?,
                })
            })
            .collect()
    }

    /// Begins a campaign.
    ///
    /// # Errors
    /// The name is used, the one it is begun after is gone, or the database is away.
    pub async fn begin_campaign(&self, new: &Begun<'_>) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        let rig = serde_json::to_value(new.rig)?;
        let id = sqlx::query_scalar!(
            "INSERT INTO campaign (name, specimen, purpose, rig, plan, begun_by) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id",
            new.name,
            new.specimen,
            new.purpose,
            rig,
            serde_json::to_value(new.plan)?,
            new.who
        )
        .fetch_one(&mut *tx)
        .await?;
        sqlx::query!(
            "INSERT INTO rig_version (campaign_id, version, rig, who, what) VALUES ($1, 1, $2, $3, 'begun')",
            id,
            rig,
            new.who
        )
        .execute(&mut *tx)
        .await?;
        if let Some(after) = new.after {
            let written = sqlx::query_scalar!("SELECT report FROM campaign WHERE id = $1", after);
            let report = match written.fetch_optional(&mut *tx).await?.flatten() {
                Some(written) => Some(serde_json::to_value(Report::stored(written)?.begun_again())?),
                None => None,
            };
            let taken = sqlx::query!(
                "UPDATE campaign SET machine = o.machine, math = o.math, front_end = o.front_end, specimen_sheet = o.specimen_sheet,
                     report = $3 FROM campaign o WHERE campaign.id = $1 AND o.id = $2",
                id,
                after,
                report
            );
            if taken.execute(&mut *tx).await?.rows_affected() == 0 {
                return Err(missing(after));
            }
            sqlx::query!(
                "INSERT INTO bench (campaign_id, station, name, body) SELECT $1, station, name, body FROM bench WHERE campaign_id = $2",
                id,
                after
            )
            .execute(&mut *tx)
            .await?;
            sqlx::query!(
                "INSERT INTO specimen_file (campaign_id, kind, name, media_type, to_m, bytes, who, at)
                 SELECT $1, kind, name, media_type, to_m, bytes, who, at FROM specimen_file WHERE campaign_id = $2 ORDER BY id",
                id,
                after
            )
            .execute(&mut *tx)
            .await?;
            sqlx::query!(
                "INSERT INTO recipe (campaign_id, name, body) SELECT $1, name, body FROM recipe WHERE campaign_id = $2",
                id,
                after
            )
            .execute(&mut *tx)
            .await?;
        }
        tx.commit().await?;
        Ok(id)
    }

    /// Renames a campaign, or says anew what it is on and for.
    ///
    /// # Errors
    /// There is none of that key, the name is used, or the database is away.
    pub async fn rename_campaign(&self, id: i64, to: (&str, &str, &str), who: &str) -> Result<()> {
        let (name, specimen, purpose) = to;
        let mut tx = self.pool().begin().await?;
        let was = sqlx::query!("SELECT name, specimen, purpose FROM campaign WHERE id = $1 FOR UPDATE", id)
            .fetch_optional(&mut *tx)
            .await?
            .ok_or_else(|| missing(id))?;
        sqlx::query!(
            "UPDATE campaign SET name = $2, specimen = $3, purpose = $4 WHERE id = $1",
            id,
            name,
            specimen,
            purpose
        )
        .execute(&mut *tx)
        .await?;
        let detail = serde_json::json!({
            "from": [was.name, was.specimen, was.purpose], "to": [name, specimen, purpose],
        });
        sqlx::query!(
            "INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, 'name', $3)",
            who,
            id,
            detail
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// Puts a campaign away, or takes it out again.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn archive_campaign(&self, id: i64, away: bool, who: &str) -> Result<()> {
        let done = sqlx::query!(
            "UPDATE campaign SET archived_at = CASE WHEN $2 THEN now() END WHERE id = $1 AND deleted_at IS NULL",
            id,
            away
        );
        if done.execute(self.pool()).await?.rows_affected() == 0 {
            return Err(missing(id));
        }
        self.logged(id, who, if away { "archived" } else { "taken out of the archive" }).await
    }

    /// Writes down what somebody did with a campaign as a whole.
    async fn logged(&self, id: i64, who: &str, what: &str) -> Result<()> {
        sqlx::query!("INSERT INTO change (who, campaign_id, what, detail) VALUES ($1, $2, $3, '{}')", who, id, what)
            .execute(self.pool())
            .await?;
        Ok(())
    }

    /// Deletes a campaign, so that it can be brought back for a day; then it goes with its runs and the room they take.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn delete_campaign(&self, id: i64, who: &str) -> Result<()> {
        self.ownership().check()?;
        let done = sqlx::query!("UPDATE campaign SET deleted_at = now() WHERE id = $1 AND deleted_at IS NULL", id);
        if done.execute(self.pool()).await?.rows_affected() == 0 {
            return Err(missing(id));
        }
        self.logged(id, who, "deleted").await
    }

    /// Notes that the front ends measure for a campaign from now on.
    ///
    /// # Errors
    /// The database is away.
    pub async fn note_chosen(&self, id: i64) -> Result<()> {
        sqlx::query!("UPDATE campaign SET chosen_at = now() WHERE id = $1", id).execute(self.pool()).await?;
        Ok(())
    }

    /// The campaign the front ends measured for last, or else the oldest one that is not put away; none where there
    /// is none.
    ///
    /// # Errors
    /// The database is away.
    pub async fn chosen_last(&self) -> Result<Option<i64>> {
        Ok(sqlx::query_scalar!(
            "SELECT id FROM campaign WHERE deleted_at IS NULL
             ORDER BY chosen_at DESC NULLS LAST, archived_at IS NOT NULL, id LIMIT 1"
        )
        .fetch_optional(self.pool())
        .await?)
    }

    /// Marks campaigns as laid to be looked at.
    ///
    /// # Errors
    /// The database is away.
    pub async fn mark_demo(&self, campaigns: &[i64]) -> Result<()> {
        sqlx::query!("UPDATE campaign SET demo = true WHERE id = ANY($1)", campaigns).execute(self.pool()).await?;
        Ok(())
    }

    /// Brings a deleted campaign back.
    ///
    /// # Errors
    /// None of that key was deleted within a day, another one has its name now, or the database is away.
    pub async fn restore_campaign(&self, id: i64, who: &str) -> Result<()> {
        let done = sqlx::query!("UPDATE campaign SET deleted_at = NULL WHERE id = $1 AND deleted_at IS NOT NULL", id);
        if done.execute(self.pool()).await?.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("deleted campaign {id}")));
        }
        self.logged(id, who, "brought back").await
    }
}
