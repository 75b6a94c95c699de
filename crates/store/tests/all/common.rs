//! What several test files need.

use echo_job::plan::{Length, Plan};
use echo_job::rig::{Channel, Coupling, Rig};
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::Quantity;
use echo_store::Store;
use echo_store::run::NewRun;
use sqlx::Connection;
use sqlx::postgres::PgConnection;

/// A row that measures volts as they are.
pub fn channel(input: u16) -> Channel {
    Channel {
        on: true,
        name: format!("channel {input}"),
        quantity: Quantity::Voltage,
        unit: "V".into(),
        sensitivity: Sensitivity::new(1.0, "V/V", Quantity::Voltage).unwrap(),
        coupling: Coupling::Dc,
        range_v: 1.0,
        ..Channel::free(input)
    }
}

/// The database that tests share: what reaches over all of it (recovery, ownership) needs one [`apart`].
pub fn shared() -> String {
    std::env::var("DATABASE_URL").expect("DATABASE_URL: ./test sets it")
}

fn stamp() -> u128 {
    std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos()
}

/// A database of the test's own, empty: gives its address.
pub async fn apart() -> String {
    let name = format!("apart_{}_{}", std::process::id(), stamp());
    let mut connection = PgConnection::connect(&shared()).await.unwrap();
    sqlx::query(sqlx::AssertSqlSafe(format!("CREATE DATABASE {name}"))).execute(&mut connection).await.unwrap();
    let url = shared();
    format!("{}/{name}", url.rsplit_once('/').unwrap().0)
}

/// A campaign of that name with an open run of one channel; gives both keys.
#[allow(dead_code)]
pub async fn open_run(name: &str) -> (Store, i64, i64) {
    open_run_at(&shared(), name).await
}

/// The same in the database at that address.
pub async fn open_run_at(url: &str, name: &str) -> (Store, i64, i64) {
    let store = Store::lazy(url).unwrap();
    store.migrate().await.unwrap();
    let stamp = stamp();
    let (rig, plan) = set_up();
    let campaign = store.create_campaign(&format!("{name} {stamp}"), "", "", &rig, &plan).await.unwrap();
    let run = open_another(&store, campaign).await;
    (store, campaign, run)
}

fn set_up() -> (Rig, Plan) {
    let rig = Rig { name: "test".into(), channels: vec![channel(1)] };
    (rig, Plan { sample_rate_hz: 51_200.0, length: Length::WhenStopped, ..Plan::default() })
}

/// Another open run of a campaign.
#[allow(dead_code)]
pub async fn open_another(store: &Store, campaign: i64) -> i64 {
    let (rig, plan) = set_up();
    let new = NewRun {
        campaign,
        kind: "test".into(),
        sample_rate_hz: 51_200.0,
        clean_share: 0.4,
        front_end: "Test".into(),
        rig,
        plan,
        recorder: String::new(),
        together: None,
        divide: 1,
        who: "engineer".into(),
        brought: None,
        channels: vec![(channel(1), 1e-6)],
    };
    store.open_run(&new).await.unwrap().id
}

/// In place of the queue, whose tables are the application's matter.
pub const QUEUE: &str = "CREATE SCHEMA graphile_worker;
    CREATE FUNCTION graphile_worker.add_job(identifier text, payload json, max_attempts int, priority int, job_key text)
        RETURNS void LANGUAGE sql AS 'SELECT'";
