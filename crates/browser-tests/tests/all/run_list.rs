//! The list of runs: found, ordered, described, compared, moved, deleted and brought back; files brought in.

use anyhow::{Context, Result};
use echo_browser_tests::browser::{Browser, held};
use echo_browser_tests::{Rigged, again_until, says};
use fantoccini::Locator;
use fantoccini::key::Key;
use serde_json::{Value, json};

/// Records a short run of the first campaign under another plan.
async fn another(r: &Rigged, kind: &str) -> Result<Value> {
    let change = json!({ "run_kind": kind, "block": 4096, "length": { "ends": "after", "duration_s": 0.5 } });
    let (status, answer) = r.plan_with(1, change).await?;
    anyhow::ensure!(status == 200, "{answer}");
    anyhow::ensure!(r.order("record").await?.0 == 204);
    r.got("/api/campaigns/1/runs", |runs| runs[1]["state"] == "whole").await?;
    Ok(r.newest_run().await?["id"].clone())
}

#[tokio::test]
async fn runs_are_described_moved_and_deleted_over_the_api() -> Result<()> {
    let r = Rigged::start().await?;
    let first = r.newest_run().await?;
    assert!(first["bytes"].as_i64() > Some(100_000) && first["channels"] == 23, "{first}");
    let second = another(&r, "greased").await?;
    let put = async |path: String, body: Value| r.call("PUT", &path, Some(body)).await;
    let described =
        json!({ "kind": " \"greased\" ", "remark": "line one\nline two", "tags": ["loud", " loud", "pump"] });
    assert_eq!(put(format!("/api/runs/{second}/description"), described).await?.0, 204);
    let run = r.newest_run().await?;
    assert_eq!((&run["kind"], &run["tags"]), (&json!("\"greased\""), &json!(["loud", "pump"])));
    assert!(r.get("/api/find?text=pump").await?.to_string().contains("greased"), "found by its tags");
    for (body, word) in [
        (json!({ "kind": "a\nb", "remark": "", "tags": [] }), "one line"),
        (json!({ "kind": "", "remark": "x".repeat(3000), "tags": [] }), "2000"),
        (json!({ "kind": "", "remark": "", "tags": ["a,b"] }), "without commas"),
    ] {
        let (status, answer) = put(format!("/api/runs/{second}/description"), body).await?;
        assert!(status == 422 && says(&answer).contains(word), "{answer}");
    }
    let differ = r.get(&format!("/api/runs/{}/differences/{second}", first["id"])).await?;
    let told = differ["settings"].to_string();
    assert!(told.contains("32768 samples") && told.contains("4096 samples") && told.contains("0.5 s"), "{differ}");
    assert_eq!(differ["cells"], json!([]));
    let itself = r.call("GET", &format!("/api/runs/{second}/differences/{second}"), None).await?;
    assert!(itself.0 == 422 && says(&itself.1).contains("differ from itself"));

    // A result goes with its run; what is made of it elsewhere stays whole.
    let recipe = json!({ "lens": "statistics", "channels": [1] });
    let wish = json!({ "name": "quiet", "recipe": recipe, "runs": [second] });
    let (_, job) = r.call("POST", "/api/campaigns/1/jobs/results", Some(wish)).await?;
    r.got(&format!("/api/jobs/{}", job["id"]), |p| p[0]["state"] == "done").await?;
    assert_eq!(put(format!("/api/runs/{second}/campaign"), json!(2)).await?.0, 204);
    let moved = r.get("/api/campaigns/2/runs").await?;
    assert_eq!((&moved[0]["id"], &moved[0]["number"], &moved[0]["results"]), (&second, &json!(1), &json!(1)));
    assert_eq!(r.get("/api/campaigns/2/kept-results").await?[0]["name"], "quiet");
    assert_eq!(put(format!("/api/runs/{second}/campaign"), json!(99)).await?.0, 404);

    // Deleted it is out of every list and its results with it; it comes back as it was.
    assert_eq!(r.call("DELETE", &format!("/api/runs/{second}"), None).await?.0, 204);
    assert_eq!(r.get("/api/campaigns/2/runs").await?, json!([]));
    assert_eq!(r.get("/api/campaigns/2/kept-results").await?, json!([]));
    assert_eq!(r.call("GET", &format!("/api/runs/{second}"), None).await?.0, 404);
    assert!(!r.get("/api/find?text=pump").await?.to_string().contains("greased"));
    let gone = r.get("/api/campaigns/2/deleted-runs").await?;
    assert!(gone[0]["bytes"].as_i64() > Some(10_000), "{gone}");
    assert_eq!(r.call("POST", &format!("/api/runs/{second}/restore"), None).await?.0, 204);
    assert_eq!(r.get("/api/campaigns/2/runs").await?[0]["tags"], json!(["loud", "pump"]));
    assert_eq!(r.get("/api/campaigns/2/kept-results").await?[0]["stale"], false);
    let changes = r.get("/api/campaigns/2/changes").await?.to_string();
    assert!(changes.contains("run deleted") && changes.contains("run brought back"), "{changes}");
    // While it is recorded it stays.
    assert_eq!(r.order("record").await?.0, 204);
    let going = r.recorded(0.1).await?["capture"]["run_id"].clone();
    let (status, answer) = r.call("DELETE", &format!("/api/runs/{going}"), None).await?;
    assert!(status == 422 && says(&answer).contains("is being recorded"), "{answer}");
    Ok(())
}

