//! Pictures as they are sent, PNG, JPEG or SVG: how large they are, and a drawing of them.

use crate::FormatError;
use crate::plot::Drawing;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use resvg::usvg;

/// What a picture is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PictureKind {
    /// PNG.
    Png,
    /// JPEG.
    Jpeg,
    /// SVG.
    Svg,
}

impl PictureKind {
    /// By its first bytes; the last ones of PNG and JPEG tell whether it is whole.
    pub fn of(bytes: &[u8]) -> Option<PictureKind> {
        let png = bytes.starts_with(b"\x89PNG\r\n\x1a\n") && bytes.ends_with(b"IEND\xaeB`\x82");
        let jpeg = bytes.starts_with(b"\xff\xd8\xff") && bytes.trim_ascii_end().ends_with(b"\xff\xd9");
        let head = &bytes[..bytes.len().min(4096)];
        if png {
            Some(PictureKind::Png)
        } else if jpeg {
            Some(PictureKind::Jpeg)
        } else {
            head.windows(4).any(|w| w == b"<svg").then_some(PictureKind::Svg)
        }
    }

    /// Its media type.
    pub fn media_type(self) -> &'static str {
        match self {
            PictureKind::Png => "image/png",
            PictureKind::Jpeg => "image/jpeg",
            PictureKind::Svg => "image/svg+xml",
        }
    }
}

/// What drawings are read with: whatever a drawing names outside of itself is not looked for.
pub(crate) fn options() -> usvg::Options<'static> {
    let nowhere =
        usvg::ImageHrefResolver { resolve_string: Box::new(|_, _| None), ..usvg::ImageHrefResolver::default() };
    usvg::Options { image_href_resolver: nowhere, ..usvg::Options::default() }
}

/// Width and height of a picture, in its own units.
///
/// # Errors
/// It is none, or has no size.
pub fn size(bytes: &[u8]) -> Result<[f64; 2], FormatError> {
    let wrong = |says: String| FormatError::not_that("the picture", says);
    let kind = PictureKind::of(bytes);
    let kind = kind.ok_or_else(|| wrong("is no PNG, JPEG or SVG, or is cut off".into()))?;
    let found = match kind {
        PictureKind::Png => {
            let read = png::Decoder::new(std::io::Cursor::new(bytes)).read_info();
            let read = read.map_err(|e| wrong(format!("cannot be read: {e}")))?;
            Some([read.info().width, read.info().height].map(f64::from))
        }
        PictureKind::Jpeg => jpeg_size(bytes),
        PictureKind::Svg => {
            let tree = usvg::Tree::from_data(bytes, &options()).map_err(|e| wrong(format!("cannot be read: {e}")))?;
            Some([tree.size().width(), tree.size().height()].map(f64::from))
        }
    };
    found.filter(|s| s.iter().all(|x| x.is_finite() && *x > 0.0)).ok_or_else(|| wrong("has no size".into()))
}

/// Width and height of a JPEG, from its first frame header (ITU-T T.81, B.2.2).
fn jpeg_size(bytes: &[u8]) -> Option<[f64; 2]> {
    let mut at = 2;
    loop {
        let head = bytes.get(at..at + 9)?;
        if head[0] != 0xff {
            return None;
        }
        let number = |i: usize| u16::from_be_bytes([head[i], head[i + 1]]);
        match head[1] {
            0xff => at += 1,
            // Frame headers of all kinds of coding; what lies between them has other meanings.
            0xc0..=0xcf if !matches!(head[1], 0xc4 | 0xc8 | 0xcc) => {
                return Some([f64::from(number(7)), f64::from(u16::from_be_bytes([head[5], head[6]]))]);
            }
            _ => at += 2 + usize::from(number(2)).max(2),
        }
    }
}

/// A picture as an address of its own bytes; of what is none, one that shows nothing.
pub fn address(bytes: &[u8]) -> String {
    let kind = PictureKind::of(bytes).map_or("", PictureKind::media_type);
    format!("data:{kind};base64,{}", STANDARD.encode(bytes))
}

/// A picture as a drawing of this width, in the units of a drawing's lines.
///
/// # Errors
/// As [`size`].
pub fn drawing(bytes: &[u8], wide: f64) -> Result<Drawing, FormatError> {
    let [w, h] = size(bytes)?;
    let high = wide * h / w;
    let svg = format!(
        "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 {wide} {high}'><image width='{wide}' height='{high}' href='{}'/></svg>",
        address(bytes)
    );
    Ok(Drawing { svg, labels: Vec::new(), size: [wide, high] })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plot::out;

    const SVG: &[u8] = b"<?xml version='1.0'?><svg xmlns='http://www.w3.org/2000/svg' width='40' height='10'><path d='M0 0H40V10z'/></svg>";

    fn png_of(w: u32, h: u32) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut to = png::Encoder::new(&mut bytes, w, h);
        to.set_color(png::ColorType::Rgb);
        to.write_header().unwrap().write_image_data(&vec![200; (3 * w * h) as usize]).unwrap();
        bytes
    }

    #[test]
    fn pictures_tell_their_size() {
        assert_eq!(size(SVG).unwrap(), [40.0, 10.0]);
        assert_eq!(size(&png_of(30, 20)).unwrap(), [30.0, 20.0]);
        // Start, a comment, a frame of 7 by 300, end.
        let jpeg =
            [&[0xff, 0xd8, 0xff, 0xfe, 0, 4, 1, 2, 0xff, 0xc2, 0, 8, 8, 0, 7, 1, 44, 3, 0, 0][..], &[0xff, 0xd9]]
                .concat();
        assert_eq!(size(&jpeg).unwrap(), [300.0, 7.0]);
        for bad in [
            &b"hello"[..],
            b"<svg",
            &png_of(3, 2)[..40],
            &[0xff, 0xd8, 0xff, 0xd9],
            b"<svg xmlns='http://www.w3.org/2000/svg' width='0' height='1'/>",
        ] {
            assert!(size(bad).is_err(), "{bad:?}");
        }
    }

    #[test]
    fn a_picture_becomes_a_drawing_that_keeps_its_shape() {
        let drawn = drawing(&png_of(30, 20), 300.0).unwrap();
        assert_eq!(drawn.size, [300.0, 200.0]);
        let back = out::png(&drawn, 1.0).unwrap();
        assert_eq!(size(&back).unwrap(), [300.0, 200.0]);
    }

    #[test]
    fn a_drawing_reaches_for_no_file() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("secret.png");
        std::fs::write(&file, png_of(2, 2)).unwrap();
        let svg = |href: &str| {
            format!(
                "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 8 8'><image width='8' height='8' href='{href}'/></svg>"
            )
        };
        let drawn =
            |href: &str| out::png(&Drawing { svg: svg(href), labels: Vec::new(), size: [8.0, 8.0] }, 1.0).unwrap();
        assert_eq!(drawn(&file.display().to_string()), drawn("nowhere.png"), "as if it were not there");
    }
}
