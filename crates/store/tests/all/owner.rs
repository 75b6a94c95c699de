//! The lock of the process that works on a database, lost and taken again.

use crate::common::{apart, open_run_at};
use echo_store::run::Gap;
use sqlx::Connection;
use sqlx::postgres::PgConnection;
use std::process::Command;
use std::time::{Duration, Instant};

/// A process that does not run for a while, and does again however the test ends.
struct Halted(i32);

impl Halted {
    fn now(pid: i32) -> Halted {
        assert!(signal(pid, "-STOP"), "process {pid} is halted");
        Halted(pid)
    }
}

impl Drop for Halted {
    fn drop(&mut self) {
        signal(self.0, "-CONT");
    }
}

fn signal(pid: i32, which: &str) -> bool {
    Command::new("kill").args([which, &pid.to_string()]).status().is_ok_and(|s| s.success())
}

#[tokio::test]
async fn a_lock_whose_connection_was_only_slow_is_taken_again() {
    let url = apart().await;
    let (store, _, run) = open_run_at(&url, "slow lock").await;
    store.own("a slow one").await.unwrap();
    let keep = async |first: i64| {
        let gap = Gap { first_sample: first, samples: 1, why: "test".into() };
        store.append(run, &[], &[gap], true).await
    };
    keep(0).await.unwrap();
    let holds = "SELECT pid FROM pg_stat_activity WHERE application_name = 'a slow one'";
    let mut own = PgConnection::connect(&url).await.unwrap();
    let pid: i32 = sqlx::query_scalar(holds).fetch_one(&mut own).await.unwrap();

    let until = async |refused: bool| {
        let begun = Instant::now();
        while keep(1).await.is_err() != refused {
            assert!(begun.elapsed() < Duration::from_secs(90), "refused never became {refused}");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    };
    let halted = Halted::now(pid);
    until(true).await;
    assert!(keep(1).await.unwrap_err().to_string().contains("not this server's again yet"));
    drop(halted);
    until(false).await;
    assert_eq!(store.owner().await.unwrap().as_deref(), Some("a slow one"));
    store.close_run(run, 2, true, "test").await.unwrap();
}
