//! Reports set on pages: what a report says as parts, and the parts as PDF or as pictures of its pages.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`document`] | what a report says, part by part |
//! | [`set`] | the same on pages, as PDF/A-3 or as SVG |
//! | `page.typ` | how each part looks |

pub mod document;
pub mod set;

pub use document::{Body, Document, Part};
pub use set::{pages, pdf};

/// A report could not be set.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the report could not be set: {0}")]
pub struct ReportError(pub String);
