//! What studying adds to runs, in a real database: entries put right, formulas, kept results, notes.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::{open_another, open_run};
use chrono::Utc;
use echo_job::math::MathChannel;
use echo_job::recipe::Tacho;
use echo_job::rig::Column;
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::Quantity;
use echo_store::StoreError;
use echo_store::chunk::pack;
use echo_store::correction::NewCorrection;
use echo_store::note::Note;
use echo_store::result::{Input, NewResult};
use serde_json::{Value, json};

/// A kept result of some runs.
fn kept<'a>(
    campaign: i64,
    name: &'a str,
    (recipe, body): (&'a Value, &'a Value),
    inputs: &'a [Input],
) -> NewResult<'a> {
    NewResult { campaign, name, recipe, body, inputs, who: "Ada" }
}

fn cell(text: &str) -> NewCorrection {
    NewCorrection::Cell(1, Column::Point, "frame 14".into(), text.into())
}

#[tokio::test]
async fn corrections_are_kept_in_their_order_and_counted() {
    let (store, _, run) = open_run("corrections").await;
    // The sensitivity as recorded counts as the first.
    assert_eq!(store.corrected(run).await.unwrap(), 1);
    store.put_right(run, &cell("frame 15"), None, "counted again", "Ada").await.unwrap();
    let tacho: Tacho = serde_json::from_value(json!({ "channel": 1, "pulses_per_rev": 2.0 })).unwrap();
    let new = NewCorrection::Tacho(tacho.clone(), "one mark".into(), "two marks".into());
    store.put_right(run, &new, None, "seen on the photograph", "Ben").await.unwrap();
    store.put_right(run, &cell("frame 16"), None, "counted a third time", "Ada").await.unwrap();
    let all = store.corrections(run).await.unwrap();
    let told: Vec<(&str, Option<i16>, &str)> =
        all.iter().map(|c| (c.field.as_str(), c.channel, c.after.as_str())).collect();
    assert_eq!(
        told,
        [("point", Some(1), "frame 15"), ("tachometer", None, "two marks"), ("point", Some(1), "frame 16")]
    );
    // What is stored is enough to do it again.
    assert_eq!(serde_json::from_value::<Column>(all[0].body.clone()).unwrap(), Column::Point);
    assert_eq!(serde_json::from_value::<Tacho>(all[1].body.clone()).unwrap(), tacho);
    assert_eq!((all[2].reason.as_str(), all[2].who.as_str()), ("counted a third time", "Ada"));
    let sensitivity = Sensitivity::new(2.0, "V/V", Quantity::Voltage).unwrap();
    store.correct(run, 1, &sensitivity, "a divider", "Ada").await.unwrap();
    assert_eq!(store.corrected(run).await.unwrap(), 5);
    assert!(matches!(store.put_right(-1, &cell("x"), None, "x", "x").await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn a_result_of_a_file_belongs_to_no_run_and_is_never_stale() {
    let (store, campaign, run) = open_run("of a file").await;
    let recipe = json!({ "lens": "brought", "file": "plate.uff", "sha256": "ab12" });
    let body = json!({ "traces": [1] });
    let id = store.keep_result(&kept(campaign, "responses of plate", (&recipe, &body), &[])).await.unwrap();
    assert_eq!(
        store.keep_result(&kept(campaign, "responses of plate", (&recipe, &body), &[])).await.unwrap(),
        id,
        "the same file again"
    );
    let other = json!({ "lens": "brought", "file": "plate.uff", "sha256": "cd34" });
    assert_ne!(store.keep_result(&kept(campaign, "responses of plate", (&other, &body), &[])).await.unwrap(), id);
    let all = store.kept_results(campaign).await.unwrap();
    assert!(all.len() == 2 && all.iter().all(|r| !r.stale && r.run_id.is_none()), "{all:?}");
    let found = store.find(&format!("plate.uff {}", store.campaign(campaign).await.unwrap().name)).await.unwrap();
    assert_eq!(found.iter().map(|f| (f.run_id, f.campaign_id)).collect::<Vec<_>>(), [(None, campaign); 2]);
    // It goes along with the campaign, also twice under one name.
    let keys = store.result_keys(campaign).await.unwrap();
    let to = open_run("taken in").await.1;
    for key in &keys {
        store.lay_result(to, &store.result_record(*key).await.unwrap()).await.unwrap();
    }
    assert_eq!(store.kept_results(to).await.unwrap().len(), 2);
    store.delete_run(run).await.unwrap();
    assert_eq!(store.kept_results(campaign).await.unwrap().len(), 2, "no run takes it along");
}

#[tokio::test]
async fn a_result_is_stale_once_something_was_put_right() {
    let (store, campaign, run) = open_run("results").await;
    let (recipe, body) = (json!({ "lens": "spectrum" }), json!({ "traces": [1, 2, 3] }));
    let corrected = store.corrected(run).await.unwrap();
    let id = store.keep_result(&kept(campaign, "mesh", (&recipe, &body), &[Input::run(run, corrected)])).await.unwrap();
    let other =
        store.keep_result(&kept(campaign, "axle", (&recipe, &body), &[Input::run(run, corrected)])).await.unwrap();
    let names = async || -> Vec<(String, bool)> {
        store.kept_results(campaign).await.unwrap().into_iter().map(|r| (r.name, r.stale)).collect()
    };
    assert_eq!(names().await, [("axle".into(), false), ("mesh".into(), false)]);
    store.put_right(run, &cell("frame 15"), None, "counted again", "Ada").await.unwrap();
    assert_eq!(names().await, [("axle".into(), true), ("mesh".into(), true)]);
    // Made again it keeps its key and takes the place of the old one.
    let newer = json!({ "traces": [4] });
    let corrected = store.corrected(run).await.unwrap();
    let inputs = [Input { stretch_s: Some((0.5, 2.0)), takes: vec![3, 4], ..Input::run(run, corrected) }];
    let again = NewResult { who: "Ben", ..kept(campaign, "mesh", (&recipe, &newer), &inputs) };
    assert_eq!(store.keep_result(&again).await.unwrap(), id);
    assert_eq!(store.result_inputs(id).await.unwrap(), inputs);
    assert_eq!(names().await, [("axle".into(), true), ("mesh".into(), false)]);
    assert_eq!(store.kept_result(id).await.unwrap(), newer);
    assert_eq!(store.kept_result(other).await.unwrap(), body);
    let mesh = store.kept_results(campaign).await.unwrap().swap_remove(1);
    assert_eq!((mesh.who.as_str(), mesh.run_id, mesh.run_number), ("Ben", Some(run), Some(1)));
    store.delete_result(other).await.unwrap();
    assert!(matches!(store.delete_result(other).await, Err(StoreError::Missing(_))));
    assert!(matches!(store.kept_result(other).await, Err(StoreError::Missing(_))));
    assert!(store.kept_results(campaign).await.unwrap().iter().all(|r| r.id != other));
    store.restore_result(other).await.unwrap();
    assert!(store.kept_results(campaign).await.unwrap().iter().any(|r| r.id == other));
    assert!(matches!(store.restore_result(other).await, Err(StoreError::Missing(_))), "nothing to bring back");
    store.delete_result(other).await.unwrap();
    assert!(matches!(store.kept_result(other).await, Err(StoreError::Missing(_))));
    // With its run everything goes.
    store.delete_run(run).await.unwrap();
    assert!(store.kept_results(campaign).await.unwrap().is_empty());
}

#[tokio::test]
async fn a_result_of_many_runs_outlives_one_of_them_as_stale() {
    let (store, campaign, first) = open_run("many").await;
    let second = open_another(&store, campaign).await;
    let (recipe, body) = (json!({ "lens": "spectrum" }), json!({}));
    let input = async |run| Input::run(run, store.corrected(run).await.unwrap());
    let both = [input(first).await, input(second).await];
    let of_both = store.keep_result(&kept(campaign, "both", (&recipe, &body), &both)).await.unwrap();
    let other = Input { run_id: None, other_id: Some(of_both), ..Input::run(0, 0) };
    let made_of_it = store.keep_result(&kept(campaign, "mean", (&recipe, &body), &[other])).await.unwrap();
    let stale = async |id: i64| {
        let all = store.kept_results(campaign).await.unwrap();
        all.into_iter().find(|r| r.id == id).map(|r| (r.runs, r.stale))
    };
    assert_eq!(stale(of_both).await, Some((vec![first, second], false)));
    assert_eq!(stale(made_of_it).await, Some((vec![], false)));
    // One of a name stands for the same runs only.
    let alone = store.keep_result(&kept(campaign, "both", (&recipe, &body), &both[..1])).await.unwrap();
    assert_ne!(alone, of_both);
    store.put_right(second, &cell("frame 15"), None, "counted again", "Ada").await.unwrap();
    assert_eq!(stale(of_both).await, Some((vec![first, second], true)));
    store.delete_run(first).await.unwrap();
    assert_eq!((stale(of_both).await, stale(alone).await), (Some((vec![second], true)), None));
}

#[tokio::test]
async fn formulas_and_notes_are_kept_with_who_set_them() {
    let (store, campaign, run) = open_run("notes").await;
    assert!(store.math(campaign).await.unwrap().is_empty());
    let math = vec![MathChannel { name: "twist".into(), is: "c1 - c2".into() }];
    store.save_math(campaign, None, &math, "Ada").await.unwrap();
    let late = store.save_math(campaign, Some(1), &[], "Bo").await;
    assert!(matches!(late, Err(StoreError::Stale("computed channels", 2))), "{late:?}");
    assert_eq!(store.math(campaign).await.unwrap(), math);
    let change = store.changes(campaign, 5).await.unwrap().swap_remove(0);
    assert_eq!((change.what.as_str(), change.who.as_str()), ("computed channels", "Ada"));
    assert_eq!(change.detail["to"][0]["is"], "c1 - c2");
    assert!(matches!(store.math(-1).await, Err(StoreError::Missing(_))));

    let note = |place: f64, says: &str| Note {
        id: 0,
        lens: "spectrum".into(),
        axis: "frequency".into(),
        place,
        unit: "Hz".into(),
        channel: Some(1),
        says: says.into(),
        who: "Ben".into(),
        at: Utc::now(),
    };
    let first = store.note(run, &note(582.8, "mesh")).await.unwrap();
    store.note(run, &note(44.8, "shaft")).await.unwrap();
    let told: Vec<(f64, String)> = store.notes(run).await.unwrap().into_iter().map(|n| (n.place, n.says)).collect();
    assert_eq!(told, [(582.8, "mesh".into()), (44.8, "shaft".into())]);
    store.drop_note(run, first).await.unwrap();
    assert!(matches!(store.drop_note(run, first).await, Err(StoreError::Missing(_))));
    assert_eq!(store.notes(run).await.unwrap().len(), 1);
    assert!(matches!(store.note(-1, &note(1.0, "x")).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn chunks_that_stay_unpacked_give_what_is_stored() {
    let (store, _, run) = open_run("unpacked").await;
    let counts = |seed: i32, n: i32| (0..n).map(|i| (i * seed) % 1009).collect::<Vec<i32>>();
    let (a, b) = (counts(7, 5000), counts(11, 3000));
    let chunks = [pack(1, 0, &a, true).unwrap(), pack(1, 5000, &b, false).unwrap()];
    store.append(run, &chunks, &[], false).await.unwrap();
    let all: Vec<Option<i32>> = a.iter().chain(&b).map(|x| Some(*x)).collect();
    for _ in 0..2 {
        assert_eq!(store.counts(run, 1, 0, 8000).await.unwrap(), all);
        assert_eq!(store.counts(run, 1, 4990, 20).await.unwrap(), all[4990..5010]);
        // Beyond the end nothing was recorded.
        let end = store.counts(run, 1, 7999, 3).await.unwrap();
        assert_eq!(end, [all[7999], None, None]);
    }
    // Written anew, a chunk is read anew.
    let other = counts(13, 3000);
    store.append(run, &[pack(1, 5000, &other, false).unwrap()], &[], true).await.unwrap();
    assert_eq!(store.counts(run, 1, 5000, 3000).await.unwrap(), other.iter().map(|x| Some(*x)).collect::<Vec<_>>());
    assert_eq!(store.clipped_stretches(run, 10).await.unwrap(), [(1, 0, 5000)]);
}

#[tokio::test]
async fn words_find_runs_results_and_channels() {
    let (store, campaign, run) = open_run("finding").await;
    // What the campaign is called is there once, so that other tests' runs are not found.
    let name = store.campaigns().await.unwrap().into_iter().find(|c| c.id == campaign).unwrap().name;
    let stamp = name.split(' ').next_back().unwrap().to_string();
    let corrected = store.corrected(run).await.unwrap();
    let (recipe, body) = (json!({ "lens": "order_map" }), json!({}));
    store
        .keep_result(&kept(campaign, "100 % mesh_line", (&recipe, &body), &[Input::run(run, corrected)]))
        .await
        .unwrap();
    let found = async |words: &str| -> Vec<(String, String)> {
        let all = store.find(&format!("{stamp} {words}")).await.unwrap();
        assert!(all.iter().all(|f| f.run_id == Some(run) && f.run_number == Some(1) && f.campaign == name));
        all.into_iter().map(|f| (f.what, f.name)).collect()
    };
    let (of_run, of_result) = (("run".to_string(), "test".to_string()), ("result".into(), "100 % mesh_line".into()));
    assert_eq!(found("").await, [of_run.clone(), of_result.clone()], "its channel is not named by that");
    assert_eq!(found("RUN 1").await.first(), Some(&of_run));
    assert_eq!(found("order_map").await, std::slice::from_ref(&of_result));
    assert_eq!(found("channel 1").await, [("channel".to_string(), "channel 1".to_string())]);
    let today = Utc::now().format("%Y-%m-%d").to_string();
    assert_eq!(found(&today).await.first(), Some(&of_run));
    // Signs that mean something in a pattern are looked for as they are.
    assert_eq!(found("100 %").await, std::slice::from_ref(&of_result));
    assert_eq!(found("mesh_line").await, [of_result]);
    assert!(found("mesh%line").await.is_empty() && found("meshxline").await.is_empty());
    assert!(found("'; DROP TABLE run; --").await.is_empty());
    assert!(store.find("  ").await.unwrap().is_empty());
}
