//! Checking a sensor against a reference: live pairs, the fit, acceptance into the register.

use super::rigs::edit::write;
use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::State;
use axum::http::{HeaderMap, header};
use axum::response::IntoResponse;
use chrono::{Days, NaiveDate, Utc};
use echo_formats::sheet::{self, Sheet};
use echo_job::Refusal;
use echo_job::reference::{Fit, Pair, Reading, fit, tone};
use echo_job::rig::{Cell, Channel, Column};
use echo_job::sensor::Sensor;
use serde::{Deserialize, Serialize};
use std::time::Duration;
use utoipa::ToSchema;

/// What to read.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReadRequest {
    /// The input that is checked.
    pub input: u16,
    /// Another input that carries a reference transducer, if that gives the reference.
    pub reference_input: Option<u16>,
    /// Frequency of the excitation, Hz.
    pub hz: f64,
    /// Time to wait first, so that source and sensor settle, s; up to 60.
    pub settle_s: f64,
    /// Time to read, s; 0.2 to 8.
    pub read_s: f64,
}

/// What was read, in SI units.
#[derive(Serialize, ToSchema)]
pub struct ReadAnswer {
    /// The input that is checked.
    pub reading: Reading,
    /// The reference transducer.
    pub reference: Option<Reading>,
    /// Unit of both.
    pub unit: String,
}

fn row(app: &App, input: u16) -> Result<Channel, ApiError> {
    let setup = app.setup().ok_or_else(|| ApiError::conflict("no campaign is chosen"))?;
    let row = setup.rig.channel(input).filter(|c| c.on).cloned();
    row.ok_or_else(|| Refusal::new("input", format!("input {input} is not measured; switch it on in the rig")).into())
}

/// Waits, reads, and tells the level of the tone.
#[utoipa::path(post, operation_id = "read_reference", path = "/api/reference/read", request_body = ReadRequest,
    responses((status = 200, body = ReadAnswer), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Json(r): Json<ReadRequest>) -> Result<Json<ReadAnswer>, ApiError> {
    if !((0.0..=60.0).contains(&r.settle_s) && (0.2..=8.0).contains(&r.read_s)) {
        return Err(Refusal::new("read_s", "settling is 0 to 60 s and reading 0.2 to 8 s").into());
    }
    let checked = row(&app, r.input)?;
    let reference = r.reference_input.map(|i| row(&app, i)).transpose()?;
    if let Some(other) = reference.as_ref().filter(|o| o.quantity != checked.quantity || o.input == checked.input) {
        let says = format!(
            "input {} measures {} and input {} {}; allowed is another input of the same quantity",
            checked.input,
            checked.quantity.name(),
            other.input,
            other.quantity.name()
        );
        return Err(Refusal::new("reference_input", says).into());
    }
    tokio::time::sleep(Duration::from_secs_f64(r.settle_s + r.read_s)).await;
    let live = app.capture.live();
    let rate = live.rate_hz();
    let read = |c: &Channel| -> Result<Reading, ApiError> {
        if rate == 0.0 {
            return Err(ApiError::conflict("the front end sends nothing; check its power and its cable"));
        }
        let scale = c.full_scale_si() / f64::from(echo_link::FULL_SCALE);
        if !scale.is_finite() {
            let says = format!("the sensitivity of input {} does not fit its coupling {}", c.input, c.coupling.name());
            return Err(Refusal::new("input", says).into());
        }
        let counts = live.last(c.input, (r.read_s * rate) as usize);
        if live.levels().iter().any(|l| l.input == c.input && l.over) {
            return Err(ApiError::conflict(format!(
                "input {} is over its range; take a larger one and read again",
                c.input
            )));
        }
        let samples: Vec<f64> = counts.into_iter().map(|x| f64::from(x) * scale).collect();
        Ok(tone(&samples, rate, r.hz)?)
    };
    let reading = read(&checked)?;
    let reference = reference.as_ref().map(read).transpose()?;
    let si = checked.quantity.units().find(|u| u.to_si == 1.0).map_or("", |u| u.symbol);
    Ok(Json(ReadAnswer { reading, reference, unit: si.into() }))
}

/// Pairs of an input.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FitRequest {
    /// The input that is checked.
    pub input: u16,
    /// Pairs, SI units, rms.
    pub pairs: Vec<Pair>,
}

/// The straight line through pairs and what follows.
#[utoipa::path(post, operation_id = "fit_reference", path = "/api/reference/fit", request_body = FitRequest,
    responses((status = 200, body = Fit), (status = 422, body = super::ErrorBody)))]
