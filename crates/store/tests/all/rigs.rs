//! Versions of rigs, rigs kept under a name, the register of sensors, findings let pass.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::channel;
use echo_job::caution::Waiver;
use echo_job::plan::{Length, Plan};
use echo_job::rig::Rig;
use echo_job::sensor::Sensor;
use echo_store::{Store, StoreError};
use serde_json::{Value, json};

fn unique(name: &str) -> String {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos();
    format!("{name} {now}")
}

async fn store() -> Store {
    let store = Store::lazy(&std::env::var("DATABASE_URL").expect("DATABASE_URL: ./test sets it")).unwrap();
    store.migrate().await.unwrap();
    store
}

fn rig(name: &str) -> Rig {
    Rig { name: name.into(), channels: vec![channel(1), channel(2)] }
}

async fn campaign(store: &Store) -> i64 {
    let plan = Plan { sample_rate_hz: 1024.0, length: Length::WhenStopped, ..Plan::default() };
    store.create_campaign(&unique("rigs"), "specimen", "", &rig("first"), &plan).await.unwrap()
}

#[tokio::test]
async fn every_version_can_be_read_again() {
    let store = store().await;
    let id = campaign(&store).await;
    let mut changed = rig("first");
    changed.channels[1].range_v = 5.0;
    let version = store.save_rig(id, 1, &changed, "Ada", "a wider range", Value::Null).await.unwrap();
    assert_eq!(store.rig_at(id, 1).await.unwrap(), rig("first"));
    assert_eq!(store.rig_at(id, version).await.unwrap(), changed);
    assert_eq!(store.rig_author(id).await.unwrap().as_deref(), Some("Ada"));
    let all = store.rig_versions(id, 10).await.unwrap();
    assert_eq!(all.iter().map(|v| v.version).collect::<Vec<_>>(), [2, 1]);
    assert_eq!((all[0].what.as_str(), all[1].what.as_str()), ("a wider range", "begun"));
    assert!(matches!(
        store.save_rig(id, 1, &changed, "Bo", "late", Value::Null).await,
        Err(StoreError::Stale("rig", 2))
    ));
    assert_eq!(store.rig_versions(id, 10).await.unwrap().len(), 2, "what was refused leaves no version");
    assert!(matches!(store.rig_at(id, 99).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn a_rig_kept_under_a_name_is_found_from_every_campaign() {
    let store = store().await;
    let (one, other) = (campaign(&store).await, campaign(&store).await);
    let name = unique("as sailed");
    let key = store.keep_rig(one, &name, 1, &rig("x"), "Ada").await.unwrap();
    let again = store.keep_rig(one, &name, 2, &rig("y"), "Bo").await.unwrap();
    assert_eq!(key, again, "the same name replaces");
    assert_ne!(store.keep_rig(other, &name, 1, &rig("z"), "Bo").await.unwrap(), key, "but not another campaign's");
    assert_eq!(store.kept_rig(key).await.unwrap().name, "y");
    let all = store.kept_rigs().await.unwrap();
    let found: Vec<_> = all.iter().filter(|k| k.name == name).map(|k| (k.campaign_id, k.version)).collect();
    assert_eq!(found, [(one, 2), (other, 1)]);
    assert!(matches!(store.kept_rig(-1).await, Err(StoreError::Missing(_))));
    store.remember_front_end(one, Some("10.0.0.1:7460,10.0.0.2:7460")).await.unwrap();
    assert_eq!(store.front_end(one).await.unwrap().as_deref(), Some("10.0.0.1:7460,10.0.0.2:7460"));
    assert_eq!(store.front_end(other).await.unwrap(), None);
}

#[tokio::test]
async fn a_sensor_keeps_every_value_it_had() {
    let store = store().await;
    let serial = unique("").trim().to_string();
    let sensor = |value: f64| -> Sensor {
        serde_json::from_value(
            json!({ "model": "QA-31", "serial": serial, "quantity": "acceleration", "coupling": "IEPE",
            "sensitivity": { "value": value, "unit": "mV/(m/s²)" } }),
        )
        .unwrap()
    };
    let id = store.keep_sensor(&sensor(10.2), "Ada", "registered", Value::Null).await.unwrap();
    let detail = json!({ "pairs": [[10.0, 9.7]] });
    assert_eq!(store.keep_sensor(&sensor(9.9), "Bo", "checked", detail.clone()).await.unwrap(), id);
    let kept: Vec<_> = store.sensors().await.unwrap().into_iter().filter(|r| r.id == id).collect();
    assert_eq!((kept.len(), kept[0].sensor.sensitivity.value), (1, 9.9));
    let history = store.sensor_history(id).await.unwrap();
    assert_eq!(history.iter().map(|h| h.what.as_str()).collect::<Vec<_>>(), ["checked", "registered"]);
    assert_eq!(history[0].body["detail"], detail);
    assert_eq!(history[1].body["sensor"]["sensitivity"]["value"], 10.2);
    assert!(matches!(store.sensor_history(-1).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn a_waiver_holds_until_it_is_taken_back() {
    let store = store().await;
    let id = campaign(&store).await;
    let waiver = |input: Option<u16>, says: &str| Waiver {
        rule: "no_place".into(),
        input,
        says: says.into(),
        reason: "on the bench".into(),
        who: "Ada".into(),
        at: chrono::DateTime::from_timestamp(1_700_000_000, 0).unwrap(),
    };
    for w in [waiver(Some(1), "a"), waiver(Some(2), "b"), waiver(None, "c")] {
        store.waive(id, &w).await.unwrap();
    }
    assert_eq!(store.waivers(id).await.unwrap()[0], waiver(Some(1), "a"));
    store.take_back_waiver(id, "no_place", Some(1)).await.unwrap();
    store.take_back_waiver(id, "no_place", None).await.unwrap();
    let left = store.waivers(id).await.unwrap();
    assert_eq!(left.iter().map(|w| w.input).collect::<Vec<_>>(), [Some(2)]);
}
