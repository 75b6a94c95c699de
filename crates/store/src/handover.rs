//! Campaigns and runs as JSON, whole, as they are handed over; and laid again from that.
//!
//! Keys of the database are left out: runs are known by their numbers, results by their places.

use crate::run::Run;
use crate::tap_record::lay_taps;
use crate::{Result, Store, StoreError};
use echo_job::report::Report;
use serde_json::Value;

impl Store {
    /// Everything of a campaign but its runs and results.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn campaign_record(&self, id: i64) -> Result<Value> {
        let mut record: Value = sqlx::query_scalar!(
            r#"SELECT jsonb_build_object(
                'name', c.name, 'specimen', c.specimen, 'purpose', c.purpose, 'rig', c.rig, 'plan', c.plan,
                'machine', c.machine, 'math', c.math, 'front_end', c.front_end, 'begun_by', c.begun_by,
                'created_at', c.created_at, 'specimen_sheet', c.specimen_sheet,
                'report', c.report,
                'recipes', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'campaign_id'::text ORDER BY id), '[]') FROM recipe t WHERE campaign_id = c.id),
                'benches', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'campaign_id'::text ORDER BY id), '[]') FROM bench t WHERE campaign_id = c.id),
                'rig_versions', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'campaign_id'::text ORDER BY id), '[]') FROM rig_version t WHERE campaign_id = c.id),
                'kept_rigs', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'campaign_id'::text ORDER BY id), '[]') FROM kept_rig t WHERE campaign_id = c.id),
                'waivers', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'campaign_id'::text ORDER BY id), '[]') FROM waiver t WHERE campaign_id = c.id),
                'self_tests', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'campaign_id'::text ORDER BY id), '[]') FROM self_test t WHERE campaign_id = c.id),
                'alarms', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'campaign_id'::text ORDER BY id), '[]') FROM alarm t WHERE campaign_id = c.id),
                'changes', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'campaign_id'::text ORDER BY id), '[]') FROM change t WHERE campaign_id = c.id),
                'schedules', (SELECT coalesce(jsonb_agg(to_jsonb(s) - ARRAY['id', 'campaign_id', 'tended'] || jsonb_build_object('rounds_done',
                     (SELECT coalesce(jsonb_agg(to_jsonb(r) - 'schedule_id'::text - 'run_id'::text ||
                        jsonb_build_object('run', (SELECT number FROM run WHERE run.id = r.run_id AND campaign_id = c.id)) ORDER BY r.number), '[]')
                      FROM round r WHERE r.schedule_id = s.id)) ORDER BY id), '[]') FROM schedule s WHERE campaign_id = c.id),
                'sensors', (SELECT coalesce(jsonb_agg(body ORDER BY id), '[]') FROM sensor WHERE
                     model || ', ' || serial IN (SELECT ch->>'sensor' FROM jsonb_array_elements(c.rig->'channels') ch))
               ) AS "record!" FROM campaign c WHERE c.id = $1 AND c.deleted_at IS NULL"#,
            id
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| StoreError::Missing(format!("campaign {id}")))?;
        (record["tap_series"], record["functions"]) = self.tap_records(id).await?;
        if record["report"].is_object() {
            let runs = self.run_numbers(id).await?;
            let number = |id| runs.iter().find(|r| r.0 == id).map(|r| i64::from(r.1));
            let results = self.result_keys(id).await?;
            let place = |id| results.iter().position(|r| *r == id).map(|at| at as i64 + 1);
            let report = Report::stored(record["report"].take())?;
            record["report"] = serde_json::to_value(report.called(&number, &place))?;
        }
        Ok(record)
    }

    /// Key and number of every run of a campaign.
    async fn run_numbers(&self, campaign: i64) -> Result<Vec<(i64, i32)>> {
        let rows = sqlx::query!("SELECT id, number FROM run WHERE campaign_id = $1", campaign);
        Ok(rows.fetch_all(self.pool()).await?.into_iter().map(|r| (r.id, r.number)).collect())
    }

    /// Everything of a run but its counts.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn run_record(&self, id: i64) -> Result<Value> {
        sqlx::query_scalar!(
            r#"SELECT to_jsonb(r) - ARRAY['id', 'campaign_id', 'together', 'deleted_at', 'bytes', 'begun', 'tended'] || jsonb_build_object(
                'together', (SELECT number FROM run o WHERE o.id = r.together AND o.campaign_id = r.campaign_id),
                'channels', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'run_id'::text ORDER BY channel), '[]') FROM run_channel t WHERE run_id = r.id),
                'sensitivities', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'run_id'::text ORDER BY id), '[]') FROM calibration t WHERE run_id = r.id),
                'corrections', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'run_id'::text ORDER BY id), '[]') FROM correction t WHERE run_id = r.id),
                'gaps', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'run_id'::text ORDER BY first_sample), '[]') FROM gap t WHERE run_id = r.id),
                'takes', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'run_id'::text ORDER BY number), '[]') FROM take t WHERE run_id = r.id),
                'marks', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'run_id'::text ORDER BY id), '[]') FROM mark t WHERE run_id = r.id),
                'notes', (SELECT coalesce(jsonb_agg(to_jsonb(t) - 'id'::text - 'run_id'::text ORDER BY id), '[]') FROM note t WHERE run_id = r.id)
               ) AS "record!" FROM run r WHERE r.id = $1 AND r.deleted_at IS NULL"#,
            id
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| StoreError::Missing(format!("run {id}")))
    }

    /// Kept results of a campaign with their curves, one after the other by their keys.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn result_record(&self, id: i64) -> Result<Value> {
        sqlx::query_scalar!(
            r#"SELECT jsonb_build_object('name', r.name, 'recipe', r.recipe, 'body', r.body, 'who', r.who, 'made_at', r.made_at,
                'inputs', (SELECT coalesce(jsonb_agg(jsonb_build_object('run', run.number, 'from_s', i.from_s, 'to_s', i.to_s,
                     'takes', i.takes, 'corrected', i.corrected) ORDER BY i.place), '[]')
                   FROM result_input i LEFT JOIN run ON run.id = i.run_id AND run.campaign_id = r.campaign_id WHERE i.result_id = r.id)
               ) AS "record!" FROM result r WHERE r.id = $1 AND r.deleted_at IS NULL"#,
            id
        )
        .fetch_optional(self.pool())
        .await?
        .ok_or_else(|| StoreError::Missing(format!("kept result {id}")))
    }

    /// Keys of a campaign's kept results.
    ///
    /// # Errors
    /// The database is away.
    pub async fn result_keys(&self, campaign: i64) -> Result<Vec<i64>> {
        let all = sqlx::query_scalar!(
            "SELECT id FROM result WHERE campaign_id = $1 AND deleted_at IS NULL ORDER BY id",
            campaign
        );
        Ok(all.fetch_all(self.pool()).await?)
    }

    /// Recorded stretches of a channel as its chunks are stored: first sample, samples, whether the range was
    /// exceeded.
    ///
    /// # Errors
    /// The database is away.
    pub async fn chunks_of(&self, run: i64, channel: i16) -> Result<Vec<(i64, i32, bool)>> {
        let rows = sqlx::query!(
            "SELECT first_sample, samples, over_range FROM chunk WHERE run_id = $1 AND channel = $2 ORDER BY first_sample",
            run,
            channel
        )
        .fetch_all(self.pool())
        .await?;
        Ok(rows.into_iter().map(|r| (r.first_sample, r.samples, r.over_range)).collect())
    }

    /// Lays a campaign from its record, out of every list until [`Store::show_campaign`]; gives its key.
    ///
    /// # Errors
    /// [`StoreError::Refused`] or [`StoreError::Fault`] where the record is not one; the database is away.
    pub async fn lay_campaign(&self, name: &str, record: &Value) -> Result<i64> {
        self.ownership().check()?;
        let mut tx = self.pool().begin().await?;
        let id = sqlx::query_scalar!(
            "INSERT INTO campaign (name, specimen, purpose, rig, plan, machine, math, front_end, begun_by, created_at, specimen_sheet, rig_version, deleted_at)
             SELECT $1, coalesce(t.specimen, ''), coalesce(t.purpose, ''), t.rig, t.plan, coalesce(t.machine, '{\"elements\": []}'),
                    coalesce(t.math, '[]'), t.front_end, coalesce(t.begun_by, ''), coalesce(t.created_at, now()),
                    coalesce(t.specimen_sheet, '{}'),
                    coalesce((SELECT max((v->>'version')::bigint) FROM jsonb_array_elements($2::jsonb->'rig_versions') v), 1), now()
             FROM jsonb_to_record($2::jsonb) AS t(specimen text, purpose text, rig jsonb, plan jsonb, machine jsonb, math jsonb,
                                           front_end text, begun_by text, created_at timestamptz, specimen_sheet jsonb) RETURNING id",
            name,
            record
        )
        .fetch_one(&mut *tx)
        .await?;
        let lists = [
            "INSERT INTO recipe (campaign_id, name, body)
             SELECT $1, name, body FROM jsonb_to_recordset($2->'recipes') AS t(name text, body jsonb)",
            "INSERT INTO bench (campaign_id, station, name, body)
             SELECT $1, station, name, body FROM jsonb_to_recordset($2->'benches') AS t(station text, name text, body jsonb)",
            "INSERT INTO rig_version (campaign_id, version, rig, who, what, at)
             SELECT $1, version, rig, who, what, at FROM jsonb_to_recordset($2->'rig_versions')
             AS t(version bigint, rig jsonb, who text, what text, at timestamptz)",
            "INSERT INTO kept_rig (campaign_id, name, version, rig, who, at)
             SELECT $1, name, version, rig, who, at FROM jsonb_to_recordset($2->'kept_rigs')
             AS t(name text, version bigint, rig jsonb, who text, at timestamptz)",
            "INSERT INTO waiver (campaign_id, rule, input, says, reason, who, at, taken_back)
             SELECT $1, rule, input, says, reason, who, at, taken_back FROM jsonb_to_recordset($2->'waivers')
             AS t(rule text, input int, says text, reason text, who text, at timestamptz, taken_back timestamptz)",
            "INSERT INTO self_test (campaign_id, at, who, front_end, inputs)
             SELECT $1, at, who, front_end, inputs FROM jsonb_to_recordset($2->'self_tests')
             AS t(at timestamptz, who text, front_end text, inputs jsonb)",
            "INSERT INTO alarm (campaign_id, watched, zone, value, says, at, acknowledged_at, acknowledged_by)
             SELECT $1, watched, zone, value, says, at, acknowledged_at, acknowledged_by FROM jsonb_to_recordset($2->'alarms')
             AS t(watched text, zone text, value float8, says text, at timestamptz, acknowledged_at timestamptz, acknowledged_by text)",
            "INSERT INTO change (campaign_id, at, who, what, detail)
             SELECT $1, at, who, what, detail FROM jsonb_to_recordset($2->'changes')
             AS t(at timestamptz, who text, what text, detail jsonb)",
            "INSERT INTO sensor (model, serial, body)
             SELECT body->>'model', body->>'serial', body FROM jsonb_array_elements($2->'sensors') AS t(body)
             WHERE $1::bigint IS NOT NULL ON CONFLICT (model, serial) DO NOTHING",
        ];
        for text in lists {
            sqlx::query(text).bind(id).bind(record).execute(&mut *tx).await?;
        }
        tx.commit().await?;
        Ok(id)
    }

    /// Lays a run from its record into a campaign, without its counts; it is out of every list until it is closed.
    /// Gives its key.
    ///
    /// # Errors
    /// The record is not one of a run, or the database is away.
    pub async fn lay_run(&self, campaign: i64, record: &Value) -> Result<i64> {
        self.ownership().check()?;
        let mut tx = self.pool().begin().await?;
        let id = sqlx::query_scalar!(
            "INSERT INTO run (campaign_id, number, kind, state, ended_because, started_at, sample_rate_hz, clean_share, samples,
                              front_end, rig, plan, recorder, divide, who, remark, tags, brought, begun, tended, deleted_at, together)
             SELECT $1, t.number, coalesce(t.kind, ''), t.state, t.ended_because, t.started_at, t.sample_rate_hz, t.clean_share,
                    t.samples, coalesce(t.front_end, ''), t.rig, t.plan, coalesce(t.recorder, ''), coalesce(t.divide, 1),
                    coalesce(t.who, ''), coalesce(t.remark, ''), coalesce(t.tags, '{}'), t.brought, true, true, now(),
                    (SELECT o.id FROM run o WHERE o.campaign_id = $1 AND o.number = t.together)
             FROM jsonb_to_record($2::jsonb) AS t(number int, kind text, state text, ended_because text, started_at timestamptz,
                 sample_rate_hz float8, clean_share float8, samples bigint, front_end text, rig jsonb, plan jsonb, recorder text,
                 divide int, who text, remark text, tags text[], brought jsonb, together int) RETURNING id",
            campaign,
            record
        )
        .fetch_one(&mut *tx)
        .await?;
        let lists = [
            "INSERT INTO run_channel (run_id, channel, input, volts_per_count, body)
             SELECT $1, channel, input, volts_per_count, body FROM jsonb_to_recordset($2->'channels')
             AS t(channel smallint, input smallint, volts_per_count float8, body jsonb)",
            "INSERT INTO calibration (run_id, channel, sensitivity, reason, who, at, recorded)
             SELECT $1, channel, sensitivity, reason, who, at, coalesce(recorded, false) FROM jsonb_to_recordset($2->'sensitivities')
             AS t(channel smallint, sensitivity jsonb, reason text, who text, at timestamptz, recorded boolean)",
            "INSERT INTO correction (run_id, channel, field, before, after, body, reason, who, at)
             SELECT $1, channel, field, before, after, body, reason, who, at FROM jsonb_to_recordset($2->'corrections')
             AS t(channel smallint, field text, before text, after text, body jsonb, reason text, who text, at timestamptz)",
            "INSERT INTO gap (run_id, first_sample, samples, why)
             SELECT $1, first_sample, samples, why FROM jsonb_to_recordset($2->'gaps')
             AS t(first_sample bigint, samples bigint, why text)",
            "INSERT INTO take (run_id, number, trigger_sample, first_sample, samples, says)
             SELECT $1, number, trigger_sample, first_sample, samples, says FROM jsonb_to_recordset($2->'takes')
             AS t(number int, trigger_sample bigint, first_sample bigint, samples bigint, says text)",
            "INSERT INTO mark (run_id, sample, says, who, at)
             SELECT $1, sample, says, who, at FROM jsonb_to_recordset($2->'marks')
             AS t(sample bigint, says text, who text, at timestamptz)",
            "INSERT INTO note (run_id, lens, axis, place, unit, channel, says, who, at)
             SELECT $1, lens, axis, place, unit, channel, says, who, at FROM jsonb_to_recordset($2->'notes')
             AS t(lens text, axis text, place float8, unit text, channel smallint, says text, who text, at timestamptz)",
        ];
        for text in lists {
            sqlx::query(text).bind(id).bind(record).execute(&mut *tx).await?;
        }
        tx.commit().await?;
        Ok(id)
    }

    /// Lays a kept result from its record.
    ///
    /// # Errors
    /// The record is not one of a result, or the database is away.
    pub async fn lay_result(&self, campaign: i64, record: &Value) -> Result<()> {
        let mut tx = self.pool().begin().await?;
        let id = sqlx::query_scalar!(
            "INSERT INTO result (campaign_id, made_of, name, recipe, body, who, made_at)
             SELECT $1, coalesce((SELECT string_agg('run ' || run.id, ', ' ORDER BY i.place) FROM jsonb_array_elements($2::jsonb->'inputs')
                        WITH ORDINALITY AS i(v, place) JOIN run ON run.campaign_id = $1 AND run.number = (i.v->>'run')::int),
                        'file ' || (t.recipe->>'sha256'), ''),
                    t.name, t.recipe, t.body, coalesce(t.who, ''), coalesce(t.made_at, now())
             FROM jsonb_to_record($2::jsonb) AS t(name text, recipe jsonb, body jsonb, who text, made_at timestamptz) RETURNING id",
            campaign,
            record
        )
        .fetch_one(&mut *tx)
        .await?;
        sqlx::query!(
            "INSERT INTO result_input (result_id, place, run_id, from_s, to_s, takes, corrected)
             SELECT $1, i.place, (SELECT id FROM run WHERE campaign_id = $2 AND number = (i.v->>'run')::int),
                    (i.v->>'from_s')::float8, (i.v->>'to_s')::float8,
                    CASE WHEN jsonb_typeof(i.v->'takes') = 'array' THEN
                        ARRAY(SELECT jsonb_array_elements_text(i.v->'takes')::int) END,
                    coalesce((i.v->>'corrected')::bigint, 0)
             FROM jsonb_array_elements($3::jsonb->'inputs') WITH ORDINALITY AS i(v, place)",
            id,
            campaign,
            record
        )
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// Shows a campaign that was laid, with its report, rounds and runs.
    ///
    /// # Errors
    /// The name was taken meanwhile, or the database is away.
    pub async fn show_campaign(&self, id: i64, record: &Value) -> Result<()> {
        let runs = self.run_numbers(id).await?;
        let key = |number| runs.iter().find(|r| i64::from(r.1) == number).map(|r| r.0);
        // Results were laid in the order of their places, from 1.
        let results = self.result_keys(id).await?;
        let result = |place: i64| results.get(usize::try_from(place).ok()?.checked_sub(1)?).copied();
        let report = match record["report"].clone() {
            Value::Object(mut told) => {
                // Older files call the report's run by a key of its own.
                if let Some(run) = told.remove("run") {
                    told.insert("run_id".into(), run);
                }
                Some(serde_json::to_value(Report::stored(told.into())?.called(&key, &result))?)
            }
            _ => None,
        };
        let mut tx = self.pool().begin().await?;
        sqlx::query!("UPDATE run SET deleted_at = NULL WHERE campaign_id = $1", id).execute(&mut *tx).await?;
        sqlx::query!("UPDATE campaign SET deleted_at = NULL, report = $2 WHERE id = $1", id, report)
            .execute(&mut *tx)
            .await?;
        let schedules = record["schedules"].as_array().cloned().unwrap_or_default();
        for s in &schedules {
            // A schedule that went on elsewhere has stopped here.
            let schedule = sqlx::query_scalar!(
                "INSERT INTO schedule (tended, campaign_id, rounds, plan, begun_at, state, who)
                 SELECT true, $1, rounds, plan, begun_at, CASE WHEN state = 'going' THEN 'stopped' ELSE state END, coalesce(who, '')
                 FROM jsonb_to_record($2::jsonb) AS t(rounds jsonb, plan jsonb, begun_at timestamptz, state text, who text) RETURNING id",
                id,
                s
            )
            .fetch_one(&mut *tx)
            .await?;
            sqlx::query!(
                "INSERT INTO round (schedule_id, number, due_at, state, says, run_id, measured, picture)
                 SELECT $1, number, due_at, CASE WHEN state = 'going' THEN 'broken' ELSE state END, coalesce(says, ''),
                        (SELECT id FROM run WHERE campaign_id = $2 AND run.number = t.run), coalesce(measured, '[]'), picture
                 FROM jsonb_to_recordset($3::jsonb->'rounds_done') AS t(number int, due_at timestamptz, state text, says text, run int,
                                                                measured jsonb, picture text)",
                schedule,
                id,
                s
            )
            .execute(&mut *tx)
            .await?;
        }
        lay_taps(&mut tx, id, record).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Takes away a campaign that could not be laid to its end.
    ///
    /// # Errors
    /// The database is away.
    pub async fn drop_laid(&self, id: i64) -> Result<()> {
        sqlx::query!("DELETE FROM campaign WHERE id = $1 AND deleted_at IS NOT NULL", id).execute(self.pool()).await?;
        Ok(())
    }

    /// Ends the laying of a run: its size is known.
    ///
    /// # Errors
    /// The database is away.
    pub async fn laid_run(&self, run: i64) -> Result<()> {
        sqlx::query!(
            "UPDATE run SET bytes =
                 (SELECT coalesce(sum(octet_length(counts) + octet_length(fine) + octet_length(coarse)), 0) FROM chunk WHERE run_id = $1)
             WHERE id = $1",
            run
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Runs that a campaign hands over: those that hold samples and are not going on, oldest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn handed_over(&self, campaign: i64) -> Result<Vec<Run>> {
        let all = self.runs(campaign).await?;
        Ok(all.into_iter().filter(|r| r.state != crate::state::RunState::Recording).collect())
    }
}
