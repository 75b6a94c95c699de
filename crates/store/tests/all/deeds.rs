//! What is done by itself: noticed once, done in order, and over when it is over.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::{QUEUE, apart, open_another, open_run_at};
use chrono::Utc;
use echo_job::impact::ImpactPlan;
use echo_job::plan::Rounds;
use echo_store::deed::Untended;
use echo_store::schedule::Round;
use echo_store::state::{PartState, RoundState, ScheduleState};
use serde_json::json;

#[tokio::test]
async fn what_ended_is_looked_at_once_and_a_round_waits_until_it_is_measured() {
    // What is done reaches over a whole database.
    let (store, campaign, run) = open_run_at(&apart().await, "deeds").await;
    let of_runs = async || {
        let all = store.untended().await.unwrap();
        all.into_iter()
            .filter_map(|e| match e.what {
                Untended::Run { id, round, tap, first } => Some((id, round, tap, first)),
                _ => None,
            })
            .collect::<Vec<_>>()
    };
    assert!(of_runs().await.is_empty(), "it is still recorded");
    store.close_run(run, 5000, true, "test").await.unwrap();
    assert_eq!(of_runs().await, [(run, None, false, true)]);
    let ended = store.untended().await.unwrap()[0];
    let deeds = [json!({ "do": "report" }), json!({ "do": "report", "name": "second" })];
    store.tend(&ended, "run", &deeds).await.unwrap();
    store.tend(&ended, "run", &deeds).await.unwrap();
    assert_eq!(store.open_deeds().await.unwrap().len(), 2, "once, whoever looks");
    assert!(store.untended().await.unwrap().is_empty());

    // A run while a round is measured may be that round's.
    let rounds: Rounds = serde_json::from_value(json!({ "every_s": 10.0, "length_s": 1.0, "count": 1 })).unwrap();
    let schedule = store.start_schedule(campaign, &rounds, &Default::default(), "test").await.unwrap();
    let mut round = Round {
        number: 1,
        due_at: Utc::now(),
        state: RoundState::Going,
        says: String::new(),
        run_id: None,
        measured: Vec::new(),
    };
    store.write_round(schedule.id, &round).await.unwrap();
    let second = open_another(&store, campaign).await;
    store.close_run(second, 100, true, "test").await.unwrap();
    assert!(of_runs().await.is_empty(), "it is not known yet whose it is");
    (round.state, round.run_id) = (RoundState::Done, Some(second));
    store.write_round(schedule.id, &round).await.unwrap();
    assert_eq!(of_runs().await, [(second, Some(1), false, true)]);
    store.end_schedule(schedule.id, ScheduleState::Done).await.unwrap();
    let schedules = |all: Vec<echo_store::deed::Ended>| {
        all.into_iter().filter(|e| matches!(e.what, Untended::Schedule { .. })).count()
    };
    assert_eq!(schedules(store.untended().await.unwrap()), 1);

    // A series is looked at for as long as somebody hits, and a run of it is known as such.
    let points = json!([{ "point": "1", "direction": "z" }]);
    let plan: ImpactPlan = serde_json::from_value(json!({ "roving": "hammer", "force": 1, "points": points, "hits": 1,
        "accept": "itself", "level_n": 20.0, "pre_s": 0.01, "length_s": 0.5, "band_hz": [10.0, 500.0],
        "least_coherence": 0.9 }))
    .unwrap();
    let series = store.begin_series(campaign, &plan, "test").await.unwrap();
    let third = open_another(&store, campaign).await;
    store.add_series_run(series, third).await.unwrap();
    store.close_run(third, 100, false, "test").await.unwrap();
    assert!(of_runs().await.contains(&(third, None, true, true)));
    let all = store.untended().await.unwrap();
    assert!(all.iter().any(|e| matches!(e.what, Untended::Series { id, .. } if id == series)), "{all:?}");
}

