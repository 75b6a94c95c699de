//! Takes of triggers, several recorders, room on the disk, a link that breaks while armed: against
//! the stand-in on hull frame 14, whose bumps are known.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::{Hull, RATE, bumps, plan, recorder};
use echo_capture::{CaptureState, LinkState, OrderTo};
use echo_job::plan::{Keeps, Plan};
use echo_job::trigger::{Condition, Edge, Trigger};
use echo_link::RequestBody;
use echo_simulator::serve::own;
use std::sync::atomic::Ordering;

#[tokio::test(flavor = "multi_thread")]
async fn every_bump_gives_one_take_with_its_peak() {
    let hull = Hull::new(Plan { start: bumps(0.1, Some(4)), ..plan(0.25) }).await;
    hull.capture.arm().await.unwrap();
    let waiting = hull.until("armed", |s| matches!(s.capture, CaptureState::Armed(_))).await;
    let CaptureState::Armed(p) = waiting.capture else { panic!() };
    assert!(p.waits_for.contains("rises through 10 m/s²") && p.takes_planned == Some(4), "{p:?}");
    assert!(hull.capture.arm().await.unwrap_err().to_string().contains("already"));
    let ended = hull.stored().await.ended.unwrap();
    assert_eq!((ended.takes, ended.because.as_str(), ended.whole), (4, "all planned takes are made", true));
    let takes = hull.store.takes(ended.run_id).await.unwrap();
    let athwart = hull.values(ended.run_id, 1).await;
    assert_eq!(takes.len(), 4);
    let made = own(&hull.device).bench().bumps;
    let mut offset = None;
    for (k, t) in takes.iter().enumerate() {
        assert_eq!((t.number, t.samples), (k as i32 + 1, Some((0.35 * RATE) as i64)));
        let stretch = &athwart[t.first_sample as usize..(t.first_sample + t.samples.unwrap()) as usize];
        assert!(stretch.iter().all(|x| x.is_finite()), "take {k} is whole");
        let at = (0..stretch.len()).max_by(|a, b| stretch[*a].total_cmp(&stretch[*b])).unwrap();
        let peak_s = (t.first_sample as f64 + at as f64) / RATE;
        // The bump this peak belongs to: the one whose distance from the first is the same.
        let middle = |i: usize| made[i].start_s + made[i].length_s / 2.0;
        let first = *offset.get_or_insert_with(|| {
            let near = |i: &usize| (made[*i].peak[0] - stretch[at]).abs();
            let i = (0..made.len()).min_by(|a, b| near(a).total_cmp(&near(b))).unwrap();
            (i, middle(i) - peak_s)
        });
        let bump = &made[first.0 + k];
        assert!((stretch[at] - bump.peak[0]).abs() < 0.6, "take {k}: {} for {:?}", stretch[at], bump.peak);
        // A half sine is flat on top: noise moves its highest sample by some.
        let due = middle(first.0 + k) - first.1;
        assert!((peak_s - due).abs() < 0.25 * bump.length_s, "take {k}: {peak_s} s, due {due} s");
        // What is kept from before is kept.
        assert_eq!(t.trigger_sample - t.first_sample, (0.1 * RATE) as i64);
    }
    // Between them nothing is kept, and it is said why.
    let gaps = hull.store.gaps(ended.run_id).await.unwrap();
    assert!(gaps.iter().all(|g| g.why == "between takes") && gaps.len() >= 3, "{gaps:?}");
    assert_eq!(gaps[1].first_sample, takes[0].first_sample + takes[0].samples.unwrap());
}

#[tokio::test(flavor = "multi_thread")]
async fn overlapping_takes_are_each_whole() {
    // Every take is longer than the time to the next bump, and begins before the last has ended.
    let hull = Hull::new(Plan { start: bumps(0.5, Some(3)), ..plan(4.0) }).await;
    hull.capture.arm().await.unwrap();
    let ended = hull.stored().await.ended.unwrap();
    let takes = hull.store.takes(ended.run_id).await.unwrap();
    assert_eq!(takes.len(), 3);
    assert!(takes[1].first_sample < takes[0].first_sample + takes[0].samples.unwrap(), "they overlap");
    let values = hull.values(ended.run_id, 2).await;
    for t in &takes {
        let end = t.first_sample + t.samples.unwrap();
        assert!(values[t.first_sample as usize..end as usize].iter().all(|x| x.is_finite()), "{t:?}");
    }
    assert_eq!(values.len() as i64, takes[2].first_sample + takes[2].samples.unwrap());
}

