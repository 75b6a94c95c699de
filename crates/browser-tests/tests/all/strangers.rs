//! Requests that come from elsewhere, ask too much, or leave before they are done.

use anyhow::{Context, Result};
use echo_browser_tests::{Rigged, says};
use futures::future::join_all;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::time::Duration;

#[tokio::test]
async fn pages_of_other_sites_and_other_names_get_nothing_done() -> Result<()> {
    let r = Rigged::start().await?;
    let client = reqwest::Client::new();
    let own = r.url.clone();
    let answers = async |method: &str, path: &str, headers: &[(&str, &str)]| -> Result<(u16, String)> {
        let mut request = client.request(method.parse()?, format!("{}{path}", r.url)).body("a plain text");
        for (name, value) in headers {
            request = request.header(*name, *value);
        }
        let answer = request.send().await?;
        Ok((answer.status().as_u16(), answer.text().await?))
    };
    let foreign = ("origin", "http://elsewhere.example");
    for path in ["/api/capture/record", "/api/capture/arm", "/api/capture/stop", "/api/front-ends/0/restart"] {
        let (status, body) = answers("POST", path, &[foreign]).await?;
        assert_eq!(status, 403, "{path}: {body}");
        assert!(body.contains("is not this server's"), "{body}");
    }
    let pointed = ("host", "elsewhere.example");
    assert_eq!(answers("GET", "/api/campaigns", &[pointed]).await?.0, 403);
    assert_eq!(answers("GET", "/", &[pointed]).await?.0, 403);
    let live = [
        ("upgrade", "websocket"),
        ("connection", "upgrade"),
        ("sec-websocket-version", "13"),
        ("sec-websocket-key", "AAAAAAAAAAAAAAAAAAAAAA=="),
    ];
    let with = |origin| live.into_iter().chain([("origin", origin)]).collect::<Vec<_>>();
    assert_eq!(answers("GET", "/api/live", &with("http://elsewhere.example")).await?.0, 403);
    assert_eq!(r.get("/api/status").await?["capture"]["state"], "idle", "nothing was carried out");
    // Its own page may; what it gets is told to stay what it is and where it is.
    assert_eq!(answers("POST", "/api/capture/record", &[("origin", &own)]).await?.0, 204);
    r.recorded(0.2).await?;
    assert_eq!(answers("POST", "/api/capture/stop", &[("origin", &own)]).await?.0, 204);
    r.idle().await?;
    let page = client.get(&own).send().await?;
    assert_eq!(page.headers()["x-content-type-options"], "nosniff");
    assert!(page.headers()["content-security-policy"].to_str()?.contains("frame-ancestors 'none'"));
    Ok(())
}

#[tokio::test]
async fn a_dry_run_that_nobody_waits_for_is_cleared_away() -> Result<()> {
    let r = Rigged::start().await?;
    let (status, body) = r.plan_with(1, json!({ "length": { "ends": "after", "duration_s": 3.0 } })).await?;
    assert_eq!(status, 200, "{body}");
    let before = r.get("/api/campaigns/1/runs").await?;
    let dry = reqwest::Client::new().post(format!("{}/api/capture/dry-run", r.url)).json(&json!({ "seconds": 1.0 }));
    let asked = tokio::spawn(dry.timeout(Duration::from_secs(60)).send());
    r.until("the dry run records", |s| s["capture"]["state"] == "recording").await?;
    asked.abort();
    r.idle().await?;
    r.got("/api/campaigns/1/runs", |runs| *runs == before).await?;
    // The next recording is the plan's own.
    assert_eq!(r.order("record").await?.0, 204);
    r.until("it has begun", |s| s["capture"]["state"] == "recording").await?;
    r.idle().await?;
    let run = r.newest_run().await?;
    assert!(run["state"] == "whole" && run["kind"] != "dry run", "{run}");
    assert!((run["duration_s"].as_f64().unwrap() - 3.0).abs() < 0.01, "{run}");
    Ok(())
}

