//! One recipe over many runs, or kept results made again: one after the other in the background.

use crate::App;
use crate::error::ApiError;
use crate::going::Watched;
use crate::work::results::{make, names_of};
use echo_job::analysis::thin::thinned;
use echo_job::recipe::Recipe;
use serde::Serialize;
use std::collections::VecDeque;
use std::sync::atomic::{AtomicI64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use utoipa::ToSchema;

/// Lists that are remembered.
const REMEMBERED: usize = 20;
/// Points an axis that a kept result has at most.
const KEPT_POINTS: usize = 8000;
/// The same for maps.
const KEPT_MAP: usize = 500;

/// Where one of a list stands.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(tag = "state", rename_all = "snake_case")]
pub enum Stands {
    /// Its turn has not come.
    Waiting,
    /// It is being made.
    Going {
        /// Share done, 0 to 1.
        share: f64,
    },
    /// It is kept.
    Done {
        /// Key of the kept result.
        result: i64,
    },
    /// It could not be made.
    Refused {
        /// Why, and what is allowed.
        says: String,
    },
    /// The list was stopped before.
    Stopped,
}

/// One of a list.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct OneOf {
    /// The run.
    pub run_id: i64,
    /// Name the result is kept under.
    pub name: String,
    /// Where it stands.
    #[serde(flatten)]
    pub stands: Stands,
}

/// What is to be made.
pub struct Wish {
    /// The run.
    pub run_id: i64,
    /// Name the result is kept under.
    pub name: String,
    /// The recipe.
    pub recipe: Recipe,
    /// The run whose channels the recipe names, where that is another one.
    pub numbered_as: Option<i64>,
}

struct Batch {
    id: i64,
    ones: Mutex<Vec<OneOf>>,
    now: Mutex<Option<(usize, Arc<Watched>)>>,
    stop: Watched,
}

fn locked<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Lists that go on or went on lately.
#[derive(Clone, Default)]
pub struct Batches {
    next: Arc<AtomicI64>,
    newest_first: Arc<Mutex<VecDeque<Arc<Batch>>>>,
}

impl Batches {
    fn find(&self, id: i64) -> Option<Arc<Batch>> {
        locked(&self.newest_first).iter().find(|b| b.id == id).cloned()
    }

    /// Begins a list; gives its key.
    pub fn begin(&self, app: &App, wishes: Vec<Wish>, who: String) -> i64 {
        let ones =
            wishes.iter().map(|w| OneOf { run_id: w.run_id, name: w.name.clone(), stands: Stands::Waiting }).collect();
        let id = self.next.fetch_add(1, Ordering::Relaxed) + 1;
        let batch = Arc::new(Batch { id, ones: Mutex::new(ones), now: Mutex::new(None), stop: Watched::default() });
        let mut all = locked(&self.newest_first);
        all.push_front(batch.clone());
        all.truncate(REMEMBERED);
        tokio::spawn(carry_out(app.clone(), batch, wishes, who));
        id
    }

    /// Where a list stands.
    pub fn stands(&self, id: i64) -> Option<Vec<OneOf>> {
        let batch = self.find(id)?;
        let mut ones = locked(&batch.ones).clone();
        if let Some((at, watched)) = &*locked(&batch.now)
            && let Some(one) = ones.get_mut(*at)
            && one.stands == Stands::Waiting
        {
            one.stands = Stands::Going { share: watched.share() };
        }
        Some(ones)
    }

    /// Stops a list; what is made already stays. False where there is none of that key.
    pub fn stop(&self, id: i64) -> bool {
        let Some(batch) = self.find(id) else { return false };
        batch.stop.stop();
        if let Some((_, watched)) = &*locked(&batch.now) {
            watched.stop();
        }
        true
    }
}

async fn carry_out(app: App, batch: Arc<Batch>, wishes: Vec<Wish>, who: String) {
    for (i, wish) in wishes.into_iter().enumerate() {
        let watched = Arc::new(Watched::default());
        *locked(&batch.now) = Some((i, watched.clone()));
        let stands = if batch.stop.stopped() {
            Stands::Stopped
        } else {
            match keep(&app, wish, &watched, &who).await {
                Ok(result) => Stands::Done { result },
                Err(_) if batch.stop.stopped() => Stands::Stopped,
                Err(e) => Stands::Refused { says: e.says() },
            }
        };
        locked(&batch.ones)[i].stands = stands;
    }
    *locked(&batch.now) = None;
}

/// Makes a result and keeps it; gives its key.
async fn keep(app: &App, wish: Wish, watched: &Arc<Watched>, who: &str) -> Result<i64, ApiError> {
    let run = app.store.run(wish.run_id).await?;
    let recipe = match wish.numbered_as.filter(|of| *of != run.id) {
        Some(of) => wish.recipe.for_channels(&names_of(app, of).await?, &names_of(app, run.id).await?)?,
        None => wish.recipe,
    };
    // Counted before: what is put right while it is made counts as later.
    let corrected = app.store.corrected(run.id).await?;
    let result = make(app, &run, recipe, watched).await?;
    let most = if result.axes.len() == 2 { KEPT_MAP } else { KEPT_POINTS };
    let json = |e: serde_json::Error| ApiError::fault(e.to_string());
    let recipe = serde_json::to_value(&result.recipe).map_err(json)?;
    let body = serde_json::to_value(thinned(&result, most)).map_err(json)?;
    Ok(app.store.keep_result(run.id, &wish.name, (&recipe, &body), corrected, who).await?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn where_one_stands_is_told_with_its_words() {
        let one = |stands| serde_json::to_value(OneOf { run_id: 3, name: "mesh".into(), stands }).unwrap();
        assert_eq!(one(Stands::Waiting), json!({ "run_id": 3, "name": "mesh", "state": "waiting" }));
        assert_eq!(one(Stands::Going { share: 0.5 })["share"], 0.5);
        assert_eq!(one(Stands::Done { result: 9 })["result"], 9);
        let refused = one(Stands::Refused { says: "that run has no channel “mast”".into() });
        assert!(refused["state"] == "refused" && refused["says"].as_str().is_some_and(|s| s.contains("mast")));
        assert_eq!(one(Stands::Stopped)["state"], "stopped");
    }

    #[test]
    fn a_list_that_is_not_there_is_neither_told_nor_stopped() {
        let batches = Batches::default();
        assert!(batches.stands(1).is_none() && !batches.stop(1));
        let batch = |id: i64| {
            let ones = vec![OneOf { run_id: 1, name: "a".into(), stands: Stands::Waiting }];
            Arc::new(Batch { id, ones: Mutex::new(ones), now: Mutex::new(None), stop: Watched::default() })
        };
        let (first, second) = (batch(1), batch(2));
        locked(&batches.newest_first).extend([first.clone(), second.clone()]);
        // The one that is being made tells its share; stopping reaches it, and only its own list.
        let watched = Arc::new(Watched::default());
        watched.tell(0.25);
        *locked(&first.now) = Some((0, watched.clone()));
        assert_eq!(batches.stands(1).unwrap()[0].stands, Stands::Going { share: 0.25 });
        assert_eq!(batches.stands(2).unwrap()[0].stands, Stands::Waiting);
        assert!(batches.stop(1) && watched.stopped() && first.stop.stopped() && !second.stop.stopped());
        // What is done already is told as that, whatever else is noted.
        locked(&first.ones)[0].stands = Stands::Done { result: 4 };
        assert_eq!(batches.stands(1).unwrap()[0].stands, Stands::Done { result: 4 });
    }
}
