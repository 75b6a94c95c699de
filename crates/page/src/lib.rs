//! The built page as part of the program: its files as they lay in `web/dist` when this was compiled.

use rust_embed::RustEmbed;
use std::borrow::Cow;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
struct Dist;

/// A file of the page by its path without a slash in front: `index.html`; none where there is no such file.
pub fn file(path: &str) -> Option<Cow<'static, [u8]>> {
    Dist::get(path).map(|f| f.data)
}

/// Whether the page was there when this was compiled.
pub fn is_there() -> bool {
    file("index.html").is_some()
}
