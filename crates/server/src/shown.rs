//! Keeps a page from changing another campaign than the one it shows.
//!
//! A page says with every request which campaign is on the screen (`x-campaign`). What would change another one, or
//! order the front ends about while they measure for another one, is refused. Programs that say none are let in.

use crate::App;
use crate::error::ApiError;
use axum::extract::{Request, State};
use axum::http::Method;
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use echo_application::Error;

/// What is asked about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum About {
    /// A campaign by its key.
    Campaign(i64),
    /// A run by its key.
    Run(i64),
    /// A tap series by its key.
    Series(i64),
    /// What is measured now.
    Measured,
    /// Nothing that belongs to a campaign, or what must always be possible, such as a stop.
    Other,
}

/// Parts of a run that only a change is sent to; the others are read by sending a recipe.
const OF_A_RUN: [&str; 7] = ["notes", "marks", "channels", "tacho", "jobs", "description", "campaign"];

/// What a request is about, by its method and its address below `/api`.
pub fn about(method: &Method, path: &str) -> About {
    if method.is_safe() {
        return About::Other;
    }
    let parts: Vec<&str> = path.trim_matches('/').split('/').collect();
    let key = |text: &str| text.parse::<i64>().ok();
    match parts[..] {
        // The shelf shows no campaign; what is done there is about another one.
        ["campaigns", _] | ["campaigns", _, "archived" | "restore"] => About::Other,
        // Counting on, and what is only read.
        ["campaigns", _, "modes" | "modes.uff"] | ["campaigns", _, "functions", "curves"] => About::Other,
        ["campaigns", id, ..] => key(id).map_or(About::Other, About::Campaign),
        ["taps", id, ..] => key(id).map_or(About::Other, About::Series),
        ["runs", id] => key(id).map_or(About::Other, About::Run),
        ["runs", id, part, ..] if OF_A_RUN.contains(&part) => key(id).map_or(About::Other, About::Run),
        ["capture", "arm" | "record" | "recorder" | "mark" | "dry-run" | "front-end"] => About::Measured,
        ["smart-sensors", _] | ["reference", "read" | "verdict" | "take-back"] => About::Measured,
        ["front-ends", "test" | "setup"] | ["front-ends", _, "restart" | "output"] => About::Measured,
        _ => About::Other,
    }
}

/// Why a request of a page that shows a campaign is not carried out, if it is not.
async fn refused(app: &App, about: About, shown: i64) -> Option<ApiError> {
    let of = match about {
        About::Campaign(id) => Some(id),
        // What is not there is told by who is asked for it.
        About::Run(id) => app.store.run(id).await.ok().map(|r| r.campaign_id),
        About::Series(id) => app.store.series(id).await.ok().map(|s| s.campaign),
        About::Measured => app.setup().map(|s| s.campaign),
        About::Other => None,
    };
    let of = of.filter(|of| *of != shown)?;
    let name = app.store.campaign(of).await.map_or_else(|_| format!("campaign {of}"), |c| format!("“{}”", c.name));
    let says = match about {
        About::Measured => {
            format!(
                "the front ends measure for {name}, not for the campaign on this page; open it, or measure with this one first"
            )
        }
        _ => format!("this belongs to {name}, not to the campaign on this page; open it to change it"),
    };
    Some(Error::conflict(says).into())
}

/// Lets pass what changes the campaign that is on the screen.
pub(crate) async fn guard(State(app): State<App>, request: Request, next: Next) -> Response {
    let shown = request.headers().get("x-campaign").and_then(|v| v.to_str().ok()).and_then(|v| v.parse().ok());
    let path = request.uri().path();
    let about = about(request.method(), path.strip_prefix("/api").unwrap_or(path));
    if let (Some(shown), true) = (shown, about != About::Other)
        && let Some(refused) = refused(&app, about, shown).await
    {
        return refused.into_response();
    }
    next.run(request).await
}
