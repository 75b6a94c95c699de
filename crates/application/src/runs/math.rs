//! Computed channels of a campaign.

use super::computed::{RunMath, computed};
use super::source::calibrated;
use crate::pictures::COMPUTED_FROM;
use crate::{App, Result};
use echo_job::Refusal;
use echo_job::math::{Known, MathChannel};
use serde::Deserialize;
use utoipa::ToSchema;

/// Computed channels of a campaign, numbered as live displays take them, and their version.
///
/// # Errors
/// The database is away.
pub async fn math(app: &App, id: i64) -> Result<(Vec<RunMath>, i64)> {
    let rig = app.store.rig(id).await?.rig;
    let known: Vec<Known> = rig.active().map(|c| Known { name: c.name.clone(), unit: c.unit.clone() }).collect();
    let shown =
        |m: RunMath| RunMath { channel: m.channel.map(|c| c - known.len() as u32 - 1 + u32::from(COMPUTED_FROM)), ..m };
    let (math, version) = app.store.versioned_math(id).await?;
    Ok((computed(&known, math).into_iter().map(shown).collect(), version))
}

/// Computed channels, and the run their formulas are tried on.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewMath {
    /// All of them, in the order in which they may name each other.
    pub channels: Vec<MathChannel>,
    /// The run; the campaign's rig where left out.
    #[serde(default)]
    pub run: Option<i64>,
}

/// Replaces the computed channels of a campaign that were changed on version `made_on`; gives the new version.
///
/// # Errors
/// What is asked is not allowed, somebody else was faster, or the database is away.
pub async fn save_math(app: &App, id: i64, made_on: Option<i64>, who: &str, new: NewMath) -> Result<i64> {
    if new.channels.len() > 64 {
        let says = format!("{} computed channels; allowed: up to 64", new.channels.len());
        return Err(Refusal::new("math", says).into());
    }
    let known: Vec<Known> = match new.run {
        Some(run) => {
            let all = calibrated(&app.store, run).await?;
            all.into_iter().map(|c| Known { name: c.recorded.row.name, unit: c.recorded.row.unit }).collect()
        }
        None => {
            let rig = app.store.rig(id).await?.rig;
            rig.active().map(|c| Known { name: c.name.clone(), unit: c.unit.clone() }).collect()
        }
    };
    // What was there before and fits another run only is let stand; what is new must be right.
    let before = app.store.math(id).await?;
    for m in computed(&known, new.channels.clone()) {
        if let Some(says) = m.refused.filter(|_| !before.contains(&m.math)) {
            return Err(Refusal::new("math", says).into());
        }
    }
    let version = app.store.save_math(id, made_on, &new.channels, who).await?;
    app.math_changed();
    Ok(version)
}
