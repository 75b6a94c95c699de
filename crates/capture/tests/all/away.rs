//! A front end that keeps blocks itself: nothing is lost while the link is away.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::{Hull, RATE, bumps, plan, rig};
use echo_capture::{CaptureState, LinkState};
use echo_job::plan::Plan;
use echo_link::{Coupling, InputSetting, Settings};
use echo_simulator::device::{Lantern, Plays};
use echo_simulator::serve::own;
use echo_store::state::RunState;
use std::time::Duration;

const PLENTY: usize = 64 << 20;

/// What the hull's converter gives on its first input, from the start on.
fn reference(samples: usize) -> Vec<i32> {
    let mut device = Lantern::playing("LT-0424", Plays::Berth);
    let input =
        |number| InputSetting { number, range_v: 1.0, coupling: Coupling::Dc, high_pass_hz: 0.0, supply_v: 0.0 };
    device.apply(Settings { rate_hz: RATE, inputs: (1..=3).map(input).collect() }, false).unwrap();
    device.restart();
    let mut all = Vec::new();
    while all.len() < samples {
        device.next_block().counts_into(0, &mut all);
    }
    all
}

#[tokio::test(flavor = "multi_thread")]
async fn a_recording_goes_on_in_the_front_end_and_is_moved_over() {
    let hull = Hull::storing(plan(30.0), PLENTY).await;
    hull.capture.record().await.unwrap();
    hull.until("it records", |s| matches!(&s.capture, CaptureState::Recording(p) if p.samples > 20_000)).await;
    own(&hull.device).cut();
    let away = hull.until("it goes on alone", |s| matches!(s.link, LinkState::Connecting { .. })).await;
    let CaptureState::Recording(p) = away.capture else { panic!("{:?}", away.capture) };
    let store = p.own_store.expect("what the front end keeps is told");
    assert!(store.says.contains("Lantern 24 goes on by itself") && store.of.is_none(), "{}", store.says);
    assert!(hull.capture.record().await.is_err(), "it is recording still");
    let moving = |s: &echo_capture::Status| match &s.capture {
        CaptureState::Recording(p) => p.own_store.as_ref().and_then(|o| o.of),
        _ => None,
    };
    let blocks = moving(&hull.until("it is moved over", |s| moving(s).is_some()).await).unwrap();
    // Half a second away, at eight times the speed and twenty blocks a second.
    assert!((20..1000).contains(&blocks), "{blocks} blocks");
    let ended = hull.stored().await.ended.unwrap();
    assert!(ended.whole && ended.lost_blocks == 0, "{ended:?}");
    assert_eq!(hull.store.gaps(ended.run_id).await.unwrap(), []);
    let marks = hull.store.marks(ended.run_id).await.unwrap();
    assert!(marks.iter().any(|m| m.says.contains("moved over from the front end")), "{marks:?}");
    // Sample for sample what the converter gave.
    let samples = (30.0 * RATE) as usize;
    let counts = hull.store.counts(ended.run_id, 1, 0, samples).await.unwrap();
    let counts: Vec<i32> = counts.into_iter().map(|c| c.expect("every sample is there")).collect();
    let all = reference(samples + 400 * (RATE / 20.0) as usize);
    let offset = all.windows(64).position(|w| *w == counts[..64]).expect("the run begins somewhere in it");
    assert!(all[offset..offset + samples] == counts[..], "the run is not what was converted");
}

#[tokio::test(flavor = "multi_thread")]
async fn triggers_are_found_in_what_was_moved_over() {
    let hull = Hull::storing(Plan { start: bumps(0.1, Some(6)), ..plan(0.25) }, PLENTY).await;
    hull.capture.arm().await.unwrap();
    hull.until("a take", |s| matches!(&s.capture, CaptureState::Armed(p) | CaptureState::Recording(p) if p.takes > 0))
        .await;
    own(&hull.device).cut();
    let ended = hull.stored().await.ended.unwrap();
    assert_eq!((ended.takes, ended.lost_blocks, ended.whole), (6, 0, true), "{ended:?}");
    let gaps = hull.store.gaps(ended.run_id).await.unwrap();
    assert!(gaps.iter().all(|g| g.why == "between takes"), "{gaps:?}");
    // One bump after the other: none was missed while the link was away.
    let takes = hull.store.takes(ended.run_id).await.unwrap();
    let made = own(&hull.device).bench().bumps;
    let between = |k: usize| (takes[k + 1].trigger_sample - takes[k].trigger_sample) as f64 / RATE;
    let first = (0..made.len() - 5)
        .find(|i| (0..5).all(|k| (made[i + k + 1].start_s - made[i + k].start_s - between(k)).abs() < 0.1));
    assert!(first.is_some(), "{takes:?} {made:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_front_end_that_could_not_keep_enough_is_told() {
    // Room for three blocks: full long before the link is back.
    let hull = Hull::storing(plan(60.0), 8000).await;
    hull.capture.record().await.unwrap();
    hull.until("it records", |s| matches!(&s.capture, CaptureState::Recording(p) if p.samples > 5_000)).await;
    own(&hull.device).cut();
    let ended = hull.stored().await.ended.unwrap();
    assert!(!ended.whole && ended.because.contains("link to the front end broke"), "{}", ended.because);
    let run = hull.store.run(ended.run_id).await.unwrap();
    assert!(run.state == RunState::Broken && run.samples >= 5_000, "what came until then is kept");
    hull.until(
        "it is set up anew",
        |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz > 0.0),
    )
    .await;
    hull.capture.record().await.unwrap();
    hull.capture.stop().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn stop_while_the_link_is_away_keeps_what_came() {
    let hull = Hull::storing(plan(600.0), PLENTY).await;
    hull.capture.record().await.unwrap();
    hull.until("it records", |s| matches!(&s.capture, CaptureState::Recording(p) if p.samples > 5_000)).await;
    own(&hull.device).cut();
    hull.until("it is away", |s| matches!(s.link, LinkState::Connecting { .. })).await;
    hull.capture.stop().await.unwrap();
    let ended = hull.stored().await.ended.unwrap();
    assert_eq!((ended.because.as_str(), ended.whole), ("stopped by hand while the link was away", false));
    // Back again, the old start is over and a new one measures what the rig says.
    hull.until("it is back", |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz > 0.0))
        .await;
    let wanted: Vec<u16> = rig().active().map(|c| c.input).collect();
    let live = || hull.capture.live().levels().iter().map(|l| l.input).collect::<Vec<_>>();
    for _ in 0..600 {
        if live() == wanted {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    assert_eq!(live(), wanted);
}
