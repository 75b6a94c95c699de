//! The HTTP API: one file a subject.

pub mod campaigns;
pub mod capture;
mod error;
pub mod export;
pub mod front_ends;
pub mod reference;
pub mod report;
pub mod rigs;
pub mod runs;
pub mod sensors;

pub use error::{ApiError, ErrorBody};

use crate::App;
use axum::routing::{get, patch, post, put};
use axum::{Json, Router};
use utoipa::OpenApi;

/// Who asks, until people sign in: the header `x-who`, or “engineer”.
pub fn who(headers: &axum::http::HeaderMap) -> String {
    headers
        .get("x-who")
        .and_then(|v| v.to_str().ok())
        .filter(|v| !v.is_empty() && v.len() <= 80)
        .unwrap_or("engineer")
        .to_string()
}

/// Description of the API.
#[derive(OpenApi)]
#[openapi(
    info(title = "Fleet Echo", description = "Rig, plan, run, study and report vibration tests."),
    paths(
        campaigns::list,
        campaigns::choose,
        rigs::read,
        rigs::ranges,
        rigs::edit::change_channel,
        rigs::edit::edit,
        rigs::sheets::csv,
        rigs::sheets::xlsx,
        rigs::sheets::file,
        rigs::versions::list,
        rigs::versions::compare,
        rigs::versions::take,
        rigs::versions::keep,
        rigs::waivers::waive,
        sensors::list,
        sensors::keep,
        sensors::history,
        sensors::plugged,
        sensors::write,
        reference::read,
        reference::fitted,
        reference::csv,
        reference::xlsx,
        reference::judge,
        front_ends::test,
        front_ends::restart,
        front_ends::setup,
        front_ends::write_setup,
        front_ends::output,
        front_ends::emergency_stop,
        campaigns::plan,
        campaigns::save_plan,
        campaigns::changes,
        campaigns::recipes,
        campaigns::keep_recipe,
        capture::status,
        capture::found,
        capture::connect,
        capture::arm,
        capture::record,
        capture::stop,
        capture::reset_levels,
        runs::list,
        runs::one,
        runs::overview,
        runs::result,
        runs::correct,
        export::wav,
        export::csv,
        report::read,
        report::save,
        report::pdf,
        report::pages,
    )
)]
pub struct Api;

/// All routes below `/api`.
pub fn router() -> Router<App> {
    Router::new()
        .route("/openapi.json", get(async || Json(Api::openapi())))
        .route("/campaigns", get(campaigns::list))
        .route("/campaigns/{id}/choose", post(campaigns::choose))
        .route("/campaigns/{id}/rig", get(rigs::read))
        .route("/campaigns/{id}/rig/{input}", patch(rigs::edit::change_channel))
        .route("/campaigns/{id}/rig/ranges", get(rigs::ranges))
        .route("/campaigns/{id}/rig/cells", post(rigs::edit::edit))
        .route("/campaigns/{id}/rig/file", post(rigs::sheets::file))
        .route("/campaigns/{id}/rig/versions", get(rigs::versions::list))
        .route("/campaigns/{id}/rig/differences", get(rigs::versions::compare))
        .route("/campaigns/{id}/rig/take", post(rigs::versions::take))
        .route("/campaigns/{id}/rig/keep", post(rigs::versions::keep))
        .route("/campaigns/{id}/rig/waivers", post(rigs::waivers::waive))
        .route("/campaigns/{id}/rig.csv", get(rigs::sheets::csv))
        .route("/campaigns/{id}/rig.xlsx", get(rigs::sheets::xlsx))
        .route("/sensors", get(sensors::list).put(sensors::keep))
        .route("/sensors/{id}/history", get(sensors::history))
        .route("/smart-sensors", get(sensors::plugged))
        .route("/smart-sensors/{input}", post(sensors::write))
        .route("/reference/read", post(reference::read))
        .route("/reference/fit", post(reference::fitted))
        .route("/reference/sheet.csv", post(reference::csv))
        .route("/reference/sheet.xlsx", post(reference::xlsx))
        .route("/reference/verdict", post(reference::judge))
        .route("/front-ends/test", post(front_ends::test))
        .route("/front-ends/setup", get(front_ends::setup).post(front_ends::write_setup))
        .route("/front-ends/{unit}/restart", post(front_ends::restart))
        .route("/front-ends/{unit}/output", put(front_ends::output))
        .route("/emergency-stop", post(front_ends::emergency_stop))
        .route("/campaigns/{id}/plan", get(campaigns::plan).put(campaigns::save_plan))
        .route("/campaigns/{id}/changes", get(campaigns::changes))
        .route("/campaigns/{id}/recipes", get(campaigns::recipes))
        .route("/campaigns/{id}/recipes/{name}", put(campaigns::keep_recipe))
        .route("/campaigns/{id}/runs", get(runs::list))
        .route("/campaigns/{id}/report", get(report::read).put(report::save))
        .route("/campaigns/{id}/report.pdf", get(report::pdf))
        .route("/campaigns/{id}/report/pages", get(report::pages))
        .route("/status", get(capture::status))
        .route("/front-ends", get(capture::found))
        .route("/capture/front-end", put(capture::connect))
        .route("/capture/arm", post(capture::arm))
        .route("/capture/record", post(capture::record))
        .route("/capture/stop", post(capture::stop))
        .route("/capture/levels/reset", post(capture::reset_levels))
        .route("/runs/{id}", get(runs::one))
        .route("/runs/{id}/overview", get(runs::overview))
        .route("/runs/{id}/results", post(runs::result))
        .route("/runs/{id}/channels/{channel}/sensitivity", post(runs::correct))
        .route("/runs/{id}/export.wav", get(export::wav))
        .route("/runs/{id}/export.csv", get(export::csv))
        .fallback(async || ApiError::missing("this address of the API; /api/openapi.json lists those there are"))
}
