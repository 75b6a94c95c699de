//! Modes of a set of responses, as the page asks for them: what was looked at stays, so that picking another pole
//! answers at once.

use super::functions::{OfSet, Read, read};
use super::kept::{inputs, named};
use crate::runs::budget::weight;
use crate::runs::going::{Following, Hangup, Watched};
use crate::runs::source::RunSource;
use crate::specimens::exchange::with_geometry;
use crate::specimens::motion::{Motion, Moved, motions};
use crate::specimens::sheet;
use crate::{Desk, Error, Result};
use chrono::Utc;
use echo_formats::uff::{self, Style};
use echo_job::analysis::modal::{Compared, Seen, ShapeSet, listen, look, modes_of, synthesised};
use echo_job::analysis::{Analysis, Provenance};
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
fn looked_by(recipe: &Recipe, campaign: i64, of: &str) -> Result<String> {
    let mut recipe = recipe.clone();
    let any = echo_job::recipe::ModesRecipe::default().pick;
    match &mut recipe.lens {
        Lens::Modes(m) => (m.pick, m.refined, m.real, m.lasts, m.added_decay) = (any, true, false, 1, None),
        Lens::OperationalModes(m) => (m.pick, m.real, m.lasts) = (any, false, 1),
        _ => {}
    }
    Ok(format!("{campaign} {of} {}", serde_json::to_string(&recipe)?))
}

/// What was looked at, with the recipe that is carried out on it and what it is.
pub(super) struct Looked {
    pub seen: Arc<Seen>,
    pub recipe: Recipe,
    input: String,
}

impl Looked {
    fn provenance(&self) -> Provenance {
        Provenance { at: Utc::now().to_rfc3339(), input: self.input.clone(), fingerprint: None }
    }
}

pub(super) async fn looked(
    desk: &Desk,
    campaign: i64,
    set: &OfSet,
    recipe: &serde_json::Value,
    by: &Following,
) -> Result<Looked> {
    match set.run {
        Some(run) => of_run(desk, campaign, run, Recipe::from_value(recipe.clone())?, by).await,
        None => of_responses(desk, campaign, set, recipe).await,
    }
}

async fn of_responses(desk: &Desk, campaign: i64, set: &OfSet, recipe: &serde_json::Value) -> Result<Looked> {
    let all = read(desk, campaign, set).await?;
    let recipe = recipe_of(recipe, &all)?;
    let count = all.traces.len();
    let input = match all.hits {
        0 => format!("{}, {count} responses", all.says),
        hits => format!("{}, {count} responses of {hits} hits", all.says),
    };
    let key = looked_by(&recipe, campaign, &all.fingerprint)?;
    let known = desk.responses.of().seen.clone();
    if let Some((_, seen, _)) = known.filter(|(of, ..)| *of == key) {
        return Ok(Looked { seen, recipe, input });
    }
    let (of, hz, traces) = (recipe.clone(), all.frequencies_hz.clone(), all.traces.clone());
    let threads = desk.budget.threads();
    let seen = tokio::task::spawn_blocking(move || threads.install(|| look(&of, (&hz, &traces)))).await??;
    let seen = Arc::new(seen);
    desk.responses.of().seen = Some((key, seen.clone(), recipe.clone()));
    Ok(Looked { seen, recipe, input })
}

