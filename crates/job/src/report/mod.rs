//! Reports: what stands in them, in which words and numbers.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`block`] | what a report is made of: blocks one under the other |
//! | [`language`] | words that a report says itself, numbers and days as a language writes them |
//! | [`text`] | the engineer's text: small formatting, and words in braces that are filled in |

pub mod block;
pub mod language;
pub mod text;

pub use block::Report;
