//! Tap series: begun, gone on with, hits decided, what is shown of a point.

use super::versioned::MadeOn;
use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use echo_application::taps::going;
use echo_application::taps::made::{self, PointPicture};
use echo_application::taps::series::{self, PointList, SeriesBody, SeriesShort};
use echo_job::impact::{Act, ImpactPlan, PointDirection};
use serde::Deserialize;
use utoipa::IntoParams;

/// Which point's hits are told.
#[derive(Deserialize, IntoParams)]
pub struct OfPoint {
    /// Place of the point in the list, from 0; the one the newest hit was of when left out.
    pub point: Option<usize>,
}

/// Which pair's responses are shown.
#[derive(Deserialize, IntoParams)]
pub struct OfPair {
    /// Place of the pair, from 0.
    #[serde(default)]
    pub pair: usize,
}

/// Tap series of a campaign, the newest first.
#[utoipa::path(get, operation_id = "list_tap_series", path = "/api/campaigns/{id}/taps", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<SeriesShort>)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<SeriesShort>>, ApiError> {
    Ok(Json(series::list(&app, id).await?))
}

/// Begins a tap series.
#[utoipa::path(post, operation_id = "begin_tap_series", path = "/api/campaigns/{id}/taps", params(("id" = i64, Path)), request_body = ImpactPlan,
    responses((status = 201, body = SeriesBody), (status = 422, body = super::ErrorBody), (status = 404, body = super::ErrorBody)))]
pub async fn begin(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(plan): Json<ImpactPlan>,
) -> Result<(StatusCode, Json<SeriesBody>), ApiError> {
    Ok((StatusCode::CREATED, Json(series::begin(&app, id, &plan, &who(&headers)).await?)))
}

/// The points of a list that counts on by itself.
#[utoipa::path(post, operation_id = "count_points", path = "/api/taps/points", request_body = PointList,
    responses((status = 200, body = Vec<PointDirection>), (status = 422, body = super::ErrorBody)))]
pub async fn points(Json(list): Json<PointList>) -> Result<Json<Vec<PointDirection>>, ApiError> {
    Ok(Json(series::points(&list)?))
}

/// A tap series as it stands.
#[utoipa::path(get, operation_id = "read_tap_series", path = "/api/taps/{id}", params(("id" = i64, Path), OfPoint),
    responses((status = 200, body = SeriesBody), (status = 404, body = super::ErrorBody)))]
pub async fn read(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(of): Query<OfPoint>,
) -> Result<Json<SeriesBody>, ApiError> {
    Ok(Json(series::read(&app, id, of.point).await?))
}

/// Changes the plan of a tap series.
#[utoipa::path(put, operation_id = "change_tap_series", path = "/api/taps/{id}", params(("id" = i64, Path), MadeOn), request_body = ImpactPlan,
    responses((status = 200, body = SeriesBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn change(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(MadeOn { made_on }): Query<MadeOn>,
    Json(plan): Json<ImpactPlan>,
) -> Result<Json<SeriesBody>, ApiError> {
    Ok(Json(series::change(&app, id, made_on, plan).await?))
}

/// Lets a tap series go with its responses; its runs stay.
#[utoipa::path(delete, operation_id = "delete_tap_series", path = "/api/taps/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 409, body = super::ErrorBody), (status = 404, body = super::ErrorBody)))]
pub async fn delete(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    series::delete(&app, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Waits for hits, in a run of the series' own, until capture is stopped.
#[utoipa::path(post, operation_id = "go_on_with_taps", path = "/api/taps/{id}/go", params(("id" = i64, Path)),
    responses((status = 200, body = SeriesBody), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn go(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Json<SeriesBody>, ApiError> {
    Ok(Json(going::go(&app, id, &who(&headers)).await?))
}

/// Decides a hit, or goes to another point.
#[utoipa::path(post, operation_id = "act_on_taps", path = "/api/taps/{id}/act", params(("id" = i64, Path)), request_body = Act,
    responses((status = 200, body = SeriesBody), (status = 422, body = super::ErrorBody)))]
pub async fn act(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(act): Json<Act>,
) -> Result<Json<SeriesBody>, ApiError> {
    Ok(Json(series::act(&app, id, act).await?))
}

/// Makes all responses of a series anew, as after a sensitivity was put right.
#[utoipa::path(post, operation_id = "make_taps_anew", path = "/api/taps/{id}/anew", params(("id" = i64, Path)),
    responses((status = 200, body = SeriesBody), (status = 404, body = super::ErrorBody)))]
pub async fn anew(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<SeriesBody>, ApiError> {
    Ok(Json(going::make_anew(&app, id).await?))
}

/// What is shown of a point: its newest hits, and the responses so far.
#[utoipa::path(get, operation_id = "tap_picture", path = "/api/taps/{id}/points/{point}/picture",
    params(("id" = i64, Path), ("point" = usize, Path), OfPair),
    responses((status = 200, body = PointPicture), (status = 404, body = super::ErrorBody)))]
pub async fn picture(
    State(app): State<App>,
    Path((id, point)): Path<(i64, usize)>,
    Query(of): Query<OfPair>,
) -> Result<Json<PointPicture>, ApiError> {
    Ok(Json(made::picture(&app, id, point, of.pair).await?))
}
