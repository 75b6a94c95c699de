//! Campaigns: plan, recipes, the log of changes.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use echo_capture::Setup;
use echo_job::plan::{Plan, PlanSums};
use echo_job::recipe::Recipe;
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
