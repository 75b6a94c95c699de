//! What can go wrong in the work of the application, told apart by what whoever asked can do about it.

use echo_capture::CaptureError;
use echo_formats::FormatError;
use echo_job::Refusal;
use echo_job::analysis::AnalysisError;
use echo_store::StoreError;

/// Shorthand for this crate's results.
pub type Result<T> = std::result::Result<T, Error>;

/// What can go wrong.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// What was asked is not allowed; the field it is about is told.
    #[error("{}", .0.says)]
    Refused(Refusal),
    /// Something is not there.
    #[error("{0} is not there")]
    Missing(String),
    /// It cannot be done now.
    #[error("{0}")]
    Conflict(String),
    /// The store.
    #[error("{0}")]
    Store(StoreError),
    /// Samples could not be read.
    #[error("{0}")]
    Input(String),
    /// It was stopped by whoever asked.
    #[error("the analysis was stopped")]
    Stopped,
    /// A fault of Fleet Echo.
    #[error("{0}")]
    Fault(String),
}

impl Error {
    /// Something that is not there.
    pub fn missing(what: &str) -> Self {
        Error::Missing(what.into())
    }

    /// Something that cannot be done now.
    pub fn conflict(says: impl Into<String>) -> Self {
        Error::Conflict(says.into())
    }

    /// A fault of Fleet Echo.
    pub fn fault(says: impl Into<String>) -> Self {
        Error::Fault(says.into())
    }

    /// Its sentence.
    pub fn says(&self) -> String {
        self.to_string()
    }

    /// Whether the same again may succeed later.
    pub fn passes(&self) -> bool {
        match self {
            Error::Store(e) => e.passes(),
            Error::Input(_) => true,
            _ => false,
        }
    }
}

impl From<StoreError> for Error {
    fn from(e: StoreError) -> Self {
        Error::Store(e)
    }
}

impl From<Refusal> for Error {
    fn from(e: Refusal) -> Self {
        Error::Refused(e)
    }
}

impl From<CaptureError> for Error {
    fn from(e: CaptureError) -> Self {
        Error::Conflict(e.0)
    }
}

impl From<AnalysisError> for Error {
    fn from(e: AnalysisError) -> Self {
        match e {
            AnalysisError::Refused(r) => r.into(),
            AnalysisError::Input(says) => Error::Input(says),
            AnalysisError::Stopped => Error::Stopped,
        }
    }
}

impl From<FormatError> for Error {
    fn from(e: FormatError) -> Self {
        Error::Fault(e.to_string())
    }
}

impl From<echo_report::ReportError> for Error {
    fn from(e: echo_report::ReportError) -> Self {
        Error::Fault(e.to_string())
    }
}

impl From<serde_json::Error> for Error {
    fn from(e: serde_json::Error) -> Self {
        Error::Fault(e.to_string())
    }
}

impl From<tokio::task::JoinError> for Error {
    fn from(e: tokio::task::JoinError) -> Self {
        Error::Fault(e.to_string())
    }
}

impl From<std::io::Error> for Error {
    fn from(e: std::io::Error) -> Self {
        Error::Fault(e.to_string())
    }
}
