//! Tap series and responses in a real database: written, read, handed over.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::open_run;
use chrono::Utc;
use echo_job::dof::Dof;
use echo_job::impact::{Act, Flaw, HitState, HitVerdict, ImpactPlan, ImpactSession, Quality};
use echo_store::StoreError;
use echo_store::function::{Function, FunctionHead, HitOf};
use echo_store::take::StoredTake;
use serde_json::json;

fn plan() -> ImpactPlan {
    let points = ["1", "2"].map(|p| json!({ "point": p, "direction": "z" }));
    serde_json::from_value(json!({ "roving": "hammer", "force": 1, "points": points, "hits": 1, "accept": "itself",
        "level_n": 20.0, "pre_s": 0.01, "length_s": 0.5, "band_hz": [10.0, 500.0], "least_coherence": 0.9 }))
    .unwrap()
}

fn verdict(flaws: Vec<Flaw>) -> HitVerdict {
    HitVerdict { peak_n: 212.5, peak_s: 0.01, excited_to_hz: 900.0, ringing: 0.002, answer: 0.1, flaws }
}

fn function(series: i64, run: i64, (to, stays): (&str, bool)) -> Function {
    let head = FunctionHead {
        id: 0,
        series: Some(series),
        point: 1,
        stays,
        source: String::new(),
        response: Dof::read(to, "-z").unwrap(),
        reference: Dof::read("2", "z").unwrap(),
        unit: "(m/s²)/N".into(),
        first_hz: 0.0,
        step_hz: 2.0,
        lines: 3,
        quality: Quality { coherence: Some(0.97), peak_hz: 58.3, peak: 0.0, turns: false, hits: 1, random_error: None },
        hits: vec![HitOf { run, take: 1 }],
        added_decay: 0.0,
        taken_out: false,
        who: "Ada".into(),
        made_at: Utc::now(),
    };
    Function { head, parts: vec![0.1, -0.2, 1e-300, 3.0, f64::MAX, 0.0], coherence: Some(vec![1.0, 0.5, 0.25]) }
}

