//! Where all that is done by itself stands; again, and stopped.

use crate::jobs::{self, Stands};
use crate::{App, Error, Result};
use chrono::{DateTime, Utc};
use echo_job::plan::afterwards::{Deed, Ending};
use echo_store::deed::StoredDeed;
use echo_store::state::PartState;
use serde::Serialize;
use utoipa::ToSchema;

/// Most that are told.
const MOST: i64 = 300;

/// What is done by itself, and where it stands.
#[derive(Debug, Serialize, ToSchema)]
pub struct DeedBody {
    /// Key.
    pub id: i64,
    /// What ended.
    pub ending: Ending,
    /// Its number in the campaign.
    pub number: i32,
    /// The run, where it is about one that is still there.
    pub run_id: Option<i64>,
    /// What is done.
    pub what: Deed,
    /// Where it stands.
    #[serde(flatten)]
    pub stands: Stands,
    /// Where its file lies; empty where it has none yet.
    pub path: String,
    /// When what it follows ended.
    pub begun_at: DateTime<Utc>,
    /// When it was done.
    pub ended_at: Option<DateTime<Utc>>,
}

fn told(app: &App, d: StoredDeed) -> Result<DeedBody> {
    let stands = match (d.state, d.share, d.worker) {
        (PartState::Going, Some(share), Some(worker)) => Stands::Going { share, worker },
        (PartState::Waiting | PartState::Going, ..) => Stands::Waiting,
        (PartState::Refused, ..) => Stands::Refused { says: d.says },
        (PartState::Stopped, share, _) => Stands::Stopped { share: share.unwrap_or(0.0) },
        (PartState::Done, ..) => Stands::Done { result: d.result_id, run: None, campaign: None },
    };
    let path = match &app.files_to {
        Some(root) if !d.path.is_empty() && matches!(stands, Stands::Done { .. }) => {
            root.join(&d.path).display().to_string()
        }
        _ => String::new(),
    };
    Ok(DeedBody {
        id: d.id,
        ending: serde_json::from_value(serde_json::Value::String(d.ending))?,
        number: d.number,
        run_id: d.run_id,
        what: serde_json::from_value(d.deed)?,
        stands,
        path,
        begun_at: d.begun_at,
        ended_at: d.ended_at,
    })
}

/// What was done by itself in a campaign, and what is still to be done: the newest first.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn read(app: &App, campaign: i64) -> Result<Vec<DeedBody>> {
    app.store.campaign(campaign).await?;
    app.store.deeds(campaign, MOST).await?.into_iter().map(|d| told(app, d)).collect()
}

/// Tries again what was refused, and goes on with what was stopped: an export from where it was.
///
/// # Errors
/// There is none of that key, it is done or on its way, or the database is away.
pub async fn again(app: &App, id: i64) -> Result<()> {
    let deed = app.store.deed(id).await?;
    match deed.state {
        PartState::Stopped if on(app, &deed).await? => Ok(()),
        PartState::Refused | PartState::Stopped => Ok(app.store.retry_deed(id).await?),
        PartState::Done => Err(Error::conflict("it is done already")),
        PartState::Waiting | PartState::Going => Err(Error::conflict("it is on its way; stop it first")),
    }
}

/// Lets the job of what was stopped go on; false where there is none any more.
async fn on(app: &App, deed: &StoredDeed) -> Result<bool> {
    let Some(job) = deed.job_id else { return Ok(false) };
    Ok(jobs::resumed(&app.store, job).await? && app.store.resume_deed(deed.id).await?)
}

/// Stops what waits or goes.
///
/// # Errors
/// There is none of that key, it has ended, or the database is away.
pub async fn stop(app: &App, id: i64) -> Result<()> {
    let deed = app.store.deed(id).await?;
    if !matches!(deed.state, PartState::Waiting | PartState::Going) {
        return Err(Error::conflict("it has ended already"));
    }
    if let Some(job) = deed.job_id {
        jobs::stop(&app.store, job).await?;
    }
    Ok(app.store.end_deed(id, PartState::Stopped, "").await?)
}
