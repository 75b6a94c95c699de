//! Modes of a set of responses, as the page asks for them: what was looked at stays, so that picking another pole
//! answers at once.

use super::functions::{OfSet, Read, read};
use crate::specimens::sheet;
use crate::{App, Error, Result};
use chrono::Utc;
use echo_formats::geometry::universal;
use echo_formats::uff::{self, Style};
use echo_job::analysis::modal::{Compared, Seen, ShapeSet, look, modes_of, synthesised};
use echo_job::analysis::result::Trace;
use echo_job::analysis::words::{Along, Shown};
use echo_job::analysis::{Analysis, Provenance};
use echo_job::geometry::Geometry;
use echo_job::recipe::{Lens, Recipe};
use echo_store::result::{Input, NewResult};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;

/// Which modes.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ModesWish {
    /// The set of responses.
    pub set: OfSet,
    /// A recipe of the modes lens.
    #[schema(value_type = Object)]
    pub recipe: serde_json::Value,
}

/// Modes, with what they mean on the specimen.
#[derive(Serialize, ToSchema)]
pub struct ModesBody {
    /// The result of the lens.
    pub analysis: Analysis,
    /// How each mode moves the specimen's points.
    pub motions: Vec<Motion>,
    /// Points with a response that the specimen's geometry does not have.
    pub strange: Vec<String>,
}

/// How a mode moves the points of the geometry.
#[derive(Serialize, ToSchema)]
pub struct Motion {
    /// The mode, from 1.
    pub mode: u32,
    /// Each point, in the geometry's order: real parts along x, y and z, then imaginary ones; the largest is 1.
    pub moves: Vec<[f64; 6]>,
    /// Whether each point was measured, or lies between measured ones.
    pub measured: Vec<bool>,
}

/// A response as it was measured and as the modes make it.
#[derive(Serialize, ToSchema)]
pub struct SynthesisBody {
    /// Where it answers.
    pub response: String,
    /// Where it is hit.
    pub reference: String,
    /// Frequencies, Hz.
    pub frequencies_hz: Vec<f64>,
    /// Magnitude as measured, SI units.
    pub measured: Vec<f64>,
    /// Magnitude of the modes.
    pub made: Vec<Option<f64>>,
    /// Share of its energy in the band that the modes miss.
    pub missed: f64,
}

/// Which response is held against the modes.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SynthesisWish {
    /// The set of responses.
    pub set: OfSet,
    /// A recipe of the modes lens.
    #[schema(value_type = Object)]
    pub recipe: serde_json::Value,
    /// Place of the response, along the result's axis of degrees of freedom.
    pub response: usize,
    /// Place of the reference.
    pub reference: usize,
}

/// Modes that are kept under a name.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct KeepModes {
    /// The name.
    pub name: String,
    /// The set of responses.
    pub set: OfSet,
    /// A recipe of the modes lens.
    #[schema(value_type = Object)]
    pub recipe: serde_json::Value,
}

fn recipe_of(value: &serde_json::Value, all: &Read) -> Result<Recipe> {
    let mut recipe = Recipe::from_value(value.clone())?;
    if let Lens::Modes(m) = &mut recipe.lens
        && m.added_decay.is_none()
        && all.added_decay > 0.0
    {
        m.added_decay = Some(all.added_decay);
    }
    Ok(recipe)
}

/// What the poles hang on: all but what is picked of them.
fn looked_by(recipe: &Recipe, campaign: i64, all: &Read) -> Result<String> {
    let mut recipe = recipe.clone();
    if let Lens::Modes(m) = &mut recipe.lens {
        (m.pick, m.real, m.lasts, m.added_decay) = (echo_job::recipe::ModesRecipe::default().pick, false, 1, None);
    }
    Ok(format!("{campaign} {} {}", all.fingerprint, serde_json::to_string(&recipe)?))
}

async fn seen(app: &App, campaign: i64, recipe: &Recipe, all: &Read) -> Result<Arc<Seen>> {
    let key = looked_by(recipe, campaign, all)?;
    let known = app.taps.inner().seen.clone();
    if let Some((_, seen)) = known.filter(|(of, _)| *of == key) {
        return Ok(seen);
    }
    let (recipe, hz, traces) = (recipe.clone(), all.frequencies_hz.clone(), all.traces.clone());
    let threads = app.desk.budget.threads();
    let looked = tokio::task::spawn_blocking(move || threads.install(|| look(&recipe, (&hz, &traces)))).await??;
    let looked = Arc::new(looked);
    app.taps.inner().seen = Some((key, looked.clone()));
    Ok(looked)
}

