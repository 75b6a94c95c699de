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
    /// Counts up whenever a sensor is plugged in or out.
    pub plugs: u64,
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
        /// Who it is; several that sample together are told as one.
        front_end: Box<FrontEnd>,
        /// Each front end by itself.
        units: Vec<UnitStatus>,
        /// Whether all sample clocks are locked.
        clock_locked: bool,
        /// Rate it sends at, Hz.
        sample_rate_hz: f64,
        /// Why its settings were refused, if they were.
        refused: Option<String>,
    },
}

/// One of the connected front ends.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct UnitStatus {
    /// Model.
    pub model: String,
    /// Serial number.
    pub serial: String,
    /// Version of its own software.
    pub firmware: String,
    /// First of its inputs, counted through.
    pub first_input: u16,
    /// How many inputs it has.
    pub inputs: u16,
    /// Inside temperature, °C, where it tells.
    pub temperature_c: Option<f64>,
    /// Whether its clock is locked, where it tells.
    pub clock_locked: Option<bool>,
    /// Modules without power.
    pub dark_modules: Vec<String>,
    /// What its output drives, where it has one: frequency in Hz and amplitude in V peak.
    pub output: Option<OutputStatus>,
}

/// What an output drives.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct OutputStatus {
    /// Frequency, Hz.
    pub hz: f64,
    /// Amplitude, V peak; 0 is off.
    pub peak_v: f64,
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
