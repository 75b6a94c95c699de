//! Campaigns begun, renamed, put away, deleted and brought back, over the API and on the page.

use anyhow::{Context, Result};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, says};
use serde_json::{Value, json};

async fn shelf(r: &Rigged) -> Result<Vec<Value>> {
    Ok(r.get("/api/shelf").await?.as_array().context("a list")?.clone())
}

#[tokio::test]
async fn campaigns_are_begun_with_nothing_and_after_another() -> Result<()> {
    let r = Rigged::start().await?;
    let before = shelf(&r).await?;
    let merrow = before.iter().find(|c| c["id"] == 1).context("the demo's")?;
    assert!(merrow["bytes"].as_i64() > Some(100_000) && merrow["runs"] == 1 && merrow["channels"] == 23, "{merrow}");
    assert_eq!(merrow["measured"], true);
    let begin = async |body: Value| r.call("POST", "/api/campaigns", Some(body)).await;
    let ramp = json!({ "specimen": "loading ramp", "purpose": "the knock", "with": { "from": "empty" } });
    let (status, first) = begin(ramp.clone()).await?;
    assert_eq!(status, 200, "{first}");
    let (_, second) = begin(ramp).await?;
    let name = async |id: &Value| -> Result<Value> {
        Ok(shelf(&r).await?.into_iter().find(|c| c["id"] == *id).context("it is there")?["name"].clone())
    };
    assert_eq!(name(&first).await?, "loading ramp: the knock");
    assert_eq!(name(&second).await?, "loading ramp: the knock 2");
    let rig = r.get(&format!("/api/campaigns/{first}/rig")).await?;
    let rows = rig["rig"]["channels"].as_array().context("rows")?;
    assert!(rows.len() == 24 && rows.iter().all(|c| c["on"] == false), "a free row for every input");
    let (_, after) = begin(json!({ "specimen": "starboard thruster", "purpose": "", "name": "Merrow, starboard",
        "with": { "from": "campaign", "campaign": 1 } }))
    .await?;
    let copy = r.get(&format!("/api/campaigns/{after}/rig")).await?;
    assert_eq!(copy["rig"], r.get("/api/campaigns/1/rig").await?["rig"]);
    assert_eq!(r.get(&format!("/api/campaigns/{after}/machine")).await?, r.get("/api/campaigns/1/machine").await?);
    assert_eq!(r.get(&format!("/api/campaigns/{after}/runs")).await?, json!([]));
    for (wrong, word) in [
        (json!({ "specimen": " ", "purpose": "", "with": { "from": "empty" } }), "is empty"),
        (json!({ "specimen": "x".repeat(300), "purpose": "", "with": { "from": "empty" } }), "up to 200"),
        (json!({ "specimen": "a\nb", "purpose": "", "with": { "from": "empty" } }), "one line"),
        (
            json!({ "specimen": "x", "purpose": "", "name": "Merrow, starboard", "with": { "from": "empty" } }),
            "used already",
        ),
        (json!({ "specimen": "x", "purpose": "", "with": { "from": "campaign", "campaign": 99 } }), "not there"),
    ] {
        let (status, body) = begin(wrong.clone()).await?;
        assert!(status >= 400 && says(&body).contains(word), "{wrong}: {body}");
    }
    // What is recorded for is not deleted; what is deleted comes back, and gives its name free meanwhile.
    assert_eq!(r.order("record").await?.0, 204);
    let (status, answer) = r.call("DELETE", "/api/campaigns/1", None).await?;
    assert!(status == 409 && says(&answer).contains("stop that first"), "{answer}");
    r.order("stop").await?;
    r.idle().await?;
    assert_eq!(r.call("DELETE", &format!("/api/campaigns/{second}"), None).await?.0, 204);
    assert!(shelf(&r).await?.iter().all(|c| c["id"] != second || !c["gone_at"].is_null()));
    assert_eq!(r.call("POST", &format!("/api/campaigns/{second}/restore"), None).await?.0, 204);
    assert_eq!(name(&second).await?, "loading ramp: the knock 2");
    Ok(())
}

