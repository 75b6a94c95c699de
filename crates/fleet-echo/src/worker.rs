//! `fleet-echo worker`: works on the jobs of a database from another machine.

use crate::Failure;
use crate::serve::told_to_end;
use anyhow::Context;
use clap::Args;
use echo_application::Desk;
use echo_application::jobs::worker::{named, work};
use echo_application::runs::budget::Budget;
use echo_store::Store;
use std::time::Duration;

/// Arguments of `worker`.
#[derive(Args)]
pub struct Worker {
    /// PostgreSQL whose jobs are worked on: the one that a server works with.
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
    /// Jobs at once.
    #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u16).range(1..=64))]
    jobs: u16,
    /// Megabytes that analyses may hold at once; more wait for their turn.
    #[arg(long, default_value_t = 4096)]
    analysis_mb: u32,
}

/// How often a database that is not there yet is looked for, and how often before giving up.
const LOOK: Duration = Duration::from_millis(500);
const LOOKS: u32 = 20;

impl Worker {
    /// Works until Ctrl+C or SIGTERM; what is not done by then goes back into the queue.
    pub async fn run(&self) -> Result<(), Failure> {
        let store = Store::lazy(&self.database_url)?;
        let mut looks = 0;
        // A server lays the tables; a worker of a newer or older version must not touch them.
        while let Err(e) = store.fits().await {
            looks += 1;
            if looks == LOOKS || !e.passes() {
                return Err(e).context("the database cannot be worked on; start its server first").map_err(Into::into);
            }
            tokio::time::sleep(LOOK).await;
        }
        let budget = Budget::new(self.analysis_mb).map_err(anyhow::Error::msg)?;
        let name = named("worker");
        println!("{name}: {} at once", self.jobs);
        let (stop, stopped) = tokio::sync::watch::channel(false);
        let working = tokio::spawn(work(Desk::new(store, budget), name, usize::from(self.jobs), stopped));
        told_to_end().await;
        let _ = stop.send(true);
        working.await?;
        Ok(())
    }
}
