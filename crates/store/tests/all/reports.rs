//! What makes reports checkable and alike, in a real database: the laboratory's key, fingerprints of counts, templates.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::{apart, open_run};
use echo_job::report::made_of::CountsDigest;
use echo_store::chunk::pack;
use echo_store::run::Gap;
use echo_store::{Store, StoreError};
use serde_json::json;
use sqlx::Connection;
use sqlx::postgres::PgConnection;

#[tokio::test]
async fn the_laboratory_has_one_key_that_is_made_once() {
    let url = apart().await;
    let (store, other) = (Store::lazy(&url).unwrap(), Store::lazy(&url).unwrap());
    store.migrate().await.unwrap();
    // Two that ask at the same moment get the same one.
    let (a, b) = tokio::join!(store.seal_key([1; 32]), other.seal_key([2; 32]));
    let (a, b) = (a.unwrap(), b.unwrap());
    assert!(a == b && (a == [1; 32] || a == [2; 32]));
    assert_eq!(store.seal_key([3; 32]).await.unwrap(), a, "kept from then on");
}

#[tokio::test]
async fn a_fingerprint_is_that_of_what_is_stored_now() {
    let (store, _, run) = open_run("fingerprint").await;
    let counts = |from: i32| (from..from + 5000).map(|k| (k * 7919) % 20_011 - 10_000).collect::<Vec<i32>>();
    let chunks = [(0, counts(0)), (5000, counts(1)), (12_000, counts(2))];
    let packed: Vec<_> = chunks.iter().map(|(at, c)| pack(1, *at, c, false).unwrap()).collect();
    let gap = Gap { first_sample: 10_000, samples: 2000, why: "test".into() };
    store.append(run, &packed, &[gap], false).await.unwrap();
    store.close_run(run, 17_000, true, "test").await.unwrap();
    let mut own = CountsDigest::default();
    chunks.iter().for_each(|(at, c)| own.push(*at, c));
    let own = own.finish();
    assert_eq!(own.stretches, [(0, 10_000), (12_000, 5000)]);
    assert_eq!(store.counts_digest(run, 1).await.unwrap(), own);
    assert!(store.counts_digest(run, 2).await.unwrap().stretches.is_empty(), "nothing was recorded there");

    // Read once, the counts are at hand; the fingerprint is still that of the database.
    store.counts(run, 1, 0, 17_000).await.unwrap();
    let mut database = PgConnection::connect(&crate::common::shared()).await.unwrap();
    let other = pack(1, 5000, &counts(9), false).unwrap();
    sqlx::query("UPDATE chunk SET counts = $2 WHERE run_id = $1 AND first_sample = 5000")
        .bind(run)
        .bind(&other.counts)
        .execute(&mut database)
        .await
        .unwrap();
    let now = store.counts_digest(run, 1).await.unwrap();
    assert!(now.sha256 != own.sha256 && now.stretches == own.stretches);
    sqlx::query("UPDATE chunk SET counts = substring(counts from 1 for 20) WHERE run_id = $1 AND first_sample = 5000")
        .bind(run)
        .execute(&mut database)
        .await
        .unwrap();
    assert!(matches!(store.counts_digest(run, 1).await, Err(StoreError::Unreadable(_))), "cut off");
}

#[tokio::test]
async fn a_template_is_kept_under_its_name_and_replaced_by_it() {
    let url = apart().await;
    let store = Store::lazy(&url).unwrap();
    store.migrate().await.unwrap();
    let first = store.keep_template("yard", &json!({ "blocks": [1] }), "Ada").await.unwrap();
    store.keep_template("Acceptance", &json!({}), "Ada").await.unwrap();
    let again = store.keep_template("yard", &json!({ "blocks": [2] }), "Ben").await.unwrap();
    assert_eq!(first, again);
    let all = store.templates().await.unwrap();
    let told: Vec<(&str, &str)> = all.iter().map(|t| (t.name.as_str(), t.who.as_str())).collect();
    assert_eq!(told, [("Acceptance", "Ada"), ("yard", "Ben")]);
    assert_eq!(all[1].body, json!({ "blocks": [2] }));
    store.drop_template(first).await.unwrap();
    assert_eq!(store.templates().await.unwrap().len(), 1);
    assert!(matches!(store.drop_template(first).await, Err(StoreError::Missing(_))));
}
