//! Many channels in the browser: a spreadsheet pasted, refused cells put right, what a colleague
//! would have caught, found and mended.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, held};
use fantoccini::key::Key;
use serde_json::{Value, json};

/// Pastes text into the table as the clipboard would.
async fn paste(b: &Browser, text: &str) -> Result<()> {
    b.find("[role=grid]").await?;
    let script = "const d = new DataTransfer(); d.setData('text/plain', arguments[0]);
        const g = document.querySelector('[role=grid]'); g.focus();
        g.dispatchEvent(new ClipboardEvent('paste', { clipboardData: d, bubbles: true, cancelable: true }));";
    b.page.execute(script, vec![json!(text)]).await?;
    Ok(())
}

/// The survey as it stands in somebody's spreadsheet, with three mistakes.
fn sheet() -> String {
    let mut text = String::from("Input\tChannel\tSensor\tSensitivity\tper\tRange\tPoint\tDirection\r\n");
    for i in 1..=256u32 {
        let (frame, line) = ((i - 1) / 8 + 1, (i - 1) % 8 + 1);
        let name = if i == 200 { "deck 01-1".into() } else { format!("deck {frame:02}-{line}") };
        let sensitivity = if i == 40 { "ten" } else { "10.1" };
        let unit = if i == 90 { "mV/furlong" } else { "mV/(m/s²)" };
        text += &format!(
            "{i}\t{name}\tQA-31, {}\t{sensitivity}\t{unit}\t0.1 V\tframe {frame:02}, line {line}\tvertical\r\n",
            30_000 + i
        );
    }
    text
}

#[tokio::test]
async fn a_survey_is_pasted_put_right_and_looked_over() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_deck(4).await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig", r.url)).await?;
    b.text_until("[data-cell='1-name']", |t| t == "frame 01, line 1").await?;

    // A paste that cannot be meant is refused as a whole, in words.
    paste(&b, &"x\ty\n".repeat(10_000)).await?;
    b.text_until("[role=alert]", |t| t.contains("10000 rows") && t.contains("256")).await?;

    paste(&b, &sheet()).await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("3 refused")).await?;
    let mend = async |label: &str, text: &str| -> Result<()> {
        let box_ = b.find(&format!("[role=dialog] input[aria-label='{label}']")).await?;
        box_.send_keys(&format!("{}{text}{}", held(Key::Control, "a"), Key::Enter)).await?;
        Ok(())
    };
    mend("Sensitivity of input A40", "10.1").await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("2 refused")).await?;
    mend("per of input B26", "mV/(m/s2)").await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("1 refused")).await?;
    mend("Channel of input D8", "deck 25-8").await?;
    b.text_until("[role=dialog] [role=status]", |t| !t.contains("refused")).await?;
    b.press_path("//div[@role='dialog']//button[starts-with(., 'Apply')]").await?;
    b.text_until("[data-cell='1-name']", |t| t == "deck 01-1").await?;
    // What is built into the deck, told by the cautions as soon as it was listened to.
    let told = |rig: &Value, rule: &str| -> Vec<String> {
        let all = rig["cautions"].as_array().into_iter().flatten();
        all.filter(|c| c["rule"] == rule).filter_map(|c| c["says"].as_str().map(String::from)).collect()
    };
    let found = |rig: &Value| {
        told(rig, "swapped_pair") == ["Inputs A34 and A35 are swapped"]
            && told(rig, "dead_input") == ["Input A22 hears nothing", "Input A51 hears nothing"]
            && told(rig, "clipped") == ["Input A13 is over its range"]
    };
    let rig = r.got("/api/campaigns/2/rig", found).await?;
    let channels = rig["rig"]["channels"].as_array().context("no channels")?;
    assert_eq!(channels.len(), 256);
    assert!(channels.iter().all(|c| c["sensitivity"]["value"] == 10.1 && c["range_v"] == 0.1));
    assert_eq!(channels[199]["name"], "deck 25-8");

    // One key mends the pair: each row goes to its sensor.
    b.page.goto(&format!("{}/rig?input=34", r.url)).await?;
    b.text_until("[data-rule=swapped_pair]", |t| t.contains("Alt F")).await?;
    b.send("[role=grid]", &held(Key::Alt, "f")).await?;
    b.text_until("[data-cell='34-name']", |t| t == "deck 05-3").await?;
    b.text_until("[data-cell='35-name']", |t| t == "deck 05-2").await?;
    // A dead sensor that is known of is let pass, with its reason.
    b.press_path("//li[@data-rule='dead_input'][contains(., 'A22')]//button[. = 'waive with a reason']").await?;
    b.keys(&format!("spare is on its way{}", Key::Enter)).await?;
    let list = |t: &str| t.contains("“spare is on its way”");
    b.text_until("section[aria-label=Cautions]", list).await?;
    let rig = r.get("/api/campaigns/2/rig").await?;
    let waived: Vec<&Value> =
        rig["cautions"].as_array().into_iter().flatten().filter(|c| !c["waived"].is_null()).collect();
    assert_eq!((waived.len(), &waived[0]["input"]), (1, &json!(22)));

    // Back at the other campaign, its own front end is found again.
    assert_eq!(r.call("POST", "/api/campaigns/1/choose", None).await?.0, 204);
    r.until("the thruster's front end is back", |s| s["link"]["front_end"]["model"] == "Lantern 24").await?;
    assert_eq!(r.call("POST", "/api/campaigns/2/choose", None).await?.0, 204);
    r.until("the deck's front ends are back", |s| {
        s["link"]["units"].as_array().map(Vec::len) == Some(4) && s["link"]["sample_rate_hz"].as_f64() > Some(0.0)
    })
    .await?;

    // Levels: the loud one is at the head of its list.
    b.page.goto(&format!("{}/rig/levels", r.url)).await?;
    b.text_until("section[aria-label='Loud channels'] li", |t| t.contains("A13")).await?;

    // In a list of 256 a channel is found by typing.
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.choose("Add a condition", "a level is crossed").await?;
    b.type_over("input[aria-label=Channel]", "deck 12-3").await?;
    b.text_until("[role=option]", |t| t.contains("deck 12-3")).await?;
    b.keys(&Key::Enter.to_string()).await?;
    r.got("/api/campaigns/2/plan", |p| p["plan"]["start"]["conditions"][0]["input"] == 91).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_server_started_with_a_front_end_leaves_each_campaign_its_own() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_deck(1).await?;
    r.server.kill();
    // It is told the thruster's address, as before; the deck is what was measured last.
    r.serve_again()?;
    let is = |s: &Value, model: &str| s["link"]["front_end"]["model"].as_str().is_some_and(|m| m.contains(model));
    r.until("the deck's front end is back", |s| is(s, "Lantern 64")).await?;
    assert_eq!(r.call("POST", "/api/campaigns/1/choose", None).await?.0, 204);
    r.until("the thruster's is back", |s| is(s, "Lantern 24")).await?;
    // A campaign that remembers none gets the one that was told.
    let new = json!({ "specimen": "pump skid", "purpose": "begun anew", "with": { "from": "empty" } });
    let (status, id) = r.call("POST", "/api/campaigns", Some(new)).await?;
    assert_eq!(status, 200, "{id}");
    assert_eq!(r.call("POST", &format!("/api/campaigns/{id}/choose"), None).await?.0, 204);
    r.server.kill();
    r.serve_again()?;
    r.until("the one that was told", |s| s["campaign"] == id && is(s, "Lantern 24")).await?;
    Ok(())
}

