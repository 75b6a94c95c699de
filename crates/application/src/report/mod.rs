//! The report: its text and choices here, what it says of a run in [`content`], its figures in `figure`.

pub(crate) mod content;
mod figure;

use crate::runs::going::Watched;
use crate::{Desk, Result};
use echo_job::Refusal;
use echo_job::recipe::Recipe;
use echo_store::Store;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;

/// Text and choices of a report.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReportBody {
    /// Title; not empty.
    pub title: String,
    /// Findings in the engineer's words.
    #[serde(default)]
    pub findings: String,
    /// The run it is about.
    pub run_id: Option<i64>,
    /// The spectrum shown; its channels and stretch also choose the waveform.
    #[schema(value_type = Option<Object>)]
    pub recipe: Option<serde_json::Value>,
    /// Lowest and highest frequency drawn, Hz.
    #[serde(default)]
    pub shown_hz: Option<[f64; 2]>,
}

/// Most characters of a title, and characters and lines of findings: some dozen pages.
const LONGEST_TITLE: usize = 300;
const LONGEST_FINDINGS: usize = 50_000;
const MOST_LINES: usize = 1_500;

impl ReportBody {
    pub(crate) fn check(&self) -> std::result::Result<(), Refusal> {
        if self.title.trim().is_empty() {
            return Err(Refusal::new("title", "the title is empty; allowed: any text"));
        }
        let (title, length) = (self.title.chars().count(), self.findings.chars().count());
        if title > LONGEST_TITLE {
            let says = format!("the title has {title} characters; allowed: up to {LONGEST_TITLE}");
            return Err(Refusal::new("title", says));
        }
        let lines = self.findings.lines().count();
        if length > LONGEST_FINDINGS || lines > MOST_LINES {
            let says = format!(
                "the findings have {length} characters in {lines} lines; allowed: up to {LONGEST_FINDINGS} in {MOST_LINES}"
            );
            return Err(Refusal::new("findings", says));
        }
        Ok(())
    }
}

/// The report as it stands, and its version.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn stored(store: &Store, id: i64) -> Result<(ReportBody, i64)> {
    let (report, version) = store.report(id).await?;
    if let Some(v) = report {
        return Ok((serde_json::from_value(v)?, version));
    }
    let campaign = store.campaign(id).await?;
    let body = ReportBody { title: campaign.name, findings: String::new(), run_id: None, recipe: None, shown_hz: None };
    Ok((body, version))
}

/// Replaces text and choices that were changed on version `made_on`; gives the new version.
///
/// # Errors
/// What is asked is not allowed, somebody else was faster, or the database is away.
pub async fn save(store: &Store, id: i64, made_on: Option<i64>, body: ReportBody) -> Result<i64> {
    body.check()?;
    if let Some(r) = &body.recipe {
        Recipe::from_value(r.clone())?;
    }
    let value = serde_json::to_value(&body)?;
    Ok(store.save_report(id, made_on, &value).await?)
}

/// The report as pictures: one SVG a page. Going away stops it.
///
/// # Errors
/// There is no run to report on, a recipe does not fit it, or the database is away.
pub async fn pages(desk: &Desk, id: i64) -> Result<Vec<String>> {
    let report = content::collected(desk, id, &Arc::new(Watched::default())).await?;
    Ok(tokio::task::spawn_blocking(move || echo_formats::report::pages(&report)).await??)
}
