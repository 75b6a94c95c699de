//! The HTTP API: one file a subject.

pub mod benches;
pub mod campaigns;
pub mod capture;
pub mod dry_run;
pub mod entry;
pub mod find;
pub mod front_ends;
pub mod jobs;
pub mod marks;
pub mod plans;
pub mod plots;
pub mod quality;
pub mod reference;
pub mod report;
pub mod results;
pub mod rigs;
pub mod rounds;
pub mod runs;
pub mod sensors;
pub mod setting_right;
pub mod study;
pub mod tachos;
pub mod versioned;
pub mod watch;

pub use crate::error::{ApiError, ErrorBody};

use crate::App;
use axum::extract::DefaultBodyLimit;
use axum::http::header;
use axum::response::IntoResponse;
use axum::routing::{delete, get, patch, post, put};
use axum::{Json, Router};
use echo_formats::sheet::{Sheet, write_xlsx};
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

/// Sheets as an XLSX file to be saved under a name.
///
/// # Errors
/// A sheet's name that spreadsheets do not take.
pub(crate) fn spreadsheet(name: &str, sheets: &[Sheet]) -> Result<impl IntoResponse + use<>, ApiError> {
    let kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet".to_string();
    let saved = format!("attachment; filename=\"{name}\"");
    Ok(([(header::CONTENT_TYPE, kind), (header::CONTENT_DISPOSITION, saved)], write_xlsx(sheets)?))
}

/// Largest plot that is taken, bytes.
const LARGEST_PLOT: usize = 256 << 20;

/// Description of the API.
#[derive(OpenApi)]
#[openapi(
    info(title = "Fleet Echo", description = "Rig, plan, run, study and report vibration tests."),
    paths(
        campaigns::list,
        entry::read,
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
        reference::take_back,
        find::find,
        front_ends::test,
        front_ends::restart,
        front_ends::setup,
        front_ends::write_setup,
        front_ends::output,
        front_ends::keep_output,
        front_ends::emergency_stop,
        plans::read,
        plans::save,
        plans::length,
        plans::tried,
        plots::svg,
        plots::png,
        plots::csv,
        plots::tsv,
        tachos::read,
        tachos::encoder,
        benches::list,
        benches::keep,
        benches::drop,
        study::machine,
        study::save_machine,
        study::lines_at,
        study::markers,
        study::readings,
        study::events,
        study::benches,
        study::keep_bench,
        study::drop_bench,
        rounds::read,
        rounds::start,
        rounds::stop,
        rounds::xlsx,
        rounds::picture,
        watch::read,
        watch::acknowledge,
        watch::trend,
        dry_run::run,
        campaigns::changes,
        campaigns::recipes,
        campaigns::keep_recipe,
        capture::status,
        capture::found,
        capture::connect,
        capture::arm,
        capture::record,
        capture::stop,
        capture::recorder,
        capture::mark,
        capture::reset_levels,
        runs::list,
        runs::one,
        runs::overview,
        runs::result,
        runs::take_peaks,
        marks::mark,
        marks::unmark,
        marks::note,
        marks::unnote,
        setting_right::sensitivity,
        setting_right::cell,
        setting_right::tacho,
        results::list,
        results::one,
        results::drop,
        results::progress,
        jobs::list,
        jobs::export,
        jobs::report,
        jobs::read,
        jobs::stop,
        jobs::file,
        jobs::wav,
        jobs::csv,
        jobs::pdf,
        quality::read,
        quality::align,
        quality::math,
        quality::save_math,
        report::read,
        report::save,
        report::pages,
    )
)]
pub struct Api;