fn provenance(all: &Read) -> Provenance {
    let (count, hits) = (all.traces.len(), all.hits);
    let input = match hits {
        0 => format!("{}, {count} responses", all.says),
        _ => format!("{}, {count} responses of {hits} hits", all.says),
    };
    Provenance { at: Utc::now().to_rfc3339(), input, fingerprint: None }
}

async fn analysed(app: &App, campaign: i64, wish: &ModesWish) -> Result<Analysis> {
    let all = read(app, campaign, &wish.set).await?;
    let recipe = recipe_of(&wish.recipe, &all)?;
    let seen = seen(app, campaign, &recipe, &all).await?;
    let provenance = provenance(&all);
    let threads = app.desk.budget.threads();
    let made =
        tokio::task::spawn_blocking(move || threads.install(|| modes_of(&seen, &recipe, provenance, &mut |_| true)));
    Ok(made.await??)
}

/// Modes of a set of responses.
///
/// # Errors
/// The set has no responses, they do not fit together, no pole holds in the band, or the database is away.
pub async fn modes(app: &App, campaign: i64, wish: &ModesWish) -> Result<ModesBody> {
    let analysis = analysed(app, campaign, wish).await?;
    let geometry = sheet::read(app, campaign).await?.specimen;
    let (motions, strange) = motions(&analysis, &geometry.geometry);
    Ok(ModesBody { analysis, motions, strange })
}

/// Points between which others are interpolated.
const NEIGHBOURS: usize = 3;

/// How the modes of a result move the points of a geometry; and points that it does not have.
pub fn motions(result: &Analysis, geometry: &Geometry) -> (Vec<Motion>, Vec<String>) {
    let places = geometry.places();
    let dofs = result.axes.iter().find(|a| a.name == Along::Dof).map_or(&[][..], |a| &a.dofs);
    let rows: Vec<Option<usize>> =
        dofs.iter().map(|d| geometry.points.iter().position(|p| p.name == d.point)).collect();
    let ways: Vec<Option<[f64; 3]>> = dofs.iter().map(|d| places.way(d)).collect();
    let strange = dofs.iter().zip(&ways).filter(|(_, w)| w.is_none()).map(|(d, _)| d.to_string()).collect();
    let one = |t: &Trace| {
        let mut moves = vec![[0.0; 6]; geometry.points.len()];
        let mut measured = vec![false; geometry.points.len()];
        for ((row, way), z) in rows.iter().zip(&ways).zip(t.complex().unwrap_or(&[])) {
            let (Some(row), Some(way)) = (row, way) else { continue };
            measured[*row] = true;
            for axis in 0..3 {
                moves[*row][axis] += way[axis] * z.re;
                moves[*row][axis + 3] += way[axis] * z.im;
            }
        }
        let largest = moves.iter().map(|m| m.iter().map(|x| x * x).sum::<f64>().sqrt()).fold(0.0, f64::max);
        if largest > 0.0 {
            moves.iter_mut().flatten().for_each(|x| *x /= largest);
        }
        between(geometry, &mut moves, &measured);
        Motion { mode: t.mode.unwrap_or(0), moves, measured }
    };
    (result.traces.iter().filter(|t| t.quantity == Shown::Shape).map(one).collect(), strange)
}

/// Points that were not measured move as those around them, nearer ones more.
fn between(geometry: &Geometry, moves: &mut [[f64; 6]], measured: &[bool]) {
    let known: Vec<usize> = (0..moves.len()).filter(|k| measured[*k]).collect();
    if known.is_empty() {
        return;
    }
    let points = &geometry.points;
    let apart = |a: usize, b: usize| {
        let (a, b) = (&points[a], &points[b]);
        (a.x - b.x).powi(2) + (a.y - b.y).powi(2) + (a.z - b.z).powi(2)
    };
    for k in (0..moves.len()).filter(|k| !measured[*k]) {
        let mut near: Vec<(f64, usize)> = known.iter().map(|m| (apart(k, *m), *m)).collect();
        near.sort_by(|a, b| a.0.total_cmp(&b.0));
        near.truncate(NEIGHBOURS);
        let weights: Vec<f64> = near.iter().map(|(d, _)| 1.0 / d.max(1e-12)).collect();
        let sum: f64 = weights.iter().sum();
        moves[k] = std::array::from_fn(|x| near.iter().zip(&weights).map(|((_, m), w)| moves[*m][x] * w / sum).sum());
    }
}

