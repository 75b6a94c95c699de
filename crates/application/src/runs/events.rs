//! The takes of a run, read as events.

use super::source::{calibrated, length, one_of};
use super::takes::each;
use crate::{Desk, Result};
use echo_job::Refusal;
use echo_job::event::{Event, EventSettings, event};
use echo_job::unit::{Quantity, find, grouped};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Which channels make the axes of events, and how they are read.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EventsRequest {
    /// Channels, 1 to 6, of one quantity.
    pub channels: Vec<i16>,
    /// The mean before the trigger is taken off.
    #[serde(default = "yes")]
    pub zero: bool,
    /// Everything above is taken off, Hz.
    #[serde(default)]
    pub lowpass_hz: Option<f64>,
}

fn yes() -> bool {
    true
}

/// An event of a run.
#[derive(Serialize, ToSchema)]
pub struct EventBody {
    /// Number of its take.
    pub number: i32,
    /// Start of the take in the run, s.
    pub from_s: f64,
    /// End of the take, s.
    pub to_s: f64,
    /// Trigger, s.
    pub trigger_s: f64,
    /// What it was; none where it cannot be read.
    pub event: Option<Event>,
    /// Why it cannot.
    pub refused: Option<String>,
}

/// All events of a run.
#[derive(Serialize, ToSchema)]
pub struct EventsBody {
    /// Names of the axes.
    pub axes: Vec<String>,
    /// Their unit.
    pub unit: String,
    /// Unit of values integrated over an event: m/s where the axes measure acceleration.
    pub integral_unit: String,
    /// Whether those are changes of velocity.
    pub velocity: bool,
    /// One after the other.
    pub events: Vec<EventBody>,
}

/// Most events that are read at once.
const MOST_EVENTS: usize = 1000;

/// Reads the takes of a run as events.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn events(desk: &Desk, id: i64, request: EventsRequest) -> Result<EventsBody> {
    let run = desk.store.run(id).await?;
    let all = calibrated(&desk.store, id).await?;
    if !(1..=6).contains(&request.channels.len()) {
        return Err(Refusal::new("channels", "an event has 1 to 6 axes").into());
    }
    let axes = request.channels.iter().map(|c| one_of(&all, *c)).collect::<Result<Vec<_>>>()?;
    let unit = axes[0].recorded.row.unit.clone();
    if let Some(other) = axes.iter().find(|c| c.recorded.row.unit != unit) {
        let says = format!("the axes are in {unit} and {}; allowed: one unit", other.recorded.row.unit);
        return Err(Refusal::new("channels", says).into());
    }
    let rate = run.sample_rate_hz;
    let settings = EventSettings { zero: request.zero, lowpass_hz: request.lowpass_hz };
    let acceleration = axes[0].recorded.row.quantity == Quantity::Acceleration;
    let to_si = find(&unit).ok().filter(|_| acceleration).map(|u| u.to_si);
    let mut events = Vec::new();
    let mut takes = desk.store.takes(id).await?;
    takes.truncate(MOST_EVENTS);
    each(desk, &run, &axes, &takes, |t, samples| {
        let pre = (t.trigger_sample - t.first_sample).max(0) as usize;
        let mut found = event(&samples, pre, rate, settings);
        if let Ok(e) = &mut found {
            e.axes.iter_mut().for_each(|a| a.integral *= to_si.unwrap_or(1.0));
        }
        let at = |sample: i64| sample as f64 / rate;
        events.push(EventBody {
            number: t.number,
            from_s: at(t.first_sample),
            to_s: at(t.first_sample + length(t, &run) as i64),
            trigger_s: at(t.trigger_sample),
            refused: found.as_ref().err().map(|e| e.says.clone()),
            event: found.ok(),
        });
    })
    .await?;
    Ok(EventsBody {
        axes: axes.iter().map(|c| c.recorded.row.name.clone()).collect(),
        integral_unit: if to_si.is_some() { "m/s".into() } else { format!("{}·s", grouped(&unit)) },
        velocity: to_si.is_some(),
        unit,
        events,
    })
}
