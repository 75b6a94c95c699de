//! Unattended work and what is watched: rounds through a restart, limits and alarms, benches.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::Browser;
use echo_formats::sheet;
use fantoccini::Locator;
use fantoccini::key::Key;
use serde_json::{Value, json};

fn states(rounds: &Value) -> Vec<String> {
    let all = rounds["rounds"].as_array().into_iter().flatten();
    all.map(|r| r["state"].as_str().unwrap_or("").to_string()).collect()
}

#[tokio::test]
async fn three_rounds_fill_a_table_that_opens_in_a_spreadsheet() -> Result<()> {
    let mut r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan/rounds", r.url)).await?;
    b.press("Plan rounds").await?;
    b.word("Length of a round", "1 s").await?;
    b.word("Every", "4 s").await?;
    b.word("How many rounds", "3").await?;
    b.word("Every", "1.5 s").await?;
    b.text_until("[role=alert]", |t| t.contains("2 s to 30 days")).await?;
    b.send("input[aria-label=Every]", &Key::Escape.to_string()).await?;
    b.press("Add measurement").await?;
    b.choose("Channel measured", "7").await?;
    let wait = async |n: usize| {
        let shape = "◆";
        b.text_until("table[aria-label='Results of the rounds']", |t| t.matches(shape).count() >= n).await
    };
    b.press("Start the rounds").await?;
    wait(1).await?;
    // The server ends between two rounds, and goes on where it was.
    r.server.kill();
    r.serve_again()?;
    b.page.goto(&format!("{}/plan/rounds", r.url)).await?;
    b.text_until("main", |t| t.contains("done, 3 of 3 rounds")).await?;
    let table = r.get("/api/campaigns/1/rounds").await?;
    assert_eq!(
        states(&table).iter().filter(|s| *s == "done").count()
            + states(&table).iter().filter(|s| *s == "missed").count(),
        3,
        "{table}"
    );
    assert!(states(&table).iter().filter(|s| *s == "done").count() >= 2, "{table}");
    let bytes = r.bytes("/api/campaigns/1/rounds.xlsx").await?;
    let rows = sheet::read(&bytes)?;
    assert_eq!(rows.len(), 4, "{rows:?}");
    assert_eq!(rows[0][..3], ["Round", "Due (UTC)", "State"]);
    assert!(
        rows[0][3].contains("gearbox top, vert: rms (m/s²)") && rows[0][4].contains("peak (m/s²)"),
        "{:?}",
        rows[0]
    );
    for row in rows[1..].iter().filter(|r| r[2] == "done") {
        let (rms, peak): (f64, f64) = (row[3].parse()?, row[4].parse()?);
        assert!((3.0..6.0).contains(&rms) && peak > 0.0, "{row:?}");
    }
    let svg = String::from_utf8(r.bytes("/api/campaigns/1/rounds/1/picture.svg").await?)?;
    assert!(svg.contains("gearbox top, vert, up to"), "{}", &svg[..120]);
    // Started again, there is a new table, and the old one is still to be had.
    b.press("Start the rounds").await?;
    b.text_until("main", |t| t.contains("going, ")).await?;
    b.choose("Which rounds", "started").await?;
    let old = table["id"].clone();
    let both = r.get("/api/campaigns/1/rounds").await?;
    assert_eq!(both["all"].as_array().map(Vec::len), Some(2), "{}", both["all"]);
    let kept = r.get(&format!("/api/campaigns/1/rounds?schedule={old}")).await?;
    assert_eq!((&kept["id"], &kept["rounds"]), (&old, &table["rounds"]));
    assert_eq!(sheet::read(&r.bytes(&format!("/api/campaigns/1/rounds.xlsx?schedule={old}")).await?)?, rows);
    b.press_found("button[aria-label='Which rounds']").await?;
    b.press_path("//*[@role='option'][contains(., 'done')]").await?;
    b.text_until("main", |t| t.contains("done, 3 of 3 rounds")).await?;
    assert_eq!(r.call("GET", "/api/campaigns/1/rounds?schedule=999", None).await?.0, 404);
    assert_eq!(r.call("DELETE", "/api/campaigns/1/rounds", None).await?.0, 204);
    r.idle().await?;
    // The plan is the campaign's own again.
    let plan = r.get("/api/campaigns/1/plan").await?;
    assert_eq!(plan["plan"]["length"]["duration_s"], 60.0);
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn limits_raise_alarms_that_somebody_sees() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan/limits", r.url)).await?;
    b.text_until("main", |t| t.contains("velocity rms in a band") && t.contains("No unacknowledged alarms")).await?;
    b.word("caution 1", "40").await?;
    b.text_until("[role=alert]", |t| t.contains("must be below the limit")).await?;
    b.keys(&Key::Escape.to_string()).await?;
    b.word("caution 1", "3").await?;
    b.word("Delay 1", "0 s").await?;
    b.word("limit 1", "6").await?;
    let over = b.text_until("ol[aria-label=Alarms]", |t| t.contains("over the limit of 6")).await?;
    assert!(over.contains("gearbox top, vert: velocity rms 10–1000 Hz"), "{over}");
    b.text_until("header", |t| t.contains("over its limit")).await?;
    // On the bench too; seen once, it waits no more.
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.choose("Add a display", "Limits").await?;
    b.text_until("section[aria-label=Limits]", |t| t.contains("limit 6") && t.contains("over the limit")).await?;
    let unseen = |v: &Value| v["alarms"].as_array().into_iter().flatten().any(|x| x["acknowledged_at"].is_null());
    while unseen(&r.get("/api/campaigns/1/watch").await?) {
        // It may be gone or drawn anew between the look and the press.
        if let Ok(button) = b.page.find(Locator::Css("section[aria-label=Limits] li button")).await {
            button.click().await.ok();
        }
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    }
    b.text_until("section[aria-label=Limits]", |t| t.contains("No unacknowledged alarms")).await?;
    let alarms = r.get("/api/campaigns/1/watch").await?;
    assert_eq!(alarms["alarms"][0]["acknowledged_by"], "engineer");
    // A calmer machine is good again, and that is in the list too.
    r.at_front_end(0, json!({ "do": "bring_to", "rpm": 900.0, "rpm_per_s": 2000.0 })).await?;
    let good = |v: &Value| v["alarms"].as_array().is_some_and(|a| a.iter().any(|x| x["zone"] == "good"));
    r.got("/api/campaigns/1/watch", good).await?;
    let watched = "input%207%3A%20velocity%20rms%2010%E2%80%931000%20Hz";
    let trend = format!("/api/campaigns/1/trend?hours=1&watched={watched}");
    let trend = r.got(&trend, |t| t.as_array().is_some_and(|t| !t.is_empty())).await?;
    assert!(trend.as_array().into_iter().flatten().all(|p| p["high"].as_f64() > Some(0.05)), "{trend}");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_bench_is_made_by_keys_and_kept_by_name() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/run", r.url)).await?;
    for display in ["Orbit", "Numbers", "Table", "Strip"] {
        b.choose("Add a display", display).await?;
        b.find(&format!("section[aria-label={display}]")).await?;
    }
    let head = |name: &str| format!("section[aria-label={name}] .pane-head");
    // Moved, sized and closed without a mouse.
    b.send(&head("Orbit"), &Key::Right.to_string().repeat(3)).await?;
    let wider = format!("{}{}{}", Key::Shift, Key::Right.to_string().repeat(2), Key::Null);
    b.send(&head("Orbit"), &wider).await?;
    b.send(&head("Strip"), &Key::Delete.to_string()).await?;
    b.press("Close Waveform").await?;
    b.word("Name of the bench", "quay watch").await?;
    b.text_until("[role=toolbar][aria-label=Bench]", |t| t.contains("quay watch") && t.contains("Delete bench"))
        .await?;
    let kept = r.get("/api/campaigns/1/benches").await?;
    let panes = kept[0]["bench"]["panes"].as_array().context("panes")?.clone();
    let shown: Vec<&str> = panes.iter().filter_map(|p| p["display"].as_str()).collect();
    assert_eq!(shown, ["bars", "now", "spectrum", "orbit", "numbers", "table"]);
    let orbit = panes.iter().find(|p| p["display"] == "orbit").context("orbit")?;
    assert_eq!((&orbit["x"], &orbit["w"]), (&json!(3), &json!(6)));
    // Another bench, and back to this one by its name; a reload finds it.
    b.choose("Bench", "Standard").await?;
    b.find("section[aria-label=Waveform]").await?;
    b.choose("Bench", "quay watch").await?;
    b.text_until("section[aria-label=Numbers]", |t| t.contains("rms")).await?;
    b.page.refresh().await?;
    b.find("section[aria-label=Orbit] canvas").await?;
    let (status, body) = r
        .call(
            "PUT",
            "/api/campaigns/1/benches/x",
            Some(json!({ "panes": [{ "display": "bars", "x": 9, "y": 0, "w": 9, "h": 3 }] })),
        )
        .await?;
    assert!(status == 422 && body["says"].as_str().is_some_and(|s| s.contains("12 columns")), "{body}");
    b.press("Delete bench").await?;
    b.find("section[aria-label=Waveform]").await?;
    r.got("/api/campaigns/1/benches", |kept| *kept == json!([])).await?;
    b.page.clone().close().await?;
    Ok(())
}
