//! The plan: read, replaced, lengths as they are typed; triggers tried on recorded runs are in [`tried`].

pub mod tried;

use crate::report::templates::called;
use crate::{App, Result};
use echo_capture::Setup;
use echo_job::Refusal;
use echo_job::front_end::USUAL_CLEAN_SHARE;
use echo_job::plan::afterwards::Deed;
use echo_job::plan::length::typed_length;
use echo_job::plan::{Plan, PlanSums};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A plan with what follows from it.
#[derive(Serialize, ToSchema)]
pub struct PlanBody {
    /// The plan.
    pub plan: Plan,
    /// Its version: a change tells which it was made on.
    pub version: i64,
    /// What follows.
    pub sums: PlanSums,
    /// Rates the front end offers, Hz.
    pub rates_hz: Vec<f64>,
    /// The folder that files are laid into by themselves; none where the server has none.
    pub files_to: Option<String>,
    /// What the plan refers to and the rig does not have, in words.
    pub unfit: Option<String>,
}

async fn body(app: &App, id: i64, version: i64, plan: Plan) -> Result<PlanBody> {
    let rig = app.store.rig(id).await?.rig;
    let offer = app.capture.front_end();
    let sums = plan.sums(&rig, offer.as_ref().map_or(USUAL_CLEAN_SHARE, |f| f.clean_share), app.free_bytes().await);
    let unfit = plan.check_with(&rig).err().map(|e| e.says);
    let files_to = app.files_to.as_ref().map(|p| p.display().to_string());
    let rates_hz = offer.map(|f| f.rates_hz).unwrap_or_default();
    Ok(PlanBody { plan, version, sums, rates_hz, files_to, unfit })
}

/// The plan of a campaign.
///
/// # Errors
/// The database is away.
pub async fn read(app: &App, id: i64) -> Result<PlanBody> {
    // The version first: a plan that is newer than it is only refused once more.
    let version = app.store.plan_version(id).await?;
    let plan = app.store.plan(id).await?;
    body(app, id, version, plan).await
}

/// Replaces the plan.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn save(app: &App, id: i64, made_on: Option<i64>, who: &str, plan: Plan) -> Result<PlanBody> {
    plan.check(app.capture.front_end().as_ref())?;
    for (i, a) in plan.afterwards.iter().enumerate() {
        if let Deed::Report { template: Some(name), .. } = &a.what {
            // Told now, and not by a report that is missing when the run has ended.
            let found = called(&app.store, name).await;
            found.map_err(|e| Refusal::new(format!("afterwards.{i}"), e.says()))?;
        }
    }
    let who = who.to_string();
    // To its end even if who asked is gone by then: what is stored is what is in force.
    let version = tokio::spawn({
        let (app, plan) = (app.clone(), plan.clone());
        async move { stored(&app, id, made_on, plan, &who).await }
    });
    let version = version.await??;
    body(app, id, version, plan).await
}

async fn stored(app: &App, id: i64, made_on: Option<i64>, plan: Plan, who: &str) -> Result<i64> {
    let _turn = app.turn().await;
    let rig = app.store.rig(id).await?.rig;
    let before = app.store.plan(id).await?;
    // A channel that was switched off since must not keep the rest of the plan from being changed:
    // what is missed already is told, and refused when it is armed.
    let mut all_on = rig.clone();
    all_on.channels.iter_mut().for_each(|c| c.on = true);
    plan.check_with(&all_on)?;
    if before.check_with(&rig).is_ok() {
        plan.check_with(&rig)?;
    }
    let store = &app.store;
    app.in_force(
        id,
        |s| Setup { plan: plan.clone(), ..s },
        async || Ok(store.save_plan(id, made_on, &plan, who).await?),
        async |version, _| Ok(store.save_plan(id, Some(version), &before, "Fleet Echo").await.map(drop)?),
    )
    .await
}

/// A length as it was typed.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LengthTyped {
    /// The text.
    pub text: String,
}

/// A length.
#[derive(Serialize, ToSchema)]
pub struct LengthBody {
    /// Seconds.
    pub duration_s: f64,
}

/// Reads a typed length: a time, samples, or turns at the speed that is told or measured now.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn length(app: &App, id: i64, typed: LengthTyped) -> Result<LengthBody> {
    let plan = app.store.plan(id).await?;
    let rpm = plan.tachos.first().and_then(|t| crate::tachos::now(app, t, 2.0).ok()?.0.rpm);
    Ok(LengthBody { duration_s: typed_length(&typed.text, plan.sample_rate_hz, rpm)? })
}