pub async fn fitted(State(app): State<App>, Json(r): Json<FitRequest>) -> Result<Json<Fit>, ApiError> {
    Ok(Json(fit(&r.pairs, &row(&app, r.input)?.sensitivity)?))
}

/// Pairs as a spreadsheet.
#[utoipa::path(post, operation_id = "reference_sheet", path = "/api/reference/sheet.xlsx", request_body = FitRequest,
    responses((status = 200, content_type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"), (status = 422, body = super::ErrorBody)))]
pub async fn xlsx(State(app): State<App>, Json(r): Json<FitRequest>) -> Result<impl IntoResponse, ApiError> {
    let bytes = sheet::write_xlsx(&[table(&app, &r)?])?;
    let kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";
    Ok(([(header::CONTENT_TYPE, kind)], bytes))
}

/// Pairs as CSV.
#[utoipa::path(post, operation_id = "reference_csv", path = "/api/reference/sheet.csv", request_body = FitRequest,
    responses((status = 200, content_type = "text/csv"), (status = 422, body = super::ErrorBody)))]
pub async fn csv(State(app): State<App>, Json(r): Json<FitRequest>) -> Result<impl IntoResponse, ApiError> {
    let bytes = sheet::write_csv(&table(&app, &r)?)?;
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8")], bytes))
}

fn table(app: &App, r: &FitRequest) -> Result<Sheet, ApiError> {
    let c = row(app, r.input)?;
    let f = fit(&r.pairs, &c.sensitivity)?;
    let unit = c.quantity.units().find(|u| u.to_si == 1.0).map_or("", |u| u.symbol);
    let line = |k: &str, v: String| vec![k.to_string(), v, String::new()];
    let mut rows: Vec<Vec<String>> = r
        .pairs
        .iter()
        .zip(&f.deviations)
        .map(|(p, d)| vec![p.reference.to_string(), p.reading.to_string(), (d * 100.0).to_string()])
        .collect();
    rows.push(vec![String::new(); 3]);
    rows.push(line("Sensor", c.sensor.clone()));
    rows.push(line("Gain", f.gain.to_string()));
    rows.push(line(&format!("Offset, {unit}"), f.offset.to_string()));
    rows.push(line(
        "Linearity, %",
        f.linearity.map_or("three levels or more needed".into(), |l| (l * 100.0).to_string()),
    ));
    rows.push(line("Worst deviation, %", (f.worst * 100.0).to_string()));
    rows.push(line(&format!("Sensitivity as found, {}", c.sensitivity.unit), c.sensitivity.value.to_string()));
    rows.push(line(&format!("Sensitivity by this check, {}", f.sensitivity.unit), f.sensitivity.value.to_string()));
    let heads = vec![format!("Reference, {unit} rms"), format!("Reading, {unit} rms"), "Deviation, %".into()];
    Ok(Sheet { name: "Reference check".into(), heads, rows })
}

/// What is to become of a check.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Verdict {
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
pub struct VerdictAnswer {
    /// Key of the sensor.
    pub sensor_id: i64,
    /// As found and as left.
    pub sensor: Sensor,
    /// The fit.
    pub fit: Fit,
}

/// Accepts a new sensitivity into the register and the rig, or rejects it; both are kept as found
/// and as left in the sensor's history.
#[utoipa::path(post, operation_id = "judge_reference", path = "/api/reference/verdict", request_body = Verdict,
    responses((status = 200, body = VerdictAnswer), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn judge(
    State(app): State<App>,
    headers: HeaderMap,
    Json(v): Json<Verdict>,
) -> Result<Json<VerdictAnswer>, ApiError> {
    let c = row(&app, v.input)?;
    let fit = fit(&v.pairs, &c.sensitivity)?;
    let who = who(&headers);
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
            Cell::new(v.input, Column::Sensitivity, echo_job::rig::number::plain(s.value)),
        ];
        let turn = app.turn().await;
        write(
            &app,
            turn,
            v.campaign,
            &who,
            &format!("input {}: checked against a reference", v.input),
            |rig, front_end, _| Ok(rig.edited(&cells, front_end)),
        )
        .await?;
    }
    Ok(Json(VerdictAnswer { sensor_id, sensor: left, fit }))
}

/// A sensor that is not registered yet, as far as its row knows it.
fn from_row(c: &Channel) -> Result<Sensor, ApiError> {
    let (model, serial) = c.sensor.split_once(',').ok_or_else(|| {
        let says = format!("input {} names no sensor by type and serial; enter it as “type, serial”", c.input);
        ApiError::from(Refusal::new("sensor", says))
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
