//! A tap series ends: its modes are kept, its responses written and the report made by themselves; responses stand in
//! the report, and what is put right afterwards is made again in one go.

use crate::taps::{hang, hit, plan, play, until};
use anyhow::{Context, Result, ensure};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::Browser;
use serde_json::{Value, json};

#[tokio::test]
async fn a_tap_series_ends_in_modes_a_file_and_a_report() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let mut r = Rigged::start().await?;
    r.server.kill();
    r.serve_with(&["--files-to", folder.path().to_str().context("a path")?])?;
    r.with_bracket("2").await?;
    let recipe = json!({ "lens": "modes", "band_hz": [40.0, 700.0] });
    let after = |what: Value| json!({ "when": "series", "what": what });
    let afterwards = json!([
        after(json!({ "do": "modes", "name": "found by themselves", "recipe": recipe })),
        after(json!({ "do": "responses", "binary": true, "folder": "{specimen}" })),
        after(json!({ "do": "report", "template": "Impact test and modes", "form": "html", "name": "modes" })),
    ]);
    let (status, body) = r.plan_with(4, json!({ "afterwards": afterwards })).await?;
    ensure!(status == 200, "{body}");
    let (status, begun) = r.call("POST", "/api/campaigns/4/taps", Some(plan(1..=3, 2))).await?;
    ensure!(status == 201, "{begun}");
    let series = begun["id"].as_i64().context("a key")?;
    ensure!(r.call("POST", &format!("/api/taps/{series}/go"), None).await?.0 == 200);
    let mut steps = Vec::new();
    for k in 1..=3 {
        steps.push(hang(k));
        steps.extend([250.0, 300.0].map(|n| hit(n, "clean", "nylon")));
    }
    play(&r, steps).await?;
    until(&r, series, "all points are done", |s| s["done"] == 3).await?;
    // It has ended when nothing is recorded for it any more.
    r.order("stop").await?;
    r.idle().await?;
    let over = |v: &Value| {
        v.as_array().is_some_and(|a| a.len() == 3 && a.iter().all(|d| d["state"] == "done" || d["state"] == "refused"))
    };
    let all = r.got("/api/campaigns/4/afterwards", over).await?;
    assert!(all.as_array().context("a list")?.iter().all(|d| d["state"] == "done"), "{all}");

    let kept = r.get("/api/campaigns/4/kept-results").await?;
    assert_eq!(kept[0]["name"], "found by themselves", "{kept}");
    let specimen = r.get("/api/campaigns").await?[3]["specimen"].as_str().context("a specimen")?.to_string();
    let file = folder.path().join(specimen).join("responses of tap series 1.uff");
    let (hz, traces) = echo_formats::functions::read(&file)?;
    // The fourth sensor stays where it is.
    assert!(traces.len() == 10 && hz.len() > 1000, "three points in three directions: {}", traces.len());
    let report = std::fs::read_to_string(folder.path().join("modes.html"))?;
    for part in ["Modes", "found by themselves", "damping ratio"] {
        assert!(report.contains(part), "the report lacks “{part}”");
    }
    let refused: Vec<&str> = report.split("class='refused'>").skip(1).filter_map(|t| t.split('<').next()).collect();
    assert!(refused.is_empty(), "the modes were kept before the report was made: {refused:?}");

    // Responses that are looked at go into the report, with their coherence; so do the points on the specimen.
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/4/study/newest/responses", r.url)).await?;
    b.press_found("table[aria-label='Responses of tap series 1'] tbody input").await?;
    b.press("Use in report").await?;
    let now = r.got("/api/campaigns/4/report", |v| v.to_string().contains("\"kept\"")).await?;
    let block = now["blocks"].as_array().and_then(|all| all.iter().find(|b| b["show"]["kept"].is_i64())).cloned();
    let block = block.context("a block with the kept responses")?;
    b.text_until("section[aria-label=Blocks]", |t| t.contains("1 x over")).await?;
    let mut report = now;
    let own = |id: u64, of: &str| json!({ "id": id, "title": of, "show": { "what": "records", "of": of } });
    let at =
        json!({ "id": 92, "show": { "what": "table", "of": "values", "at": [58.0], "kept": block["show"]["kept"] } });
    report["blocks"].as_array_mut().context("blocks")?.extend([own(90, "tap_map"), own(91, "taps"), at]);
    let (status, body) = r.call("PUT", "/api/campaigns/4/report", Some(report)).await?;
    ensure!(status == 200, "{body}");
    let page = String::from_utf8(r.bytes("/api/campaigns/4/report-as/html").await?)?;
    assert_eq!(page.matches("<circle").count(), 3, "each point that was hit");
    assert!(page.contains("3 hit.") && page.contains("coherence"), "{page}");

    // A sensitivity is put right: what was kept is older now, and is made again in one go.
    let run = kept[0]["run_id"].clone();
    let right = json!({ "sensitivity": "10.4 mV/(m/s²)", "reason": "the certificate says so" });
    let (status, body) = r.call("POST", &format!("/api/runs/{run}/channels/2/sensitivity"), Some(right)).await?;
    ensure!(status < 300, "{body}");
    let stale = |v: &Value, is: bool| v.as_array().is_some_and(|a| a.len() == 2 && a.iter().all(|k| k["stale"] == is));
    r.got("/api/campaigns/4/kept-results", |v| stale(v, true)).await?;
    b.page.goto(&format!("{}/c/4/report", r.url)).await?;
    b.text_until("main", |t| t.contains("older than what was put right since")).await?;
    b.press("Make it again").await?;
    let mended = |v: &Value| v.as_array().is_some_and(|a| a.iter().any(|k| k["stale"] == false));
    r.got("/api/campaigns/4/kept-results", mended).await?;
    b.text_until("main", |t| !t.contains("older than what was put right since")).await?;
    let after = r.get("/api/campaigns/4/report").await?;
    assert!(after.to_string().contains(&format!("\"kept\":{}", block["show"]["kept"])), "it stands where it stood");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn responses_that_are_not_there_are_not_kept() -> Result<()> {
    let r = Rigged::start().await?;
    for (pairs, word) in
        [(json!([]), "0 responses; allowed: 1 to 100"), (json!([["1 x", "14 z"]]), "1 x over 14 z is not in this set")]
    {
        let wish = json!({ "name": "drive point", "set": { "source": "plate.uff" }, "pairs": pairs });
        let (status, body) = r.call("POST", "/api/campaigns/4/functions/keep", Some(wish)).await?;
        assert!(status == 422 && echo_browser_tests::says(&body).contains(word), "{body}");
    }
    Ok(())
}
