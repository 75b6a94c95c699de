//! The bracket in the wind: its modes without a hammer, and how it moves, on the page.

use crate::taps::{Mode, alike, truth};
use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::Browser;
use serde_json::{Value, json};

/// Two minutes of wind on all sensors but the hammer; the run's key.
async fn in_the_wind(r: &mut Rigged) -> Result<i64> {
    r.with_bracket("30").await?;
    let made_on = r.get("/api/campaigns/4/rig").await?["version"].clone();
    let on = (6..=13).map(|input| json!({ "input": input, "column": "on", "text": "yes" }));
    let hung = (2..=4).map(|input| json!({ "input": input, "column": "point", "text": "12" }));
    let off = json!({ "input": 1, "column": "on", "text": "no" });
    let cells: Vec<Value> = on.chain(hung).chain([off]).collect();
    let (status, body) =
        r.call("POST", "/api/campaigns/4/rig/cells", Some(json!({ "made_on": made_on, "cells": cells }))).await?;
    anyhow::ensure!(status == 200, "{body}");
    let (status, body) = r
        .plan_with(4, json!({ "run_kind": "in the wind", "sample_rate_hz": 5120.0, "length": { "ends": "after", "duration_s": 120.0 } }))
        .await?;
    anyhow::ensure!(status < 300, "{body}");
    r.until("it sends slowly", |s| s["link"]["sample_rate_hz"] == 5120.0).await?;
    r.at_front_end(0, json!({ "do": "screw", "point": 7, "tight": true })).await?;
    r.at_front_end(0, json!({ "do": "hang", "input": 2, "point": 12, "direction": "x" })).await?;
    r.at_front_end(0, json!({ "do": "wind", "on": true })).await?;
    let (status, body) = r.order("record").await?;
    anyhow::ensure!(status < 300, "{body}");
    r.recorded(1.0).await?;
    r.idle().await?;
    let runs = r.get("/api/campaigns/4/runs").await?;
    let run = runs.as_array().and_then(|a| a.last()).context("a run")?;
    anyhow::ensure!(run["state"] == "whole", "{run}");
    run["id"].as_i64().context("its key")
}

#[tokio::test]
async fn the_same_modes_come_from_the_wind_alone_and_the_bracket_is_seen_to_move() -> Result<()> {
    let mut r = Rigged::start().await?;
    let run = in_the_wind(&mut r).await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/4/study/{run}/modes", r.url)).await?;
    b.text_until("section[aria-label='How modes are found']", |t| {
        t.contains("in operation") && t.contains("12 sensors")
    })
    .await?;
    // What is too long for the run is told, and nothing is lost.
    b.word("Longest lag", "40 s").await?;
    b.text_until("[role='alert']", |t| t.contains("four times longest_lag_s")).await?;
    b.word("Longest lag", "1 s").await?;
    b.word("Band of the modes", "40 to 700 Hz").await?;
    let read = "return [...document.querySelectorAll('table[aria-label=Modes] tbody tr')].map(tr =>
        [+tr.querySelector('[data-hz]').dataset.hz, +tr.querySelector('[data-damping]').dataset.damping,
         +tr.querySelector('[data-bell]').dataset.bell])";
    b.script_until(read, |v| v.as_array().is_some_and(|all| all.len() >= 6 && all[0][0].as_f64() < Some(100.0)))
        .await?;
    let found: Vec<(f64, f64, f64)> = serde_json::from_value(b.page.execute(read, vec![]).await?)?;
    let truth = truth()?;
    for Mode { hz, damping, .. } in &truth {
        let near = found.iter().min_by(|a, b| (a.0 - hz).abs().total_cmp(&(b.0 - hz).abs())).context("modes")?;
        // Damping scatters; the two ways of reading it must both be near.
        let off = (near.0 / hz - 1.0, near.1 / damping - 1.0, near.2 / damping - 1.0);
        assert!(
            off.0.abs() < 0.01 && off.1.abs() < 0.25 && off.2.abs() < 0.2,
            "{hz} Hz, {damping}: {near:?} of {found:?}"
        );
    }
    b.text_until("section[aria-label='Modes']", |t| t.contains("nobody knows the forces")).await?;

    // Picked by hand where they are known to be, their shapes are those that are built in.
    let pick: Vec<f64> = truth.iter().map(|m| m.hz).collect();
    let recipe = json!({ "lens": "operational_modes", "band_hz": [40, 700], "pick": pick,
        "channels": (1..=12).collect::<Vec<_>>(), "unit": "mm/s", "prepare": [{ "do": "resample", "rate_hz": 1792 }],
        "frequency_change": 0.01, "damping_change": 0.2, "mac": 0.95 });
    let wish = json!({ "set": { "run": run }, "recipe": recipe });
    let (status, modes) = r.call("POST", "/api/campaigns/4/modes", Some(wish)).await?;
    assert_eq!(status, 200, "{modes}");
    let like = alike(&modes["analysis"], &truth)?;
    assert!(like.len() == 6 && like.iter().all(|m| *m > 0.9), "{like:?}");
    assert_eq!(modes["strange"], json!([]));

    // How it moves at the first of them, and moment by moment.
    b.page.goto(&format!("{}/c/4/study/{run}/deflection", r.url)).await?;
    b.word("Frequency", "58.3 Hz").await?;
    b.text_until("section[aria-label='Shape']", |t| t.contains("58.")).await?;
    b.script_until("return document.querySelectorAll('[data-point]').length", |v| *v == 12).await?;
    let deflection = json!({ "lens": "deflection", "reference": 4, "frequency_hz": truth[0].hz, "block": 8192 });
    let (status, seen) = r.call("POST", &format!("/api/runs/{run}/deflection"), Some(deflection)).await?;
    assert_eq!(status, 200, "{seen}");
    assert!(alike(&seen["analysis"], &truth[..1])?[0] > 0.97, "at a resonance the mode is what is seen");
    assert_eq!(seen["motion"]["measured"].as_array().map(|m| m.iter().filter(|x| **x == true).count()), Some(9));
    // Kept as it is, and back to it.
    b.press_path("//button[text()='Save']").await?;
    b.press("Compute and save").await?;
    b.text_until("table[aria-label='Kept results']", |t| t.contains("deflection") && !t.contains("stale")).await?;
    b.page.goto(&format!("{}/c/4/study/{run}/deflection", r.url)).await?;
    b.text_until("section[aria-label='Shape']", |t| t.contains("58.")).await?;
    b.choose("How", "moment by moment, in the band").await?;
    b.word("Band", "40 to 80 Hz").await?;
    let moments = "return +(document.querySelector('input[aria-label=Moment]')?.max ?? 0)";
    b.script_until(moments, |v| v.as_f64() > Some(1000.0)).await?;
    b.word("Stretch", "0 to 100 s").await?;
    b.text_until("[role='alert']", |t| t.contains("choose a shorter stretch")).await?;
    Ok(())
}
