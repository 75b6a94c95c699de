//! What the Study station reads beside results: cursors, markers of the machine's elements, events, benches.

use super::versioned::{MadeOn, Versioned};
use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use echo_application::benches::study as benches_of;
use echo_application::benches::study::KeptStudyBench;
use echo_application::benches::study::StudyBench;
use echo_application::runs::events::EventsBody;
use echo_application::runs::events::EventsRequest;
use echo_application::runs::markers::MarkersBody;
use echo_application::runs::markers::{SpeedQuery, StretchQuery};
use echo_application::runs::readings::ReadingBody;
use echo_application::runs::readings::ReadingsRequest;
use echo_application::runs::{events as taken, markers as lines, readings as cursors};
use echo_job::machine::{LineAt, Machine};

/// The machine's elements.
#[utoipa::path(get, operation_id = "read_machine", path = "/api/campaigns/{id}/machine", params(("id" = i64, Path)),
    responses((status = 200, body = Machine, headers(("x-version" = i64)))))]
pub async fn machine(State(app): State<App>, Path(id): Path<i64>) -> Result<Versioned<Machine>, ApiError> {
    let (machine, version) = lines::machine(&app.desk, id).await?;
    Ok(Versioned(machine, version))
}

/// Writes the machine's elements; answers with the new version.
#[utoipa::path(put, operation_id = "save_machine", path = "/api/campaigns/{id}/machine", params(("id" = i64, Path), MadeOn), request_body = Machine,
    responses((status = 200, body = i64), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn save_machine(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(MadeOn { made_on }): Query<MadeOn>,
    headers: HeaderMap,
    Json(machine): Json<Machine>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(lines::save_machine(&app.desk, id, made_on, &who(&headers), machine).await?))
}

/// Lines of the machine's elements at a speed.
#[utoipa::path(get, operation_id = "machine_lines", path = "/api/campaigns/{id}/machine/lines", params(("id" = i64, Path), SpeedQuery),
    responses((status = 200, body = Vec<LineAt>), (status = 422, body = super::ErrorBody)))]
pub async fn lines_at(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<SpeedQuery>,
) -> Result<Json<Vec<LineAt>>, ApiError> {
    Ok(Json(lines::lines_at(&app.desk, id, q).await?))
}

/// Speed and markers of a stretch.
#[utoipa::path(get, operation_id = "read_markers", path = "/api/runs/{id}/markers", params(("id" = i64, Path), StretchQuery),
    responses((status = 200, body = MarkersBody), (status = 404, body = super::ErrorBody)))]
pub async fn markers(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<StretchQuery>,
) -> Result<Json<MarkersBody>, ApiError> {
    Ok(Json(lines::markers(&app.desk, id, q).await?))
}

/// Reads cursors on a result; the result itself is made, or kept from a moment ago.
#[utoipa::path(post, operation_id = "read_cursors", path = "/api/runs/{id}/readings", params(("id" = i64, Path)), request_body = ReadingsRequest,
    responses((status = 200, body = Vec<ReadingBody>), (status = 422, body = super::ErrorBody)))]
pub async fn readings(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(request): Json<ReadingsRequest>,
) -> Result<Json<Vec<ReadingBody>>, ApiError> {
    Ok(Json(cursors::readings(&app.desk, id, request).await?))
}

/// Reads the takes of a run as events.
#[utoipa::path(post, operation_id = "read_events", path = "/api/runs/{id}/events", params(("id" = i64, Path)), request_body = EventsRequest,
    responses((status = 200, body = EventsBody), (status = 422, body = super::ErrorBody)))]
pub async fn events(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(request): Json<EventsRequest>,
) -> Result<Json<EventsBody>, ApiError> {
    Ok(Json(taken::events(&app.desk, id, request).await?))
}

/// Benches of the Study station.
#[utoipa::path(get, operation_id = "list_study_benches", path = "/api/campaigns/{id}/study-benches", params(("id" = i64, Path)), responses((status = 200, body = Vec<KeptStudyBench>)))]
pub async fn benches(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<KeptStudyBench>>, ApiError> {
    Ok(Json(benches_of::benches(&app, id).await?))
}

/// Keeps a bench of lenses under a name; one of that name is replaced.
#[utoipa::path(put, operation_id = "keep_study_bench", path = "/api/campaigns/{id}/study-benches/{name}", params(("id" = i64, Path), ("name" = String, Path)), request_body = StudyBench,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn keep_bench(
    State(app): State<App>,
    Path((id, name)): Path<(i64, String)>,
    Json(bench): Json<StudyBench>,
) -> Result<StatusCode, ApiError> {
    benches_of::keep_bench(&app, id, name, bench).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Lets a bench of lenses go.
#[utoipa::path(delete, operation_id = "drop_study_bench", path = "/api/campaigns/{id}/study-benches/{name}", params(("id" = i64, Path), ("name" = String, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn drop_bench(State(app): State<App>, Path((id, name)): Path<(i64, String)>) -> Result<StatusCode, ApiError> {
    benches_of::drop_bench(&app, id, name).await?;
    Ok(StatusCode::NO_CONTENT)
}
