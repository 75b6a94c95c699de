//! The specimen: its sheet, its geometry, its pictures.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`sheet`] | the sheet read, written, changed; points put onto the surface |
//! | [`files`] | pictures, and the surface |
//! | [`motion`] | how shapes move its points |
//! | [`exchange`] | the geometry in files of other programs |

pub mod exchange;
pub mod files;
pub mod motion;
pub mod sheet;
