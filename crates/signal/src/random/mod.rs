//! Random vibration under control: a reference, a drive of random phase, the loop between them, its limits.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`profile`] | reference densities by their corners, tolerances about them |
//! | [`drive`] | endless random signal of a wanted density, without steps |
//! | [`control`] | the loop: from measured densities to the next drive |
//! | [`verdict`] | lines beyond tolerance, alarm and abort |
//!
//! Source: IEC 60068-2-64:2008; Smallwood & Paez, "A frequency domain method for the generation of
//! partially coherent normal stationary time domain signals", Shock and Vibration 1993.

pub mod control;
pub mod drive;
pub mod profile;
pub mod verdict;
