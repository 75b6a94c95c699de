//! The plan against what is connected, at full rate, for a while: what each stage has left.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::State;
use echo_application::dry_run::DryRun;
use echo_application::dry_run::{self, Reserve};

/// Records what the plan asks for, by hand and for a while, measures each stage, and lets it go.
#[utoipa::path(post, operation_id = "dry_run", path = "/api/capture/dry-run", request_body = DryRun,
    responses((status = 200, body = Reserve), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn run(State(app): State<App>, Json(d): Json<DryRun>) -> Result<Json<Reserve>, ApiError> {
    Ok(Json(dry_run::run(&app, d).await?))
}
