//! Words at places: marks in a run's time, notes on its curves.

use crate::{Desk, Result};
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use echo_job::recipe::LENSES;
use echo_store::note::Note;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A word at a place of a run.
#[derive(Serialize, ToSchema)]
pub struct MarkBody {
    /// Key.
    pub id: i64,
    /// Where, s.
    pub at_s: f64,
    /// The word.
    pub says: String,
    /// Who set it.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A mark that is to be set.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewMark {
    /// Where, s.
    pub at_s: f64,
    /// The word, 1 to 200 characters.
    pub says: String,
}

/// A mark's word, trimmed.
///
/// # Errors
/// None, or too long.
pub fn word(says: &str) -> std::result::Result<&str, Refusal> {
    let says = says.trim();
    if says.is_empty() || says.chars().count() > 200 {
        return Err(Refusal::new("says", "a mark needs a word; allowed: 1 to 200 characters"));
    }
    Ok(says)
}

/// Sets a mark in a run that is there.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn mark(desk: &Desk, id: i64, who: &str, m: NewMark) -> Result<()> {
    let run = desk.store.run(id).await?;
    let end_s = run.samples as f64 / run.sample_rate_hz;
    if !(0.0..=end_s).contains(&m.at_s) {
        return Err(Refusal::new("at_s", format!("{} s is not in the run; allowed: 0 to {end_s} s", m.at_s)).into());
    }
    let sample = (m.at_s * run.sample_rate_hz).round() as i64;
    desk.store.mark(id, sample, word(&m.says)?, who).await?;
    Ok(())
}

/// Takes a mark away.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn unmark(desk: &Desk, id: i64, mark: i64) -> Result<()> {
    desk.store.unmark(id, mark).await?;
    Ok(())
}

/// A note that is to be set.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewNote {
    /// Lens it is set on.
    pub lens: String,
    /// Axis along which its place is told, such as “frequency”.
    pub axis: String,
    /// The place.
    pub place: f64,
    /// Unit of the place.
    #[serde(default)]
    pub unit: String,
    /// Channel of the curve.
    #[serde(default)]
    pub channel: Option<i16>,
    /// The words, 1 to 200 characters.
    pub says: String,
}

/// Sets a note on a curve of a run.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn note(desk: &Desk, id: i64, who: &str, n: NewNote) -> Result<()> {
    if !LENSES.contains(&n.lens.as_str()) {
        let says = format!("lens must be {1}, not “{0}”", n.lens, LENSES.join(", "));
        return Err(Refusal::new("lens", says).into());
    }
    if !n.place.is_finite() || n.axis.trim().is_empty() || n.axis.len() > 40 || n.unit.len() > 40 {
        return Err(Refusal::new("place", "a note stands at a number on a named axis").into());
    }
    let says = word(&n.says)?.to_string();
    let note = Note {
        id: 0,
        lens: n.lens,
        axis: n.axis,
        place: n.place,
        unit: n.unit,
        channel: n.channel,
        says,
        who: who.to_string(),
        at: Utc::now(),
    };
    desk.store.note(id, &note).await?;
    Ok(())
}

/// Takes a note away.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn unnote(desk: &Desk, id: i64, note: i64) -> Result<()> {
    desk.store.drop_note(id, note).await?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_word_is_trimmed_and_has_an_end() {
        assert_eq!(word("  gangway down ").unwrap(), "gangway down");
        assert_eq!(word(&"ä".repeat(200)).unwrap().chars().count(), 200);
        for wrong in ["", " \n\t", &"x".repeat(201)] {
            let e = word(wrong).unwrap_err();
            assert!(e.field == "says" && e.says.contains("1 to 200"), "{}", e.says);
        }
    }
}
