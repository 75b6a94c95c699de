//! What a report shows as data: its tables and curves as sheets of a workbook, its figures as files in a folder.

use crate::ReportError;
use crate::document::{Body, Document, Figure};
use echo_formats::plot::out::{png, svg};
use echo_formats::sheet::{Sheet, write_csv, write_xlsx};
use std::collections::BTreeSet;
use std::io::{Cursor, Write};
use zip::write::{SimpleFileOptions, ZipWriter};

/// Letters of a sheet's name at most, as spreadsheets have it.
const LONGEST: usize = 31;
/// Letters of a file's name at most.
const LONGEST_FILE: usize = 60;
/// Pixels to a unit of a figure's lines.
const SCALE: f64 = 3.0;

fn told(e: impl std::fmt::Display) -> ReportError {
    ReportError(e.to_string())
}

/// Figures of a report with the titles over them.
fn figures(report: &Document) -> Vec<(String, &Figure)> {
    let mut title = String::new();
    let mut all = Vec::new();
    for part in &report.parts {
        if !part.title.is_empty() {
            title.clone_from(&part.title);
        }
        match &part.body {
            Body::Figure(f) => all.push((title.clone(), &**f)),
            Body::Figures { figures, .. } => all.extend(figures.iter().map(|f| (title.clone(), f))),
            _ => {}
        }
    }
    all
}

/// Names that are told apart: the wanted one, or with a number.
#[derive(Default)]
struct Names(BTreeSet<String>);

impl Names {
    fn free(&mut self, wanted: &str, longest: usize) -> String {
        let plain = |c: char| if c.is_alphanumeric() || " ,.-_".contains(c) { c } else { ' ' };
        let clean: String = wanted.chars().map(plain).collect();
        let clean = clean.split_whitespace().collect::<Vec<_>>().join(" ");
        let base: String = if clean.is_empty() { "result".into() } else { clean };
        let cut = |end: &str| -> String {
            let room = longest - end.chars().count();
            format!("{}{end}", base.chars().take(room).collect::<String>().trim_end())
        };
        let numbered = (2..).map(|n| cut(&format!(" {n}")));
        // Spreadsheets and some file systems do not tell capitals apart.
        let name = std::iter::once(cut("")).chain(numbered).find(|n| !self.0.contains(&n.to_lowercase()));
        let name = name.unwrap_or_default();
        self.0.insert(name.to_lowercase());
        name
    }
}

/// Sets the tables of a report, and the values of its figures, as a workbook: one sheet each, numbers as numbers.
///
/// # Errors
/// The report shows neither, or it cannot be written.
pub fn workbook(report: &Document) -> Result<Vec<u8>, ReportError> {
    let mut names = Names::default();
    let mut sheets: Vec<Sheet> = Vec::new();
    let mut title = String::new();
    for part in &report.parts {
        if !part.title.is_empty() {
            title.clone_from(&part.title);
        }
        let own: Vec<Sheet> = match &part.body {
            Body::Table(t) => vec![t.sheet()],
            Body::Figure(f) => f.values.iter().cloned().collect(),
            Body::Figures { figures, .. } => figures.iter().filter_map(|f| f.values.clone()).collect(),
            _ => Vec::new(),
        };
        sheets.extend(own.into_iter().map(|s| Sheet { name: names.free(&title, LONGEST), ..s }));
    }
    if sheets.is_empty() {
        return Err(ReportError("it shows no table and no figure; add one, or choose another form".into()));
    }
    write_xlsx(&sheets).map_err(told)
}

/// Sets the figures of a report as files in a ZIP: each as SVG, as PNG, and its values as CSV.
///
/// # Errors
/// The report shows none, or they cannot be written.
pub fn folder(report: &Document) -> Result<Vec<u8>, ReportError> {
    let all = figures(report);
    if all.is_empty() {
        return Err(ReportError("it shows no figure; add one, or choose another form".into()));
    }
    let mut names = Names::default();
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let mut put = |name: String, bytes: &[u8]| -> Result<(), ReportError> {
        zip.start_file(name, SimpleFileOptions::default()).map_err(told)?;
        zip.write_all(bytes).map_err(told)
    };
    for (k, (title, figure)) in all.into_iter().enumerate() {
        let name = format!("{:02} {}", k + 1, names.free(&title, LONGEST_FILE));
        let drawing = figure.drawing();
        put(format!("{name}.svg"), svg(&drawing).as_bytes())?;
        put(format!("{name}.png"), &png(&drawing, SCALE).map_err(told)?)?;
        if let Some(values) = &figure.values {
            put(format!("{name}.csv"), &write_csv(values).map_err(told)?)?;
        }
    }
    Ok(zip.finish().map_err(told)?.into_inner())
}
