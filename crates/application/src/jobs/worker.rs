//! Taking parts from the queue: each with its progress, a stop, and a lease that a dead worker loses.

use super::Wish;
use super::making::made;
use crate::runs::going::{Hangup, Watched};
use crate::{Desk, Error};
use echo_store::job::{Came, PART_TASK, PartKey};
use futures::FutureExt;
use graphile_worker::{IntoTaskHandlerResult, TaskHandler, WorkerContext, WorkerOptions, WorkerRecoveryConfig};
use serde::{Deserialize, Serialize};
use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::watch;

/// Where the queue has its tables.
pub(super) const SCHEMA: &str = "graphile_worker";
/// How often a worker says that it lives, and looks for those that do not.
const HEARTBEAT: Duration = Duration::from_secs(2);
/// A worker that has not said so for this long has lost its parts to the others.
const LEASE: Duration = Duration::from_secs(10);
/// How often progress is told, and a stop is looked for.
const TELL: Duration = Duration::from_millis(400);
/// How long what broke is left alone before it is tried again.
const BREATH: Duration = Duration::from_secs(1);
/// How often old jobs are let go, and how old they are then, h.
const TIDY: Duration = Duration::from_secs(3600);
const OLD_H: i32 = 48;

/// What a worker works with; the queue hands it to each part.
#[derive(Clone)]
struct Hands {
    desk: Desk,
    name: Arc<str>,
}

impl std::fmt::Debug for Hands {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}", self.name)
    }
}

/// A part, as the queue hands it out.
#[derive(Serialize, Deserialize)]
struct Part(PartKey);

impl TaskHandler for Part {
    const IDENTIFIER: &'static str = PART_TASK;

    async fn run(self, ctx: WorkerContext) -> impl IntoTaskHandlerResult {
        match ctx.get_ext::<Hands>() {
            Some(hands) => carried_out(hands, self.0).await,
            None => Err("the queue has lost its hands".to_string()),
        }
    }
}

/// Makes a part; an error is only what may pass, and the queue tries again.
async fn carried_out(hands: &Hands, key: PartKey) -> Result<(), String> {
    let (store, worker) = (&hands.desk.store, &*hands.name);
    let again = |e: Error| e.says();
    let taken = store.take_part(key, worker).await.map_err(|e| again(e.into()))?;
    let Some((campaign, wish, who)) = taken else { return Ok(()) };
    let watched = Arc::new(Watched::default());
    let _hangup = Hangup::of(&watched);
    let told = async {
        loop {
            tokio::time::sleep(TELL).await;
            // A database that is away says nothing of a stop: the work goes on.
            if let Ok(false) = store.tell_part(key, worker, watched.share()).await {
                watched.stop();
            }
        }
    };
    let wish: Result<Wish, _> = serde_json::from_value(wish);
    let making = async {
        match wish {
            Ok(wish) => made(&hands.desk, (campaign, key), wish, &watched, &who).await,
            Err(e) => Err(Error::fault(e.to_string())),
        }
    };
    let result = tokio::select! {
        result = AssertUnwindSafe(making).catch_unwind() => result,
        () = told => return Ok(()),
    };
    let came = match result {
        Ok(Ok(result)) => Came::Done(result),
        Ok(Err(_)) if watched.stopped() => Came::Stopped,
        Ok(Err(e)) if e.passes() => return Err(again(e)),
        Ok(Err(e)) => Came::Refused(e.says()),
        Err(_) => Came::Refused("it broke: a fault of Fleet Echo".into()),
    };
    // What was made is not to be lost to a database that is away for a moment.
    while let Err(e) = store.end_part(key, worker, &came).await {
        if !e.passes() {
            return Err(e.to_string());
        }
        tokio::time::sleep(BREATH).await;
    }
    Ok(())
}

/// A name for a worker of this process.
pub fn named(command: &str) -> String {
    let machine = std::fs::read_to_string("/proc/sys/kernel/hostname").unwrap_or_default();
    format!("{command} on {}, process {}", machine.trim(), std::process::id())
}

/// Works on parts, `most` at once, until it is told to stop; what is not done by then goes back into the queue.
pub async fn work(desk: Desk, name: String, most: usize, stop: watch::Receiver<bool>) {
    let hands = Hands { desk, name: name.into() };
    let tidy = async {
        loop {
            if let Err(e) = hands.desk.store.forget_jobs(OLD_H).await {
                tracing::debug!("old jobs stay for now: {e}");
            }
            tokio::time::sleep(TIDY).await;
        }
    };
    let working = async {
        while !*stop.borrow() {
            match AssertUnwindSafe(until(&hands, most, stop.clone())).catch_unwind().await {
                Ok(Ok(())) => {}
                Ok(Err(says)) => tracing::warn!("the queue of jobs: {says}"),
                Err(_) => tracing::error!("the queue of jobs broke; it is begun again"),
            }
            if !*stop.borrow() {
                tokio::time::sleep(BREATH).await;
            }
        }
    };
    tokio::select! {
        () = working => {}
        () = tidy => {}
    }
}

async fn until(hands: &Hands, most: usize, mut stop: watch::Receiver<bool>) -> Result<(), String> {
    let recovery = WorkerRecoveryConfig::default()
        .heartbeat_interval(HEARTBEAT)
        .sweep_interval(HEARTBEAT)
        .sweep_threshold(LEASE)
        .recovery_delay(Duration::ZERO);
    let worker = WorkerOptions::default()
        .pg_pool(hands.desk.store.queue_pool())
        .schema(SCHEMA)
        .concurrency(most)
        .define_job::<Part>()
        .add_extension(hands.clone())
        .worker_recovery(recovery)
        .listen_os_shutdown_signals(false)
        .shutdown_signal(async move { drop(stop.wait_for(|s| *s).await) })
        .shutdown_grace_period(Duration::ZERO)
        .shutdown_interrupted_job_retry_delay(Duration::ZERO)
        .init()
        .await
        .map_err(|e| e.to_string())?;
    worker.run().await.map_err(|e| e.to_string())
}
