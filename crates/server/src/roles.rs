//! Which role each route needs: one table, closed by default.

use axum::http::Method;
use echo_job::role::Role;

/// What a request needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Needs {
    /// Nothing: it must be possible before anybody is known.
    Nothing,
    /// Somebody who may at least do this.
    Role(Role),
}

/// What a request needs, by its method and its path below `/api`. What is not in the table is for owners alone.
pub fn needs(method: &Method, path: &str) -> Needs {
    use Role::{Measure, Own, Watch, Work};
    let parts: Vec<&str> = path.trim_matches('/').split('/').collect();
    // Signing in and out, and who one is.
    if matches!(parts[..], ["sign-in" | "sign-out" | "me" | "first-owner"]) {
        return Needs::Nothing;
    }
    if method.is_safe() {
        return Needs::Role(match parts[..] {
            ["people", ..] | ["tokens", ..] => Own,
            _ => Watch,
        });
    }
    Needs::Role(match parts[..] {
        // Questions that are asked with a body.
        ["runs", _, "results" | "readings" | "events" | "deflection" | "deflection.uff"] | ["files", _, "look"] => {
            Watch
        }
        ["campaigns", _, "specimen", "look"] => Watch,
        ["entry"] | ["plots", _] | ["campaigns", _, "plan", "length"] => Watch,
        ["campaigns", _, "jobs", "report" | "hand-over"] | ["runs", _, "jobs", "export"] | ["jobs", ..] => Watch,
        ["campaigns", _, "modes" | "modes.uff"] | ["campaigns", _, "modes", "synthesis" | "compare" | "halves"] => {
            Watch
        }
        ["campaigns", _, "functions", "curves"] | ["taps", "points"] => Watch,
        ["report", "verify"] | ["me", "password"] => Watch,
        // Whoever sees that something is wrong may stop it.
        ["emergency-stop"] | ["capture", "stop"] => Watch,
        // Front ends and what hangs on them.
        ["capture", ..] | ["front-ends", ..] | ["smart-sensors", ..] | ["campaigns", _, "choose" | "rounds"] => Measure,
        ["reference", ..] | ["tachos", ..] | ["encoders", ..] | ["taps", _, "go"] => Measure,
        // People, and what takes campaigns away.
        ["people", ..] | ["tokens", ..] | ["shelf", "remove-demo"] => Own,
        ["campaigns", _] if method == Method::DELETE => Own,
        // The work on campaigns.
        ["campaigns", ..] | ["runs", ..] | ["files", ..] | ["taps", ..] => Work,
        ["kept-results", ..]
        | ["specimen-files", ..]
        | ["report-templates", ..]
        | ["letterhead", ..]
        | ["afterwards", ..]
        | ["sensors", ..]
        | ["plan", "try"] => Work,
        _ => Own,
    })
}
