//! Runs, results and channels by words.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Query, State};
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// Longest text that is looked for, characters.
const LONGEST: usize = 200;

/// What is looked for.
#[derive(Deserialize, IntoParams)]
pub struct Wanted {
    /// Words that must all be there, in any order.
    pub text: String,
}

/// Something that was found.
#[derive(Serialize, ToSchema)]
pub struct FoundBody {
    /// “run”, “result” or “channel”.
    pub what: String,
    /// Its name.
    pub name: String,
    /// The run it is, or belongs to; none for a result that was brought in from a file.
    pub run_id: Option<i64>,
    /// That run's number in its campaign.
    pub run_number: Option<i32>,
    /// The campaign's key.
    pub campaign_id: i64,
    /// The campaign.
    pub campaign: String,
    /// When the run was started, or the result made.
    pub at: DateTime<Utc>,
}

/// Runs, results and recorded channels of all campaigns that hold every word.
#[utoipa::path(get, operation_id = "find", path = "/api/find", params(Wanted),
    responses((status = 200, body = Vec<FoundBody>), (status = 422, body = super::ErrorBody)))]
pub async fn find(State(app): State<App>, Query(q): Query<Wanted>) -> Result<Json<Vec<FoundBody>>, ApiError> {
    let length = q.text.chars().count();
    if length > LONGEST {
        return Err(Refusal::new("text", format!("the text has {length} characters; allowed: up to {LONGEST}")).into());
    }
    let all = app.store.find(&q.text).await?.into_iter().map(|f| FoundBody {
        what: f.what,
        name: f.name,
        run_id: f.run_id,
        run_number: f.run_number,
        campaign_id: f.campaign_id,
        campaign: f.campaign,
        at: f.at,
    });
    Ok(Json(all.collect()))
}
