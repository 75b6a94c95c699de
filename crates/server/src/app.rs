//! What every handler shares.

use echo_capture::discover::Discovery;
use echo_capture::{Capture, Setup};
use echo_store::Store;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// How the server is set up.
#[derive(Clone)]
pub struct Config {
    /// Folder of the built page.
    pub page: PathBuf,
    /// Front ends found on the network.
    pub discovery: Discovery,
}

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
}

impl App {
    /// Brings store and capture together.
    pub fn new(store: Store, capture: Capture, config: Config) -> App {
        App { store, capture, config: Arc::new(config), setup: Arc::default(), disk: Arc::default() }
    }

    /// Folder of the built page.
    pub fn page(&self) -> &Path {
        &self.config.page
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
        fs4::available_space(&folder).or_else(|_| fs4::available_space(folder.parent().unwrap_or(&folder))).ok()
    }

    /// Chooses the campaign that capture works for.
    ///
    /// # Errors
    /// The campaign is not there, or a run is going.
    pub async fn choose(&self, campaign: i64) -> Result<(), crate::api::ApiError> {
        let rig = self.store.rig(campaign).await?.rig;
        let plan = self.store.plan(campaign).await?;
        self.set_up(Setup { campaign, rig, plan }).await?;
        if let Some(address) = self.store.front_end(campaign).await? {
            self.capture.connect(Some(address)).await;
        }
        Ok(())
    }
}
