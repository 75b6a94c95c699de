//! The report.
//!
//! | file | what it holds |
//! | --- | --- |
//! | `mod` | its blocks, kept; its pages as pictures |
//! | [`content`] | what each block says |
//! | `told` | what it tells of its run, and of all results together |
//! | `making` | what blocks are made of, and what was made so far |
//! | `results` | the results that blocks show |
//! | `look`, `figure`, `modal`, `tables`, `words` | how they look, and words in braces |
//! | `made_of`, [`digests`] | what it was made of |
//! | `repeated` | a block over channels or points, by limits |
//! | `counted` | what was counted in classes, resonances |
//! | `values` | values of curves at places that are named |
//! | `records`, `pictured` | what was recorded besides samples; the specimen in pictures |
//! | `photos` | photographs as reports show them |
//! | [`seen`] | its pages, at hand for who looks at them |
//! | [`house`] | what stands over it |
//! | [`templates`] | reports that others begin with |
//! | [`verify`] | a report that was handed over held against what is here |

pub(crate) mod content;
pub(crate) mod counted;
pub(crate) mod digests;
mod figure;
pub mod house;
mod look;
mod made_of;
mod making;
mod modal;
pub(crate) mod photos;
mod pictured;
mod records;
mod repeated;
mod results;
pub mod seen;
mod tables;
pub mod templates;
mod told;
mod values;
pub mod verify;
mod words;

pub use content::{MadeBlock, RefusedBlock};

use crate::people::rand_bytes;
use crate::runs::going::Watched;
use crate::{Desk, Error, Result};
use content::{Collected, For, Wanted, collected};
use echo_job::report::Report;
use echo_report::SealKey;
use echo_store::{Store, StoreError};
use serde::Serialize;
use std::sync::Arc;
use utoipa::ToSchema;

/// The report as it stands, and its version.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn stored(store: &Store, id: i64) -> Result<(Report, i64)> {
    let (report, version) = store.report(id).await?;
    if let Some(v) = report {
        return Ok((Report::stored(v)?, version));
    }
    let campaign = store.campaign(id).await?;
    Ok((Report::usual(&campaign.name), version))
}

/// Replaces text and choices that were changed on version `made_on`; gives the new version.
///
/// # Errors
/// What is asked is not allowed, somebody else was faster, or the database is away.
pub async fn save(store: &Store, id: i64, made_on: Option<i64>, body: Report) -> Result<i64> {
    body.check()?;
    let value = serde_json::to_value(&body)?;
    Ok(store.save_report(id, made_on, &value).await?)
}

/// Times that a report is read anew because somebody else changed it in that moment.
const TRIES: usize = 5;

/// Blocks that show a kept result show another one from now on.
///
/// # Errors
/// The report is changed all the time, or the database is away.
pub(crate) async fn show_instead(store: &Store, id: i64, old: i64, new: i64) -> Result<()> {
    for _ in 0..TRIES {
        let (mut report, version) = stored(store, id).await?;
        if !report.show_instead(old, new) {
            return Ok(());
        }
        match store.save_report(id, Some(version), &serde_json::to_value(&report)?).await {
            Err(StoreError::Stale(..)) => {}
            saved => return saved.map(drop).map_err(Into::into),
        }
    }
    Err(Error::conflict("the report was changed all the time; make the result again"))
}

/// The report as it would be printed.
#[derive(Debug, Serialize, ToSchema)]
pub struct ReportPages {
    /// Where each page is, as SVG; the same for as long as the page is the same.
    pub pages: Vec<String>,
    /// Blocks that were made of samples, with their recipes as they were carried out.
    pub made: Vec<MadeBlock>,
    /// Blocks that could not be made; the pages say so in their places.
    pub refused: Vec<RefusedBlock>,
}

/// The report as pictures, a page each. Going away stops it.
///
/// # Errors
/// It cannot be set, or the database is away.
pub async fn pages(desk: &Desk, id: i64) -> Result<ReportPages> {
    let Collected { document, made, refused } =
        collected(desk, id, &Wanted::default(), &Arc::new(Watched::default()), (For::Sight, 1.0)).await?;
    let at_hand = desk.pages.clone();
    let set = tokio::task::spawn_blocking(move || {
        Ok::<_, echo_report::ReportError>(at_hand.hold(echo_report::pages(&document)?))
    });
    Ok(ReportPages { pages: set.await??, made, refused })
}

/// The laboratory's key, by which reports are sealed; made at first use.
///
/// # Errors
/// The system gives no random bytes, or the database is away.
pub(crate) async fn seal_key(desk: &Desk) -> Result<SealKey> {
    Ok(SealKey::new(&desk.store.seal_key(rand_bytes()).await?))
}

/// The public half of that key, in hex: whoever has it can check the laboratory's seals.
///
/// # Errors
/// As for the key.
pub async fn public_key(desk: &Desk) -> Result<String> {
    Ok(seal_key(desk).await?.public())
}
