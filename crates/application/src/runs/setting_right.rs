//! What was entered wrong, put right after the fact: sensitivities, cells of the rig, the tachometer.
//! The old value stays readable, and results made before are told as stale.

use super::source::{calibrated, one_of};
use super::turning::tacho_of;
use crate::{Desk, Result};
use echo_job::Refusal;
use echo_job::entry::typed_number;
use echo_job::recipe::{Recipe, SlopeName, Tacho};
use echo_job::rig::Column;
use echo_job::sensitivity::Sensitivity;
use echo_store::correction::NewCorrection;
use serde::Deserialize;
use utoipa::ToSchema;

/// A sensitivity put right.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SensitivityRight {
    /// The sensitivity as typed, with or without its unit.
    pub sensitivity: String,
    /// Why; not empty.
    pub reason: String,
}

fn reason(text: &str) -> std::result::Result<&str, Refusal> {
    let text = text.trim();
    if text.is_empty() || text.chars().count() > 400 {
        let says = "the reason is empty or long; allowed: a sentence of up to 400 characters on why the value changes";
        return Err(Refusal::new("reason", says));
    }
    Ok(text)
}

/// Puts a sensitivity right: everything shown from this run follows, the old value stays in its history.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn sensitivity(desk: &Desk, id: i64, channel: i16, who: &str, c: SensitivityRight) -> Result<()> {
    let reason = reason(&c.reason)?;
    let all = calibrated(&desk.store, id).await?;
    let now = one_of(&all, channel)?;
    let (value, unit) = typed_number("sensitivity", &c.sensitivity)?;
    let unit = if unit.is_empty() { now.sensitivity.unit.clone() } else { unit };
    let sensitivity = Sensitivity::new(value, &unit, now.recorded.row.quantity)?;
    desk.store.correct(id, channel, &sensitivity, reason, who).await?;
    Ok(())
}

/// A cell of a run's channel put right.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CellRight {
    /// Which: name, sensor, quantity, unit, point or direction.
    pub column: Column,
    /// What stands there from now on.
    pub text: String,
    /// With a quantity: the sensitivity in its unit.
    #[serde(default)]
    pub sensitivity: Option<String>,
    /// Why; not empty.
    pub reason: String,
}

/// Columns that describe what was measured; the others say how, and were facts at that time.
const CORRECTABLE: [Column; 6] =
    [Column::Name, Column::Sensor, Column::Quantity, Column::Unit, Column::Point, Column::Direction];

/// Puts a cell of a run's channel right; the old text stays in its history.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn cell(desk: &Desk, id: i64, channel: i16, who: &str, c: CellRight) -> Result<()> {
    let reason = reason(&c.reason)?;
    if !CORRECTABLE.contains(&c.column) {
        let allowed: Vec<&str> = CORRECTABLE.iter().map(|c| c.head()).collect();
        let says = format!(
            "{} was a setting of the front end while it recorded; allowed: {}",
            c.column.head(),
            allowed.join(", ")
        );
        return Err(Refusal::new("column", says).into());
    }
    let all = calibrated(&desk.store, id).await?;
    let now = one_of(&all, channel)?;
    let mut row = now.recorded.row.clone();
    row.sensitivity = now.sensitivity.clone();
    let before = c.column.text(&row);
    c.column.set(&mut row, &c.text, None)?;
    let after = c.column.text(&row);
    if after == before {
        return Err(Refusal::new("text", format!("it is “{before}” already")).into());
    }
    if c.column == Column::Name
        && let Some(other) = all.iter().find(|x| x.channel != channel && x.recorded.row.name == after)
    {
        let says = format!("channel {} has that name; allowed: one not used yet", other.channel);
        return Err(Refusal::new("text", says).into());
    }
    let mut sensitivity = None;
    if c.column == Column::Quantity {
        let unit = &row.sensitivity.unit;
        let typed = c.sensitivity.as_deref().map(str::trim).filter(|t| !t.is_empty()).ok_or_else(|| {
            Refusal::new("sensitivity", format!("a {} needs its sensitivity, such as 10 {unit}", row.quantity.name()))
        })?;
        let (value, typed_unit) = typed_number("sensitivity", typed)?;
        let unit = if typed_unit.is_empty() { unit.clone() } else { typed_unit };
        let new = Sensitivity::new(value, &unit, row.quantity)?;
        let (gives, takes) = (new.output()?, row.coupling.takes());
        if gives != takes {
            let says = format!("the input was coupled {}, which {} does not fit", row.coupling.name(), new.unit);
            return Err(Refusal::new("sensitivity", says).into());
        }
        sensitivity = Some(new);
    }
    let cell = NewCorrection::Cell(channel, c.column, before, after);
    Ok(desk.store.put_right(id, &cell, sensitivity.as_ref(), reason, who).await?)
}

