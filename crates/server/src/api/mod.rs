//! The HTTP API: one file a subject.

pub mod benches;
pub mod bringing;
pub mod by_itself;
pub mod campaigns;
pub mod capture;
pub mod dry_run;
pub mod entry;
pub mod find;
pub mod front_ends;
pub mod functions;
pub mod house;
pub mod jobs;
pub mod marks;
pub mod people;
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
pub mod specimens;
pub mod study;
pub mod tachos;
pub mod taps;
pub mod versioned;
pub mod watch;

pub use crate::error::{ApiError, ErrorBody};

use crate::App;
use axum::Router;
use axum::body::Bytes;
use axum::extract::DefaultBodyLimit;
use axum::http::header;
use axum::response::IntoResponse;
use axum::routing::{any, get};
use echo_application::report::verify::LARGEST as LARGEST_REPORT;
use echo_application::specimens::files::{LARGEST_PICTURE, LARGEST_SURFACE};
use echo_formats::sheet::{Sheet, write_xlsx};
use echo_job::export::ResultForm;
use utoipa::OpenApi;
use utoipa_axum::router::{OpenApiRouter, UtoipaMethodRouterExt};
use utoipa_axum::routes;

/// Who asks: who has signed in, or where nobody must, the header `x-who`, or “engineer”.
pub fn who(headers: &axum::http::HeaderMap) -> String {
    headers
        .get("x-who")
        .and_then(|v| std::str::from_utf8(v.as_bytes()).ok())
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

/// Largest geometry that is taken, bytes.
const LARGEST_GEOMETRY: usize = 64 << 20;
/// The same for a logo: more than is allowed, so that the refusal can say what is.
const LARGEST_SENT_LOGO: usize = 64 << 20;
/// Largest plot that is taken, bytes.
const LARGEST_PLOT: usize = 256 << 20;

/// What the API is, without its routes.
#[derive(OpenApi)]
#[openapi(
    info(title = "Fleet Echo", description = "Rig, plan, run, study and report vibration tests."),
    components(schemas(ResultForm))
)]
struct About;