/// A run in operation: its samples are read once, whatever is picked of their poles.
async fn of_run(desk: &Desk, campaign: i64, id: i64, recipe: Recipe, by: &Following) -> Result<Looked> {
    let run = desk.store.run(id).await?;
    if run.campaign_id != campaign {
        return Err(Error::missing("that run"));
    }
    let input = format!("run {} of campaign {campaign}, in operation", run.number);
    let of = format!("run {id} {} {}", run.samples, desk.store.corrected(id).await?);
    let key = looked_by(&recipe, campaign, &of)?;
    let known = desk.responses.of().seen.clone();
    if let Some((_, seen, filled)) = known.filter(|(of, ..)| *of == key) {
        return Ok(Looked { seen, recipe: Recipe { lens: recipe.lens, ..filled }, input });
    }
    let mut source = RunSource::open(&desk.store, &run).await?;
    let watched = Arc::new(Watched::default());
    let _held = desk.going.followed(by.watch.as_deref(), &watched);
    let hangup = Hangup::of(&watched);
    let room = desk.budget.room(weight(&recipe, &source), &watched).await?;
    let threads = desk.budget.threads();
    let (seen, filled) = tokio::task::spawn_blocking(move || {
        let _room = room;
        threads.install(|| listen(&recipe, &mut source, &mut |share| watched.tell(share)))
    })
    .await??;
    hangup.served();
    let seen = Arc::new(seen);
    desk.responses.of().seen = Some((key, seen.clone(), filled.clone()));
    Ok(Looked { seen, recipe: filled, input })
}

async fn analysed(desk: &Desk, campaign: i64, wish: &ModesWish, by: &Following) -> Result<Analysis> {
    let looked = looked(desk, campaign, &wish.set, &wish.recipe, by).await?;
    let threads = desk.budget.threads();
    let made = tokio::task::spawn_blocking(move || {
        threads.install(|| modes_of(&looked.seen, &looked.recipe, looked.provenance(), &mut |_| true))
    });
    Ok(made.await??)
}

/// Modes of a set of responses, or of a run in operation. Going away stops it.
///
/// # Errors
/// The set has no responses, the run no samples that can be listened to, they do not fit together, no pole holds in the band, or the database is away.
pub async fn modes(desk: &Desk, campaign: i64, wish: &ModesWish, by: &Following) -> Result<ModesBody> {
    let analysis = analysed(desk, campaign, wish, by).await?;
    let geometry = sheet::read(desk, campaign).await?.specimen;
    let Moved { motions, strange, .. } = motions(&analysis, &geometry.geometry);
    Ok(ModesBody { analysis, motions, strange })
}

/// A response held against the modes.
///
/// # Errors
/// As [`modes`]; a response that is not there.
pub async fn synthesis(desk: &Desk, campaign: i64, wish: &SynthesisWish) -> Result<SynthesisBody> {
    let Looked { seen, recipe, .. } = looked(desk, campaign, &wish.set, &wish.recipe, &Following::default()).await?;
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
pub async fn universal_file(desk: &Desk, campaign: i64, wish: &ModesWish) -> Result<Vec<u8>> {
    let analysis = analysed(desk, campaign, wish, &Following::default()).await?;
    with_geometry(desk, campaign, &uff::of_shapes(&analysis)?, Style::Text).await
}

/// Keeps modes under a name among the campaign's results; gives their key.
///
/// # Errors
/// As [`modes`]; no name.
pub async fn keep(desk: &Desk, campaign: i64, keep: KeepModes, who: &str) -> Result<i64> {
    let name = named(&keep.name)?;
    let wish = ModesWish { set: keep.set, recipe: keep.recipe };
    let analysis = analysed(desk, campaign, &wish, &Following::default()).await?;
    let inputs = match wish.set.run {
        Some(run) => vec![Input::run(run, desk.store.corrected(run).await?)],
        None => inputs(desk, &super::functions::chosen(desk, campaign, &wish.set).await?).await?,
    };
    let mut recipe = serde_json::to_value(&analysis.recipe)?;
    recipe["of"] = serde_json::to_value(&wish.set)?;
    let body = serde_json::to_value(&analysis)?;
    let new = NewResult { campaign, name, recipe: &recipe, body: &body, inputs: &inputs, who };
    Ok(desk.store.keep_result(&new).await?)
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
pub async fn compare(desk: &Desk, campaign: i64, wish: CompareWish) -> Result<Compared> {
    let other = ShapeSet::kept(&desk.store.kept_result(wish.with).await?)?;
    let wish = ModesWish { set: wish.set, recipe: wish.recipe };
    let own = analysed(desk, campaign, &wish, &Following::default()).await?;
    Ok(ShapeSet::of(&own)?.against(&other)?)
}
