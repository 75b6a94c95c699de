//! Checking a sensor against a reference: live pairs and the fit here, its table in [`sheet`], acceptance into the
//! register in [`verdict`].

pub mod sheet;
pub mod verdict;

use crate::{App, Error, Result};
use echo_job::Refusal;
use echo_job::reference::{Fit, Pair, Reading, fit, tone};
use echo_job::rig::Channel;
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

fn row(app: &App, input: u16) -> Result<Channel> {
    let setup = app.setup().ok_or_else(|| Error::conflict("no campaign is chosen"))?;
    let row = setup.rig.channel(input).filter(|c| c.on).cloned();
    row.ok_or_else(|| Refusal::new("input", format!("input {input} is not measured; switch it on in the rig")).into())
}

/// Waits, reads, and tells the level of the tone.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn read(app: &App, r: ReadRequest) -> Result<ReadAnswer> {
    if !((0.0..=60.0).contains(&r.settle_s) && (0.2..=8.0).contains(&r.read_s)) {
        return Err(Refusal::new("read_s", "settling is 0 to 60 s and reading 0.2 to 8 s").into());
    }
    let checked = row(app, r.input)?;
    let reference = r.reference_input.map(|i| row(app, i)).transpose()?;
    if let Some(other) = reference.as_ref().filter(|o| o.quantity != checked.quantity || o.input == checked.input) {
        let says = format!(
            "input {} measures {} and input {} {}; allowed: another input of the same quantity",
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
    let read = |c: &Channel| -> Result<Reading> {
        if rate == 0.0 {
            return Err(Error::conflict("the front end sends nothing; check its power and its cable"));
        }
        let scale = c.full_scale_si() / f64::from(echo_link::FULL_SCALE);
        if !scale.is_finite() {
            let says = format!("the sensitivity of input {} does not fit its coupling {}", c.input, c.coupling.name());
            return Err(Refusal::new("input", says).into());
        }
        let counts = live.last(c.input, (r.read_s * rate) as usize);
        if live.levels().iter().any(|l| l.input == c.input && l.over) {
            return Err(Error::conflict(format!(
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
    Ok(ReadAnswer { reading, reference, unit: si.into() })
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
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub fn fitted(app: &App, r: FitRequest) -> Result<Fit> {
    Ok(fit(&r.pairs, &row(app, r.input)?.sensitivity)?)
}
