//! The table of responses, and modes of them.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use echo_application::runs::deflection::{self, DeflectionBody};
use echo_application::runs::going::Following;
use echo_application::taps::functions::{self, FunctionsBody, OfSet, TakeOut};
use echo_application::taps::halves::{self, HalvesBody};
use echo_application::taps::kept::{self, KeepResponses};
use echo_application::taps::modes::{self, CompareWish, KeepModes, ModesBody, ModesWish, SynthesisBody, SynthesisWish};
use echo_job::analysis::Analysis;
use echo_job::analysis::modal::Compared;
use echo_job::recipe::Recipe;
use serde::Deserialize;
use utoipa::IntoParams;

/// How a universal file is written.
#[derive(Deserialize, IntoParams)]
pub struct Written {
    /// The series.
    pub series: Option<i64>,
    /// The file that was brought in.
    pub source: Option<String>,
    /// Whether values are binary.
    #[serde(default)]
    pub binary: bool,
}

fn universal_file(name: &str, bytes: Vec<u8>) -> impl IntoResponse + use<> {
    let saved = format!("attachment; filename=\"{name}\"");
    ([(header::CONTENT_TYPE, "application/octet-stream".to_string()), (header::CONTENT_DISPOSITION, saved)], bytes)
}

/// Responses of a campaign, of tap series and of files.
#[utoipa::path(get, operation_id = "list_functions", path = "/api/campaigns/{id}/functions", params(("id" = i64, Path)),
    responses((status = 200, body = FunctionsBody)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<FunctionsBody>, ApiError> {
    Ok(Json(functions::list(&app.desk, id).await?))
}

/// Takes responses out of what is made of them, or in again.
#[utoipa::path(put, operation_id = "take_functions", path = "/api/campaigns/{id}/functions", params(("id" = i64, Path)), request_body = TakeOut,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn take_out(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(take): Json<TakeOut>,
) -> Result<StatusCode, ApiError> {
    functions::take_out(&app.desk, id, &take).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes responses that were brought in.
#[utoipa::path(post, operation_id = "delete_functions", path = "/api/campaigns/{id}/functions/delete", params(("id" = i64, Path)), request_body = Vec<i64>,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn delete(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(keys): Json<Vec<i64>>,
) -> Result<StatusCode, ApiError> {
    functions::delete(&app.desk, id, &keys).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Some responses with their coherences.
#[utoipa::path(post, operation_id = "read_functions", path = "/api/campaigns/{id}/functions/curves", params(("id" = i64, Path)), request_body = Vec<i64>,
    responses((status = 200, body = Analysis), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn curves(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(keys): Json<Vec<i64>>,
) -> Result<Json<Analysis>, ApiError> {
    Ok(Json(functions::curves(&app.desk, id, &keys).await?))
}

/// A set of responses as a universal file, with the geometry.
#[utoipa::path(get, operation_id = "functions_universal", path = "/api/campaigns/{id}/functions.uff", params(("id" = i64, Path), Written),
    responses((status = 200, content_type = "application/octet-stream"), (status = 422, body = super::ErrorBody)))]
pub async fn universal(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(w): Query<Written>,
) -> Result<impl IntoResponse, ApiError> {
    let set = OfSet { series: w.series, source: w.source, run: None };
    Ok(universal_file("responses.uff", functions::universal_file(&app.desk, id, &set, w.binary).await?))
}

/// Modes of a set of responses.
#[utoipa::path(post, operation_id = "make_modes", path = "/api/campaigns/{id}/modes", params(("id" = i64, Path), Following), request_body = ModesWish,
    responses((status = 200, body = ModesBody), (status = 422, body = super::ErrorBody)))]
pub async fn modes(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(by): Query<Following>,
    Json(wish): Json<ModesWish>,
) -> Result<Json<ModesBody>, ApiError> {
    Ok(Json(modes::modes(&app.desk, id, &wish, &by).await?))
}

/// A response held against the modes.
#[utoipa::path(post, operation_id = "synthesise", path = "/api/campaigns/{id}/modes/synthesis", params(("id" = i64, Path)), request_body = SynthesisWish,
    responses((status = 200, body = SynthesisBody), (status = 422, body = super::ErrorBody)))]
