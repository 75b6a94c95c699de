//! What ended, and what is to be done then.

use crate::{App, Result};
use echo_job::impact::{ImpactSession, PointState};
use echo_job::plan::afterwards::{Deed, Ending};
use echo_store::deed::{Ended, Untended};
use std::collections::BTreeMap;

/// Tap series that were looked at, with their version then: one that did not change is not whole now either.
#[derive(Default)]
pub(super) struct Seen(BTreeMap<i64, i64>);

/// Whether a series wants no more hits: each point has its own, or is left out, and one has some.
fn whole(session: &ImpactSession) -> bool {
    let points = session.plan().points.len();
    let over = |p: usize| matches!(session.state_of(p), PointState::Done | PointState::Skipped);
    session.done() > 0 && (0..points).all(over)
}

/// Looks at all that ended since, once; notes what is to be done.
pub(super) async fn noticed(app: &App, seen: &mut Seen) -> Result<()> {
    for ended in app.store.untended().await? {
        // What is said of a run that holds nothing helps nobody; what takes part in something greater ends with it.
        let ending = match ended.what {
            Untended::Run { tap: true, .. } => None,
            Untended::Run { id, .. } if app.store.run(id).await.is_ok_and(|r| r.samples == 0) => None,
            Untended::Run { round: Some(_), .. } => Some(Ending::Round),
            Untended::Run { .. } => Some(Ending::Run),
            Untended::Schedule { .. } => Some(Ending::Rounds),
            Untended::Series { id, version } => {
                if seen.0.insert(id, version) == Some(version) {
                    continue;
                }
                if !whole(&app.store.series(id).await?.session) {
                    continue;
                }
                Some(Ending::Series)
            }
        };
        let deeds = match ending {
            Some(ending) => to_do(app, &ended, ending).await?,
            None => Vec::new(),
        };
        app.store.tend(&ended, ending.unwrap_or(Ending::Run).word(), &deeds).await?;
    }
    Ok(())
}

/// What the plan says now: who thinks of it while the recording goes is not too late.
async fn to_do(app: &App, ended: &Ended, ending: Ending) -> Result<Vec<serde_json::Value>> {
    let first = !matches!(ended.what, Untended::Run { first: false, .. });
    let plan = app.store.plan(ended.campaign).await?;
    // Of recorders that ran together each is written to a file; results and reports are made of the first.
    let own = plan.afterwards.iter().filter(|a| a.when == ending && (first || matches!(a.what, Deed::File { .. })));
    Ok(own.map(|a| serde_json::to_value(&a.what)).collect::<serde_json::Result<_>>()?)
}
