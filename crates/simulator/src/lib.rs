//! Stand-ins for acquisition hardware and the machines they hang on, with physics of their own.
//!
//! Vibration is made from moving parts, forces and modes, not from spectra, and never with the
//! analysis code; what is built in can be asked for as the truth ([`physics::thruster::Thruster::truth`]),
//! so that an analysis can be held against it.

pub mod control;
pub mod decimate;
pub mod device;
pub mod electronics;
pub mod memory;
pub mod noise;
pub mod physics;
mod sending;
pub mod serve;
