//! Live pictures: what a page may ask for, and what it gets.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`wish`] | what a page may ask for |
//! | `draw` | the pictures of one moment |
//! | `drawn` | those that another page had drawn already |
//! | `held` | largest values that a page holds |
//! | `stage` | the channels of this moment, measured and computed |
//! | `time`, `spectrum`, `orbit` | each kind of picture |
//! | `head` | how a picture travels |

mod draw;
mod drawn;
mod head;
mod held;
mod orbit;
mod spectrum;
mod stage;
mod time;
pub mod wish;

pub use draw::draw;
pub(crate) use drawn::Drawn;

/// Computed channels are shown under numbers from here on, beyond those of any front end.
pub const COMPUTED_FROM: u16 = 1001;
