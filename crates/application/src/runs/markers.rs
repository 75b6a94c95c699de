//! The machine's elements, and the lines they have at the speed of a stretch.

use super::going::Watched;
use super::results::analysed;
use super::turning::tacho_of;
use crate::{Desk, Result};
use echo_job::machine::{LineAt, Machine, Marker};
use echo_job::recipe::{Recipe, Tacho};
use echo_signal::statistics::statistics;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};

/// The machine's elements, and their version.
///
/// # Errors
/// The database is away.
pub async fn machine(desk: &Desk, id: i64) -> Result<(Machine, i64)> {
    let (body, version) = desk.store.machine(id).await?;
    Ok((serde_json::from_value(body)?, version))
}

/// Writes the machine's elements that were changed on version `made_on`; gives the new version.
///
/// # Errors
/// What is asked is not allowed, somebody else was faster, or the database is away.
pub async fn save_machine(desk: &Desk, id: i64, made_on: Option<i64>, who: &str, machine: Machine) -> Result<i64> {
    machine.check()?;
    let body = serde_json::to_value(&machine)?;
    Ok(desk.store.save_machine(id, made_on, &body, who).await?)
}

/// A speed of the shaft with the tachometer.
#[derive(Deserialize, IntoParams)]
pub struct SpeedQuery {
    /// Speed, rpm.
    pub rpm: f64,
}

/// Lines of the machine's elements at a speed.
///
/// # Errors
/// A speed that is none, or the database is away.
pub async fn lines_at(desk: &Desk, id: i64, q: SpeedQuery) -> Result<Vec<LineAt>> {
    Ok(machine(desk, id).await?.0.lines_at(q.rpm)?)
}

/// A stretch of a run.
#[derive(Deserialize, IntoParams)]
pub struct StretchQuery {
    /// Start, s.
    pub from_s: f64,
    /// End, s.
    pub to_s: f64,
}

/// Speed of a stretch and the lines the machine's elements have there.
#[derive(Serialize, ToSchema)]
pub struct MarkersBody {
    /// Mean speed of the reference shaft, rpm; none where it cannot be told.
    pub rpm: Option<f64>,
    /// Lowest and highest speed.
    #[schema(value_type = Option<Vec<f64>>)]
    pub range_rpm: Option<[f64; 2]>,
    /// How well the mean is known as the place of a line, rpm: twice the spread of the speed.
    pub within_rpm: Option<f64>,
    /// Why there is no speed, in words.
    pub says: Option<String>,
    /// Lines of the machine's elements, as orders of that shaft.
    pub markers: Vec<Marker>,
    /// The tachometer that the run was recorded with, as a recipe takes it.
    pub tacho: Option<Tacho>,
}

/// Speed and markers of a stretch.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn markers(desk: &Desk, id: i64, q: StretchQuery) -> Result<MarkersBody> {
    let run = desk.store.run(id).await?;
    let machine: Machine = serde_json::from_value(desk.store.machine(run.campaign_id).await?.0).unwrap_or_default();
    let tacho = tacho_of(desk, &run).await?;
    let mut body = MarkersBody {
        rpm: None,
        range_rpm: None,
        within_rpm: None,
        says: None,
        markers: machine.markers(),
        tacho: tacho.clone(),
    };
    let Some(tacho) = tacho else {
        body.says = Some("this run has no tachometer: set one up in Plan before recording, or choose a channel".into());
        return Ok(body);
    };
    let recipe = serde_json::json!({ "lens": "speed", "tacho": tacho, "interval_s": ((q.to_s - q.from_s) / 50.0).max(0.001),
        "stretch": { "from_s": q.from_s, "to_s": q.to_s } });
    match analysed(desk, id, Recipe::from_value(recipe)?, &Arc::new(Watched::default())).await {
        Ok(result) => {
            let named = |name: &str| result.numbers.iter().find(|n| n.name == name).map(|n| n.value);
            let values: Vec<f64> =
                result.traces.first().map_or(&[][..], |t| t.real()).iter().copied().filter(|v| v.is_finite()).collect();
            body.within_rpm = statistics(&values).ok().map(|m| 2.0 * m.std);
            body.rpm = (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64);
            body.range_rpm = named("lowest").zip(named("highest")).map(|(a, b)| [a, b]);
        }
        Err(e) => body.says = Some(e.says()),
    }
    Ok(body)
}
