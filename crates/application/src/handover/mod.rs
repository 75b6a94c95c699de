//! A whole campaign as one open file, and back. What is in the file stands in `docs/campaign-file.md`.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`pack`] | a campaign becoming a file |
//! | [`unpack`] | a file becoming a campaign |

pub mod pack;
pub mod unpack;

use crate::jobs::{self, JobKey, Wish};
use crate::{Desk, Result};
use echo_store::specimen::SpecimenFile;
use serde::{Deserialize, Serialize};

/// The entry with everything of the campaign but its runs and results.
const CAMPAIGN: &str = "campaign.json";

/// Name of the folder of a run.
fn folder(number: i32) -> String {
    format!("runs/{number:04}")
}

/// Name of the entry with a channel's counts.
fn counts_of(number: i32, channel: i16) -> String {
    format!("{}/channel-{channel:03}.i32", folder(number))
}

/// Where the counts of a channel lie, and what one of them is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Counts {
    /// Channel of the run, from 1.
    channel: i16,
    /// The entry.
    file: String,
    /// Name of the channel.
    name: String,
    /// Its unit.
    unit: String,
    /// One count in that unit, with the sensitivity in force.
    unit_per_count: f64,
    /// Recorded stretches, as first sample and number of samples; the counts follow each other in the file.
    stretches: Vec<(i64, i64)>,
    /// First samples of chunks in which the range was exceeded.
    over_range: Vec<i64>,
}

/// A file that is kept with the specimen; its bytes are the entry of the same name without an ending.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Kept {
    /// `picture` or `surface`.
    kind: String,
    /// Its name.
    name: String,
    /// What its bytes are.
    media_type: String,
    /// How many m its unit is, of a surface.
    to_m: f64,
    /// Who brought it.
    who: String,
}

impl Kept {
    fn of(f: SpecimenFile) -> Kept {
        Kept { kind: f.kind, name: f.name, media_type: f.media_type, to_m: f.to_m, who: f.who }
    }
}

/// Begins to write a campaign to a file.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn hand_over(desk: &Desk, campaign: i64, who: &str) -> Result<JobKey> {
    desk.store.campaign(campaign).await?;
    jobs::begin(&desk.store, campaign, &[Wish::HandOver], who).await
}

/// Begins to take a campaign in from a file that was sent.
///
/// # Errors
/// There is no such file, or the database is away.
pub async fn take_in(desk: &Desk, upload: i64, who: &str) -> Result<JobKey> {
    let sent = desk.store.upload(upload).await?;
    jobs::begin(&desk.store, None, &[Wish::TakeIn { upload_id: upload, file: sent.name }], who).await
}
