//! What the application does with campaigns and runs, whoever asks: handlers, lists of results, rounds.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`budget`] | memory and processor that analyses share |
//! | [`computed`] | channels computed by formulas, as a run has them |
//! | [`results`] | recipes carried out on runs |
//! | [`turning`] | the tachometer of a run |

pub mod budget;
pub mod computed;
pub mod results;
pub mod turning;
