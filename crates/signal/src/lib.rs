//! Vibration signal processing: numbers in, numbers out.
//!
//! Nothing here reads a file, waits for a device or knows a unit by name. Each module is one
//! family of computations; each public function states the shapes and units it takes, what it
//! gives, which errors it can return and where the method comes from. Everything is 64-bit
//! floating point.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`window`] | weighting functions and their corrections |
//! | [`spectrum`] | averaged one-sided spectra, whole or block by block |
//! | [`zoom`] | complex demodulation and decimation in front of a zoomed spectrum |
//! | [`peak`] | amplitude and frequency between the lines |
//! | [`statistics`] | moments and extremes, whole or block by block |
//! | [`filter`] | Butterworth sections, one pass with state or zero phase |
//! | [`trend`] | removal of mean and straight line |
//! | [`extremes`] | min/max reduction for drawing |

pub mod error;
pub mod extremes;
pub mod filter;
pub mod peak;
pub mod spectrum;
pub mod statistics;
pub mod trend;
pub mod window;
pub mod zoom;

pub use error::{Result, SignalError};
