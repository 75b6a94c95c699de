//! The rules of the job: what a channel, a rig, a plan and a recipe are, and what is wrong with them.
//!
//! No I/O, no runtime, no screen. The server, the command line and the capture path all use these
//! types, so that a rule is written once.

pub mod align;
pub mod analysis;
pub mod caution;
pub mod coupling;
pub mod dof;
pub mod entry;
pub mod event;
pub mod export;
pub mod front_end;
pub mod geometry;
pub mod impact;
pub mod machine;
pub mod math;
pub mod measure;
pub mod plan;
pub mod reading;
pub mod recipe;
pub mod reference;
pub mod report;
pub mod retold;
pub mod rig;
pub mod role;
pub mod sensitivity;
pub mod sensor;
pub mod specimen;
pub mod tacho;
pub mod trigger;
pub mod unit;
pub mod watch;

/// A refused entry: which one, and a sentence on what is allowed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error, serde::Serialize, utoipa::ToSchema)]
#[error("{says}")]
pub struct Refusal {
    /// The key or column that was refused.
    pub field: String,
    /// What is wrong and what is allowed, in one sentence.
    pub says: String,
}

impl Refusal {
    /// A refusal of `field`.
    pub fn new(field: impl Into<String>, says: impl Into<String>) -> Self {
        Refusal { field: field.into(), says: says.into() }
    }

    /// The same, of another field.
    #[must_use]
    pub fn of(self, field: impl Into<String>) -> Self {
        Refusal { field: field.into(), ..self }
    }
}
