//! What the Study station reads beside results: cursors, markers of the machine's elements, events, benches.

use super::{ApiError, who};
use crate::App;
use crate::going::Watched;
use crate::run_source::calibrated;
use crate::work::results::{analysed, make};
use crate::work::turning::tacho_of;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use echo_job::Refusal;
use echo_job::event::{Event, EventSettings, event};
use echo_job::machine::{Machine, Marker};
use echo_job::reading::{Ask, CursorReading, read_all};
use echo_job::recipe::{Recipe, Tacho};
use echo_signal::statistics::statistics;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};

/// The machine's elements.
#[utoipa::path(get, operation_id = "read_machine", path = "/api/campaigns/{id}/machine", params(("id" = i64, Path)), responses((status = 200, body = Machine)))]
pub async fn machine(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Machine>, ApiError> {
    let body = app.store.machine(id).await?;
    Ok(Json(serde_json::from_value(body).map_err(|e| ApiError::fault(e.to_string()))?))
}

/// Writes the machine's elements.
#[utoipa::path(put, operation_id = "save_machine", path = "/api/campaigns/{id}/machine", params(("id" = i64, Path)), request_body = Machine,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn save_machine(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(machine): Json<Machine>,
) -> Result<StatusCode, ApiError> {
    machine.check()?;
    let body = serde_json::to_value(&machine).map_err(|e| ApiError::fault(e.to_string()))?;
    app.store.save_machine(id, &body, &who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
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
#[utoipa::path(get, operation_id = "read_markers", path = "/api/runs/{id}/markers", params(("id" = i64, Path), StretchQuery),
    responses((status = 200, body = MarkersBody), (status = 404, body = super::ErrorBody)))]
pub async fn markers(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<StretchQuery>,
) -> Result<Json<MarkersBody>, ApiError> {
    let run = app.store.run(id).await?;
    let machine: Machine = serde_json::from_value(app.store.machine(run.campaign_id).await?).unwrap_or_default();
    let tacho = tacho_of(&app, &run).await?;
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
        return Ok(Json(body));
    };
    let recipe = serde_json::json!({ "lens": "speed", "tacho": tacho, "interval_s": ((q.to_s - q.from_s) / 50.0).max(0.001),
        "stretch": { "from_s": q.from_s, "to_s": q.to_s } });
    match make(&app, &run, Recipe::from_value(recipe)?, &Arc::new(Watched::default())).await {
        Ok(result) => {
            let named = |name: &str| result.numbers.iter().find(|n| n.name == name).map(|n| n.value);
            let values: Vec<f64> = result
                .traces
                .first()
                .map_or(&[][..], |t| &t.values)
                .iter()
                .copied()
                .filter(|v| v.is_finite())
                .collect();
            body.within_rpm = statistics(&values).ok().map(|m| 2.0 * m.std);
            body.rpm = (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64);
            body.range_rpm = named("lowest").zip(named("highest")).map(|(a, b)| [a, b]);
        }
        Err(e) => body.says = Some(e.says()),
    }
    Ok(Json(body))
}

/// Something asked of a curve.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AskOf {
    /// The curve, from 0.
    pub trace: usize,
    /// What is asked.
    pub ask: Ask,
}

/// Cursors on a result.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReadingsRequest {
    /// The recipe of the result.
    #[schema(value_type = Recipe)]
    pub recipe: serde_json::Value,
    /// What is asked, up to 50.
    pub asks: Vec<AskOf>,
}

/// What a cursor reads, or why it cannot.
#[derive(Serialize, ToSchema)]
pub struct ReadingBody {
    /// What was read.
    #[serde(flatten)]
    pub reading: CursorReading,
    /// Why nothing was.
    pub refused: Option<String>,
}

/// Reads cursors on a result; the result itself is made, or kept from a moment ago.
#[utoipa::path(post, operation_id = "read_cursors", path = "/api/runs/{id}/readings", params(("id" = i64, Path)), request_body = ReadingsRequest,
    responses((status = 200, body = Vec<ReadingBody>), (status = 422, body = super::ErrorBody)))]
pub async fn readings(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(request): Json<ReadingsRequest>,
) -> Result<Json<Vec<ReadingBody>>, ApiError> {
    if request.asks.len() > 50 {
        let says = format!("{} are asked; allowed are up to 50 at once", request.asks.len());
        return Err(Refusal::new("asks", says).into());
    }
    let result = analysed(&app, id, request.recipe, &Arc::new(Watched::default())).await?;
    let asks: Vec<(usize, Ask)> = request.asks.into_iter().map(|a| (a.trace, a.ask)).collect();
    // A fit takes a while, which the other requests are not to wait for.
    let read = tokio::task::spawn_blocking(move || read_all(&result, &asks));
    let read = read.await.map_err(|e| ApiError::fault(e.to_string()))?;
    let one = |read: Result<CursorReading, Refusal>| match read {
        Ok(reading) => ReadingBody { reading, refused: None },
        Err(e) => ReadingBody { reading: CursorReading::default(), refused: Some(e.says) },
    };
    Ok(Json(read.into_iter().map(one).collect()))
}

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
    /// Unit of values integrated over an event.
    pub integral_unit: String,
    /// Factor that brings those to m/s, where the axes measure acceleration.
    pub to_meters_a_second: Option<f64>,
    /// One after the other.
    pub events: Vec<EventBody>,
}

/// Most events that are read at once.
const MOST_EVENTS: usize = 1000;

/// Reads the takes of a run as events.
#[utoipa::path(post, operation_id = "read_events", path = "/api/runs/{id}/events", params(("id" = i64, Path)), request_body = EventsRequest,
    responses((status = 200, body = EventsBody), (status = 422, body = super::ErrorBody)))]
