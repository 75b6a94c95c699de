//! A stored run as a source of samples in engineering units.

use crate::Error;
use echo_job::analysis::AnalysisError;
use echo_job::analysis::source::{Source, SourceChannel, SourceInfo, SourceTake};
use echo_job::geometry::Geometry;
use echo_job::rig::Column;
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::find;
use echo_store::Store;
use echo_store::run::{Run, RunChannel};
use echo_store::take::StoredTake;
use futures::stream::{self, StreamExt};
use std::collections::BTreeSet;
use tokio::runtime::Handle;

/// Channels that are read at once.
const SIDE_BY_SIDE: usize = 4;

/// What turns counts of a channel into its unit.
#[derive(Debug, Clone)]
pub struct Calibrated {
    /// Channel of the run, from 1.
    pub channel: i16,
    /// The row as recorded, and as put right since.
    pub recorded: RunChannel,
    /// Sensitivity in force.
    pub sensitivity: Sensitivity,
    /// Unit a count.
    pub factor: f64,
}

/// Unit a count for a row whose counts are V, C or V/V each.
pub fn factor(output_per_count: f64, sensitivity: &Sensitivity, unit: &str) -> f64 {
    let output_per_si = sensitivity.output_per_si().unwrap_or(f64::NAN);
    let to_si = find(unit).map_or(f64::NAN, |u| u.to_si);
    output_per_count / output_per_si / to_si
}

/// Channels of a run with the rows and sensitivities in force.
///
/// # Errors
/// The database is away.
pub async fn calibrated(store: &Store, run: i64) -> echo_store::Result<Vec<Calibrated>> {
    let channels = store.run_channels(run).await?;
    let history = store.calibrations(run).await?;
    let corrections = store.corrections(run).await?;
    Ok(channels
        .into_iter()
        .map(|mut recorded| {
            for c in corrections.iter().filter(|c| c.channel == Some(recorded.channel)) {
                // It was checked when it was made; one that no longer fits leaves the row as it was.
                if let Ok(column) = serde_json::from_value::<Column>(c.body.clone()) {
                    let _ = column.set(&mut recorded.row, &c.after, None);
                }
            }
            let sensitivity = history
                .iter()
                .rev()
                .find(|c| c.channel == recorded.channel)
                .map_or_else(|| recorded.row.sensitivity.clone(), |c| c.sensitivity.clone());
            let factor = factor(recorded.volts_per_count, &sensitivity, &recorded.row.unit);
            Calibrated { channel: recorded.channel, recorded, sensitivity, factor }
        })
        .collect())
}

/// A channel among those of a run.
///
/// # Errors
/// It is not in this run.
pub fn one_of(all: &[Calibrated], channel: i16) -> crate::Result<&Calibrated> {
    let found = all.iter().find(|c| c.channel == channel);
    found.ok_or_else(|| Error::missing(&format!("channel {channel} of this run")))
}

/// Reads a run from a thread that may wait.
pub struct RunSource {
    store: Store,
    handle: Handle,
    run: i64,
    channels: Vec<Calibrated>,
    info: SourceInfo,
    /// Channels that were read so far.
    read: BTreeSet<i16>,
}

/// Samples of a take as far as the run goes.
pub fn length(t: &StoredTake, run: &Run) -> usize {
    t.samples.unwrap_or(i64::MAX).min(run.samples - t.first_sample).max(0) as usize
}

fn taken(t: &StoredTake, run: &Run) -> SourceTake {
    SourceTake { number: t.number as u32, from: t.first_sample.max(0) as u64, samples: length(t, run) as u64 }
}

impl RunSource {
    /// Prepares a run for reading; must be called inside the runtime.
    ///
    /// # Errors
    /// The database is away.
    pub async fn open(store: &Store, run: &Run) -> echo_store::Result<RunSource> {
        let channels = calibrated(store, run.id).await?;
        let (gaps, takes) = (store.gaps(run.id).await?, store.takes(run.id).await?);
        let info = SourceInfo {
            sample_rate_hz: run.sample_rate_hz,
            samples: run.samples as u64,
            channels: channels
                .iter()
                .map(|c| SourceChannel {
                    name: c.recorded.row.name.clone(),
                    unit: c.recorded.row.unit.clone(),
                    dof: c.recorded.row.dof(),
                })
                .collect(),
            gaps: gaps.iter().map(|g| (g.first_sample as u64, g.samples as u64)).collect(),
            takes: takes.iter().map(|t| taken(t, run)).collect(),
            full_scale: false,
            notes: Vec::new(),
        };
        Ok(RunSource {
            store: store.clone(),
            handle: Handle::current(),
            run: run.id,
            channels,
            info,
            read: BTreeSet::new(),
        })
    }

    /// Numbers of its channels in the run, from 1.
    pub fn numbers(&self) -> Vec<i16> {
        self.channels.iter().map(|c| c.channel).collect()
    }

    /// Numbers of those channels that were read so far, from 1.
    pub fn read_channels(&self) -> Vec<i16> {
        self.read.iter().copied().collect()
    }

    /// Gives counts from now on.
    pub fn as_counts(&mut self) {
        self.channels.iter_mut().for_each(|c| c.factor = 1.0);
        self.info.channels.iter_mut().for_each(|c| c.unit.clear());
    }

    /// Calls directions by their letters, where a geometry knows them by other names.
    pub fn with_letters(&mut self, geometry: &Geometry) {
        for dof in self.info.channels.iter_mut().filter_map(|c| c.dof.as_mut()) {
            if let Some(axis) = geometry.axis_of(&dof.direction) {
                dof.direction = ["x", "y", "z"][axis].into();
            }
        }
    }
}

impl Source for RunSource {
    fn info(&self) -> &SourceInfo {
        &self.info
    }

    fn read(&mut self, channels: &[usize], from: u64, count: usize, out: &mut [Vec<f64>]) -> Result<(), AnalysisError> {
        self.read.extend(channels.iter().map(|index| self.channels[*index].channel));
        let (run, store) = (self.run, &self.store);
        // Side by side, but not so many that a recording would wait for the database.
        let reads = channels.iter().map(|index| {
            let (store, channel) = (store.clone(), self.channels[*index].channel);
            async move { tokio::spawn(async move { store.counts(run, channel, from as i64, count).await }).await }
        });
        let all: Vec<_> = self.handle.block_on(stream::iter(reads).buffered(SIDE_BY_SIDE).collect());
        for ((index, to), counts) in channels.iter().zip(out).zip(all) {
            let counts = counts
                .map_err(|e| AnalysisError::Input(e.to_string()))?
                .map_err(|e| AnalysisError::Input(e.to_string()))?;
            let factor = self.channels[*index].factor;
            to.clear();
            to.extend(counts.into_iter().map(|x| x.map_or(f64::NAN, |x| f64::from(x) * factor)));
        }
        Ok(())
    }
}
