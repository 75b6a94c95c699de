//! The report as PDF, set with typst from a template and a data file.

use crate::FormatError;
use serde::Serialize;
use std::collections::HashMap;
use std::sync::LazyLock;
use typst::diag::{FileError, FileResult};
use typst::foundations::{Bytes, Datetime, Duration};
use typst::syntax::{FileId, RootedPath, Source, VirtualPath, VirtualRoot};
use typst::text::{Font, FontBook};
use typst::utils::LazyHash;
use typst::{Library, LibraryExt, World};

/// What the report says.
#[derive(Debug, Clone, Serialize)]
pub struct Report {
    /// Small line above the title.
    pub heading: String,
    /// Title.
    pub title: String,
    /// Line under the title.
    pub subtitle: String,
    /// Findings, as written by the engineer.
    pub findings: String,
    /// What was measured: name and value.
    pub facts: Vec<(String, String)>,
    /// Heads of the rig table.
    pub rig_heads: Vec<String>,
    /// Rows of the rig table.
    pub rig_rows: Vec<Vec<String>>,
    /// Figures with captions.
    pub figures: Vec<Figure>,
    /// Notes on curves: where, and the words.
    pub notes: Vec<(String, String)>,
    /// How each number was made: heading and text.
    pub made: Vec<(String, String)>,
    /// Line at the foot of the page.
    pub foot: String,
}

/// A figure.
#[derive(Debug, Clone, Serialize)]
pub struct Figure {
    /// Above it.
    pub title: String,
    /// Under it.
    pub caption: String,
    /// Its lines as SVG.
    #[serde(skip)]
    pub svg: String,
    /// Its labels.
    pub labels: Vec<crate::plot::Label>,
    /// Its height over its width.
    pub aspect: f64,
}

const TEMPLATE: &str = include_str!("report.typ");

/// Fonts of reports and pictures.
pub(crate) const FACES: [&[u8]; 3] = [
    include_bytes!("../fonts/SofiaSans-Regular.ttf"),
    include_bytes!("../fonts/SofiaSans-SemiBold.ttf"),
    include_bytes!("../fonts/JetBrainsMono-Regular.ttf"),
];

static FONTS: LazyLock<Vec<Font>> =
    LazyLock::new(|| FACES.into_iter().flat_map(|bytes| Font::iter(Bytes::new(bytes))).collect());

struct Desk {
    library: LazyHash<Library>,
    book: LazyHash<FontBook>,
    main: Source,
    files: HashMap<FileId, Bytes>,
}

fn file_id(name: &str) -> Result<FileId, FormatError> {
    let path = VirtualPath::new(name).map_err(|_| FormatError::Report(format!("{name} is no path")))?;
    Ok(RootedPath::new(VirtualRoot::Project, path).intern())
}

impl World for Desk {
    fn library(&self) -> &LazyHash<Library> {
        &self.library
    }
    fn book(&self) -> &LazyHash<FontBook> {
        &self.book
    }
    fn main(&self) -> FileId {
        self.main.id()
    }
    fn source(&self, id: FileId) -> FileResult<Source> {
        if id == self.main.id() { Ok(self.main.clone()) } else { Err(FileError::AccessDenied) }
    }
    fn file(&self, id: FileId) -> FileResult<Bytes> {
        self.files.get(&id).cloned().ok_or(FileError::AccessDenied)
    }
    fn font(&self, index: usize) -> Option<Font> {
        FONTS.get(index).cloned()
    }
    fn today(&self, _: Option<Duration>) -> Option<Datetime> {
        None
    }
}

/// Sets a report as PDF.
///
/// # Errors
/// [`FormatError::Report`] with what the typesetter says.
pub fn pdf(report: &Report) -> Result<Vec<u8>, FormatError> {
    typst_pdf::pdf(&set(report)?, &typst_pdf::PdfOptions::default()).map_err(all)
}

/// Sets a report as pictures, one SVG a page.
///
/// # Errors
/// [`FormatError::Report`] with what the typesetter says.
pub fn pages(report: &Report) -> Result<Vec<String>, FormatError> {
    let options = typst_svg::SvgOptions::default();
    Ok(set(report)?.pages().iter().map(|p| typst_svg::svg(p, &options)).collect())
}

fn all(errors: typst::ecow::EcoVec<typst::diag::SourceDiagnostic>) -> FormatError {
    FormatError::Report(errors.iter().map(|e| e.message.to_string()).collect::<Vec<_>>().join("; "))
}

fn set(report: &Report) -> Result<typst_layout::PagedDocument, FormatError> {
    let mut files = HashMap::new();
    let json = serde_json::to_vec(report).map_err(|e| FormatError::Report(e.to_string()))?;
    files.insert(file_id("/report.json")?, Bytes::new(json));
    for (i, f) in report.figures.iter().enumerate() {
        files.insert(file_id(&format!("/figure{i}.svg"))?, Bytes::new(f.svg.clone().into_bytes()));
    }
    let desk = Desk {
        library: LazyHash::new(<Library as LibraryExt>::default()),
        book: LazyHash::new(FontBook::from_fonts(FONTS.iter())),
        main: Source::new(file_id("/report.typ")?, TEMPLATE.into()),
        files,
    };
    typst::compile(&desk).output.map_err(all)
}
