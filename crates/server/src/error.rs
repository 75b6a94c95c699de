//! Errors as the page gets them: a sentence, and the field it is about.

use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use echo_capture::CaptureError;
use echo_formats::FormatError;
use echo_job::Refusal;
use echo_job::analysis::AnalysisError;
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

/// An error with its HTTP status.
#[derive(Debug)]
pub struct ApiError {
    status: StatusCode,
    body: ErrorBody,
}

impl ApiError {
    fn new(status: StatusCode, says: impl Into<String>) -> Self {
        ApiError { status, body: ErrorBody { says: says.into(), field: None } }
    }

    /// Something that is not there.
    pub fn missing(what: &str) -> Self {
        ApiError::new(StatusCode::NOT_FOUND, format!("{what} is not there"))
    }

    /// Something that cannot be done now.
    pub fn conflict(says: impl Into<String>) -> Self {
        ApiError::new(StatusCode::CONFLICT, says)
    }

    /// What it says.
    pub fn says(&self) -> String {
        self.body.says.clone()
    }

    /// A fault of the server.
    pub fn fault(says: impl Into<String>) -> Self {
        ApiError::new(StatusCode::INTERNAL_SERVER_ERROR, says)
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        if self.status.is_server_error() {
            tracing::error!("{}", self.body.says);
        }
        (self.status, Json(self.body)).into_response()
    }
}

impl From<StoreError> for ApiError {
    fn from(e: StoreError) -> Self {
        let status = match e {
            StoreError::Away(_) | StoreError::Full(_) => StatusCode::SERVICE_UNAVAILABLE,
            StoreError::Missing(_) => StatusCode::NOT_FOUND,
            StoreError::Stale(..) | StoreError::Owned(_) => StatusCode::CONFLICT,
            StoreError::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
            StoreError::Unreadable(_) | StoreError::Fault(_) => StatusCode::INTERNAL_SERVER_ERROR,
        };
        ApiError::new(status, e.to_string())
    }
}

impl From<Refusal> for ApiError {
    fn from(e: Refusal) -> Self {
        ApiError { status: StatusCode::UNPROCESSABLE_ENTITY, body: ErrorBody { says: e.says, field: Some(e.field) } }
    }
}

impl From<CaptureError> for ApiError {
    fn from(e: CaptureError) -> Self {
        ApiError::conflict(e.0)
    }
}

impl From<AnalysisError> for ApiError {
    fn from(e: AnalysisError) -> Self {
        match e {
            AnalysisError::Refused(r) => r.into(),
            AnalysisError::Input(says) => ApiError::new(StatusCode::SERVICE_UNAVAILABLE, says),
            AnalysisError::Stopped => ApiError::conflict("the analysis was stopped"),
        }
    }
}

impl From<FormatError> for ApiError {
    fn from(e: FormatError) -> Self {
        ApiError::fault(e.to_string())
    }
}
