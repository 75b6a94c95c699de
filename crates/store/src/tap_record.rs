//! Tap series and responses as they are handed over with a campaign: runs by their numbers, values as base64.

use crate::{Result, Store};
use serde_json::Value;
use sqlx::PgConnection;

const FUNCTION: &str =
    "to_jsonb(f) - ARRAY['id', 'campaign_id', 'series_id', 'parts', 'coherence', 'hits'] || jsonb_build_object(
    'parts', encode(f.parts, 'base64'), 'coherence', encode(f.coherence, 'base64'),
    'hits', (SELECT coalesce(jsonb_agg(jsonb_build_object('run', r.number, 'take', (h->>'take')::int)), '[]')
             FROM jsonb_array_elements(f.hits) h JOIN run r ON r.id = (h->>'run')::bigint))";

const LAY_FUNCTIONS: &str =
    "INSERT INTO response_function (campaign_id, series_id, point, stays, source, response, reference,
        unit, first_hz, step_hz, lines, parts, coherence, quality, hits, added_decay, taken_out, who, made_at)
    SELECT $1, $2, t.point, t.stays, t.source, t.response, t.reference, t.unit, t.first_hz, t.step_hz, t.lines,
        decode(t.parts, 'base64'), decode(t.coherence, 'base64'), t.quality,
        (SELECT coalesce(jsonb_agg(jsonb_build_object('run', r.id, 'take', (h->>'take')::int)), '[]')
         FROM jsonb_array_elements(t.hits) h JOIN run r ON r.campaign_id = $1 AND r.number = (h->>'run')::int),
        t.added_decay, t.taken_out, t.who, t.made_at
    FROM jsonb_to_recordset($3) AS t(point int, stays boolean, source text, response jsonb, reference jsonb, unit text,
        first_hz float8, step_hz float8, lines int, parts text, coherence text, quality jsonb, hits jsonb,
        added_decay float8, taken_out boolean, who text, made_at timestamptz)";

impl Store {
    /// Tap series of a campaign with their hits and responses, and responses of files.
    ///
    /// # Errors
    /// The database is away.
    pub(crate) async fn tap_records(&self, campaign: i64) -> Result<(Value, Value)> {
        let series = format!(
            "SELECT coalesce(jsonb_agg(to_jsonb(s) - ARRAY['id', 'campaign_id', 'version', 'tended'] || jsonb_build_object(
                'runs', (SELECT coalesce(jsonb_agg(r.number ORDER BY r.number), '[]') FROM tap_run t JOIN run r ON r.id = t.run_id
                         WHERE t.series_id = s.id),
                'hits', (SELECT coalesce(jsonb_agg(to_jsonb(h) - ARRAY['series_id', 'run_id'] ||
                            jsonb_build_object('run', r.number) ORDER BY h.nth), '[]')
                         FROM tap_hit h JOIN run r ON r.id = h.run_id WHERE h.series_id = s.id),
                'functions', (SELECT coalesce(jsonb_agg({FUNCTION} ORDER BY f.id), '[]') FROM response_function f
                              WHERE f.series_id = s.id)) ORDER BY s.number), '[]') FROM tap_series s WHERE campaign_id = $1"
        );
        let files = format!(
            "SELECT coalesce(jsonb_agg({FUNCTION} ORDER BY f.id), '[]') FROM response_function f
             WHERE f.campaign_id = $1 AND f.series_id IS NULL"
        );
        let read = async |text: String| {
            sqlx::query_scalar(sqlx::AssertSqlSafe(text)).bind(campaign).fetch_one(self.pool()).await
        };
        Ok((read(series).await?, read(files).await?))
    }
}

/// Lays tap series and responses of a campaign whose runs are there.
pub(crate) async fn lay_taps(tx: &mut PgConnection, campaign: i64, record: &Value) -> Result<()> {
    let none: Option<i64> = None;
    for s in record["tap_series"].as_array().cloned().unwrap_or_default() {
        let id: i64 = sqlx::query_scalar(
            "INSERT INTO tap_series (tended, campaign_id, number, plan, at, skipped, who, begun_at)
             SELECT true, $1, number, plan, at, ARRAY(SELECT jsonb_array_elements_text(skipped)::int), who, begun_at
             FROM jsonb_to_record($2) AS t(number int, plan jsonb, at int, skipped jsonb, who text, begun_at timestamptz)
             RETURNING id",
        )
        .bind(campaign)
        .bind(&s)
        .fetch_one(&mut *tx)
        .await?;
        let of_series = [
            "INSERT INTO tap_run (series_id, run_id) SELECT $2, r.id FROM jsonb_array_elements_text($3->'runs') n
             JOIN run r ON r.campaign_id = $1 AND r.number = n::int",
            "INSERT INTO tap_hit (series_id, nth, point, run_id, take, verdict, state)
             SELECT $2, row_number() OVER (ORDER BY t.nth), t.point, r.id, t.take, t.verdict, t.state
             FROM jsonb_to_recordset($3->'hits') AS t(nth int, point int, run int, take int, verdict jsonb, state text)
             JOIN run r ON r.campaign_id = $1 AND r.number = t.run",
        ];
        for text in of_series {
            sqlx::query(text).bind(campaign).bind(id).bind(&s).execute(&mut *tx).await?;
        }
        sqlx::query(LAY_FUNCTIONS).bind(campaign).bind(id).bind(&s["functions"]).execute(&mut *tx).await?;
    }
    if record["functions"].is_array() {
        sqlx::query(LAY_FUNCTIONS).bind(campaign).bind(none).bind(&record["functions"]).execute(&mut *tx).await?;
    }
    Ok(())
}
