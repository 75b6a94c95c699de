//! Templates of reports: those that come along, those that the house keeps, and a report begun from one.

use super::stored;
use crate::{Error, Result};
use chrono::{DateTime, Utc};
use echo_job::report::Report;
use echo_job::report::template::{named, shipped};
use echo_store::Store;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

/// Lenses whose results a template's open places are for.
const MODAL: [&str; 2] = ["modes", "operational_modes"];

/// A template.
#[derive(Debug, Serialize, ToSchema)]
pub struct TemplateBody {
    /// Key; none where it comes along with the program.
    pub id: Option<i64>,
    /// Its name.
    pub name: String,
    /// Who kept it.
    pub who: Option<String>,
    /// When.
    pub made_at: Option<DateTime<Utc>>,
    /// The blocks, which are also its file.
    #[schema(value_type = Report)]
    pub body: Report,
}

/// A report that becomes a template.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewTemplate {
    /// Its name; one of the house's of that name is replaced.
    pub name: String,
    /// A report; its runs are left out.
    #[schema(value_type = Report)]
    pub body: Value,
}

/// Which template a report begins from.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FromTemplate {
    /// Its name.
    pub template: String,
}

/// All templates: those that come along, then the house's own by their names.
///
/// # Errors
/// The database is away.
pub async fn list(store: &Store) -> Result<Vec<TemplateBody>> {
    let own =
        |(name, body): (&str, Report)| TemplateBody { id: None, name: name.into(), who: None, made_at: None, body };
    let mut all: Vec<TemplateBody> = shipped().into_iter().map(own).collect();
    for t in store.templates().await? {
        let body = Report::stored(t.body)?;
        all.push(TemplateBody { id: Some(t.id), name: t.name, who: Some(t.who), made_at: Some(t.made_at), body });
    }
    Ok(all)
}

/// Keeps a template; gives its key.
///
/// # Errors
/// The name or the report is not allowed, or the database is away.
pub async fn keep(store: &Store, new: NewTemplate, who: &str) -> Result<i64> {
    let name = named(&new.name)?;
    let template = Report::template(new.body)?;
    Ok(store.keep_template(name, &serde_json::to_value(&template)?, who).await?)
}

/// Deletes a template of the house.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn drop(store: &Store, id: i64) -> Result<()> {
    Ok(store.drop_template(id).await?)
}

/// Gives a campaign's report the blocks of a template; gives the new version.
///
/// # Errors
/// There is no such template, somebody else changed the report since `made_on`, or the database is away.
pub async fn begin(store: &Store, campaign: i64, made_on: Option<i64>, from: &FromTemplate) -> Result<i64> {
    let (report, _) = stored(store, campaign).await?;
    let report = by_template(store, campaign, report, &from.template).await?;
    super::save(store, campaign, made_on, report).await
}

/// The template of that name.
///
/// # Errors
/// There is none, or the database is away.
pub async fn called(store: &Store, name: &str) -> Result<Report> {
    let mut all = list(store).await?;
    let found = all.iter().position(|t| t.name.eq_ignore_ascii_case(name.trim())).ok_or_else(|| {
        let names: Vec<&str> = all.iter().map(|t| t.name.as_str()).collect();
        Error::conflict(format!("there is no template “{name}”; there are {}", names.join(", ")))
    })?;
    Ok(all.swap_remove(found).body)
}

/// A report with the blocks of a template.
pub(super) async fn by_template(store: &Store, campaign: i64, report: Report, template: &str) -> Result<Report> {
    let template = called(store, template).await?;
    let kept = store.kept_results(campaign).await?;
    let modal = kept.iter().filter(|k| k.recipe["lens"].as_str().is_some_and(|l| MODAL.contains(&l)));
    let newest = modal.max_by_key(|k| k.made_at).map(|k| k.id);
    Ok(report.from_template(template, newest))
}
