//! Results that are kept: made of many runs at once, told as stale, made again.

use super::{ApiError, who};
use crate::App;
use crate::batch::{OneOf, Wish};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use echo_job::analysis::Analysis;
use echo_job::recipe::Recipe;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Most results of one list.
const MOST: usize = 500;

/// A kept result without its curves.
#[derive(Serialize, ToSchema)]
pub struct KeptResultBody {
    /// Key.
    pub id: i64,
    /// Its run.
    pub run_id: i64,
    /// The run's number.
    pub run_number: i32,
    /// Its name.
    pub name: String,
    /// The recipe, defaults filled in.
    #[schema(value_type = Object)]
    pub recipe: serde_json::Value,
    /// Whether something was put right in the run since it was made.
    pub stale: bool,
    /// Who had it made.
    pub who: String,
    /// When.
    pub made_at: DateTime<Utc>,
}

/// Kept results of a campaign's runs.
#[utoipa::path(get, operation_id = "list_kept_results", path = "/api/campaigns/{id}/kept-results", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<KeptResultBody>)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<KeptResultBody>>, ApiError> {
    let all = app.store.kept_results(id).await?.into_iter().map(|r| KeptResultBody {
        id: r.id,
        run_id: r.run_id,
        run_number: r.run_number,
        name: r.name,
        recipe: r.recipe,
        stale: r.stale,
        who: r.who,
        made_at: r.made_at,
    });
    Ok(Json(all.collect()))
}

/// A kept result with its curves, thinned to some thousand points.
#[utoipa::path(get, operation_id = "read_kept_result", path = "/api/kept-results/{id}", params(("id" = i64, Path)),
    responses((status = 200, body = Analysis), (status = 404, body = super::ErrorBody)))]
pub async fn one(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<serde_json::Value>, ApiError> {
    Ok(Json(app.store.kept_result(id).await?))
}

/// Lets a kept result go.
#[utoipa::path(delete, operation_id = "drop_kept_result", path = "/api/kept-results/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn drop(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.store.drop_result(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What a list is to make.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewBatch {
    /// Name the results are kept under, 1 to 80 characters; left out where kept ones are made again.
    #[serde(default)]
    pub name: String,
    /// The recipe; its channels are those of `numbered_as`.
    #[serde(default)]
    #[schema(value_type = Option<Recipe>)]
    pub recipe: Option<serde_json::Value>,
    /// The run whose channels the recipe names; in others they are found by their names.
    #[serde(default)]
    pub numbered_as: Option<i64>,
    /// Runs it is carried out on.
    #[serde(default)]
    pub runs: Vec<i64>,
    /// Kept results that are made again.
    #[serde(default)]
    pub again: Vec<i64>,
}

/// A list that was begun.
#[derive(Serialize, ToSchema)]
pub struct BatchKey {
    /// Its key.
    pub id: i64,
}

/// Begins a list of results; they are made one after the other and kept.
#[utoipa::path(post, operation_id = "begin_batch", path = "/api/campaigns/{id}/batches", params(("id" = i64, Path)), request_body = NewBatch,
    responses((status = 200, body = BatchKey), (status = 422, body = super::ErrorBody)))]
pub async fn begin(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(new): Json<NewBatch>,
) -> Result<Json<BatchKey>, ApiError> {
    let mut wishes = Vec::new();
    if let Some(recipe) = new.recipe {
        let recipe = Recipe::from_value(recipe)?;
        let name = new.name.trim();
        if name.is_empty() || name.chars().count() > 80 {
            return Err(Refusal::new("name", "a result is kept under a name; allowed are 1 to 80 characters").into());
        }
        let known: Vec<i64> = app.store.runs(id).await?.into_iter().map(|r| r.id).collect();
        if let Some(run) = new.runs.iter().find(|r| !known.contains(r)) {
            return Err(Refusal::new("runs", format!("{run} is no run of this campaign")).into());
        }
        wishes.extend(new.runs.iter().map(|run| Wish {
            run_id: *run,
            name: name.into(),
            recipe: recipe.clone(),
            numbered_as: new.numbered_as,
        }));
    }
    let kept = if new.again.is_empty() { Vec::new() } else { app.store.kept_results(id).await? };
    for key in &new.again {
        let found = kept.iter().find(|k| k.id == *key);
        let k = found.ok_or_else(|| Refusal::new("again", format!("{key} is no kept result of this campaign")))?;
        let recipe = Recipe::from_value(k.recipe.clone())?;
        wishes.push(Wish { run_id: k.run_id, name: k.name.clone(), recipe, numbered_as: None });
    }
    if wishes.is_empty() || wishes.len() > MOST {
        let says = format!("{} results are asked for; allowed are 1 to {MOST}", wishes.len());
        return Err(Refusal::new("runs", says).into());
    }
    Ok(Json(BatchKey { id: app.batches.begin(&app, wishes, who(&headers)) }))
}

/// Where a list stands.
#[utoipa::path(get, operation_id = "read_batch", path = "/api/batches/{id}", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<OneOf>), (status = 404, body = super::ErrorBody)))]
pub async fn stands(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<OneOf>>, ApiError> {
    app.batches.stands(id).map(Json).ok_or_else(|| ApiError::missing(&format!("list {id}")))
}

/// Stops a list; what is made already stays.
#[utoipa::path(delete, operation_id = "stop_batch", path = "/api/batches/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    if app.batches.stop(id) { Ok(StatusCode::NO_CONTENT) } else { Err(ApiError::missing(&format!("list {id}"))) }
}

/// How far an analysis is.
#[derive(Serialize, ToSchema)]
pub struct ProgressBody {
    /// Share done, 0 to 1; none where no analysis of that key is going on.
    pub share: Option<f64>,
}

/// How far the analysis is that was asked for with this `watch`.
#[utoipa::path(get, operation_id = "read_progress", path = "/api/progress/{watch}", params(("watch" = String, Path)), responses((status = 200, body = ProgressBody)))]
pub async fn progress(State(app): State<App>, Path(watch): Path<String>) -> Json<ProgressBody> {
    Json(ProgressBody { share: app.going.share(&watch) })
}
