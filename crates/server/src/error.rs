//! Errors as the page gets them: a sentence, and the field it is about.

use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use echo_application::Error;
use echo_job::Refusal;
use echo_store::StoreError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Body of every answer that is an error.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct ErrorBody {
    /// What happened and what is allowed, in a sentence.
    pub says: String,
    /// The key or column it is about, if one.
    pub field: Option<String>,
}

/// An error on its way to the page.
#[derive(Debug)]
pub struct ApiError(Error);

impl ApiError {
    /// Something that is not there.
    pub fn missing(what: &str) -> Self {
        ApiError(Error::missing(what))
    }

    /// A fault of the server.
    pub fn fault(says: impl Into<String>) -> Self {
        ApiError(Error::fault(says))
    }

    fn status(&self) -> StatusCode {
        match &self.0 {
            Error::Refused(_) | Error::Store(StoreError::Refused(_)) => StatusCode::UNPROCESSABLE_ENTITY,
            Error::Missing(_) | Error::Store(StoreError::Missing(_)) => StatusCode::NOT_FOUND,
            Error::Conflict(_) | Error::Stopped | Error::Store(StoreError::Stale(..) | StoreError::Owned(_)) => {
                StatusCode::CONFLICT
            }
            Error::Input(_) | Error::Store(StoreError::Away(_) | StoreError::Full(_)) => {
                StatusCode::SERVICE_UNAVAILABLE
            }
            Error::Fault(_) | Error::Store(StoreError::Unreadable(_) | StoreError::Fault(_)) => {
                StatusCode::INTERNAL_SERVER_ERROR
            }
        }
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        let (status, says) = (self.status(), self.0.says());
        if status.is_server_error() {
            tracing::error!("{says}");
        }
        let field = match self.0 {
            Error::Refused(Refusal { field, .. }) => Some(field),
            _ => None,
        };
        (status, Json(ErrorBody { says, field })).into_response()
    }
}

impl<E: Into<Error>> From<E> for ApiError {
    fn from(e: E) -> Self {
        ApiError(e.into())
    }
}
