//! Campaigns: recipes, the log of changes.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
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