#[tokio::test]
async fn a_deed_begins_with_its_job_and_ends_once() {
    let (store, campaign, run) = open_run_at(&apart().await, "deed").await;
    sqlx::raw_sql(QUEUE).execute(&store.queue_pool()).await.unwrap();
    store.close_run(run, 5000, true, "test").await.unwrap();
    let ended = store.untended().await.unwrap()[0];
    store.tend(&ended, "run", &[json!({ "do": "file" })]).await.unwrap();
    let deed = store.open_deeds().await.unwrap().remove(0);
    assert_eq!((deed.state, deed.run_id, deed.job_id), (PartState::Waiting, Some(run), None));
    store.begin_deed(&deed, (json!({ "make": "report" }), 0), "test").await.unwrap();
    let going = store.deed(deed.id).await.unwrap();
    let job = going.job_id.unwrap();
    assert_eq!((going.state, store.job_parts(job).await.unwrap().len()), (PartState::Going, 1));
    // A job that was let go while the server was down is begun anew, once.
    assert_eq!(store.forget_jobs(0).await.unwrap(), 0, "it still waits");
    sqlx::query("DELETE FROM job WHERE id = $1").bind(job).execute(&store.queue_pool()).await.unwrap();
    let lost = store.deed(deed.id).await.unwrap();
    assert_eq!((lost.state, lost.job_id), (PartState::Going, None));
    store.begin_deed(&lost, (json!({ "make": "report" }), 0), "test").await.unwrap();
    assert!(store.deed(deed.id).await.unwrap().job_id.is_some_and(|again| again != job));
    store.place_deed(deed.id, "a/b.pdf").await.unwrap();
    store.end_deed(deed.id, PartState::Refused, "the disk is full").await.unwrap();
    store.end_deed(deed.id, PartState::Done, "").await.unwrap();
    let over = store.deed(deed.id).await.unwrap();
    assert_eq!(
        (over.state, over.says.as_str(), over.path.as_str()),
        (PartState::Refused, "the disk is full", "a/b.pdf")
    );
    // What is over begins no job.
    store.begin_deed(&over, (json!({ "make": "report" }), 0), "test").await.unwrap();
    assert_eq!(store.deed(deed.id).await.unwrap().job_id, over.job_id);
    store.retry_deed(deed.id).await.unwrap();
    let again = store.deed(deed.id).await.unwrap();
    assert_eq!((again.state, again.job_id, again.path.as_str()), (PartState::Waiting, None, ""));
    // What was stopped goes on with its job, once.
    assert!(!store.resume_deed(deed.id).await.unwrap(), "it was not stopped");
    store.begin_deed(&again, (json!({ "make": "report" }), 0), "test").await.unwrap();
    store.end_deed(deed.id, PartState::Stopped, "").await.unwrap();
    assert!(store.resume_deed(deed.id).await.unwrap());
    let on = store.deed(deed.id).await.unwrap();
    assert!(on.state == PartState::Going && on.job_id.is_some() && on.ended_at.is_none(), "{on:?}");
    store.end_deed(deed.id, PartState::Done, "").await.unwrap();
    store.retry_deed(deed.id).await.unwrap();
    assert_eq!(store.deed(deed.id).await.unwrap().state, PartState::Done, "what is done stays done");
    // The list outlives the run, and knows that it is gone.
    store.delete_run(run).await.unwrap();
    let list = store.deeds(campaign, 10).await.unwrap();
    assert_eq!((list.len(), list[0].run_id, list[0].number), (1, None, 1));
}

#[tokio::test]
async fn what_stands_over_reports_is_kept_part_by_part() {
    let store = open_run_at(&apart().await, "house").await.0;
    assert_eq!(store.house().await.unwrap(), Default::default());
    store.save_house_logo(Some(&[1, 2]), "test").await.unwrap();
    store.save_house_lines(&["Harbour laboratory".into()], "test").await.unwrap();
    let house = store.house().await.unwrap();
    assert_eq!((house.lines.len(), house.logo), (1, Some(vec![1, 2])));
    store.save_house_logo(None, "test").await.unwrap();
    let house = store.house().await.unwrap();
    assert_eq!((house.lines[0].as_str(), house.logo), ("Harbour laboratory", None));
    store.save_house_units(&["g".into(), "mm/s".into()], "test").await.unwrap();
    store.save_house_lines(&[], "test").await.unwrap();
    assert_eq!(store.house().await.unwrap().units, ["g", "mm/s"], "each by itself");
}
