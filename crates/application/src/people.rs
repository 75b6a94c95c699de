//! People with their roles and passwords, and tokens of programs.

use crate::{Desk, Error, Result};
use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use chrono::{DateTime, Duration, Utc};
use echo_job::Refusal;
use echo_job::role::Role;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::sync::LazyLock;
use tokio::sync::Semaphore;
use utoipa::ToSchema;

/// Shortest and longest password, characters.
const SHORTEST: usize = 8;
const LONGEST: usize = 200;
/// Wrong passwords of a name that cost no wait.
const FREE_TRIES: i32 = 3;
/// Longest wait after a wrong password, s.
const LONGEST_WAIT_S: i64 = 300;
/// Passwords that are looked at side by side: each takes 19 MB and some of a core.
static HASHING: Semaphore = Semaphore::const_new(2);

/// Somebody who may work here.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PersonBody {
    /// Key.
    pub id: i64,
    /// The name.
    pub name: String,
    /// What they may do.
    pub role: Role,
    /// Since when.
    pub made_at: DateTime<Utc>,
}

/// Somebody who is to work here.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPerson {
    /// The name, up to 60 characters.
    pub name: String,
    /// What they may do.
    pub role: Role,
    /// The first password, 8 characters or more.
    pub password: String,
}

/// What changes for somebody.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PersonChange {
    /// Another role.
    #[serde(default)]
    pub role: Option<Role>,
    /// Another password.
    #[serde(default)]
    pub password: Option<String>,
}

/// A token of a program, without itself.
#[derive(Debug, Serialize, ToSchema)]
pub struct TokenBody {
    /// Key.
    pub id: i64,
    /// What it is for: its changes are told under this name.
    pub name: String,
    /// What it may do.
    pub role: Role,
    /// Who made it.
    pub made_by: String,
    /// When it ends.
    pub expires_at: DateTime<Utc>,
    /// When it was used last.
    pub used_at: Option<DateTime<Utc>>,
}

/// A token that is to be made.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewToken {
    /// What it is for, up to 60 characters.
    pub name: String,
    /// What it may do.
    pub role: Role,
    /// Days until it ends, 1 to 3650.
    pub days: i64,
}

/// A token as it is told, once.
#[derive(Debug, Serialize, ToSchema)]
pub struct TokenMade {
    /// Key.
    pub id: i64,
    /// The token; it is kept nowhere.
    pub token: String,
}

/// A name that can be told in a line.
fn named(name: &str) -> std::result::Result<String, Refusal> {
    let name = name.trim().to_string();
    if name.is_empty() || name.chars().count() > 60 || name.chars().any(char::is_control) {
        return Err(Refusal::new("name", "a name has 1 to 60 characters in one line"));
    }
    Ok(name)
}

fn good_password(name: &str, password: &str) -> std::result::Result<(), Refusal> {
    let n = password.chars().count();
    if !(SHORTEST..=LONGEST).contains(&n) {
        return Err(Refusal::new("password", format!("a password has {SHORTEST} to {LONGEST} characters, not {n}")));
    }
    if password.to_lowercase() == name.to_lowercase() {
        return Err(Refusal::new("password", "the password must not be the name"));
    }
    Ok(())
}

/// The hash of a password: Argon2id as OWASP advises (19 MiB, two passes).
async fn hashed(password: &str) -> Result<String> {
    let password = password.to_string();
    let _turn = HASHING.acquire().await.map_err(|e| Error::fault(e.to_string()))?;
    let hash = tokio::task::spawn_blocking(move || {
        Argon2::default().hash_password(password.as_bytes()).map(|h| h.to_string())
    });
    hash.await?.map_err(|e| Error::fault(e.to_string()))
}

/// A hash that fits no password: a name that is not there takes as long as a wrong password.
static NOBODYS: LazyLock<String> =
    LazyLock::new(|| Argon2::default().hash_password(&rand_bytes()).map(|h| h.to_string()).unwrap_or_default());