/// A tachometer put right.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TachoRight {
    /// The tachometer as a recipe takes it: channel of the run, levels in its unit.
    pub tacho: Tacho,
    /// Why; not empty.
    pub reason: String,
}

fn in_words(t: &Tacho, unit: &str) -> String {
    let level = |x: Option<f64>| x.map_or("found by itself".to_string(), |x| format!("{x:.4} {unit}"));
    let edge = if t.slope == SlopeName::Rising { "rising" } else { "falling" };
    let missing = if t.missing_teeth > 0 { format!(", {} missing", t.missing_teeth) } else { String::new() };
    format!(
        "channel {}, threshold {}, hysteresis {}, {edge}, {} a turn{missing}",
        t.channel,
        level(t.threshold),
        level(t.hysteresis),
        t.pulses_per_rev
    )
}

/// Puts the tachometer of a run right: speed, markers and what follows the shaft go by it.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn tacho(desk: &Desk, id: i64, who: &str, t: TachoRight) -> Result<()> {
    let reason = reason(&t.reason)?;
    // Read as a recipe would be, so that it is refused for the same reasons.
    Recipe::from_value(serde_json::json!({ "lens": "speed", "tacho": t.tacho }))?;
    let run = desk.store.run(id).await?;
    let all = calibrated(&desk.store, id).await?;
    let unit_of = |t: &Tacho| {
        let found = all.iter().find(|c| c.channel as u32 == t.channel);
        found.map(|c| c.recorded.row.unit.clone())
    };
    let Some(unit) = unit_of(&t.tacho) else {
        let says = format!("channel {} is not in this run; allowed: 1 to {}", t.tacho.channel, all.len());
        return Err(Refusal::new("tacho.channel", says).into());
    };
    let pulses = t.tacho.pulses_per_rev;
    if !(pulses.is_finite() && pulses > 0.0 && pulses <= 1e5) {
        let says = format!("{pulses} pulses a turn; allowed: above 0 and up to 100000");
        return Err(Refusal::new("tacho.pulses_per_rev", says).into());
    }
    let before = match tacho_of(desk, &run).await? {
        Some(t) => in_words(&t, &unit_of(&t).unwrap_or_default()),
        None => "none".into(),
    };
    let after = in_words(&t.tacho, &unit);
    if before == after {
        return Err(Refusal::new("tacho", "the tachometer is set so already").into());
    }
    Ok(desk.store.put_right(id, &NewCorrection::Tacho(t.tacho, before, after), None, reason, who).await?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn tacho(more: serde_json::Value) -> Tacho {
        let mut t = json!({ "channel": 21 });
        for (key, value) in more.as_object().into_iter().flatten() {
            t[key] = value.clone();
        }
        serde_json::from_value(t).unwrap()
    }

    #[test]
    fn a_tachometer_is_told_in_words() {
        let plain = in_words(&tacho(json!({})), "V");
        assert_eq!(plain, "channel 21, threshold found by itself, hysteresis found by itself, rising, 1 a turn");
        let set = json!({ "threshold": 2.125, "hysteresis": 0.5, "slope": "falling", "pulses_per_rev": 60.0, "missing_teeth": 2 });
        assert_eq!(
            in_words(&tacho(set), "V"),
            "channel 21, threshold 2.1250 V, hysteresis 0.5000 V, falling, 60 a turn, 2 missing"
        );
        // Two settings that differ are told differently: what is put right is seen in its history.
        let (one, two) = (tacho(json!({ "pulses_per_rev": 1.0 })), tacho(json!({ "pulses_per_rev": 2.0 })));
        assert_ne!(in_words(&one, "V"), in_words(&two, "V"));
    }

    #[test]
    fn a_reason_is_a_sentence() {
        assert_eq!(reason("  certificate misread ").unwrap(), "certificate misread");
        for wrong in ["", "   ", &"x".repeat(401)] {
            assert_eq!(reason(wrong).unwrap_err().field, "reason");
        }
    }

    #[test]
    fn only_what_describes_the_measurement_is_put_right() {
        for column in Column::ALL {
            let set_then = matches!(
                column,
                Column::On
                    | Column::Coupling
                    | Column::RangeV
                    | Column::HighPassHz
                    | Column::Sensitivity
                    | Column::SensitivityUnit
            );
            assert_eq!(CORRECTABLE.contains(&column), !set_then, "{}", column.head());
        }
    }
}
