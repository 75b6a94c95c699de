//! Photographs for paper: turned as they were taken, no larger than a page can show.

use crate::picture::PictureKind;
use image::codecs::jpeg::JpegEncoder;
use image::metadata::Orientation;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};
use std::borrow::Cow;
use std::io::Cursor;

/// Quality of what is written anew, of 100: nothing of it is seen on paper.
const QUALITY: u8 = 88;
/// Bytes up to which a picture that fits stays as it was sent.
const SMALL: usize = 1 << 20;
/// Largest picture that is unpacked: memory, and pixels a side.
const MOST_BYTES: u64 = 1 << 30;
const MOST_SIDE: u32 = 30_000;

/// A picture as paper needs it: at most so many pixels a side, turned the way the camera was held (Exif 2.3, orientation).
/// What is small already, a drawing, or one that cannot be read stays as it is.
pub fn for_paper(bytes: &[u8], most: u32) -> Cow<'_, [u8]> {
    made(bytes, most).map_or(Cow::Borrowed(bytes), Cow::Owned)
}

fn made(bytes: &[u8], most: u32) -> Option<Vec<u8>> {
    let format = match PictureKind::of(bytes)? {
        PictureKind::Jpeg => ImageFormat::Jpeg,
        PictureKind::Png => ImageFormat::Png,
        PictureKind::Svg => return None,
    };
    let mut reader = ImageReader::with_format(Cursor::new(bytes), format);
    let mut limits = Limits::default();
    (limits.max_alloc, limits.max_image_width, limits.max_image_height) =
        (Some(MOST_BYTES), Some(MOST_SIDE), Some(MOST_SIDE));
    reader.limits(limits);
    let mut decoder = reader.into_decoder().ok()?;
    let turned = decoder.orientation().unwrap_or(Orientation::NoTransforms);
    let (wide, high) = decoder.dimensions();
    let large = wide.max(high) > most;
    if !large && turned == Orientation::NoTransforms && bytes.len() <= SMALL {
        return None;
    }
    let mut picture = DynamicImage::from_decoder(decoder).ok()?;
    if large {
        picture = picture.thumbnail(most, most);
    }
    picture.apply_orientation(turned);
    let mut out = Cursor::new(Vec::new());
    // What one can see through has no place in a JPEG.
    if format == ImageFormat::Jpeg || !picture.color().has_alpha() && large {
        JpegEncoder::new_with_quality(&mut out, QUALITY).encode_image(&picture.to_rgb8()).ok()?;
    } else {
        picture.write_to(&mut out, ImageFormat::Png).ok()?;
    }
    Some(out.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::size;
    use image::RgbImage;

    /// A photograph, light above and dark below, held as the number says.
    fn photo(wide: u32, high: u32, orientation: Option<u8>) -> Vec<u8> {
        let picture = RgbImage::from_fn(wide, high, |_, y| image::Rgb([if y < high / 2 { 240 } else { 20 }; 3]));
        let mut bytes = Vec::new();
        JpegEncoder::new_with_quality(&mut bytes, 95).encode_image(&picture).unwrap();
        if let Some(o) = orientation {
            let exif =
                [b"Exif\0\0II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0".as_slice(), &[o, 0, 0, 0], &[0; 4]].concat();
            let head = [&[0xff, 0xe1], &(exif.len() as u16 + 2).to_be_bytes()[..], &exif].concat();
            bytes.splice(2..2, head);
        }
        bytes
    }

    fn light(bytes: &[u8], x: u32, y: u32) -> u8 {
        image::load_from_memory(bytes).unwrap().to_rgb8().get_pixel(x, y).0[0]
    }

    #[test]
    fn a_photograph_is_turned_as_it_was_taken_and_made_to_fit() {
        let small = photo(300, 200, None);
        assert!(matches!(for_paper(&small, 1600), Cow::Borrowed(_)), "what fits stays as it was sent");
        // Held with its right side down: what was stored on top was on the right.
        let upright = for_paper(&photo(300, 200, Some(6)), 1600).into_owned();
        assert_eq!(size(&upright).unwrap(), [200.0, 300.0]);
        assert!(light(&upright, 190, 150) > 200 && light(&upright, 10, 150) < 60);
        let large = photo(4000, 3000, Some(3));
        let fits = for_paper(&large, 1600).into_owned();
        assert_eq!(size(&fits).unwrap(), [1600.0, 1200.0]);
        assert!(light(&fits, 800, 100) < 60 && light(&fits, 800, 1100) > 200, "upside down");
        let broken = b"\xff\xd8\xff\xd9";
        assert!(matches!(for_paper(broken, 1600), Cow::Borrowed(_)), "who shows it tells what is wrong with it");
    }
}
