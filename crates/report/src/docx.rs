//! A report as a text document for who must edit it: pictures and tables, headings as headings.

use crate::ReportError;
use crate::document::{Body, Document, Figure, Set, Table, Words};
use docx_rs::{
    AlignmentType, BreakType, Docx, Footer, Header, NumPages, PageMargin, PageNum, Paragraph, Pic, Run, RunFonts,
    RunProperty, Style, StyleType, Table as Grid, TableCell, TableRow, VertAlignType, WidthType,
};
use echo_formats::plot::out::png;
use echo_job::report::text::Place;
use std::io::Cursor;

/// Pixels to a unit of a figure's lines: sharp on paper.
const SCALE: f64 = 3.0;
/// Units of the document: to a point, and to a millimetre of a picture.
const TWIPS: f64 = 20.0;
const EMU_A_MM: f64 = 36_000.0;
/// Margins of a page, mm.
const MARGIN_MM: f64 = 18.0;
const INK: &str = "10263B";
const SOFT: &str = "52667A";
const LOUD: &str = "A03000";

fn told(e: impl std::fmt::Display) -> ReportError {
    ReportError(e.to_string())
}

/// What is written so far, and how many figures and tables it has.
struct Writer<'a> {
    docx: Docx,
    words: Words,
    report: &'a Document,
    figures: usize,
    tables: usize,
}

/// Sets a report as a text document.
///
/// # Errors
/// A figure cannot be drawn, or it cannot be packed.
pub fn docx(report: &Document) -> Result<Vec<u8>, ReportError> {
    let [wide, high] = report.paper.size_mm();
    let twips = |mm: f64| (mm / 25.4 * 72.0 * TWIPS).round();
    let margin = twips(MARGIN_MM) as i32;
    let at = report.made_at.format("%Y-%m-%dT%H:%M:%SZ").to_string();
    let heading = |id: &str, name: &str, size: usize| {
        Style::new(id, StyleType::Paragraph).name(name).bold().size(size).color(INK)
    };
    let foot = paragraph()
        .add_run(small(&format!("{} · {} ", clean(&report.foot), Words::from(report.language).page)))
        .add_page_num(PageNum::new())
        .add_run(small(" / "))
        .add_num_pages(NumPages::new());
    let docx = Docx::new()
        .page_size(twips(wide) as u32, twips(high) as u32)
        .page_margin(PageMargin {
            top: margin,
            left: margin,
            bottom: margin,
            right: margin,
            header: 400,
            footer: 400,
            gutter: 0,
        })
        .default_fonts(RunFonts::new().ascii("Sofia Sans").hi_ansi("Sofia Sans").cs("Sofia Sans"))
        .default_size(18)
        .add_style(Style::new("Normal", StyleType::Paragraph).name("Normal"))
        .add_style(heading("Title", "Title", 32))
        .add_style(heading("Heading1", "heading 1", 22))
        .add_style(heading("Heading2", "heading 2", 19))
        .add_style(Style::new("Caption", StyleType::Paragraph).name("caption").size(15).color(SOFT))
        .created_at(&at)
        .updated_at(&at)
        .header(Header::new())
        .footer(Footer::new().add_paragraph(foot));
    let mut to = Writer { docx, words: Words::from(report.language), report, figures: 0, tables: 0 };
    for part in &report.parts {
        if !part.title.is_empty() && !matches!(part.body, Body::Head { .. }) {
            to.line(Paragraph::new().style("Heading1").keep_next(true).add_run(plain(&part.title)));
        }
        to.body(&part.body)?;
    }
    let mut out = Cursor::new(Vec::new());
    to.docx.pack(&mut out).map_err(told)?;
    Ok(out.into_inner())
}

/// Leaves out what XML does not take.
fn clean(text: &str) -> String {
    text.chars().filter(|c| !c.is_control() && !matches!(c, '\u{fffe}' | '\u{ffff}')).collect()
}

/// A paragraph that says what it is: programs differ in what they take one without a style for.
fn paragraph() -> Paragraph {
    Paragraph::new().style("Normal")
}

fn plain(text: &str) -> Run {
    Run::new().add_text(clean(text))
}

fn small(text: &str) -> Run {
    plain(text).size(15).color(SOFT)
}

fn spans(set: &Set) -> Vec<Run> {
    let one = |s: &crate::document::SetSpan| {
        let mut run = plain(&s.text);
        if s.strong {
            run = run.bold();
        }
        if s.slanted {
            run = run.italic();
        }
        let at = match s.place {
            Place::Line => return run,
            Place::Raised => VertAlignType::SuperScript,
            Place::Lowered => VertAlignType::SubScript,
        };
        run.run_property = RunProperty { vert_align: Some(docx_rs::VertAlign::new(at)), ..run.run_property };
        run
    };
    set.spans.iter().map(one).collect()
}

fn with(p: Paragraph, runs: Vec<Run>) -> Paragraph {
    runs.into_iter().fold(p, Paragraph::add_run)
}

