//! What the application does, whoever asks: a handler, a job, a task that watches.
//!
//! | module | what it does |
//! | --- | --- |
//! | [`runs`] | stored runs: results, cursors, markers, events, faults, corrections, marks, exports |
//! | [`jobs`] | work that outlives a request, on this machine or another one |
//! | [`report`] | the report's text, and what it says of a run |
//! | [`rigs`] | the channel table: edits, versions, sheets, findings let pass, smart sensors |
//! | [`afterwards`] | what is done by itself when something ends |
//! | [`plans`] | the plan: saved, lengths as they are typed, triggers tried on runs |
//! | [`taps`] | tap series: hits, the responses made of them, modes |
//! | [`tachos`], [`encoders`] | tachometers and encoders as they are heard now |
//! | [`reference`] | checking a sensor against a reference |
//! | [`shelf`] | campaigns begun, renamed, put away, deleted |
//! | [`people`], [`present`] | who may work here, and who has a page open |
//! | [`uploads`] | files that are sent to be brought in |
//! | [`bring`] | files of other programs become runs |
//! | [`handover`] | a whole campaign as one file, and back |
//! | [`specimens`] | the specimen: its sheet and geometry, pictures, files of other programs |
//! | [`sensors`] | the register of sensors, and the memories of smart ones |
//! | [`front_ends`] | tests, set-ups, outputs of the front ends |
//! | [`dry_run`] | the plan against what is connected |
//! | [`rounds`] | unattended rounds |
//! | [`watch`] | watched quantities |
//! | [`benches`] | displays and lenses kept under a name |
//! | [`pictures`] | live pictures |
//! | [`news`] | what changes in the database, for all who show it |
//! | [`outputs`] | outputs that end by themselves |
//! | [`processor`] | processor time and memory in use |
//! | `lately` | what was made lately, by what it was made of |
//! | [`health`] | whether the database answers; tasks that are watched |

pub mod afterwards;
mod app;
pub mod benches;
pub mod bring;
pub mod dry_run;
pub mod encoders;
mod error;
pub mod front_ends;
pub mod handover;
pub mod health;
pub mod jobs;
mod lately;
pub mod news;
pub mod outputs;
pub mod people;
pub mod pictures;
pub mod plans;
pub mod present;
pub mod processor;
pub mod reference;
pub mod report;
pub mod rigs;
pub mod rounds;
pub mod runs;
pub mod sensors;
pub mod shelf;
pub mod specimens;
pub mod tachos;
pub mod taps;
pub mod uploads;
pub mod watch;

pub use app::{App, Desk, free_space};
pub use error::{Error, Result};
