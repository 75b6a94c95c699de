//! The stations as a person uses them: what is chosen in words reaches the numbers, what is wrong
//! is told where it was typed, and what was set is still there after a reload.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, plain};
use fantoccini::key::Key;
use serde_json::{Value, json};

#[tokio::test]
async fn study_says_what_its_numbers_mean_and_hands_them_over() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.find("button[aria-label=Scaling]").await?;

    // Each word changes the sentence and what follows from it.
    b.choose("Block", "4096").await?;
    let aside = "aside";
    let sheet = "section[aria-label=Spectrum]";
    b.text_until(sheet, |t| plain(t).contains("12.5Hz apart")).await?;
    b.choose("Window", "flat-top").await?;
    b.choose("Overlap", "75 %").await?;
    let run = r.get("/api/runs/1").await?;
    let recipe = json!({ "lens": "spectrum", "channels": [1], "block": 4096, "window": "flat_top", "overlap": 0.75 });
    let (_, result) = r.call("POST", "/api/runs/1/results", Some(recipe)).await?;
    let averages = format!(", {} averages", result["averages"]);
    b.text_until(sheet, |t| t.contains(&averages)).await?;
    b.choose("Scaling", "PSD").await?;
    b.text_until("main", |t| t.contains("PSD, (m/s²)²/Hz")).await?;
    b.choose("Unit", "mm/s").await?;
    b.text_until("main", |t| t.contains("PSD, (mm/s)²/Hz") && plain(t).contains("integrated above 2")).await?;

    // A second channel of the same unit is drawn beside, one of another unit is told.
    for (number, wanted) in [(3, "drawn"), (22, "in another unit")] {
        let row = format!("aside li:nth-of-type({number}) input[type=checkbox]");
        b.press_found(&row).await?;
        b.text_until(aside, |t| t.contains(wanted)).await?;
    }
    assert_eq!(run["channels"].as_array().map(Vec::len), Some(23));

    // A reload finds the same look.
    b.page.refresh().await?;
    b.text_until("main", |t| t.contains("PSD, (mm/s)²/Hz")).await?;
    b.text_until(sheet, |t| plain(t).contains("12.5Hz apart")).await?;

    // To the report, which then carries the recipe and its unit.
    b.press("Use in report").await?;
    b.find("img[alt='Page 1 of the report']").await?;
    let report = r.get("/api/campaigns/1/report").await?;
    let with_psd = |b: &&Value| b["show"]["recipe"]["scaling"] == "psd";
    let figure = report["blocks"].as_array().and_then(|all| all.iter().find(with_psd)).context("a figure of it")?;
    assert_eq!(figure["show"]["what"], "figure");
    assert_eq!(figure["show"]["recipe"]["unit"], "mm/s");
    assert_eq!(figure["show"]["recipe"]["window"], "flat_top");
    // It is the one that is chosen, with its own words.
    let chosen = format!("block={}", figure["id"]);
    b.address_until(|a| a.contains(&chosen)).await?;
    b.text_until("section[aria-label='What it says']", |t| t.contains("flat-top")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_sensitivity_is_put_right_in_the_page_with_its_reason() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    let word = "button[aria-label$='put right']";
    let before = b.text_until(word, |t| !t.is_empty()).await?;
    b.press_found(word).await?;
    b.type_over("input[aria-label=Sensitivity]", "20.4 mV/N").await?;
    b.send("input[aria-label=Reason]", &format!("label misread{}", char::from(Key::Enter))).await?;
    b.text_until("form [role=alert]", |t| t.contains("does not fit acceleration")).await?;
    // What was typed is still there to be put right.
    b.value_until("input[aria-label=Reason]", |v| v == "label misread").await?;
    b.type_over("input[aria-label=Sensitivity]", &format!("20.4 mV/(m/s²){}", char::from(Key::Enter))).await?;
    let after = b.text_until(word, |t| t.contains("20.4") && t.contains('*')).await?;
    assert_ne!(before, after);
    b.press_found(word).await?;
    b.text_until("form ol", |t| t.contains("label misread")).await?;
    let run = r.get("/api/runs/1").await?;
    let changed: Vec<i64> = run["channels"]
        .as_array()
        .into_iter()
        .flatten()
        .filter(|c| c["history"].as_array().map(Vec::len) == Some(2))
        .filter_map(|c| c["channel"].as_i64())
        .collect();
    assert_eq!(changed.len(), 1, "only the one");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_caution_is_put_right_by_its_own_button() -> Result<()> {
    let r = Rigged::start().await?;
    let rig = r.get("/api/campaigns/1/rig").await?;
    let value = rig["rig"]["channels"][6]["sensitivity"]["value"].as_f64().unwrap_or_default();
    let unit = rig["rig"]["channels"][6]["sensitivity"]["unit"].as_str().unwrap_or_default().to_string();
    let wrong = json!({ "sensitivity": format!("{:.3} {unit}", value * 9.80665) });
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/7", Some(wrong)).await?.0, 200);
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig", r.url)).await?;
    b.text_until("main", |t| t.contains("Input 7 reads like mV/g")).await?;
    b.press_path("//li[@data-rule='sensitivity_off']//button[starts-with(normalize-space(.), 'Set ')]").await?;
    b.text_until("main", |t| !t.contains("reads like mV/g")).await?;
    let near = |v: &Value| v["rig"]["channels"][6]["sensitivity"]["value"].as_f64().unwrap_or(0.0) / value - 1.0;
    r.got("/api/campaigns/1/rig", |v| near(v).abs() < 1e-3).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn the_report_is_written_in_the_page() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report", r.url)).await?;
    b.find("img[alt='Page 1 of the report']").await?;
    // An empty title is refused where it was typed; the old one stands.
    let enter = char::from(Key::Enter);
    b.type_over("input[aria-label=Title]", &format!("{}{enter}", char::from(Key::Backspace))).await?;
    b.text_until("[role=alert]", |t| t.contains("title is empty")).await?;
    b.type_over("input[aria-label=Title]", &format!("Thruster at the quay{enter}")).await?;
    b.text_until("main h1", |t| t == "Thruster at the quay").await?;
    b.send("textarea", "The mesh is the highest line.\nNothing else stands out.").await?;
    b.press_found("body").await?;
    b.press_found("input[aria-label=Title]").await?;
    let written = |f: &str| f.ends_with("The mesh is the highest line.\nNothing else stands out.");
    let findings = |v: &Value| {
        let text = |b: &Value| b["show"]["text"].as_str().is_some_and(written);
        v["blocks"].as_array().is_some_and(|all| all.iter().any(text))
    };
    let report = r.got("/api/campaigns/1/report", findings).await?;
    assert_eq!(report["title"], "Thruster at the quay");
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("report.pdf");
    std::fs::write(&path, r.bytes("/api/campaigns/1/report.pdf").await?)?;
    let out = std::process::Command::new("pdftotext").arg(&path).arg("-").output()?;
    let text = String::from_utf8_lossy(&out.stdout).to_string();
    assert!(text.contains("Thruster at the quay") && text.contains("Nothing else stands out."), "{text}");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn the_live_view_follows_its_words() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.choose("Block", "4096").await?;
    b.text_until("button[aria-label='Block']", |t| t == "4096").await?;
    b.choose("Length", "0.5").await?;
    b.choose("Highest frequency", "5").await?;
    // Frozen, the state still goes on; and it goes on drawing when told.
    b.press_found("button[aria-pressed]:not([data-bar])").await?;
    b.text_until("button[aria-pressed=true]:not([data-bar])", |t| t == "Resume").await?;
    assert_eq!(r.order("record").await?.0, 204);
    b.text_until("[data-now]", |t| t.to_lowercase().contains("recording")).await?;
    assert_eq!(r.order("stop").await?.0, 204);
    r.idle().await?;
    b.text_until("[data-now]", |t| t.contains("Run 2 ended") && t.contains("No block was lost")).await?;
    let runs = r.get("/api/campaigns/1/runs").await?;
    assert_eq!(runs.as_array().map(Vec::len), Some(2), "one take more");
    b.page.clone().close().await?;
    Ok(())
}
