//! Versions of the rig, rigs kept under a name, and what differs between them.

use super::RigBody;
use super::edit::write;
use crate::App;
use crate::api::{ApiError, who};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use echo_job::Refusal;
use echo_job::rig::{CellChanged, Edit, Rig, differences};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// A version in short.
#[derive(Serialize, ToSchema)]
pub struct VersionBody {
    /// Its number.
    pub version: i64,
    /// Who made it.
    pub who: String,
    /// What was changed.
    pub what: String,
    /// When.
    pub at: chrono::DateTime<chrono::Utc>,
}

/// A rig kept under a name.
#[derive(Serialize, ToSchema)]
pub struct KeptRigBody {
    /// Key.
    pub id: i64,
    /// Its campaign.
    pub campaign: String,
    /// Whether that is the campaign asked for.
    pub here: bool,
    /// Its name.
    pub name: String,
    /// Version it was kept from.
    pub version: i64,
    /// Who kept it.
    pub who: String,
    /// When.
    pub at: chrono::DateTime<chrono::Utc>,
}

/// What there is to go back to.
#[derive(Serialize, ToSchema)]
pub struct Versions {
    /// Versions of the rig in use, newest first.
    pub versions: Vec<VersionBody>,
    /// Rigs kept under a name, of every campaign.
    pub kept: Vec<KeptRigBody>,
}

/// A rig to look at or to take: a version of the one in use, or one kept under a name.
#[derive(Debug, Clone, Copy, Deserialize, IntoParams, ToSchema)]
pub struct Which {
    /// Version of the rig in use.
    pub version: Option<i64>,
    /// Key of a kept rig.
    pub kept: Option<i64>,
}

async fn find(app: &App, id: i64, which: Which) -> Result<Rig, ApiError> {
    match (which.version, which.kept) {
        (Some(v), None) => Ok(app.store.rig_at(id, v).await?),
        (None, Some(k)) => Ok(app.store.kept_rig(k).await?),
        _ => Err(Refusal::new("version", "which rig is not told; allowed is either version or kept").into()),
    }
}

/// Versions of a campaign's rig, and rigs kept under a name.
#[utoipa::path(get, operation_id = "rig_versions", path = "/api/campaigns/{id}/rig/versions", params(("id" = i64, Path)), responses((status = 200, body = Versions)))]
pub async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Versions>, ApiError> {
    let versions = app.store.rig_versions(id, 100).await?;
    let kept = app.store.kept_rigs().await?;
    Ok(Json(Versions {
        versions: versions
            .into_iter()
            .map(|v| VersionBody { version: v.version, who: v.who, what: v.what, at: v.at })
            .collect(),
        kept: kept
            .into_iter()
            .map(|k| KeptRigBody {
                here: k.campaign_id == id,
                id: k.id,
                campaign: k.campaign,
                name: k.name,
                version: k.version,
                who: k.who,
                at: k.at,
            })
            .collect(),
    }))
}

/// Cells in which another rig differs from the one in use.
#[utoipa::path(get, operation_id = "rig_differences", path = "/api/campaigns/{id}/rig/differences", params(("id" = i64, Path), Which),
    responses((status = 200, body = Vec<CellChanged>), (status = 404, body = crate::api::ErrorBody)))]
pub async fn compare(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(which): Query<Which>,
) -> Result<Json<Vec<CellChanged>>, ApiError> {
    let other = find(&app, id, which).await?;
    Ok(Json(differences(&app.store.rig(id).await?.rig, &other)))
}

/// Takes another rig into use; the one in use stays as a version.
#[utoipa::path(post, operation_id = "take_rig", path = "/api/campaigns/{id}/rig/take", params(("id" = i64, Path)), request_body = Which,
    responses((status = 200, body = RigBody), (status = 404, body = crate::api::ErrorBody)))]
pub async fn take(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(which): Json<Which>,
) -> Result<Json<RigBody>, ApiError> {
    let other = find(&app, id, which).await?;
    let what = match which.version {
        Some(v) => format!("back to version {v}"),
        None => format!("took “{}”", other.name),
    };
    let turn = app.turn().await;
    let (body, _) = write(&app, turn, id, &who(&headers), &what, |rig, front_end, _| {
        let taken = other.clone().covering(front_end);
        Ok(Edit { changed: differences(rig, &taken), rig: taken, refused: Vec::new() })
    })
    .await?;
    Ok(Json(body))
}

/// A name for a rig.
#[derive(Deserialize, ToSchema)]
pub struct RigName {
    /// 1 to 80 characters.
    pub name: String,
}

/// Keeps the rig in use under a name; one of that name in this campaign is replaced.
#[utoipa::path(post, operation_id = "keep_rig", path = "/api/campaigns/{id}/rig/keep", params(("id" = i64, Path)), request_body = RigName,
    responses((status = 200, body = RigBody), (status = 422, body = crate::api::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(to): Json<RigName>,
) -> Result<Json<RigBody>, ApiError> {
    let name = to.name.trim().to_string();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(Refusal::new("name", "a kept rig needs a name; allowed are 1 to 80 characters").into());
    }
    let mut v = app.store.rig(id).await?;
    v.rig.name.clone_from(&name);
    app.store.keep_rig(id, &name, v.version, &v.rig, &who(&headers)).await?;
    let turn = app.turn().await;
    let (body, _) = write(&app, turn, id, &who(&headers), &format!("kept as “{name}”"), |rig, _, _| {
        let mut rig = rig.clone();
        rig.name.clone_from(&name);
        Ok(Edit { rig, changed: Vec::new(), refused: Vec::new() })
    })
    .await?;
    Ok(Json(body))
}
