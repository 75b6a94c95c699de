//! Lenses of values, levels and distributions.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How a waveform is reduced.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Reduce {
    /// Every sample.
    #[default]
    None,
    /// Smallest and largest of each of `points` stretches.
    Minmax,
}

/// Settings of the waveform lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct WaveformSettings {
    /// How samples are reduced.
    pub reduce: Reduce,
    /// Points after reduction.
    pub points: usize,
}

impl Default for WaveformSettings {
    fn default() -> Self {
        WaveformSettings { reduce: Reduce::None, points: 2000 }
    }
}

/// Settings of the statistics lens.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct StatisticsSettings {
    /// Length of an interval, s; the whole stretch when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub interval_s: Option<f64>,
}

/// What is read from each interval.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum DetectorName {
    /// Root mean square.
    #[default]
    Rms,
    /// Largest magnitude.
    Peak,
}

/// Settings of the level lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct LevelSettings {
    /// Band the level is of, Hz; 10 Hz to 1 kHz is usual for machinery.
    pub band_hz: [f64; 2],
    /// What is read from each interval.
    pub detector: DetectorName,
    /// Length of an interval, s.
    pub interval_s: f64,
}

impl Default for LevelSettings {
    fn default() -> Self {
        LevelSettings { band_hz: [10.0, 1000.0], detector: DetectorName::Rms, interval_s: 1.0 }
    }
}

/// What is counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum DistributionKind {
    /// Seconds in each class.
    #[default]
    TimeAtLevel,
    /// Samples in each class.
    Histogram,
    /// Upward crossings of each edge.
    LevelCrossing,
}

/// How counts are given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum CountsAs {
    /// Seconds or counts.
    #[default]
    Absolute,
    /// Shares of all, 0 to 1.
    Relative,
}

/// Settings of the distribution lens.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct DistributionSettings {
    /// What is counted.
    pub kind: DistributionKind,
    /// Number of classes of one width over the whole range of the channels; 32 where there are no
    /// `edges` either.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub classes: Option<usize>,
    /// Edges of the classes, ascending.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub edges: Option<Vec<f64>>,
    /// Count what is outside the edges in the first and the last class.
    pub open_ends: bool,
    /// How counts are given.
    #[serde(rename = "as")]
    pub counts_as: CountsAs,
}

/// What becomes of ranges that never closed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ResidueName {
    /// Half a cycle each.
    #[default]
    Half,
    /// As if the history were repeated.
    Repeat,
    /// Left out.
    Ignore,
}

/// Settings of the rainflow lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct RainflowSettings {
    /// Number of classes of one width from 0 to the largest range; 32 where there are no `edges`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub classes: Option<usize>,
    /// Edges of the range classes, ascending.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub edges: Option<Vec<f64>>,
    /// Edges of the mean classes of the matrix, ascending; 16 over the range of the channels where
    /// left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mean_edges: Option<Vec<f64>>,
    /// Reversals of this or less are passed over, in the channel's unit.
    pub hysteresis: f64,
    /// What becomes of ranges that never closed.
    pub residue: ResidueName,
    /// Exponent of the damage sum.
    pub exponent: f64,
}

impl Default for RainflowSettings {
    fn default() -> Self {
        RainflowSettings {
            classes: None,
            edges: None,
            mean_edges: None,
            hysteresis: 0.0,
            residue: ResidueName::Half,
            exponent: 5.0,
        }
    }
}

/// Which responses of the oscillators are taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ShockSide {
    /// Largest magnitude.
    #[default]
    Maximax,
    /// Highest.
    Positive,
    /// Lowest, with its sign.
    Negative,
}

/// Settings of the shock response lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ShockRecipe {
    /// Quality of the oscillators.
    pub q: f64,
    /// Natural frequencies an octave.
    pub per_octave: u32,
    /// Lowest natural frequency, Hz.
    pub from_hz: f64,
    /// Highest natural frequency, Hz; a tenth of the sample rate where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub to_hz: Option<f64>,
    /// Which responses are taken.
    pub take: ShockSide,
}

impl Default for ShockRecipe {
    fn default() -> Self {
        ShockRecipe { q: 10.0, per_octave: 6, from_hz: 10.0, to_hz: None, take: ShockSide::Maximax }
    }
}

/// How an onset is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PickName {
    /// Where Akaike's criterion parts noise from burst.
    #[default]
    Aic,
    /// Where the magnitude first passes a share of its peak.
    Threshold,
}

/// Settings of the arrivals lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ArrivalsSettings {
    /// How the onset is found.
    pub pick: PickName,
    /// Share of the peak for the pick by threshold.
    pub threshold: f64,
    /// Band that is looked at, Hz; everything where left out. The filter smears the onset by about
    /// the inverse of the band's width.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub band_hz: Option<[f64; 2]>,
}

impl Default for ArrivalsSettings {
    fn default() -> Self {
        ArrivalsSettings { pick: PickName::Aic, threshold: 0.1, band_hz: None }
    }
}
