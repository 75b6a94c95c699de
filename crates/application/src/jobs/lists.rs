//! Lists of results over many runs, and kept ones made again.

use super::{JobKey, Wish};
use crate::Result;
use crate::bring::curves::LENS;
use crate::taps::kept::KeepResponses;
use echo_job::Refusal;
use echo_job::recipe::Recipe;
use echo_store::Store;
use serde::Deserialize;
use utoipa::ToSchema;

/// Most results of one list.
const MOST: usize = 500;

/// What a list is to make.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewList {
    /// Name the results are kept under, 1 to 80 characters; left out where kept ones are made again.
    #[serde(default)]
    pub name: String,
    /// The recipe; its channels are those of `numbered_as`.
    #[serde(default)]
    #[schema(value_type = Option<Recipe>)]
    pub recipe: Option<serde_json::Value>,
    /// The run whose channels the recipe names; in others they are found by their names.
    #[serde(default)]
    pub numbered_as: Option<i64>,
    /// Runs it is carried out on.
    #[serde(default)]
    pub runs: Vec<i64>,
    /// Kept results that are made again.
    #[serde(default)]
    pub again: Vec<i64>,
}

/// Begins a list of results; they are made one after the other and kept.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn begin(store: &Store, id: i64, who: &str, new: NewList) -> Result<JobKey> {
    let mut wishes = Vec::new();
    if let Some(recipe) = new.recipe {
        let recipe = Recipe::from_value(recipe)?;
        let name = new.name.trim();
        if name.is_empty() || name.chars().count() > 80 {
            return Err(Refusal::new("name", "a result is kept under a name; allowed: 1 to 80 characters").into());
        }
        let known: Vec<i64> = store.runs(id).await?.into_iter().map(|r| r.id).collect();
        if let Some(run) = new.runs.iter().find(|r| !known.contains(r)) {
            return Err(Refusal::new("runs", format!("{run} is no run of this campaign")).into());
        }
        wishes.extend(new.runs.iter().map(|run| Wish::Result {
            run_id: *run,
            name: name.into(),
            recipe: Box::new(recipe.clone()),
            numbered_as: new.numbered_as,
        }));
    }
    let kept = if new.again.is_empty() { Vec::new() } else { store.kept_results(id).await? };
    for key in &new.again {
        let found = kept.iter().find(|k| k.id == *key);
        let k = found.ok_or_else(|| Refusal::new("again", format!("{key} is no kept result of this campaign")))?;
        if let Some(file) = k.recipe["file"].as_str().filter(|_| k.recipe["lens"] == LENS) {
            let says = format!("“{}” was brought in from {file}; bring that file in again instead", k.name);
            return Err(Refusal::new("again", says).into());
        }
        // Modes are of responses, which they name; so are responses that were kept.
        if let Some(of) = k.recipe.get("of") {
            let (set, name, instead) = (serde_json::from_value(of.clone())?, k.name.clone(), Some(*key));
            wishes.push(match k.recipe.get("pairs") {
                Some(pairs) => {
                    let pairs = serde_json::from_value(pairs.clone())?;
                    Wish::Curves { keep: KeepResponses { name, set, pairs }, instead }
                }
                None => {
                    let mut recipe = k.recipe.clone();
                    recipe.as_object_mut().map(|r| r.remove("of"));
                    Wish::Modes { set, name, recipe, instead }
                }
            });
            continue;
        }
        let gone = || Refusal::new("again", format!("the run of “{}” is gone, so it cannot be made again", k.name));
        let run_id = k.run_id.ok_or_else(gone)?;
        let recipe = Box::new(Recipe::from_value(k.recipe.clone())?);
        wishes.push(Wish::Result { run_id, name: k.name.clone(), recipe, numbered_as: None });
    }
    if wishes.is_empty() || wishes.len() > MOST {
        let says = format!("{} results are asked for; allowed: 1 to {MOST}", wishes.len());
        return Err(Refusal::new("runs", says).into());
    }
    super::begin(store, id, &wishes, who).await
}
