//! What goes with a PDF, read out of it again.

use crate::ReportError;
use crate::set::ATTACHMENT;
use hayro_syntax::Pdf;
use hayro_syntax::object::{Dict, Object, Stream, String as PdfString};

/// What a report was made of, as JSON, from its PDF.
///
/// # Errors
/// It is no PDF, or none that carries what it was made of.
pub fn attached(pdf: Vec<u8>) -> Result<Vec<u8>, ReportError> {
    let told = |says: &str| ReportError(says.into());
    let pdf = Pdf::new(pdf).map_err(|_| told("this is no PDF, or one that was cut off"))?;
    let named = |d: &Dict<'_>| {
        let name = d.get::<PdfString<'_>>("UF").or_else(|| d.get::<PdfString<'_>>("F"));
        name.is_some_and(|n| letters(&n) == ATTACHMENT)
    };
    let file = pdf.objects().into_iter().find_map(|o| match o {
        Object::Dict(d) if named(&d) => d.get::<Dict<'_>>("EF")?.get::<Stream<'_>>("F"),
        _ => None,
    });
    let file = file.ok_or_else(|| {
        told(&format!(
            "this PDF carries no {ATTACHMENT}; allowed: a report as it was saved, not one that was printed anew"
        ))
    })?;
    let bytes = file.decoded().map_err(|_| told("what the PDF carries cannot be read"))?;
    Ok(bytes.into_owned())
}

/// The letters of a PDF's string: UTF-16 with its mark, or bytes.
fn letters(text: &[u8]) -> String {
    match text.strip_prefix(&[0xfe, 0xff]) {
        Some(wide) => {
            let units: Vec<u16> = wide.chunks_exact(2).map(|b| u16::from_be_bytes([b[0], b[1]])).collect();
            String::from_utf16_lossy(&units)
        }
        None => String::from_utf8_lossy(text).into_owned(),
    }
}
