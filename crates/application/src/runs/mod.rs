//! Stored runs, and everything that is made of them.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`source`] | samples of a run in its units, as they were put right |
//! | [`results`] | recipes carried out on runs |
//! | [`budget`] | memory and processor that analyses share |
//! | [`going`] | how far an analysis is, and a way to stop it |
//! | [`kept`] | results that were made lately |
//! | [`kept_file`] | a kept result as a file |
//! | [`detail`] | runs as they are told |
//! | [`list`] | the list of runs: described, deleted, moved, compared |
//! | [`overview`] | a stretch in points, peaks of takes |
//! | [`readings`] | cursors on results |
//! | [`markers`] | the machine's elements and their lines |
//! | [`turning`] | the tachometer of a run |
//! | [`takes`] | takes with their samples |
//! | [`events`] | takes read as events |
//! | [`quality`] | what is wrong along a run's time |
//! | [`align`] | where a place of one run lies in another one |
//! | [`computed`], [`math`] | channels computed by formulas: of a run, of a campaign |
//! | [`deflection`] | how the specimen moves in a run |
//! | [`setting_right`] | entries put right afterwards |
//! | [`marks`] | words at places |
//! | [`export`] | a run as a file |

pub mod align;
pub mod budget;
pub mod computed;
pub mod deflection;
pub mod detail;
pub mod events;
pub mod export;
pub mod going;
pub mod kept;
pub mod kept_file;
pub mod list;
pub mod markers;
pub mod marks;
pub mod math;
pub mod overview;
pub mod quality;
pub mod readings;
pub mod results;
pub mod setting_right;
pub mod source;
pub mod takes;
pub mod turning;
