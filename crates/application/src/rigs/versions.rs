//! Versions of the rig, rigs kept under a name, and what differs between them.

use super::edit::write;
use super::view::RigBody;
use crate::{App, Result};
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

async fn find(app: &App, id: i64, which: Which) -> Result<Rig> {
    match (which.version, which.kept) {
        (Some(v), None) => Ok(app.store.rig_at(id, v).await?),
        (None, Some(k)) => Ok(app.store.kept_rig(k).await?),
        _ => Err(Refusal::new("version", "which rig is not told; allowed: either version or kept").into()),
    }
}

/// Versions of a campaign's rig, and rigs kept under a name.
///
/// # Errors
/// The database is away.
pub async fn list(app: &App, id: i64) -> Result<Versions> {
    let versions = app.store.rig_versions(id, 100).await?;
    let kept = app.store.kept_rigs().await?;
    Ok(Versions {
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
    })
}

/// Cells in which another rig differs from the one in use.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn compare(app: &App, id: i64, which: Which) -> Result<Vec<CellChanged>> {
    let other = find(app, id, which).await?;
    Ok(differences(&app.store.rig(id).await?.rig, &other))
}

/// Takes another rig into use; the one in use stays as a version.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn take(app: &App, id: i64, who: &str, which: Which) -> Result<RigBody> {
    let other = find(app, id, which).await?;
    let what = match which.version {
        Some(v) => format!("back to version {v}"),
        None => format!("took “{}”", other.name),
    };
    let turn = app.turn().await;
    let (body, _) = write(app, turn, id, who, &what, |rig, front_end, _| {
        let taken = other.clone().covering(front_end);
        Ok(Edit { changed: differences(rig, &taken), rig: taken, refused: Vec::new() })
    })
    .await?;
    Ok(body)
}

/// A name for a rig.
#[derive(Deserialize, ToSchema)]
pub struct RigName {
    /// 1 to 80 characters.
    pub name: String,
}

/// Keeps the rig in use under a name; one of that name in this campaign is replaced.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn keep(app: &App, id: i64, who: &str, to: RigName) -> Result<RigBody> {
    let name = to.name.trim().to_string();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(Refusal::new("name", "a kept rig needs a name; allowed: 1 to 80 characters").into());
    }
    let mut v = app.store.rig(id).await?;
    v.rig.name.clone_from(&name);
    app.store.keep_rig(id, &name, v.version, &v.rig, who).await?;
    let turn = app.turn().await;
    let (body, _) = write(app, turn, id, who, &format!("kept as “{name}”"), |rig, _, _| {
        let mut rig = rig.clone();
        rig.name.clone_from(&name);
        Ok(Edit { rig, changed: Vec::new(), refused: Vec::new() })
    })
    .await?;
    Ok(body)
}
