//! The rig: the channel table.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`view`] | the table with what follows from it, and its findings |
//! | [`edit`] | cells changed: typed, pasted, filled, taken back |
//! | [`versions`] | versions, rigs kept under a name |
//! | [`sheets`] | the table as a spreadsheet, out and in |
//! | [`waivers`] | findings that are let pass |
//! | [`smart`] | smart sensors that are plugged in |
//! | [`follow`] | settings that follow them |

pub mod edit;
pub mod follow;
pub mod sheets;
pub mod smart;
pub mod versions;
pub mod view;
pub mod waivers;
