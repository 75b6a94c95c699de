//! Who asks, and whether they may: sessions of people, tokens of programs, and nobody where nobody needs to sign in.

use crate::App;
use crate::error::ErrorBody;
use crate::roles::{Needs, needs};
use axum::Json;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use echo_application::people::hash;
use echo_job::role::Role;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tower_sessions::Session;

/// Under which key a session holds the person.
pub(crate) const PERSON: &str = "person";
/// How long it is believed who somebody is and what they may do.
const BELIEVED: Duration = Duration::from_secs(3);
/// People and tokens that are remembered.
const REMEMBERED: usize = 512;

/// Somebody who is known.
#[derive(Debug, Clone, PartialEq)]
pub struct Known {
    /// The name.
    pub name: String,
    /// What they may do.
    pub role: Role,
    /// Key of the person; none for a program's token.
    pub person: Option<i64>,
}

/// Whether people must sign in, and who is remembered: orders to front ends are carried out though the database is
/// away.
#[derive(Clone)]
pub struct Door {
    /// Whether people must sign in.
    pub locked: bool,
    /// The word by which the first owner is made, while there is none.
    pub first: Arc<Mutex<Option<String>>>,
    believed: Arc<Mutex<BTreeMap<String, (Instant, Known)>>>,
}

impl Door {
    /// A door that is open, or locked; `first` lets the first owner in.
    pub fn new(locked: bool, first: Option<String>) -> Door {
        Door { locked, first: Arc::new(Mutex::new(first)), believed: Arc::default() }
    }

    fn believed(&self, key: &str, stale: bool) -> Option<Known> {
        let all = self.believed.lock().unwrap_or_else(PoisonError::into_inner);
        all.get(key).filter(|(at, _)| stale || at.elapsed() < BELIEVED).map(|(_, known)| known.clone())
    }

    fn believe(&self, key: String, known: &Known) {
        let mut all = self.believed.lock().unwrap_or_else(PoisonError::into_inner);
        if all.len() >= REMEMBERED {
            all.retain(|_, (at, _)| at.elapsed() < BELIEVED);
        }
        all.insert(key, (Instant::now(), known.clone()));
    }

    /// Forgets who is remembered: somebody's role changed.
    pub fn forget(&self) {
        self.believed.lock().unwrap_or_else(PoisonError::into_inner).clear();
    }
}

/// Who sends a token, if it is one.
async fn by_token(app: &App, door: &Door, headers: &HeaderMap) -> Option<Known> {
    let told = headers.get(header::AUTHORIZATION)?.to_str().ok()?;
    let token = told.strip_prefix("Bearer ").or_else(|| told.strip_prefix("bearer "))?.trim();
    let hash = hash(token);
    let key = format!("token {}", hash.iter().map(|b| format!("{b:02x}")).collect::<String>());
    if let Some(known) = door.believed(&key, false) {
        return Some(known);
    }
    match app.store.by_token(&hash).await {
        Ok(found) => {
            let known = found.map(|(name, role)| Known { name, role, person: None })?;
            door.believe(key, &known);
            Some(known)
        }
        Err(_) => door.believed(&key, true),
    }
}

/// Who a session belongs to, if it is somebody's.
async fn by_session(app: &App, door: &Door, session: &Session) -> Option<Known> {
    let person: i64 = session.get(PERSON).await.ok()??;
    let key = format!("person {person}");
    if let Some(known) = door.believed(&key, false) {
        return Some(known);
    }
    match app.store.people().await {
        Ok(all) => {
            let found = all.into_iter().find(|p| p.id == person)?;
            let known = Known { name: found.name, role: found.role, person: Some(person) };
            door.believe(key, &known);
            Some(known)
        }
        Err(_) => door.believed(&key, true),
    }
}

fn refused(status: StatusCode, says: String) -> Response {
    (status, Json(ErrorBody { says, field: None })).into_response()
}

/// Lets pass who may do what is asked, and says in `x-who` who it is.
pub(crate) async fn guard(
    State((app, door)): State<(App, Door)>,
    session: Session,
    mut request: Request,
    next: Next,
) -> Response {
    if !door.locked {
        return next.run(request).await;
    }
    request.headers_mut().remove("x-who");
    let known = match by_token(&app, &door, request.headers()).await {
        Some(known) => Some(known),
        None => by_session(&app, &door, &session).await,
    };
    let path = request.uri().path();
    if let Needs::Role(role) = needs(request.method(), path.strip_prefix("/api").unwrap_or(path)) {
        match &known {
            None => return refused(StatusCode::UNAUTHORIZED, "sign in first".into()),
            Some(k) if k.role < role => {
                let says = format!(
                    "this needs the role “{role}”, and {} has the role “{}”; somebody with the role “own” can change that",
                    k.name, k.role
                );
                return refused(StatusCode::FORBIDDEN, says);
            }
            Some(_) => {}
        }
    }
    if let Some(known) = known {
        // Names may have letters that no header takes as they are.
        if let Ok(name) = HeaderValue::from_bytes(known.name.as_bytes()) {
            request.headers_mut().insert("x-who", name);
        }
        request.extensions_mut().insert(known);
    }
    next.run(request).await
}
