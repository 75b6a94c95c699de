//! Plan and Run through the page: bumps caught with their pre-trigger, a coast-down, two recorders.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, number, plain};
use fantoccini::Locator;
use serde_json::{Value, json};

async fn texts(b: &Browser, css: &str) -> Result<Vec<String>> {
    let mut all = Vec::new();
    for e in b.page.find_all(Locator::Css(css)).await? {
        all.push(e.text().await?);
    }
    Ok(all)
}

fn numbers(texts: &[String]) -> Vec<f64> {
    texts.iter().map(|t| number(t)).collect()
}

#[tokio::test]
async fn ten_bumps_are_caught_each_with_its_peak() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_hull("1").await?;
    // The water is calm until all is set: a slow browser must not miss a bump.
    r.at_front_end(0, json!({ "do": "bump", "times": 0 })).await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan", r.url)).await?;
    // The sentence is changed word by word; what cannot be stays with its reason.
    b.word("Time kept from before", "90 s").await?;
    b.text_until("[role=alert]", |t| t.contains("0 to 60 s")).await?;
    b.word("Time kept from before", "0.15").await?;
    b.word("Level", "8 m/s²").await?;
    b.word("Takes", "10").await?;
    b.text_until("main", |t| plain(t).contains("rises through 8 m/s²") && t.contains("keeps the 0.15 s before"))
        .await?;
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.press("Arm").await?;
    b.text_until("[data-now]", |t| t.contains("Armed") && t.contains("of 10 takes, waits until frame 14")).await?;
    // A word at this moment goes into the run.
    b.type_over("form input", "gangway down").await?;
    b.press("Set").await?;
    b.text_until("[data-now]", |t| t.contains("is marked")).await?;
    r.at_front_end(0, json!({ "do": "bump", "times": 10 })).await?;
    b.text_until("[data-now]", |t| t.contains("all planned takes are made") && t.contains("No block was lost")).await?;
    let runs = r.get("/api/campaigns/3/runs").await?;
    let run = &runs.as_array().context("runs")?[0];
    let detail = r.get(&format!("/api/runs/{}", run["id"])).await?;
    assert_eq!(detail["marks"][0]["says"], "gangway down");

    b.page.goto(&format!("{}/study/{}", r.url, run["id"])).await?;
    b.text_until("table[aria-label=Takes] tbody tr:last-child", |t| t.starts_with("10") && !t.contains('–')).await?;
    let peaks = numbers(&texts(&b, "[data-take=peak]").await?);
    let at = numbers(&texts(&b, "[data-take=at]").await?);
    let bench = r.bench().await?;
    let bumps: Vec<Value> = bench["front_ends"][0]["bumps"].as_array().context("bumps")?.clone();
    let middle =
        |v: &Value| v["start_s"].as_f64().unwrap_or(f64::NAN) + v["length_s"].as_f64().unwrap_or(f64::NAN) / 2.0;
    // The run began somewhere between two bumps; the first of them is the one whose peak fits best.
    let misfit = |first: usize| -> f64 {
        peaks.iter().enumerate().map(|(k, p)| (bumps[first + k]["peak"][0].as_f64().unwrap() - p).abs()).sum()
    };
    let first = (0..=bumps.len() - 10).min_by(|a, c| misfit(*a).total_cmp(&misfit(*c))).context("ten bumps")?;
    let offset = middle(&bumps[first]) - at[0];
    for (k, (peak, at)) in peaks.iter().zip(&at).enumerate() {
        let bump = &bumps[first + k];
        let wanted = bump["peak"][0].as_f64().unwrap();
        assert!((peak / wanted - 1.0).abs() < 0.02, "take {}: {peak} m/s² for {wanted}", k + 1);
        let off = at + offset - middle(bump);
        assert!(off.abs() < 0.2 * bump["length_s"].as_f64().unwrap(), "take {}: {off} s off", k + 1);
    }
    // A take is bracketed by its number; the spectrum follows.
    b.press("Bracket take 4").await?;
    let from = detail["takes"][3]["from_s"].as_f64().unwrap();
    b.bracket_until(|t| t.starts_with(&format!("{from:.3} to "))).await?;
    // As events: three axes, the bump's length, each within two in a hundred of what it was.
    b.page.goto(&format!("{}/study/{}/events", r.url, run["id"])).await?;
    b.find("table[aria-label=Events] tbody tr:nth-of-type(10)").await?;
    b.word("Low-pass", "400 Hz").await?;
    b.find("input[aria-label=Low-pass][value='400 Hz']").await?;
    b.find("table[aria-label=Events][aria-busy=false]").await?;
    b.text_until("table[aria-label=Events] tbody tr:last-child", |t| t.starts_with("10") && t.contains("athwart"))
        .await?;
    let peaks = numbers(&texts(&b, "[data-event=peak]").await?);
    let lengths = numbers(&texts(&b, "[data-event=length]").await?);
    assert_eq!((peaks.len(), lengths.len()), (10, 10));
    for (k, (peak, length)) in peaks.iter().zip(&lengths).enumerate() {
        let bump = &bumps[first + k];
        let (wanted, wanted_ms) = (bump["peak"][0].as_f64().unwrap(), bump["length_s"].as_f64().unwrap() * 1000.0);
        assert!((peak / wanted - 1.0).abs() < 0.02, "event {}: {peak} m/s² for {wanted}", k + 1);
        assert!((length / wanted_ms - 1.0).abs() < 0.02, "event {}: {length} ms for {wanted_ms}", k + 1);
    }
    b.press("Compare event 2").await?;
    b.press("Compare event 5").await?;
    b.text_until("section[aria-label=Compared]", |t| t.contains("event 2") && t.contains("event 5")).await?;
    // Tried on that run, the same trigger fires at the same places; ten are all it makes.
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.press("Try").await?;
    b.text_until("main", |t| plain(t).contains("fires 10 times")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_coast_down_with_a_threshold_found_by_itself() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan/speed", r.url)).await?;
    b.word("Threshold", "9 V").await?;
    b.text_until("main", |t| t.contains("nothing crosses 9 V")).await?;
    b.press("Find the threshold").await?;
    b.text_until("main", |t| plain(t).contains("2690rpm") || plain(t).contains("2690 rpm")).await?;
    let near = |t: f64| (t - 2.1).abs() < 0.1;
    let set = |p: &serde_json::Value| p["plan"]["tachos"][0]["threshold"].as_f64().is_some_and(near);
    let plan = r.got("/api/campaigns/1/plan", set).await?;
    let tacho = &plan["plan"]["tachos"][0];
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.word("Duration", "10 s").await?;
    b.text_until("main", |t| t.contains("lasts for 10 s")).await?;
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.choose("Add a display", "Speed").await?;
    b.text_until("section[aria-label=Speed]", |t| plain(t).contains("2690") && t.contains("steady")).await?;
    b.press("Record").await?;
    r.until("it is recorded", |s| s["capture"]["state"] == "recording").await?;
    r.at_front_end(0, json!({ "do": "bring_to", "rpm": 1500.0, "rpm_per_s": 200.0 })).await?;
    b.text_until("section[aria-label=Speed]", |t| t.contains("falling")).await?;
    b.text_until("[data-now]", |t| t.contains("the planned length was reached")).await?;
    b.text_until("section[aria-label=Speed]", |t| plain(t).contains("1500") && t.contains("steady")).await?;
    let run = r.newest_run().await?;
    let recipe = json!({ "lens": "speed", "tacho": { "channel": 21, "threshold": tacho["threshold"],
        "hysteresis": tacho["hysteresis"] } });
    let (status, speed) = r.call("POST", &format!("/api/runs/{}/results", run["id"]), Some(recipe)).await?;
    assert_eq!(status, 200, "{speed}");
    let rpm: Vec<f64> =
        speed["traces"][0]["values"].as_array().into_iter().flatten().filter_map(Value::as_f64).collect();
    assert!(
        rpm.first() > Some(&2600.0) && (rpm.last().unwrap() - 1500.0).abs() < 3.0,
        "{:?} {:?}",
        rpm.first(),
        rpm.last()
    );
    assert!(rpm.windows(2).all(|w| w[1] < w[0] + 2.0), "it only falls");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn two_recorders_at_different_rates_measure_the_same() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.press("Add a recorder").await?;
    b.choose("Rate of recorder B", "5.12").await?;
    b.word("Duration", "4 s").await?;
    b.word("A frequency that matters", "4200").await?;
    // What the slow one would make of the housing's resonance is said before.
    b.text_until("main", |t| {
        plain(t).contains("B: 4200 Hz is taken out by the filter; without one it would show at 920 Hz")
    })
    .await?;
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.press("Record").await?;
    b.text_until("[data-now]", |t| t.contains("the planned length was reached")).await?;
    let runs = r.get("/api/campaigns/1/runs").await?;
    let [.., fast, slow] = runs.as_array().context("runs")?.as_slice() else { anyhow::bail!("two runs") };
    assert_eq!((&fast["recorder"], &slow["recorder"], &slow["together"]), (&json!("A"), &json!("B"), &fast["id"]));
    assert_eq!((&fast["sample_rate_hz"], &slow["sample_rate_hz"]), (&json!(51200.0), &json!(5120.0)));
    let mut mesh = Vec::new();
    for (run, block) in [(fast, 32_768), (slow, 4096)] {
        let recipe = json!({ "lens": "spectrum", "channels": [7], "block": block });
        let (status, result) = r.call("POST", &format!("/api/runs/{}/results", run["id"]), Some(recipe)).await?;
        assert_eq!(status, 200, "{result}");
        let near = |p: &&Value| (p["frequency_hz"].as_f64().unwrap() - 582.8).abs() < 1.0;
        let peak = result["peaks"].as_array().into_iter().flatten().find(near).cloned().context("the mesh")?;
        mesh.push((peak["frequency_hz"].as_f64().unwrap(), peak["value"].as_f64().unwrap()));
    }
    assert!((mesh[0].0 - mesh[1].0).abs() < 0.1 && (mesh[0].1 / mesh[1].1 - 1.0).abs() < 0.01, "{mesh:?}");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_link_pulled_during_a_recording_is_told_and_what_came_is_kept() -> Result<()> {
    let mut r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.press("Record").await?;
    b.text_until("[data-now]", |t| t.contains("Recording") && !t.contains("00:00:00") && !t.contains("00:00:01"))
        .await?;
    // A second page that presses record as well is told that one is going.
    let (status, body) = r.order("record").await?;
    assert!(status == 409 && body["says"].as_str().is_some_and(|s| s.contains("recorded already")), "{body}");
    r.lantern.kill();
    b.text_until("[data-now]", |t| t.contains("the link to the front end broke") && t.contains("is kept")).await?;
    b.text_until("[data-now]", |t| t.contains("No front end is connected")).await?;
    r.plug_again()?;
    b.text_until("header", |t| t.contains("clock locked")).await?;
    let run = r.newest_run().await?;
    assert!(run["state"] == "broken" && run["duration_s"].as_f64() > Some(1.5), "{run}");
    b.page.clone().close().await?;
    Ok(())
}
