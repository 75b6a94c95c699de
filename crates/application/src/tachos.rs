//! Tachometers as they are heard now.

use crate::{App, Error, Result};
use echo_job::Refusal;
use echo_job::rig::Channel;
use echo_job::tacho::{PulseReading, Tachometer};
use echo_job::unit::find;
use echo_signal::extremes::min_max;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A tachometer that is to be read.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TachoRead {
    /// Its settings.
    pub tacho: Tachometer,
    /// How much of the last samples, s, 0.05 to 8.
    pub seconds: f64,
    /// Points of the picture, up to 2 000.
    #[serde(default)]
    pub points: usize,
    /// Threshold and hysteresis are to be found from the signal.
    #[serde(default)]
    pub automatic: bool,
}

/// What a tachometer tells, with its picture.
#[derive(Serialize, ToSchema)]
pub struct TachoBody {
    /// The settings that were used.
    pub tacho: Tachometer,
    /// What the pulses tell.
    pub reading: PulseReading,
    /// Length of the picture, s.
    pub seconds: f64,
    /// Smallest value of each point, in the tachometer's unit.
    pub low: Vec<f64>,
    /// Largest value of each point.
    pub high: Vec<f64>,
}

/// The last samples of an input in SI units, and their rate: what a counter rides on.
pub(crate) fn last(app: &App, input: u16, seconds: f64) -> Result<(Vec<f64>, f64)> {
    let setup = app.setup().ok_or_else(|| Error::conflict("no campaign is chosen"))?;
    let row: Option<Channel> = setup.rig.channel(input).cloned();
    let Some(row) = row.filter(|c| c.on) else {
        let says =
            format!("input {input} is off, so it is not sampled and nothing can be counted; switch it on in the rig");
        return Err(Refusal::new("input", says).into());
    };
    let live = app.capture.live();
    let rate = live.rate_hz();
    if rate == 0.0 {
        return Err(Error::conflict(
            "a counter rides on the sample clock, and that stands still: no front end sends. Connect one in the bar above",
        ));
    }
    let scale = row.full_scale_si() / f64::from(echo_link::FULL_SCALE);
    let counts = live.last(input, (seconds * rate) as usize);
    Ok((counts.into_iter().map(|c| f64::from(c) * scale).collect(), rate))
}

/// What a tachometer tells now over its last seconds, with the samples in SI units.
///
/// # Errors
/// Its input is off, nothing is sent, or its settings cannot be.
pub fn now(app: &App, tacho: &Tachometer, seconds: f64) -> Result<(PulseReading, Vec<f64>)> {
    tacho.check()?;
    let (samples, rate) = last(app, tacho.input, seconds)?;
    Ok((tacho.read(&samples, rate), samples))
}

/// Reads a tachometer: speed, quality, picture; finds threshold and hysteresis when asked to.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub fn read(app: &App, r: TachoRead) -> Result<TachoBody> {
    if !(0.05..=8.0).contains(&r.seconds) {
        return Err(Refusal::new("seconds", format!("{} s are read; allowed: 0.05 to 8 s", r.seconds)).into());
    }
    let mut tacho = r.tacho;
    let (mut reading, samples) = now(app, &tacho, r.seconds)?;
    if r.automatic {
        let (threshold, hysteresis) = reading.fitting.ok_or_else(|| {
            Error::conflict("no pulses are heard, so no threshold can be found; turn the shaft, check the supply")
        })?;
        let round = |x: f64| echo_job::entry::number::rounded(x, 3);
        (tacho.threshold, tacho.hysteresis) = (round(threshold), round(hysteresis));
        reading = tacho.read(&samples, app.capture.live().rate_hz());
    }
    let to_si = find(&tacho.unit).map_or(f64::NAN, |u| u.to_si);
    let pairs = min_max(&samples, r.points.clamp(1, 2000));
    Ok(TachoBody {
        seconds: samples.len() as f64 / app.capture.live().rate_hz().max(1.0),
        low: pairs.iter().map(|p| p.0 / to_si).collect(),
        high: pairs.iter().map(|p| p.1 / to_si).collect(),
        tacho,
        reading,
    })
}
