//! What a request needs.

use axum::http::Method;
use echo_job::role::Role;
use echo_server::roles::{Needs, needs};

#[test]
fn what_is_not_known_is_for_owners() {
    assert_eq!(needs(&Method::POST, "/something/new"), Needs::Role(Role::Own));
    assert_eq!(needs(&Method::GET, "/people"), Needs::Role(Role::Own));
    assert_eq!(needs(&Method::GET, "/status"), Needs::Role(Role::Watch));
    assert_eq!(needs(&Method::POST, "/sign-in"), Needs::Nothing);
}

#[test]
fn recording_needs_measuring_and_stopping_needs_nothing_but_eyes() {
    assert_eq!(needs(&Method::POST, "/capture/record"), Needs::Role(Role::Measure));
    assert_eq!(needs(&Method::PUT, "/front-ends/0/output"), Needs::Role(Role::Measure));
    assert_eq!(needs(&Method::POST, "/capture/stop"), Needs::Role(Role::Watch));
    assert_eq!(needs(&Method::POST, "/emergency-stop"), Needs::Role(Role::Watch));
    assert_eq!(needs(&Method::PUT, "/campaigns/3/plan"), Needs::Role(Role::Work));
    assert_eq!(needs(&Method::DELETE, "/campaigns/3"), Needs::Role(Role::Own));
}

#[test]
fn every_route_of_the_api_is_in_the_table() {
    for (path, methods) in echo_server::api::description().paths.paths {
        let below = path.strip_prefix("/api").unwrap_or(&path).to_string();
        let own = ["/people", "/tokens", "/shelf/remove-demo"].iter().any(|p| below.starts_with(p));
        let writes = [
            (Method::POST, methods.post.is_some()),
            (Method::PUT, methods.put.is_some()),
            (Method::PATCH, methods.patch.is_some()),
            (Method::DELETE, methods.delete.is_some()),
        ];
        for (method, _) in writes.into_iter().filter(|w| w.1) {
            let removes = method == Method::DELETE && below == "/campaigns/{id}";
            let closed = needs(&method, &below) == Needs::Role(Role::Own);
            assert_eq!(closed, own || removes, "{method} {below}: say in the table who may do it");
        }
    }
}
