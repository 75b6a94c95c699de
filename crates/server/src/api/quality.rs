//! What is wrong with a run along its time, where it lies over another one, and computed channels.

use super::{ApiError, who};
use crate::App;
use crate::going::Watched;
use crate::live::COMPUTED_FROM;
use crate::run_source::calibrated;
use crate::work::computed::{RunMath, computed};
use crate::work::results::{analysed, make};
use crate::work::turning::tacho_of;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use echo_job::Refusal;
use echo_job::align::same_speed;
use echo_job::analysis::Analysis;
use echo_job::math::{Known, MathChannel};
use echo_job::recipe::Recipe;
use echo_job::unit::Quantity;
use echo_signal::impact::{SECOND_HIT_APART_S, SECOND_HIT_SHARE, double_hit};
use echo_store::run::Run;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};

/// Something wrong at a stretch of a run.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct QualityMark {
    /// `clipped`, `double hit`, `tacho missed`, `tacho extra`, `tacho jitter`.
    pub kind: String,
    /// Channel it is about.
    pub channel: i16,
    /// Start, s.
    pub from_s: f64,
    /// Length, s; 0 for a moment.
    pub length_s: f64,
    /// In words.
    pub says: String,
}

/// Marks of a run.
#[derive(Serialize, ToSchema)]
pub struct QualityBody {
    /// What is wrong, in the order of time.
    pub marks: Vec<QualityMark>,
    /// What could not be looked through, in words.
    pub unseen: Option<String>,
}

/// Most stretches of one kind that are told.
const MOST: usize = 500;
/// Runs up to here are looked through for faults of the tachometer, s.
const TACHO_UP_TO_S: f64 = 900.0;

