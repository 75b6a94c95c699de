//! A report on pages: as PDF/A-3a with tags and what it was made of attached, or as pictures.

use crate::ReportError;
use crate::document::{Body, Document, Figure, Part, Words};
use crate::letterhead::{Letterhead, Logo, Paper};
use crate::seal::SealKey;
use chrono::{DateTime, Datelike, Timelike};
use echo_formats::faces::FACES;
use echo_job::report::language::{Language, Term};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use typst::diag::{FileError, FileResult};
use typst::foundations::{Bytes, Datetime, Duration, Smart};
use typst::syntax::{FileId, RootedPath, Source, VirtualPath, VirtualRoot};
use typst::text::{Font, FontBook};
use typst::utils::LazyHash;
use typst::{Library, LibraryExt, World};
use typst_pdf::{PdfOptions, PdfStandard, PdfStandards, Timestamp};

const TEMPLATE: &str = include_str!("page.typ");

/// Name under which a PDF carries what it was made of.
pub const ATTACHMENT: &str = "made-of.json";

/// What stands in place of signs that the fonts do not have; a question mark for all others.
const INSTEAD: [(char, &str); 8] = [
    ('\t', " "),
    ('\u{202f}', "\u{a0}"),
    ('\u{2011}', "-"),
    ('≤', "<="),
    ('≥', ">="),
    ('≈', "~"),
    ('→', "->"),
    ('√', "root "),
];

/// Raised digits and their sign, which the template sets as digits that are raised.
const RAISED: &str = "⁰¹²³⁴⁵⁶⁷⁸⁹⁻";

static FONTS: LazyLock<Vec<Font>> =
    LazyLock::new(|| FACES.into_iter().flat_map(|bytes| Font::iter(Bytes::new(bytes))).collect());

struct Desk {
    library: LazyHash<Library>,
    book: LazyHash<FontBook>,
    main: Source,
    files: HashMap<FileId, Bytes>,
}

