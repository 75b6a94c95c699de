//! Tachometers, counters and encoders as they are heard now.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::State;
use echo_job::Refusal;
use echo_job::rig::Channel;
use echo_job::tacho::{PulseReading, Tachometer};
use echo_job::unit::find;
use echo_signal::extremes::min_max;
use echo_signal::rotation::encoder::{Multiple, Quadrature, degrees};
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
fn last(app: &App, input: u16, seconds: f64) -> Result<(Vec<f64>, f64), ApiError> {
    let setup = app.setup().ok_or_else(|| ApiError::conflict("no campaign is chosen"))?;
    let row: Option<Channel> = setup.rig.channel(input).cloned();
    let Some(row) = row.filter(|c| c.on) else {
        let says =
            format!("input {input} is off, so it is not sampled and nothing can be counted; switch it on in the rig");
        return Err(Refusal::new("input", says).into());
    };
    let live = app.capture.live();
    let rate = live.rate_hz();
    if rate == 0.0 {
        return Err(ApiError::conflict(
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
pub fn now(app: &App, tacho: &Tachometer, seconds: f64) -> Result<(PulseReading, Vec<f64>), ApiError> {
    tacho.check()?;
    let (samples, rate) = last(app, tacho.input, seconds)?;
    Ok((tacho.read(&samples, rate), samples))
}

/// Reads a tachometer: speed, quality, picture; finds threshold and hysteresis when asked to.
#[utoipa::path(post, operation_id = "read_tacho", path = "/api/tachos/read", request_body = TachoRead,
    responses((status = 200, body = TachoBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Json(r): Json<TachoRead>) -> Result<Json<TachoBody>, ApiError> {
    if !(0.05..=8.0).contains(&r.seconds) {
        return Err(Refusal::new("seconds", format!("{} s are read; allowed are 0.05 to 8 s", r.seconds)).into());
    }
    let mut tacho = r.tacho;
    let (mut reading, samples) = now(&app, &tacho, r.seconds)?;
    if r.automatic {
        let (threshold, hysteresis) = reading.fitting.ok_or_else(|| {
            ApiError::conflict("no pulses are heard, so no threshold can be found; turn the shaft, check the supply")
        })?;
        let round = |x: f64| echo_job::rig::number::rounded(x, 3);
        (tacho.threshold, tacho.hysteresis) = (round(threshold), round(hysteresis));
        reading = tacho.read(&samples, app.capture.live().rate_hz());
    }
    let to_si = find(&tacho.unit).map_or(f64::NAN, |u| u.to_si);
    let pairs = min_max(&samples, r.points.clamp(1, 2000));
    Ok(Json(TachoBody {
        seconds: samples.len() as f64 / app.capture.live().rate_hz().max(1.0),
        low: pairs.iter().map(|p| p.0 / to_si).collect(),
        high: pairs.iter().map(|p| p.1 / to_si).collect(),
        tacho,
        reading,
    }))
}

/// An encoder that is to be read: two tracks a quarter apart, and one pulse a turn if it has that.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EncoderRead {
    /// Input of track A.
    pub a: u16,
    /// Input of track B.
    pub b: u16,
    /// Input of the index.
    pub index: Option<u16>,
    /// Lines a turn.
    pub lines: u32,
    /// Edges counted a line: 1, 2 or 4.
    pub multiple: u32,
    /// Whether the index sets the count to zero.
    #[serde(default)]
    pub reset_at_index: bool,
    /// Whether degrees begin anew at 360.
    #[serde(default)]
    pub wrap: bool,
    /// Voltage between low and high.
    pub threshold_v: f64,
    /// How much of the last samples, s, 0.05 to 8.
    pub seconds: f64,
}

/// What an encoder tells over the stretch.
#[derive(Serialize, ToSchema)]
pub struct EncoderBody {
    /// Counts from the stretch's start, or from the last index.
    pub count: i64,
    /// Degrees of it.
    pub degrees: f64,
    /// Speed over the stretch, rpm; negative when B leads.
    pub rpm: f64,
    /// 1 when A leads, −1 when B does, 0 at rest.
    pub direction: i8,
    /// Index pulses seen.
    pub indices: usize,
    /// Steps both tracks made at once: dirt, or a speed beyond the sample rate.
    pub errors: u64,
}

/// Reads an encoder.
#[utoipa::path(post, operation_id = "read_encoder", path = "/api/encoders/read", request_body = EncoderRead,
    responses((status = 200, body = EncoderBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn encoder(State(app): State<App>, Json(r): Json<EncoderRead>) -> Result<Json<EncoderBody>, ApiError> {
    let multiple = match r.multiple {
        1 => Multiple::X1,
        2 => Multiple::X2,
        4 => Multiple::X4,
        m => return Err(Refusal::new("multiple", format!("{m} edges a line; allowed are 1, 2 and 4")).into()),
    };
    if !(1..=100_000).contains(&r.lines) {
        return Err(Refusal::new("lines", format!("{} lines a turn; allowed are 1 to 100000", r.lines)).into());
    }
    if !(0.05..=8.0).contains(&r.seconds) {
        return Err(Refusal::new("seconds", format!("{} s are read; allowed are 0.05 to 8 s", r.seconds)).into());
    }
    let (a, rate) = last(&app, r.a, r.seconds)?;
    let (b, _) = last(&app, r.b, r.seconds)?;
    let index = r.index.map(|i| last(&app, i, r.seconds)).transpose()?.map(|i| i.0);
    let per_rev = r.lines * multiple.counts();
    let n = a.len().min(b.len()).min(index.as_ref().map_or(usize::MAX, Vec::len));
    let high = |x: &[f64], i: usize| x[x.len() - n + i] > r.threshold_v;
    let mut told = Quadrature::new(multiple, r.reset_at_index && index.is_some());
    let mut all = Quadrature::new(multiple, false);
    let (mut indices, mut was) = (0, true);
    for i in 0..n {
        let at_index = index.as_ref().is_some_and(|x| high(x, i));
        indices += usize::from(at_index && !was);
        was = at_index;
        told.step(high(&a, i), high(&b, i), at_index);
        all.step(high(&a, i), high(&b, i), false);
    }
    let turned = all.count();
    Ok(Json(EncoderBody {
        count: told.count(),
        degrees: degrees(told.count(), per_rev, r.wrap),
        rpm: turned as f64 / f64::from(per_rev) / (n.max(1) as f64 / rate) * 60.0,
        direction: turned.signum() as i8,
        indices,
        errors: all.errors(),
    }))
}
