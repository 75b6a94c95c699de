//! Acts that cannot hit the wrong thing: sensors that are really there, tables that stay, takes that overlap, alarms
//! of the right channel, readings that keep their channel, two people at one report.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, number, plain};
use serde_json::{Value, json};

async fn sensor(r: &Rigged, serial: &str) -> Result<Value> {
    let all = r.get("/api/sensors").await?;
    all.as_array().into_iter().flatten().find(|s| s["serial"] == serial).cloned().context(serial.to_string())
}

#[tokio::test]
async fn a_check_is_of_the_sensor_that_is_plugged_in_and_can_be_taken_back() -> Result<()> {
    let r = Rigged::start().await?;
    let before = r.get("/api/campaigns/1/rig").await?["rig"]["channels"][19].clone();
    let other = before["sensor"].as_str().context("a sensor")?.to_string();
    let serial = other.split(", ").nth(1).context("a serial")?;
    let untouched = sensor(&r, serial).await?;
    r.by_hand(20, json!({ "do": "unplug" })).await?;
    r.by_hand(20, json!({ "do": "plug", "sensor": "QA-31, 20470" })).await?;
    r.by_hand(20, json!({ "do": "move", "motion": "calibrator", "hz": 159.155, "rms": 10.0 })).await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig/check?input=20", r.url)).await?;
    let says = "main [role=alert]";
    b.text_until(says, |t| t.contains("says it is “QA-31, 20470”") && t.contains(&other)).await?;
    b.word("Settling time", "0.5 s").await?;
    b.press_path("//button[. = 'Read a pair']").await?;
    b.text_until("[data-pair='1']", |t| t.contains("9.")).await?;
    // Over the API nobody is let guess, and nobody may name a third one.
    let verdict = |sensor: Value| {
        json!({ "campaign": 1, "input": 20, "pairs": [{ "reference": 10.0, "reading": 9.7 }], "hz": 159.155,
            "accept": true, "sensor": sensor })
    };
    for (named, word) in [(Value::Null, "say which of them was checked"), (json!("QA-31, 1"), "is not on input 20")] {
        let (status, body) = r.call("POST", "/api/reference/verdict", Some(verdict(named))).await?;
        assert!(status == 422 && body["says"].as_str().is_some_and(|s| s.contains(word)), "{body}");
    }
    b.press_path("//button[. = 'Accept']").await?;
    b.text_until("main [role=status]", |t| t.contains("QA-31, 20470 now has")).await?;
    let row = r.get("/api/campaigns/1/rig").await?["rig"]["channels"][19].clone();
    assert_eq!(row["sensor"], "QA-31, 20470", "the row names what is there");
    let checked = sensor(&r, "20470").await?;
    assert_eq!(checked["sensitivity"], row["sensitivity"]);
    assert_eq!(sensor(&r, serial).await?, untouched, "the one that is not there is as it was");
    // Taken back: register and row are as they were found.
    b.press("Undo").await?;
    b.text_until("main [role=status]", |t| t.contains("as it was found")).await?;
    let back = r.get("/api/campaigns/1/rig").await?["rig"]["channels"][19].clone();
    assert_eq!((&back["sensor"], &back["sensitivity"]), (&before["sensor"], &before["sensitivity"]));
    let register = sensor(&r, "20470").await?;
    assert_ne!(register["sensitivity"], checked["sensitivity"]);
    let id = register["id"].clone();
    let history = r.get(&format!("/api/sensors/{id}/history")).await?;
    assert!(history[0]["what"].as_str().is_some_and(|w| w.contains("taken back")), "{}", history[0]);
    // A second time there is nothing to take back.
    let again = json!({ "campaign": 1, "sensor_id": id });
    let (status, body) = r.call("POST", "/api/reference/take-back", Some(again)).await?;
    assert!(status == 409 && body["says"].as_str().is_some_and(|s| s.contains("changed since")), "{body}");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn takes_that_may_overlap_are_told_in_large_print_and_by_the_try() -> Result<()> {
    let r = Rigged::start().await?;
    let start =
        json!({ "conditions": [{ "when": "pulse", "tacho": 22, "every": 20 }], "pre_s": 0.2, "hold_off_s": 0.1 });
    let length = json!({ "ends": "after", "duration_s": 1.0 });
    let (status, body) = r.plan_with(1, json!({ "start": start, "length": length })).await?;
    assert_eq!(status, 200, "{body}");
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan", r.url)).await?;
    let told = "section[aria-label='steady, at sea'] [role=status]";
    b.text_until(told, |t| {
        let t = plain(t);
        t.contains("Takes may overlap: one is 1.2 s long") && t.contains("A hold-off of 1.2 s keeps them apart")
    })
    .await?;
    // 20 turns at 2690 rpm are 0.45 s: every take but the first begins while another one goes.
    b.press("Try").await?;
    b.text_until("section[aria-label='Start when']", |t| t.contains("of them overlap the one before")).await?;
    b.word("Hold-off", "1.2 s").await?;
    b.gone(fantoccini::Locator::Css(told)).await?;
    b.press("Try").await?;
    b.text_until("section[aria-label='Start when']", |t| {
        t.contains("held off") && !t.contains("overlap the one before")
    })
    .await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn watching_asks_which_channel_and_alarms_of_nothing_by_itself() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan/limits", r.url)).await?;
    let count = async || {
        Ok::<_, anyhow::Error>(r.get("/api/campaigns/1/plan").await?["plan"]["watch"].as_array().map_or(0, Vec::len))
    };
    let before = count().await?;
    b.choose("Watch a quantity", "16").await?;
    b.text_until("main", |t| t.contains("A quantity without caution and limit alarms never")).await?;
    let plan = r.got("/api/campaigns/1/plan", |p| p["plan"]["watch"].as_array().is_some_and(|w| w.len() == before + 1));
    let new = plan.await?["plan"]["watch"][before].clone();
    assert_eq!((&new["measure"]["input"], &new["caution"], &new["limit"]), (&json!(16), &Value::Null, &Value::Null));
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_pinned_peak_keeps_its_channel_and_its_lens() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.choose("Bench", "bearing and gear").await?;
    b.text_until("section[aria-label=Envelope]", |t| t.contains("peak, m/s²")).await?;
    b.choose("Curve read", "gearbox top, athw").await?;
    let click = async |lens: &str, share: f64| -> Result<()> {
        let (x, y, w, h) = b.find(&format!("[aria-label='{lens} of the bracket'] .u-over")).await?.rectangle().await?;
        b.click_at(x + w * share, y + h * 0.7).await
    };
    let input_hz = 2690.0 / 60.0;
    click("Spectrum", 13.0 * input_hz / 1400.0).await?;
    let mesh = number(&b.text_until("[data-reading=value]", |t| number(t) > 0.0).await?);
    let of = b.text_until("[data-reading=of]", |t| t.contains("gearbox top")).await?;
    // A click in the other lens, then another curve, another cursor: the first reading stays what it was.
    click("Envelope", 0.3).await?;
    b.text_until("table[aria-label=Readings] tbody:nth-of-type(2)", |t| t.contains("envelope")).await?;
    b.choose("Curve read", "gearbox top, vert").await?;
    let stays = b.text_until("[data-reading=of]", |t| !t.is_empty()).await?;
    assert_eq!(stays, of);
    assert_eq!(number(&b.text_until("[data-reading=value]", |t| number(t) > 0.0).await?), mesh);
    assert!(b.text_until("button[aria-label='Curve read']", |t| !t.is_empty()).await?.contains("gearbox top, vert"));
    // The address brings both back with what they are of.
    b.page.refresh().await?;
    b.text_until("[data-reading=of]", |t| t == of).await?;
    b.text_until("[data-reading=value]", |t| number(t) == mesh).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn who_changes_a_report_a_machine_or_formulas_last_is_not_deceived() -> Result<()> {
    let r = Rigged::start().await?;
    let written = |text: &str| json!({ "title": "one", "blocks": [{ "id": 1, "title": "Findings", "show": { "what": "text", "text": text } }] });
    // Over the API: a change that was made on an older version is refused, one that names none is not.
    for (path, body) in [
        ("/api/campaigns/1/report", written("")),
        ("/api/campaigns/1/machine", json!({ "elements": [{ "name": "shaft", "ratio": 1.0, "kind": "shaft" }] })),
        ("/api/campaigns/1/math", json!({ "channels": [{ "name": "sum", "is": "c7 + c8" }] })),
    ] {
        let (status, version) = r.call("PUT", path, Some(body.clone())).await?;
        let version = version.as_i64().context("a version")?;
        assert_eq!(status, 200);
        let on = |v: i64| format!("{path}?made_on={v}");
        assert_eq!(r.call("PUT", &on(version), Some(body.clone())).await?, (200, json!(version + 1)));
        let (status, answer) = r.call("PUT", &on(version), Some(body)).await?;
        assert!(status == 409 && answer["says"].as_str().is_some_and(|s| s.contains("meanwhile")), "{path}: {answer}");
    }
    // On the page: both texts are shown, and one is chosen.
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report", r.url)).await?;
    b.find("textarea").await?;
    // Still being written when somebody else saves: nothing is saved by itself before.
    let slow =
        "const set = window.setTimeout; window.setTimeout = (f, ms, ...a) => set(f, ms === 1500 ? 1e8 : ms, ...a);";
    b.page.execute(slow, Vec::new()).await?;
    b.send("textarea", "the mesh is fine").await?;
    let theirs = written("the port bearing is worn");
    assert_eq!(r.call("PUT", "/api/campaigns/1/report", Some(theirs)).await?.0, 200);
    let both = "//div[@role='alert'][contains(., 'the port bearing is worn')]";
    b.press_path(&format!("{both}//button[. = 'Overwrite theirs']")).await?;
    let now = r.got("/api/campaigns/1/report", |v| v["blocks"][0]["show"]["text"] == "the mesh is fine").await?;
    assert_eq!(now["title"], "one", "only what was written is changed");
    b.page.clone().close().await?;
    Ok(())
}
