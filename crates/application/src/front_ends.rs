//! The front ends beside measuring: tests, restarts, the setup on the device, the output.

use crate::outputs::SILENCE;
use crate::{App, Error, Result};
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use echo_job::front_end::FrontEnd;
use echo_job::rig::{Cell, CellChanged};
use echo_link::{RequestBody, Wave};
use echo_store::Store;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
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
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
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

/// What the newest test of an input found.
#[derive(Debug, Serialize, ToSchema)]
pub struct TestedInput {
    /// What it found.
    #[serde(flatten)]
    pub test: TestBody,
    /// When.
    pub at: DateTime<Utc>,
    /// Who asked for it.
    pub who: String,
    /// The front end, in words.
    pub front_end: String,
}

/// Tests that are looked through for the newest of each input.
const TESTS: i64 = 200;

/// What the newest test of each input of a campaign found, in their order.
///
/// # Errors
/// The database is away.
pub async fn tests(store: &Store, campaign: i64) -> Result<Vec<TestedInput>> {
    let mut newest: BTreeMap<u16, TestedInput> = BTreeMap::new();
    for t in store.self_tests(campaign, TESTS).await? {
        for test in serde_json::from_value::<Vec<TestBody>>(t.inputs)? {
            let (at, who, front_end) = (t.at, t.who.clone(), t.front_end.clone());
            newest.entry(test.input).or_insert(TestedInput { test, at, who, front_end });
        }
    }
    Ok(newest.into_values().collect())
}

/// The front ends of a system, counted from 0.
fn units(system: &FrontEnd) -> std::ops::Range<u16> {
    0..system.inputs.last().map_or(0, |i| i.unit + 1)
}

/// Tests inputs, and keeps what was found with the campaign.
///
/// # Errors
/// It cannot be done now, or the database is away.
pub async fn test(app: &App, request: TestRequest, who: &str) -> Result<Vec<TestBody>> {
    let front_end = app.capture.front_end().ok_or_else(|| Error::conflict("no front end is connected"))?;
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
        all.extend(answer.tests().unwrap_or_default().into_iter().filter_map(|t| {
            let input = pairs.iter().find(|p| p.0 == t.number)?.1;
            let (passed, says) = (t.passed, t.says);
            Some(TestBody { input, passed, says, bias_v: t.bias_v, offset_v: t.offset_v, noise_v: t.noise_v })
        }));
    }
    if all.is_empty() {
        return Err(
            Refusal::new("inputs", "no input is left to test; allowed: inputs of the connected front end").into()
        );
    }
    if let Some(setup) = app.setup() {
        let named = format!("{}, serial {}", front_end.model, front_end.serial);
        app.store.keep_self_test(setup.campaign, who, &named, &serde_json::to_value(&all)?).await?;
    }
    Ok(all)
}

/// Starts a front end anew; it is connected again by itself.
///
/// # Errors
/// It cannot be done now, or the database is away.
pub async fn restart(app: &App, unit: usize) -> Result<()> {
    app.capture.ask(unit, RequestBody::Restart).await?;
    Ok(())
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
///
/// # Errors
/// It cannot be done now, or the database is away.
pub async fn setup(app: &App) -> Result<SetupBody> {
    let setup = app.setup().ok_or_else(|| Error::conflict("no campaign is chosen"))?;
    let read = app.capture.read_setup().await?;
    let against = |cells: Vec<Cell>| {
        let differ = |c: Cell| {
            let row = setup.rig.channel(c.input).filter(|r| r.on)?;
            let here = c.column.text(row);
            (here != c.text).then_some(CellChanged { input: c.input, column: c.column, from: c.text, to: here })
        };
        cells.into_iter().filter_map(differ).collect()
    };
    Ok(SetupBody { found: against(read.found), now: against(read.now) })
}

/// Writes the rig's setup to the front ends again.
///
/// # Errors
/// It cannot be done now, or the database is away.
pub async fn write_setup(app: &App) -> Result<()> {
    app.capture.write_setup().await?;
    Ok(())
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
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn output(app: &App, unit: usize, to: OutputRequest) -> Result<()> {
    if let Some(s) = to.lease_s.filter(|s| !(0.5..=60.0).contains(s)) {
        return Err(Refusal::new("lease_s", format!("the lease must be 0.5 to 60 s, not {s} s")).into());
    }
    let lease = to.lease_s.filter(|_| to.peak_v > 0.0).map(Duration::from_secs_f64);
    // Leased before it drives, so that it ends though nobody hears that it has begun.
    app.outputs.set(unit, lease, Instant::now());
    let wave = if to.pulses { Wave::Pulse } else { Wave::Sine };
    if let Err(e) = app.capture.ask(unit, RequestBody::Output { hz: to.hz, peak_v: to.peak_v, wave }).await {
        app.outputs.set(unit, None, Instant::now());
        return Err(e.into());
    }
    Ok(())
}

/// Keeps an output going that was driven with a lease.
///
/// # Errors
/// It cannot be done now, or the database is away.
pub fn keep_output(app: &App, unit: usize) -> Result<()> {
    app.outputs.keep(unit, Instant::now())?;
    Ok(())
}

/// Silences every output at once.
///
/// # Errors
/// It cannot be done now, or the database is away.
pub async fn emergency_stop(app: &App) -> Result<()> {
    let front_end = app.capture.front_end().ok_or_else(|| {
        Error::conflict("no front end is connected: its output cannot be reached from here, use the switch on it")
    })?;
    let mut failed = None;
    for unit in units(&front_end) {
        // One that fails must not keep the others driving.
        app.outputs.set(usize::from(unit), None, Instant::now());
        if let Err(e) = app.capture.ask(usize::from(unit), SILENCE).await {
            failed = Some(e);
        }
    }
    failed.map_or(Ok(()), |e| Err(e.into()))
}
