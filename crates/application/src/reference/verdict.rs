//! What becomes of a check: accepted into the register and the rig, or rejected; both stay in the history. What was
//! accepted can be taken back for as long as nothing else was changed.

use super::row;
use crate::app::Turn;
use crate::rigs::edit::write;
use crate::rigs::smart::{label_of, smart_sensors};
use crate::{App, Error, Result};
use chrono::{Days, NaiveDate, Utc};
use echo_job::Refusal;
use echo_job::reference::{Fit, Pair, fit};
use echo_job::rig::{Cell, Channel, Column};
use echo_job::sensitivity::Sensitivity;
use echo_job::sensor::Sensor;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What is to become of a check.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Judgement {
    /// Campaign whose rig takes the new value.
    pub campaign: i64,
    /// The input that was checked.
    pub input: u16,
    /// Pairs, SI units, rms.
    pub pairs: Vec<Pair>,
    /// Frequency of the excitation, Hz.
    pub hz: f64,
    /// Whether the new sensitivity is taken; rejected checks stay in the history too.
    pub accept: bool,
    /// What gave the reference, in words.
    #[serde(default)]
    pub reference: String,
    /// The sensor that was checked, by its label; the row's when left out. Where the memory of a smart sensor on
    /// the input names another one than the row does, one of the two must be named.
    #[serde(default)]
    pub sensor: Option<String>,
    /// Next check; a year from today when left out.
    pub due_on: Option<NaiveDate>,
}

/// An accepted check that is to be taken back.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TakenBack {
    /// Campaign whose rig took the new value.
    pub campaign: i64,
    /// Key of the sensor.
    pub sensor_id: i64,
}

/// What an accepted check replaced; stands in the sensor's history.
#[derive(Serialize, Deserialize)]
struct Replaced {
    campaign: i64,
    input: u16,
    found: Sensor,
    row_sensor: String,
    row_sensitivity: Sensitivity,
}

/// What became of it.
#[derive(Serialize, ToSchema)]
pub struct Judged {
    /// Key of the sensor.
    pub sensor_id: i64,
    /// As found and as left.
    pub sensor: Sensor,
    /// The fit.
    pub fit: Fit,
}

/// The label of the sensor that was checked: what the row names, unless the sensor's own memory knows better.
fn checked(app: &App, c: &Channel, named: Option<&str>) -> Result<String> {
    let all = smart_sensors(app);
    let plugged = all.iter().find(|s| s.input == c.input).and_then(|s| label_of(&s.told));
    let other = plugged.filter(|p| *p != c.sensor);
    match (named, other) {
        (None, Some(plugged)) => {
            let says = format!(
                "input {} names “{}” and the sensor plugged in says it is “{plugged}”; say which of them was checked",
                c.input, c.sensor
            );
            Err(Refusal::new("sensor", says).into())
        }
        (Some(named), other) if named != c.sensor && other.as_deref() != Some(named) => {
            let plugged = other.map(|p| format!(" or “{p}”")).unwrap_or_default();
            let says = format!("“{named}” is not on input {}; allowed: “{}”{plugged}", c.input, c.sensor);
            Err(Refusal::new("sensor", says).into())
        }
        (named, _) => Ok(named.map_or_else(|| c.sensor.clone(), str::to_string)),
    }
}

/// Writes who a row names and with which sensitivity into the rig.
async fn write_row(app: &App, turn: Turn, campaign: i64, who: &str, to: Row<'_>, what: &str) -> Result<()> {
    let Row { input, sensor, sensitivity } = to;
    let mut cells = vec![
        Cell::new(input, Column::SensitivityUnit, sensitivity.unit.clone()),
        Cell::new(input, Column::Sensitivity, echo_job::entry::number::plain(sensitivity.value)),
    ];
    // Only these: what else the row says of its sensor was right for the reading, and can be taken back as one.
    cells.splice(0..0, sensor.map(|label| Cell::new(input, Column::Sensor, label)));
    let what = format!("input {input}: {what}");
    write(app, turn, campaign, who, &what, |rig, front_end, _| Ok(rig.edited(&cells, front_end))).await.map(drop)
}

/// What a row is to say.
struct Row<'a> {
    input: u16,
    /// Label of the sensor, where another one is to be named.
    sensor: Option<&'a str>,
    sensitivity: &'a Sensitivity,
}

