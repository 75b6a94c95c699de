//! HTTP API, live data and the page. Thin: it parses, calls the crates that know, and answers.

pub mod api;
pub mod error;
mod live;
pub mod page;
pub mod people;
pub mod roles;
mod sessions;
pub mod shown;
pub mod strangers;

pub use echo_application::App;
use echo_application::health;
use page::Page;
use people::Door;

use axum::extract::{Request, State};
use axum::http::{HeaderName, HeaderValue, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Router};
use echo_store::StoreError;
use tower_http::CompressionLevel;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};
use tower_http::set_header::SetResponseHeaderLayer;

/// Where the page lies, and by what names it may be reached.
#[derive(Clone)]
pub struct Site {
    /// The page's files.
    pub page: Page,
    /// Names besides the machine's addresses and `localhost`.
    pub names: Vec<String>,
    /// Who is let in.
    pub door: Door,
}

/// The whole application as one router.
pub fn router(app: App, site: Site) -> Router {
    let Site { page, names, door } = site;
    let sessions = sessions::layer(&app.store);
    let names = strangers::Names::new(names);
    // What is packed already does not get smaller.
    let squeeze = DefaultPredicate::new()
        .and(NotForContentType::const_new("application/octet-stream"))
        .and(NotForContentType::const_new("application/zip"))
        .and(NotForContentType::const_new("audio/"));
    let api = Router::new()
        .merge(
            api::router()
                .layer(from_fn_with_state(app.clone(), shown::guard))
                .layer(from_fn_with_state(app.clone(), fail_fast)),
        )
        .route("/api/live", axum::routing::get(live::live))
        .layer(from_fn_with_state((app.clone(), door.clone()), people::guard))
        .layer(Extension(door))
        .layer(sessions)
        .with_state(app);
    page.after(api)
        .layer(CompressionLayer::new().quality(CompressionLevel::Fastest).compress_when(squeeze))
        .layer(CatchPanicLayer::custom(strangers::broken))
        .layer(from_fn_with_state(names, strangers::guard))
        .layer(told(header::CONTENT_SECURITY_POLICY, POLICY))
        .layer(told(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .layer(told(header::X_FRAME_OPTIONS, "DENY"))
        .layer(told(header::REFERRER_POLICY, "same-origin"))
}

/// What a page of this server may load, and who may show it in a frame: nobody.
const POLICY: &str = "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; frame-src 'self' blob:; object-src 'self' blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'";

fn told(name: HeaderName, value: &'static str) -> SetResponseHeaderLayer<HeaderValue> {
    SetResponseHeaderLayer::overriding(name, HeaderValue::from_static(value))
}

/// What answers without the database: it shows its state, or takes an order to capture.
const WITHOUT: [&str; 10] = [
    "/status",
    "/me",
    "/sign-out",
    "/entry",
    "/lenses",
    "/capture",
    "/front-ends",
    "/emergency-stop",
    "/plots",
    "/openapi.json",
];

/// Tells at once that the database is away, where that is known, instead of waiting for it again.
async fn fail_fast(State(app): State<App>, request: Request, next: Next) -> Response {
    let path = request.uri().path();
    let path = path.strip_prefix("/api").unwrap_or(path);
    if !WITHOUT.iter().any(|p| path.starts_with(p)) && health::away(&app).await {
        return error::ApiError::from(StoreError::Away("it has not answered for a while".into())).into_response();
    }
    next.run(request).await
}
