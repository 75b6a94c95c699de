//! The specimen: its sheet with versions, its files, and both of them handed over and taken along.

use crate::common::{channel, open_run};
use chrono::Utc;
use echo_job::plan::Plan;
use echo_job::rig::Rig;
use echo_store::StoreError;
use echo_store::shelf::Begun;
use echo_store::specimen::NewSpecimenFile;
use serde_json::json;

fn file<'a>(kind: &'a str, name: &'a str, bytes: &'a [u8]) -> NewSpecimenFile<'a> {
    NewSpecimenFile { kind, name, media_type: "image/png", to_m: 0.001, bytes }
}

#[tokio::test]
async fn a_sheet_is_changed_on_the_version_it_was_seen_in() {
    let (store, campaign, _) = open_run("sheet").await;
    assert_eq!(store.specimen(campaign).await.unwrap(), (json!({}), 1));
    let sheet = json!({ "kind": "steel bracket" });
    let detail = json!({ "to": { "kind": "steel bracket" } });
    assert_eq!(store.save_specimen(campaign, Some(1), &sheet, ("Ines", &detail)).await.unwrap(), 2);
    let late = store.save_specimen(campaign, Some(1), &json!({}), ("Tam", &json!({}))).await;
    assert!(matches!(late, Err(StoreError::Stale("specimen", 2))), "{late:?}");
    assert_eq!(store.specimen(campaign).await.unwrap(), (sheet, 2), "who was too late changes nothing");
    let change = store.changes(campaign, 1).await.unwrap().remove(0);
    assert_eq!((change.who.as_str(), change.what.as_str(), change.detail), ("Ines", "specimen", detail));
    assert!(matches!(store.specimen(-1).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn pictures_gather_and_a_surface_takes_the_place_of_the_one_before() {
    let (store, campaign, _) = open_run("files").await;
    for (kind, name) in
        [("picture", "bow.png"), ("surface", "old.stl"), ("picture", "stern.png"), ("surface", "new.stl")]
    {
        store.keep_specimen_file(campaign, &file(kind, name, name.as_bytes()), "Ines").await.unwrap();
    }
    let all = store.specimen_files(campaign).await.unwrap();
    let names: Vec<&str> = all.iter().map(|f| f.name.as_str()).collect();
    assert_eq!(names, ["bow.png", "stern.png", "new.stl"]);
    assert_eq!((all[2].size, all[2].to_m, all[0].who.as_str()), (7, 0.001, "Ines"));
    assert_eq!(store.specimen_file(all[1].id).await.unwrap().1, b"stern.png");
    store.remove_specimen_file(all[1].id, "Tam").await.unwrap();
    assert!(matches!(store.specimen_file(all[1].id).await, Err(StoreError::Missing(_))));
    assert!(matches!(store.remove_specimen_file(all[1].id, "Tam").await, Err(StoreError::Missing(_))));
    let log: Vec<_> = store.changes(campaign, 5).await.unwrap().into_iter().map(|c| c.detail).collect();
    assert_eq!(log[0], json!({ "removed": "stern.png" }));
    assert_eq!(log.len(), 5, "each of the four that were brought is told too");
    let lost = store.keep_specimen_file(-1, &file("picture", "a.png", b"a"), "Ines").await;
    assert!(matches!(lost, Err(StoreError::Missing(_))), "{lost:?}");
}

#[tokio::test]
async fn a_campaign_begun_after_another_has_its_specimen_and_changes_it_alone() {
    let (store, campaign, _) = open_run("taken along").await;
    let sheet = json!({ "serial": "RP-2", "geometry": { "points": [{ "name": "1", "x": 0, "y": 0, "z": 0 }] } });
    store.save_specimen(campaign, None, &sheet, ("Ines", &json!({}))).await.unwrap();
    store.keep_specimen_file(campaign, &file("picture", "bow.png", b"bow"), "Ines").await.unwrap();
    let rig = Rig { name: "test".into(), channels: vec![channel(1)] };
    let name = format!("taken along {}", Utc::now().timestamp_nanos_opt().unwrap());
    let (after, plan) = (Some(campaign), Plan::default());
    let new = Begun { name: &name, specimen: "ramp", purpose: "", rig: &rig, plan: &plan, after, who: "Tam" };
    let copy = store.begin_campaign(&new).await.unwrap();
    assert_eq!(store.specimen(copy).await.unwrap().0, sheet);
    let own = store.specimen_files(copy).await.unwrap();
    assert_eq!((own.len(), own[0].name.as_str()), (1, "bow.png"));
    store.remove_specimen_file(own[0].id, "Tam").await.unwrap();
    store.save_specimen(copy, None, &json!({}), ("Tam", &json!({}))).await.unwrap();
    assert_eq!(store.specimen(campaign).await.unwrap().0, sheet);
    assert_eq!(store.specimen_files(campaign).await.unwrap().len(), 1);

    // What is looked at from the shelf has it, and so has what is handed over.
    let seen = store.looked_at().await.unwrap();
    let seen = seen.iter().find(|c| c.campaign == campaign).unwrap();
    assert_eq!((seen.specimen.serial.as_str(), seen.specimen.geometry.points.len()), ("RP-2", 1));
    let record = store.campaign_record(campaign).await.unwrap();
    assert_eq!(record["specimen_sheet"], sheet);
    let laid = store.lay_campaign(&format!("{name}, laid"), &record).await.unwrap();
    store.keep_specimen_file(laid, &file("picture", "bow.png", b"bow"), "Ines").await.unwrap();
    store.show_campaign(laid, &record).await.unwrap();
    assert_eq!(store.specimen(laid).await.unwrap().0, sheet);
    let log = store.changes(laid, 50).await.unwrap();
    let told = log.iter().filter(|c| c.detail == json!({ "added": "bow.png" })).count();
    assert_eq!(told, 1, "what came along is in the file's own list of changes, once");
}
