//! What the database keeps, read back.
//!
//! One program for all of them: linking and compiling many takes longer than the tests do.

mod catalogue;
mod common;
mod deeds;
mod jobs;
mod owner;
mod reports;
mod rigs;
mod shelf;
mod specimen;
mod study;
mod taps;
mod unattended;
mod waveforms;
