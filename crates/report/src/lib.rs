//! Reports set on pages: what a report says as parts, and the parts as PDF or as pictures of its pages.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`data`] | its tables and curves as a workbook, its figures as files |
//! | [`docx`] | the same as a text document |
//! | [`letterhead`] | the house's lines and logo over it, and its paper |
//! | [`document`] | what a report says, part by part |
//! | [`attached`] | what goes with a PDF, read out of it again |
//! | [`html`] | the same as one HTML file |
//! | [`seal`] | a signature in the PDF, so that any later change shows |
//! | [`set`] | the same on pages, as PDF/A-3 or as SVG |
//! | `page.typ` | how each part looks |

pub mod attached;
pub mod data;
pub mod document;
pub mod docx;
pub mod html;
pub mod letterhead;
pub mod seal;
pub mod set;

pub use attached::attached;
pub use data::{folder, workbook};
pub use document::{Body, Document, Part};
pub use docx::docx;
pub use html::html;
pub use letterhead::{Letterhead, Logo, Paper};
pub use seal::{SealKey, Sealed, sealed};
pub use set::{pages, pdf};

/// A report could not be set.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the report could not be set: {0}")]
pub struct ReportError(pub String);