#[tokio::test]
async fn nothing_becomes_a_campaign_with_a_report_on_the_page() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    r.database = echo_browser_tests::Database::empty()?;
    r.serve_again()?;
    let b = Browser::open().await?;
    // An empty database opens on the shelf, and says the first step.
    b.page.goto(&r.url).await?;
    b.text_until("form", |t| t.contains("There is no campaign yet")).await?;
    b.press("Begin").await?;
    b.text_until("form [role=alert]", |t| t.contains("what is tested is empty")).await?;
    b.type_over("input[aria-label='What is tested']", "radar mast bracket").await?;
    b.type_over("input[aria-label='For what purpose']", "does it resonate").await?;
    b.press("Begin").await?;
    b.text_until("header", |t| t.contains("radar mast bracket: does it resonate")).await?;
    // A line leads through the first run; what is there is ticked off.
    let first = "nav[aria-label='First run']";
    b.text_until(first, |t| t.contains("✓ plug in a front end") && t.contains("2 name a channel")).await?;
    // The front ends measure for the first campaign; a row is filled in, and it records.
    let id = r.got("/api/shelf", |s| s[0]["measured"] == true).await?[0]["id"].clone();
    r.until("the front end sends", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    let row = json!({ "on": true, "name": "bracket, top", "sensor": "QA-31, 20401", "quantity": "acceleration",
        "sensitivity_unit": "mV/(m/s²)", "sensitivity": "10.14", "coupling": "IEPE", "range_v": "5" });
    let (status, body) = r.call("PATCH", &format!("/api/campaigns/{id}/rig/7"), Some(row)).await?;
    assert_eq!(status, 200, "{body}");
    b.page.goto(&format!("{}/c/{id}/run", r.url)).await?;
    b.find("canvas").await?;
    b.keys("r").await?;
    b.text_until("header", |t| t.contains("Recording 1")).await?;
    r.recorded(0.5).await?;
    b.keys("S").await?;
    r.got(&format!("/api/campaigns/{id}/runs"), |runs| runs[0]["samples"].as_i64() > Some(0)).await?;
    assert!(r.bytes(&format!("/api/campaigns/{id}/report.pdf")).await?.starts_with(b"%PDF"));
    b.text_until(first, |t| t.contains("✓ record") && t.contains("4 look at its spectrum")).await?;
    b.press_path("//nav[@aria-label='First run']//a[contains(., 'look at its spectrum')]").await?;
    b.text_until(first, |t| t.contains("✓ look at its spectrum") && t.contains("5 save the report")).await?;
    // It is put away for good, and brought back from the help page, which has a picture a job.
    b.press("Skip").await?;
    b.gone(fantoccini::Locator::Css(first)).await?;
    b.press_path("//nav[@aria-label='Stations']//a[starts-with(normalize-space(.), 'Help')]").await?;
    b.press_path("//nav[@aria-label='Help']//a[normalize-space(.)='Check a sensor']").await?;
    b.script_until("const i = document.querySelector('main img'); return i?.complete && i.naturalWidth", |w| {
        w.as_i64() > Some(600)
    })
    .await?;
    b.press("Lead me through a first run").await?;
    b.press("← Back").await?;
    b.press("← Back").await?;
    b.text_until(first, |t| t.contains("5 save the report")).await?;
    b.press("Skip").await?;
    // The server measures with it again after a restart; the page's start leads there.
    r.server.kill();
    r.serve_again()?;
    assert_eq!(r.get("/api/shelf").await?[0]["measured"], true);

    // On the shelf it is copied without its runs, found, renamed, and deleted by its name.
    b.page.goto(&format!("{}/campaigns", r.url)).await?;
    b.press_found("button[aria-label='What can be done with radar mast bracket: does it resonate']").await?;
    b.press("Copy without runs").await?;
    b.value_until("input[aria-label='What is tested']", |t| t == "radar mast bracket").await?;
    b.type_over("input[aria-label='For what purpose']", "again, greased").await?;
    b.press("Begin").await?;
    b.text_until("header", |t| t.contains("radar mast bracket: again, greased")).await?;
    b.page.goto(&format!("{}/campaigns", r.url)).await?;
    b.text_until("table[aria-label=Campaigns] tbody", |t| t.contains("again, greased")).await?;
    let shelf = shelf(&r).await?;
    let copy = shelf.iter().find(|c| c["name"] == "radar mast bracket: again, greased").context("the copy")?;
    assert_eq!((&copy["channels"], &copy["runs"]), (&json!(1), &json!(0)));
    b.type_over("input[aria-label='Find a campaign']", "greased").await?;
    b.text_until("table[aria-label=Campaigns] tbody", |t| !t.contains("does it resonate")).await?;
    b.press_found("button[aria-label='What can be done with radar mast bracket: again, greased']").await?;
    b.word("Purpose", "greased and tightened").await?;
    r.got("/api/shelf", |s| s.to_string().contains("greased and tightened")).await?;
    b.press("Delete …").await?;
    b.type_over("input[aria-label='Name of what is deleted']", "radar").await?;
    b.press("Delete").await?;
    b.text_until("table [role=alert]", |t| t.contains("Type its whole name")).await?;
    b.type_over("input[aria-label='Name of what is deleted']", "radar mast bracket: again, greased").await?;
    b.press("Delete").await?;
    b.text_until("div[role=status]", |t| t.contains("deleted")).await?;
    assert!(r.get("/api/shelf").await?.as_array().is_some_and(|s| s.iter().any(|c| !c["gone_at"].is_null())));
    b.keys(&echo_browser_tests::browser::held(fantoccini::key::Key::Control, "z")).await?;
    r.got("/api/shelf", |s| s.as_array().is_some_and(|s| s.iter().all(|c| c["gone_at"].is_null()))).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn the_demo_is_removed_and_brought_back_at_once() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/campaigns", r.url)).await?;
    b.press("Remove the demo").await?;
    b.text_until("form", |t| t.contains("There is no campaign yet")).await?;
    // Nothing is measured any more: nothing could be recorded into what is deleted.
    let (status, answer) = r.order("record").await?;
    assert!(status == 409, "{answer}");
    b.text_until("summary", |t| t.contains("4 deleted")).await?;
    b.press("Undo").await?;
    b.text_until("table[aria-label=Campaigns] tbody", |t| t.contains("Merrow") && t.contains("deck survey")).await?;
    b.page.clone().close().await?;
    Ok(())
}
