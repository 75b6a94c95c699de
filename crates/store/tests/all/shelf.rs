//! Campaigns on the shelf, runs of the list, people, files that are sent.

use crate::common::{apart, channel, open_another, open_run, open_run_at};
use chrono::{Duration, Utc};
use echo_job::plan::Plan;
use echo_job::rig::Rig;
use echo_job::role::Role;
use echo_store::result::{Input, NewResult};
use echo_store::run::Brought;
use echo_store::run_list::Description;
use echo_store::shelf::Begun;
use echo_store::{Store, StoreError};
use serde_json::json;

fn unique(name: &str) -> String {
    format!("{name} {}", Utc::now().timestamp_nanos_opt().unwrap())
}

async fn begun(store: &Store, name: &str, after: Option<i64>) -> echo_store::Result<i64> {
    let rig = Rig { name: "test".into(), channels: vec![channel(1)] };
    let plan = Plan::default();
    let new = Begun { name, specimen: "ramp", purpose: "", rig: &rig, plan: &plan, after, who: "Ines" };
    store.begin_campaign(&new).await
}

/// A closed run of a new campaign.
async fn closed(name: &str) -> (Store, i64, i64) {
    let (store, campaign, run) = open_run(name).await;
    store.close_run(run, 1000, true, "test").await.unwrap();
    (store, campaign, run)
}

#[tokio::test]
async fn a_name_is_used_once_and_free_again_when_its_campaign_is_deleted() {
    let (store, ..) = open_run("names").await;
    let name = unique("ramp");
    let first = begun(&store, &name, None).await.unwrap();
    assert!(matches!(begun(&store, &name, None).await, Err(StoreError::Refused(_))), "it is used");
    store.delete_campaign(first, "Ines").await.unwrap();
    assert!(matches!(store.campaign(first).await, Err(StoreError::Missing(_))));
    let second = begun(&store, &name, None).await.unwrap();
    assert!(matches!(store.restore_campaign(first, "Ines").await, Err(StoreError::Refused(_))), "its name is taken");
    store.delete_campaign(second, "Ines").await.unwrap();
    store.restore_campaign(first, "Ines").await.unwrap();
    assert_eq!(store.campaign(first).await.unwrap().name, name);
    let done: Vec<String> = store.changes(first, 10).await.unwrap().into_iter().map(|c| c.what).collect();
    assert_eq!(done, ["brought back", "deleted", "begun"]);
}

