//! What an analysis gives: the same JSON for page, API and file.

use crate::recipe::Recipe;
use echo_signal::confidence::Scatter;
use serde::Serialize;
use utoipa::ToSchema;

/// A result with everything needed to make it again.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Analysis {
    /// The recipe, defaults filled in.
    pub recipe: Recipe,
    /// Who made it of what.
    pub made: Made,
    /// What to keep in mind.
    pub cautions: Vec<ResultCaution>,
    /// Blocks averaged, where there are any.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub averages: Option<usize>,
    /// Normalised random error of averaged power, where blocks are averaged.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub random_error: Option<f64>,
    /// Between which factors of the power shown the true one lies, for a Gaussian signal.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub interval: Option<PowerInterval>,
    /// Axes, slowest first; one for curves, two for maps.
    pub axes: Vec<Axis>,
    /// Times at which the speeds of the first axis were reached, s of the run; none where it is no speed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub reached_s: Vec<f64>,
    /// Curves over the axes.
    pub traces: Vec<Trace>,
    /// Single numbers.
    pub numbers: Vec<Number>,
    /// Highest peaks of each amplitude spectrum, read between the lines.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub peaks: Vec<PeakFound>,
}

/// Where a true power lies beside an averaged one.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct PowerInterval {
    /// With what probability.
    pub confidence: f64,
    /// Smallest factor.
    pub low: f64,
    /// Largest factor.
    pub high: f64,
    /// Both as levels, dB.
    pub low_db: f64,
    /// See `low_db`.
    pub high_db: f64,
}

impl PowerInterval {
    /// The interval of what scatters; none where nothing was averaged.
    pub fn of(scatter: &Scatter, confidence: f64) -> Option<PowerInterval> {
        let (low, high) = scatter.interval(confidence).ok()?;
        Some(PowerInterval { confidence, low, high, low_db: 10.0 * low.log10(), high_db: 10.0 * high.log10() })
    }
}

/// A peak of a trace, interpolated to fit the window.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PeakFound {
    /// Channel, from 1.
    pub channel: u32,
    /// Frequency, Hz.
    pub frequency_hz: f64,
    /// Amplitude in the trace's unit.
    pub value: f64,
}

/// Who made a result of what.
#[derive(Debug, Clone, Default, Serialize, ToSchema)]
pub struct Made {
    /// Program and version.
    pub by: String,
    /// When, RFC 3339.
    pub at: String,
    /// Name of the input.
    pub input: String,
    /// Fingerprint of the input file: `blake3:` and its BLAKE3 hash in hex.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fingerprint: Option<String>,
}

/// Something to keep in mind when reading the result.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ResultCaution {
    /// Name of the rule.
    pub rule: String,
    /// Channel, from 1, where it is about one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub channel: Option<u32>,
    /// What it is.
    pub says: String,
    /// Where, s from the start of the data, where it is about moments.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schema(required)]
    pub places_s: Vec<f64>,
}

/// Values along a direction.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Axis {
    /// Such as “frequency”.
    pub name: String,
    /// Its unit.
    pub unit: String,
    /// Ascending values.
    pub values: Vec<f64>,
}

/// A curve.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Trace {
    /// Name of the channel or pair.
    pub name: String,
    /// Channel, from 1.
    pub channel: u32,
    /// Channel it is seen against, from 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reference: Option<u32>,
    /// What the values are, such as “PSD”.
    pub quantity: String,
    /// Their unit.
    pub unit: String,
    /// One value an axis point, or for a map one a pair of them, the last axis fastest; null where
    /// there is none. Left out for complex traces.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schema(required)]
    pub values: Vec<f64>,
    /// Real parts of a complex trace.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub re: Option<Vec<f64>>,
    /// Imaginary parts of a complex trace.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub im: Option<Vec<f64>>,
    /// Twice the standard uncertainty of each amplitude, where it is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub within: Option<Vec<f64>>,
}

impl Trace {
    /// Number of points.
    pub fn len(&self) -> usize {
        self.re.as_ref().map_or(self.values.len(), Vec::len)
    }

    /// Whether there are no points.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

/// A number of a channel.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Number {
    /// Such as “rms”.
    pub name: String,
    /// Channel, from 1.
    pub channel: u32,
    /// Its unit; empty for a ratio.
    pub unit: String,
    /// The value.
    pub value: f64,
}