fn file_id(name: &str) -> Result<FileId, ReportError> {
    let path = VirtualPath::new(name).map_err(|_| ReportError(format!("{name} is no path")))?;
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

/// Sets a report as PDF/A-3a: tagged, with its fonts, with what it was made of attached, and sealed where there is a key.
///
/// # Errors
/// What the typesetter says.
pub fn pdf(report: &Document, key: Option<&SealKey>) -> Result<Vec<u8>, ReportError> {
    let at = report.made_at;
    let day = || (at.year(), at.month() as u8, at.day() as u8, at.hour() as u8, at.minute() as u8, at.second() as u8);
    let (y, mo, d, h, mi, s) = day();
    let options = PdfOptions {
        creator: Smart::Custom(Some(format!("Fleet Echo {}", env!("CARGO_PKG_VERSION")))),
        timestamp: Datetime::from_ymd_hms(y, mo, d, h, mi, s).map(Timestamp::new_utc),
        standards: PdfStandards::new(&[PdfStandard::A_3a]).map_err(|e| ReportError(e.message().to_string()))?,
        ..PdfOptions::default()
    };
    let place = key.map(SealKey::place);
    let bytes = typst_pdf::pdf(&laid_out(report, place.as_deref())?, &options).map_err(all)?;
    match key {
        Some(key) => key.seal(bytes),
        None => Ok(bytes),
    }
}

/// A page as a picture.
#[derive(Debug, Clone)]
pub struct SetPage {
    /// 32 hexadecimal digits, the same for pages that are the same.
    pub name: String,
    /// As SVG.
    pub svg: Arc<str>,
}

/// Pages that were drawn lately, by how they were laid out: of a report that somebody writes most stay as they were.
static DRAWN: LazyLock<Mutex<HashMap<u128, SetPage>>> = LazyLock::new(Mutex::default);
/// Pages that are kept at most; then it is begun anew.
const MOST_DRAWN: usize = 400;

/// Sets a report as pictures, one a page.
///
/// # Errors
/// What the typesetter says.
pub fn pages(report: &Document) -> Result<Vec<SetPage>, ReportError> {
    let options = typst_svg::SvgOptions::default();
    let drawn = |page| {
        let laid = typst::utils::hash128(page);
        let known = || DRAWN.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(page) = known().get(&laid) {
            return page.clone();
        }
        let svg: Arc<str> = typst_svg::svg(page, &options).into();
        // How it was laid out may change where nothing of it is seen.
        let page = SetPage { name: format!("{:032x}", typst::utils::hash128(&*svg)), svg };
        let mut all = known();
        if all.len() >= MOST_DRAWN {
            all.clear();
        }
        all.insert(laid, page.clone());
        page
    };
    Ok(laid_out(report, None)?.pages().iter().map(drawn).collect())
}

/// Sets a page with a logo, to see that it can be.
///
/// # Errors
/// What the typesetter says.
pub fn tried(logo: &Logo) -> Result<(), ReportError> {
    let letterhead = Some(Letterhead { lines: Vec::new(), logo: Some(logo.clone()) });
    let head = Body::Head { heading: String::new(), subtitle: String::new() };
    let report = Document {
        title: "-".into(),
        language: Language::default(),
        letterhead,
        paper: Paper::default(),
        foot: String::new(),
        parts: vec![Part { title: String::new(), body: head }],
        made_at: DateTime::UNIX_EPOCH,
        source: String::new(),
    };
    pages(&report).map(drop)
}

fn all(errors: typst::ecow::EcoVec<typst::diag::SourceDiagnostic>) -> ReportError {
    ReportError(errors.iter().map(|e| e.message.to_string()).collect::<Vec<_>>().join("; "))
}

fn laid_out(report: &Document, keyword: Option<&str>) -> Result<typst_layout::PagedDocument, ReportError> {
    let mut files = HashMap::new();
    let told = |e: serde_json::Error| ReportError(e.to_string());
    let mut value = serde_json::to_value(report).map_err(told)?;
    value["words"] = serde_json::to_value(Words::from(report.language)).map_err(told)?;
    value["keyword"] = json!(keyword);
    value["attachment"] = json!(ATTACHMENT);
    value["attachment_says"] = json!(report.language.says(Term::MadeOf));
    value["paper"] = json!(report.paper.name());
    value["logo"] = json!(null);
    if let Some(logo) = report.letterhead.as_ref().and_then(|l| l.logo.as_ref()) {
        value["logo"] = json!(logo.name());
        files.insert(file_id(logo.name())?, Bytes::new(logo.bytes.clone()));
    }
    readable(&mut value);
    files.insert(file_id("/report.json")?, Bytes::new(serde_json::to_vec(&value).map_err(told)?));
    files.insert(file_id(&format!("/{ATTACHMENT}"))?, Bytes::new(report.source.clone().into_bytes()));
    for (i, part) in report.parts.iter().enumerate() {
        let figures: Vec<&Figure> = match &part.body {
            Body::Figure(f) => vec![f],
            Body::Figures { figures, .. } => figures.iter().collect(),
            _ => Vec::new(),
        };
        for (k, f) in figures.into_iter().enumerate() {
            files.insert(file_id(&format!("/figure{i}-{k}.svg"))?, Bytes::new(f.svg.clone().into_bytes()));
        }
    }
    let desk = Desk {
        library: LazyHash::new(<Library as LibraryExt>::default()),
        book: LazyHash::new(FontBook::from_fonts(FONTS.iter())),
        main: Source::new(file_id("/report.typ")?, TEMPLATE.into()),
        files,
    };
    typst::compile(&desk).output.map_err(all)
}

/// Leaves only letters that the fonts have: one that none of them has would make a PDF that no archive takes.
fn readable(value: &mut Value) {
    match value {
        Value::String(text) if !text.chars().all(there) => {
            let mut out = String::with_capacity(text.len());
            for c in text.chars().filter(|c| there(*c) || !unseen(*c)) {
                match INSTEAD.iter().find(|(sign, _)| *sign == c) {
                    Some((_, instead)) => out += instead,
                    None => out.push(if there(c) { c } else { '?' }),
                }
            }
            *text = out;
        }
        Value::Array(all) => all.iter_mut().for_each(readable),
        Value::Object(all) => all.values_mut().for_each(readable),
        _ => {}
    }
}

/// Whether a letter can be set.
fn there(c: char) -> bool {
    c == '\n' || RAISED.contains(c) || FONTS.iter().any(|f| f.info().coverage.contains(c as u32))
}

/// Controls, joiners and selectors: without them what is left reads as before.
fn unseen(c: char) -> bool {
    (c.is_control() && c != '\t')
        || matches!(c, '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}')
}
