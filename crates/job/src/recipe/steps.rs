//! What is done to the samples before the lens.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

fn order_4() -> usize {
    4
}

fn half_decibel() -> f64 {
    0.5
}

fn two_hertz() -> f64 {
    2.0
}

fn once() -> i32 {
    1
}

/// What a filter is best at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Design {
    /// Flat pass band.
    #[default]
    Butterworth,
    /// Even delay: steps do not ring.
    Bessel,
    /// Steep edge, with a pass band that ripples by `ripple_db`.
    Chebyshev,
}

/// One step of preparation. Filters run forward and backward unless `one_pass`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "do", rename_all = "snake_case", deny_unknown_fields)]
pub enum Step {
    /// Takes the least-squares line off.
    Detrend {},
    /// Takes the mean off.
    Zero {},
    /// Keeps what is above the edge.
    Highpass {
        /// Edge, Hz.
        edge_hz: f64,
        /// Order of the filter.
        #[serde(default = "order_4")]
        order: usize,
        /// What the filter is best at.
        #[serde(default)]
        design: Design,
        /// Ripple of a Chebyshev filter, dB.
        #[serde(default = "half_decibel")]
        ripple_db: f64,
        /// Causal, with phase.
        #[serde(default)]
        one_pass: bool,
    },
    /// Keeps what is below the edge.
    Lowpass {
        /// Edge, Hz.
        edge_hz: f64,
        /// Order of the filter.
        #[serde(default = "order_4")]
        order: usize,
        /// What the filter is best at.
        #[serde(default)]
        design: Design,
        /// Ripple of a Chebyshev filter, dB.
        #[serde(default = "half_decibel")]
        ripple_db: f64,
        /// Causal, with phase.
        #[serde(default)]
        one_pass: bool,
    },
    /// Keeps what is between the edges.
    Bandpass {
        /// Edges, Hz.
        band_hz: [f64; 2],
        /// Order of the prototype.
        #[serde(default = "order_4")]
        order: usize,
        /// What the filter is best at.
        #[serde(default)]
        design: Design,
        /// Ripple of a Chebyshev filter, dB.
        #[serde(default = "half_decibel")]
        ripple_db: f64,
        /// Causal, with phase.
        #[serde(default)]
        one_pass: bool,
    },
    /// Keeps what is outside the edges.
    Bandstop {
        /// Edges, Hz.
        band_hz: [f64; 2],
        /// Order of the prototype.
        #[serde(default = "order_4")]
        order: usize,
        /// What the filter is best at.
        #[serde(default)]
        design: Design,
        /// Ripple of a Chebyshev filter, dB.
        #[serde(default = "half_decibel")]
        ripple_db: f64,
        /// Causal, with phase.
        #[serde(default)]
        one_pass: bool,
    },
    /// Integrates over time: acceleration becomes velocity, velocity displacement.
    Integrate {
        /// How many times, 1 to 3.
        #[serde(default = "once")]
        times: i32,
        /// What is below this is taken off, Hz.
        #[serde(default = "two_hertz")]
        above_hz: f64,
    },
    /// Differentiates over time.
    Differentiate {
        /// How many times, 1 to 3.
        #[serde(default = "once")]
        times: i32,
    },
    /// Takes time off the ends, as after a filter that has to settle.
    Trim {
        /// Off the start, s.
        #[serde(default)]
        start_s: f64,
        /// Off the end, s.
        #[serde(default)]
        end_s: f64,
    },
    /// Another sample rate; what is above its clean band is filtered off.
    Resample {
        /// Samples a second, Hz.
        rate_hz: f64,
    },
}
