//! Machines and structures whose motion the stand-ins measure.

pub mod berth;
pub mod bracket;
pub mod deck;
pub mod frame;
pub mod hammer;
pub mod mount;
pub mod resonator;
pub mod thruster;