impl Writer<'_> {
    fn line(&mut self, p: Paragraph) {
        self.docx = std::mem::take(&mut self.docx).add_paragraph(p);
    }

    fn grid(&mut self, g: Grid) {
        self.docx = std::mem::take(&mut self.docx).add_table(g);
        // Two tables without a line between them would be one.
        self.line(paragraph());
    }

    fn body(&mut self, body: &Body) -> Result<(), ReportError> {
        match body {
            Body::Head { heading, subtitle } => {
                if let Some(letterhead) = &self.report.letterhead {
                    if let Some((bytes, aspect)) = letterhead.picture(SCALE)? {
                        self.line(paragraph().add_run(Run::new().add_image(pic(bytes, aspect, 40.0))));
                    }
                    for line in &letterhead.lines {
                        self.line(paragraph().add_run(small(line)));
                    }
                }
                self.line(paragraph().add_run(small(heading)));
                let title = plain(&self.report.title);
                self.line(Paragraph::new().style("Title").add_run(title));
                self.line(paragraph().add_run(small(subtitle)));
            }
            Body::Text { paragraphs } => self.text(paragraphs),
            Body::Facts { rows } => {
                let row = |(name, value): &(String, String)| {
                    let cell = |run: Run| TableCell::new().add_paragraph(paragraph().add_run(run));
                    TableRow::new(vec![cell(small(name)), cell(plain(value))])
                };
                self.grid(Grid::without_borders(rows.iter().map(row).collect()).width(5000, WidthType::Pct));
            }
            Body::Figure(f) => self.figure(f, 1)?,
            Body::Figures { beside, figures } => {
                for f in figures {
                    self.figure(f, *beside)?;
                }
            }
            Body::Table(t) => self.table(t),
            Body::Listing { entries } => {
                for (name, text) in entries {
                    self.line(paragraph().keep_next(true).add_run(plain(name).bold()));
                    self.line(text.lines().fold(paragraph(), |p, l| {
                        p.add_run(small(l)).add_run(Run::new().add_break(BreakType::TextWrapping))
                    }));
                }
            }
            Body::Signature { names } => {
                for name in names {
                    self.line(paragraph());
                    self.line(paragraph().add_run(plain(&"_".repeat(36))));
                    self.line(paragraph().add_run(small(name)));
                }
            }
            Body::NextPage => self.line(paragraph().add_run(Run::new().add_break(BreakType::Page))),
            Body::Refused { says } => self.line(paragraph().add_run(plain(says).color(LOUD))),
        }
        Ok(())
    }

    fn text(&mut self, paragraphs: &[Set]) {
        for p in paragraphs {
            let begun = match p.kind {
                "heading" => Paragraph::new().style("Heading2").keep_next(true),
                "item" => paragraph().indent(Some(360), None, None, None).add_run(plain("•  ")),
                "numbered" => {
                    let number = plain(&format!("{}.  ", p.number));
                    paragraph().indent(Some(360), None, None, None).add_run(number)
                }
                _ => paragraph(),
            };
            self.line(with(begun, spans(p)));
        }
    }

    fn caption(&mut self, before: &str, caption: &[Set]) {
        let first = Paragraph::new().style("Caption").add_run(small(before));
        let set = caption.iter().fold(first, |p, line| with(p, spans(line)));
        self.line(set);
    }

    fn figure(&mut self, f: &Figure, beside: u8) -> Result<(), ReportError> {
        let bytes = png(&f.drawing(), SCALE).map_err(told)?;
        let wide = (self.report.paper.size_mm()[0] - 2.0 * MARGIN_MM) / f64::from(beside.clamp(1, 2));
        self.line(paragraph().keep_next(true).add_run(Run::new().add_image(pic(bytes, f.aspect, wide))));
        self.figures += 1;
        let before = format!("{} {}. ", self.words.figure, self.figures);
        self.caption(&before, &f.caption);
        for (place, says) in &f.notes {
            self.line(Paragraph::new().style("Caption").add_run(small(&format!("{place}: {says}"))));
        }
        Ok(())
    }

    fn table(&mut self, t: &Table) {
        let cell = |c: usize, run: Run| {
            let side = if t.digits.get(c) == Some(&true) { AlignmentType::Right } else { AlignmentType::Left };
            TableCell::new().add_paragraph(paragraph().align(side).add_run(run.size(15)))
        };
        let head = t.heads.iter().enumerate().map(|(c, text)| cell(c, small(text))).collect();
        let row = |(k, row): (usize, &Vec<String>)| {
            let loud = t.loud.get(k) == Some(&true);
            let run = |text: &String| if loud { plain(text).bold().color(LOUD) } else { plain(text) };
            TableRow::new(row.iter().enumerate().map(|(c, text)| cell(c, run(text))).collect()).cant_split()
        };
        let rows = std::iter::once(TableRow::new(head)).chain(t.rows.iter().enumerate().map(row)).collect();
        self.grid(Grid::new(rows).width(5000, WidthType::Pct));
        self.tables += 1;
        let before = format!("{} {}. ", self.words.table, self.tables);
        self.caption(&before, &t.caption);
    }
}

/// A picture of so many millimetres.
fn pic(bytes: Vec<u8>, aspect: f64, wide_mm: f64) -> Pic {
    let wide = wide_mm * EMU_A_MM;
    let pixels = |x: f64| (x / EMU_A_MM * 12.0) as u32;
    Pic::new_with_dimensions(bytes, pixels(wide), pixels(wide * aspect)).size(wide as u32, (wide * aspect) as u32)
}
