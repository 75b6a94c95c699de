//! Plots as files: what a page shows, drawn by the code that draws the report, or as a table.

use super::ApiError;
use axum::Json;
use axum::http::{HeaderName, header};
use axum::response::IntoResponse;
use echo_formats::plot::{Plot, draw, out};
use echo_formats::sheet::{write_csv, write_tsv};

/// Pixels to a unit of a saved picture.
const SCALE: f64 = 2.0;

/// Bytes with their kind.
type File = ([(HeaderName, &'static str); 1], Vec<u8>);

/// A file made of a plot, away from the threads that answer.
async fn made(
    kind: &'static str,
    plot: Plot,
    make: impl FnOnce(&Plot) -> Result<Vec<u8>, echo_formats::FormatError> + Send + 'static,
) -> Result<File, ApiError> {
    plot.check()?;
    let made = tokio::task::spawn_blocking(move || make(&plot)).await.map_err(|e| ApiError::fault(e.to_string()))?;
    // What cannot be made of a plot is the matter of who asked for it.
    let bytes = made.map_err(|e| echo_job::Refusal::new("plot", e.to_string()))?;
    Ok(([(header::CONTENT_TYPE, kind)], bytes))
}

/// A plot as SVG.
#[utoipa::path(post, operation_id = "plot_svg", path = "/api/plots/svg", request_body = Plot,
    responses((status = 200, content_type = "image/svg+xml"), (status = 422, body = super::ErrorBody)))]
pub async fn svg(Json(plot): Json<Plot>) -> Result<impl IntoResponse, ApiError> {
    made("image/svg+xml", plot, |p| Ok(out::svg(&draw(p)).into_bytes())).await
}

/// A plot as PNG.
#[utoipa::path(post, operation_id = "plot_png", path = "/api/plots/png", request_body = Plot,
    responses((status = 200, content_type = "image/png"), (status = 422, body = super::ErrorBody)))]
pub async fn png(Json(plot): Json<Plot>) -> Result<impl IntoResponse, ApiError> {
    made("image/png", plot, |p| out::png(&draw(p), SCALE)).await
}

/// The values of a plot as CSV.
#[utoipa::path(post, operation_id = "plot_csv", path = "/api/plots/csv", request_body = Plot,
    responses((status = 200, content_type = "text/csv"), (status = 422, body = super::ErrorBody)))]
pub async fn csv(Json(plot): Json<Plot>) -> Result<impl IntoResponse, ApiError> {
    made("text/csv; charset=utf-8", plot, |p| write_csv(&out::table(p))).await
}

/// The values of a plot with tabs between them, for the clipboard.
#[utoipa::path(post, operation_id = "plot_tsv", path = "/api/plots/tsv", request_body = Plot,
    responses((status = 200, content_type = "text/tab-separated-values"), (status = 422, body = super::ErrorBody)))]
pub async fn tsv(Json(plot): Json<Plot>) -> Result<impl IntoResponse, ApiError> {
    made("text/tab-separated-values; charset=utf-8", plot, |p| Ok(write_tsv(&out::table(p)).into_bytes())).await
}
