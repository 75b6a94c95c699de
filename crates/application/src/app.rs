//! What all of the application shares: one part for stored runs, one for what is connected.

use crate::Result;
use crate::health::Pulse;
use crate::news::News;
use crate::outputs::Outputs;
use crate::pictures::Drawn;
use crate::present::Present;
use crate::report::counted::Fits;
use crate::report::digests::Digests;
use crate::report::photos::Photos;
use crate::report::seen::PagesAtHand;
use crate::runs::budget::Budget;
use crate::runs::going::Going;
use crate::runs::kept::KeptResults;
use crate::specimens::sheet::Specimens;
use crate::taps::{Responses, Taps};
use crate::uploads::AtHand;
use crate::watch::WatchedNow;
use echo_capture::discover::Discovery;
use echo_capture::{Capture, Setup};
use echo_job::math::MathChannel;
use echo_job::watch::Zone;
use echo_store::Store;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

/// Free bytes where a folder lies, which itself may not be readable.
pub fn free_space(folder: &Path) -> Option<u64> {
    fs4::available_space(folder).or_else(|_| fs4::available_space(folder.parent().unwrap_or(folder))).ok()
}

/// What works on stored runs, on this machine or another one: the database, and what analyses share. Cheap to
/// clone.
#[derive(Clone)]
pub struct Desk {
    /// The database.
    pub store: Store,
    /// Memory and processor of analyses.
    pub(crate) budget: Budget,
    /// Results made lately.
    pub(crate) results: KeptResults,
    /// Analyses going on.
    pub going: Going,
    /// Files that were sent lately.
    pub(crate) at_hand: AtHand,
    /// Fingerprints of what was recorded.
    pub(crate) digests: Digests,
    /// Resonances in reports, fitted lately.
    pub(crate) fits: Fits,
    /// Photographs in reports, made lately.
    pub(crate) photos: Photos,
    /// Pages of reports that were set lately.
    pub(crate) pages: PagesAtHand,
    /// Specimens read lately.
    pub(crate) specimens: Specimens,
    /// Responses read lately.
    pub(crate) responses: Responses,
}

impl Desk {
    /// A desk that works on a database within a budget.
    pub fn new(store: Store, budget: Budget) -> Desk {
        Desk {
            store,
            budget,
            results: KeptResults::default(),
            going: Going::default(),
            at_hand: AtHand::default(),
            digests: Digests::default(),
            fits: Fits::default(),
            photos: Photos::default(),
            pages: PagesAtHand::default(),
            specimens: Specimens::default(),
            responses: Responses::default(),
        }
    }
}

/// The turn to change what is measured, until it is dropped.
#[derive(Debug)]
pub(crate) struct Turn {
    _held: tokio::sync::OwnedMutexGuard<()>,
}

/// A campaign's computed channels.
type MathOf = (i64, Vec<MathChannel>);

/// The application; cheap to clone.
#[derive(Clone)]
pub struct App {
    /// Stored runs, and the work on them.
    pub desk: Desk,
    /// The database, which the desk works on too.
    pub store: Store,
    /// The capture engine.
    pub capture: Capture,
    discovery: Arc<Discovery>,
    disk: Arc<Mutex<Option<PathBuf>>>,
    watched: Arc<Mutex<Vec<WatchedNow>>>,
    /// Computed channels of the campaign that is shown live.
    math: Arc<Mutex<Option<MathOf>>>,
    /// Whether the database answers.
    pub pulse: Pulse,
    /// What changes in the database.
    pub news: News,
    /// Who has a page open.
    pub present: Present,
    /// How long pages wait from one live picture to the next at least.
    pub live_each: Duration,
    /// The folder that files are laid into by themselves; none where the server was given none.
    pub files_to: Option<PathBuf>,
    /// The folder whose files are brought in by themselves; none where the server was given none.
    pub files_from: Option<PathBuf>,
    /// Outputs that drive something.
    pub(crate) outputs: Outputs,
    /// Tap series.
    pub(crate) taps: Taps,
    /// Pictures of this moment, made once for all pages.
    pub(crate) drawn: Drawn,
    /// Whose turn it is to change what is measured.
    turn: Arc<tokio::sync::Mutex<()>>,
    /// Tasks that had to be started again, and how often.
    broken: Arc<Mutex<BTreeMap<&'static str, u32>>>,
}

impl App {
    /// Brings the desk and capture together.
    pub fn new(desk: Desk, capture: Capture, discovery: Discovery) -> App {
        App {
            store: desk.store.clone(),
            desk,
            capture,
            discovery: Arc::new(discovery),
            disk: Arc::default(),
            watched: Arc::default(),
            math: Arc::default(),
            pulse: Pulse::default(),
            news: News::default(),
            present: Present::default(),
            live_each: Duration::ZERO,
            files_to: None,
            files_from: None,
            outputs: Outputs::default(),
            taps: Taps::default(),
            drawn: Drawn::default(),
            turn: Arc::default(),
            broken: Arc::default(),
        }
    }

    /// Waits for the turn to change what is measured.
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
        &self.discovery
    }

    /// The set-up of the campaign that is measured.
    pub fn setup(&self) -> Option<Setup> {
        self.capture.setup()
    }

    /// Brings a change of what is measured into force: considered by capture, stored, set on the front end, and
    /// taken back from the store where the front end does not take it. Gives what storing gave.
    ///
    /// # Errors
    /// A recording goes on, it cannot be stored, or the front end refuses.
    pub(crate) async fn in_force<T: Copy>(
        &self,
        campaign: i64,
        change: impl Fn(Setup) -> Setup,
        store: impl AsyncFnOnce() -> Result<T>,
        take_back: impl AsyncFnOnce(T, String) -> Result<()>,
    ) -> Result<T> {
        let before = self.setup().filter(|s| s.campaign == campaign);
        let wanted = before.clone().map(change);
        if let Some(setup) = &wanted {
            self.capture.consider(setup.clone()).await?;
        }
        let stored = store().await?;
        let (Some(setup), Some(before)) = (wanted, before) else { return Ok(stored) };
        let Err(refused) = self.capture.set_up(setup).await else { return Ok(stored) };
        // What the front end does not take is not in use.
        take_back(stored, refused.to_string()).await?;
        let _ = self.capture.set_up(before).await;
        Err(refused.into())
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
    pub async fn choose(&self, campaign: i64) -> Result<()> {
        // One that was deleted is still in the database for a day.
        self.store.campaign(campaign).await?;
        let rig = self.store.rig(campaign).await?.rig;
        let plan = self.store.plan(campaign).await?;
        self.capture.set_up(Setup { campaign, rig, plan }).await?;
        self.store.note_chosen(campaign).await?;
        if let Some(address) = self.store.front_end(campaign).await? {
            self.capture.connect(Some(address)).await;
        }
        Ok(())
    }
}