/// Looks through a run for what is wrong with it: clipped stretches, faults of the tachometer, double hits.
#[utoipa::path(get, operation_id = "read_quality", path = "/api/runs/{id}/quality", params(("id" = i64, Path)),
    responses((status = 200, body = QualityBody), (status = 404, body = super::ErrorBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<QualityBody>, ApiError> {
    let run = app.store.run(id).await?;
    let mut marks = clipped(&app, &run).await?;
    marks.extend(double_hits(&app, &run).await?);
    let mut unseen = None;
    if let Some(tacho) = tacho_of(&app, &run).await?.filter(|_| run.samples > 0) {
        if run.samples as f64 / run.sample_rate_hz > TACHO_UP_TO_S {
            unseen = Some("the tachometer of a run of more than 15 minutes is not looked through by itself: bracket a stretch and add Speed".into());
        } else {
            let recipe = Recipe::from_value(serde_json::json!({ "lens": "speed", "tacho": tacho }))?;
            match make(&app, &run, recipe, &Arc::new(Watched::default())).await {
                Ok(speed) => marks.extend(tacho_faults(&speed)),
                Err(e) => unseen = Some(e.says()),
            }
        }
    }
    marks.sort_by(|a, b| a.from_s.total_cmp(&b.from_s));
    Ok(Json(QualityBody { marks, unseen }))
}

async fn clipped(app: &App, run: &Run) -> Result<Vec<QualityMark>, ApiError> {
    let mut marks: Vec<QualityMark> = Vec::new();
    for (channel, first, samples) in app.store.clipped_stretches(run.id, 20_000).await? {
        let (from_s, length_s) = (first as f64 / run.sample_rate_hz, f64::from(samples) / run.sample_rate_hz);
        // Chunks that follow each other are one stretch.
        let room = marks.len() < MOST;
        match marks.last_mut() {
            Some(m) if m.channel == channel && (m.from_s + m.length_s - from_s).abs() < 1e-6 => m.length_s += length_s,
            _ if room => {
                marks.push(QualityMark { kind: "clipped".into(), channel, from_s, length_s, says: "over range".into() })
            }
            _ => break,
        }
    }
    Ok(marks)
}

fn tacho_faults(speed: &Analysis) -> Vec<QualityMark> {
    let faults = speed.cautions.iter().filter(|c| c.rule.starts_with("tacho "));
    faults
        .flat_map(|c| {
            c.places_s.iter().take(MOST).map(|at| QualityMark {
                kind: c.rule.clone(),
                channel: c.channel.unwrap_or_default() as i16,
                from_s: *at,
                length_s: 0.0,
                says: match c.rule.as_str() {
                    "tacho missed" => "a pulse is missing before",
                    "tacho extra" => "a pulse too many",
                    _ => "a pulse more than 15 % early or late",
                }
                .into(),
            })
        })
        .collect()
}

async fn double_hits(app: &App, run: &Run) -> Result<Vec<QualityMark>, ApiError> {
    let all = calibrated(&app.store, run.id).await?;
    let mut marks = Vec::new();
    for c in all.iter().filter(|c| c.recorded.row.quantity == Quantity::Force) {
        for t in app.store.takes(run.id).await?.into_iter().take(MOST) {
            let count = t.samples.unwrap_or(i64::MAX).min(run.samples - t.first_sample).max(0) as usize;
            let counts = app.store.counts(run.id, c.channel, t.first_sample, count).await?;
            let force: Vec<f64> = counts.into_iter().flatten().map(f64::from).collect();
            if let Ok(Some(hit)) = double_hit(&force, run.sample_rate_hz, SECOND_HIT_SHARE, SECOND_HIT_APART_S) {
                marks.push(QualityMark {
                    kind: "double hit".into(),
                    channel: c.channel,
                    from_s: (t.first_sample + hit.at as i64) as f64 / run.sample_rate_hz,
                    length_s: 0.0,
                    says: format!("take {}: a second hit of {:.0} % of the first", t.number, 100.0 * hit.share),
                });
            }
        }
    }
    Ok(marks)
}

/// How two runs are laid over each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AlignBy {
    /// Both from their start.
    Time,
    /// By their triggers: the take at the place, or the next one, with the take of that number.
    Trigger,
    /// By the speed at the place.
    Speed,
}

/// Which run over which.
#[derive(Deserialize, IntoParams)]
pub struct AlignQuery {
    /// The run that is laid over this one.
    pub other: i64,
    /// How.
    #[param(inline)]
    pub by: AlignBy,
    /// The place in this run, s.
    pub at_s: f64,
}

/// Where the place lies in the other run.
#[derive(Serialize, ToSchema)]
pub struct AlignBody {
    /// Added to a time of this run, s.
    pub shift_s: f64,
}

/// Where a place of this run lies in another one.
#[utoipa::path(get, operation_id = "align_runs", path = "/api/runs/{id}/alignment", params(("id" = i64, Path), AlignQuery),
    responses((status = 200, body = AlignBody), (status = 422, body = super::ErrorBody)))]
pub async fn align(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<AlignQuery>,
) -> Result<Json<AlignBody>, ApiError> {
    let (this, other) = (app.store.run(id).await?, app.store.run(q.other).await?);
    let shift_s = match q.by {
        AlignBy::Time => 0.0,
        AlignBy::Trigger => {
            let (mine, theirs) = (app.store.takes(id).await?, app.store.takes(q.other).await?);
            let at = |sample: i64, run: &Run| sample as f64 / run.sample_rate_hz;
            let next = mine.iter().find(|t| at(t.trigger_sample, &this) >= q.at_s).or(mine.last());
            let next = next.ok_or_else(|| none("trigger", this.number, "no takes"))?;
            let theirs = theirs.iter().find(|t| t.number == next.number);
            let theirs = theirs.ok_or_else(|| none("trigger", other.number, &format!("no take {}", next.number)))?;
            at(theirs.trigger_sample, &other) - at(next.trigger_sample, &this)
        }
        AlignBy::Speed => {
            let (a, b) = (speed_of(&app, &this).await?, speed_of(&app, &other).await?);
            let of = |s: &Analysis| -> (Vec<f64>, Vec<f64>) {
                (s.axes[0].values.clone(), s.traces.first().map_or_else(Vec::new, |t| t.values.clone()))
            };
            let (a, b) = (of(&a), of(&b));
            same_speed((&a.0, &a.1), q.at_s, (&b.0, &b.1))? - q.at_s
        }
    };
    Ok(Json(AlignBody { shift_s }))
}

