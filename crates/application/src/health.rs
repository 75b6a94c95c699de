//! Whether the database answers, asked once for everybody; and tasks that are watched.

use crate::App;
use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use futures::FutureExt;

/// How often the database is asked, and how long it may take.
const BEAT: Duration = Duration::from_secs(1);
const PATIENCE: Duration = Duration::from_secs(3);
/// How long a request waits for a database that is known to be away.
const SHORT: Duration = Duration::from_millis(300);
/// How long a task that broke is left alone before it is started again.
const BREATH: Duration = Duration::from_secs(1);

/// Whether the database answered when it was asked last.
#[derive(Debug, Clone)]
pub struct Pulse(Arc<AtomicBool>);

impl Default for Pulse {
    fn default() -> Pulse {
        Pulse(Arc::new(AtomicBool::new(true)))
    }
}

impl Pulse {
    /// As it was a second ago at most.
    pub fn answers(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }

    pub(crate) fn tell(&self, answers: bool) {
        self.0.store(answers, Ordering::Relaxed);
    }
}

/// Asks the database every second, so that no picture and no request has to wait for it to find out.
pub async fn beat(app: App) {
    loop {
        answers(&app).await;
        tokio::time::sleep(BEAT).await;
    }
}

/// Whether the database answers now.
pub async fn answers(app: &App) -> bool {
    let patience = if app.pulse.answers() { PATIENCE } else { SHORT };
    let answers = tokio::time::timeout(patience, app.store.answers()).await.unwrap_or(false);
    app.pulse.tell(answers);
    answers
}

/// Whether a request that needs the database had better not be begun.
pub async fn away(app: &App) -> bool {
    !app.pulse.answers() && !answers(app).await
}

/// Runs a task for as long as the server does: one that ends or breaks is noticed and started again.
pub async fn watched<F>(name: &'static str, app: App, task: impl Fn(App) -> F)
where
    F: Future<Output = ()>,
{
    loop {
        match AssertUnwindSafe(task(app.clone())).catch_unwind().await {
            Ok(()) => tracing::error!("the task “{name}” ended; it is started again"),
            Err(_) => tracing::error!("the task “{name}” broke; it is started again"),
        }
        app.broke(name);
        tokio::time::sleep(BREATH).await;
    }
}