/// Bytes that nobody can guess.
pub(crate) fn rand_bytes() -> [u8; 32] {
    let mut bytes = [0; 32];
    // Without the system's randomness there is no secret worth the name.
    getrandom::fill(&mut bytes).expect("the system gives random numbers");
    bytes
}

/// Text that nobody can guess.
pub fn unguessable() -> String {
    hex::encode(rand_bytes())
}

/// How long is to be waited after so many wrong passwords, s.
fn wait_s(times: i32) -> i64 {
    if times < FREE_TRIES { 0 } else { LONGEST_WAIT_S.min(1 << (times - FREE_TRIES).clamp(0, 20)) }
}

/// Whether somebody may come in: the person, if name and password fit.
///
/// # Errors
/// They do not; too many did not lately; the database is away.
pub async fn sign_in(desk: &Desk, name: &str, password: &str) -> Result<PersonBody> {
    let name = named(name)?;
    if let Some((times, last)) = desk.store.wrong_passwords(&name).await? {
        let left = wait_s(times) - (Utc::now() - last).num_seconds();
        if left > 0 {
            let says = format!("{times} wrong passwords for {name}; the next try is in {left} s");
            return Err(Refusal::new("password", says).into());
        }
    }
    let person = desk.store.people().await?.into_iter().find(|p| p.name.to_lowercase() == name.to_lowercase());
    let (secret, given) = (person.as_ref().map_or(NOBODYS.clone(), |p| p.secret.clone()), password.to_string());
    let fits = {
        let _turn = HASHING.acquire().await.map_err(|e| Error::fault(e.to_string()))?;
        tokio::task::spawn_blocking(move || {
            let hash = PasswordHash::new(&secret);
            hash.is_ok_and(|h| Argon2::default().verify_password(given.as_bytes(), &h).is_ok())
        })
        .await?
    };
    match person.filter(|_| fits) {
        Some(p) => {
            desk.store.forget_wrong_passwords(&name).await?;
            Ok(PersonBody { id: p.id, name: p.name, role: p.role, made_at: p.made_at })
        }
        None => {
            desk.store.count_wrong_password(&name).await?;
            Err(Refusal::new("password", "name or password is wrong").into())
        }
    }
}

/// Everybody who may work here, by name.
///
/// # Errors
/// The database is away.
pub async fn list(desk: &Desk) -> Result<Vec<PersonBody>> {
    let all = desk.store.people().await?.into_iter();
    Ok(all.map(|p| PersonBody { id: p.id, name: p.name, role: p.role, made_at: p.made_at }).collect())
}

/// Adds somebody; gives the key.
///
/// # Errors
/// A name or password that is not allowed, a name that is used, or the database is away.
pub async fn add(desk: &Desk, new: NewPerson, by: &str) -> Result<i64> {
    let name = named(&new.name)?;
    good_password(&name, &new.password)?;
    let secret = hashed(&new.password).await?;
    if desk.store.people().await?.iter().any(|p| p.name.to_lowercase() == name.to_lowercase()) {
        return Err(Refusal::new("name", format!("there is somebody called {name} already")).into());
    }
    let id = desk.store.add_person(&name, new.role, &secret, by).await?;
    let detail = serde_json::json!({ "name": name, "role": new.role });
    desk.store.note_change(by, "person added", &detail).await?;
    Ok(id)
}

/// The only one who owns, if somebody is.
async fn only_owner(desk: &Desk) -> Result<Option<i64>> {
    let owners: Vec<i64> =
        desk.store.people().await?.into_iter().filter(|p| p.role == Role::Own).map(|p| p.id).collect();
    Ok(if let [one] = owners[..] { Some(one) } else { None })
}