pub async fn synthesis(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(wish): Json<SynthesisWish>,
) -> Result<Json<SynthesisBody>, ApiError> {
    Ok(Json(modes::synthesis(&app.desk, id, &wish).await?))
}

/// How much the modes of a tap series scatter over halves of its hits.
#[utoipa::path(post, operation_id = "halve_modes", path = "/api/campaigns/{id}/modes/halves", params(("id" = i64, Path), Following), request_body = ModesWish,
    responses((status = 200, body = HalvesBody), (status = 422, body = super::ErrorBody), (status = 404, body = super::ErrorBody)))]
pub async fn halve(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(by): Query<Following>,
    Json(wish): Json<ModesWish>,
) -> Result<Json<HalvesBody>, ApiError> {
    Ok(Json(halves::halves(&app, id, &wish, &by).await?))
}

/// Modes held against those of a kept result, of this or another campaign.
#[utoipa::path(post, operation_id = "compare_modes", path = "/api/campaigns/{id}/modes/compare", params(("id" = i64, Path)), request_body = CompareWish,
    responses((status = 200, body = Compared), (status = 422, body = super::ErrorBody), (status = 404, body = super::ErrorBody)))]
pub async fn compare(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(wish): Json<CompareWish>,
) -> Result<Json<Compared>, ApiError> {
    Ok(Json(modes::compare(&app.desk, id, wish).await?))
}

/// Keeps modes under a name; gives their key among the kept results.
#[utoipa::path(post, operation_id = "keep_modes", path = "/api/campaigns/{id}/modes/keep", params(("id" = i64, Path)), request_body = KeepModes,
    responses((status = 200, body = i64), (status = 422, body = super::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(wish): Json<KeepModes>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(modes::keep(&app.desk, id, wish, &who(&headers)).await?))
}

/// Keeps responses with their coherences under a name; gives their key among the kept results.
#[utoipa::path(post, operation_id = "keep_responses", path = "/api/campaigns/{id}/functions/keep", params(("id" = i64, Path)), request_body = KeepResponses,
    responses((status = 200, body = i64), (status = 422, body = super::ErrorBody)))]
pub async fn keep_responses(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(wish): Json<KeepResponses>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(kept::keep(&app.desk, id, &wish, &who(&headers)).await?))
}

/// Modes as shapes of a universal file, with the geometry.
#[utoipa::path(post, operation_id = "modes_universal", path = "/api/campaigns/{id}/modes.uff", params(("id" = i64, Path)), request_body = ModesWish,
    responses((status = 200, content_type = "application/octet-stream"), (status = 422, body = super::ErrorBody)))]
pub async fn modes_universal(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(wish): Json<ModesWish>,
) -> Result<impl IntoResponse, ApiError> {
    Ok(universal_file("modes.uff", modes::universal_file(&app.desk, id, &wish).await?))
}

/// How the specimen moves in a run: a recipe of the lens deflection carried out, with what it means on its points.
#[utoipa::path(post, operation_id = "deflection", path = "/api/runs/{id}/deflection", params(("id" = i64, Path), Following), request_body = Recipe,
    responses((status = 200, body = DeflectionBody), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn deflection(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(by): Query<Following>,
    Json(recipe): Json<serde_json::Value>,
) -> Result<Json<DeflectionBody>, ApiError> {
    Ok(Json(deflection::deflection(&app.desk, id, recipe, &by).await?))
}

/// A deflection as the shape of a universal file, with the geometry.
#[utoipa::path(post, operation_id = "deflection_universal", path = "/api/runs/{id}/deflection.uff", params(("id" = i64, Path)), request_body = Recipe,
    responses((status = 200, content_type = "application/octet-stream"), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn deflection_universal(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(recipe): Json<serde_json::Value>,
) -> Result<impl IntoResponse, ApiError> {
    Ok(universal_file("deflection.uff", deflection::universal_file(&app.desk, id, recipe).await?))
}
