//! Jobs: parts that are stopped and go on, and how far a file is.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::{QUEUE, apart, open_run_at};
use echo_store::StoreError;
use echo_store::job::{Came, Made, Mark, PIECE, PartKey};
use echo_store::state::PartState;
use serde_json::json;

#[tokio::test]
async fn what_was_stopped_waits_again_and_what_is_made_stays() {
    let (store, campaign, _) = open_run_at(&apart().await, "jobs").await;
    sqlx::raw_sql(QUEUE).execute(&store.queue_pool()).await.unwrap();
    let job = store.begin_job(Some(campaign), (&[json!(1), json!(2), json!(3)], 1), "test").await.unwrap();
    let part = |place| PartKey { job, place };
    assert_eq!(store.resume_job(job, 1).await.unwrap(), 0, "nothing of it was stopped");
    for place in [1, 2] {
        store.take_part(part(place), "worker").await.unwrap().unwrap();
    }
    store.end_part(part(1), "worker", &Came::Done(Made::default())).await.unwrap();
    assert!(store.tell_part(part(2), "worker", 0.25).await.unwrap());
    store.stop_job(job).await.unwrap();
    assert!(!store.tell_part(part(2), "worker", 0.5).await.unwrap(), "it hears of the stop");
    store.end_part(part(2), "worker", &Came::Stopped).await.unwrap();
    let at = async || {
        let parts = store.job_parts(job).await.unwrap();
        parts.into_iter().map(|p| (p.state, p.share)).collect::<Vec<_>>()
    };
    assert_eq!(at().await, [(PartState::Done, 1.0), (PartState::Stopped, 0.5), (PartState::Stopped, 0.0)]);
    assert_eq!(store.resume_job(job, 1).await.unwrap(), 2);
    assert_eq!(at().await[1..], [(PartState::Waiting, 0.5), (PartState::Waiting, 0.0)]);
    assert!(store.take_part(part(2), "another").await.unwrap().is_some());
    assert!(matches!(store.resume_job(job + 1, 1).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn a_file_is_gone_on_with_behind_its_mark_or_begun_anew() {
    let (store, campaign, _) = open_run_at(&apart().await, "marks").await;
    sqlx::raw_sql(QUEUE).execute(&store.queue_pool()).await.unwrap();
    let job = store.begin_job(Some(campaign), (&[json!(1)], 1), "test").await.unwrap();
    let key = PartKey { job, place: 1 };
    store.take_part(key, "worker").await.unwrap();
    assert_eq!(store.gone_on_from(key, 0).await.unwrap(), None);
    for piece in 0..4 {
        store.write_piece(key, piece, &[piece as u8]).await.unwrap();
    }
    let there = async || {
        let mut found = Vec::new();
        for piece in 0..4 {
            found.extend(store.piece(key, piece).await.unwrap().map(|_| piece));
        }
        found
    };
    let bytes = 2 * PIECE as u64 + 3;
    let mark = Mark { done: 4096, bytes, tail: vec![1, 2, 3], foot: vec![9] };
    store.write_mark(key, &Mark { done: 1, ..mark.clone() }, 0).await.unwrap();
    store.write_mark(key, &mark, 0).await.unwrap();
    // Another worker takes it: what lies behind the mark is written again, what lies before it stays.
    store.take_part(key, "another").await.unwrap();
    assert_eq!(store.gone_on_from(key, 0).await.unwrap(), Some(mark.clone()));
    assert_eq!(there().await, [0, 1]);
    // Something was put right in the run since.
    assert_eq!(store.gone_on_from(key, 1).await.unwrap(), None);
    assert_eq!(there().await, [0; 0]);
    // A piece before the mark is missing.
    store.write_piece(key, 1, &[1]).await.unwrap();
    store.write_mark(key, &mark, 1).await.unwrap();
    assert_eq!(store.gone_on_from(key, 1).await.unwrap(), None);
    assert_eq!(there().await, [0; 0]);
    assert_eq!(store.gone_on_from(key, 1).await.unwrap(), None, "the mark is gone too");
}
