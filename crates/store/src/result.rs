//! Results that are kept: of one run or of many, with what they were made of.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use serde_json::Value;
use std::fmt::Write;

/// What a result was made of.
#[derive(Debug, Clone, PartialEq)]
pub struct Input {
    /// The run; none where another result was used, or the run is gone.
    pub run_id: Option<i64>,
    /// Another result.
    pub other_id: Option<i64>,
    /// The stretch of the run, s; the whole of it where left out.
    pub stretch_s: Option<(f64, f64)>,
    /// Takes of the run by their numbers; not by takes where empty.
    pub takes: Vec<i32>,
    /// How much had been put right in the run.
    pub corrected: i64,
}

impl Input {
    /// All of a run, as it was put right so far.
    pub fn run(run: i64, corrected: i64) -> Input {
        Input { run_id: Some(run), other_id: None, stretch_s: None, takes: Vec::new(), corrected }
    }
}

/// A result that is to be kept.
#[derive(Debug, Clone)]
pub struct NewResult<'a> {
    /// The campaign.
    pub campaign: i64,
    /// Name it is kept under.
    pub name: &'a str,
    /// The recipe.
    pub recipe: &'a Value,
    /// The result.
    pub body: &'a Value,
    /// What it was made of.
    pub inputs: &'a [Input],
    /// Who had it made.
    pub who: &'a str,
}

/// A kept result without its curves.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptResult {
    /// Key.
    pub id: i64,
    /// Its first run; none where that is gone.
    pub run_id: Option<i64>,
    /// That run's number.
    pub run_number: Option<i32>,
    /// All its runs, in the order of its inputs.
    pub runs: Vec<i64>,
    /// Its name.
    pub name: String,
    /// The recipe.
    pub recipe: Value,
    /// Whether something was put right in a run of it since, or one is gone.
    pub stale: bool,
    /// Who had it made.
    pub who: String,
    /// When.
    pub made_at: DateTime<Utc>,
}

/// What results of one name are told apart by: runs and other results, not stretches; the file of one that was
/// brought in.
fn made_of(recipe: &Value, inputs: &[Input]) -> String {
    if inputs.is_empty() {
        return format!("file {}", recipe["sha256"].as_str().unwrap_or_default());
    }
    let mut text = String::new();
    for i in inputs {
        let (what, id) = i.run_id.map_or(("result", i.other_id.unwrap_or_default()), |run| ("run", run));
        let _ = write!(text, "{}{what} {id}", if text.is_empty() { "" } else { ", " });
    }
    text
}

impl Store {
    /// Keeps a result under a name, replacing one of that name made of the same runs; gives its key.
    ///
    /// # Errors
    /// A run or the campaign is gone, or the database is away.
    pub async fn keep_result(&self, new: &NewResult<'_>) -> Result<i64> {
        let mut tx = self.pool().begin().await?;
        let id = sqlx::query_scalar!(
            "INSERT INTO result (campaign_id, made_of, name, recipe, body, who) VALUES ($1, $2, $3, $4, $5, $6)
             ON CONFLICT (campaign_id, made_of, name) DO UPDATE SET recipe = excluded.recipe, body = excluded.body,
                 who = excluded.who, made_at = now(), deleted_at = NULL RETURNING id",
            new.campaign,
            made_of(new.recipe, new.inputs),
            new.name,
            new.recipe,
            new.body,
            new.who
        )
        .fetch_one(&mut *tx)
        .await?;
        sqlx::query!("DELETE FROM result_input WHERE result_id = $1", id).execute(&mut *tx).await?;
        let one = |(place, i): (usize, &Input)| {
            serde_json::json!({
                "place": place + 1, "run_id": i.run_id, "other_id": i.other_id, "corrected": i.corrected,
                "from_s": i.stretch_s.map(|s| s.0), "to_s": i.stretch_s.map(|s| s.1),
                "takes": (!i.takes.is_empty()).then_some(&i.takes),
            })
        };
        let inputs: Value = new.inputs.iter().enumerate().map(one).collect();
        sqlx::query!(
            "INSERT INTO result_input (result_id, place, run_id, other_id, from_s, to_s, takes, corrected)
             SELECT $1, place, run_id, other_id, from_s, to_s, takes, corrected FROM jsonb_to_recordset($2)
             AS i(place int, run_id bigint, other_id bigint, from_s float8, to_s float8, takes int[], corrected bigint)",
            id,
            inputs
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(id)
    }

    /// Kept results of a campaign, by their first run and name; not those whose runs are all deleted.
    ///
    /// # Errors
    /// The database is away.
    pub async fn kept_results(&self, campaign: i64) -> Result<Vec<KeptResult>> {
        Ok(sqlx::query_as!(
            KeptResult,
            r#"WITH put_right AS (
                   SELECT run_id, count(*) AS n FROM
                       (SELECT run_id FROM calibration UNION ALL SELECT run_id FROM correction) c
                   WHERE run_id IN (SELECT id FROM run WHERE campaign_id = $1) GROUP BY run_id),
                 made AS (
                   SELECT i.result_id, array_agg(i.run_id ORDER BY i.place) FILTER (WHERE i.run_id IS NOT NULL) AS runs,
                          bool_or(coalesce(p.n, 0) > i.corrected OR (i.run_id IS NULL AND i.other_id IS NULL)
                                  OR r.deleted_at IS NOT NULL) AS stale,
                          bool_and(r.deleted_at IS NOT NULL) AS gone
                   FROM result_input i LEFT JOIN put_right p ON p.run_id = i.run_id LEFT JOIN run r ON r.id = i.run_id
                   WHERE i.result_id IN (SELECT id FROM result WHERE campaign_id = $1) GROUP BY i.result_id)
               SELECT result.id, first.run_id AS "run_id?", run.number AS "run_number?", coalesce(made.runs, '{}') AS "runs!",
                      result.name, result.recipe, result.who, result.made_at, coalesce(made.stale, false) AS "stale!"
               FROM result LEFT JOIN made ON made.result_id = result.id
                    LEFT JOIN result_input first ON first.result_id = result.id AND first.place = 1
                    LEFT JOIN run ON run.id = first.run_id
               WHERE result.campaign_id = $1 AND result.deleted_at IS NULL AND NOT coalesce(made.gone, false)
               ORDER BY run.number, result.name"#,
            campaign
        )
        .fetch_all(self.pool())
        .await?)
    }

