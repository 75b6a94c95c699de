//! The front ends beside measuring: tests, restarts, the setup on the device, the output.

use super::ApiError;
use crate::App;
use crate::outputs::SILENCE;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use echo_job::Refusal;
use echo_job::front_end::FrontEnd;
use echo_job::rig::{Cell, CellChanged};
use echo_link::{RequestBody, Wave};
use serde::{Deserialize, Serialize};
use std::time::{Duration, Instant};
use utoipa::ToSchema;

/// Which inputs to test.
#[derive(Deserialize, ToSchema)]
pub struct TestRequest {
    /// Inputs; all that are measured when empty.
    #[serde(default)]
    pub inputs: Vec<u16>,
}

/// What the test of an input found.
#[derive(Debug, Serialize, ToSchema)]
pub struct TestBody {
    /// The input.
    pub input: u16,
    /// Whether it is in order.
    pub passed: bool,
    /// What was found.
    pub says: String,
    /// Rest voltage of the sensor's supply, V, where there is one.
    pub bias_v: Option<f64>,
    /// Mean with the input shorted, V.
    pub offset_v: f64,
    /// Noise with the input shorted, V rms.
    pub noise_v: f64,
}

/// The front ends of a system, counted from 0.
fn units(system: &FrontEnd) -> std::ops::Range<u16> {
    0..system.inputs.last().map_or(0, |i| i.unit + 1)
}

/// Tests inputs.
#[utoipa::path(post, operation_id = "test_inputs", path = "/api/front-ends/test", request_body = TestRequest,
    responses((status = 200, body = Vec<TestBody>), (status = 409, body = super::ErrorBody)))]
pub async fn test(State(app): State<App>, Json(request): Json<TestRequest>) -> Result<Json<Vec<TestBody>>, ApiError> {
    let front_end = app.capture.front_end().ok_or_else(|| ApiError::conflict("no front end is connected"))?;
    let mut wanted = request.inputs;
    if wanted.is_empty() {
        wanted = app.setup().map(|s| s.rig.active().map(|c| c.input).collect()).unwrap_or_default();
    }
    let mut all = Vec::new();
    for unit in units(&front_end) {
        let own = front_end.inputs.iter().filter(|i| i.unit == unit && wanted.contains(&i.number));
        let pairs: Vec<(u16, u16)> = own.map(|i| (i.connector, i.number)).collect();
        if pairs.is_empty() {
            continue;
        }
        let body = RequestBody::SelfTest { inputs: pairs.iter().map(|p| p.0).collect() };
        let answer = app.capture.ask(usize::from(unit), body).await?;
        all.extend(answer.tests.unwrap_or_default().into_iter().filter_map(|t| {
            let input = pairs.iter().find(|p| p.0 == t.number)?.1;
            let (passed, says) = (t.passed, t.says);
            Some(TestBody { input, passed, says, bias_v: t.bias_v, offset_v: t.offset_v, noise_v: t.noise_v })
        }));
    }
    if all.is_empty() {
        return Err(
            Refusal::new("inputs", "no input is left to test; allowed are inputs of the connected front end").into()
        );
    }
    Ok(Json(all))
}

/// Starts a front end anew; it is connected again by itself.
#[utoipa::path(post, operation_id = "restart_front_end", path = "/api/front-ends/{unit}/restart", params(("unit" = usize, Path)),
    responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn restart(State(app): State<App>, Path(unit): Path<usize>) -> Result<StatusCode, ApiError> {
    app.capture.ask(unit, RequestBody::Restart).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The setup on the front ends against the rig: `from` is the device, `to` is here.
#[derive(Serialize, ToSchema)]
pub struct SetupBody {
    /// As it was found when it was connected, before anything was written.
    pub found: Vec<CellChanged>,
    /// As it is now.
    pub now: Vec<CellChanged>,
}

/// Reads the setup back from the front ends and compares it with the rig.
#[utoipa::path(get, operation_id = "read_setup", path = "/api/front-ends/setup",
    responses((status = 200, body = SetupBody), (status = 409, body = super::ErrorBody)))]
