//! Results that are kept, told as stale; how far one is that is being made.

use super::ApiError;
use super::jobs::saved_as as named;
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use chrono::{DateTime, Utc};
use echo_application::runs::kept_file::saved_as;
use echo_job::analysis::Analysis;
use echo_job::export::ResultForm;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// A kept result without its curves.
#[derive(Serialize, ToSchema)]
pub struct KeptResultBody {
    /// Key.
    pub id: i64,
    /// Its first run; none where that is gone.
    pub run_id: Option<i64>,
    /// That run's number.
    pub run_number: Option<i32>,
    /// All runs it was made of.
    pub runs: Vec<i64>,
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
        runs: r.runs,
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

/// As what a kept result is saved.
#[derive(Deserialize, IntoParams)]
pub struct SavedAs {
    /// The form.
    pub form: ResultForm,
}

/// A kept result as a file.
#[utoipa::path(get, operation_id = "kept_result_file", path = "/api/kept-results/{id}/file", params(("id" = i64, Path), SavedAs),
    responses((status = 200, content_type = "application/octet-stream"), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn file(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<SavedAs>,
) -> Result<impl IntoResponse, ApiError> {
    let (name, bytes) = saved_as(&app.desk, id, q.form).await?;
    let kind = q.form.told().1;
    Ok(([(header::CONTENT_TYPE, kind.to_string()), (header::CONTENT_DISPOSITION, named("attachment", &name))], bytes))
}

/// Deletes a kept result; it can be brought back for a day.
#[utoipa::path(delete, operation_id = "delete_kept_result", path = "/api/kept-results/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn delete(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.store.delete_result(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Brings a deleted result back.
#[utoipa::path(post, operation_id = "restore_kept_result", path = "/api/kept-results/{id}/restore", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn restore(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.store.restore_result(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// How far an analysis is.
#[derive(Serialize, ToSchema)]
pub struct ProgressBody {
    /// Share done, 0 to 1; none where no analysis of that key is going on.
    pub share: Option<f64>,
    /// How many are before it, while it waits for room.
    pub ahead: Option<u32>,
}

/// How far the analysis is that was asked for with this `watch`.
#[utoipa::path(get, operation_id = "read_progress", path = "/api/progress/{watch}", params(("watch" = String, Path)), responses((status = 200, body = ProgressBody)))]
pub async fn progress(State(app): State<App>, Path(watch): Path<String>) -> Json<ProgressBody> {
    let going = app.desk.going.of(&watch);
    Json(ProgressBody { share: going.as_ref().map(|w| w.share()), ahead: going.and_then(|w| w.ahead()) })
}
