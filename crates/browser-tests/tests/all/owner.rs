//! One process works on a database: others refuse in a sentence and change nothing.

use anyhow::Result;
use echo_browser_tests::{Rigged, program};
use serde_json::json;
use std::process::Command;

#[tokio::test]
async fn a_second_process_on_an_owned_database_refuses_and_changes_nothing() -> Result<()> {
    let mut r = Rigged::start().await?;
    let bump = json!({ "when": "level", "input": 7, "level": 1000.0, "hysteresis": 1.0, "unit": "m/s²" });
    let start = json!({ "conditions": [bump], "pre_s": 0.2, "takes": 1 });
    let (status, body) =
        r.plan_with(1, json!({ "length": { "ends": "after", "duration_s": 1.0 }, "start": start })).await?;
    assert_eq!(status, 200, "{body}");
    assert_eq!(r.order("arm").await?.0, 204);
    r.armed(0.2).await?;
    let before = r.get("/api/campaigns").await?;
    for words in [
        &["serve", "--listen", "127.0.0.1:0"][..],
        &["soak", "--front-end", &r.lantern_address],
        &["demo", "--front-end", &r.lantern_address],
    ] {
        let out = Command::new(program("fleet-echo")).args(words).env("DATABASE_URL", &r.database.url).output()?;
        let says = String::from_utf8_lossy(&out.stderr);
        assert!(!out.status.success(), "{words:?}");
        assert!(says.contains("fleet-echo serve (process"), "{words:?}: {says}");
        assert!(says.contains("works on this database already; stop it first"), "{words:?}: {says}");
    }
    assert_eq!(r.get("/api/campaigns").await?, before);
    // What was armed before is armed still, and records.
    r.armed(0.2).await?;
    assert_eq!(r.order("record").await?.0, 204);
    let ended = r.idle().await?["ended"].clone();
    assert!(ended["whole"] == true && r.newest_run().await?["state"] == "whole", "{ended}");
    // A recording that is killed before its first chunk leaves a row that says so.
    r.plan_with(1, json!({ "length": { "ends": "when_stopped" }, "start": {} })).await?;
    assert_eq!(r.order("record").await?.0, 204);
    // Once the owner is gone, the next one takes its place.
    r.server.kill();
    r.serve_again()?;
    let run = r.newest_run().await?;
    assert!(run["state"] == "broken" && run["ended_because"] == "the server stopped while recording", "{run}");
    Ok(())
}
