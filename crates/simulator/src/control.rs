//! The hands at the stand-in: a small page and its API to plug, unplug, swap, break and shake
//! sensors, and to run the machine up and down. It belongs to the stand-in, not to Fleet Echo.

use crate::device::Lantern;
use crate::device::plug::Motion;
use crate::device::tapping::{Deed, ScriptStep};
use crate::electronics::Fault;
use crate::serve::own;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::Html;
use axum::routing::{get, post};
use axum::{Json, Router};
use serde::Deserialize;
use std::sync::{Arc, Mutex};
use tokio::net::TcpListener;

type Device = Arc<Mutex<Lantern>>;
type Devices = Arc<Vec<Device>>;
type Refused = (StatusCode, String);
type Done = Result<Json<serde_json::Value>, Refused>;

/// Something done by hand. Inputs are counted through all front ends.
#[derive(Debug, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
enum Hand {
    Plug { sensor: String },
    Unplug,
    Break { fault: Fault },
    Move(Motion),
    Swap { with: u16 },
}

/// Something done to a front end.
#[derive(Debug, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
enum Switch {
    Power {
        module: String,
        on: bool,
    },
    Clock {
        locked: bool,
    },
    Drift {
        ppm: f64,
    },
    BringTo {
        rpm: f64,
        rpm_per_s: f64,
    },
    Hold,
    Cut,
    /// So many bumps from now on, then calm.
    Bump {
        times: u32,
    },
    /// One thing after the other at the bracket.
    Script {
        steps: Vec<ScriptStep>,
    },
    #[serde(untagged)]
    Bracket(Deed),
}

/// Serves the page until the listener fails.
///
/// # Errors
/// The listener's own error.
pub async fn serve(listener: TcpListener, devices: Vec<Device>) -> std::io::Result<()> {
    let router = Router::new()
        .route("/", get(async || Html(include_str!("control.html"))))
        .route("/bench", get(bench))
        .route("/inputs/{number}", post(hand))
        .route("/front-ends/{unit}", post(switch))
        .with_state(Arc::new(devices));
    axum::serve(listener, router).await
}

async fn bench(State(devices): State<Devices>) -> Json<serde_json::Value> {
    let all: Vec<_> = devices.iter().map(|d| own(d).bench()).collect();
    Json(serde_json::json!({ "front_ends": all }))
}

fn refused(says: String) -> Refused {
    (StatusCode::UNPROCESSABLE_ENTITY, says)
}

/// The front end that carries an input, and its number there.
fn found(devices: &Devices, number: u16) -> Result<(Device, u16), Refused> {
    let mut rest = number;
    for d in devices.iter() {
        let inputs = own(d).bench().inputs.len() as u16;
        if (1..=inputs).contains(&rest) {
            return Ok((d.clone(), rest));
        }
        rest = rest.wrapping_sub(inputs);
    }
    Err(refused(format!("there is no input {number}")))
}

async fn hand(State(devices): State<Devices>, Path(number): Path<u16>, Json(hand): Json<Hand>) -> Done {
    let (device, at) = found(&devices, number)?;
    match hand {
        Hand::Plug { sensor } => own(&device).plug_in(at, &sensor),
        Hand::Unplug => own(&device).unplug(at),
        Hand::Break { fault } => own(&device).break_sensor(at, fault),
        Hand::Move(motion) => own(&device).move_to(at, motion),
        Hand::Swap { with } => {
            let (other, there) = found(&devices, with)?;
            if Arc::ptr_eq(&device, &other) {
                own(&device).swap(at, there)
            } else {
                Err("only inputs of one front end are swapped here".into())
            }
        }
    }
    .map_err(refused)?;
    Ok(bench(State(devices)).await)
}

async fn switch(State(devices): State<Devices>, Path(unit): Path<usize>, Json(what): Json<Switch>) -> Done {
    let device = devices.get(unit).ok_or_else(|| refused(format!("there is no front end {unit}")))?;
    match what {
        Switch::Power { module, on } => own(device).power(&module, on).map_err(refused)?,
        Switch::Clock { locked } => own(device).lock_clock(locked),
        Switch::Drift { ppm } => own(device).drift(ppm),
        Switch::BringTo { rpm, rpm_per_s } => own(device).bring_to(rpm, rpm_per_s).map_err(refused)?,
        Switch::Cut => own(device).cut(),
        Switch::Bump { times } => own(device).bump(times).map_err(refused)?,
        Switch::Hold => own(device).hold().map_err(refused)?,
        Switch::Script { steps } => own(device).follows(steps).map_err(refused)?,
        Switch::Bracket(deed) => own(device).does(deed).map_err(refused)?,
    }
    Ok(bench(State(devices)).await)
}
