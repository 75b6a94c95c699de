//! Entries that cannot lie, addresses that can be sent, keys that cannot hit the wrong thing, a line that hangs.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, held, plain};
use fantoccini::Locator;
use fantoccini::key::Key;
use serde_json::json;
use std::process::Command;

/// Words a bad day types: none may be taken for something else.
const BAD: [&str; 8] = ["", "abc", "1e999", "-5", "18,000", "2 kHz", "5 furlong", "1 2"];

#[tokio::test]
async fn what_is_typed_is_taken_as_it_was_meant_or_refused_beside_it() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan", r.url)).await?;
    let pre = "input[aria-label='Time kept from before']";
    b.word("Time kept from before", "200 ms").await?;
    b.value_until(pre, |v| v == "0.2 s").await?;
    assert_eq!(r.get("/api/campaigns/1/plan").await?["plan"]["start"]["pre_s"], 0.2);
    b.word("Time kept from before", "1,5").await?;
    b.value_until(pre, |v| v == "1.5 s").await?;
    for text in BAD {
        b.type_over(pre, &format!("{}{text}", Key::Delete)).await?;
        b.keys(&Key::Enter.to_string()).await?;
        b.text_until("[role=alert]", |t| t.contains("time kept from before") || t.contains(text)).await?;
        b.value_until(pre, |v| v == text).await.with_context(|| format!("“{text}” stays"))?;
        b.send(pre, &Key::Escape.to_string()).await?;
        b.value_until(pre, |v| v == "1.5 s").await?;
    }
    let long = "9".repeat(1000);
    b.type_over(pre, &long).await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.text_until("[role=alert]", |t| t.contains("1000 characters are no entry")).await?;
    b.send(pre, &Key::Escape.to_string()).await?;
    assert_eq!(r.get("/api/campaigns/1/plan").await?["plan"]["start"]["pre_s"], 1.5, "nothing of it was taken");

    // What was being typed is still there after another station and a reload, and still to be set.
    b.type_over(pre, "0.75 s").await?;
    b.page.refresh().await?;
    b.value_until(pre, |v| v == "0.75 s").await?;
    b.text_until("[role=alert]", |t| t.contains("not set yet")).await?;
    b.send(pre, &Key::Enter.to_string()).await?;
    r.got("/api/campaigns/1/plan", |p| p["plan"]["start"]["pre_s"] == 0.75).await?;

    // What was removed can be taken back, and by a key.
    b.choose("Add a condition", "a level is crossed").await?;
    b.find("[aria-label='Remove condition 1']").await?;
    b.press("Remove condition 1").await?;
    b.text_until("[role=status] .panel", |t| t.contains("Condition 1 removed") && t.contains("Undo")).await?;
    b.send("body", &held(Key::Control, "z")).await?;
    b.find("[aria-label='Remove condition 1']").await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn two_pages_look_at_two_campaigns_and_one_of_them_records() -> Result<()> {
    let r = Rigged::start().await?;
    // It records until it is stopped, however slow the pages are.
    let mut plan = r.get("/api/campaigns/1/plan").await?["plan"].clone();
    plan["length"] = json!({ "ends": "when_stopped" });
    let (status, body) = r.call("PUT", "/api/campaigns/1/plan", Some(plan)).await?;
    anyhow::ensure!(status == 200, "{body}");
    let (a, b) = (Browser::open().await?, Browser::open().await?);
    a.page.goto(&format!("{}/c/1/run", r.url)).await?;
    b.page.goto(&format!("{}/c/2/rig", r.url)).await?;
    b.text_until("main", |t| t.contains("The front ends measure for Merrow")).await?;
    // Looking at another campaign arms nothing and moves nobody.
    b.send("body", "r").await?;
    b.gone(Locator::Css("header button.hot")).await?;
    assert_eq!(r.get("/api/status").await?["campaign"], 1);

    a.find("header button.hot:not([disabled])").await?;
    a.send("body", "r").await?;
    r.until("it records", |s| s["capture"]["state"] == "recording").await?;
    b.text_until("main", |t| t.contains("which is recording")).await?;
    // Esc closes and gives up; it stops nothing. Stop is a key of its own.
    for key in [Key::Escape, Key::Escape, Key::Escape] {
        a.send("body", &key.to_string()).await?;
    }
    a.keys("?").await?;
    a.text_until("[role=dialog]", |t| t.contains("Stop recording, or disarm") && t.contains("Shift+S")).await?;
    a.keys(&Key::Escape.to_string()).await?;
    a.gone(Locator::Css("[role=dialog]")).await?;
    assert_eq!(r.get("/api/status").await?["capture"]["state"], "recording");

    // The server changes no campaign but the one a page shows.
    for (method, path, body, shown) in [
        (
            "PUT",
            "/api/campaigns/1/report",
            json!({ "title": "x", "blocks": [{ "id": 1, "show": { "what": "head" } }] }),
            "2",
        ),
        (
            "POST",
            "/api/runs/1/notes",
            json!({ "lens": "spectrum", "axis": "frequency", "place": 1.0, "says": "x" }),
            "2",
        ),
        ("POST", "/api/capture/arm", json!(null), "2"),
    ] {
        let (status, answer) = r.call_for(method, path, body, shown).await?;
        let says = answer["says"].as_str().unwrap_or("");
        assert!(status == 409 && says.contains("Merrow"), "{path}: {status} {answer}");
    }
    a.keys(&held(Key::Shift, "s")).await?;
    r.until("it ends", |s| s["capture"]["state"] == "idle").await?;

    b.press("Measure with this campaign").await?;
    a.text_until("main", |t| t.contains("The front ends measure for Skerry Lass: deck survey")).await?;
    a.page.clone().close().await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn an_address_says_what_is_looked_at_and_can_be_gone_back_from() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1", r.url)).await?;
    b.address_until(|a| a.contains("/c/1/study/1?") && a.contains("ch=")).await?;
    let bracket = "input[aria-label=Bracket]";
    for (text, said) in [("1 to 3", "b=1_3"), ("2000 ms to 4 s", "b=2_4"), ("0.5 to 5", "b=0.5_5")] {
        b.word("Bracket", text).await?;
        b.address_until(|a| a.contains(said)).await?;
    }
    b.page.back().await?;
    b.value_until(bracket, |v| v == "2 to 4 s").await?;
    b.page.back().await?;
    b.value_until(bracket, |v| v == "1 to 3 s").await?;
    b.page.forward().await?;
    b.value_until(bracket, |v| v == "2 to 4 s").await?;
    let address = b.page.current_url().await?;
    // Sent to somebody else, who has never been here.
    let c = Browser::open().await?;
    c.page.goto(address.as_str()).await?;
    c.value_until(bracket, |v| v == "2 to 4 s").await?;
    // With the bench and what is set on its lenses; going back brings the bench before.
    b.choose("Bench", "bearing and gear").await?;
    b.address_until(|a| a.contains("bench=bearing+and+gear") && !a.contains("panels=")).await?;
    b.word("Band", "3 to 5.5 kHz").await?;
    b.address_until(|a| a.contains("panels=")).await?;
    c.page.goto(b.page.current_url().await?.as_str()).await?;
    c.value_until("input[aria-label=Band]", |v| plain(v) == "3000 to 5500 Hz").await?;
    c.page.goto(&format!("{}/study/1?b=1_3&bench=shaft&panels=torn", r.url)).await?;
    c.address_until(|a| a.contains("bench=waveform")).await.context("what is no bench leaves one's own")?;
    // A run in the wrong campaign leads to its own.
    c.page.goto(&format!("{}/c/2/study/1", r.url)).await?;
    c.address_until(|a| a.contains("/c/1/study/1")).await?;
    c.page.goto(&format!("{}/c/99/rig", r.url)).await?;
    c.text_until("main", |t| t.contains("no campaign of this address")).await?;
    c.page.clone().close().await?;

    // Night colours are everywhere at once, in pictures that are there already, and are still there tomorrow.
    let corner = "const c = document.querySelector('[aria-label=\"Spectrum of the bracket\"] canvas');
        const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
        const near = (i, rgb) => rgb.every((c, k) => Math.abs(d[i + k] - c) < 16) && d[i + 3] > 200;
        let light = 0, dark = 0;
        for (let i = 0; i < d.length; i += 4) {
            if (near(i, [0xdc, 0xe7, 0xea])) light++;
            if (near(i, [0x10, 0x26, 0x3b])) dark++;
        }
        return light + dark === 0 ? 'nothing' : light > dark ? 'light' : 'dark';";
    b.find("[aria-label='Spectrum of the bracket'] canvas").await?;
    b.script_until(corner, |v| v == "dark").await.context("dark ink by day")?;
    b.keys(&held(Key::Control, "k")).await?;
    b.type_over("input[aria-label=Find]", "Night").await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.script_until(corner, |v| v == "light").await.context("light ink by night")?;
    b.page.refresh().await?;
    b.find("[aria-label='Spectrum of the bracket'] canvas").await?;
    b.script_until(corner, |v| v == "light").await.context("night after a reload")?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_line_that_hangs_is_told_with_its_age() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig", r.url)).await?;
    b.text_until("header", |t| t.contains("Idle") && !t.contains("ago")).await?;
    let signal = |what: &str| Command::new("kill").args([what, &r.server.0.id().to_string()]).status();
    anyhow::ensure!(signal("-STOP")?.success());
    let hung = b.text_until("header", |t| t.contains("s ago") && t.contains("Idle?")).await;
    anyhow::ensure!(signal("-CONT")?.success());
    hung?;
    b.text_until("header", |t| t.contains("Idle") && !t.contains("ago") && !t.contains('?')).await?;
    b.page.clone().close().await?;
    Ok(())
}