/// Gives somebody another role or password.
///
/// # Errors
/// Nobody would own any more, a password that is not allowed, there is none of that key, or the database is away.
pub async fn change(desk: &Desk, id: i64, to: PersonChange, by: &str) -> Result<()> {
    let all = desk.store.people().await?;
    let person = all.iter().find(|p| p.id == id).ok_or_else(|| Error::missing(&format!("person {id}")))?;
    if to.role.is_some_and(|r| r != Role::Own) && only_owner(desk).await? == Some(id) {
        return Err(Refusal::new("role", "somebody must own; give another one that role first").into());
    }
    let secret = match &to.password {
        Some(password) => {
            good_password(&person.name, password)?;
            Some(hashed(password).await?)
        }
        None => None,
    };
    desk.store.change_person(id, to.role, secret.as_deref()).await?;
    let detail = serde_json::json!({ "name": person.name, "role": to.role, "password": secret.is_some() });
    Ok(desk.store.note_change(by, "person changed", &detail).await?)
}

/// Lets somebody go.
///
/// # Errors
/// Nobody would own any more, there is none of that key, or the database is away.
pub async fn remove(desk: &Desk, id: i64, by: &str) -> Result<()> {
    if only_owner(desk).await? == Some(id) {
        return Err(Refusal::new("role", "somebody must own; give another one that role first").into());
    }
    desk.store.remove_person(id).await?;
    Ok(desk.store.note_change(by, "person removed", &serde_json::json!({ "id": id })).await?)
}

/// Tokens that have not ended.
///
/// # Errors
/// The database is away.
pub async fn tokens(desk: &Desk) -> Result<Vec<TokenBody>> {
    let all = desk.store.tokens().await?.into_iter();
    let body = |t: echo_store::people::Token| TokenBody {
        id: t.id,
        name: t.name,
        role: t.role,
        made_by: t.made_by,
        expires_at: t.expires_at,
        used_at: t.used_at,
    };
    Ok(all.map(body).collect())
}

/// Makes a token; it is told this once.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn make_token(desk: &Desk, new: NewToken, by: &str) -> Result<TokenMade> {
    let name = named(&new.name)?;
    if !(1..=3650).contains(&new.days) {
        return Err(Refusal::new("days", format!("a token lives 1 to 3650 days, not {}", new.days)).into());
    }
    let token = format!("echo-{}", unguessable());
    let ends = Utc::now() + Duration::days(new.days);
    let id = desk.store.add_token(&name, &hash(&token), new.role, by, ends).await?;
    let detail = serde_json::json!({ "name": name, "role": new.role, "days": new.days });
    desk.store.note_change(by, "token made", &detail).await?;
    Ok(TokenMade { id, token })
}

/// Ends a token.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn end_token(desk: &Desk, id: i64, by: &str) -> Result<()> {
    desk.store.remove_token(id).await?;
    Ok(desk.store.note_change(by, "token ended", &serde_json::json!({ "id": id })).await?)
}

/// What a token is known by.
pub fn hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn wrong_passwords_are_slowed_more_and_more() {
        let waits: Vec<i64> = (0..8).map(wait_s).collect();
        assert_eq!(waits, [0, 0, 0, 1, 2, 4, 8, 16]);
        assert_eq!(wait_s(1000), 300);
    }

    #[test]
    fn names_and_passwords_are_bounded() {
        assert_eq!(named("  Inès “I.” O’Hara ").unwrap(), "Inès “I.” O’Hara");
        assert!(named("").is_err() && named("a\nb").is_err() && named(&"x".repeat(61)).is_err());
        let says = |name: &str, password: &str| good_password(name, password).unwrap_err().says;
        assert!(says("Ines", "short").contains("8 to 200 characters, not 5"));
        assert!(says("quaysides", "Quaysides").contains("must not be the name"));
        assert!(good_password("Ines", "loading ramp").is_ok());
    }

    #[tokio::test]
    async fn a_password_is_known_again_by_its_hash_alone() {
        let (one, other) = (hashed("loading ramp").await.unwrap(), hashed("loading ramp").await.unwrap());
        assert_ne!(one, other, "each has its own salt");
        let fits =
            |text: &str| Argon2::default().verify_password(text.as_bytes(), &PasswordHash::new(&one).unwrap()).is_ok();
        assert!(fits("loading ramp") && !fits("loading ramps"));
        assert!(!one.contains("ramp") && one.starts_with("$argon2id$"));
    }
}
