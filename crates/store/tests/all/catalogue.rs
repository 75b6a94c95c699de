//! Campaigns, corrections and recovery in a real database.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::channel;
use echo_job::plan::{Length, Plan};
use echo_job::recipe::Recipe;
use echo_job::rig::{Channel, Rig};
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::Quantity;
use echo_store::chunk::pack;
use echo_store::run::NewRun;
use echo_store::{Store, StoreError};

fn rig() -> Rig {
    Rig { name: "test".into(), channels: (1..=3).map(|input| Channel { on: input != 2, ..channel(input) }).collect() }
}

fn plan() -> Plan {
    Plan { sample_rate_hz: 1024.0, length: Length::WhenStopped, run_kind: "test".into(), ..Plan::default() }
}

fn new_run(campaign: i64) -> NewRun {
    NewRun {
        campaign,
        kind: "test".into(),
        sample_rate_hz: 1024.0,
        clean_share: 0.4,
        front_end: "Test".into(),
        rig: rig(),
        plan: plan(),
        recorder: String::new(),
        together: None,
        divide: 1,
        who: "engineer".into(),
        brought: None,
        channels: rig().active().cloned().zip([1e-6, 2e-6]).collect(),
    }
}

async fn campaign(name: &str) -> (Store, i64, String) {
    let url = std::env::var("DATABASE_URL").expect("DATABASE_URL: ./test sets it");
    let store = Store::lazy(&url).unwrap();
    store.migrate().await.unwrap();
    let unique =
        format!("{name} {}", std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos());
    let id = store.create_campaign(&unique, "specimen", "purpose", &rig(), &plan()).await.unwrap();
    (store, id, unique)
}

