//! What every handler shares.

use crate::batch::Batches;
use crate::going::Going;
use crate::health::Pulse;
use crate::kept::KeptResults;
use crate::outputs::Outputs;
use crate::watch::WatchedNow;
use crate::work::budget::Budget;
use echo_capture::discover::Discovery;
use echo_capture::{Capture, Setup};
use echo_job::math::MathChannel;
use echo_job::watch::Zone;
use echo_store::Store;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// Free bytes where a folder lies, which itself may not be readable.
pub fn free_space(folder: &Path) -> Option<u64> {
    fs4::available_space(folder).or_else(|_| fs4::available_space(folder.parent().unwrap_or(folder))).ok()
}

/// How the server is set up.
#[derive(Clone)]
pub struct Config {
    /// Folder of the built page.
    pub page: PathBuf,
    /// Front ends found on the network.
    pub discovery: Discovery,
    /// Names under which the server may be reached, besides its addresses and `localhost`.
    pub names: Vec<String>,
    /// Memory and processor of analyses.
    pub budget: Budget,
}

/// The turn to change what is measured, until it is dropped.
#[derive(Debug)]
pub(crate) struct Turn {
    _held: tokio::sync::OwnedMutexGuard<()>,
}

/// A campaign's computed channels.
type MathOf = (i64, Vec<MathChannel>);

/// Shared state; cheap to clone.
#[derive(Clone)]
pub struct App {
    /// The database.
    pub store: Store,
    /// The capture engine.
    pub capture: Capture,
    config: Arc<Config>,
    setup: Arc<Mutex<Option<Setup>>>,
    disk: Arc<Mutex<Option<PathBuf>>>,
    watched: Arc<Mutex<Vec<WatchedNow>>>,
    /// Results made lately.
    pub results: KeptResults,
    /// Analyses going on.
    pub(crate) going: Going,
    /// Computed channels of the campaign that is shown live.
    math: Arc<Mutex<Option<MathOf>>>,
    /// Lists of results being made.
    pub(crate) batches: Batches,
    /// Whether the database answers.
    pub pulse: Pulse,
    /// Outputs that drive something.
    pub(crate) outputs: Outputs,
    /// Memory and processor of analyses.
    pub(crate) budget: Budget,
    /// Whose turn it is to change what is measured.
    turn: Arc<tokio::sync::Mutex<()>>,
    /// Tasks that had to be started again, and how often.
    broken: Arc<Mutex<BTreeMap<&'static str, u32>>>,
}

impl App {
    /// Brings store and capture together.
    pub fn new(store: Store, capture: Capture, config: Config) -> App {
        App {
            store,
            capture,
            budget: config.budget.clone(),
            config: Arc::new(config),
            setup: Arc::default(),
            disk: Arc::default(),
            watched: Arc::default(),
            results: KeptResults::default(),
            going: Going::default(),
            math: Arc::default(),
            batches: Batches::default(),
            pulse: Pulse::default(),
            outputs: Outputs::default(),
            turn: Arc::default(),
            broken: Arc::default(),
        }
    }

    /// Folder of the built page.
    pub fn page(&self) -> &Path {
        &self.config.page
    }

    /// Names under which the server may be reached.
    pub fn names(&self) -> Arc<Vec<String>> {
        Arc::new(self.config.names.clone())
    }

    /// Waits for the turn to change what is measured: what is read, stored and set on the front end while it
    /// is held belongs together.
    pub(crate) async fn turn(&self) -> Turn {
        Turn { _held: self.turn.clone().lock_owned().await }
    }

    /// Notes that a task had to be started again.
    pub(crate) fn broke(&self, task: &'static str) {
        *self.broken.lock().unwrap_or_else(PoisonError::into_inner).entry(task).or_default() += 1;
    }

    /// What of the server broke since it was started, in a sentence.
    pub fn faults(&self) -> Option<String> {
        let broken = self.broken.lock().unwrap_or_else(PoisonError::into_inner);
        let all: Vec<String> = broken.iter().map(|(task, times)| format!("{task} ({times} ×)")).collect();
        (!all.is_empty()).then(|| format!("started again after a fault of Fleet Echo: {}", all.join(", ")))
    }

    /// Front ends found on the network.
    pub fn discovery(&self) -> &Discovery {
        &self.config.discovery
    }

    /// The set-up capture works with, as last set.
    pub fn setup(&self) -> Option<Setup> {
        self.setup.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Hands a set-up to capture and remembers it.
    ///
    /// # Errors
    /// As [`Capture::set_up`]; a front end that is away is no error.
    pub async fn set_up(&self, setup: Setup) -> Result<(), echo_capture::CaptureError> {
        self.capture.set_up(setup.clone()).await?;
        *self.setup.lock().unwrap_or_else(PoisonError::into_inner) = Some(setup);
        Ok(())
    }

    /// Watched quantities as they were measured last.
    pub fn watched(&self) -> Vec<WatchedNow> {
        self.watched.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Where the worst watched quantity stands.
    pub fn worst(&self) -> Zone {
        self.watched().iter().map(|w| w.zone).max().unwrap_or_default()
    }

    pub(crate) fn tell_watched(&self, now: Vec<WatchedNow>) {
        *self.watched.lock().unwrap_or_else(PoisonError::into_inner) = now;
    }

    /// Computed channels of the campaign that is shown live; none while they cannot be read.
    pub(crate) async fn live_math(&self, campaign: Option<i64>) -> Vec<MathChannel> {
        let Some(campaign) = campaign else { return Vec::new() };
        let known = self.math.lock().unwrap_or_else(PoisonError::into_inner).clone();
        if let Some((_, math)) = known.filter(|(of, _)| *of == campaign) {
            return math;
        }
        let Ok(math) = self.store.math(campaign).await else { return Vec::new() };
        *self.math.lock().unwrap_or_else(PoisonError::into_inner) = Some((campaign, math.clone()));
        math
    }

    /// Lets the computed channels be read anew: they were changed.
    pub(crate) fn math_changed(&self) {
        *self.math.lock().unwrap_or_else(PoisonError::into_inner) = None;
    }

    /// Free bytes where the database writes, where that can be known.
    pub async fn free_bytes(&self) -> Option<u64> {
        let known = self.disk.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let folder = match known {
            Some(f) => f,
            None => {
                let f = PathBuf::from(self.store.data_directory().await?);
                *self.disk.lock().unwrap_or_else(PoisonError::into_inner) = Some(f.clone());
                f
            }
        };
        free_space(&folder)
    }

    /// Chooses the campaign that capture works for.
    ///
    /// # Errors
    /// The campaign is not there, or a run is going.
    pub async fn choose(&self, campaign: i64) -> Result<(), crate::error::ApiError> {
        let rig = self.store.rig(campaign).await?.rig;
        let plan = self.store.plan(campaign).await?;
        self.set_up(Setup { campaign, rig, plan }).await?;
        if let Some(address) = self.store.front_end(campaign).await? {
            self.capture.connect(Some(address)).await;
        }
        Ok(())
    }
}
