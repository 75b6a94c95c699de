//! What stands over a report: the house's lines and its logo.

use crate::ReportError;
use echo_formats::picture::{PictureKind, address, drawing, size};
use echo_formats::plot::out::{escaped, png};
use serde::Serialize;

/// The paper a report is set on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Paper {
    /// Whether it is US Letter instead of A4.
    pub letter: bool,
}

impl Paper {
    /// Width and height, mm.
    pub fn size_mm(self) -> [f64; 2] {
        if self.letter { [215.9, 279.4] } else { [210.0, 297.0] }
    }

    /// As the typesetter calls it.
    pub(crate) fn name(self) -> &'static str {
        if self.letter { "us-letter" } else { "a4" }
    }
}

/// What stands over a report.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Letterhead {
    /// Name and address, line by line.
    pub lines: Vec<String>,
    /// The logo.
    #[serde(skip)]
    pub logo: Option<Logo>,
}

/// A logo as it was sent.
#[derive(Debug, Clone, PartialEq)]
pub struct Logo {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// Whether it is SVG, and not PNG.
    pub svg: bool,
    /// Its height over its width.
    pub aspect: f64,
}

impl Logo {
    /// A logo from a file.
    ///
    /// # Errors
    /// It is neither a drawing nor a picture, or cannot be drawn.
    pub fn read(bytes: Vec<u8>) -> Result<Logo, ReportError> {
        let wrong = |says: String| ReportError(format!("the logo cannot be used: {says}; allowed: SVG or PNG"));
        let kind = PictureKind::of(&bytes).filter(|k| *k != PictureKind::Jpeg);
        let kind = kind.ok_or_else(|| wrong("it is neither".into()))?;
        let [wide, high] = size(&bytes).map_err(|e| wrong(e.to_string()))?;
        let aspect = high / wide;
        if !(0.02..=50.0).contains(&aspect) {
            return Err(wrong(format!("it is {wide} wide and {high} high")));
        }
        Ok(Logo { bytes, svg: kind == PictureKind::Svg, aspect })
    }

    /// Its name among the files of a page.
    pub(crate) fn name(&self) -> &'static str {
        if self.svg { "/logo.svg" } else { "/logo.png" }
    }
}

impl Letterhead {
    /// The logo as PNG with its height over its width, where there is one.
    ///
    /// # Errors
    /// It cannot be drawn.
    pub(crate) fn picture(&self, scale: f64) -> Result<Option<(Vec<u8>, f64)>, ReportError> {
        let Some(logo) = &self.logo else { return Ok(None) };
        if !logo.svg {
            return Ok(Some((logo.bytes.clone(), logo.aspect)));
        }
        let drawn = drawing(&logo.bytes, 240.0).and_then(|d| png(&d, scale));
        Ok(Some((drawn.map_err(|e| ReportError(e.to_string()))?, logo.aspect)))
    }

    /// As HTML.
    pub(crate) fn html(&self) -> String {
        let logo = self.logo.as_ref().map_or_else(String::new, |l| format!("<img alt='' src='{}'>", address(&l.bytes)));
        let lines: Vec<String> = self.lines.iter().map(|l| escaped(l)).collect();
        format!("<div class='letterhead'>{logo}<div class='soft'>{}</div></div>", lines.join("<br>"))
    }
}