#[tokio::test]
async fn a_rig_is_not_overwritten_by_whoever_is_slower() {
    let (store, id, name) = campaign("rig").await;
    let first = store.rig(id).await.unwrap();
    let mut mine = first.rig.clone();
    mine.channels[0].name = "mine".into();
    let version = store.save_rig(id, first.version, &mine, "me", "rig", serde_json::json!({})).await.unwrap();
    assert_eq!(version, first.version + 1);
    let late = store.save_rig(id, first.version, &first.rig, "you", "rig", serde_json::json!({})).await;
    assert!(matches!(late, Err(StoreError::Stale("rig", v)) if v == version), "{late:?}");
    assert_eq!(store.rig(id).await.unwrap().rig, mine);
    let changes = store.changes(id, 10).await.unwrap();
    let told: Vec<_> = changes.iter().map(|c| (c.who.as_str(), c.what.as_str())).collect();
    assert_eq!(told, [("me", "rig"), ("engineer", "begun")]);
    let twice = store.create_campaign(&name, "", "", &rig(), &plan()).await.unwrap_err();
    assert!(twice.to_string().contains("used already"), "{twice}");
    assert!(matches!(store.rig(-1).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn plan_report_and_recipes_come_back() {
    let (store, id, _) = campaign("plan").await;
    let changed = Plan { length: Length::After { duration_s: 2.5 }, ..plan() };
    let first = store.plan_version(id).await.unwrap();
    let second = store.save_plan(id, Some(first), &changed, "me").await.unwrap();
    assert_eq!((store.plan(id).await.unwrap(), store.plan_version(id).await.unwrap()), (changed.clone(), second));
    let late = store.save_plan(id, Some(first), &plan(), "you").await;
    assert!(matches!(late, Err(StoreError::Stale("plan", v)) if v == second), "{late:?}");
    assert_eq!(store.plan(id).await.unwrap(), changed, "nothing was written over");
    store.save_plan(id, None, &changed, "whoever tells no version").await.unwrap();
    assert!(matches!(store.save_plan(-1, None, &changed, "me").await, Err(StoreError::Missing(_))));
    assert_eq!(store.report(id).await.unwrap(), (None, 1));
    let report = serde_json::json!({ "title": "a" });
    assert_eq!(store.save_report(id, None, &report).await.unwrap(), 2);
    let late = store.save_report(id, Some(1), &serde_json::json!({ "title": "b" })).await;
    assert!(matches!(late, Err(StoreError::Stale("report", 2))), "{late:?}");
    assert_eq!(store.report(id).await.unwrap(), (Some(report), 2));
    assert!(matches!(store.save_report(-1, None, &serde_json::json!({})).await, Err(StoreError::Missing(_))));
    let (_, first) = store.machine(id).await.unwrap();
    let shaft = serde_json::json!({ "elements": [] });
    let second = store.save_machine(id, Some(first), &shaft, "me").await.unwrap();
    let late = store.save_machine(id, Some(first), &serde_json::json!({}), "you").await;
    assert!(matches!(late, Err(StoreError::Stale("machine", v)) if v == second), "{late:?}");
    assert_eq!(store.machine(id).await.unwrap(), (shaft, second));
    let recipe = Recipe::from_json(r#"{"lens": "spectrum", "block": 512}"#).unwrap();
    store.keep_recipe(id, "fine", &Recipe::from_json(r#"{"lens": "statistics"}"#).unwrap()).await.unwrap();
    store.keep_recipe(id, "fine", &recipe).await.unwrap();
    assert_eq!(store.recipes(id).await.unwrap(), [("fine".to_string(), recipe)]);
}

#[tokio::test]
async fn a_correction_leaves_the_old_value() {
    let (store, id, _) = campaign("correction").await;
    let run = store.open_run(&new_run(id)).await.unwrap();
    let channels = store.run_channels(run.id).await.unwrap();
    assert_eq!(channels.iter().map(|c| (c.channel, c.row.input)).collect::<Vec<_>>(), [(1, 1), (2, 3)]);
    let right = Sensitivity::new(2.0, "V/V", Quantity::Voltage).unwrap();
    store.correct(run.id, 2, &right, "misread", "me").await.unwrap();
    let history = store.calibrations(run.id).await.unwrap();
    let of: Vec<(i16, f64, &str)> =
        history.iter().map(|c| (c.channel, c.sensitivity.value, c.reason.as_str())).collect();
    assert_eq!(of, [(1, 1.0, "as recorded"), (2, 1.0, "as recorded"), (2, 2.0, "misread")]);
    assert!(store.correct(run.id, 9, &right, "none", "me").await.is_err());
    store.close_run(run.id, 0, true, "test").await.unwrap();
}

#[tokio::test]
async fn an_attempt_of_unknown_outcome_is_repeated_without_harm() {
    let (store, id, _) = campaign("again").await;
    let run = store.open_run(&new_run(id)).await.unwrap();
    let counts: Vec<i32> = (0..1024).collect();
    let chunks = [pack(1, 0, &counts, false).unwrap(), pack(2, 0, &counts, true).unwrap()];
    store.append(run.id, &chunks, &[], false).await.unwrap();
    assert!(store.append(run.id, &chunks, &[], false).await.is_err(), "the same chunk twice");
    store.append(run.id, &chunks, &[], true).await.unwrap();
    let back = store.counts(run.id, 2, 1000, 24).await.unwrap();
    assert_eq!(back, (1000..1024).map(Some).collect::<Vec<_>>());
    let beyond = store.counts(run.id, 2, 1020, 10).await.unwrap();
    assert_eq!(beyond.iter().filter(|c| c.is_none()).count(), 6);
    assert!(store.overview(run.id, &[1], 10, 10, 5).await.is_err());
    assert!(store.overview(run.id, &[1], 0, 10, 0).await.is_err());
    store.close_run(run.id, 1024, true, "test").await.unwrap();
    let numbers: Vec<i32> = store.runs(id).await.unwrap().iter().map(|r| r.number).collect();
    assert_eq!(numbers, [1]);
}

#[tokio::test]
async fn an_absent_database_is_told_in_words() {
    let store = Store::lazy("postgres://nobody@127.0.0.1:1/none").unwrap();
    assert!(store.ping().await.unwrap_err().to_string().starts_with("the database is away"));
    assert!(Store::lazy("mysql://somewhere").is_err());
}
