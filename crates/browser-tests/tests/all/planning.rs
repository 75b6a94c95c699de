//! The Plan station through the page: sentences that are changed, what follows at once, what is refused.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, plain};
use serde_json::json;

async fn refused(b: &Browser, label: &str, text: &str, says: &str) -> Result<()> {
    b.refused(&format!("input[aria-label='{label}']"), text, says).await
}

#[tokio::test]
async fn a_trigger_is_put_together_word_by_word() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.text_until("section[aria-label='Start when']", |t| t.contains("Record is pressed")).await?;
    b.choose("Add a condition", "a level is crossed").await?;
    b.text_until("section[aria-label='Start when']", |t| plain(t).contains("hysteresis")).await?;
    b.choose("Channel", "16").await?;
    b.choose("Slope", "crosses").await?;
    refused(&b, "Level", "high", "the level must be a number in m/s²").await?;
    b.word("Level", "12.5").await?;
    b.word("Time kept from before", "0.25 s").await?;
    refused(&b, "Hold-off", "-1", "the hold-off must be 0 to 3600 s").await?;
    b.word("Hold-off", "2 s").await?;
    b.word("Takes", "4").await?;
    b.text_until("main", |t| plain(t).contains("it waits until output flange, vert crosses 12.5 m/s²")).await?;
    b.text_until("main", |t| plain(t).contains("It makes 4 takes and ends; the next trigger counts 2 s after one"))
        .await?;
    // The picture follows: two takes, which overlap until they are held apart; what is kept from before.
    let picture = "section[aria-label='steady, at sea']";
    b.text_until(picture, |t| t.contains("take 2") && plain(t).contains("A hold-off of 60.25 s keeps them apart"))
        .await?;
    b.word("Hold-off", "61 s").await?;
    b.text_until(picture, |t| t.contains("take 2") && plain(t).contains("keeps the last 0.25s")).await?;
    b.word("Hold-off", "2 s").await?;
    // A second condition, both together.
    b.choose("Add a condition", "the speed is in a window").await?;
    b.choose("How they work together", "all").await?;
    b.text_until("main", |t| plain(t).contains("all within 0.1 s")).await?;
    let plan = r.got("/api/campaigns/1/plan", |p| p["plan"]["start"]["join"] == "all").await?["plan"].clone();
    let start = &plan["start"];
    assert_eq!((&start["join"], &start["takes"], &start["pre_s"]), (&json!("all"), &json!(4), &json!(0.25)));
    assert_eq!((&start["conditions"][0]["input"], &start["conditions"][0]["edge"]), (&json!(16), &json!("either")));
    assert_eq!((&start["conditions"][1]["when"], &start["conditions"][1]["tacho"]), (&json!("speed"), &json!(22)));
    // Off in the rig, it is missed here and at arming, by name.
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/16", Some(json!({ "on": false }))).await?.0, 200);
    b.page.refresh().await?;
    b.text_until("main", |t| t.contains("input 16, which is off; switch it on in the rig")).await?;
    let (status, body) = r.order("arm").await?;
    assert!(status == 409 && body["says"].as_str().is_some_and(|s| s.contains("input 16, which is off")), "{body}");
    b.press("Remove condition 1").await?;
    b.press("Remove condition 1").await?;
    b.text_until("section[aria-label='Start when']", |t| t.contains("Record is pressed")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn lengths_rates_and_recorders_show_what_follows() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.word("Duration", "512000 samples").await?;
    b.text_until("main", |t| plain(t).contains("512000") && t.contains("lasts for 10 s")).await?;
    b.word("Duration", "100 rev at 3000 rpm").await?;
    b.text_until("main", |t| t.contains("lasts for 2 s")).await?;
    refused(&b, "Duration", "8 days", "must be").await?;
    refused(&b, "A frequency that matters", "low", "the frequency must be above 0 Hz, or “none”").await?;
    b.word("A frequency that matters", "582.8 Hz").await?;
    b.text_until("main", |t| plain(t).contains("582.8 Hz is measured as it is")).await?;
    b.choose("Sample rate", "1.024").await?;
    b.text_until("main", |t| {
        plain(t).contains("582.8 Hz is taken out by the filter; without one it would show at 441.2 Hz")
    })
    .await?;
    // The rule that finds it offers the slowest rate that keeps it; one press takes that.
    let cautions = "section[aria-label='Cautions about the plan']";
    b.text_until(cautions, |t| plain(t).contains("582.8 Hz lies above what is recorded clean")).await?;
    b.text_until("nav[aria-label=Stations]", |t| t.contains("caution")).await?;
    b.press("Sample at").await?;
    b.text_until("main", |t| plain(t).contains("582.8 Hz is measured as it is") && !t.contains("lies above what"))
        .await?;
    let kept = r.get("/api/campaigns/1/plan").await?["plan"]["sample_rate_hz"].as_f64().context("rate")?;
    assert!(kept > 1024.0 && kept < 51_200.0, "{kept}");
    b.choose("Sample rate", "51.2").await?;
    b.press("Add a recorder").await?;
    refused(&b, "Name of recorder B", "A", "two recorders are called").await?;
    b.word("Name of recorder B", "slow").await?;
    b.choose("What recorder slow keeps", "all from arming on").await?;
    refused(&b, "Segments of recorder slow", "sometimes", "type 10 min, 500 MB or never").await?;
    b.word("Segments of recorder slow", "10 min").await?;
    let slow = json!({ "name": "slow", "inputs": [], "divide": 8, "keeps": "everything", "segment_s": 600.0 });
    r.got("/api/campaigns/1/plan", |p| p["plan"]["recorders"][1] == slow).await?;
    b.press("Remove recorder slow").await?;
    b.text_until("section[aria-label=Recorders]", |t| !t.contains("all from arming on")).await?;
    // The other views of the plan open by their names.
    b.page.goto(&format!("{}/plan/steps", r.url)).await?;
    b.text_until("main", |t| t.contains("gearbox top, vert") && t.contains("Full scale")).await?;
    b.page.goto(&format!("{}/plan/dry-run", r.url)).await?;
    b.word("Length of the dry run", "2 s").await?;
    b.press("Try the plan").await?;
    b.text_until("main", |t| {
        t.contains("The system can sustain this plan") && t.contains("no block lost") && t.contains("Packing")
    })
    .await?;
    assert_eq!(r.get("/api/campaigns/1/runs").await?.as_array().map(Vec::len), Some(1), "nothing of it is kept");
    b.page.clone().close().await?;
    Ok(())
}
