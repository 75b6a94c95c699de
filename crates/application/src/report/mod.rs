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
//! | `records` | what was recorded besides samples |
//! | [`house`] | what stands over it |
//! | [`templates`] | reports that others begin with |
//! | [`verify`] | a report that was handed over held against what is here |

pub(crate) mod content;
pub(crate) mod digests;
mod figure;
pub mod house;
mod look;
mod made_of;
mod making;
mod modal;
mod records;
mod results;
mod tables;
pub mod templates;
mod told;
pub mod verify;
mod words;

pub use content::{MadeBlock, RefusedBlock};

use crate::people::rand_bytes;
use crate::runs::going::Watched;
use crate::{Desk, Result};
use content::{Collected, For, Wanted, collected};
use echo_job::report::Report;
use echo_report::SealKey;
use echo_store::Store;
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

/// The report as it would be printed.
#[derive(Debug, Serialize, ToSchema)]
pub struct ReportPages {
    /// One SVG a page.
    pub pages: Vec<String>,
    /// Blocks that were made of samples, with their recipes as they were carried out.
    pub made: Vec<MadeBlock>,
    /// Blocks that could not be made; the pages say so in their places.
    pub refused: Vec<RefusedBlock>,
}

/// The report as pictures: one SVG a page. Going away stops it.
///
/// # Errors
/// It cannot be set, or the database is away.
pub async fn pages(desk: &Desk, id: i64) -> Result<ReportPages> {
    let Collected { document, made, refused } =
        collected(desk, id, &Wanted::default(), &Arc::new(Watched::default()), (For::Sight, 1.0)).await?;
    let pages = tokio::task::spawn_blocking(move || echo_report::pages(&document)).await??;
    Ok(ReportPages { pages, made, refused })
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
