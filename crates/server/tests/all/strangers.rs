//! Who may ask at all.

use axum::http::{HeaderMap, Method, header};
use echo_server::strangers::refused;

fn asked(method: Method, host: &str, origin: Option<&str>, upgrade: bool) -> Option<String> {
    let mut headers = HeaderMap::new();
    headers.insert(header::HOST, host.parse().unwrap());
    if let Some(o) = origin {
        headers.insert(header::ORIGIN, o.parse().unwrap());
    }
    if upgrade {
        headers.insert(header::UPGRADE, "websocket".parse().unwrap());
    }
    refused(&method, &headers, None, &["rig.example".into()])
}

#[test]
fn only_own_pages_and_programs_are_let_in() {
    for host in ["127.0.0.1:7400", "localhost:7400", "[::1]:7400", "192.168.7.20", "rig.example", "RIG.example:80"] {
        assert_eq!(asked(Method::POST, host, None, false), None, "{host}");
        assert_eq!(asked(Method::POST, host, Some(&format!("http://{host}")), false), None, "{host}");
        assert_eq!(asked(Method::GET, host, Some("http://elsewhere.example"), false), None, "reading is harmless");
        for origin in ["http://elsewhere.example", "null", "http://localhost.elsewhere.example:7400", "", "x"] {
            assert!(asked(Method::POST, host, Some(origin), false).is_some(), "{host} {origin}");
            assert!(asked(Method::GET, host, Some(origin), true).is_some(), "the live link: {host} {origin}");
        }
    }
    for host in ["elsewhere.example:7400", "", "localhost.elsewhere.example", "127.0.0.1.elsewhere.example", "@"] {
        assert!(asked(Method::GET, host, None, false).unwrap().contains("does not answer to the name"), "{host}");
    }
}
