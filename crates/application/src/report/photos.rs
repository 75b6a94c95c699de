//! Photographs of specimens as reports show them, each made once: unpacking one takes longer than setting a page.

use crate::lately::Lately;
use crate::{Desk, Error, Result};
use echo_formats::photo::for_paper;
use echo_formats::picture::drawing;
use echo_formats::plot::Drawing;
use std::sync::Arc;

/// Photographs kept at hand at most.
const MOST: usize = 48;
/// Pixels a side: two hundred an inch over the width of a page.
const PIXELS: u32 = 1600;

/// Photographs that were made lately, by the keys of their files; a file under a key never changes.
pub(crate) type Photos = Lately<i64, Drawing, MOST>;

/// A picture of a specimen, as a drawing of this width.
///
/// # Errors
/// There is none of that key, it is no picture, or the database is away.
pub(super) async fn photo(desk: &Desk, key: i64, wide: f64) -> Result<Arc<Drawing>> {
    if let Some(drawn) = desk.photos.get(&key) {
        return Ok(drawn);
    }
    let (_, bytes) = desk.store.specimen_file(key).await?;
    let drawn = tokio::task::spawn_blocking(move || drawing(&for_paper(&bytes, PIXELS), wide)).await?;
    Ok(desk.photos.keep(key, drawn.map_err(|e| Error::conflict(e.to_string()))?))
}
