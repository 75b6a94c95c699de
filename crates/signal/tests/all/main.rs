//! Numbers against references, closed forms and properties.
//!
//! One program for all of them: linking and compiling many takes longer than the tests do.

mod arriving;
mod bands;
mod common;
mod durability;
mod following;
mod independent;
mod modes;
mod operating;
mod properties;
mod random;
mod reference;
mod responses;
mod rotation;
mod sweeps;
mod wheels;
mod windows;
