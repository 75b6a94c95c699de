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
                // Its last run is not closed yet: what follows is made of whole runs.
                if app.taps.going().is_some_and(|g| g.series == id) {
                    continue;
                }
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

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::impact::{Act, HitVerdict, ImpactPlan};
    use serde_json::json;

    #[test]
    fn a_series_is_whole_when_each_point_has_its_hits_or_is_left_out() {
        let points = ["1", "2"].map(|p| json!({ "point": p, "direction": "z" }));
        let plan: ImpactPlan =
            serde_json::from_value(json!({ "roving": "hammer", "force": 1, "points": points, "hits": 1,
            "accept": "itself", "level_n": 20.0, "pre_s": 0.01, "length_s": 0.5, "band_hz": [10.0, 500.0],
            "least_coherence": 0.9 }))
            .unwrap();
        let good = || HitVerdict {
            peak_n: 200.0,
            peak_s: 0.01,
            excited_to_hz: 900.0,
            ringing: 0.002,
            answer: 0.1,
            flaws: Vec::new(),
        };
        let mut session = ImpactSession::new(plan).unwrap();
        assert!(!whole(&session), "nothing was hit yet");
        session.hit(5, 1, good()).unwrap();
        assert!(!whole(&session));
        let mut left_out = session.clone();
        left_out.act(Act::Skip).unwrap();
        assert!(whole(&left_out), "one is done, the other left out");
        session.hit(5, 2, good()).unwrap();
        assert!(whole(&session));
    }
}