fn none(field: &str, run: i32, what: &str) -> ApiError {
    Refusal::new(field, format!("run {run} has {what}; allowed is another way to lay the runs over each other")).into()
}

async fn speed_of(app: &App, run: &Run) -> Result<Arc<Analysis>, ApiError> {
    let tacho = tacho_of(app, run).await?.ok_or_else(|| none("speed", run.number, "no tachometer"))?;
    let recipe = serde_json::json!({ "lens": "speed", "tacho": tacho });
    analysed(app, run.id, recipe, &Arc::new(Watched::default())).await
}

/// Computed channels of a campaign, numbered as live displays take them.
#[utoipa::path(get, operation_id = "list_math", path = "/api/campaigns/{id}/math", params(("id" = i64, Path)), responses((status = 200, body = Vec<RunMath>)))]
pub async fn math(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<RunMath>>, ApiError> {
    let rig = app.store.rig(id).await?.rig;
    let known: Vec<Known> = rig.active().map(|c| Known { name: c.name.clone(), unit: c.unit.clone() }).collect();
    let shown =
        |m: RunMath| RunMath { channel: m.channel.map(|c| c - known.len() as u32 - 1 + u32::from(COMPUTED_FROM)), ..m };
    Ok(Json(computed(&known, app.store.math(id).await?).into_iter().map(shown).collect()))
}

/// Computed channels, and the run their formulas are tried on.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewMath {
    /// All of them, in the order in which they may name each other.
    pub channels: Vec<MathChannel>,
    /// The run; the campaign's rig where left out.
    #[serde(default)]
    pub run: Option<i64>,
}

/// Replaces the computed channels of a campaign.
#[utoipa::path(put, operation_id = "save_math", path = "/api/campaigns/{id}/math", params(("id" = i64, Path)), request_body = NewMath,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn save_math(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(new): Json<NewMath>,
) -> Result<StatusCode, ApiError> {
    if new.channels.len() > 64 {
        let says = format!("{} computed channels; allowed are up to 64", new.channels.len());
        return Err(Refusal::new("math", says).into());
    }
    let known: Vec<Known> = match new.run {
        Some(run) => {
            let all = calibrated(&app.store, run).await?;
            all.into_iter().map(|c| Known { name: c.recorded.row.name, unit: c.recorded.row.unit }).collect()
        }
        None => {
            let rig = app.store.rig(id).await?.rig;
            rig.active().map(|c| Known { name: c.name.clone(), unit: c.unit.clone() }).collect()
        }
    };
    // What was there before and fits another run only is let stand; what is new must be right.
    let before = app.store.math(id).await?;
    for m in computed(&known, new.channels.clone()) {
        if let Some(says) = m.refused.filter(|_| !before.contains(&m.math)) {
            return Err(Refusal::new("math", says).into());
        }
    }
    app.store.save_math(id, &new.channels, &who(&headers)).await?;
    app.math_changed();
    Ok(StatusCode::NO_CONTENT)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn faults_are_marked_by_their_kind() {
        let places = |rule: &str, at: &[f64]| echo_job::analysis::result::ResultCaution {
            rule: rule.into(),
            channel: Some(21),
            says: String::new(),
            places_s: at.to_vec(),
        };
        let mut source = echo_job::analysis::Memory::new(10.0, vec![("a".into(), "V".into(), vec![1.0; 20])]);
        let provenance = echo_job::analysis::Provenance { at: String::new(), input: String::new(), fingerprint: None };
        let recipe = Recipe::from_json(r#"{"lens": "waveform"}"#).unwrap();
        let mut speed = echo_job::analysis::analyze(&recipe, &mut source, provenance, &mut |_| true).unwrap();
        speed.cautions =
            vec![places("tacho missed", &[2.5, 7.0]), places("gap", &[1.0]), places("tacho jitter", &[3.0])];
        let marks = tacho_faults(&speed);
        let told: Vec<(&str, f64, i16)> = marks.iter().map(|m| (m.kind.as_str(), m.from_s, m.channel)).collect();
        assert_eq!(told, [("tacho missed", 2.5, 21), ("tacho missed", 7.0, 21), ("tacho jitter", 3.0, 21)]);
        assert!(marks[2].says.contains("early or late"));
    }
}
