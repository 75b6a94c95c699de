//! How a file is to be read: what was put right by hand.

use chrono::{DateTime, Utc};
use echo_formats::csv::Columns;
use echo_job::Refusal;
use echo_job::unit::{Unit, find};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How a file is to be read, where it does not tell it or was guessed wrong.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct FileReading {
    /// What the run is called; the file's name where empty.
    pub kind: String,
    /// When it was recorded; now where left out.
    pub started_at: Option<DateTime<Utc>>,
    /// Samples a second, Hz; as the file says where left out.
    pub sample_rate_hz: Option<f64>,
    /// The column with the time, from 1; 0 where there is none, the first where left out.
    pub time_column: Option<usize>,
    /// Channels of the file that are brought in; all of them where empty.
    pub channels: Vec<ReadChannel>,
}

/// How a channel of a file is to be read.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct ReadChannel {
    /// Which of the file's channels, from 1.
    pub source: usize,
    /// Its name.
    pub name: String,
    /// Its unit.
    pub unit: String,
    /// What full scale is in that unit, for files whose samples are shares of it; 1 where left out.
    pub full_scale: Option<f64>,
    /// Place on the specimen.
    pub point: String,
    /// Direction at that place.
    pub direction: String,
}

impl FileReading {
    /// What is said of the columns.
    pub(crate) fn columns(&self) -> Columns {
        Columns { time: self.time_column, rate_hz: self.sample_rate_hz }
    }

    /// Checks what can be checked without the file.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self) -> std::result::Result<(), Refusal> {
        if let Some(hz) = self.sample_rate_hz.filter(|hz| !(hz.is_finite() && *hz > 0.0 && *hz <= 1e9)) {
            return Err(Refusal::new(
                "sample_rate_hz",
                format!("the rate must be above 0 and up to 1 GHz, not {hz} Hz"),
            ));
        }
        if self.kind.chars().count() > 200 || self.kind.chars().any(char::is_control) {
            return Err(Refusal::new("kind", "what a run is called must be one line of up to 200 characters"));
        }
        for c in &self.channels {
            unit_of(&c.unit)?;
            if c.name.chars().count() > 200 || c.name.chars().any(char::is_control) {
                return Err(Refusal::new("name", "a channel's name must be one line of up to 200 characters"));
            }
            if let Some(f) = c.full_scale.filter(|f| !(f.is_finite() && *f > 0.0)) {
                return Err(Refusal::new("full_scale", format!("full scale must be a number above 0, not {f}")));
            }
        }
        Ok(())
    }
}

/// A unit as it stands in a file; volts where none does.
pub(super) fn unit_of(text: &str) -> std::result::Result<&'static Unit, Refusal> {
    if text.trim().is_empty() { find("V") } else { find(text) }
}
