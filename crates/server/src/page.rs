//! The page's files: of a folder, or of the program itself.

use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use axum::{Router, body::Body};
use std::borrow::Cow;
use std::path::PathBuf;
use tower_http::services::{ServeDir, ServeFile};

/// Finds a file by its path without a slash in front.
pub type Find = fn(&str) -> Option<Cow<'static, [u8]>>;

/// Where the page lies.
#[derive(Clone)]
pub enum Page {
    /// In a folder.
    Folder(PathBuf),
    /// In the program.
    BuiltIn(Find),
}

/// Packings of a file beside it, the better first.
const PACKED: [(&str, &str); 2] = [("br", ".br"), ("gzip", ".gz")];
/// What the bundler puts here has a name of its own for every content.
const NAMED_BY_CONTENT: &str = "assets/";
const INDEX: &str = "index.html";

impl Page {
    /// Answers what the API does not: the page's files, and its first one for every address within it.
    pub(crate) fn after<S: Clone + Send + Sync + 'static>(self, api: Router<S>) -> Router<S> {
        match self {
            Page::Folder(folder) => {
                let index = ServeFile::new(folder.join(INDEX));
                api.fallback_service(ServeDir::new(folder).precompressed_br().precompressed_gzip().fallback(index))
            }
            Page::BuiltIn(find) => api.fallback(async move |method: Method, uri: Uri, headers: HeaderMap| {
                built_in(find, &method, uri.path(), &headers)
            }),
        }
    }
}

fn takes(headers: &HeaderMap, packing: &str) -> bool {
    let all = headers.get_all(header::ACCEPT_ENCODING).into_iter().filter_map(|v| v.to_str().ok());
    all.flat_map(|v| v.split(',')).any(|one| {
        let mut parts = one.split(';').map(str::trim);
        parts.next() == Some(packing) && parts.all(|p| p.replace(' ', "") != "q=0")
    })
}

/// A file of the built-in page as a browser takes it: packed where it can unpack it; the first one for every other
/// address.
pub fn built_in(find: Find, method: &Method, path: &str, headers: &HeaderMap) -> Response {
    if !matches!(*method, Method::GET | Method::HEAD) {
        return StatusCode::METHOD_NOT_ALLOWED.into_response();
    }
    let asked = path.trim_start_matches('/');
    let (name, plain) = match find(asked).filter(|_| !asked.is_empty()) {
        Some(bytes) => (asked, bytes),
        None => match find(INDEX) {
            Some(bytes) => (INDEX, bytes),
            None => return StatusCode::NOT_FOUND.into_response(),
        },
    };
    let packed = PACKED.iter().filter(|(word, _)| takes(headers, word));
    let packed = packed.filter_map(|(word, ending)| Some((*word, find(&format!("{name}{ending}"))?))).next();
    let kind = mime_guess::from_path(name).first_or_octet_stream();
    let kept = if name.starts_with(NAMED_BY_CONTENT) { "public, max-age=31536000, immutable" } else { "no-cache" };
    let (encoding, bytes) = packed.map_or((None, plain), |(word, bytes)| (Some(word), bytes));
    let mut answer = Response::new(if *method == Method::HEAD { Body::empty() } else { Body::from(bytes) });
    let told = answer.headers_mut();
    told.insert(header::VARY, HeaderValue::from_static("accept-encoding"));
    told.insert(header::CACHE_CONTROL, HeaderValue::from_static(kept));
    if let Ok(kind) = HeaderValue::from_str(kind.as_ref()) {
        told.insert(header::CONTENT_TYPE, kind);
    }
    if let Some(word) = encoding {
        told.insert(header::CONTENT_ENCODING, HeaderValue::from_static(word));
    }
    answer
}