pub async fn setup(State(app): State<App>) -> Result<Json<SetupBody>, ApiError> {
    let setup = app.setup().ok_or_else(|| ApiError::conflict("no campaign is chosen"))?;
    let read = app.capture.read_setup().await?;
    let against = |cells: Vec<Cell>| {
        let differ = |c: Cell| {
            let row = setup.rig.channel(c.input).filter(|r| r.on)?;
            let here = c.column.text(row);
            (here != c.text).then_some(CellChanged { input: c.input, column: c.column, from: c.text, to: here })
        };
        cells.into_iter().filter_map(differ).collect()
    };
    Ok(Json(SetupBody { found: against(read.found), now: against(read.now) }))
}

/// Writes the rig's setup to the front ends again.
#[utoipa::path(post, operation_id = "write_setup", path = "/api/front-ends/setup",
    responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn write_setup(State(app): State<App>) -> Result<StatusCode, ApiError> {
    app.capture.write_setup().await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What an output is to drive.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OutputRequest {
    /// Frequency, Hz.
    pub hz: f64,
    /// Amplitude, V peak; 0 is off.
    pub peak_v: f64,
    /// Pulses from 0 V to the amplitude, a tenth of the period long, instead of a sine.
    #[serde(default)]
    pub pulses: bool,
    /// It ends by itself so many seconds after it was kept last, 0.5 to 60; never where left out.
    #[serde(default)]
    pub lease_s: Option<f64>,
}

/// Drives the output of a front end.
#[utoipa::path(put, operation_id = "drive_output", path = "/api/front-ends/{unit}/output", params(("unit" = usize, Path)), request_body = OutputRequest,
    responses((status = 204), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn output(
    State(app): State<App>,
    Path(unit): Path<usize>,
    Json(to): Json<OutputRequest>,
) -> Result<StatusCode, ApiError> {
    if let Some(s) = to.lease_s.filter(|s| !(0.5..=60.0).contains(s)) {
        return Err(Refusal::new("lease_s", format!("the lease is {s} s; allowed are 0.5 to 60 s")).into());
    }
    let lease = to.lease_s.filter(|_| to.peak_v > 0.0).map(Duration::from_secs_f64);
    // Leased before it drives, so that it ends though nobody hears that it has begun.
    app.outputs.set(unit, lease, Instant::now());
    let wave = if to.pulses { Wave::Pulse } else { Wave::Sine };
    if let Err(e) = app.capture.ask(unit, RequestBody::Output { hz: to.hz, peak_v: to.peak_v, wave }).await {
        app.outputs.set(unit, None, Instant::now());
        return Err(e.into());
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Keeps an output going that was driven with a lease.
#[utoipa::path(post, operation_id = "keep_output", path = "/api/front-ends/{unit}/output/keep", params(("unit" = usize, Path)),
    responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn keep_output(State(app): State<App>, Path(unit): Path<usize>) -> Result<StatusCode, ApiError> {
    app.outputs.keep(unit, Instant::now())?;
    Ok(StatusCode::NO_CONTENT)
}

/// Silences every output at once.
#[utoipa::path(post, operation_id = "emergency_stop", path = "/api/emergency-stop",
    responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn emergency_stop(State(app): State<App>) -> Result<StatusCode, ApiError> {
    let front_end = app.capture.front_end().ok_or_else(|| {
        ApiError::conflict("no front end is connected: its output cannot be reached from here, use the switch on it")
    })?;
    let mut failed = None;
    for unit in units(&front_end) {
        // One that fails must not keep the others driving.
        app.outputs.set(usize::from(unit), None, Instant::now());
        if let Err(e) = app.capture.ask(usize::from(unit), SILENCE).await {
            failed = Some(e);
        }
    }
    failed.map_or(Ok(StatusCode::NO_CONTENT), |e| Err(e.into()))
}
