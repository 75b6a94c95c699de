//! Reports: what stands in them, in which words and numbers.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`block`] | what a report is made of: blocks one under the other |
//! | `drawn` | a figure: what of a result is drawn, and how |
//! | `check` | what of it cannot be kept |
//! | `stored` | a usual one, an earlier version's, one that is handed over |
//! | [`form`] | as what it is saved |
//! | [`language`] | words, sentences, numbers and days as a language writes them |
//! | [`limits`] | numbers held against what is allowed |
//! | [`made_of`] | what a report was made of, and whether it comes out the same again |
//! | [`recipe`] | a recipe in words |
//! | [`template`] | reports without runs, that others begin with |
//! | [`text`] | the engineer's text: small formatting, and words in braces that are filled in |

pub mod block;
mod check;
mod drawn;
pub mod form;
pub mod language;
pub mod limits;
pub mod made_of;
pub mod recipe;
mod stored;
pub mod template;
pub mod text;

pub use block::Report;
pub use made_of::MadeOf;
