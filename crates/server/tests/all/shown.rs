//! What a request is about.

use axum::http::Method;
use echo_server::shown::{About, about};

#[test]
fn what_a_request_is_about_is_read_from_its_address() {
    let of = |method: Method, path: &str| about(&method, path);
    assert_eq!(of(Method::PUT, "/campaigns/3/plan"), About::Campaign(3));
    assert_eq!(of(Method::DELETE, "/campaigns/3/benches/mine"), About::Campaign(3));
    assert_eq!(of(Method::GET, "/campaigns/3/plan"), About::Other);
    assert_eq!(of(Method::POST, "/runs/9/notes"), About::Run(9));
    assert_eq!(of(Method::POST, "/runs/9/channels/2/cell"), About::Run(9));
    assert_eq!(of(Method::DELETE, "/runs/9"), About::Run(9));
    assert_eq!(of(Method::DELETE, "/campaigns/3"), About::Other, "the shelf shows no campaign");
    // A recipe is read, whatever campaign the run is from.
    assert_eq!(of(Method::POST, "/runs/9/results"), About::Other);
    for order in ["/capture/arm", "/capture/record", "/reference/read", "/front-ends/0/restart"] {
        assert_eq!(of(Method::POST, order), About::Measured, "{order}");
    }
    assert_eq!(of(Method::PUT, "/front-ends/0/output"), About::Measured);
    // What ends something is never refused.
    for stop in ["/capture/stop", "/emergency-stop", "/front-ends/0/output/keep", "/capture/levels/reset"] {
        assert_eq!(of(Method::POST, stop), About::Other, "{stop}");
    }
    assert_eq!(of(Method::POST, "/campaigns/x/plan"), About::Other);
}
