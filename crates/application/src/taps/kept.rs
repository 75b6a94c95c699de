//! Responses of a set that are kept under a name, as results are.

use super::functions::{OfSet, as_result, chosen};
use crate::bring::curves::LENS;
use crate::{Desk, Error, Result};
use echo_job::Refusal;
use echo_job::analysis::result::Trace;
use echo_store::function::FunctionHead;
use echo_store::result::{Input, NewResult};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;

/// Responses of one result at most: more are no figure that anybody could read.
const MOST: usize = 100;

/// Responses that are kept under a name.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct KeepResponses {
    /// The name.
    pub name: String,
    /// The set they are of.
    pub set: OfSet,
    /// Each by where it answers and where it is hit, as the table of responses has them.
    #[schema(value_type = Vec<Vec<String>>)]
    pub pairs: Vec<[String; 2]>,
}

/// The name a result of responses is kept under.
///
/// # Errors
/// Empty, or too long.
pub(super) fn named(name: &str) -> Result<&str> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(Refusal::new("name", "the name must have 1 to 80 characters").into());
    }
    Ok(name)
}

/// What a result of responses was made of: the runs of their hits.
pub(super) async fn inputs(desk: &Desk, heads: &[FunctionHead]) -> Result<Vec<Input>> {
    let mut inputs: Vec<Input> = Vec::new();
    for hit in heads.iter().flat_map(|f| &f.hits) {
        let at = match inputs.iter().position(|i| i.run_id == Some(hit.run)) {
            Some(at) => at,
            None => {
                inputs.push(Input::run(hit.run, desk.store.corrected(hit.run).await?));
                inputs.len() - 1
            }
        };
        if !inputs[at].takes.contains(&(hit.take as i32)) {
            inputs[at].takes.push(hit.take as i32);
        }
    }
    Ok(inputs)
}

/// Keeps responses with their coherences among the campaign's results; gives their key.
///
/// # Errors
/// No name; none of them, too many, or one that is not there; the database is away.
pub async fn keep(desk: &Desk, campaign: i64, keep: &KeepResponses, who: &str) -> Result<i64> {
    let name = named(&keep.name)?;
    let refuse = |says: String| Error::from(Refusal::new("pairs", says));
    if keep.pairs.is_empty() || keep.pairs.len() > MOST {
        return Err(refuse(format!("{} responses; allowed: 1 to {MOST}", keep.pairs.len())));
    }
    let all = chosen(desk, campaign, &keep.set).await?;
    let is =
        |f: &FunctionHead, pair: &[String; 2]| f.response.to_string() == pair[0] && f.reference.to_string() == pair[1];
    let mut heads = Vec::new();
    for pair in &keep.pairs {
        let found = all.iter().find(|f| is(f, pair));
        let says = || format!("{} over {} is not in this set, or taken out of it", pair[0], pair[1]);
        heads.push(found.cloned().ok_or_else(|| refuse(says()))?);
    }
    let mut result = as_result(desk, campaign, &keep.set).await?;
    let wanted: Vec<String> = heads.iter().map(|f| format!("{} over {}", f.response, f.reference)).collect();
    let own = |t: &Trace| wanted.iter().any(|w| t.name == *w || t.name == format!("coherence of {w}"));
    result.traces.retain(own);
    let hits: usize = heads.iter().map(|f| f.hits.len()).sum();
    if hits > 0 {
        result.made.input = format!("{}, {} responses of {hits} hits", result.made.input, heads.len());
    }
    let recipe = json!({ "lens": LENS, "of": keep.set, "pairs": keep.pairs });
    let mut body = serde_json::to_value(&result)?;
    body["recipe"] = recipe.clone();
    let inputs = inputs(desk, &heads).await?;
    let new = NewResult { campaign, name, recipe: &recipe, body: &body, inputs: &inputs, who };
    Ok(desk.store.keep_result(&new).await?)
}
