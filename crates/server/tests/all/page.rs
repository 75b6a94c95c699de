//! The page's files as a browser takes them.

use axum::body::to_bytes;
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, header};
use echo_server::page::built_in;
use std::borrow::Cow;

fn find(path: &str) -> Option<Cow<'static, [u8]>> {
    let bytes: &[u8] = match path {
        "index.html" => b"first",
        "assets/a.js" => b"plain",
        "assets/a.js.br" => b"brotli",
        "assets/a.js.gz" => b"gzip",
        "assets/b.woff2" => b"font",
        _ => return None,
    };
    Some(bytes.into())
}

async fn asked(path: &str, encoding: &'static str) -> (String, [String; 3]) {
    let mut headers = HeaderMap::new();
    headers.insert(header::ACCEPT_ENCODING, HeaderValue::from_static(encoding));
    let answer = built_in(find, &Method::GET, path, &headers);
    let told = [header::CONTENT_TYPE, header::CONTENT_ENCODING, header::CACHE_CONTROL]
        .map(|h| answer.headers().get(h).map_or("", |v| v.to_str().unwrap()).to_string());
    let body = to_bytes(answer.into_body(), 100).await.unwrap();
    (String::from_utf8(body.to_vec()).unwrap(), told)
}

#[tokio::test]
async fn files_come_packed_as_the_browser_takes_them() {
    let (body, [kind, encoding, kept]) = asked("/assets/a.js", "gzip, deflate, br").await;
    assert_eq!((body.as_str(), encoding.as_str()), ("brotli", "br"));
    assert!(kind.starts_with("text/javascript") && kept.contains("immutable"), "{kind} {kept}");
    assert_eq!(asked("/assets/a.js", "br;q=0, gzip").await.1[1], "gzip");
    assert_eq!(asked("/assets/a.js", "").await.0, "plain");
    assert_eq!(asked("/assets/b.woff2", "br").await.0, "font");
}

#[tokio::test]
async fn every_address_of_the_page_is_its_first_file_and_asked_for_anew() {
    for path in ["/", "/c/3/rig", "/campaigns", "/../etc/passwd"] {
        let (body, [kind, _, kept]) = asked(path, "br").await;
        assert_eq!((body.as_str(), kept.as_str()), ("first", "no-cache"), "{path}");
        assert!(kind.starts_with("text/html"), "{kind}");
    }
    let answer = built_in(find, &Method::POST, "/", &HeaderMap::new());
    assert_eq!(answer.status(), StatusCode::METHOD_NOT_ALLOWED);
    assert_eq!(built_in(|_| None, &Method::GET, "/", &HeaderMap::new()).status(), StatusCode::NOT_FOUND);
}
