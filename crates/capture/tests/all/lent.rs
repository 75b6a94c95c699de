//! The front end lent for one recording with a set-up that is not the campaign's own: however that ends, the own one
//! is in force again.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::{Hull, RATE, plan, rig};
use echo_capture::{CaptureState, LinkState, Setup, Status};
use echo_job::plan::Plan;
use echo_store::state::RunState;

/// Half the rate, for so long.
fn other(hull: &Hull, duration_s: f64) -> Setup {
    let plan = Plan { sample_rate_hz: RATE / 2.0, run_kind: "dry run".into(), ..plan(duration_s) };
    Setup { campaign: hull.campaign, rig: rig(), plan }
}

fn sends(at: f64) -> impl FnMut(&Status) -> bool {
    move |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz == at)
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_lent_is_recorded_and_given_back() {
    let hull = Hull::new(plan(1.0)).await;
    let own = hull.capture.setup().unwrap();
    let lent = hull.capture.lend(other(&hull, 0.5)).await.unwrap();
    assert_eq!(hull.capture.setup().unwrap(), own, "the campaign's own is what it was");
    hull.until("the other rate is sent", sends(RATE / 2.0)).await;
    let ended = hull.stored().await.ended.unwrap();
    let run = hull.store.run(ended.run_id).await.unwrap();
    assert_eq!((run.kind.as_str(), run.sample_rate_hz, run.state), ("dry run", RATE / 2.0, RunState::Whole));
    // While it is lent nobody else records with it.
    let refused = hull.capture.record().await.unwrap_err().to_string();
    assert!(refused.contains("wait until it has ended"), "{refused}");
    drop(lent);
    hull.capture.record().await.unwrap();
    hull.until("the own rate is sent", sends(RATE)).await;
    let ended = hull.stored().await.ended.unwrap();
    assert_eq!(hull.store.run(ended.run_id).await.unwrap().kind, "berthing");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_borrower_that_breaks_ends_its_recording_only() {
    let hull = Hull::new(plan(1.0)).await;
    let (capture, setup) = (hull.capture.clone(), other(&hull, 600.0));
    let borrower = tokio::spawn(async move {
        let _lent = capture.lend(setup).await.unwrap();
        panic!("as it may happen");
    });
    assert!(borrower.await.is_err());
    let ended = hull.stored().await.ended.unwrap();
    assert!(!ended.whole && ended.because.contains("what it was recorded for has ended"), "{ended:?}");
    hull.until("the own rate is sent", sends(RATE)).await;
    // A change of the own set-up meanwhile is the one that comes into force.
    let lent = hull.capture.lend(other(&hull, 600.0)).await.unwrap();
    let later = Setup { plan: Plan { run_kind: "later".into(), ..other(&hull, 1.0).plan }, ..other(&hull, 1.0) };
    hull.capture.set_up(later.clone()).await.unwrap();
    drop(lent);
    hull.until("it is idle", |s| s.capture == CaptureState::Idle).await;
    assert_eq!(hull.capture.setup(), Some(later));
    hull.capture.record().await.unwrap();
    let ended = hull.stored().await.ended.unwrap();
    assert_eq!(hull.store.run(ended.run_id).await.unwrap().kind, "later");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_cannot_be_recorded_is_not_lent() {
    let hull = Hull::new(plan(1.0)).await;
    let own = hull.capture.setup();
    let mut none = other(&hull, 1.0);
    none.rig.channels.iter_mut().for_each(|c| c.on = false);
    assert!(hull.capture.lend(none).await.unwrap_err().to_string().contains("no channel is on"));
    assert_eq!(hull.capture.setup(), own);
    hull.capture.record().await.unwrap();
    let refused = hull.capture.lend(other(&hull, 1.0)).await.unwrap_err().to_string();
    assert!(refused.contains("armed or recording"), "{refused}");
    hull.stored().await;
}
