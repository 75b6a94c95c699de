//! Findings that are let pass, with their reason.

use super::{RigBody, body};
use crate::App;
use crate::api::{ApiError, who};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use echo_job::Refusal;
use echo_job::caution::Waiver;
use serde::Deserialize;
use utoipa::ToSchema;

/// A finding to let pass, or to look at again.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct WaiverRequest {
    /// The rule.
    pub rule: String,
    /// The input.
    pub input: Option<u16>,
    /// The finding's words.
    #[serde(default)]
    pub says: String,
    /// Why it is let pass; nothing takes an earlier waiver back.
    pub reason: Option<String>,
}

/// Lets a finding pass with a reason that stays in the record, or takes that back.
#[utoipa::path(post, operation_id = "waive", path = "/api/campaigns/{id}/rig/waivers", params(("id" = i64, Path)), request_body = WaiverRequest,
    responses((status = 200, body = RigBody), (status = 422, body = crate::api::ErrorBody)))]
pub async fn waive(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(w): Json<WaiverRequest>,
) -> Result<Json<RigBody>, ApiError> {
    match w.reason.map(|r| r.trim().to_string()) {
        Some(reason) if reason.chars().count() < 3 => {
            return Err(Refusal::new(
                "reason",
                "a reason is missing; allowed is a sentence a colleague understands next month",
            )
            .into());
        }
        Some(reason) => {
            let who = who(&headers);
            let w = Waiver { rule: w.rule, input: w.input, says: w.says, reason, who, at: chrono::Utc::now() };
            app.store.waive(id, &w).await?;
        }
        None => app.store.take_back_waiver(id, &w.rule, w.input).await?,
    }
    let v = app.store.rig(id).await?;
    Ok(Json(body(&app, id, v.version, v.rig).await?))
}
