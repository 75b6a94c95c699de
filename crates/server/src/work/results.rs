//! Recipes carried out on runs.

use super::budget::weight;
use crate::App;
use crate::error::ApiError;
use crate::going::{Hangup, Watched};
use crate::run_source::{RunSource, calibrated};
use chrono::Utc;
use echo_job::analysis::{Analysis, Provenance, analyze};
use echo_job::recipe::Recipe;
use echo_store::run::Run;
use std::sync::Arc;

/// Names of a run's channels, in their order.
///
/// # Errors
/// The database is away.
pub async fn names_of(app: &App, run: i64) -> Result<Vec<String>, ApiError> {
    Ok(calibrated(&app.store, run).await?.into_iter().map(|c| c.recorded.row.name).collect())
}

/// Carries out a recipe on a run, away from the threads that answer requests.
///
/// # Errors
/// The recipe does not fit, the database is away.
pub async fn make(app: &App, run: &Run, recipe: Recipe, watched: &Arc<Watched>) -> Result<Analysis, ApiError> {
    let mut source = RunSource::open(&app.store, run).await?;
    let provenance = Provenance {
        at: Utc::now().to_rfc3339(),
        input: format!("run {} of campaign {}", run.number, run.campaign_id),
        fingerprint: None,
    };
    let watched = watched.clone();
    let _hangup = Hangup(watched.clone());
    let room = app.budget.room(weight(&recipe, &source)).await?;
    let threads = app.budget.threads();
    tokio::task::spawn_blocking(move || {
        // Held until the result is made, though nobody waits for it any more.
        let _room = room;
        threads.install(|| analyze(&recipe, &mut source, provenance, &mut |share| watched.tell(share)))
    })
    .await
    .map_err(|e| ApiError::fault(e.to_string()))?
    .map_err(ApiError::from)
}

/// The result of a recipe on a run: made, or kept from a moment ago.
///
/// # Errors
/// As [`make`]; a run without samples.
pub async fn analysed(
    app: &App,
    id: i64,
    recipe: serde_json::Value,
    watched: &Arc<Watched>,
) -> Result<Arc<Analysis>, ApiError> {
    let recipe = Recipe::from_value(recipe)?;
    let run = app.store.run(id).await?;
    if run.samples == 0 {
        return Err(ApiError::conflict(format!("run {} holds no samples yet; wait until it has ended", run.number)));
    }
    // A run that grows and a sensitivity put right make another result.
    let corrected = app.store.corrected(id).await?;
    let text = serde_json::to_string(&recipe).map_err(|e| ApiError::fault(e.to_string()))?;
    let of = format!("{id} {} {corrected} {text}", run.samples);
    if let Some(kept) = app.results.get(&of) {
        return Ok(kept);
    }
    let result = Arc::new(make(app, &run, recipe, watched).await?);
    app.results.keep(of, result.clone());
    Ok(result)
}
