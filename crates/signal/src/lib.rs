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
//! | [`confidence`] | how far averaged powers may be from the true ones |
//! | [`zoom`] | complex demodulation and decimation in front of a zoomed spectrum |
//! | [`peak`] | amplitude and frequency between the lines |
//! | [`cross`], [`response`] | cross spectra, frequency responses, coherence |
//! | [`modal`] | mode indicators, poles and their stability, shapes, synthesis |
//! | [`impact`] | windows, double hits and overloads of impact tests |
//! | [`spectrogram`], [`cepstrum`], [`envelope`] | spectra against time, of spectra, of a band's envelope |
//! | [`octave`], [`level`] | fractional-octave bank, overall level against time |
//! | [`statistics`] | moments and extremes, whole or block by block |
//! | [`distribution`], [`rainflow`] | classes, crossings and cycles of a history |
//! | [`shock`] | shock response spectrum |
//! | [`random`] | random vibration under control: reference, drive, loop, limits |
//! | [`rotation`] | speed, angle, orders, orbits, encoders, cyclic patterns |
//! | [`arrivals`], [`locate`] | onset of a burst, position of its source |
//! | [`filter`] | second-order sections, one pass with state or zero phase |
//! | [`resample`], [`motion`] | change of rate, integration and differentiation |
//! | [`moving`] | moving rms, mean and peak, the slope |
//! | [`trend`], [`extremes`] | removal of mean and line, min/max reduction for drawing |

pub mod arrivals;
mod banded;
pub mod cepstrum;
pub mod confidence;
pub mod cross;
pub mod distribution;
pub mod envelope;
pub mod error;
pub mod extremes;
pub mod filter;
pub mod impact;
pub mod level;
pub mod locate;
pub mod modal;
pub mod motion;
pub mod moving;
pub(crate) mod numeric;
pub mod octave;
pub mod peak;
pub mod rainflow;
pub mod random;
pub mod resample;
pub mod response;
pub mod rotation;
pub mod shock;
pub mod spectrogram;
pub mod spectrum;
pub mod statistics;
pub mod trend;
pub mod window;
pub mod zoom;

pub use error::{Result, SignalError};
