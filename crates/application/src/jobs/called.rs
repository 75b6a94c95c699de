//! What names of files are filled in from: a campaign, and a run of it where there is one.

use crate::Result;
use chrono::{DateTime, Utc};
use echo_job::export::RunExport;
use echo_job::export::pattern::Known;
use echo_store::Store;
use echo_store::campaign::Campaign;
use echo_store::run::Run;

/// A campaign, and a run of it with its channels.
pub(crate) struct Called {
    campaign: Campaign,
    /// The run, where it is about one that is still there.
    pub(crate) run: Option<Run>,
    channels: Vec<(i16, String)>,
}

/// Channels of a run by their numbers, with their names as they were recorded.
///
/// # Errors
/// The database is away.
pub(crate) async fn numbered_names(store: &Store, run: i64) -> Result<Vec<(i16, String)>> {
    Ok(store.run_channels(run).await?.into_iter().map(|c| (c.channel, c.row.name)).collect())
}

impl Called {
    /// Reads what names are filled in from.
    ///
    /// # Errors
    /// There is no such campaign, or the database is away.
    pub(crate) async fn of(store: &Store, campaign: i64, run: Option<Run>) -> Result<Called> {
        let channels = match &run {
            Some(run) => numbered_names(store, run.id).await?,
            None => Vec::new(),
        };
        Ok(Called { campaign: store.campaign(campaign).await?, run, channels })
    }

    /// The words, with what an export takes of the channels; without a run of this kind, at this moment.
    pub(crate) fn known<'a>(&'a self, export: Option<&RunExport>, (kind, at): (&'a str, DateTime<Utc>)) -> Known<'a> {
        let run = self.run.as_ref();
        let taken = |e: &RunExport| e.chosen(&self.channels).map_or(0, |c| c.len());
        Known {
            campaign: &self.campaign.name,
            specimen: &self.campaign.specimen,
            run: run.map(|r| r.number),
            kind: run.map_or(kind, |r| &r.kind),
            started_at: run.map_or(at, |r| r.started_at),
            channels: export.map_or(self.channels.len(), taken),
        }
    }
}
