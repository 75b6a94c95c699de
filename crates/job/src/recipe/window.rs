//! Weighting functions by their names.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A weighting function by name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum WindowName {
    #[default]
    Hann,
    Hamming,
    Rectangular,
    FlatTop,
    BlackmanHarris,
    Kaiser,
    Tukey,
}
