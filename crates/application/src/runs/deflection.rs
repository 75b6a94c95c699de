//! How a structure moves in a run, on the specimen's points.

use super::going::{Following, Watched};
use super::results::analysed;
use crate::specimens::exchange::with_geometry;
use crate::specimens::motion::{Motion, Moved, Placed, motions};
use crate::specimens::sheet;
use crate::{Desk, Result};
use echo_formats::uff::{self, Style};
use echo_job::Refusal;
use echo_job::analysis::Analysis;
use echo_job::recipe::{Lens, Recipe};
use serde::Serialize;
use std::sync::Arc;
use utoipa::ToSchema;

/// A deflection, with what it means on the specimen.
#[derive(Serialize, ToSchema)]
pub struct DeflectionBody {
    /// The result of the lens.
    pub analysis: Analysis,
    /// How it moves the specimen's points.
    pub motion: Option<Motion>,
    /// Where each channel's degree of freedom is on the specimen, in the order of the recipe's channels.
    pub places: Vec<Option<Placed>>,
    /// Points that the specimen's geometry does not have.
    pub strange: Vec<String>,
}

async fn made(desk: &Desk, run: i64, recipe: serde_json::Value, by: &Following) -> Result<Arc<Analysis>> {
    let recipe = Recipe::from_value(recipe)?;
    if !matches!(recipe.lens, Lens::Deflection(_)) {
        let says = format!("a deflection is made by the lens deflection, not by {}", recipe.lens.name());
        return Err(Refusal::new("lens", says).into());
    }
    let watched = Arc::new(Watched::default());
    let _held = desk.going.followed(by.watch.as_deref(), &watched);
    analysed(desk, run, recipe, &watched).await
}

/// A deflection of a run. Going away stops it.
///
/// # Errors
/// The recipe is of another lens or does not fit, or the database is away.
pub async fn deflection(desk: &Desk, run: i64, recipe: serde_json::Value, by: &Following) -> Result<DeflectionBody> {
    let analysis = Analysis::clone(&*made(desk, run, recipe, by).await?);
    let campaign = desk.store.run(run).await?.campaign_id;
    let Moved { mut motions, places, strange } =
        motions(&analysis, &sheet::read(desk, campaign).await?.specimen.geometry);
    Ok(DeflectionBody { analysis, motion: motions.pop(), places, strange })
}

/// A deflection as a universal file: its shape (55), on the geometry (2411, 2412, 82).
///
/// # Errors
/// As [`deflection`]; points that such a file cannot name.
pub async fn universal_file(desk: &Desk, run: i64, recipe: serde_json::Value) -> Result<Vec<u8>> {
    let analysis = made(desk, run, recipe, &Following::default()).await?;
    let campaign = desk.store.run(run).await?.campaign_id;
    with_geometry(desk, campaign, &uff::of_shapes(&analysis)?, Style::Text).await
}