    /// What a kept result was made of.
    ///
    /// # Errors
    /// The database is away.
    pub async fn result_inputs(&self, result: i64) -> Result<Vec<Input>> {
        let rows = sqlx::query!(
            "SELECT run_id, other_id, from_s, to_s, takes, corrected FROM result_input WHERE result_id = $1 ORDER BY place",
            result
        )
        .fetch_all(self.pool())
        .await?;
        Ok(rows
            .into_iter()
            .map(|r| Input {
                run_id: r.run_id,
                other_id: r.other_id,
                stretch_s: r.from_s.zip(r.to_s),
                takes: r.takes.unwrap_or_default(),
                corrected: r.corrected,
            })
            .collect())
    }

    /// A kept result's curves.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn kept_result(&self, id: i64) -> Result<Value> {
        sqlx::query_scalar!("SELECT body FROM result WHERE id = $1 AND deleted_at IS NULL", id)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| StoreError::Missing(format!("kept result {id}")))
    }

    /// A kept result's campaign, name and curves.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn named_result(&self, id: i64) -> Result<(i64, String, Value)> {
        let row = sqlx::query!("SELECT campaign_id, name, body FROM result WHERE id = $1 AND deleted_at IS NULL", id)
            .fetch_optional(self.pool())
            .await?
            .ok_or_else(|| StoreError::Missing(format!("kept result {id}")))?;
        Ok((row.campaign_id, row.name, row.body))
    }

    /// Deletes a kept result, so that it can be brought back for a day; what was deleted before that is gone then.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn delete_result(&self, id: i64) -> Result<()> {
        sqlx::query!("DELETE FROM result WHERE deleted_at < now() - interval '1 day'").execute(self.pool()).await?;
        let done = sqlx::query!("UPDATE result SET deleted_at = now() WHERE id = $1 AND deleted_at IS NULL", id)
            .execute(self.pool())
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("kept result {id}")));
        }
        Ok(())
    }

    /// Brings a deleted result back.
    ///
    /// # Errors
    /// None of that key was deleted within a day, or the database is away.
    pub async fn restore_result(&self, id: i64) -> Result<()> {
        let done = sqlx::query!("UPDATE result SET deleted_at = NULL WHERE id = $1 AND deleted_at IS NOT NULL", id)
            .execute(self.pool())
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("deleted result {id}")));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn results_of_one_name_are_told_apart_by_their_runs() {
        let other = Input { run_id: None, other_id: Some(9), ..Input::run(0, 0) };
        let recipe = serde_json::json!({ "lens": "brought", "sha256": "ab12" });
        assert_eq!(made_of(&recipe, &[Input::run(3, 0)]), "run 3");
        assert_eq!(made_of(&recipe, &[Input::run(3, 1), Input::run(5, 0), other]), "run 3, run 5, result 9");
        assert_eq!(made_of(&recipe, &[]), "file ab12");
    }
}
