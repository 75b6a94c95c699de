//! Where vibration comes from.

pub mod resonator;
pub mod thruster;
