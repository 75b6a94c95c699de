//! Unattended rounds.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`keeper`] | the task that records each one when it is due |
//! | `measured` | what a round gives |
//! | [`table`] | rounds started, stopped, and told |

pub mod keeper;
mod measured;
pub mod table;
