//! The page by keyboard alone: the table as a spreadsheet, stations, finder, bracket.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, held};
use fantoccini::key::Key;
use serde_json::Value;

async fn grid(b: &Browser, keys: &str) -> Result<()> {
    b.send("[role=grid]", keys).await?;
    Ok(())
}

async fn cell(b: &Browser, name: &str, wanted: &str) -> Result<()> {
    b.text_until(&format!("[data-cell='{name}']"), |t| t == wanted).await.map(drop)
}

#[tokio::test]
async fn the_table_is_a_spreadsheet() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig?input=5", r.url)).await?;
    cell(&b, "5-name", "motor, free end, athw").await?;

    // Down, right, overwrite, Enter goes on to the row below.
    grid(&b, &format!("{}{}", Key::Down, Key::Right)).await?;
    grid(&b, "QA-31, 9").await?;
    b.keys("9999").await?;
    b.entered().await?;
    cell(&b, "6-sensor", "QA-31, 99999").await?;
    // Fill down from there, then take both back.
    grid(&b, &held(Key::Control, "d")).await?;
    cell(&b, "7-sensor", "QA-31, 99999").await?;
    grid(&b, &held(Key::Control, "z")).await?;
    cell(&b, "7-sensor", "QA-31, 20419").await?;
    grid(&b, &held(Key::Control, "z")).await?;
    cell(&b, "6-sensor", "QA-31, 20416").await?;

    // A unit typed with the number is converted into what was meant, not into another number.
    b.page.goto(&format!("{}/rig?input=3", r.url)).await?;
    cell(&b, "3-sensitivity", "10.38").await?;
    grid(&b, &format!("{}{}", Key::Right, Key::Right)).await?;
    grid(&b, "1").await?;
    b.keys("01.8 mV/g").await?;
    b.entered().await?;
    cell(&b, "3-sensitivity", "101.8").await?;
    cell(&b, "3-sensitivity_unit", "mV/g").await?;
    let typed = |v: &Value| v["rig"]["channels"][2]["sensitivity"]["unit"] == "mV/g";
    let rig = r.got("/api/campaigns/1/rig", typed).await?;
    let of_three = rig["cautions"].as_array().into_iter().flatten().filter(|c| c["input"] == 3).count();
    assert_eq!(of_three, 0, "101.8 mV/g is 10.38 mV/(m/s²): {}", rig["cautions"]);

    // What is refused stays; Esc lets it go.
    b.page.goto(&format!("{}/rig?input=8", r.url)).await?;
    cell(&b, "8-name", "gearbox top, athw").await?;
    grid(&b, &Key::Enter.to_string()).await?;
    b.keys(&format!("{}gearbox top, vert{}", held(Key::Control, "a"), Key::Enter)).await?;
    b.text_until("[role=alert]", |t| t.contains("used by input 7")).await?;
    b.keys(&Key::Escape.to_string()).await?;
    cell(&b, "8-name", "gearbox top, athw").await?;

    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn stations_finder_and_bracket_answer_to_keys() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig", r.url)).await?;
    b.find("[data-cell='1-name']").await?;
    for (key, path) in [("2", "/plan"), ("3", "/run"), ("5", "/report"), ("1", "/rig"), ("4", "/study")] {
        b.send("body", &held(Key::Alt, key)).await?;
        b.find(&format!("nav a[href$='{path}'].active")).await?;
    }

    // Study opens the newest run; the bracket moves by arrows and opens wide with Home.
    b.bracket_until(|t| t == "0.000 to 8.000 s").await?;
    b.send("[role=slider]", &held(Key::Shift, &Key::Left.to_string().repeat(3))).await?;
    b.bracket_until(|t| t.starts_with("0.000 to 5.")).await?;
    b.send("[role=slider]", &Key::Right.to_string()).await?;
    let moved = b.bracket_until(|t| t.starts_with("0.5")).await?;
    b.page.refresh().await?;
    b.bracket_until(|t| t == moved).await.context("a reload finds the bracket")?;
    b.send("[role=slider]", &Key::Home.to_string()).await?;
    b.bracket_until(|t| t == "0.000 to 8.000 s").await?;

    // Everything by name.
    b.send("body", &held(Key::Control, "k")).await?;
    b.send("[role=dialog] input", "shaft probe y").await?;
    b.text_until("[role=dialog] [role=option]", |t| t.contains("Channel 24")).await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.find("[role=row][aria-selected=true] [data-cell='24-name']").await?;
    // Recorded channels stand behind those of the rig: one step down opens the run.
    b.send("body", &held(Key::Control, "k")).await?;
    b.send("[role=dialog] input", "shaft probe y").await?;
    b.text_until("[role=dialog] [role=listbox]", |t| t.contains("Recorded channel shaft probe y, run 1")).await?;
    b.keys(&format!("{}{}", Key::Down, Key::Enter)).await?;
    b.find("[role=slider]").await?;

    // A plan that cannot be stays as typed with its reason; a time in minutes is understood.
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.send("input[aria-label=Duration]", &format!("{}soon{}", held(Key::Control, "a"), Key::Enter)).await?;
    b.text_until("[role=alert]", |t| t.contains("such as 30 s, 5 min")).await?;
    b.value_until("input[aria-label=Duration]", |v| v == "soon").await?;
    b.send("input[aria-label=Duration]", &format!("{}2 min{}", held(Key::Control, "a"), Key::Enter)).await?;
    b.text_until("main", |t| t.replace('\u{202f}', "").contains("6144000")).await?;
    r.got("/api/campaigns/1/plan", |v| v["plan"]["length"]["duration_s"] == 120.0).await?;
    b.page.clone().close().await?;
    Ok(())
}
