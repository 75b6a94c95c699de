//! Machines and structures whose motion the stand-ins measure.

pub mod berth;
pub mod deck;
pub mod resonator;
pub mod thruster;