pub async fn events(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(request): Json<EventsRequest>,
) -> Result<Json<EventsBody>, ApiError> {
    let run = app.store.run(id).await?;
    let all = calibrated(&app.store, id).await?;
    if !(1..=6).contains(&request.channels.len()) {
        return Err(Refusal::new("channels", "an event has 1 to 6 axes").into());
    }
    let mut axes = Vec::new();
    for channel in &request.channels {
        let found = all.iter().find(|c| c.channel == *channel);
        axes.push(found.ok_or_else(|| ApiError::missing(&format!("channel {channel} of this run")))?);
    }
    let unit = axes[0].recorded.row.unit.clone();
    if let Some(other) = axes.iter().find(|c| c.recorded.row.unit != unit) {
        let says = format!("the axes are in {unit} and {}; allowed is one unit", other.recorded.row.unit);
        return Err(Refusal::new("channels", says).into());
    }
    let rate = run.sample_rate_hz;
    let settings = EventSettings { zero: request.zero, lowpass_hz: request.lowpass_hz };
    let mut events = Vec::new();
    for t in app.store.takes(id).await?.into_iter().take(MOST_EVENTS) {
        let count = t.samples.unwrap_or(i64::MAX).min(run.samples - t.first_sample).max(0) as usize;
        let mut samples = Vec::with_capacity(axes.len());
        for c in &axes {
            let counts = app.store.counts(id, c.channel, t.first_sample, count).await?;
            samples.push(counts.into_iter().map(|x| x.map_or(f64::NAN, |x| f64::from(x) * c.factor)).collect());
        }
        let pre = (t.trigger_sample - t.first_sample).max(0) as usize;
        let found = event(&samples, pre, rate, settings);
        let at = |sample: i64| sample as f64 / rate;
        events.push(EventBody {
            number: t.number,
            from_s: at(t.first_sample),
            to_s: at(t.first_sample + count as i64),
            trigger_s: at(t.trigger_sample),
            refused: found.as_ref().err().map(|e| e.says.clone()),
            event: found.ok(),
        });
    }
    let acceleration = axes[0].recorded.row.quantity == echo_job::unit::Quantity::Acceleration;
    let factor = echo_job::unit::find(&unit).ok().filter(|_| acceleration).map(|u| u.to_si);
    Ok(Json(EventsBody {
        axes: axes.iter().map(|c| c.recorded.row.name.clone()).collect(),
        integral_unit: format!("{}·s", echo_job::unit::grouped(&unit)),
        to_meters_a_second: factor,
        unit,
        events,
    }))
}

/// A lens on a bench: place and size in twelfths of the width and rows of the height.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LensPanel {
    /// Column of its left edge, 0 to 11.
    pub x: u16,
    /// Row of its upper edge.
    pub y: u16,
    /// Columns it is wide, 1 to 12.
    pub w: u16,
    /// Rows it is high.
    pub h: u16,
    /// The lens with its settings, without channels and stretch.
    #[schema(value_type = Object)]
    pub recipe: serde_json::Value,
    /// Channels of its own; those of the bench where empty.
    #[serde(default)]
    pub channels: Vec<u32>,
    /// How it is drawn.
    #[serde(default)]
    #[schema(value_type = Object)]
    pub look: serde_json::Value,
}

/// A bench of lenses.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct StudyBench {
    /// Its panels.
    pub panels: Vec<LensPanel>,
}

/// A bench of lenses under its name.
#[derive(Serialize, ToSchema)]
pub struct KeptStudyBench {
    /// Its name.
    pub name: String,
    /// The bench.
    pub bench: StudyBench,
}

/// Benches of the Study station.
#[utoipa::path(get, operation_id = "list_study_benches", path = "/api/campaigns/{id}/study-benches", params(("id" = i64, Path)), responses((status = 200, body = Vec<KeptStudyBench>)))]
pub async fn benches(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<KeptStudyBench>>, ApiError> {
    let all = app.store.benches(id, "study").await?;
    let read = |(name, body)| Some(KeptStudyBench { name, bench: serde_json::from_value(body).ok()? });
    Ok(Json(all.into_iter().filter_map(read).collect()))
}

/// Keeps a bench of lenses under a name; one of that name is replaced.
#[utoipa::path(put, operation_id = "keep_study_bench", path = "/api/campaigns/{id}/study-benches/{name}", params(("id" = i64, Path), ("name" = String, Path)), request_body = StudyBench,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn keep_bench(
    State(app): State<App>,
    Path((id, name)): Path<(i64, String)>,
    Json(bench): Json<StudyBench>,
) -> Result<StatusCode, ApiError> {
    let name = super::benches::name(&name)?;
    if bench.panels.len() > 24 {
        let says = format!("the bench has {} lenses; allowed are up to 24", bench.panels.len());
        return Err(Refusal::new("panels", says).into());
    }
    for p in &bench.panels {
        Recipe::from_value(p.recipe.clone())?;
        if !super::benches::fits([p.x, p.y, p.w, p.h]) {
            return Err(Refusal::new("panels", "a lens does not fit a bench of 12 columns").into());
        }
    }
    let body = serde_json::to_value(&bench).map_err(|e| ApiError::fault(e.to_string()))?;
    app.store.keep_bench(id, "study", name, &body).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Lets a bench of lenses go.
#[utoipa::path(delete, operation_id = "drop_study_bench", path = "/api/campaigns/{id}/study-benches/{name}", params(("id" = i64, Path), ("name" = String, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn drop_bench(State(app): State<App>, Path((id, name)): Path<(i64, String)>) -> Result<StatusCode, ApiError> {
    app.store.drop_bench(id, "study", &name).await?;
    Ok(StatusCode::NO_CONTENT)
}
