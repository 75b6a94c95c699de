//! Runs, results and recorded channels of all campaigns, found by words.

use crate::{Result, Store};
use chrono::{DateTime, Utc};

/// Most finds of a kind.
const MOST: i64 = 12;

/// Something that was found.
#[derive(Debug, Clone, PartialEq)]
pub struct Match {
    /// “run”, “result” or “channel”.
    pub what: String,
    /// Its name: the run's kind, the result's or the channel's name.
    pub name: String,
    /// The run it is, or belongs to; none for a result that was brought in from a file.
    pub run_id: Option<i64>,
    /// That run's number.
    pub run_number: Option<i32>,
    /// The campaign.
    pub campaign_id: i64,
    /// The campaign's name.
    pub campaign: String,
    /// When the run was started, or the result made.
    pub at: DateTime<Utc>,
}

/// Words as patterns that hold them anywhere.
fn patterns(text: &str) -> Vec<String> {
    let plain = |w: &str| w.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_");
    text.split_whitespace().map(|w| format!("%{}%", plain(w))).collect()
}

impl Store {
    /// What holds every word of a text: in its own name, or in the run's number and kind, the
    /// campaign, its specimen, or the day as 2026-11-26 or 26 Nov 2026. The newest first, some of
    /// each kind; nothing for an empty text.
    ///
    /// # Errors
    /// The database is away.
    pub async fn find(&self, text: &str) -> Result<Vec<Match>> {
        let words = patterns(text);
        if words.is_empty() {
            return Ok(Vec::new());
        }
        Ok(sqlx::query_as!(
            Match,
            r#"WITH known AS MATERIALIZED (
                   SELECT r.id, r.number, r.kind, r.started_at, c.id AS campaign_id, c.name AS campaign,
                          concat_ws(' ', 'run', r.number, r.kind, r.remark, array_to_string(r.tags, ' '), c.name, c.specimen,
                                    to_char(r.started_at AT TIME ZONE 'UTC', 'YYYY-MM-DD FMDD Mon YYYY')) AS about
                   FROM run r JOIN campaign c ON c.id = r.campaign_id WHERE c.deleted_at IS NULL AND r.deleted_at IS NULL)
               (SELECT 'run' AS "what!", kind AS "name!", id AS "run_id?", number AS "run_number?",
                       campaign_id AS "campaign_id!", campaign AS "campaign!", started_at AS "at!"
                FROM known WHERE about ILIKE ALL ($1) ORDER BY started_at DESC LIMIT $2)
               UNION ALL
               (SELECT 'result', s.name, k.id, k.number, k.campaign_id, campaign, s.made_at
                FROM result s JOIN result_input i ON i.result_id = s.id AND i.place = 1 JOIN known k ON k.id = i.run_id
                WHERE s.deleted_at IS NULL AND concat_ws(' ', s.name, 'result', s.recipe->>'lens', about) ILIKE ALL ($1)
                ORDER BY s.made_at DESC LIMIT $2)
               UNION ALL
               -- Of a file that was brought in.
               (SELECT 'result', s.name, NULL, NULL, c.id, c.name, s.made_at
                FROM result s JOIN campaign c ON c.id = s.campaign_id
                WHERE s.deleted_at IS NULL AND c.deleted_at IS NULL AND s.recipe ? 'file'
                  AND concat_ws(' ', s.name, 'result', s.recipe->>'file', c.name, c.specimen,
                                to_char(s.made_at AT TIME ZONE 'UTC', 'YYYY-MM-DD FMDD Mon YYYY')) ILIKE ALL ($1)
                ORDER BY s.made_at DESC LIMIT $2)
               UNION ALL
               (SELECT 'channel', h.body->>'name', k.id, k.number, k.campaign_id, campaign, started_at
                FROM run_channel h JOIN known k ON k.id = h.run_id
                WHERE concat_ws(' ', h.body->>'name', h.body->>'sensor', 'channel', about) ILIKE ALL ($1)
                  -- Words that fit the run alone would bring all its channels.
                  AND concat_ws(' ', h.body->>'name', h.body->>'sensor') ILIKE ANY ($1)
                ORDER BY started_at DESC, h.channel LIMIT $2)"#,
            &words,
            MOST
        )
        .fetch_all(self.pool())
        .await?)
    }
}

#[cfg(test)]
mod tests {
    use super::patterns;

    #[test]
    fn what_means_something_in_a_pattern_is_taken_as_it_is() {
        assert_eq!(patterns(" 50% a_b  c\\d "), ["%50\\%%", "%a\\_b%", "%c\\\\d%"]);
        assert!(patterns("  ").is_empty());
    }
}
