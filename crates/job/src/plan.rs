//! The plan: how fast and how long, and what follows from it.

use crate::Refusal;
use crate::front_end::FrontEnd;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// When a recording ends.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "ends", rename_all = "snake_case", deny_unknown_fields)]
pub enum Length {
    /// After this long.
    After {
        /// Seconds, above 0 and at most a week.
        duration_s: f64,
    },
    /// When somebody stops it.
    WhenStopped,
}

/// What is recorded.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Plan {
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// When it ends.
    pub length: Length,
    /// What the run will be called, such as “coast-down”.
    #[serde(default)]
    pub run_kind: String,
    /// Block length the line spacing is given for, samples.
    #[serde(default = "usual_block")]
    pub block: u32,
}

fn usual_block() -> u32 {
    32768
}

/// Longest planned recording, s.
pub const LONGEST_S: f64 = 7.0 * 86400.0;

/// Stored bytes a sample that sums reckon with: 24-bit noise packs to about 15 bits, plus overview.
pub const STORED_BYTES_PER_SAMPLE: f64 = 2.1;

/// What follows from a plan.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PlanSums {
    /// Channels recorded.
    pub channels: usize,
    /// Samples a channel, where the length is known.
    pub samples: Option<u64>,
    /// Distance between spectrum lines for the plan's block, Hz.
    pub line_spacing_hz: f64,
    /// Time one block takes, s.
    pub block_s: f64,
    /// Half the sample rate, Hz.
    pub nyquist_hz: f64,
    /// Spectra are free of aliases up to here, Hz.
    pub clean_to_hz: f64,
    /// Stored size, bytes (an estimate: noise packs worse than silence).
    pub size_bytes: Option<f64>,
    /// Stored size of an hour, bytes.
    pub size_per_hour_bytes: f64,
    /// Time until the disk is full, s.
    pub room_s: Option<f64>,
}

impl Plan {
    /// Checks the plan against what the front end offers.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, front_end: Option<&FrontEnd>) -> Result<(), Refusal> {
        if !(self.sample_rate_hz.is_finite() && self.sample_rate_hz > 0.0) {
            return Err(Refusal::new(
                "sample_rate_hz",
                format!("rate is {} Hz; allowed is a number above 0", self.sample_rate_hz),
            ));
        }
        if let Some(f) = front_end {
            f.check_rate(self.sample_rate_hz)?;
        }
        if let Length::After { duration_s } = self.length
            && !(duration_s.is_finite() && duration_s > 0.0 && duration_s <= LONGEST_S)
        {
            return Err(Refusal::new(
                "duration_s",
                format!("duration is {duration_s} s; allowed is above 0 and up to {LONGEST_S} s (a week)"),
            ));
        }
        if !(16..=1 << 22).contains(&self.block) {
            return Err(Refusal::new(
                "block",
                format!("block is {} samples; allowed are 16 to {}", self.block, 1 << 22),
            ));
        }
        Ok(())
    }

    /// Samples a channel, where the length is known.
    pub fn samples(&self) -> Option<u64> {
        match self.length {
            Length::After { duration_s } => Some((duration_s * self.sample_rate_hz).round() as u64),
            Length::WhenStopped => None,
        }
    }

    /// What follows, for a number of channels and the free space of the store.
    pub fn sums(&self, channels: usize, clean_share: f64, free_bytes: Option<u64>) -> PlanSums {
        let rate = self.sample_rate_hz;
        let per_second = rate * channels as f64 * STORED_BYTES_PER_SAMPLE;
        PlanSums {
            channels,
            samples: self.samples(),
            line_spacing_hz: rate / f64::from(self.block),
            block_s: f64::from(self.block) / rate,
            nyquist_hz: rate / 2.0,
            clean_to_hz: rate * clean_share,
            size_bytes: self.samples().map(|n| n as f64 / rate * per_second),
            size_per_hour_bytes: per_second * 3600.0,
            room_s: free_bytes.filter(|_| channels > 0).map(|b| b as f64 / per_second),
        }
    }
}