#[tokio::test]
async fn the_list_of_runs_is_worked_with_on_the_page() -> Result<()> {
    let r = Rigged::start().await?;
    another(&r, "greased").await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/1/runs", r.url)).await?;
    b.text_until("table[aria-label=Runs] tbody", |t| t.contains("51.2")).await?;
    let order = "[...document.querySelectorAll('tr[data-run]')].map((r) => r.dataset.run).join(' ')";
    b.script_until(&format!("return {order}"), |v| v == "2 1").await?;
    b.press_path("//thead//button[contains(., 'Size')]").await?;
    b.script_until(&format!("return {order}"), |v| v == "2 1").await?;
    b.press_path("//thead//button[contains(., 'Size')]").await?;
    b.script_until(&format!("return {order}"), |v| v == "1 2").await?;
    b.word("Run 2, tags", "loud, pump").await?;
    r.got("/api/campaigns/1/runs", |runs| runs[1]["tags"] == json!(["loud", "pump"])).await?;
    b.word("Run 2, remark", "cable moved").await?;
    r.got("/api/campaigns/1/runs", |runs| runs[1]["remark"] == "cable moved").await?;
    b.type_over("#find-run", "pump").await?;
    b.script_until(&format!("return {order}"), |v| v == "2").await?;
    b.type_over("#find-run", "\u{e003}").await?;
    // Two are compared, one is deleted and brought back by a key.
    for run in ["1", "2"] {
        b.press_found(&format!("input[aria-label='Choose run {run}']")).await?;
    }
    b.press("Compare").await?;
    let told = b.text_until("table[aria-label=Differences]", |t| t.contains("4096 samples")).await?;
    assert!(told.contains("block") && told.contains("length"), "{told}");
    b.press_found("input[aria-label='Choose run 1']").await?;
    b.keys(&String::from(char::from(Key::Delete))).await?;
    b.text_until("div[role=status]", |t| t.contains("1 run deleted")).await?;
    b.text_until("details summary", |t| t.contains("1 run deleted")).await?;
    b.keys(&held(Key::Control, "z")).await?;
    b.script_until(&format!("return {order}"), |v| v.as_str().is_some_and(|v| v.contains('2'))).await?;

    // A file is brought in: looked at, put right, and open.
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("ramp.csv");
    let rows: String = (0..2000).map(|k| format!("{},{}\n", f64::from(k) / 1000.0, (k * 37) % 100)).collect();
    std::fs::write(&file, format!("t [s],ramp [furlong]\n{rows}"))?;
    b.press("Bring in recordings").await?;
    b.send("input[aria-label='Files to bring in']", file.to_str().context("a path")?).await?;
    b.text_until("section[aria-label='ramp.csv']", |t| {
        t.contains("CSV, 1 channel, 1 kHz") || t.contains("CSV, 1 channel, 1\u{202f}kHz")
    })
    .await?;
    // Pressed by the page itself, and again until it is refused: a mouse would meet what has moved under it, “Leave it
    // out” perhaps.
    let press = "[...document.querySelectorAll(\"section[aria-label='ramp.csv'] button\")]
        .find((b) => b.textContent.trim() === 'Bring in')?.click()";
    let refused = again_until(async || {
        let said = Locator::Css("section[aria-label='ramp.csv'] [role=alert]");
        for alert in b.page.find_all(said).await? {
            if alert.text().await.is_ok_and(|t| t.contains("furlong")) {
                return Ok(Some(()));
            }
        }
        b.page.execute(press, vec![]).await?;
        Ok(None)
    });
    refused.await?.context("an unknown unit is refused")?;
    b.choose("Channel 1 of ramp.csv, unit", "mm").await?;
    b.word("ramp.csv: what the run is called", "loading ramp, last year").await?;
    b.word("ramp.csv: when it was recorded", "2025-11-03").await?;
    b.press("Bring in").await?;
    b.text_until("section[aria-label='ramp.csv']", |t| t.contains("open it")).await?;
    b.text_until("tr[data-run='3']", |t| t.contains("brought in from ramp.csv") && t.contains("2025-11-03")).await?;
    b.press_path("//section[@aria-label='ramp.csv']//a[contains(., 'open it')]").await?;
    b.address_until(|a| a.contains("/study/")).await?;
    b.find("canvas").await?;
    b.page.clone().close().await?;
    Ok(())
}
