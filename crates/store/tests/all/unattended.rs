//! Takes, marks, schedules, watched values, alarms and benches: written, read back, refused.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::{apart, shared};
use chrono::{Duration, Utc};
use echo_job::measure::{Measure, What};
use echo_job::plan::{Length, Plan, Rounds};
use echo_job::rig::{Channel, Rig};
use echo_store::chunk::pack;
use echo_store::run::{NewRun, Run};
use echo_store::schedule::Round;
use echo_store::state::{AlarmZone, RoundState, ScheduleState, Station};
use echo_store::take::StoredTake;
use echo_store::{Store, StoreError};
use serde_json::json;

fn rig() -> Rig {
    let channel = |input| Channel { on: true, name: format!("axis {input}"), ..Channel::free(input) };
    Rig { name: "frame 14".into(), channels: (1..=2).map(channel).collect() }
}

fn plan() -> Plan {
    Plan { sample_rate_hz: 1024.0, length: Length::After { duration_s: 5.0 }, ..Plan::default() }
}

fn rounds(count: u32) -> Rounds {
    Rounds {
        every_s: 60.0,
        length_s: 5.0,
        count,
        begin_at: None,
        end_at: None,
        keep_newest: Some(2),
        measures: vec![Measure { input: 1, of: What::Rms }],
    }
}

async fn campaign(name: &str) -> (Store, i64) {
    campaign_at(&shared(), name).await
}

async fn campaign_at(url: &str, name: &str) -> (Store, i64) {
    let store = Store::lazy(url).unwrap();
    store.migrate().await.unwrap();
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos();
    let id = store.create_campaign(&format!("{name} {now}"), "hull", "", &rig(), &plan()).await.unwrap();
    (store, id)
}

async fn open(store: &Store, campaign: i64, recorder: &str, together: Option<i64>, divide: u32) -> Run {
    let new = NewRun {
        campaign,
        kind: "alongside".into(),
        sample_rate_hz: 1024.0 / f64::from(divide),
        clean_share: 0.4,
        front_end: "Test".into(),
        rig: rig(),
        plan: plan(),
        recorder: recorder.into(),
        together,
        divide,
        who: "engineer".into(),
        brought: None,
        channels: rig().channels.into_iter().map(|c| (c, 1e-6)).collect(),
    };
    store.open_run(&new).await.unwrap()
}

fn take(number: i32, first: i64, samples: Option<i64>) -> StoredTake {
    StoredTake { number, trigger_sample: first + 100, first_sample: first, samples, says: format!("bump {number}") }
}

#[tokio::test]
async fn takes_get_their_length_when_they_end() {
    let (store, id) = campaign("takes").await;
    let run = open(&store, id, "A", None, 1).await.id;
    store.write_takes(run, &[take(1, 0, Some(500)), take(2, 300, None)]).await.unwrap();
    store.write_takes(run, &[take(2, 300, Some(450))]).await.unwrap();
    assert_eq!(store.takes(run).await.unwrap(), [take(1, 0, Some(500)), take(2, 300, Some(450))]);
    store.write_takes(run, &[]).await.unwrap();
    // Thousands at once, as a storm brings them.
    let storm: Vec<StoredTake> = (3..5003).map(|k| take(k, i64::from(k) * 7, Some(51))).collect();
    store.write_takes(run, &storm).await.unwrap();
    assert_eq!(store.takes(run).await.unwrap().len(), 5002);
    store.delete_run(run).await.unwrap();
    assert!(store.takes(run).await.unwrap().is_empty(), "they go with their run");
    assert!(store.write_takes(run, &[take(1, 0, None)]).await.is_err(), "no take without a run");
}

