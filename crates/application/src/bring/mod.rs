//! Files of other programs become runs like any other: looked at first, put right where they were guessed wrong, then
//! laid with their counts or, where they hold floating-point numbers, with counts far finer than those.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`reading`] | how it is to be read |
//! | [`look`] | what is in a file, before it is brought in |
//! | [`curves`] | functions and shapes of a file as kept results |
//! | [`taken`] | its channels as rows |
//! | [`folder`] | a folder whose files are brought in by themselves |
//! | [`carry`] | a file becoming a run |
//! | [`laying`] | counts cut into chunks and written |

pub mod carry;
pub mod curves;
pub mod folder;
pub(crate) mod laying;
pub mod look;
pub mod reading;
mod taken;

use crate::jobs::{JobKey, Wish};
use crate::{Desk, Result, jobs};
use echo_job::unit::{Quantity, find};
pub use reading::{FileReading, ReadChannel};

/// Begins to bring a file that was sent into a campaign.
///
/// # Errors
/// What is said of it is not allowed, the file or the campaign is not there, or the database is away.
pub async fn begin(desk: &Desk, campaign: i64, upload: i64, reading: FileReading, who: &str) -> Result<JobKey> {
    reading.check()?;
    desk.store.campaign(campaign).await?;
    let sent = desk.store.upload(upload).await?;
    let wish = Wish::BringIn { upload_id: upload, file: sent.name, reading: Box::new(reading) };
    jobs::begin(&desk.store, campaign, &[wish], who).await
}

/// Whether a unit is one that samples are told in.
pub(crate) fn known_unit(text: &str) -> Option<(String, Quantity)> {
    let unit = find(text).ok()?;
    Some((unit.symbol.into(), unit.quantity))
}
