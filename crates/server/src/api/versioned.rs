//! What several people may change at once: an answer tells its version, a change the one it was made on.

use axum::Json;
use axum::http::HeaderName;
use axum::response::{IntoResponse, Response};
use serde::{Deserialize, Serialize};
use utoipa::IntoParams;

/// The header of an answer with the version of what it holds.
pub static VERSION: HeaderName = HeaderName::from_static("x-version");

/// On what a change was made.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct MadeOn {
    /// Version that was changed; left out, it is written over whatever is there.
    pub(super) made_on: Option<i64>,
}

/// Something with its version.
pub struct Versioned<T>(pub T, pub i64);

impl<T: Serialize> IntoResponse for Versioned<T> {
    fn into_response(self) -> Response {
        ([(VERSION.clone(), self.1.to_string())], Json(self.0)).into_response()
    }
}
