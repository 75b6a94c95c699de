//! Study through the page: entries put right and followed, computed channels, preparation, brackets, replay, runs
//! laid over each other, notes.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, number, plain};
use fantoccini::Locator;
use fantoccini::actions::{InputSource, KeyAction, KeyActions, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use fantoccini::key::Key;
use serde_json::json;

/// Ticks what stands beside a word.
async fn tick(b: &Browser, label: &str) -> Result<()> {
    let path = format!("//label[contains(., '{label}')]");
    b.press_path(&path).await
}

#[tokio::test]
async fn a_sensitivity_put_right_is_followed_by_every_number() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    tick(&b, "pinion").await?;
    let read = |t: &str| !t.is_empty() && t != "none";
    let before = number(&b.text_until("[data-marker=mesh]", read).await?);
    // Highest peaks know the line they belong to.
    b.choose("Highest peaks", "the 5 highest").await?;
    b.text_until("table[aria-label='Highest peaks']", |t| t.contains("mesh")).await?;
    // A result is kept as it is now.
    b.press("Save Spectrum").await?;
    b.type_over("input[aria-label='Name of the result']", "alongside").await?;
    b.press("Compute and save").await?;
    b.text_until("section[aria-label='Being made']", |t| t.contains("computed and saved")).await?;
    b.text_until("table[aria-label='Kept results']", |t| t.contains("alongside") && !t.contains("stale")).await?;

    b.page.goto(&format!("{}/study/1", r.url)).await?;
    b.press("Sensitivity of gearbox top, vert, put right").await?;
    b.type_over("input[aria-label=Sensitivity]", "20.92 mV/(m/s²)").await?;
    b.press("Put right").await?;
    b.text_until("[role=dialog] [role=alert], form [role=alert]", |t| t.contains("the reason is empty")).await?;
    b.type_over("input[aria-label=Reason]", "the certificate was misread").await?;
    b.press("Put right").await?;
    b.text_until("[data-marker=mesh]", |t| (number(t) / before - 0.5).abs() < 0.01).await?;
    // So is the unit, which is another entry of the same row.
    b.press("Sensitivity of gearbox top, vert, put right").await?;
    b.choose("What is put right", "unit").await?;
    b.type_over("input[aria-label='Right value']", "mm").await?;
    b.type_over("input[aria-label=Reason]", "as the yard wants it").await?;
    b.press("Put right").await?;
    b.text_until("form [role=alert]", |t| t.contains("does not measure acceleration")).await?;
    b.type_over("input[aria-label='Right value']", "g").await?;
    b.press("Put right").await?;
    let in_g = before / 2.0 / 9.80665;
    b.text_until("[data-marker=mesh]", |t| (number(t) / in_g - 1.0).abs() < 0.01).await?;
    // What was made before is told as stale, and is made again in one go.
    b.page.goto(&format!("{}/study/1/results", r.url)).await?;
    b.text_until("table[aria-label='Kept results']", |t| t.contains("stale")).await?;
    b.press("Make the stale one again").await?;
    b.text_until("section[aria-label='Being made']", |t| t.contains("computed and saved")).await?;
    b.text_until("table[aria-label='Kept results']", |t| !t.contains("stale")).await?;
    b.press("Show alongside of run 1").await?;
    b.find("[aria-label='Kept results over each other'] .u-over").await?;
    // Deleted, brought back, deleted again and brought back again.
    let rows = "return document.querySelectorAll(\"button[aria-label^='Delete alongside']\").length";
    b.press("Delete alongside of run 1").await?;
    for (act, there) in [("Undo", 0), ("Redo", 1), ("Undo", 0)] {
        b.script_until(rows, |n| *n == there).await?;
        b.press(act).await?;
    }
    b.script_until(rows, |n| *n == 1).await?;

    // A tachometer with two marks a turn: the speed is half of what was read.
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.press("Tachometer, put right").await?;
    b.word("Pulses a turn", "2").await?;
    b.type_over("input[aria-label=Reason]", "two marks on the shaft").await?;
    b.press("Put right").await?;
    b.text_until("[data-reading=rpm]", |t| (number(t) - 1345.0).abs() < 1.0).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn channels_are_computed_prepared_and_read_as_a_table() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1/computed", r.url)).await?;
    b.type_over("input[aria-label='Name of a new channel']", "resultant").await?;
    b.type_over("input[aria-label='Formula of a new channel']", "hypot(gearbox_top_vert, shaft_mark)").await?;
    b.press("Add").await?;
    b.text_until("[role=alert]", |t| t.contains("V cannot be compared with m/s²")).await?;
    b.type_over("input[aria-label='Formula of a new channel']", "hypot(gearbox_top_vert, gearbox_top_athw)").await?;
    b.press("Add").await?;
    b.find("input[aria-label='Formula of resultant']").await?;
    b.word("Formula of resultant", "hypot(gearbox_top_vert, )").await?;
    b.text_until("[role=alert]", |t| t.contains("does not belong there")).await?;
    b.keys(&Key::Escape.to_string()).await?;

    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    tick(&b, "resultant").await?;
    let legend = "section[aria-label=Waveform] [role=toolbar]";
    b.text_until(legend, |t| t.contains("resultant")).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("resultant") && t.contains("averages")).await?;
    // Ten samples as a table, through a high-pass that is set and refused like any other word.
    b.word("Bracket", "3 to 2").await?;
    b.text_until("[role=alert]", |t| t.contains("the lower first")).await?;
    b.word("Bracket", "1 to 3").await?;
    b.choose("Prepare", "high-pass").await?;
    b.word("High-pass edge", "200000 Hz").await?;
    b.text_until("[role=alert]", |t| t.contains("the high-pass edge must be")).await?;
    b.word("High-pass edge", "20").await?;
    b.choose("View", "a table").await?;
    let table =
        b.text_until("section[aria-label=Waveform] table[aria-label=Values]", |t| t.contains("resultant")).await?;
    assert!(table.contains("gearbox top, vert min, m/s²"), "{table}");
    let shown = b.page.find_all(Locator::Css("section[aria-label=Waveform] table[aria-label=Values] tbody tr")).await?;
    assert!(shown.len() >= 800, "{} rows", shown.len());
    // The mean of a high-passed signal is gone: the preparation is in the numbers.
    b.choose("Add a lens", "Statistics").await?;
    b.text_until("section[aria-label=Statistics]", |t| t.contains("kurtosis") && t.contains("resultant")).await?;
    // Live, the same formula is a channel like any other.
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.choose("Add a display", "Numbers").await?;
    b.choose_in("section[aria-label=Numbers]", "Channels shown", "f").await?;
    b.keys(&Key::Escape.to_string()).await?;
    b.text_until("section[aria-label=Numbers]", |t| t.contains("resultant")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn brackets_are_kept_replayed_and_laid_over_other_runs() -> Result<()> {
    let r = Rigged::start().await?;
    // A second run to lay over the first.
    let length = json!({ "ends": "after", "duration_s": 2.0 });
    assert_eq!(r.plan_with(1, json!({ "length": length })).await?.0, 200);
    assert_eq!(r.order("record").await?.0, 204);
    r.until("it has begun", |s| s["capture"]["state"] != "idle").await?;
    r.idle().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    // Kept under a letter, chosen again, and looked at by one lens while the others move on.
    b.word("Bracket", "1 to 3").await?;
    b.press("Save bracket").await?;
    b.word("Bracket", "4 to 7").await?;
    b.choose_in("section[aria-label=Spectrum]", "Bracket of the lens", "bracket A").await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("5 averages")).await?;
    b.bracket_until(|t| t == "4.000 to 7.000 s").await?;
    b.press("Bracket A").await?;
    b.bracket_until(|t| t == "1.000 to 3.000 s").await?;
    // The overview is zoomed by its keys, and back one zoom at a time.
    b.send("[role=slider]", "++").await?;
    b.press("Zoom back").await?;
    b.send("[role=slider]", &Key::Backspace.to_string()).await?;
    b.gone(Locator::XPath("//button[.='Zoom back']")).await.context("both zooms are taken back")?;
    // The replay moves the bracket with its width, and holds.
    b.choose("Speed of the replay", "0.1 ×").await?;
    b.press("▷ Replay").await?;
    let from = |t: &str| t.split(' ').next().and_then(|x| x.parse::<f64>().ok()).unwrap_or(f64::NAN);
    b.bracket_until(|t| from(t) > 1.1).await?;
    b.press("❙❙ Pause").await?;
    let held = b.bracket_until(|_| true).await?;
    let to = held.split(' ').nth(2).and_then(|x| x.parse::<f64>().ok()).unwrap_or(f64::NAN);
    assert!(from(&held) > 1.1 && (to - from(&held) - 2.0).abs() < 2e-3, "{held}");

    // Shift and a click in the log lay the other run over this one.
    b.word("Bracket", "0 to 1.5").await?;
    let other = b.find("button[aria-label^='Open run 2']").await?;
    let (x, y, w, h) = other.rectangle().await?;
    let down = KeyActions::new("keys".into()).then(KeyAction::Down { value: Key::Shift.into() });
    b.page.perform_actions(down).await?;
    let mouse = MouseActions::new("mouse".into())
        .then(PointerAction::MoveTo { duration: None, x: x + w / 2.0, y: y + h / 2.0 })
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    b.page.perform_actions(mouse).await?;
    b.page.perform_actions(KeyActions::new("keys".into()).then(KeyAction::Up { value: Key::Shift.into() })).await?;
    b.text_until("[aria-label='Runs laid over']", |t| t.contains("run 2")).await?;
    b.find("button[aria-label='Bracket of the lens']").await?;
    b.text_until("section[aria-label=Waveform] [role=toolbar]", |t| t.contains("run 2")).await?;
    b.choose("Aligned by", "their triggers").await?;
    b.text_until("[aria-label='Runs laid over']", |t| t.contains("run 1 has no takes")).await?;
    b.choose("Aligned by", "the speed").await?;
    b.text_until("[aria-label='Runs laid over']", |t| t.contains("run 2") && !t.contains("no takes")).await?;
    b.press("Take all off").await?;

    // A note stays with the curve.
    b.word("Place of the note", "582.8").await?;
    b.type_over("input[aria-label='Words of the note']", "mesh").await?;
    b.press("Set the note").await?;
    b.text_until("section[aria-label=Notes] ul", |t| plain(t).contains("582.8") && t.contains("mesh")).await?;
    b.page.refresh().await?;
    b.text_until("section[aria-label=Notes] ul", |t| t.contains("mesh")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_long_computation_tells_how_far_it_is_and_is_stopped() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    b.choose("Add a lens", "Shock response").await?;
    let lens = "section[aria-label='Shock response']";
    b.find(&format!("{lens} .u-over")).await?;
    b.word("From", "0.5").await?;
    b.word("Frequencies an octave", "96").await?;
    b.value_until(&format!("{lens} input[aria-label='Frequencies an octave']"), |v| v == "96").await?;
    // Of twenty channels it takes a while on any machine.
    let recipe = json!({ "lens": "shock", "from_hz": 0.1, "per_octave": 96 });
    let all: Vec<u32> = (1..=20).collect();
    let panel = json!({ "x": 0, "y": 0, "w": 12, "h": 8, "recipe": recipe, "channels": all });
    let path = "/api/campaigns/1/study-benches/long";
    assert_eq!(r.call("PUT", path, Some(json!({ "panels": [panel] }))).await?.0, 204);
    b.page.refresh().await?;
    b.choose("Bench", "long").await?;
    b.press("Stop").await?;
    b.text_until(lens, |t| t.contains("stopped") && !t.contains("computing")).await?;
    b.press("Retry").await?;
    b.text_until(lens, |t| !t.contains("stopped")).await?;
    // A channel this run does not have is said, with what can be done.
    let panel = json!({ "x": 0, "y": 0, "w": 12, "h": 8, "recipe": { "lens": "spectrum" }, "channels": [7, 77] });
    let path = "/api/campaigns/1/study-benches/other%20run";
    assert_eq!(r.call("PUT", path, Some(json!({ "panels": [panel] }))).await?.0, 204);
    b.page.refresh().await?;
    b.choose("Bench", "other run").await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("names channel 77, which this run")).await?;
    b.press("Leave them out").await?;
    b.text_until("section[aria-label=Spectrum]", |t| !t.contains("names channel 77")).await?;
    b.page.clone().close().await?;
    Ok(())
}
