//! Recording from stand-ins into a store, whole and broken.
//!
//! One program for all of them: linking and compiling many takes longer than the tests do.

mod away;
mod common;
mod front_ends;
mod lent;
mod systems;
mod takes;
