//! Keeps pages of other sites from using the server through a browser that can reach it.
//!
//! A page from elsewhere may send requests here, and a name that somebody points at this machine makes
//! it look like this server's own page (DNS rebinding). Both give themselves away: by a foreign
//! `Origin`, and by a `Host` that is no address of this machine. Programs that send neither are let in.
//! Source: Fetch standard (Origin); RFC 9110, 7.2 (Host); OWASP, "Cross-Site Request Forgery Prevention".

use crate::error::ErrorBody;
use axum::Json;
use axum::extract::{Request, State};
use axum::http::uri::Authority;
use axum::http::{HeaderMap, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::any::Any;
use std::net::IpAddr;
use std::sync::Arc;

/// Names, besides addresses and `localhost`, under which the server may be reached.
pub type Names = Arc<Vec<String>>;

/// Whether a `Host` is one this server answers to. Addresses cannot be pointed elsewhere by a name server.
fn own(host: &str, names: &[String]) -> bool {
    let Ok(authority) = host.parse::<Authority>() else { return false };
    let name = authority.host().trim_matches(['[', ']']).to_ascii_lowercase();
    name == "localhost" || name.parse::<IpAddr>().is_ok() || names.iter().any(|n| n.eq_ignore_ascii_case(&name))
}

fn text(headers: &HeaderMap, name: header::HeaderName) -> Option<&str> {
    headers.get(name).map(|v| v.to_str().unwrap_or(""))
}

/// Why a request is not carried out, if it is not.
pub fn refused(method: &Method, headers: &HeaderMap, authority: Option<&str>, names: &[String]) -> Option<String> {
    let host = text(headers, header::HOST).or(authority).unwrap_or("");
    if !own(host, names) {
        return Some(format!(
            "this server does not answer to the name “{host}”; allowed: its addresses, localhost, and names given with --name"
        ));
    }
    let upgrade = headers.contains_key(header::UPGRADE);
    if (method.is_safe() && !upgrade) || !headers.contains_key(header::ORIGIN) {
        return None;
    }
    let origin = text(headers, header::ORIGIN).unwrap_or("");
    let from = origin.split_once("://").map_or("", |(_, authority)| authority);
    (!from.eq_ignore_ascii_case(host)).then(|| {
        format!("the page at “{origin}” is not this server's; allowed: its own pages and programs that name none")
    })
}

/// Lets pass what is this server's own.
pub(crate) async fn guard(State(names): State<Names>, request: Request, next: Next) -> Response {
    let authority = request.uri().authority().map(|a| a.as_str().to_string());
    match refused(request.method(), request.headers(), authority.as_deref(), &names) {
        Some(says) => {
            tracing::warn!("refused: {says}");
            (StatusCode::FORBIDDEN, Json(ErrorBody { says, field: None })).into_response()
        }
        None => next.run(request).await,
    }
}

/// The answer to a request whose handling broke.
pub(crate) fn broken(why: Box<dyn Any + Send + 'static>) -> Response {
    let what = why.downcast_ref::<String>().map(String::as_str).or(why.downcast_ref::<&str>().copied());
    tracing::error!("a request broke: {}", what.unwrap_or("without a word"));
    let says = "a fault of Fleet Echo itself; nothing of this request was done, everything else goes on".into();
    (StatusCode::INTERNAL_SERVER_ERROR, Json(ErrorBody { says, field: None })).into_response()
}
