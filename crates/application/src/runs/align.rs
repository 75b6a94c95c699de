//! Where a place of one run lies in another one.

use super::going::Watched;
use super::results::analysed;
use super::turning::tacho_of;
use crate::{Desk, Error, Result};
use echo_job::Refusal;
use echo_job::align::same_speed;
use echo_job::analysis::Analysis;
use echo_job::recipe::Recipe;
use echo_store::run::Run;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};

/// How two runs are laid over each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AlignBy {
    /// Both from their start.
    Time,
    /// By their triggers: the take at the place, or the next one, with the take of that number.
    Trigger,
    /// By the speed at the place.
    Speed,
}

/// Which run over which.
#[derive(Deserialize, IntoParams)]
pub struct AlignQuery {
    /// The run that is laid over this one.
    pub other: i64,
    /// How.
    #[param(inline)]
    pub by: AlignBy,
    /// The place in this run, s.
    pub at_s: f64,
}

/// Where the place lies in the other run.
#[derive(Serialize, ToSchema)]
pub struct AlignBody {
    /// Added to a time of this run, s.
    pub shift_s: f64,
}

/// Where a place of this run lies in another one.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn align(desk: &Desk, id: i64, q: AlignQuery) -> Result<AlignBody> {
    let (this, other) = (desk.store.run(id).await?, desk.store.run(q.other).await?);
    let shift_s = match q.by {
        AlignBy::Time => 0.0,
        AlignBy::Trigger => {
            let (mine, theirs) = (desk.store.takes(id).await?, desk.store.takes(q.other).await?);
            let at = |sample: i64, run: &Run| sample as f64 / run.sample_rate_hz;
            let next = mine.iter().find(|t| at(t.trigger_sample, &this) >= q.at_s).or(mine.last());
            let next = next.ok_or_else(|| none("trigger", this.number, "no takes"))?;
            let theirs = theirs.iter().find(|t| t.number == next.number);
            let theirs = theirs.ok_or_else(|| none("trigger", other.number, &format!("no take {}", next.number)))?;
            at(theirs.trigger_sample, &other) - at(next.trigger_sample, &this)
        }
        AlignBy::Speed => {
            let (a, b) = (speed_of(desk, &this).await?, speed_of(desk, &other).await?);
            let of = |s: &Analysis| -> (Vec<f64>, Vec<f64>) {
                (s.axes[0].values.clone(), s.traces.first().map_or_else(Vec::new, |t| t.real().to_vec()))
            };
            let (a, b) = (of(&a), of(&b));
            same_speed((&a.0, &a.1), q.at_s, (&b.0, &b.1))? - q.at_s
        }
    };
    Ok(AlignBody { shift_s })
}

fn none(field: &str, run: i32, what: &str) -> Error {
    Refusal::new(field, format!("run {run} has {what}; allowed: another way to lay the runs over each other")).into()
}

async fn speed_of(desk: &Desk, run: &Run) -> Result<Arc<Analysis>> {
    let tacho = tacho_of(desk, run).await?.ok_or_else(|| none("speed", run.number, "no tachometer"))?;
    let recipe = Recipe::from_value(serde_json::json!({ "lens": "speed", "tacho": tacho }))?;
    analysed(desk, run.id, recipe, &Arc::new(Watched::default())).await
}