/// All routes below `/api`.
pub fn router() -> Router<App> {
    Router::new()
        .route("/openapi.json", get(async || Json(Api::openapi())))
        .route("/find", get(find::find))
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
        .route("/reference/take-back", post(reference::take_back))
        .route("/front-ends/test", post(front_ends::test))
        .route("/front-ends/setup", get(front_ends::setup).post(front_ends::write_setup))
        .route("/front-ends/{unit}/restart", post(front_ends::restart))
        .route("/front-ends/{unit}/output", put(front_ends::output))
        .route("/front-ends/{unit}/output/keep", post(front_ends::keep_output))
        .route("/emergency-stop", post(front_ends::emergency_stop))
        .route("/campaigns/{id}/plan", get(plans::read).put(plans::save))
        .route("/campaigns/{id}/plan/length", post(plans::length))
        .route("/plan/try", post(plans::tried))
        .route("/plots/svg", post(plots::svg).layer(DefaultBodyLimit::max(LARGEST_PLOT)))
        .route("/plots/png", post(plots::png).layer(DefaultBodyLimit::max(LARGEST_PLOT)))
        .route("/plots/tsv", post(plots::tsv).layer(DefaultBodyLimit::max(LARGEST_PLOT)))
        .route("/plots/csv", post(plots::csv).layer(DefaultBodyLimit::max(LARGEST_PLOT)))
        .route("/tachos/read", post(tachos::read))
        .route("/encoders/read", post(tachos::encoder))
        .route("/campaigns/{id}/benches", get(benches::list))
        .route("/campaigns/{id}/benches/{name}", put(benches::keep).delete(benches::drop))
        .route("/campaigns/{id}/study-benches", get(study::benches))
        .route("/campaigns/{id}/study-benches/{name}", put(study::keep_bench).delete(study::drop_bench))
        .route("/campaigns/{id}/machine", get(study::machine).put(study::save_machine))
        .route("/campaigns/{id}/machine/lines", get(study::lines_at))
        .route("/runs/{id}/markers", get(study::markers))
        .route("/runs/{id}/readings", post(study::readings))
        .route("/runs/{id}/events", post(study::events))
        .route("/campaigns/{id}/rounds", get(rounds::read).post(rounds::start).delete(rounds::stop))
        .route("/campaigns/{id}/rounds.xlsx", get(rounds::xlsx))
        .route("/campaigns/{id}/rounds/{number}/picture.svg", get(rounds::picture))
        .route("/campaigns/{id}/watch", get(watch::read))
        .route("/campaigns/{id}/trend", get(watch::trend))
        .route("/campaigns/{id}/alarms/{alarm}", post(watch::acknowledge))
        .route("/campaigns/{id}/changes", get(campaigns::changes))
        .route("/campaigns/{id}/recipes", get(campaigns::recipes))
        .route("/campaigns/{id}/recipes/{name}", put(campaigns::keep_recipe))
        .route("/campaigns/{id}/runs", get(runs::list))
        .route("/campaigns/{id}/report", get(report::read).put(report::save))
        .route("/campaigns/{id}/report.pdf", get(jobs::pdf))
        .route("/campaigns/{id}/report/pages", get(report::pages))
        .route("/entry", post(entry::read))
        .route("/status", get(capture::status))
        .route("/front-ends", get(capture::found))
        .route("/capture/front-end", put(capture::connect))
        .route("/capture/arm", post(capture::arm))
        .route("/capture/record", post(capture::record))
        .route("/capture/stop", post(capture::stop))
        .route("/capture/recorder", post(capture::recorder))
        .route("/capture/mark", post(capture::mark))
        .route("/capture/dry-run", post(dry_run::run))
        .route("/capture/levels/reset", post(capture::reset_levels))
        .route("/runs/{id}", get(runs::one))
        .route("/runs/{id}/overview", get(runs::overview))
        .route("/runs/{id}/takes/peaks", get(runs::take_peaks))
        .route("/runs/{id}/marks", post(marks::mark))
        .route("/runs/{id}/marks/{mark}", delete(marks::unmark))
        .route("/runs/{id}/notes", post(marks::note))
        .route("/runs/{id}/notes/{note}", delete(marks::unnote))
        .route("/runs/{id}/quality", get(quality::read))
        .route("/runs/{id}/alignment", get(quality::align))
        .route("/campaigns/{id}/math", get(quality::math).put(quality::save_math))
        .route("/campaigns/{id}/kept-results", get(results::list))
        .route("/campaigns/{id}/jobs/results", post(jobs::list))
        .route("/campaigns/{id}/jobs/report", post(jobs::report))
        .route("/runs/{id}/jobs/export", post(jobs::export))
        .route("/jobs/{id}", get(jobs::read).delete(jobs::stop))
        .route("/jobs/{id}/file", get(jobs::file))
        .route("/kept-results/{id}", get(results::one).delete(results::drop))
        .route("/progress/{watch}", get(results::progress))
        .route("/runs/{id}/results", post(runs::result))
        .route("/runs/{id}/channels/{channel}/sensitivity", post(setting_right::sensitivity))
        .route("/runs/{id}/channels/{channel}/cell", post(setting_right::cell))
        .route("/runs/{id}/tacho", post(setting_right::tacho))
        .route("/runs/{id}/export.wav", get(jobs::wav))
        .route("/runs/{id}/export.csv", get(jobs::csv))
        .fallback(async || ApiError::missing("this address of the API; /api/openapi.json lists those there are"))
}
