//! Signing in and out, people and their roles, tokens of programs.

use super::{ApiError, who};
use crate::App;
use crate::people::{Door, Known, PERSON};
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::{Extension, Json};
use echo_application::Error;
use echo_application::people::{self, NewPerson, NewToken, PersonBody, PersonChange, TokenBody, TokenMade};
use echo_job::Refusal;
use echo_job::role::Role;
use serde::{Deserialize, Serialize};
use std::sync::PoisonError;
use tower_sessions::Session;
use utoipa::ToSchema;

/// Who one is here.
#[derive(Debug, Serialize, ToSchema)]
pub struct Me {
    /// The name; none where one must sign in first.
    pub name: Option<String>,
    /// What one may do.
    pub role: Option<Role>,
    /// Whether people sign in here at all.
    pub locked: bool,
    /// Whether there is nobody yet: the first owner is made with a word from the console.
    pub first: bool,
}

/// Name and password.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Credentials {
    /// The name.
    pub name: String,
    /// The password.
    pub password: String,
}

/// The first owner.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FirstOwner {
    /// The word that the console told.
    pub word: String,
    /// The name.
    pub name: String,
    /// The password.
    pub password: String,
}

/// Passwords of one's own.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OwnPassword {
    /// The one so far.
    pub old: String,
    /// The one from now on.
    pub new: String,
}

fn lost(e: impl std::fmt::Display) -> ApiError {
    ApiError::fault(format!("the session could not be kept: {e}"))
}

/// Who one is here.
#[utoipa::path(get, operation_id = "who_am_i", path = "/api/me", responses((status = 200, body = Me)))]
pub async fn me(
    State(app): State<App>,
    Extension(door): Extension<Door>,
    known: Option<Extension<Known>>,
    headers: HeaderMap,
) -> Result<Json<Me>, ApiError> {
    if !door.locked {
        return Ok(Json(Me { name: Some(who(&headers)), role: Some(Role::Own), locked: false, first: false }));
    }
    let first = known.is_none() && people::list(&app.desk).await?.is_empty();
    let known = known.map(|k| k.0);
    Ok(Json(Me { role: known.as_ref().map(|k| k.role), name: known.map(|k| k.name), locked: true, first }))
}

/// Signs in; the session is a cookie.
#[utoipa::path(post, operation_id = "sign_in", path = "/api/sign-in", request_body = Credentials,
    responses((status = 200, body = PersonBody), (status = 422, body = super::ErrorBody)))]
pub async fn sign_in(
    State(app): State<App>,
    session: Session,
    Json(c): Json<Credentials>,
) -> Result<Json<PersonBody>, ApiError> {
    let person = people::sign_in(&app.desk, &c.name, &c.password).await?;
    // A session that was there before must not become somebody's.
    session.cycle_id().await.map_err(lost)?;
    session.insert(PERSON, person.id).await.map_err(lost)?;
    Ok(Json(person))
}

/// Signs out.
#[utoipa::path(post, operation_id = "sign_out", path = "/api/sign-out", responses((status = 204)))]
pub async fn sign_out(session: Session) -> Result<StatusCode, ApiError> {
    session.flush().await.map_err(lost)?;
    Ok(StatusCode::NO_CONTENT)
}

