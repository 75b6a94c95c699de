//! The whole way in the browser: set a sensitivity, record, find the gear mesh, hand over a report.

use anyhow::{Context, Result, bail};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::Browser;
use echo_simulator::device::{Lantern, Truth};
use fantoccini::key::Key;
use std::process::Command;

/// A number as the page writes it.
fn number(text: &str) -> f64 {
    let plain: String =
        text.replace('\u{2212}', "-").chars().filter(|c| c.is_ascii_digit() || ".-".contains(*c)).collect();
    plain.parse().unwrap_or(f64::NAN)
}

/// Centre of a table's cell.
async fn cell(b: &Browser, name: &str) -> Result<(f64, f64)> {
    let (x, y, w, h) = b.find(&format!("[data-cell='{name}']")).await?.rectangle().await?;
    Ok((x + w / 2.0, y + h / 2.0))
}

async fn type_into_cell(b: &Browser, name: &str, text: &str) -> Result<()> {
    let (x, y) = cell(b, name).await?;
    b.click_at(x, y).await?;
    b.send("[role=grid]", text).await?;
    b.keys(&Key::Enter.to_string()).await
}

#[tokio::test]
async fn from_a_sensor_to_a_page_in_the_hand() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;

    // Rig: a wrong sensitivity is refused in words and stays in its cell; the right one is kept.
    b.page.goto(&format!("{}/rig", r.url)).await?;
    type_into_cell(&b, "7-sensitivity", "-4").await?;
    let says = b.text_until("[role=alert]", |t| t.contains("number above 0")).await?;
    assert!(says.contains("sensitivity"), "{says}");
    b.value_until("[data-cell='7-sensitivity'] input", |v| v == "-4").await?;
    b.keys(&Key::Escape.to_string()).await?;
    type_into_cell(&b, "7-sensitivity", "20.92").await?;
    b.text_until("[data-cell='7-sensitivity']", |t| t == "20.92").await?;
    b.keys(&format!("{}z", Key::Control)).await?;
    b.keys(&Key::Null).await?;
    b.text_until("[data-cell='7-sensitivity']", |t| t == "10.46").await?;
    b.text_until("[data-rms='7']", |t| (3.0..6.0).contains(&number(t))).await?;

    // Plan: five seconds.
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.word("Duration", "5 s").await?;
    b.text_until("main", |t| t.replace('\u{202f}', "").contains("256000")).await?;

    // Run: one key records; it ends by itself.
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.find("[data-bar='7']").await?;
    r.until("the page is heard", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    b.find("header button.hot:not([disabled])").await?;
    b.send("body", "r").await?;
    b.text_until("main", |t| t.contains("Recording")).await?;
    b.text_until("main", |t| t.contains("Run 2 ended: the planned length was reached. No block was lost.")).await?;

    // Study: the mesh is where its teeth put it, and as strong as the stand-in made it.
    b.page.goto(&format!("{}/study/2?ch=7,8&z.frequency=0_1400", r.url)).await?;
    let over = "section[aria-label='Spectrum'] [aria-label='Spectrum of the bracket'] .u-over";
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    let Truth::Inputs(truth) = Lantern::new("T", 2690.0).truth() else { bail!("a machine has inputs") };
    let mesh = truth
        .iter()
        .find(|t| t.input == 7)
        .and_then(|t| t.components.iter().find(|c| c.what == "mesh"))
        .context("the stand-in has a mesh")?;
    let (x, y, w, h) = b.find(over).await?.rectangle().await?;
    b.click_at(x + w * mesh.frequency_hz / 1400.0, y + h * 0.8).await?;
    let hz = number(&b.text_until("[data-reading='hz']", |t| !t.is_empty()).await?);
    let value = number(&b.text_until("[data-reading='value']", |t| !t.is_empty()).await?);
    assert!((hz - mesh.frequency_hz).abs() < 51200.0 / 32768.0, "{hz} Hz for {}", mesh.frequency_hz);
    // The click takes the higher of the two channels that are drawn; input 8 feels the mesh more.
    let felt = [7, 8].map(|n| {
        let of = truth.iter().find(|t| t.input == n).map(|t| &t.components);
        of.and_then(|c| c.iter().find(|c| c.what == "mesh")).map_or(f64::NAN, |c| c.amplitude)
    });
    let wanted = felt[0].max(felt[1]);
    assert!((value / wanted - 1.0).abs() < 0.02, "{value} m/s² for {wanted}");

    // A sensitivity put right afterwards: every number follows, the old one stays readable.
    let (status, _) = r
        .call(
            "POST",
            "/api/runs/2/channels/8/sensitivity",
            Some(serde_json::json!({ "sensitivity": "20.52", "reason": "certificate misread" })),
        )
        .await?;
    assert_eq!(status, 204);
    b.page.refresh().await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    b.text_until("aside", |t| t.contains("20.52")).await?;
    // The reading that was set stands where it was, of the channel it was of, and tells the new value.
    let half = |t: &str| (number(t) / (felt[1] / 2.0) - 1.0).abs() < 0.02;
    b.text_until("[data-reading='value']", half).await.context("after the correction")?;
    // Another click takes the channel that is the higher one now, beside the first.
    let (x, y, w, h) = b.find(over).await?.rectangle().await?;
    b.click_at(x + w * mesh.frequency_hz / 1400.0, y + h * 0.8).await?;
    let second = "[aria-label=Readings] tbody:nth-of-type(2) [data-reading='value']";
    b.text_until(second, |t| (number(t) / felt[0].max(felt[1] / 2.0) - 1.0).abs() < 0.02).await?;
    let run = r.get("/api/runs/2").await?;
    let history = run["channels"][7]["history"].as_array().context("history")?.clone();
    assert_eq!(history.len(), 2);
    assert_eq!(history[0]["sensitivity"]["value"], 10.26);
    assert_eq!(history[1]["reason"], "certificate misread");

    // Report: the spectrum goes in, and the PDF says what was measured.
    b.press("Use in report").await?;
    b.find("img[alt='Page 1 of the report']").await?;
    let pdf = r.bytes("/api/campaigns/1/report.pdf").await?;
    let file = tempfile::NamedTempFile::new()?;
    std::fs::write(file.path(), pdf)?;
    let text = Command::new("pdftotext").args(["-layout"]).arg(file.path()).arg("-").output()?;
    let text = String::from_utf8(text.stdout)?.replace('\u{a0}', " ");
    for part in [
        "Port thruster after overhaul",
        "5 s",
        "51 200 Hz",
        "Lantern 24",
        "gearbox top, vert",
        "20.52 mV/(m/s²) *",
        "certificate misread",
        "block 32 768",
        "frequency, Hz",
    ] {
        assert!(text.contains(part), "the PDF lacks “{part}”:\n{text}");
    }

    // WAV and CSV hold what was recorded.
    let wav = r.bytes("/api/runs/2/export.wav").await?;
    assert_eq!(&wav[..4], b"RIFF");
    assert_eq!(wav.len(), 104 + 256_000 * 23 * 4, "a head and the samples");
    let csv = String::from_utf8(r.bytes("/api/runs/2/export.csv").await?)?;
    assert!(csv.starts_with("time [s],\"motor, drive end, vert [m/s²]\""), "{}", &csv[..80]);
    assert_eq!(csv.lines().count(), 256_001);

    // A reload finds everything where it was.
    b.page.goto(&format!("{}/report", r.url)).await?;
    b.text_until("main", |t| t.contains("from run 2")).await?;
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.value_until("input[aria-label='Duration']", |v| v == "5 s").await?;
    b.page.goto(&format!("{}/rig", r.url)).await?;
    b.text_until("[data-cell='7-sensitivity']", |t| t == "10.46").await?;
    b.page.clone().close().await?;
    Ok(())
}
