//! The other views of the rig in the browser: levels and ranging, front ends, versions, filters.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, held};
use fantoccini::Locator;
use fantoccini::key::Key;
use serde_json::{Value, json};

#[tokio::test]
async fn levels_are_seen_held_and_ranged_by_listening() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig/levels?input=7", r.url)).await?;
    // Two waveforms by keys, all closed by one.
    let bridge = "[role=group][aria-label^='Levels of 23 channels']";
    b.send(bridge, &format!("{}{}{}", Key::Enter, Key::Right, Key::Enter)).await?;
    b.find("section[aria-label='Waveform of gearbox top, vert']").await?;
    b.find("section[aria-label='Waveform of gearbox top, athw']").await?;
    b.send(bridge, &Key::Escape.to_string()).await?;
    b.gone(Locator::Css("section[aria-label^='Waveform of']")).await?;

    // A share that is none stays as typed; a small one lists everything that moves.
    b.type_over("input[aria-label='Share of range, percent']", &format!("lots{}", Key::Enter)).await?;
    b.text_until("[role=alert]", |t| t.contains("the share must be 1 to 100 %")).await?;
    b.type_over("input[aria-label='Share of range, percent']", &format!("10{}", Key::Enter)).await?;
    b.text_until("section[aria-label='Loud channels'] ul", |t| t.contains("gearbox top, vert")).await?;

    // Far too large a range is found by listening, looked at and written.
    let (status, _) = r.call("PATCH", "/api/campaigns/1/rig/7", Some(json!({ "range_v": 10 }))).await?;
    assert_eq!(status, 200);
    // Somebody else's change that the page has not seen yet would be laid before the engineer as such.
    b.page.refresh().await?;
    b.type_over("input[aria-label='Listening time, seconds']", &format!("2 s{}", Key::Enter)).await?;
    b.press_path("//button[. = 'Listen']").await?;
    let looked = b.text_until("[role=dialog]", |t| t.contains("ranges for 2 times the peak")).await?;
    let of_seven = looked.lines().any(|l| l.starts_with("7 ") || l == "7");
    assert!(of_seven, "{looked}");
    b.press_path("//div[@role='dialog']//button[starts-with(., 'Apply')]").await?;
    b.gone(Locator::Css("[role=dialog]")).await?;
    // Gearbox top moves by a few m/s².
    let smaller = |v: &Value| v["rig"]["channels"][6]["range_v"].as_f64().is_some_and(|v| v < 10.0);
    r.got("/api/campaigns/1/rig", smaller).await?;
    let wrong = r.call("GET", "/api/campaigns/1/rig/ranges?headroom=0.1", None).await?;
    assert!(wrong.0 == 422 && wrong.1["field"] == "headroom");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn front_ends_are_tested_compared_and_restarted() -> Result<()> {
    let r = Rigged::start().await?;
    r.by_hand(4, json!({ "do": "break", "fault": "open" })).await?;
    r.by_hand(9, json!({ "do": "break", "fault": "noisy" })).await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig/front-ends", r.url)).await?;
    b.text_until("section[aria-label=Connected]", |t| {
        t.contains("LT-0417") && t.contains("clock locked") && t.contains("°C")
    })
    .await?;
    b.press_path("//button[starts-with(., 'Test all')]").await?;
    let panel = b.text_until("section[aria-label=Self-test]", |t| t.contains("23 inputs tested")).await?;
    assert!(panel.contains("2 not in order"), "{panel}");
    b.text_until("[data-test='4']", |t| t.contains("IEPE circuit is open")).await?;
    b.text_until("[data-test='9']", |t| t.contains("noise is far above")).await?;

    // What was set on the device when it was found, one difference taken.
    b.press_path("//button[. = 'Read it back']").await?;
    let setup = b.text_until("section[aria-label='Setup on the device']", |t| t.contains("When it was found")).await?;
    assert!(setup.contains("Now: the same as here") && setup.contains("DC there, IEPE here"), "{setup}");
    b.press_path("//li[contains(., 'DC there, IEPE here')]//button[. = 'use the device’s value']").await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("1 cells in 1 rows")).await?;
    b.keys(&Key::Escape.to_string()).await?;
    b.gone(Locator::Css("[role=dialog]")).await?;

    // A restart is asked twice, and the front end comes back by itself.
    let seen = r.get("/api/status").await?["plugs"].as_u64().context("no count")?;
    b.press_path("//button[. = 'Restart']").await?;
    b.press_path("//button[. = 'Yes, restart it']").await?;
    r.until("it is connected anew", |s| {
        s["plugs"].as_u64() > Some(seen) && s["link"]["sample_rate_hz"].as_f64() > Some(0.0)
    })
    .await?;
    // An address that cannot be is refused in words.
    b.type_over("input[aria-label^='Address of the front end']", &format!("here, there{}", Key::Enter)).await?;
    b.text_until("[role=alert]", |t| t.contains("host:port")).await?;
    // Nobody at the address: what to do is told.
    let (status, _) = r.call("PUT", "/api/capture/front-end", Some(json!({ "address": "127.0.0.1:9" }))).await?;
    assert_eq!(status, 204);
    b.text_until("section[aria-label=Connected]", |t| t.contains("does not answer") && t.contains("Check its power"))
        .await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn rows_are_found_ordered_kept_and_brought_back() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig?input=2", r.url)).await?;
    b.text_until("[data-cell='2-name']", |t| t == "motor, drive end, athw").await?;
    // Search by key, then by column.
    b.send("body", &held(Key::Control, "f")).await?;
    b.keys("flange").await?;
    b.gone(Locator::Css("[data-cell='1-name']")).await?;
    let found = b.page.find_all(Locator::Css("[data-cell$='-name']")).await?.len();
    assert_eq!(found, 6);
    b.keys(&Key::Escape.to_string()).await?;
    b.find("[data-cell='1-name']").await?;
    b.press_path("//span[@role='columnheader']//button[starts-with(., 'Coupling')]").await?;
    b.send("input[aria-label='Only rows whose Coupling contains']", &format!("DC{}", Key::Enter)).await?;
    b.gone(Locator::Css("[data-cell='1-name']")).await?;
    b.find("[data-cell='22-name']").await?;
    b.press_path("//button[contains(., 'Coupling: DC')]").await?;
    b.find("[data-cell='1-name']").await?;
    // Largest sensitivity first.
    b.press_path("//span[@role='columnheader']//button[starts-with(., 'Sensitivity')]").await?;
    b.press_path("//button[. = 'Largest first']").await?;
    let first = "[role=grid] [role=row]:nth-of-type(1) [data-cell$='-sensitivity']";
    b.text_until(first, |t| t == "10.46").await?;
    // A column more, and it stays after a reload.
    b.press_path("//button[. = 'Table']").await?;
    b.press_path("//label[contains(., 'High-pass')]").await?;
    b.find("[data-cell='7-high_pass_hz']").await?;
    b.page.refresh().await?;
    b.find("[data-cell='7-high_pass_hz']").await?;

    // Kept under a name, changed, compared, brought back.
    b.press_path("//button[contains(., 'version')]").await?;
    b.send("input[aria-label='Name to save this rig under']", &format!("Before the sea{}", Key::Enter)).await?;
    b.text_until("[id^=headlessui-popover-panel]", |t| t.contains("Kept under a name")).await?;
    b.keys(&Key::Escape.to_string()).await?;
    let (status, _) = r.call("PATCH", "/api/campaigns/1/rig/5", Some(json!({ "point": "stern" }))).await?;
    assert_eq!(status, 200);
    b.text_until("[data-cell='5-point']", |t| t == "stern").await?;
    b.press_path("//button[contains(., 'version')]").await?;
    b.press_path("//div[starts-with(@id, 'headlessui-popover-panel')]//button[contains(., 'Before the sea')]").await?;
    b.text_until("[id^=headlessui-popover-panel]", |t| t.contains("1 cells differ")).await?;
    b.press_path("//button[starts-with(., 'Restore')]").await?;
    b.text_until("[data-cell='5-point']", |t| t == "motor, free end").await?;

    // Several rows by the detail pane: a common value is set for all of them.
    b.page.goto(&format!("{}/rig?input=1", r.url)).await?;
    b.text_until("[data-cell='1-name']", |t| t.starts_with("motor")).await?;
    b.send("[role=grid]", &held(Key::Shift, &Key::Down.to_string().repeat(2))).await?;
    b.type_over("input[aria-label='High-pass of the selected rows']", &format!("10 Hz{}", Key::Enter)).await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("3 cells in 3 rows")).await?;
    b.press_path("//div[@role='dialog']//button[starts-with(., 'Apply')]").await?;
    b.text_until("[data-cell='3-high_pass_hz']", |t| t == "10 Hz").await?;
    r.got("/api/campaigns/1/rig", |v| v["rig"]["channels"][2]["high_pass_hz"] == 10.0).await?;
    b.page.clone().close().await?;
    Ok(())
}