/// Makes the first owner, with the word that the console told, and signs in as that.
#[utoipa::path(post, operation_id = "first_owner", path = "/api/first-owner", request_body = FirstOwner,
    responses((status = 200, body = PersonBody), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn first_owner(
    State(app): State<App>,
    Extension(door): Extension<Door>,
    session: Session,
    Json(new): Json<FirstOwner>,
) -> Result<Json<PersonBody>, ApiError> {
    let word = door.first.lock().unwrap_or_else(PoisonError::into_inner).clone();
    if !people::list(&app.desk).await?.is_empty() {
        return Err(Error::conflict("there is an owner already; ask them to let you in").into());
    }
    if word.is_none_or(|w| w != new.word.trim()) {
        return Err(Refusal::new("word", "that is not the word the console told when the server was started").into());
    }
    let (name, password) = (new.name.clone(), new.password.clone());
    people::add(&app.desk, NewPerson { name: new.name, role: Role::Own, password: new.password }, "console").await?;
    *door.first.lock().unwrap_or_else(PoisonError::into_inner) = None;
    sign_in(State(app), session, Json(Credentials { name, password })).await
}

/// Changes one's own password.
#[utoipa::path(put, operation_id = "own_password", path = "/api/me/password", request_body = OwnPassword,
    responses((status = 204), (status = 409, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn own_password(
    State(app): State<App>,
    known: Option<Extension<Known>>,
    Json(to): Json<OwnPassword>,
) -> Result<StatusCode, ApiError> {
    let known = known.map(|k| k.0).filter(|k| k.person.is_some());
    let Some(Known { name, person: Some(id), .. }) = known else {
        return Err(Error::conflict("nobody is signed in").into());
    };
    people::sign_in(&app.desk, &name, &to.old).await?;
    let change = PersonChange { role: None, password: Some(to.new) };
    people::change(&app.desk, id, change, &name).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Everybody who may work here.
#[utoipa::path(get, operation_id = "list_people", path = "/api/people", responses((status = 200, body = [PersonBody])))]
pub async fn list(State(app): State<App>) -> Result<Json<Vec<PersonBody>>, ApiError> {
    Ok(Json(people::list(&app.desk).await?))
}

/// Adds somebody; gives the key.
#[utoipa::path(post, operation_id = "add_person", path = "/api/people", request_body = NewPerson,
    responses((status = 200, body = i64), (status = 422, body = super::ErrorBody)))]
pub async fn add(
    State(app): State<App>,
    headers: HeaderMap,
    Json(new): Json<NewPerson>,
) -> Result<Json<i64>, ApiError> {
    Ok(Json(people::add(&app.desk, new, &who(&headers)).await?))
}

/// Gives somebody another role or password.
#[utoipa::path(put, operation_id = "change_person", path = "/api/people/{id}", params(("id" = i64, Path)), request_body = PersonChange,
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn change(
    State(app): State<App>,
    Extension(door): Extension<Door>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(to): Json<PersonChange>,
) -> Result<StatusCode, ApiError> {
    people::change(&app.desk, id, to, &who(&headers)).await?;
    door.forget();
    Ok(StatusCode::NO_CONTENT)
}

/// Lets somebody go.
#[utoipa::path(delete, operation_id = "remove_person", path = "/api/people/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody), (status = 422, body = super::ErrorBody)))]
pub async fn remove(
    State(app): State<App>,
    Extension(door): Extension<Door>,
    Path(id): Path<i64>,
    headers: HeaderMap,
) -> Result<StatusCode, ApiError> {
    people::remove(&app.desk, id, &who(&headers)).await?;
    door.forget();
    Ok(StatusCode::NO_CONTENT)
}

/// Tokens of programs.
#[utoipa::path(get, operation_id = "list_tokens", path = "/api/tokens", responses((status = 200, body = [TokenBody])))]
pub async fn tokens(State(app): State<App>) -> Result<Json<Vec<TokenBody>>, ApiError> {
    Ok(Json(people::tokens(&app.desk).await?))
}

/// Makes a token; it is told this once.
#[utoipa::path(post, operation_id = "make_token", path = "/api/tokens", request_body = NewToken,
    responses((status = 200, body = TokenMade), (status = 422, body = super::ErrorBody)))]
pub async fn make_token(
    State(app): State<App>,
    headers: HeaderMap,
    Json(new): Json<NewToken>,
) -> Result<Json<TokenMade>, ApiError> {
    Ok(Json(people::make_token(&app.desk, new, &who(&headers)).await?))
}

/// Ends a token.
#[utoipa::path(delete, operation_id = "end_token", path = "/api/tokens/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = super::ErrorBody)))]
pub async fn end_token(
    State(app): State<App>,
    Extension(door): Extension<Door>,
    Path(id): Path<i64>,
    headers: HeaderMap,
) -> Result<StatusCode, ApiError> {
    people::end_token(&app.desk, id, &who(&headers)).await?;
    door.forget();
    Ok(StatusCode::NO_CONTENT)
}