#[tokio::test]
async fn a_campaign_takes_over_what_another_one_has_but_its_runs_and_findings() {
    let (store, campaign, run) = closed("after").await;
    let recipe = echo_job::recipe::Recipe::from_json(r#"{"lens": "statistics"}"#).unwrap();
    store.keep_recipe(campaign, "quiet", &recipe).await.unwrap();
    store.save_machine(campaign, None, &json!({ "elements": ["shaft"] }), "Ines").await.unwrap();
    let report = json!({ "title": "Ramp", "findings": "it knocks", "run_id": run });
    store.save_report(campaign, None, &report).await.unwrap();
    let copy = begun(&store, &unique("after"), Some(campaign)).await.unwrap();
    assert_eq!(store.recipes(copy).await.unwrap()[0].0, "quiet");
    assert_eq!(store.machine(copy).await.unwrap().0, json!({ "elements": ["shaft"] }));
    let copied = store.report(copy).await.unwrap().0.unwrap();
    assert_eq!((&copied["title"], &copied["run_id"]), (&json!("Ramp"), &json!(null)));
    assert!(!copied.to_string().contains("it knocks") && copied["blocks"].as_array().unwrap().len() > 5, "{copied}");
    assert!(store.runs(copy).await.unwrap().is_empty());
    assert!(matches!(begun(&store, &unique("x"), Some(-1)).await, Err(StoreError::Missing(_))));
    let shelf = store.shelf().await.unwrap();
    let of = |id| shelf.iter().find(|c| c.id == id).unwrap();
    assert_eq!((of(campaign).runs, of(copy).runs, of(copy).channels), (1, 0, 1));
    assert_eq!(of(copy).people, ["Ines"]);
    store.archive_campaign(copy, true, "Ines").await.unwrap();
    assert!(store.looked_at().await.unwrap().iter().all(|l| l.campaign != copy), "what is put away is not looked at");
    store.rename_campaign(copy, ("", "", ""), "Ines").await.unwrap();
}

#[tokio::test]
async fn what_was_deleted_goes_when_its_day_is_over() {
    let (store, campaign, run) = closed("sweep").await;
    let kept = open_another(&store, campaign).await;
    store.close_run(kept, 10, true, "test").await.unwrap();
    store.put_run_away(run, "Ines").await.unwrap();
    store.sweep().await.unwrap();
    assert_eq!(store.deleted_runs(campaign).await.unwrap()[0].id, run, "its day is not over");
    let gone_at = store.deleted_runs(campaign).await.unwrap()[0].gone_at;
    assert!(gone_at > Utc::now() + Duration::hours(23) && gone_at < Utc::now() + Duration::hours(25));
    assert!(matches!(store.run(run).await, Err(StoreError::Missing(_))));
    assert_eq!(store.runs(campaign).await.unwrap().len(), 1);
    store.bring_run_back(run, "Tam").await.unwrap();
    assert!(matches!(store.bring_run_back(run, "Tam").await, Err(StoreError::Missing(_))), "it is back already");
    assert_eq!(store.run(run).await.unwrap().number, 1);
}

#[tokio::test]
async fn runs_that_were_recorded_together_move_together() {
    let (store, campaign, first) = closed("move").await;
    let mut ids = vec![first];
    for _ in 0..2 {
        let new = echo_store::run::NewRun {
            campaign,
            kind: "slow".into(),
            sample_rate_hz: 1024.0,
            clean_share: 0.4,
            front_end: "Test".into(),
            rig: Rig { name: "test".into(), channels: vec![channel(1)] },
            plan: Plan::default(),
            recorder: "slow".into(),
            together: Some(first),
            divide: 50,
            who: "Tam".into(),
            brought: None,
            channels: vec![(channel(1), 1e-6)],
        };
        let run = store.open_run(&new).await.unwrap().id;
        store.close_run(run, 20, true, "test").await.unwrap();
        ids.push(run);
    }
    let alone = open_another(&store, campaign).await;
    let (recipe, body) = (json!({ "lens": "statistics" }), json!({}));
    let keep = async |name: &str, inputs: &[Input]| {
        let new = NewResult { campaign, name, recipe: &recipe, body: &body, inputs, who: "Tam" };
        store.keep_result(&new).await.unwrap()
    };
    let own = keep("own", &[Input::run(ids[1], 0)]).await;
    let mixed = keep("mixed", &[Input::run(ids[1], 0), Input::run(alone, 0)]).await;
    let to = begun(&store, &unique("move to"), None).await.unwrap();
    // One that is recorded holds nothing up that it does not belong to.
    store.move_run(ids[2], to, "Ines").await.unwrap();
    let there = store.runs(to).await.unwrap();
    assert_eq!(there.iter().map(|r| (r.id, r.number)).collect::<Vec<_>>(), [(ids[0], 1), (ids[1], 2), (ids[2], 3)]);
    assert_eq!(there[1].who, "Tam");
    assert_eq!(store.runs(campaign).await.unwrap().iter().map(|r| r.id).collect::<Vec<_>>(), [alone]);
    let names = async |id| store.kept_results(id).await.unwrap().into_iter().map(|k| k.id).collect::<Vec<_>>();
    assert_eq!((names(to).await, names(campaign).await), (vec![own], vec![mixed]));
    assert!(matches!(store.move_run(alone, to, "Ines").await, Err(StoreError::Refused(_))), "it is recorded still");
    assert!(matches!(store.put_run_away(alone, "Ines").await, Err(StoreError::Refused(_))));
    store.move_run(ids[0], to, "Ines").await.unwrap();
    assert_eq!(store.run(ids[0]).await.unwrap().number, 1, "where it is already it keeps its number");
}

#[tokio::test]
async fn a_run_that_is_brought_in_is_out_of_sight_until_it_is_whole() {
    let (store, campaign, first) = open_run_at(&apart().await, "brought").await;
    store.close_run(first, 1000, true, "test").await.unwrap();
    let tags = vec!["loud".to_string()];
    store.describe_run(first, &Description { kind: "a", remark: "b\nc", tags: &tags }, "Ines").await.unwrap();
    let told = store.run(first).await.unwrap();
    assert_eq!((told.kind.as_str(), told.remark.as_str(), told.tags), ("a", "b\nc", tags));
    let brought =
        Brought { file: "ramp.csv".into(), sha256: "0".repeat(64), kind: "CSV".into(), said: vec!["x".into()] };
    let new = echo_store::run::NewRun {
        campaign,
        kind: "ramp".into(),
        sample_rate_hz: 1000.0,
        clean_share: 0.4,
        front_end: String::new(),
        rig: Rig { name: "test".into(), channels: vec![channel(1)] },
        plan: Plan::default(),
        recorder: String::new(),
        together: None,
        divide: 1,
        who: "Tam".into(),
        brought: Some(brought.clone()),
        channels: vec![(channel(1), 1.0)],
    };
    let run = store.open_run(&new).await.unwrap().id;
    assert!(store.run(run).await.is_err() && store.runs(campaign).await.unwrap().len() == 1);
    assert!(store.deleted_runs(campaign).await.unwrap().is_empty(), "it is not deleted either");
    store.recover().await.unwrap();
    let at = Utc::now() - Duration::days(400);
    store.date_run(run, at).await.unwrap();
    store.close_run(run, 5, true, "brought in").await.unwrap();
    let told = store.run(run).await.unwrap();
    assert_eq!(told.brought.map(|b| b.0), Some(brought));
    assert!((told.started_at - at).num_milliseconds().abs() < 5);
    let counted = store.counted_runs(campaign).await.unwrap();
    assert_eq!(counted.iter().map(|c| (c.channels, c.takes)).collect::<Vec<_>>(), [(1, 0), (1, 0)]);
}

#[tokio::test]
async fn people_are_known_by_their_names_in_any_case() {
    let (store, ..) = open_run("people").await;
    let name = unique("Inès");
    let id = store.add_person(&name, Role::Work, "$argon2id$x", "console").await.unwrap();
    assert!(store.add_person(&name.to_uppercase(), Role::Own, "y", "console").await.is_err());
    store.change_person(id, Some(Role::Measure), None).await.unwrap();
    let find = async || store.people().await.unwrap().into_iter().find(|p| p.id == id);
    let person = find().await.unwrap();
    assert_eq!((person.role, person.secret.as_str()), (Role::Measure, "$argon2id$x"));
    store.change_person(id, None, Some("z")).await.unwrap();
    assert_eq!(find().await.unwrap().secret, "z");
    store.remove_person(id).await.unwrap();
    assert!(find().await.is_none());
    assert!(matches!(store.change_person(id, Some(Role::Own), None).await, Err(StoreError::Missing(_))));
    store.add_person(&name, Role::Watch, "x", "console").await.unwrap();

    store.count_wrong_password(&name).await.unwrap();
    store.count_wrong_password(&name.to_uppercase()).await.unwrap();
    assert_eq!(store.wrong_passwords(&name).await.unwrap().map(|w| w.0), Some(2));
    store.forget_wrong_passwords(&name).await.unwrap();
    assert_eq!(store.wrong_passwords(&name).await.unwrap(), None);
}

#[tokio::test]
async fn tokens_and_sessions_end() {
    let (store, ..) = open_run("tokens").await;
    let (name, hour) = (unique("nightly"), Duration::hours(1));
    let hash = |t: &str| format!("{name} {t}").into_bytes();
    let id = store.add_token(&name, &hash("a"), Role::Watch, "Oda", Utc::now() + hour).await.unwrap();
    assert_eq!(store.by_token(&hash("a")).await.unwrap(), Some((name.clone(), Role::Watch)));
    assert_eq!(store.by_token(&hash("b")).await.unwrap(), None);
    let told = store.tokens().await.unwrap().into_iter().find(|t| t.id == id).unwrap();
    assert!(told.used_at.is_some() && told.made_by == "Oda");
    store.add_token(&name, &hash("old"), Role::Own, "Oda", Utc::now() - hour).await.unwrap();
    assert_eq!(store.by_token(&hash("old")).await.unwrap(), None, "it has ended");
    store.remove_token(id).await.unwrap();
    assert!(matches!(store.remove_token(id).await, Err(StoreError::Missing(_))));

    store.keep_session(&name, "{\"a\": 1}", Utc::now() + hour).await.unwrap();
    store.keep_session(&name, "{\"a\": 2}", Utc::now() + hour).await.unwrap();
    assert_eq!(store.session(&name).await.unwrap().as_deref(), Some("{\"a\": 2}"));
    store.keep_session(&name, "{}", Utc::now() - hour).await.unwrap();
    assert_eq!(store.session(&name).await.unwrap(), None, "it has ended");
    store.drop_session(&name).await.unwrap();
}

#[tokio::test]
async fn a_file_that_is_sent_is_there_when_it_is_whole() {
    let (store, ..) = open_run("files").await;
    let id = store.begin_upload("ramp \"loud\".csv", "Ines").await.unwrap();
    store.write_upload(id, 0, b"t,a\n").await.unwrap();
    store.write_upload(id, 1, b"0,1\n").await.unwrap();
    assert!(matches!(store.upload(id).await, Err(StoreError::Missing(_))), "it is being sent");
    store.end_upload(id, 8, "ab").await.unwrap();
    let told = store.upload(id).await.unwrap();
    assert_eq!((told.name.as_str(), told.bytes, told.sha256.as_str()), ("ramp \"loud\".csv", 8, "ab"));
    assert_eq!(store.upload_piece(id, 1).await.unwrap().as_deref(), Some(&b"0,1\n"[..]));
    assert_eq!(store.upload_piece(id, 2).await.unwrap(), None);
    store.drop_upload(id).await.unwrap();
    assert_eq!(store.upload_piece(id, 0).await.unwrap(), None);
}

#[tokio::test]
async fn a_record_that_is_none_is_refused_and_leaves_nothing() {
    let (store, campaign, run) = closed("records").await;
    let mut record = store.campaign_record(campaign).await.unwrap();
    assert_eq!(record["specimen"], "");
    let laid = store.lay_campaign(&unique("laid"), &record).await.unwrap();
    assert!(store.campaign(laid).await.is_err(), "out of sight until it is shown");
    let told = store.run_record(run).await.unwrap();
    let copy = store.lay_run(laid, &told).await.unwrap();
    store.laid_run(copy).await.unwrap();
    store.show_campaign(laid, &record).await.unwrap();
    let mut again = store.run_record(copy).await.unwrap();
    // The database tells its own moment of laying nowhere: all of it is as it was.
    assert_eq!(again, told);
    again["channels"] = json!([{ "channel": "seven" }]);
    assert!(store.lay_run(laid, &again).await.is_err());
    assert_eq!(store.runs(laid).await.unwrap().len(), 1, "nothing half-made");
    record["rig"] = json!(null);
    assert!(store.lay_campaign(&unique("none"), &record).await.is_err());
    store.drop_laid(laid).await.unwrap();
    assert!(store.campaign(laid).await.is_ok(), "what is shown is not dropped");
}
