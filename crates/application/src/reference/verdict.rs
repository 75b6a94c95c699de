//! What becomes of a check: accepted into the register and the rig, or rejected; both stay in the history.

use super::row;
use crate::rigs::edit::write;
use crate::{App, Error, Result};
use chrono::{Days, NaiveDate, Utc};
use echo_job::Refusal;
use echo_job::reference::{Fit, Pair, fit};
use echo_job::rig::{Cell, Channel, Column};
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
    /// Next check; a year from today when left out.
    pub due_on: Option<NaiveDate>,
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

/// Accepts a new sensitivity into the register and the rig, or rejects it; both are kept as found
/// and as left in the sensor's history.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn judge(app: &App, who: &str, v: Judgement) -> Result<Judged> {
    let c = row(app, v.input)?;
    let fit = fit(&v.pairs, &c.sensitivity)?;
    let who = who.to_string();
    let known = app.store.sensors().await?.into_iter().map(|r| r.sensor).find(|s| s.label() == c.sensor);
    let found = match known {
        Some(s) => s,
        None => from_row(&c)?,
    };
    let today = Utc::now().date_naive();
    let mut left = found.clone();
    if v.accept {
        left.sensitivity = fit.sensitivity.clone();
        left.reference_hz = Some(v.hz);
        left.calibrated_on = Some(today);
        left.due_on = v.due_on.or_else(|| today.checked_add_days(Days::new(365)));
        left.check()?;
    }
    let what = if v.accept { "checked against a reference, accepted" } else { "checked against a reference, rejected" };
    let detail = serde_json::json!({
        "as_found": c.sensitivity, "as_left": left.sensitivity, "pairs": v.pairs, "fit": fit, "hz": v.hz, "reference": v.reference,
    });
    let sensor_id = app.store.keep_sensor(&left, &who, what, detail).await?;
    if v.accept {
        let s = &fit.sensitivity;
        let cells = [
            Cell::new(v.input, Column::SensitivityUnit, s.unit.clone()),
            Cell::new(v.input, Column::Sensitivity, echo_job::entry::number::plain(s.value)),
        ];
        let turn = app.turn().await;
        write(
            app,
            turn,
            v.campaign,
            &who,
            &format!("input {}: checked against a reference", v.input),
            |rig, front_end, _| Ok(rig.edited(&cells, front_end)),
        )
        .await?;
    }
    Ok(Judged { sensor_id, sensor: left, fit })
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
    };
    sensor.check()?;
    Ok(sensor)
}