/// Accepts a new sensitivity into the register and the rig, or rejects it; both are kept as found
/// and as left in the sensor's history.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn judge(app: &App, who: &str, v: Judgement) -> Result<Judged> {
    let c = row(app, v.input)?;
    let label = checked(app, &c, v.sensor.as_deref())?;
    let fit = fit(&v.pairs, &c.sensitivity)?;
    let who = who.to_string();
    let known = app.store.sensors().await?.into_iter().map(|r| r.sensor).find(|s| s.label() == label);
    let found = match known {
        Some(s) => s,
        None => from_row(&Channel { sensor: label.clone(), ..c.clone() })?,
    };
    let today = Utc::now().date_naive();
    let mut left = found.clone();
    if v.accept {
        left.sensitivity = fit.sensitivity.clone();
        left.reference_hz = Some(v.hz);
        left.calibrated_on = Some(today);
        left.due_on = v.due_on.or_else(|| today.checked_add_days(Days::new(365)));
        // That of its certificate is of another sensitivity.
        left.uncertainty_percent = None;
        left.check()?;
    }
    let what = if v.accept { "checked against a reference, accepted" } else { "checked against a reference, rejected" };
    let replaced = v.accept.then(|| Replaced {
        campaign: v.campaign,
        input: v.input,
        found: found.clone(),
        row_sensor: c.sensor.clone(),
        row_sensitivity: c.sensitivity.clone(),
    });
    let detail = serde_json::json!({
        "as_found": c.sensitivity, "as_left": left.sensitivity, "pairs": v.pairs, "fit": fit, "hz": v.hz,
        "reference": v.reference, "replaced": replaced,
    });
    let sensor_id = app.store.keep_sensor(&left, &who, what, detail).await?;
    if v.accept {
        // The row names what is really plugged in.
        let sensor = (label != c.sensor).then_some(label.as_str());
        let to = Row { input: v.input, sensor, sensitivity: &fit.sensitivity };
        write_row(app, app.turn().await, v.campaign, &who, to, "checked against a reference").await?;
    }
    Ok(Judged { sensor_id, sensor: left, fit })
}

/// Takes an accepted check back: the register and the row are as they were found. Both changes stay in the history.
///
/// # Errors
/// The sensor or its row was changed since, or the database is away.
pub async fn take_back(app: &App, who: &str, t: TakenBack) -> Result<Sensor> {
    let history = app.store.sensor_history(t.sensor_id).await?;
    let newest = history.first().map(|e| &e.body);
    let replaced = newest.and_then(|b| serde_json::from_value::<Replaced>(b["detail"]["replaced"].clone()).ok());
    let left = newest.and_then(|b| serde_json::from_value::<Sensor>(b["sensor"].clone()).ok());
    let gone = || Error::conflict("the sensor was changed since its check was accepted; its history has every value");
    let (replaced, left) = replaced.zip(left).filter(|(r, _)| r.campaign == t.campaign).ok_or_else(gone)?;
    let turn = app.turn().await;
    let rig = app.store.rig(t.campaign).await?.rig;
    let row = rig.channel(replaced.input);
    if !row.is_some_and(|c| c.sensor == left.label() && c.sensitivity == left.sensitivity) {
        let says = format!("input {} was changed since the check was accepted; change it in the rig", replaced.input);
        return Err(Error::conflict(says));
    }
    let what = "its check taken back";
    app.store.keep_sensor(&replaced.found, who, what, serde_json::json!({ "instead_of": left.sensitivity })).await?;
    let sensor = (replaced.row_sensor != left.label()).then_some(replaced.row_sensor.as_str());
    let to = Row { input: replaced.input, sensor, sensitivity: &replaced.row_sensitivity };
    write_row(app, turn, t.campaign, who, to, "check taken back").await?;
    Ok(replaced.found)
}

/// A sensor that is not registered yet, as far as its row knows it.
fn from_row(c: &Channel) -> Result<Sensor> {
    let (model, serial) = c.sensor.split_once(',').ok_or_else(|| {
        let says = format!("input {} names no sensor by type and serial; enter it as “type, serial”", c.input);
        Error::from(Refusal::new("sensor", says))
    })?;
    let sensor = Sensor {
        model: model.trim().into(),
        serial: serial.trim().into(),
        maker: String::new(),
        quantity: c.quantity,
        sensitivity: c.sensitivity.clone(),
        reference_hz: None,
        coupling: c.coupling,
        measures_to: None,
        resonance_hz: None,
        bias_v: None,
        calibrated_on: None,
        due_on: None,
        uncertainty_percent: None,
    };
    sensor.check()?;
    Ok(sensor)
}
