//! Speed, angle and what goes with them.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`pulses`] | crossings of a pulse signal, between samples |
//! | [`wheel`] | pulses to angle: missing and uneven teeth, faults |
//! | [`live`] | the same, pulse by pulse while it turns |
//! | [`curve`] | angle and speed as smooth functions of time |
//! | [`encoder`] | quadrature signals and wrapping counters |
//! | [`angle`] | samples at even steps of angle |
//! | [`steps`] | where along a run a block is taken |
//! | [`order`] | order cuts and order maps |
//! | [`vold_kalman`] | orders followed together, sample by sample |
//! | [`vibration`] | slow roll, resonance, orbit |
//! | [`sweep`] | a mode fitted to the orders of a run-up |
//! | [`cyclic`] | what happens at which angle of a cycle |

mod anchor;
pub mod angle;
pub mod curve;
pub mod cyclic;
pub mod encoder;
pub mod live;
pub mod order;
mod places;
pub mod pulses;
pub mod steps;
pub mod sweep;
mod track;
pub mod vibration;
pub mod vold_kalman;
pub mod wheel;