#[tokio::test(flavor = "multi_thread")]
async fn recorders_at_different_rates_measure_one_motion() {
    let recorders = vec![
        recorder("A", &[], 1, Keeps::Takes),
        recorder("B", &[1], 10, Keeps::Takes),
        recorder("C", &[2, 3], 8, Keeps::Everything),
    ];
    let hull = Hull::new(Plan { recorders, ..plan(8.0) }).await;
    hull.capture.record().await.unwrap();
    let recording = hull.until("recording", |s| matches!(s.capture, CaptureState::Recording(_))).await;
    let CaptureState::Recording(p) = recording.capture else { panic!() };
    assert_eq!(p.recorders.iter().map(|r| r.name.as_str()).collect::<Vec<_>>(), ["A", "B", "C"]);
    hull.capture.mark("gangway", "mate").await.unwrap();
    let ended = hull.stored().await.ended.unwrap();
    let runs = hull.store.runs(hull.campaign).await.unwrap();
    assert_eq!(
        runs.iter().map(|r| (r.recorder.as_str(), r.divide)).collect::<Vec<_>>(),
        [("A", 1), ("B", 10), ("C", 8)]
    );
    assert_eq!((runs[1].together, runs[2].together), (Some(ended.run_id), Some(ended.run_id)));
    assert_eq!((runs[0].samples, runs[1].samples), ((8.0 * RATE) as i64, (0.8 * RATE) as i64));
    // The same as resampling the fast one afterwards: to the last bit of the converter.
    for (run, channel, of, divide) in [(runs[1].id, 1, 1, 10), (runs[2].id, 1, 2, 8)] {
        let fast = hull.values(runs[0].id, of).await;
        let slow = hull.values(run, channel).await;
        let made = echo_signal::resample::resample(&fast, 1, divide).unwrap();
        // At the end the live filter has seen what came after.
        for k in 0..made.len().min(slow.len()) - 40 {
            assert!((slow[k] - made[k]).abs() < 1e-5, "1/{divide}, sample {k}: {} for {}", slow[k], made[k]);
        }
    }
    for r in &runs {
        let marks = hull.store.marks(r.id).await.unwrap();
        assert_eq!(marks.iter().map(|m| (m.says.as_str(), m.who.as_str())).collect::<Vec<_>>(), [("gangway", "mate")]);
        assert!((marks[0].sample as f64 / r.sample_rate_hz) < 8.0);
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn one_recorder_is_started_and_stopped_by_itself() {
    let recorders = vec![recorder("A", &[], 1, Keeps::Takes), recorder("B", &[2], 4, Keeps::ByHand)];
    let hull = Hull::new(Plan { recorders, ..plan(60.0) }).await;
    let says = |r: Result<(), echo_capture::CaptureError>| r.unwrap_err().to_string();
    assert!(says(hull.capture.recorder("Z", OrderTo::Start).await).contains("there are A, B"));
    assert!(says(hull.capture.recorder("B", OrderTo::Stop).await).contains("not going"));
    assert!(says(hull.capture.mark("x", "y").await).contains("needs a run"));
    hull.capture.recorder("B", OrderTo::Start).await.unwrap();
    assert!(says(hull.capture.recorder("B", OrderTo::Start).await).contains("already"));
    hull.until("some is kept", |s| matches!(&s.capture, CaptureState::Recording(p) if p.recorders[1].samples > 2000))
        .await;
    hull.capture.recorder("B", OrderTo::Stop).await.unwrap();
    let ended = hull.stored().await.ended.unwrap();
    assert_eq!(ended.because, "every recorder was stopped");
    let runs = hull.store.runs(hull.campaign).await.unwrap();
    assert_eq!(runs.iter().map(|r| r.recorder.as_str()).collect::<Vec<_>>(), ["B"], "A never went");
    assert!(runs[0].samples > 2000);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_storm_of_triggers_is_kept_up_with() {
    // The noise crosses 0 m/s² thousands of times a second along the ship.
    let level = Condition::Level { input: 3, level: 0.0, hysteresis: 0.0, unit: "m/s²".into(), edge: Edge::Either };
    let start = Trigger { conditions: vec![level], takes: Some(5000), ..Trigger::default() };
    let hull = Hull::new(Plan { start, ..plan(0.01) }).await;
    hull.capture.arm().await.unwrap();
    let ended = hull.stored().await.ended.unwrap();
    let takes = hull.store.takes(ended.run_id).await.unwrap();
    let along = hull.values(ended.run_id, 3).await;
    assert_eq!((ended.takes, takes.len()), (5000, 5000));
    let span_s = (takes[4999].trigger_sample - takes[0].trigger_sample) as f64 / RATE;
    assert!(5000.0 / span_s > 1000.0, "a storm of {} a second", 5000.0 / span_s);
    for (k, t) in takes.iter().enumerate() {
        assert_eq!(t.number, k as i32 + 1);
        let stretch = &along[t.first_sample as usize..(t.first_sample + t.samples.unwrap()) as usize];
        assert!(stretch.len() == 51 && stretch.iter().all(|x| x.is_finite()), "take {k}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_disk_without_room_is_told_before_and_ends_cleanly_during() {
    let hull = Hull::new(plan(600.0)).await;
    hull.room.store(1 << 20, Ordering::SeqCst);
    let says = hull.capture.record().await.unwrap_err().to_string();
    assert!(says.contains("the disk has room for"), "{says}");
    assert!(hull.store.runs(hull.campaign).await.unwrap().is_empty(), "nothing was begun");
    hull.room.store(1 << 40, Ordering::SeqCst);
    hull.capture.record().await.unwrap();
    hull.until("some is kept", |s| matches!(&s.capture, CaptureState::Recording(p) if p.samples > 9000)).await;
    hull.room.store(1 << 20, Ordering::SeqCst);
    let ended = hull.stored().await.ended.unwrap();
    assert!(!ended.whole && ended.because.contains("the disk is full"), "{}", ended.because);
    let values = hull.values(ended.run_id, 1).await;
    assert!(values.len() > 9000 && values.iter().all(|x| x.is_finite()), "everything up to there is kept");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_link_that_breaks_while_armed_is_armed_again() {
    let hull = Hull::new(Plan { start: bumps(0.2, Some(6)), ..plan(0.3) }).await;
    hull.capture.arm().await.unwrap();
    hull.until("a take is made", |s| matches!(&s.capture, CaptureState::Armed(p) if p.takes >= 1)).await;
    // The front end starts itself anew, as after a power cut: the connection ends.
    let _ = hull.capture.stop().await;
    hull.stored().await;
    hull.capture.arm().await.unwrap();
    hull.until("a take is made", |s| matches!(&s.capture, CaptureState::Armed(p) if p.takes >= 1)).await;
    own(&hull.device).cut();
    let broken = hull.until("the break is told", |s| s.ended.as_ref().is_some_and(|e| !e.whole)).await.ended.unwrap();
    assert!(broken.because.contains("the link to the front end broke") && broken.takes >= 1, "{broken:?}");
    let again =
        hull.until("armed again", |s| matches!(&s.capture, CaptureState::Armed(p) if p.run_id != broken.run_id)).await;
    assert!(matches!(again.capture, CaptureState::Armed(_)));
    hull.stored().await;
    // The break is told before all of it is written.
    assert!(!hull.store.takes(broken.run_id).await.unwrap().is_empty());
    let runs = hull.store.runs(hull.campaign).await.unwrap();
    assert_eq!(runs.iter().map(|r| r.state.word()).collect::<Vec<_>>(), ["whole", "broken", "whole"]);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_clock_that_lets_go_is_marked_in_the_run() {
    let hull = Hull::new(plan(6.0)).await;
    hull.capture.record().await.unwrap();
    hull.until("some is kept", |s| matches!(&s.capture, CaptureState::Recording(p) if p.samples > 5000)).await;
    own(&hull.device).lock_clock(false);
    hull.until("it is told", |s| matches!(s.link, LinkState::Connected { clock_locked: false, .. })).await;
    own(&hull.device).lock_clock(true);
    let ended = hull.stored().await.ended.unwrap();
    let marks = hull.store.marks(ended.run_id).await.unwrap();
    let says: Vec<&str> = marks.iter().map(|m| m.says.as_str()).collect();
    assert_eq!(says, ["clocks not together from here", "clocks together again"]);
    assert!(hull.capture.ask(0, RequestBody::State).await.is_ok());
}
