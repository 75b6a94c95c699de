//! Recipes carried out on runs.

use super::budget::weight;
use super::going::{Hangup, Watched};
use super::source::{RunSource, calibrated};
use crate::{Desk, Error, Result};
use chrono::Utc;
use echo_job::analysis::thin::{cropped, thinned};
use echo_job::analysis::{Analysis, Provenance, analyze};
use echo_job::recipe::Recipe;
use echo_store::run::Run;
use serde::Deserialize;
use std::sync::Arc;
use utoipa::IntoParams;

/// Names of a run's channels, in their order.
///
/// # Errors
/// The database is away.
pub async fn names_of(desk: &Desk, run: i64) -> Result<Vec<String>> {
    Ok(calibrated(&desk.store, run).await?.into_iter().map(|c| c.recorded.row.name).collect())
}

/// Carries out a recipe on a run, away from the threads that answer requests.
///
/// # Errors
/// The recipe does not fit, the database is away.
pub async fn make(desk: &Desk, run: &Run, recipe: Recipe, watched: &Arc<Watched>) -> Result<Analysis> {
    let mut source = RunSource::open(&desk.store, run).await?;
    let provenance = Provenance {
        at: Utc::now().to_rfc3339(),
        input: format!("run {} of campaign {}", run.number, run.campaign_id),
        fingerprint: None,
    };
    let watched = watched.clone();
    let hangup = Hangup::of(&watched);
    let room = desk.budget.room(weight(&recipe, &source), &watched).await?;
    let threads = desk.budget.threads();
    let made = tokio::task::spawn_blocking(move || {
        // Held until the result is made, though nobody waits for it any more.
        let _room = room;
        let made = threads.install(|| analyze(&recipe, &mut source, provenance, &mut |share| watched.tell(share)));
        made.map(|mut made| {
            made.made.channels = source.read_channels();
            made
        })
    })
    .await?;
    hangup.served();
    Ok(made?)
}

/// The result of a recipe on a run: made, or kept from a moment ago.
///
/// # Errors
/// As [`make`]; a run without samples.
pub async fn analysed(desk: &Desk, id: i64, recipe: Recipe, watched: &Arc<Watched>) -> Result<Arc<Analysis>> {
    let run = desk.store.run(id).await?;
    if run.samples == 0 {
        return Err(Error::conflict(format!("run {} holds no samples yet; wait until it has ended", run.number)));
    }
    // A run that grows and a sensitivity put right make another result.
    let corrected = desk.store.corrected(id).await?;
    let text = serde_json::to_string(&recipe)?;
    let of = format!("{id} {} {corrected} {text}", run.samples);
    if let Some(kept) = desk.results.get(&of) {
        return Ok(kept);
    }
    let result = Arc::new(make(desk, &run, recipe, watched).await?);
    desk.results.keep(of, result.clone());
    Ok(result)
}

/// How a result is sent.
#[derive(Deserialize, IntoParams)]
pub struct ResultQuery {
    /// Points an axis at most, for a picture; what stands out stays. All when left out.
    pub most: Option<usize>,
    /// Only what is from here on along the last axis.
    pub low: Option<f64>,
    /// Only what is up to here along the last axis.
    pub high: Option<f64>,
    /// A key of the asker's by which the progress can be read meanwhile.
    pub watch: Option<String>,
    /// The run whose channels the recipe names; in this one they are found by their names.
    pub numbered_as: Option<i64>,
}

/// Carries out a recipe. Going away stops it.
///
/// # Errors
/// As [`analysed`].
pub async fn sent(desk: &Desk, id: i64, q: ResultQuery, recipe: serde_json::Value) -> Result<Analysis> {
    let watched = Arc::new(Watched::default());
    let _held = desk.going.followed(q.watch.as_deref(), &watched);
    let recipe = numbered(desk, Recipe::from_value(recipe)?, q.numbered_as, id).await?;
    let result = analysed(desk, id, recipe, &watched).await?;
    let part = match (q.low, q.high) {
        (None, None) => Analysis::clone(&result),
        (low, high) => cropped(&result, low.unwrap_or(f64::NEG_INFINITY), high.unwrap_or(f64::INFINITY)),
    };
    Ok(match q.most {
        Some(most) => thinned(&part, most.clamp(2, 100_000)),
        None => part,
    })
}

/// The recipe as a run takes it, where it was written for the channels of another one.
///
/// # Errors
/// A channel this run does not have.
pub async fn numbered(desk: &Desk, recipe: Recipe, of: Option<i64>, run: i64) -> Result<Recipe> {
    match of.filter(|of| *of != run) {
        Some(of) => Ok(recipe.for_channels(&names_of(desk, of).await?, &names_of(desk, run).await?)?),
        None => Ok(recipe),
    }
}
