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
    /// Whether its digital output is on, where it has one.
    pub switched: Option<bool>,
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
    /// Waits for a trigger, or for the order to record.
    Armed(Progress),
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
    /// Who began it.
    pub who: String,
    /// Time of the first sample.
    pub since: DateTime<Utc>,
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Channels recorded.
    pub channels: usize,
    /// Samples a channel of the take that goes.
    pub samples: u64,
    /// Samples since it was armed or begun.
    pub elapsed_samples: u64,
    /// Samples a take has, where the length is known.
    pub planned: Option<u64>,
    /// What a take begins with, in words.
    pub waits_for: String,
    /// Time kept from before a trigger, s.
    pub pre_s: f64,
    /// How much of it is there already, s.
    pub pre_filled_s: f64,
    /// Takes so far.
    pub takes: u32,
    /// Takes planned, where there is a number.
    pub takes_planned: Option<u32>,
    /// What brought the newest take about.
    pub last_trigger: Option<String>,
    /// Time spent packing so far, s.
    pub packing_s: f64,
    /// Time spent writing so far, s.
    pub writing_s: f64,
    /// Bytes written so far.
    pub written_bytes: u64,
    /// Each recorder.
    pub recorders: Vec<RecorderProgress>,
    /// Blocks lost on the way here.
    pub lost_blocks: u64,
    /// Bytes held in memory until the store takes them.
    pub held_bytes: u64,
    /// Whether the store has stopped answering.
    pub store_away: bool,
    /// What the front end keeps itself meanwhile, or did and is now moved over.
    pub own_store: Option<OwnStore>,
}

/// Samples that a front end keeps itself while the link is away.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct OwnStore {
    /// What happened and what is safe, in a sentence.
    pub says: String,
    /// Until when the front end has room for more, if the link stays away.
    pub until: DateTime<Utc>,
    /// Blocks moved over so far.
    pub moved: u64,
    /// Time they hold, s.
    pub moved_s: f64,
    /// Blocks to move over; not known while the link is away.
    pub of: Option<u64>,
}

/// How far a recorder is.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct RecorderProgress {
    /// Its name.
    pub name: String,
    /// Its run.
    pub run_id: i64,
    /// That run's number.
    pub number: i32,
    /// Its rate, Hz.
    pub sample_rate_hz: f64,
    /// Samples a channel that it kept.
    pub samples: u64,
    /// Whether it keeps samples now.
    pub going: bool,
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
    /// Takes it made.
    pub takes: u32,
    /// When.
    pub at: DateTime<Utc>,
}