#[tokio::test]
async fn a_series_is_read_as_it_was_written_and_nobody_writes_over_another() {
    let (store, campaign, run) = open_run("taps").await;
    let id = store.begin_series(campaign, &plan(), "Ada").await.unwrap();
    let first = store.series(id).await.unwrap();
    assert_eq!((first.number, first.session.clone()), (1, ImpactSession::new(plan()).unwrap()));
    let mut session = first.session.clone();
    session.hit(run, 1, verdict(vec![Flaw::DoubleHit { after_s: 0.018, share: 0.4 }])).unwrap();
    session.hit(run, 2, verdict(Vec::new())).unwrap();
    session.act(Act::Skip).unwrap();
    let version = store.write_series(id, first.version, &session).await.unwrap();
    store.add_series_run(id, run).await.unwrap();
    let read = store.series(id).await.unwrap();
    assert_eq!((&read.session, read.version, &read.runs), (&session, version, &vec![run]));
    let stale = store.write_series(id, first.version, &session).await.unwrap_err();
    assert!(matches!(stale, StoreError::Stale(_, v) if v == version), "{stale}");
    let mut later = read.session.clone();
    later.act(Act::Decide { hit: 1, counts: false }).unwrap();
    store.write_series(id, version, &later).await.unwrap();
    assert_eq!(store.series(id).await.unwrap().session.hits()[1].state, HitState::Rejected);
    let all = store.all_series(campaign).await.unwrap();
    assert_eq!((all.len(), all[0].points, all[0].hits), (1, 2, 2));
    store.delete_series(id).await.unwrap();
    assert!(matches!(store.series(id).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn responses_are_kept_point_by_point_and_what_is_taken_out_stays_out() {
    let (store, campaign, run) = open_run("responses").await;
    let id = store.begin_series(campaign, &plan(), "Ada").await.unwrap();
    // The same pair from a sensor that goes and from one that stays.
    let both = [function(id, run, ("3", false)), function(id, run, ("3", true)), function(id, run, ("4", false))];
    store.keep_functions(campaign, id, 1, &both).await.unwrap();
    let heads = store.function_heads(campaign).await.unwrap();
    assert_eq!(heads.iter().map(|h| h.stays).collect::<Vec<_>>(), [false, false, true]);
    let values = store.function_values(&[heads[0].id]).await.unwrap();
    assert_eq!((&values[0].1, &values[0].2), (&both[0].parts, &both[0].coherence));
    assert_eq!(store.take_functions(campaign, &[heads[1].id], true).await.unwrap(), 1);
    store.keep_functions(campaign, id, 1, &both).await.unwrap();
    let out: Vec<String> = store
        .function_heads(campaign)
        .await
        .unwrap()
        .iter()
        .filter(|h| h.taken_out)
        .map(|h| h.response.to_string())
        .collect();
    assert_eq!(out, ["4 −z"]);
    let refused = store.delete_functions(campaign, &[heads[0].id]).await.unwrap_err();
    assert!(refused.to_string().contains("belong to its hits"), "{refused}");
    let brought = Function {
        head: FunctionHead { series: None, source: "plate.uff".into(), point: 0, ..both[0].head.clone() },
        ..both[0].clone()
    };
    for _ in 0..2 {
        store.keep_brought_functions(campaign, "plate.uff", std::slice::from_ref(&brought)).await.unwrap();
    }
    let heads = store.function_heads(campaign).await.unwrap();
    let of_file: Vec<i64> = heads.iter().filter(|h| h.series.is_none()).map(|h| h.id).collect();
    assert_eq!(of_file.len(), 1, "the same file again takes the place of what it had");
    store.delete_functions(campaign, &of_file).await.unwrap();
    store.keep_functions(campaign, id, 1, &[]).await.unwrap();
    assert!(store.function_heads(campaign).await.unwrap().is_empty());
}

#[tokio::test]
async fn series_and_responses_go_along_with_their_campaign() {
    let (store, campaign, run) = open_run("handed over").await;
    let take = StoredTake { number: 1, trigger_sample: 3, first_sample: 0, samples: Some(10), says: "hit".into() };
    store.write_takes(run, &[take]).await.unwrap();
    let id = store.begin_series(campaign, &plan(), "Ada").await.unwrap();
    let series = store.series(id).await.unwrap();
    let mut session = series.session.clone();
    session.hit(run, 1, verdict(Vec::new())).unwrap();
    store.write_series(id, series.version, &session).await.unwrap();
    store.add_series_run(id, run).await.unwrap();
    store.keep_functions(campaign, id, 1, &[function(id, run, ("3", false))]).await.unwrap();
    let brought = function(id, run, ("9", false));
    let head = FunctionHead { series: None, source: "plate.uff".into(), hits: Vec::new(), ..brought.head.clone() };
    let brought = Function { head, coherence: None, ..brought };
    store.keep_brought_functions(campaign, "plate.uff", &[brought]).await.unwrap();

    let (record, of_run) = (store.campaign_record(campaign).await.unwrap(), store.run_record(run).await.unwrap());
    let other = store.lay_campaign("another place", &record).await.unwrap();
    let laid = store.lay_run(other, &of_run).await.unwrap();
    store.show_campaign(other, &record).await.unwrap();
    let there = store.all_series(other).await.unwrap();
    let read = store.series(there[0].id).await.unwrap();
    assert_eq!((&read.runs, read.who.as_str()), (&vec![laid], "Ada"));
    let moved: Vec<_> = read.session.hits().iter().map(|h| (h.run, h.take, h.verdict.clone())).collect();
    assert_eq!(moved, [(laid, 1, verdict(Vec::new()))]);
    let heads = store.function_heads(other).await.unwrap();
    assert_eq!(heads.len(), 2);
    assert_eq!(heads[0].hits, [HitOf { run: laid, take: 1 }]);
    let values = store.function_values(&[heads[0].id, heads[1].id]).await.unwrap();
    assert_eq!((&values[0].1, values[1].2.is_none()), (&function(0, 0, ("3", false)).parts, true));
}