#[tokio::test]
async fn of_twenty_who_change_one_cell_one_writes_and_the_others_see_it() -> Result<()> {
    let r = Rigged::start().await?;
    let mut names = BTreeSet::new();
    for round in 0..3 {
        let version = r.get("/api/campaigns/1/rig").await?["version"].clone();
        let change = |k: usize| {
            let cell = json!({ "input": 7, "column": "name", "text": format!("changed by {k} in {round}") });
            r.call("POST", "/api/campaigns/1/rig/cells", Some(json!({ "made_on": version, "cells": [cell] })))
        };
        let answers: Vec<(u16, Value)> = join_all((0..20).map(change)).await.into_iter().collect::<Result<_>>()?;
        let written: Vec<&Value> =
            answers.iter().filter(|(status, body)| *status == 200 && !body["rig"].is_null()).map(|a| &a.1).collect();
        assert_eq!(written.len(), 1, "{answers:?}");
        let theirs = written[0]["changed"][0]["to"].as_str().context("a text")?;
        let seen = answers.iter().filter(|(_, body)| body["clashes"][0]["theirs"] == theirs).count();
        assert_eq!(seen, 19, "{answers:?}");
        names.insert(theirs.to_string());
        // What is recorded is what is stored.
        assert_eq!(r.order("record").await?.0, 204);
        r.recorded(0.1).await?;
        assert_eq!(r.order("stop").await?.0, 204);
        r.idle().await?;
        let run = r.get(&format!("/api/runs/{}", r.newest_run().await?["id"])).await?;
        let recorded =
            run["channels"].as_array().context("channels")?.iter().find(|c| c["recorded"]["input"] == 7).cloned();
        assert_eq!(recorded.context("input 7")?["recorded"]["name"], theirs, "{run}");
    }
    assert_eq!(names.len(), 3);
    Ok(())
}

#[tokio::test]
async fn what_is_not_there_and_what_does_not_fit_is_told_as_that() -> Result<()> {
    let r = Rigged::start().await?;
    let pane = |x: u32| json!({ "panes": [{ "display": "waveform", "inputs": [1], "x": x, "y": 0, "w": 4, "h": 4 }] });
    let (status, body) = r.call("PUT", "/api/campaigns/999/benches/far", Some(pane(0))).await?;
    assert!(status == 404 && says(&body).contains("campaign"), "{status} {body}");
    let (status, body) = r.call("PUT", "/api/campaigns/1/benches/far", Some(pane(65_535))).await?;
    assert_eq!(status, 422, "{body}");
    let of = |text: &str| json!({ "title": "x", "blocks": [{ "id": 1, "show": { "what": "text", "text": text } }] });
    let endless = of(&"\n".repeat(50_000));
    let (status, body) = r.call("PUT", "/api/campaigns/1/report", Some(endless)).await?;
    assert!(status == 422 && says(&body).contains("50000 lines; allowed:"), "{status} {body}");
    let (status, body) = r.call("PUT", "/api/campaigns/999/report", Some(of(""))).await?;
    assert!(status == 404 && says(&body).contains("campaign"), "{status} {body}");
    Ok(())
}

#[tokio::test]
async fn thirty_analyses_at_once_cost_a_recording_no_block() -> Result<()> {
    let r = Rigged::start().await?;
    let (status, body) = r.plan_with(1, json!({ "length": { "ends": "when_stopped" } })).await?;
    assert_eq!(status, 200, "{body}");
    assert_eq!(r.order("record").await?.0, 204);
    r.recorded(0.2).await?;
    // Each holds all channels whole, and none is another's.
    let heavy = |k: usize| {
        let recipe = json!({ "lens": "envelope", "band_hz": [1000.0 + k as f64, 5000.0], "block": 4096 });
        async { r.call("POST", "/api/runs/1/results", Some(recipe)).await }
    };
    let answers: Vec<(u16, Value)> = join_all((0..30).map(heavy)).await.into_iter().collect::<Result<_>>()?;
    for (status, body) in &answers {
        assert_eq!(*status, 200, "{}", body.to_string().chars().take(300).collect::<String>());
    }
    assert_eq!(r.order("stop").await?.0, 204);
    let ended = r.idle().await?["ended"].clone();
    assert!(ended["whole"] == true && ended["lost_blocks"] == 0, "{ended}");
    Ok(())
}

#[tokio::test]
async fn an_output_ends_when_nobody_keeps_it() -> Result<()> {
    let r = Rigged::start().await?;
    let output = "/api/front-ends/0/output";
    let drives = |v: f64| move |s: &Value| s["link"]["units"][0]["output"]["peak_v"] == v;
    let (status, body) = r.call("PUT", output, Some(json!({ "hz": 80.0, "peak_v": 1.0, "lease_s": 8.0 }))).await?;
    assert_eq!(status, 204, "{body}");
    r.until("it drives", drives(1.0)).await?;
    assert_eq!(r.call("POST", &format!("{output}/keep"), None).await?.0, 204);
    // The page that kept it is gone.
    r.until("it is silent", drives(0.0)).await?;
    let (status, body) = r.call("POST", &format!("{output}/keep"), None).await?;
    assert!(status == 409 && says(&body).contains("has ended"), "{status} {body}");
    let (status, body) = r.call("PUT", output, Some(json!({ "hz": 80.0, "peak_v": 1.0, "lease_s": 0.0 }))).await?;
    assert!(status == 422 && says(&body).contains("0.5 to 60 s"), "{status} {body}");
    Ok(())
}
