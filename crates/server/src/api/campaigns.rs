//! Campaigns: recipes, the log of changes.

use super::ApiError;
use crate::App;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use echo_application::shelf::{self, Naming, NewCampaign, ShelvedBody};
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
    /// Laid to be looked at.
    pub demo: bool,
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
                demo: c.demo,
            })
            .collect(),
    ))
}

/// The shelf: all campaigns with what is in them, those worked on last first.
#[utoipa::path(get, operation_id = "list_shelf", path = "/api/shelf", responses((status = 200, body = [ShelvedBody])))]
pub async fn shelf(State(app): State<App>) -> Result<Json<Vec<ShelvedBody>>, ApiError> {
    Ok(Json(shelf::list(&app).await?))
}

/// Begins a campaign; gives its key.
#[utoipa::path(post, operation_id = "begin_campaign", path = "/api/campaigns", request_body = NewCampaign,
    responses((status = 200, body = i64), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn begin(
    State(app): State<App>,
    headers: HeaderMap,
    Json(new): Json<NewCampaign>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(shelf::begin(&app, &super::who(&headers), new).await?))
}

/// Renames a campaign, or says anew what it is on and for.
#[utoipa::path(put, operation_id = "rename_campaign", path = "/api/campaigns/{id}", params(("id" = i64, Path)), request_body = Naming,
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn rename(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(to): Json<Naming>,
) -> Result<StatusCode, ApiError> {
    shelf::rename(&app, id, &super::who(&headers), to).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Puts a campaign away, or takes it out again.
#[utoipa::path(put, operation_id = "archive_campaign", path = "/api/campaigns/{id}/archived", params(("id" = i64, Path)), request_body = bool,
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn archive(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(away): Json<bool>,
) -> Result<StatusCode, ApiError> {
    app.store.archive_campaign(id, away, &super::who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes a campaign; it can be brought back for a day.
#[utoipa::path(delete, operation_id = "delete_campaign", path = "/api/campaigns/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn delete(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<StatusCode, ApiError> {
    shelf::delete(&app, id, &super::who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Brings a deleted campaign back.
#[utoipa::path(post, operation_id = "restore_campaign", path = "/api/campaigns/{id}/restore", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 409, body = super::ErrorBody)))]
pub async fn restore(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<StatusCode, ApiError> {
    app.store.restore_campaign(id, &super::who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes all campaigns that were laid to be looked at; each can be brought back for a day. Gives their keys.
#[utoipa::path(post, operation_id = "remove_demo", path = "/api/shelf/remove-demo",
    responses((status = 200, body = [i64]), (status = 409, body = super::ErrorBody)))]
pub async fn remove_demo(State(app): State<App>, headers: HeaderMap) -> Result<Json<Vec<i64>>, ApiError> {
    Ok(Json(shelf::remove_demo(&app, &super::who(&headers)).await?))
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