#[tokio::test]
async fn marks_stand_where_they_were_set() {
    let (store, id) = campaign("marks").await;
    let run = open(&store, id, "", None, 1).await.id;
    let late = store.mark(run, 900, "gangway", "mate").await.unwrap();
    let early = store.mark(run, 100, "engine stopped", "engineer").await.unwrap();
    let all = store.marks(run).await.unwrap();
    assert_eq!(all.iter().map(|m| m.says.as_str()).collect::<Vec<_>>(), ["engine stopped", "gangway"]);
    assert_eq!((all[1].who.as_str(), all[1].sample), ("mate", 900));
    store.unmark(run, early.id).await.unwrap();
    assert_eq!(store.marks(run).await.unwrap(), [late]);
    assert!(matches!(store.unmark(run, early.id).await, Err(StoreError::Missing(_))));
    assert!(matches!(store.mark(i64::MAX, 0, "x", "y").await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn runs_recorded_together_know_each_other() {
    let (store, id) = campaign("together").await;
    let first = open(&store, id, "A", None, 1).await;
    let second = open(&store, id, "C", Some(first.id), 16).await;
    let runs = store.runs(id).await.unwrap();
    assert_eq!(
        runs.iter().map(|r| (r.recorder.as_str(), r.together, r.divide)).collect::<Vec<_>>(),
        [("A", None, 1), ("C", Some(first.id), 16)]
    );
    assert_eq!(store.run(second.id).await.unwrap().sample_rate_hz, 64.0);
    // The first one deleted, the other stays and stands alone.
    store.delete_run(first.id).await.unwrap();
    assert_eq!(store.run(second.id).await.unwrap().together, None);
    assert!(matches!(store.run(first.id).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn alarms_are_seen_once_and_values_make_a_trend() {
    let (store, id) = campaign("watch").await;
    let name = "axis 1: rms";
    let over = store.write_alarm(id, name, AlarmZone::Limit, 7.4, "7.4 mm/s, over the limit of 7.1").await.unwrap();
    let good = store.write_alarm(id, name, AlarmZone::Good, 3.0, "3 mm/s, back to normal").await.unwrap();
    let alarms = store.alarms(id, 10).await.unwrap();
    assert_eq!(alarms.iter().map(|a| a.id).collect::<Vec<_>>(), [good, over], "newest first");
    assert_eq!(store.alarms(id, 1).await.unwrap().len(), 1);
    store.acknowledge(id, over, "engineer").await.unwrap();
    store.acknowledge(id, over, "somebody else").await.unwrap();
    let seen = store.alarms(id, 10).await.unwrap().remove(1);
    assert_eq!(seen.acknowledged_by.as_deref(), Some("engineer"), "whoever saw it first");
    assert!(matches!(store.acknowledge(id, i64::MAX, "x").await, Err(StoreError::Missing(_))));
    let (other, _) = (campaign("other").await.1, ());
    assert!(store.acknowledge(other, over, "x").await.is_err(), "not through another campaign");

    for value in [2.0, 5.0, 3.0] {
        store.keep_watched(id, &[(name.into(), value), ("axis 2: peak".into(), 10.0 * value)]).await.unwrap();
    }
    let points = store.trend(id, name, Utc::now() - Duration::hours(1), 1).await.unwrap();
    assert_eq!(points.len(), 1);
    assert_eq!((points[0].low, points[0].high), (2.0, 5.0), "extremes are not averaged away");
    assert!(store.trend(id, name, Utc::now() + Duration::hours(1), 5).await.unwrap().is_empty());
    assert!(store.trend(id, "nothing", Utc::now() - Duration::hours(1), 5).await.unwrap().is_empty());
}

#[tokio::test]
async fn benches_are_replaced_by_name() {
    let (store, id) = campaign("benches").await;
    store.keep_bench(id, Station::Run, "quay", &json!({ "panes": [] })).await.unwrap();
    store.keep_bench(id, Station::Run, "sea", &json!({ "panes": [1] })).await.unwrap();
    store.keep_bench(id, Station::Run, "quay", &json!({ "panes": [2] })).await.unwrap();
    store.keep_bench(id, Station::Study, "quay", &json!({ "panes": [3] })).await.unwrap();
    let kept = store.benches(id, Station::Run).await.unwrap();
    assert_eq!(kept, [("quay".into(), json!({ "panes": [2] })), ("sea".into(), json!({ "panes": [1] }))]);
    store.drop_bench(id, Station::Run, "quay").await.unwrap();
    assert_eq!(store.benches(id, Station::Run).await.unwrap().len(), 1);
    assert_eq!(store.benches(id, Station::Study).await.unwrap().len(), 1, "the other station's stays");
    assert!(matches!(store.drop_bench(id, Station::Run, "quay").await, Err(StoreError::Missing(_))));
}

/// One test for all that goes: only one schedule may, in the whole database.
#[tokio::test]
async fn one_schedule_goes_and_its_table_grows() {
    let (store, id) = campaign("rounds").await;
    let schedule = store.start_schedule(id, &rounds(3), &plan(), "engineer").await.unwrap();
    assert_eq!((&schedule.rounds, schedule.state), (&rounds(3), ScheduleState::Going));
    let twice = store.start_schedule(id, &rounds(2), &plan(), "engineer").await;
    assert!(matches!(twice, Err(StoreError::Refused(ref says)) if says.contains("going already")), "{twice:?}");
    assert_eq!(store.going_schedule().await.unwrap().map(|s| s.id), Some(schedule.id));

    let run = open(&store, id, "", None, 1).await.id;
    let due_at = schedule.rounds.due(schedule.begun_at, 1);
    let mut round =
        Round { number: 1, due_at, state: RoundState::Going, says: String::new(), run_id: Some(run), measured: vec![] };
    store.write_round(schedule.id, &round).await.unwrap();
    round.state = RoundState::Done;
    round.measured = vec![Some(0.1 + 0.2), None];
    store.write_round(schedule.id, &round).await.unwrap();
    let missed =
        Round { number: 2, state: RoundState::Missed, says: "no front end".into(), run_id: None, ..round.clone() };
    store.write_round(schedule.id, &missed).await.unwrap();
    let table = store.rounds(schedule.id).await.unwrap();
    assert_eq!(table.len(), 2);
    assert_eq!(table[0].measured, [Some(0.1 + 0.2), None], "to the last bit");
    assert_eq!((table[1].state.word(), table[1].says.as_str()), ("missed", "no front end"));

    assert!(matches!(store.picture(schedule.id, 1).await, Err(StoreError::Missing(_))));
    store.write_picture(schedule.id, 1, "<svg/>").await.unwrap();
    store.delete_run(run).await.unwrap();
    assert_eq!(store.rounds(schedule.id).await.unwrap()[0].run_id, None, "its waveform was let go");
    assert_eq!(store.picture(schedule.id, 1).await.unwrap(), "<svg/>", "its picture stays");

    store.end_schedule(schedule.id, ScheduleState::Done).await.unwrap();
    store.end_schedule(schedule.id, ScheduleState::Stopped).await.unwrap();
    let ended = store.schedule(id, Some(schedule.id)).await.unwrap().unwrap();
    assert_eq!(ended.state, ScheduleState::Done, "what has ended stays as it ended");
    assert_eq!(store.schedule(id, None).await.unwrap(), Some(ended.clone()), "the newest");
    let short = store.schedules(id).await.unwrap();
    assert_eq!((short[0].id, short[0].count), (ended.id, ended.rounds.count as i32));
    assert!(store.schedules(i64::MAX).await.unwrap().is_empty());
    assert_eq!(store.schedule(i64::MAX, Some(schedule.id)).await.unwrap(), None, "another campaign's");
}

#[tokio::test]
async fn a_run_that_only_waited_is_not_recovered() {
    let (store, id) = campaign_at(&apart().await, "armed").await;
    let waited = open(&store, id, "A", None, 1).await;
    let kept = open(&store, id, "C", Some(waited.id), 1).await;
    let counts: Vec<i32> = (0..1024).collect();
    let chunks = [pack(1, 0, &counts, false).unwrap(), pack(2, 0, &counts, false).unwrap()];
    store.append(kept.id, &chunks, &[], false).await.unwrap();
    store.write_takes(waited.id, &[take(1, 0, None)]).await.unwrap();
    let just_begun = open(&store, id, "D", Some(waited.id), 1).await;
    store.begin_run(just_begun.id).await.unwrap();
    store.recover().await.unwrap();
    assert!(store.run(waited.id).await.is_err(), "nothing was kept, nothing is left");
    let began = store.run(just_begun.id).await.unwrap();
    assert_eq!((began.state.word(), began.samples), ("broken", 0), "it was recorded, though no chunk was whole");
    assert!(began.ended_because.unwrap().contains("stopped while recording"));
    let after = store.run(kept.id).await.unwrap();
    assert_eq!((after.state.word(), after.samples), ("broken", 1024));
}
