//! HTTP API, live data and the page. Thin: it parses, calls the crates that know, and answers.

pub mod api;
mod app;
mod batch;
mod follow;
mod going;
mod kept;
mod live;
mod rounds;
pub mod run_source;
pub mod watch;

pub use app::{App, Config, free_space};
pub use follow::follow;
pub use rounds::keep_rounds;

use axum::Router;
use axum::http::{HeaderValue, header};
use tower_http::CompressionLevel;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};
use tower_http::services::{ServeDir, ServeFile};
use tower_http::set_header::SetResponseHeaderLayer;

/// The whole application as one router.
pub fn router(app: App) -> Router {
    let page = app.page().to_path_buf();
    let index = ServeFile::new(page.join("index.html"));
    let squeeze = DefaultPredicate::new().and(NotForContentType::const_new("application/octet-stream"));
    Router::new()
        .nest("/api", api::router())
        .route("/api/live", axum::routing::get(live::live))
        .with_state(app)
        .fallback_service(ServeDir::new(page).fallback(index))
        .layer(CompressionLayer::new().quality(CompressionLevel::Fastest).compress_when(squeeze))
        .layer(SetResponseHeaderLayer::overriding(
            header::CONTENT_SECURITY_POLICY,
            HeaderValue::from_static("default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; frame-src 'self' blob:; object-src 'self' blob:"),
        ))
}