/// A response held against the modes.
///
/// # Errors
/// As [`modes`]; a response that is not there.
pub async fn synthesis(app: &App, campaign: i64, wish: &SynthesisWish) -> Result<SynthesisBody> {
    let all = read(app, campaign, &wish.set).await?;
    let recipe = recipe_of(&wish.recipe, &all)?;
    let seen = seen(app, campaign, &recipe, &all).await?;
    let at = (wish.response, wish.reference);
    let of = seen.clone();
    let made = tokio::task::spawn_blocking(move || synthesised(&of, &recipe, at)).await??;
    let size = |z: &echo_signal::spectrum::Complex64| z.norm();
    Ok(SynthesisBody {
        response: seen.table.responses[at.0].to_string(),
        reference: seen.table.references[at.1].to_string(),
        measured: made.measured.iter().map(size).collect(),
        made: made.made.iter().map(|z| Some(size(z)).filter(|s| s.is_finite())).collect(),
        frequencies_hz: made.frequencies_hz,
        missed: made.missed,
    })
}

/// Modes as a universal file: their shapes (55), on the geometry (2411, 2412, 82).
///
/// # Errors
/// As [`modes`]; points that such a file cannot name.
pub async fn universal_file(app: &App, campaign: i64, wish: &ModesWish) -> Result<Vec<u8>> {
    let analysis = analysed(app, campaign, wish).await?;
    let geometry = sheet::read(app, campaign).await?.specimen;
    let mut bytes = if geometry.geometry.is_empty() { Vec::new() } else { universal::write(&geometry.geometry) };
    bytes.extend(uff::write(&uff::of_modes(&analysis)?, Style::Text));
    Ok(bytes)
}

/// Keeps modes under a name among the campaign's results; gives their key.
///
/// # Errors
/// As [`modes`]; no name.
pub async fn keep(app: &App, campaign: i64, keep: KeepModes, who: &str) -> Result<i64> {
    let name = keep.name.trim();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(Error::from(echo_job::Refusal::new("name", "the name must have 1 to 80 characters")));
    }
    let wish = ModesWish { set: keep.set, recipe: keep.recipe };
    let analysis = analysed(app, campaign, &wish).await?;
    let heads = super::functions::chosen(app, campaign, &wish.set).await?;
    let mut inputs: Vec<Input> = Vec::new();
    for hit in heads.iter().flat_map(|f| &f.hits) {
        let at = match inputs.iter().position(|i| i.run_id == Some(hit.run)) {
            Some(at) => at,
            None => {
                inputs.push(Input::run(hit.run, app.store.corrected(hit.run).await?));
                inputs.len() - 1
            }
        };
        if !inputs[at].takes.contains(&(hit.take as i32)) {
            inputs[at].takes.push(hit.take as i32);
        }
    }
    let mut recipe = serde_json::to_value(&analysis.recipe)?;
    recipe["of"] = serde_json::to_value(&wish.set)?;
    let body = serde_json::to_value(&analysis)?;
    let new = NewResult { campaign, name, recipe: &recipe, body: &body, inputs: &inputs, who };
    Ok(app.store.keep_result(&new).await?)
}

/// Modes that are held against a kept result.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CompareWish {
    /// The set of responses.
    pub set: OfSet,
    /// A recipe of the modes lens.
    #[schema(value_type = Object)]
    pub recipe: serde_json::Value,
    /// Key of a kept result: modes of another day or another campaign, or shapes of a universal file.
    pub with: i64,
}

/// Holds modes against those of a kept result.
///
/// # Errors
/// As [`modes`]; the kept result holds no shapes, or none at the same places.
pub async fn compare(app: &App, campaign: i64, wish: CompareWish) -> Result<Compared> {
    let other = ShapeSet::kept(&app.store.kept_result(wish.with).await?)?;
    let own = analysed(app, campaign, &ModesWish { set: wish.set, recipe: wish.recipe }).await?;
    Ok(ShapeSet::of(&own)?.against(&other)?)
}
