//! Campaigns: rig, plan, recipes, the log of changes.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use echo_capture::Setup;
use echo_job::caution::{Caution, LevelSeen, check};
use echo_job::front_end::FrontEnd;
use echo_job::plan::{Plan, PlanSums};
use echo_job::recipe::Recipe;
use echo_job::rig::{Channel, ChannelChange, Rig};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A campaign in short.
#[derive(Serialize, ToSchema)]
pub struct CampaignBody {
    /// Key.
    pub id: i64,
    /// Name.
    pub name: String,
    /// What is tested.
    pub specimen: String,
    /// What for.
    pub purpose: String,
    /// Whether capture works for it now.
    pub chosen: bool,
}

/// All campaigns.
#[utoipa::path(get, operation_id = "list_campaigns", path = "/api/campaigns", responses((status = 200, body = Vec<CampaignBody>)))]
pub async fn list(State(app): State<App>) -> Result<Json<Vec<CampaignBody>>, ApiError> {
    let chosen = app.setup().map(|s| s.campaign);
    let all = app.store.campaigns().await?;
    Ok(Json(
        all.into_iter()
            .map(|c| CampaignBody {
                chosen: chosen == Some(c.id),
                id: c.id,
                name: c.name,
                specimen: c.specimen,
                purpose: c.purpose,
            })
            .collect(),
    ))
}

/// Lets capture work for a campaign.
#[utoipa::path(post, operation_id = "choose_campaign", path = "/api/campaigns/{id}/choose", params(("id" = i64, Path)), responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn choose(State(app): State<App>, Path(id): Path<i64>) -> Result<axum::http::StatusCode, ApiError> {
    app.choose(id).await?;
    Ok(axum::http::StatusCode::NO_CONTENT)
}

/// A rig with its version, findings and what the front end offers.
#[derive(Serialize, ToSchema)]
pub struct RigBody {
    /// Counts up with every change.
    pub version: i64,
    /// The rig.
    pub rig: RigView,
    /// Findings of the rule check.
    pub cautions: Vec<Caution>,
    /// The connected front end.
    pub front_end: Option<FrontEnd>,
    /// Units a channel may be shown in, and the units of its sensitivity, a quantity.
    pub units: Vec<QuantityUnits>,
}

/// A rig with what follows from each row.
#[derive(Serialize, ToSchema)]
pub struct RigView {
    /// What the set-up is called.
    pub name: String,
    /// Rows in the order of their inputs.
    pub channels: Vec<ChannelRow>,
}

/// A row of the channel table with what follows from it.
#[derive(Serialize, ToSchema)]
pub struct ChannelRow {
    /// The row.
    #[serde(flatten)]
    pub channel: Channel,
    /// Full scale in the shown unit, peak.
    pub full_scale: f64,
    /// One step of the converter in the shown unit.
    pub converter_step: f64,
}

/// Units of a quantity.
#[derive(Serialize, ToSchema)]
pub struct QuantityUnits {
    /// The quantity.
    pub quantity: echo_job::unit::Quantity,
    /// Units it is shown in.
    pub units: Vec<String>,
    /// Units of a sensitivity to it.
    pub sensitivity_units: Vec<String>,
}

fn units() -> Vec<QuantityUnits> {
    echo_job::unit::Quantity::ALL
        .into_iter()
        .map(|quantity| QuantityUnits {
            quantity,
            units: quantity.units().map(|u| u.symbol.to_string()).collect(),
            sensitivity_units: echo_job::sensitivity::allowed(quantity),
        })
        .collect()
}

fn body(app: &App, campaign: i64, version: i64, rig: Rig) -> RigBody {
    let live = app.setup().is_some_and(|s| s.campaign == campaign);
    let levels = if live { app.capture.live().levels() } else { Vec::new() };
    let cautions = check(&rig, |input| {
        levels.iter().find(|l| l.input == input).map(|l| LevelSeen { peak_share: l.peak, over: l.over_held })
    });
    let front_end = app.capture.front_end();
    let steps = 2f64.powi(front_end.as_ref().map_or(24, |f| f.converter_bits) as i32 - 1);
    let channels = rig
        .channels
        .into_iter()
        .map(|channel| {
            let full_scale = channel.full_scale();
            ChannelRow { channel, full_scale, converter_step: full_scale / steps }
        })
        .collect();
    RigBody { version, rig: RigView { name: rig.name, channels }, cautions, front_end, units: units() }
}

