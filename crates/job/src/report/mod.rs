//! Reports: what stands in them, in which words and numbers.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`block`] | what a report is made of: blocks one under the other |
//! | [`language`] | words that a report says itself, numbers and days as a language writes them |
//! | [`made_of`] | what a report was made of, and whether it comes out the same again |
//! | [`recipe`] | a recipe in words |
//! | [`text`] | the engineer's text: small formatting, and words in braces that are filled in |

pub mod block;
pub mod language;
pub mod made_of;
pub mod recipe;
pub mod text;

pub use block::Report;
pub use made_of::MadeOf;
