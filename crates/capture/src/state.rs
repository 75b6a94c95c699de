//! What capture is doing, for everybody to see.

use chrono::{DateTime, Utc};
use echo_job::front_end::FrontEnd;
use serde::Serialize;
use utoipa::ToSchema;

/// Everything the watch bar shows.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Status {
    /// Connection to the front end.
    pub link: LinkState,
    /// What is being captured.
    pub capture: CaptureState,
    /// How the last recording ended.
    pub ended: Option<Ended>,
}

/// Connection to the front end.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(tag = "link", rename_all = "snake_case")]
pub enum LinkState {
    /// No address is set.
    None,
    /// Trying; the sentence says what failed last.
    Connecting {
        /// Address tried.
        address: String,
        /// What happened last, if anything did.
        says: String,
    },
    /// Connected and sending.
    Connected {
        /// Address.
        address: String,
        /// Who it is.
        front_end: Box<FrontEnd>,
        /// Whether its sample clock is locked.
        clock_locked: bool,
        /// Rate it sends at, Hz.
        sample_rate_hz: f64,
        /// Why its settings were refused, if they were.
        refused: Option<String>,
    },
}

/// What is being captured.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(tag = "state", rename_all = "snake_case")]
pub enum CaptureState {
    /// Nothing.
    Idle,
    /// Ready; waits for the order to record.
    Armed,
    /// Recording.
    Recording(Progress),
    /// Recorded; the rest is being written.
    Writing(Progress),
}

/// How far a recording is.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Progress {
    /// The run.
    pub run_id: i64,
    /// Its number in the campaign.
    pub number: i32,
    /// Time of the first sample.
    pub since: DateTime<Utc>,
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Channels recorded.
    pub channels: usize,
    /// Samples a channel so far.
    pub samples: u64,
    /// Samples planned, where the length is known.
    pub planned: Option<u64>,
    /// Blocks lost on the way here.
    pub lost_blocks: u64,
    /// Bytes held in memory until the store takes them.
    pub held_bytes: u64,
    /// Whether the store has stopped answering.
    pub store_away: bool,
}

/// How a recording ended.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Ended {
    /// The run.
    pub run_id: i64,
    /// Its number.
    pub number: i32,
    /// Whether it ended as planned or ordered.
    pub whole: bool,
    /// Why it ended.
    pub because: String,
    /// Blocks lost.
    pub lost_blocks: u64,
    /// When.
    pub at: DateTime<Utc>,
}
