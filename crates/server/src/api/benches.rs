//! Benches: displays placed and sized by whoever works with them, kept under a name.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use echo_job::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a display shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Display {
    /// The newest stretch.
    Waveform,
    /// The recording so far, or a long moving window.
    Strip,
    /// A spectrum.
    Spectrum,
    /// Levels as shares of range.
    Bars,
    /// A few values in large figures.
    Numbers,
    /// All values as a table.
    Table,
    /// Speed with its pulse train.
    Speed,
    /// Two directions of a shaft against each other.
    Orbit,
    /// Spectra one above the other.
    Waterfall,
    /// Watched quantities with their limits.
    Limits,
    /// What capture does.
    Now,
}

/// A display on a bench: place and size in twelfths of the width and rows of the height.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Pane {
    /// What it shows.
    pub display: Display,
    /// Column of its left edge, 0 to 11.
    pub x: u16,
    /// Row of its upper edge.
    pub y: u16,
    /// Columns it is wide, 1 to 12.
    pub w: u16,
    /// Rows it is high.
    pub h: u16,
    /// Inputs it shows.
    #[serde(default)]
    pub inputs: Vec<u16>,
    /// Length shown, s; the whole recording when left out of a strip.
    #[serde(default)]
    pub seconds: Option<f64>,
    /// Block of a spectrum, samples.
    #[serde(default)]
    pub block: Option<u32>,
    /// Highest frequency shown, Hz.
    #[serde(default)]
    pub to_hz: Option<f64>,
    /// Blocks a spectrum averages.
    #[serde(default)]
    pub averages: Option<u32>,
    /// Unit of a spectrum; the channel's when left out.
    #[serde(default)]
    pub unit: Option<String>,
    /// Band whose envelope a spectrum is of, Hz.
    #[serde(default)]
    pub envelope_hz: Option<(f64, f64)>,
    /// The largest value so far is shown too.
    #[serde(default)]
    pub hold: bool,
}

/// A bench.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Bench {
    /// Its displays.
    pub panes: Vec<Pane>,
}

/// A bench under its name.
#[derive(Serialize, ToSchema)]
pub struct KeptBench {
    /// Its name.
    pub name: String,
    /// The bench.
    pub bench: Bench,
}

/// Columns of a bench.
const COLUMNS: u16 = 12;
/// Most displays of a bench.
const MOST: usize = 24;

/// Whether something of this place, width and height has room on a bench.
pub(super) fn fits([x, y, w, h]: [u16; 4]) -> bool {
    (1..=COLUMNS).contains(&w) && x <= COLUMNS - w && (1..=60).contains(&h) && y <= 600
}

impl Bench {
    fn check(&self) -> Result<(), Refusal> {
        let wrong = |says: String| Err(Refusal::new("panes", says));
        if self.panes.len() > MOST {
            return wrong(format!("the bench has {} displays; allowed are up to {MOST}", self.panes.len()));
        }
        for p in &self.panes {
            if !fits([p.x, p.y, p.w, p.h]) {
                return wrong(format!(
                    "a display of {} × {} at {}, {} does not fit a bench of {COLUMNS} columns",
                    p.w, p.h, p.x, p.y
                ));
            }
            if p.seconds.is_some_and(|s| !(s > 0.0 && s <= 86_400.0)) {
                return wrong("a display shows above 0 s and up to a day".into());
            }
            if p.block.is_some_and(|b| !(64..=1 << 17).contains(&b)) {
                return wrong("a block has 64 to 131072 samples".into());
            }
        }
        Ok(())
    }
}

/// A bench's name, trimmed.
///
/// # Errors
/// None, or too long.
pub(super) fn name(name: &str) -> Result<&str, Refusal> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 40 {
        return Err(Refusal::new("name", format!("the bench is called “{name}”; allowed are 1 to 40 characters")));
    }
    Ok(name)
}

/// Benches of the Run station.
#[utoipa::path(get, operation_id = "list_benches", path = "/api/campaigns/{id}/benches", params(("id" = i64, Path)), responses((status = 200, body = Vec<KeptBench>)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<KeptBench>>, ApiError> {
    let all = app.store.benches(id, "run").await?;
    let read = |(name, body)| Some(KeptBench { name, bench: serde_json::from_value(body).ok()? });
    Ok(Json(all.into_iter().filter_map(read).collect()))
}

/// Keeps a bench under a name; one of that name is replaced.
#[utoipa::path(put, operation_id = "keep_bench", path = "/api/campaigns/{id}/benches/{name}", params(("id" = i64, Path), ("name" = String, Path)), request_body = Bench,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    Path((id, name)): Path<(i64, String)>,
    Json(bench): Json<Bench>,
) -> Result<StatusCode, ApiError> {
    let name = self::name(&name)?;
    bench.check()?;
    let body = serde_json::to_value(&bench).map_err(|e| ApiError::fault(e.to_string()))?;
    app.store.keep_bench(id, "run", name, &body).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Lets a bench go.
#[utoipa::path(delete, operation_id = "drop_bench", path = "/api/campaigns/{id}/benches/{name}", params(("id" = i64, Path), ("name" = String, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn drop(State(app): State<App>, Path((id, name)): Path<(i64, String)>) -> Result<StatusCode, ApiError> {
    app.store.drop_bench(id, "run", &name).await?;
    Ok(StatusCode::NO_CONTENT)
}