/// Every route of the API with its description.
fn described() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(About::openapi())
        .routes(routes!(people::me))
        .routes(routes!(people::sign_in))
        .routes(routes!(people::sign_out))
        .routes(routes!(people::first_owner))
        .routes(routes!(people::own_password))
        .routes(routes!(people::list, people::add))
        .routes(routes!(people::change, people::remove))
        .routes(routes!(people::tokens, people::make_token))
        .routes(routes!(people::end_token))
        .routes(routes!(find::find))
        .routes(routes!(campaigns::list, campaigns::begin))
        .routes(routes!(campaigns::shelf))
        .routes(routes!(campaigns::rename, campaigns::delete))
        .routes(routes!(campaigns::archive))
        .routes(routes!(campaigns::restore))
        .routes(routes!(campaigns::remove_demo))
        .routes(routes!(campaigns::choose))
        .routes(routes!(rigs::read))
        .routes(routes!(rigs::edit::change_channel))
        .routes(routes!(rigs::ranges))
        .routes(routes!(rigs::edit::edit))
        .routes(routes!(rigs::sheets::file))
        .routes(routes!(rigs::versions::list))
        .routes(routes!(rigs::versions::compare))
        .routes(routes!(rigs::versions::take))
        .routes(routes!(rigs::versions::keep))
        .routes(routes!(rigs::waivers::waive))
        .routes(routes!(rigs::sheets::csv))
        .routes(routes!(rigs::sheets::xlsx))
        .routes(routes!(sensors::list, sensors::keep))
        .routes(routes!(sensors::history))
        .routes(routes!(sensors::plugged))
        .routes(routes!(sensors::write))
        .routes(routes!(reference::read))
        .routes(routes!(reference::fitted))
        .routes(routes!(reference::csv))
        .routes(routes!(reference::xlsx))
        .routes(routes!(reference::judge))
        .routes(routes!(reference::take_back))
        .routes(routes!(front_ends::test))
        .routes(routes!(front_ends::tests))
        .routes(routes!(front_ends::setup, front_ends::write_setup))
        .routes(routes!(front_ends::restart))
        .routes(routes!(front_ends::output))
        .routes(routes!(front_ends::keep_output))
        .routes(routes!(front_ends::emergency_stop))
        .routes(routes!(plans::read, plans::save))
        .routes(routes!(plans::length))
        .routes(routes!(by_itself::read))
        .routes(routes!(by_itself::again))
        .routes(routes!(by_itself::stop))
        .routes(routes!(plans::tried))
        .routes(routes!(plots::svg).layer(DefaultBodyLimit::max(LARGEST_PLOT)))
        .routes(routes!(plots::png).layer(DefaultBodyLimit::max(LARGEST_PLOT)))
        .routes(routes!(plots::tsv).layer(DefaultBodyLimit::max(LARGEST_PLOT)))
        .routes(routes!(plots::csv).layer(DefaultBodyLimit::max(LARGEST_PLOT)))
        .routes(routes!(tachos::read))
        .routes(routes!(tachos::encoder))
        .routes(routes!(benches::list))
        .routes(routes!(benches::keep, benches::drop))
        .routes(routes!(study::benches))
        .routes(routes!(study::keep_bench, study::drop_bench))
        .routes(routes!(study::machine, study::save_machine))
        .routes(routes!(specimens::read, specimens::save).layer(DefaultBodyLimit::max(LARGEST_GEOMETRY)))
        .routes(routes!(specimens::change).layer(DefaultBodyLimit::max(LARGEST_GEOMETRY)))
        .routes(routes!(specimens::put_onto_surface))
        .routes(routes!(specimens::look).layer(DefaultBodyLimit::max(LARGEST_GEOMETRY)))
        .routes(routes!(specimens::sensors))
        .routes(routes!(specimens::universal))
        .routes(routes!(specimens::csv))
        .routes(routes!(specimens::list))
        .routes(routes!(specimens::add_picture).layer(DefaultBodyLimit::max(LARGEST_PICTURE)))
        .routes(routes!(specimens::surface, specimens::set_surface).layer(DefaultBodyLimit::max(LARGEST_SURFACE)))
        .routes(routes!(specimens::picture, specimens::remove))
        .routes(routes!(study::lines_at))
        .routes(routes!(study::markers))
        .routes(routes!(study::readings))
        .routes(routes!(study::events))
        .routes(routes!(taps::list, taps::begin))
        .routes(routes!(taps::points))
        .routes(routes!(taps::read, taps::change, taps::delete))
        .routes(routes!(taps::go))
        .routes(routes!(taps::act))
        .routes(routes!(taps::anew))
        .routes(routes!(taps::picture))
        .routes(routes!(functions::list, functions::take_out))
        .routes(routes!(functions::delete))
        .routes(routes!(functions::curves))
        .routes(routes!(functions::universal))
        .routes(routes!(functions::modes))
        .routes(routes!(functions::synthesis))
        .routes(routes!(functions::compare))
        .routes(routes!(functions::halve))
        .routes(routes!(functions::keep))
        .routes(routes!(functions::keep_responses))
        .routes(routes!(functions::modes_universal))
        .routes(routes!(functions::deflection))
        .routes(routes!(functions::deflection_universal))
        .routes(routes!(rounds::read, rounds::start, rounds::stop))
        .routes(routes!(rounds::xlsx))
        .routes(routes!(rounds::picture))
        .routes(routes!(watch::read))
        .routes(routes!(watch::trend))
        .routes(routes!(watch::acknowledge))
        .routes(routes!(campaigns::changes))
        .routes(routes!(campaigns::recipes))
        .routes(routes!(campaigns::keep_recipe))
        .routes(routes!(runs::list))
        .routes(routes!(runs::deleted))
        .routes(routes!(runs::describe))
        .routes(routes!(runs::restore))
        .routes(routes!(runs::move_to))
        .routes(routes!(runs::compare))
        .routes(routes!(report::read, report::save))
        .routes(routes!(jobs::pdf))
        .routes(routes!(report::pages))
        .routes(routes!(report::page))
        .routes(routes!(report::seal_key))
        .routes(routes!(report::from_template))
        .routes(routes!(report::list_templates, report::keep_template))
        .routes(routes!(report::drop_template))
        .routes(routes!(house::read, house::write))
        .routes(routes!(house::set_logo, house::drop_logo).layer(DefaultBodyLimit::max(LARGEST_SENT_LOGO)))
        .routes(routes!(report::verify).layer(DefaultBodyLimit::max(LARGEST_REPORT)))
        .routes(routes!(entry::read))
        .routes(routes!(entry::lenses))
        .routes(routes!(capture::status))
        .routes(routes!(capture::found))
        .routes(routes!(capture::connect))
        .routes(routes!(capture::arm))
        .routes(routes!(capture::record))
        .routes(routes!(capture::stop))
        .routes(routes!(capture::recorder))
        .routes(routes!(capture::mark))
        .routes(routes!(dry_run::run))
        .routes(routes!(capture::reset_levels))
        .routes(routes!(runs::one, runs::delete))
        .routes(routes!(runs::overview))
        .routes(routes!(runs::take_peaks))
        .routes(routes!(marks::mark))
        .routes(routes!(marks::unmark))
        .routes(routes!(marks::note))
        .routes(routes!(marks::unnote))
        .routes(routes!(quality::read))
        .routes(routes!(quality::align))
        .routes(routes!(quality::math, quality::save_math))
        .routes(routes!(results::list))
        .routes(routes!(bringing::send).layer(DefaultBodyLimit::disable()))
        .routes(routes!(bringing::forget))
        .routes(routes!(bringing::look))
        .routes(routes!(bringing::bring_in))
        .routes(routes!(bringing::hand_over))
        .routes(routes!(bringing::take_in))
        .routes(routes!(jobs::list))
        .routes(routes!(jobs::report))
        .routes(routes!(jobs::report_as))
        .routes(routes!(jobs::export))
        .routes(routes!(jobs::read, jobs::stop))
        .routes(routes!(jobs::resume))
        .routes(routes!(jobs::file))
        .routes(routes!(results::one, results::delete))
        .routes(routes!(results::restore))
        .routes(routes!(results::file))
        .routes(routes!(results::progress))
        .routes(routes!(runs::result))
        .routes(routes!(setting_right::sensitivity))
        .routes(routes!(setting_right::cell))
        .routes(routes!(setting_right::tacho))
        .routes(routes!(jobs::wav))
        .routes(routes!(jobs::csv))
}

/// Description of the API.
pub fn description() -> utoipa::openapi::OpenApi {
    described().into_openapi()
}

/// All routes, each at its address below `/api`.
pub fn router() -> Router<App> {
    let (router, description) = described().split_for_parts();
    // Written once: what a route holds is cloned for every connection.
    let description = Bytes::from(serde_json::to_vec(&description).unwrap_or_default());
    let description = async move || ([(header::CONTENT_TYPE, "application/json")], description.clone());
    let missing = async || ApiError::missing("this address of the API; /api/openapi.json lists those there are");
    router.route("/api/openapi.json", get(description)).route("/api/{*rest}", any(missing))
}
