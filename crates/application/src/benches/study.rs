//! Benches of the Study station: lenses with their settings, placed and sized.

use super::{fits, named};
use crate::{App, Result};
use echo_job::Refusal;
use echo_job::recipe::Recipe;
use echo_store::state::Station;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A lens on a bench: place and size in twelfths of the width and rows of the height.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LensPanel {
    /// Column of its left edge, 0 to 11.
    pub x: u16,
    /// Row of its upper edge.
    pub y: u16,
    /// Columns it is wide, 1 to 12.
    pub w: u16,
    /// Rows it is high.
    pub h: u16,
    /// The lens with its settings, without channels and stretch.
    #[schema(value_type = Object)]
    pub recipe: serde_json::Value,
    /// Channels of its own; those of the bench where empty.
    #[serde(default)]
    pub channels: Vec<u32>,
    /// How it is drawn.
    #[serde(default)]
    #[schema(value_type = Object)]
    pub look: serde_json::Value,
}

/// A bench of lenses.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct StudyBench {
    /// Its panels.
    pub panels: Vec<LensPanel>,
}

/// A bench of lenses under its name.
#[derive(Serialize, ToSchema)]
pub struct KeptStudyBench {
    /// Its name.
    pub name: String,
    /// The bench.
    pub bench: StudyBench,
}

/// Benches of the Study station.
///
/// # Errors
/// The database is away.
pub async fn benches(app: &App, id: i64) -> Result<Vec<KeptStudyBench>> {
    let all = app.store.benches(id, Station::Study).await?;
    let read = |(name, body)| Some(KeptStudyBench { name, bench: serde_json::from_value(body).ok()? });
    Ok(all.into_iter().filter_map(read).collect())
}

/// Keeps a bench of lenses under a name; one of that name is replaced.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn keep_bench(app: &App, id: i64, name: String, bench: StudyBench) -> Result<()> {
    let name = named(&name)?;
    if bench.panels.len() > 24 {
        let says = format!("the bench has {} lenses; allowed: up to 24", bench.panels.len());
        return Err(Refusal::new("panels", says).into());
    }
    for p in &bench.panels {
        Recipe::from_value(p.recipe.clone())?;
        if !fits([p.x, p.y, p.w, p.h]) {
            return Err(Refusal::new("panels", "a lens does not fit a bench of 12 columns").into());
        }
    }
    let body = serde_json::to_value(&bench)?;
    app.store.keep_bench(id, Station::Study, name, &body).await?;
    Ok(())
}

/// Lets a bench of lenses go.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn drop_bench(app: &App, id: i64, name: String) -> Result<()> {
    app.store.drop_bench(id, Station::Study, &name).await?;
    Ok(())
}
