//! Where samples come from: a file, a stored run, memory.

use super::AnalysisError;
use crate::dof::Dof;

/// A channel as a source knows it.
#[derive(Debug, Clone, PartialEq)]
pub struct SourceChannel {
    /// Its name.
    pub name: String,
    /// Unit of the samples as read; empty where the source does not say.
    pub unit: String,
    /// Where and which way it measures, where the source knows.
    pub dof: Option<Dof>,
}

/// A take of a source: a stretch under a number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SourceTake {
    /// Its number.
    pub number: u32,
    /// First sample.
    pub from: u64,
    /// Samples.
    pub samples: u64,
}

/// A source in numbers.
#[derive(Debug, Clone, PartialEq)]
pub struct SourceInfo {
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Samples a channel.
    pub samples: u64,
    /// Channels; the first one is number 1.
    pub channels: Vec<SourceChannel>,
    /// Missing stretches: first sample and number of samples. Reading them gives NaN.
    pub gaps: Vec<(u64, u64)>,
    /// Takes, in the order of their numbers.
    pub takes: Vec<SourceTake>,
    /// Samples are shares of full scale, not engineering units.
    pub full_scale: bool,
    /// What had to be assumed to read it, in sentences.
    pub notes: Vec<String>,
}

/// Gives samples in order or from anywhere.
pub trait Source: Send {
    /// What is there.
    fn info(&self) -> &SourceInfo;

    /// Reads `count` samples from `from` of the channels with these indices (from 0) into `out`,
    /// one vector a channel, replacing what they held.
    ///
    /// # Errors
    /// [`AnalysisError::Input`] when the data cannot be read.
    fn read(&mut self, channels: &[usize], from: u64, count: usize, out: &mut [Vec<f64>]) -> Result<(), AnalysisError>;
}

/// Samples in memory.
#[derive(Debug, Clone)]
pub struct Memory {
    info: SourceInfo,
    data: Vec<Vec<f64>>,
}

impl Memory {
    /// Channels of equal length: name, unit, samples.
    pub fn new(sample_rate_hz: f64, channels: Vec<(String, String, Vec<f64>)>) -> Memory {
        let samples = channels.iter().map(|c| c.2.len()).min().unwrap_or(0) as u64;
        let (names, data): (Vec<_>, Vec<_>) =
            channels.into_iter().map(|(name, unit, data)| (SourceChannel { name, unit, dof: None }, data)).unzip();
        Memory {
            info: SourceInfo {
                sample_rate_hz,
                samples,
                channels: names,
                gaps: Vec::new(),
                takes: Vec::new(),
                full_scale: false,
                notes: Vec::new(),
            },
            data,
        }
    }

    /// The same with missing stretches, first sample and number each; what stands there is NaN.
    #[must_use]
    pub fn with_gaps(mut self, gaps: Vec<(u64, u64)>) -> Memory {
        self.info.gaps = gaps;
        self
    }

    /// The same with takes: number, first sample, samples.
    #[must_use]
    pub fn with_takes(mut self, takes: &[(u32, u64, u64)]) -> Memory {
        let take = |&(number, from, samples): &(u32, u64, u64)| SourceTake { number, from, samples };
        self.info.takes = takes.iter().map(take).collect();
        self
    }

    /// The same with the degrees of freedom of its channels, in their order.
    #[must_use]
    pub fn with_dofs(mut self, dofs: Vec<Option<Dof>>) -> Memory {
        self.info.channels.iter_mut().zip(dofs).for_each(|(c, dof)| c.dof = dof);
        self
    }

    /// The same with what was assumed.
    #[must_use]
    pub fn with_notes(mut self, notes: Vec<String>) -> Memory {
        self.info.notes = notes;
        self
    }
}

impl Source for Memory {
    fn info(&self) -> &SourceInfo {
        &self.info
    }

    fn read(&mut self, channels: &[usize], from: u64, count: usize, out: &mut [Vec<f64>]) -> Result<(), AnalysisError> {
        for (c, to) in channels.iter().zip(out) {
            to.clear();
            to.extend_from_slice(&self.data[*c][from as usize..from as usize + count]);
        }
        Ok(())
    }
}
