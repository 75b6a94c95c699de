//! The report: its blocks kept here, what each says in [`content`], its figures, tables and words in braces beside it.

pub(crate) mod content;
mod figure;
mod tables;
mod words;

pub use content::{MadeBlock, RefusedBlock};

use crate::runs::going::Watched;
use crate::{Desk, Result};
use content::{Collected, collected};
use echo_job::report::Report;
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
    let Collected { document, made, refused } = collected(desk, id, &Arc::new(Watched::default())).await?;
    let pages = tokio::task::spawn_blocking(move || echo_report::pages(&document)).await??;
    Ok(ReportPages { pages, made, refused })
}