#[tokio::test]
async fn many_rows_are_changed_filled_and_taken_back_by_keys() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_deck(1).await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig?input=5", r.url)).await?;
    b.text_until("[data-cell='5-name']", |t| t == "frame 01, line 5").await?;
    let grid = async |keys: &str| -> Result<()> {
        b.send("[role=grid]", keys).await?;
        Ok(())
    };
    // Name of row 5, three rows down: counted on.
    grid("bay 1").await?;
    b.entered().await?;
    b.text_until("[data-cell='5-name']", |t| t == "bay 1").await?;
    grid(&Key::Up.to_string()).await?;
    grid(&held(Key::Shift, &Key::Down.to_string().repeat(3))).await?;
    grid(&held(Key::Control, &held(Key::Shift, "d"))).await?;
    b.text_until("[data-cell='8-name']", |t| t == "bay 4").await?;
    grid(&held(Key::Control, "z")).await?;
    b.text_until("[data-cell='8-name']", |t| t == "frame 01, line 8").await?;
    grid(&held(Key::Control, "y")).await?;
    b.text_until("[data-cell='8-name']", |t| t == "bay 4").await?;
    // One value for all that is selected, looked at before it is written.
    let rows = Key::Down.to_string().repeat(9);
    b.page.goto(&format!("{}/rig?input=11", r.url)).await?;
    b.text_until("[data-cell='11-range_v']", |t| t == "0.1 V").await?;
    grid(&Key::Right.to_string().repeat(5)).await?;
    grid(&held(Key::Shift, &rows)).await?;
    grid("1").await?;
    b.keys(&held(Key::Control, &Key::Enter.to_string())).await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("10 cells in 10 rows")).await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.text_until("[data-cell='20-range_v']", |t| t == "1 V").await?;
    let wide =
        |rig: &Value| rig["rig"]["channels"].as_array().into_iter().flatten().filter(|c| c["range_v"] == 1.0).count();
    r.got("/api/campaigns/2/rig", |rig| wide(rig) == 10).await?;
    b.page.clone().close().await?;
    Ok(())
}