/// The rig of a campaign.
#[utoipa::path(get, operation_id = "read_rig", path = "/api/campaigns/{id}/rig", params(("id" = i64, Path)), responses((status = 200, body = RigBody)))]
pub async fn rig(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<RigBody>, ApiError> {
    let v = app.store.rig(id).await?;
    Ok(Json(body(&app, id, v.version, v.rig)))
}

/// Changes one row of the channel table; cells not named stay.
#[utoipa::path(patch, path = "/api/campaigns/{id}/rig/{input}", params(("id" = i64, Path), ("input" = u16, Path)), request_body = ChannelChange,
    responses((status = 200, body = RigBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn change_channel(
    State(app): State<App>,
    Path((id, input)): Path<(i64, u16)>,
    headers: HeaderMap,
    Json(change): Json<ChannelChange>,
) -> Result<Json<RigBody>, ApiError> {
    let offer = app.capture.front_end();
    // Two people may change different rows at once: the change is made again on what is newest.
    for _ in 0..5 {
        let v = app.store.rig(id).await?;
        let rig = v.rig.changed(input, &change, offer.as_ref())?;
        let before = app.setup().filter(|s| s.campaign == id);
        if let Some(setup) = &before {
            app.set_up(Setup { rig: rig.clone(), ..setup.clone() }).await?;
        }
        let detail = serde_json::json!({ "input": input, "from": v.rig.channel(input), "change": change });
        match app.store.save_rig(id, v.version, &rig, &who(&headers), "rig", detail).await {
            Ok(version) => return Ok(Json(body(&app, id, version, rig))),
            Err(echo_store::StoreError::Stale(_)) => {}
            Err(e) => {
                // The front end goes back to what is stored.
                if let Some(setup) = before {
                    let _ = app.set_up(setup).await;
                }
                return Err(e.into());
            }
        }
    }
    Err(ApiError::conflict("others are changing the rig at the same time; try once more"))
}

/// A plan with what follows from it.
#[derive(Serialize, ToSchema)]
pub struct PlanBody {
    /// The plan.
    pub plan: Plan,
    /// What follows.
    pub sums: PlanSums,
    /// Rates the front end offers, Hz.
    pub rates_hz: Vec<f64>,
}

async fn plan_body(app: &App, id: i64, plan: Plan) -> Result<PlanBody, ApiError> {
    let channels = app.store.rig(id).await?.rig.active().count();
    let offer = app.capture.front_end();
    let sums = plan.sums(channels, offer.as_ref().map_or(0.4, |f| f.clean_share), app.free_bytes().await);
    Ok(PlanBody { plan, sums, rates_hz: offer.map(|f| f.rates_hz).unwrap_or_default() })
}

/// The plan of a campaign.
#[utoipa::path(get, operation_id = "read_plan", path = "/api/campaigns/{id}/plan", params(("id" = i64, Path)), responses((status = 200, body = PlanBody)))]
pub async fn plan(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<PlanBody>, ApiError> {
    let plan = app.store.plan(id).await?;
    Ok(Json(plan_body(&app, id, plan).await?))
}

/// Replaces the plan.
#[utoipa::path(put, path = "/api/campaigns/{id}/plan", params(("id" = i64, Path)), request_body = Plan,
    responses((status = 200, body = PlanBody), (status = 422, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn save_plan(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(plan): Json<Plan>,
) -> Result<Json<PlanBody>, ApiError> {
    plan.check(app.capture.front_end().as_ref())?;
    if let Some(setup) = app.setup().filter(|s| s.campaign == id) {
        app.set_up(Setup { plan: plan.clone(), ..setup }).await?;
    }
    app.store.save_plan(id, &plan, &who(&headers)).await?;
    Ok(Json(plan_body(&app, id, plan).await?))
}

/// A line of the change log.
#[derive(Serialize, ToSchema)]
pub struct ChangeBody {
    /// When.
    pub at: chrono::DateTime<chrono::Utc>,
    /// Who.
    pub who: String,
    /// What.
    pub what: String,
    /// Old and new values.
    #[schema(value_type = Object)]
    pub detail: serde_json::Value,
}

/// The newest changes, newest first.
#[utoipa::path(get, operation_id = "list_changes", path = "/api/campaigns/{id}/changes", params(("id" = i64, Path)), responses((status = 200, body = Vec<ChangeBody>)))]
pub async fn changes(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<ChangeBody>>, ApiError> {
    let all = app.store.changes(id, 200).await?;
    Ok(Json(all.into_iter().map(|c| ChangeBody { at: c.at, who: c.who, what: c.what, detail: c.detail }).collect()))
}

/// A recipe that was kept.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct KeptRecipe {
    /// Its name.
    pub name: String,
    /// The recipe.
    pub recipe: Recipe,
}

/// Recipes kept with a campaign.
#[utoipa::path(get, operation_id = "list_recipes", path = "/api/campaigns/{id}/recipes", params(("id" = i64, Path)), responses((status = 200, body = Vec<KeptRecipe>)))]
pub async fn recipes(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<KeptRecipe>>, ApiError> {
    let all = app.store.recipes(id).await?;
    Ok(Json(all.into_iter().map(|(name, recipe)| KeptRecipe { name, recipe }).collect()))
}

/// Keeps a recipe under a name.
#[utoipa::path(put, path = "/api/campaigns/{id}/recipes/{name}", params(("id" = i64, Path), ("name" = String, Path)), request_body = Recipe,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn keep_recipe(
    State(app): State<App>,
    Path((id, name)): Path<(i64, String)>,
    Json(recipe): Json<serde_json::Value>,
) -> Result<axum::http::StatusCode, ApiError> {
    let recipe = Recipe::from_value(recipe)?;
    app.store.keep_recipe(id, &name, &recipe).await?;
    Ok(axum::http::StatusCode::NO_CONTENT)
}
