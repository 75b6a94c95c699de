//! Findings that are let pass, with their reason.

use super::view::{RigBody, body};
use crate::{App, Result};
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
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn waive(app: &App, id: i64, who: &str, w: WaiverRequest) -> Result<RigBody> {
    match w.reason.map(|r| r.trim().to_string()) {
        Some(reason) if reason.chars().count() < 3 => {
            return Err(Refusal::new(
                "reason",
                "a reason is missing; allowed: a sentence a colleague understands next month",
            )
            .into());
        }
        Some(reason) => {
            let who = who.to_string();
            let w = Waiver { rule: w.rule, input: w.input, says: w.says, reason, who, at: chrono::Utc::now() };
            app.store.waive(id, &w).await?;
        }
        None => app.store.take_back_waiver(id, &w.rule, w.input).await?,
    }
    let v = app.store.rig(id).await?;
    body(app, id, v.version, v.rig).await
}
