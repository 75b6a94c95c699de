//! As what a report is saved.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a report is saved as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ReportForm {
    /// PDF/A-3, with what it was made of, sealed.
    #[default]
    Pdf,
    /// One HTML file.
    Html,
    /// A text document that can be edited.
    Docx,
    /// A workbook: a sheet for each table and figure.
    Xlsx,
    /// Its figures as SVG, PNG and CSV in a ZIP.
    Figures,
}

impl ReportForm {
    /// Ending and media type.
    pub fn told(self) -> (&'static str, &'static str) {
        match self {
            ReportForm::Pdf => ("pdf", "application/pdf"),
            ReportForm::Html => ("html", "text/html; charset=utf-8"),
            ReportForm::Docx => ("docx", "application/vnd.openxmlformats-officedocument.wordprocessingml.document"),
            ReportForm::Xlsx => ("xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
            ReportForm::Figures => ("zip", "application/zip"),
        }
    }
}
