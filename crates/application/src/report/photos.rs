//! Photographs of specimens as reports show them, each made once: unpacking one takes longer than setting a page.

use crate::{Desk, Error, Result};
use echo_formats::photo::for_paper;
use echo_formats::picture::drawing;
use echo_formats::plot::Drawing;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// Photographs kept at hand at most.
const MOST: usize = 48;
/// Pixels a side: two hundred an inch over the width of a page.
const PIXELS: u32 = 1600;

/// A photograph by the key of its file.
type Made = (i64, Arc<Drawing>);

/// Photographs that were made lately, by their keys; a file under a key never changes.
#[derive(Clone, Default)]
pub(crate) struct Photos(Arc<Mutex<VecDeque<Made>>>);

impl Photos {
    fn get(&self, key: i64) -> Option<Arc<Drawing>> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.iter().find(|(of, _)| *of == key).map(|(_, drawn)| drawn.clone())
    }

    fn keep(&self, key: i64, drawn: Arc<Drawing>) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.push_back((key, drawn));
        while all.len() > MOST {
            all.pop_front();
        }
    }
}

/// A picture of a specimen, as a drawing of this width.
///
/// # Errors
/// There is none of that key, it is no picture, or the database is away.
pub(super) async fn photo(desk: &Desk, key: i64, wide: f64) -> Result<Arc<Drawing>> {
    if let Some(drawn) = desk.photos.get(key) {
        return Ok(drawn);
    }
    let (_, bytes) = desk.store.specimen_file(key).await?;
    let drawn = tokio::task::spawn_blocking(move || drawing(&for_paper(&bytes, PIXELS), wide)).await?;
    let drawn = Arc::new(drawn.map_err(|e| Error::conflict(e.to_string()))?);
    desk.photos.keep(key, drawn.clone());
    Ok(drawn)
}
