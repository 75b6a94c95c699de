//! The stand-in over its link, and the machines it stands for.
//!
//! One program for all of them: linking and compiling many takes longer than the tests do.

mod bench;
mod machines;
mod run_up;
mod session;
mod tapping;
mod together;
