//! What is typed for a quantity, read.

use super::ApiError;
use axum::Json;
use echo_job::Refusal;
use echo_job::entry::{Asked, Entry};
use echo_job::recipe::limits::{self, LensBody};
use serde::Deserialize;
use utoipa::ToSchema;

/// Longest name of what is asked for, and of a unit or word, characters.
const LONGEST: usize = 80;

/// An entry that is to be read.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Typed {
    /// As it was typed.
    pub text: String,
    /// What is asked for.
    pub asked: Asked,
}

/// Every lens: what its numbers may be, and its settings where nothing is said.
#[utoipa::path(get, operation_id = "list_lenses", path = "/api/lenses", responses((status = 200, body = [LensBody])))]
pub async fn lenses() -> Json<Vec<LensBody>> {
    Json(limits::lenses())
}

/// Reads what was typed for a quantity: any usual form of numbers, with or without a unit.
#[utoipa::path(post, operation_id = "read_entry", path = "/api/entry", request_body = Typed,
    responses((status = 200, body = Entry), (status = 422, body = super::ErrorBody)))]
pub async fn read(Json(typed): Json<Typed>) -> Result<Json<Entry>, ApiError> {
    let asked = &typed.asked;
    let named = [&asked.what, &asked.unit].into_iter().chain(&asked.words);
    if asked.words.len() > 10 || named.into_iter().any(|t| t.chars().count() > LONGEST) {
        let says = format!("names, units and words must be up to {LONGEST} characters each, and up to 10 words");
        return Err(Refusal::new("asked", says).into());
    }
    Ok(Json(echo_job::entry::read(&typed.text, asked)?))
}
