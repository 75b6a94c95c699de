//! What was entered wrong put right afterwards over HTTP: rows, tachometers, stale results made again, one recipe
//! over many runs, computed channels, notes, quality and runs laid over each other.

use anyhow::{Context, Result};
use echo_browser_tests::{Rigged, says};
use serde_json::{Value, json};

const RUN: &str = "/api/runs/1";

fn spectrum() -> Value {
    json!({ "lens": "spectrum", "channels": [7], "block": 16384 })
}

/// Begins a list and waits until each of it stands somewhere for good.
async fn batch(r: &Rigged, body: Value) -> Result<Vec<Value>> {
    let (status, key) = r.call("POST", "/api/campaigns/1/jobs/results", Some(body)).await?;
    anyhow::ensure!(status == 200, "{key}");
    let settled = |o: &Value| o["state"] != "waiting" && o["state"] != "going";
    let all_settled = |v: &Value| v.as_array().is_some_and(|a| a.iter().all(settled));
    let ones = r.got(&format!("/api/jobs/{}", key["id"]), all_settled).await?;
    Ok(ones.as_array().cloned().unwrap_or_default())
}

async fn kept(r: &Rigged) -> Result<Vec<Value>> {
    Ok(r.get("/api/campaigns/1/kept-results").await?.as_array().cloned().unwrap_or_default())
}

/// Records a second with the rig as it stands; gives the run's key.
async fn recorded(r: &Rigged) -> Result<Value> {
    let (status, body) = r.plan_with(1, json!({ "length": { "ends": "after", "duration_s": 1.5 } })).await?;
    anyhow::ensure!(status == 200, "{body}");
    anyhow::ensure!(r.order("record").await?.0 == 204);
    r.until("it has begun", |s| s["capture"]["state"] != "idle").await?;
    r.idle().await?;
    Ok(r.newest_run().await?["id"].clone())
}

#[tokio::test]
async fn results_go_stale_and_are_made_again() -> Result<()> {
    let r = Rigged::start().await?;
    let made = batch(&r, json!({ "name": "mesh", "recipe": spectrum(), "runs": [1] })).await?;
    assert_eq!(made[0]["state"], "done", "{made:?}");
    let before = kept(&r).await?;
    assert_eq!((before.len(), &before[0]["stale"], &before[0]["name"]), (1, &json!(false), &json!("mesh")));
    let peak = async |r: &Rigged, key: &Value| -> Result<f64> {
        let body = r.get(&format!("/api/kept-results/{key}")).await?;
        body["peaks"][0]["value"].as_f64().context("a peak")
    };
    let first = peak(&r, &before[0]["id"]).await?;
    let path = format!("{RUN}/channels/7");
    let right = json!({ "sensitivity": "20.92 mV/(m/s²)", "reason": "certificate misread" });
    assert_eq!(r.call("POST", &format!("{path}/sensitivity"), Some(right)).await?.0, 204);
    let stale = kept(&r).await?;
    assert!(stale[0]["stale"] == true && peak(&r, &stale[0]["id"]).await? == first, "it stays as it was made");
    let again = batch(&r, json!({ "again": [stale[0]["id"]] })).await?;
    assert_eq!(again[0]["state"], "done");
    let fresh = kept(&r).await?;
    assert_eq!((fresh.len(), &fresh[0]["stale"]), (1, &json!(false)), "it takes the old one's place");
    assert!((first / peak(&r, &fresh[0]["id"]).await? - 2.0).abs() < 0.01);

    // Cells of a row: the name, the unit it is told in, and what cannot be.
    let cell = async |body: Value| r.call("POST", &format!("{path}/cell"), Some(body)).await;
    let name = json!({ "column": "name", "text": "gearbox top, up", "reason": "as on the drawing" });
    assert_eq!(cell(name.clone()).await?.0, 204);
    assert_eq!(cell(json!({ "column": "unit", "text": "g", "reason": "as the customer wants it" })).await?.0, 204);
    let detail = r.get(RUN).await?;
    let row = &detail["channels"][6]["recorded"];
    assert_eq!((&row["name"], &row["unit"]), (&json!("gearbox top, up"), &json!("g")));
    let history: Vec<&str> =
        detail["corrections"].as_array().into_iter().flatten().filter_map(|c| c["before"].as_str()).collect();
    assert_eq!(history, ["gearbox top, vert", "m/s²"]);
    let result = r.call("POST", &format!("{RUN}/results"), Some(spectrum())).await?.1;
    assert_eq!((&result["traces"][0]["name"], &result["traces"][0]["unit"]), (&json!("gearbox top, up"), &json!("g")));
    let in_g = result["peaks"][0]["value"].as_f64().unwrap_or_default();
    assert!((first / 2.0 / 9.80665 / in_g - 1.0).abs() < 0.01, "{first} m/s² and {in_g} g");
    assert_eq!(kept(&r).await?[0]["stale"], true, "a unit changes what was made, too");
    for (body, word) in [
        (name, "already"),
        (json!({ "column": "name", "text": "tacho", "reason": "" }), "reason is empty"),
        (json!({ "column": "name", "text": "gearbox top, athw", "reason": "x" }), "not used yet"),
        (json!({ "column": "unit", "text": "mm", "reason": "x" }), "does not measure acceleration"),
        (json!({ "column": "range_v", "text": "5 V", "reason": "x" }), "setting of the front end"),
        (json!({ "column": "quantity", "text": "velocity", "reason": "x" }), "needs its sensitivity"),
        (json!({ "column": "quantity", "text": "force", "sensitivity": "4 pC/N", "reason": "x" }), "coupled IEPE"),
    ] {
        let (status, answer) = cell(body.clone()).await?;
        assert!(status == 422 && says(&answer).contains(word), "{body}: {answer}");
    }
    let wide =
        json!({ "column": "quantity", "text": "velocity", "sensitivity": "4 mV/(mm/s)", "reason": "a geophone" });
    assert_eq!(cell(wide).await?.0, 204);
    let row = r.get(RUN).await?["channels"][6].clone();
    assert_eq!((&row["recorded"]["unit"], &row["sensitivity"]["unit"]), (&json!("mm/s"), &json!("mV/(mm/s)")));
    assert_eq!(
        r.call(
            "POST",
            &format!("{RUN}/channels/99/cell"),
            Some(json!({ "column": "name", "text": "a", "reason": "b" }))
        )
        .await?
        .0,
        404
    );
    Ok(())
}

#[tokio::test]
async fn a_tachometer_put_right_moves_speed_and_markers() -> Result<()> {
    let r = Rigged::start().await?;
    let speed = async || -> Result<Value> { r.get(&format!("{RUN}/markers?from_s=1&to_s=5")).await };
    let before = speed().await?;
    let mut tacho = before["tacho"].clone();
    tacho["pulses_per_rev"] = json!(2.0);
    let right = json!({ "tacho": tacho, "reason": "two marks on the shaft" });
    assert_eq!(r.call("POST", &format!("{RUN}/tacho"), Some(right.clone())).await?.0, 204);
    let after = speed().await?;
    let rpm = |v: &Value| v["rpm"].as_f64().unwrap_or(f64::NAN);
    assert!((rpm(&before) / rpm(&after) - 2.0).abs() < 1e-3, "{} and {}", rpm(&before), rpm(&after));
    let detail = r.get(RUN).await?;
    let correction = &detail["corrections"][0];
    assert!(correction["channel"].is_null() && correction["after"].as_str().is_some_and(|t| t.contains("2 a turn")));
    let (status, again) = r.call("POST", &format!("{RUN}/tacho"), Some(right)).await?;
    assert!(status == 422 && says(&again).contains("set so already"), "{again}");
    for (key, value, word) in [("channel", json!(99), "not in this run"), ("pulses_per_rev", json!(0), "above 0")] {
        let mut wrong = tacho.clone();
        wrong[key] = value;
        let body = json!({ "tacho": wrong, "reason": "x" });
        let (status, answer) = r.call("POST", &format!("{RUN}/tacho"), Some(body)).await?;
        assert!(status == 422 && says(&answer).contains(word), "{answer}");
    }
    Ok(())
}

#[tokio::test]
async fn one_recipe_is_carried_out_on_many_runs() -> Result<()> {
    let r = Rigged::start().await?;
    // In the second run every channel has another number; in the third the wanted one is not there.
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/1", Some(json!({ "on": "off" }))).await?.0, 200);
    let second = recorded(&r).await?;
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/7", Some(json!({ "name": "spare" }))).await?.0, 200);
    let third = recorded(&r).await?;
    let body = json!({ "name": "top", "recipe": spectrum(), "numbered_as": 1, "runs": [1, second, third] });
    let ones = batch(&r, body).await?;
    let states: Vec<&str> = ones.iter().filter_map(|o| o["state"].as_str()).collect();
    assert_eq!(states, ["done", "done", "refused"]);
    assert!(says(&ones[2]).contains("no channel “gearbox top, vert”"), "{}", ones[2]);
    let mut peaks = Vec::new();
    for (one, channel) in ones.iter().take(2).zip([7, 6]) {
        let body = r.get(&format!("/api/kept-results/{}", one["result"])).await?;
        assert_eq!(
            (&body["recipe"]["channels"], &body["traces"][0]["name"]),
            (&json!([channel]), &json!("gearbox top, vert"))
        );
        peaks.push(body["peaks"][0]["frequency_hz"].as_f64().unwrap_or_default());
    }
    assert!((peaks[0] - peaks[1]).abs() < 1.0, "{peaks:?}");
    // The same for a single result and its progress.
    let path = format!("/api/runs/{second}/results?numbered_as=1&watch=w1");
    let (status, result) = r.call("POST", &path, Some(spectrum())).await?;
    assert!(status == 200 && result["traces"][0]["name"] == "gearbox top, vert", "{result}");
    assert_eq!(r.get("/api/progress/w1").await?, json!({ "share": null, "ahead": null }), "it is done");
    // A list can be stopped: what was not begun stays undone.
    let many: Vec<i64> = vec![1; 60];
    let slow = json!({ "lens": "order_map", "tacho": { "channel": 21 }, "resolution": 0.02, "max_order": 60 });
    let (_, key) = r
        .call("POST", "/api/campaigns/1/jobs/results", Some(json!({ "name": "slow", "recipe": slow, "runs": many })))
        .await?;
    assert_eq!(r.call("DELETE", &format!("/api/jobs/{}", key["id"]), None).await?.0, 204);
    let stopped = |v: &Value| v.as_array().into_iter().flatten().filter(|o| o["state"] == "stopped").count();
    r.got(&format!("/api/jobs/{}", key["id"]), |v| stopped(v) >= 50).await?;
    for (body, word) in [
        (json!({ "name": "", "recipe": spectrum(), "runs": [1] }), "1 to 80"),
        (json!({ "name": "a", "recipe": spectrum(), "runs": [] }), "1 to 500"),
        (json!({ "name": "a", "recipe": spectrum(), "runs": [77] }), "no run of this campaign"),
        (json!({ "name": "a", "recipe": { "lens": "sonar" }, "runs": [1] }), "must be waveform"),
        (json!({ "again": [99] }), "no kept result"),
    ] {
        let (status, answer) = r.call("POST", "/api/campaigns/1/jobs/results", Some(body.clone())).await?;
        assert!(status == 422 && says(&answer).contains(word), "{body}: {answer}");
    }
    assert_eq!(r.call("GET", "/api/jobs/999", None).await?.0, 404);
    let one = kept(&r).await?[0]["id"].clone();
    assert_eq!(r.call("DELETE", &format!("/api/kept-results/{one}"), None).await?.0, 204);
    assert_eq!(r.call("DELETE", &format!("/api/kept-results/{one}"), None).await?.0, 404);
    Ok(())
}

#[tokio::test]
async fn formulas_make_channels_of_every_run() -> Result<()> {
    let r = Rigged::start().await?;
    let path = "/api/campaigns/1/math";
    let save = async |channels: Value| r.call("PUT", path, Some(json!({ "channels": channels, "run": 1 }))).await;
    let twist = json!({ "name": "twist", "is": "motor_drive_end_vert - motor_drive_end_athw" });
    let level = json!({ "name": "twist level", "is": "rms(twist, 0.2 s)" });
    let (status, body) = save(json!([twist, level])).await?;
    assert_eq!(status, 200, "{body}");
    let detail = r.get(RUN).await?;
    let count = detail["channels"].as_array().map_or(0, Vec::len);
    assert_eq!(detail["math"][1]["channel"], count + 2);
    assert_eq!((&detail["math"][0]["unit"], &detail["math"][0]["refused"]), (&json!("m/s²"), &Value::Null));
    // What a formula gives is what its parts give: a line of the difference is the difference of the lines.
    let recipe = json!({ "lens": "statistics", "channels": [count + 1, 1, 2], "math": [twist, level] });
    let (status, stats) = r.call("POST", &format!("{RUN}/results"), Some(recipe)).await?;
    assert_eq!(status, 200, "{stats}");
    let mean = |channel: usize| {
        let all = stats["numbers"].as_array().cloned().unwrap_or_default();
        let found = all.iter().find(|n| n["channel"] == channel && n["name"] == "mean").cloned();
        found.and_then(|n| n["value"].as_f64()).unwrap_or(f64::NAN)
    };
    assert!((mean(count + 1) - (mean(1) - mean(2))).abs() < 1e-9, "{stats}");
    for (channels, word) in [
        (json!([{ "name": "a", "is": "motor_drive_end_vert - shaft_mark" }]), "go into each other"),
        (json!([{ "name": "a", "is": "bilge * 2" }]), "is no channel"),
        (json!([{ "name": " ", "is": "c1" }]), "needs a name"),
    ] {
        let (status, answer) = save(channels).await?;
        assert!(status == 422 && says(&answer).contains(word), "{answer}");
    }
    assert_eq!(r.get(path).await?.as_array().map(Vec::len), Some(2), "what was refused changed nothing");
    // A run without the channel says so, and the rest is numbered as if the formula were not there.
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/2", Some(json!({ "on": "off" }))).await?.0, 200);
    let other = recorded(&r).await?;
    let detail = r.get(&format!("/api/runs/{other}")).await?;
    assert!(
        detail["math"][0]["channel"].is_null()
            && detail["math"][0]["refused"].as_str().is_some_and(|s| s.contains("motor_drive_end_athw"))
    );
    let changes = r.get("/api/campaigns/1/changes").await?;
    assert!(changes.as_array().is_some_and(|a| a.iter().any(|c| c["what"] == "computed channels")));
    Ok(())
}

#[tokio::test]
async fn what_is_wrong_with_a_run_is_marked_in_time() -> Result<()> {
    let r = Rigged::start().await?;
    let clean = r.get(&format!("{RUN}/quality")).await?;
    assert_eq!(clean, json!({ "marks": [], "unseen": null }));
    // A range a tenth of what is there.
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/7", Some(json!({ "range_v": "0.1" }))).await?.0, 200);
    let run = recorded(&r).await?;
    let marks = r.get(&format!("/api/runs/{run}/quality")).await?["marks"].clone();
    let clipped = &marks[0];
    assert_eq!((&clipped["kind"], &clipped["channel"]), (&json!("clipped"), &json!(7)), "{marks}");
    assert!(clipped["length_s"].as_f64() > Some(1.4), "chunks that follow each other are one stretch: {marks}");
    // Read with a wheel it does not have, the tachometer's pulses are not where they should be.
    let markers = r.get(&format!("{RUN}/markers?from_s=1&to_s=5")).await?;
    let mut tacho = markers["tacho"].clone();
    tacho["threshold"] = json!(99.0);
    let body = json!({ "tacho": tacho, "reason": "a threshold nothing crosses" });
    assert_eq!(r.call("POST", &format!("{RUN}/tacho"), Some(body)).await?.0, 204);
    let unseen = r.get(&format!("{RUN}/quality")).await?["unseen"].clone();
    assert!(unseen.as_str().is_some_and(|s| s.contains("crossed 4 times")), "{unseen}");
    assert_eq!(r.call("GET", "/api/runs/99/quality", None).await?.0, 404);
    Ok(())
}

#[tokio::test]
async fn runs_lie_over_each_other_and_notes_stay_with_curves() -> Result<()> {
    let mut r = Rigged::start().await?;
    let second = recorded(&r).await?;
    let shift = async |r: &Rigged, run: &str, other: &Value, by: &str, at: f64| {
        r.call("GET", &format!("/api/runs/{run}/alignment?other={other}&by={by}&at_s={at}"), None).await
    };
    assert_eq!(shift(&r, "1", &second, "time", 3.0).await?.1["shift_s"], 0.0);
    // At one steady speed both lie over each other as they are, or a pulse or two apart.
    let (status, by_speed) = shift(&r, "1", &second, "speed", 0.7).await?;
    assert!(status == 200 && by_speed["shift_s"].as_f64().is_some_and(|s| s.abs() < 1.6), "{by_speed}");
    let (status, none) = shift(&r, "1", &second, "trigger", 0.7).await?;
    assert!(status == 422 && says(&none).contains("run 1 has no takes"), "{none}");
    assert_eq!(shift(&r, "1", &json!(99), "time", 0.0).await?.0, 404);
    assert_eq!(shift(&r, "1", &second, "colour", 0.0).await?.0, 400);

    let notes = format!("{RUN}/notes");
    let note = json!({ "lens": "spectrum", "axis": "frequency", "place": 582.8, "unit": "Hz", "channel": 7, "says": " mesh, as in June " });
    assert_eq!(r.call("POST", &notes, Some(note.clone())).await?.0, 204);
    let kept = r.get(RUN).await?["notes"][0].clone();
    assert_eq!((&kept["says"], &kept["place"]), (&json!("mesh, as in June"), &json!(582.8)));
    for (key, value, word) in [
        ("lens", json!("sonar"), "must be waveform"),
        ("says", json!(""), "1 to 200"),
        ("axis", json!(""), "named axis"),
    ] {
        let mut wrong = note.clone();
        wrong[key] = value;
        let (status, answer) = r.call("POST", &notes, Some(wrong)).await?;
        assert!(status == 422 && says(&answer).contains(word), "{answer}");
    }
    // The report tells it, and who put what right.
    let right = json!({ "column": "direction", "text": "+Z", "reason": "seen on the photograph" });
    assert_eq!(r.call("POST", &format!("{RUN}/channels/7/cell"), Some(right)).await?.0, 204);
    let blocks = json!([{ "id": 1, "show": { "what": "figure", "recipe": spectrum(), "shown": [0, 1000] } },
        { "id": 2, "show": { "what": "corrections" } }]);
    let report = json!({ "title": "Mesh", "run_id": 1, "blocks": blocks });
    assert_eq!(r.call("PUT", "/api/campaigns/1/report", Some(report)).await?.0, 200);
    let pdf = tempfile::NamedTempFile::new()?;
    std::fs::write(pdf.path(), r.bytes("/api/campaigns/1/report.pdf").await?)?;
    let text = std::process::Command::new("pdftotext").args(["-layout"]).arg(pdf.path()).arg("-").output()?;
    let text = String::from_utf8_lossy(&text.stdout).to_string();
    assert!(text.matches("mesh, as in June").count() >= 2 && text.contains("582.8 Hz, gearbox top, vert"), "{text}");
    assert!(text.contains("Direction of channel 7 put right") && text.contains("seen on the photograph"), "{text}");
    assert_eq!(r.call("DELETE", &format!("{notes}/{}", kept["id"]), None).await?.0, 204);
    assert_eq!(r.call("DELETE", &format!("{notes}/{}", kept["id"]), None).await?.0, 404);

    // By their triggers: two runs of bumps, the first take over the first.
    r.with_hull("4").await?;
    let bump = json!({ "when": "level", "input": 1, "level": 10.0, "hysteresis": 5.0, "unit": "m/s²" });
    let start = json!({ "conditions": [bump], "pre_s": 0.1, "takes": 1 });
    assert_eq!(r.plan_with(3, json!({ "recorders": [], "start": start })).await?.0, 200);
    let mut runs = Vec::new();
    for _ in 0..2 {
        assert_eq!(r.order("arm").await?.0, 204);
        r.until("it is armed or done", |s| s["capture"]["state"] != "idle" || s["ended"]["takes"] == 1).await?;
        let last = runs.last().cloned().unwrap_or(Value::Null);
        let ended = r
            .until("the take is made", |s| {
                s["capture"]["state"] == "idle" && s["ended"]["takes"] == 1 && s["ended"]["run_id"] != last
            })
            .await?;
        runs.push(ended["ended"]["run_id"].clone());
    }
    let (status, by_trigger) = shift(&r, &runs[0].to_string(), &runs[1], "trigger", 0.0).await?;
    let trigger = async |run: &Value| -> Result<f64> {
        r.get(&format!("/api/runs/{run}")).await?["takes"][0]["trigger_s"].as_f64().context("a trigger")
    };
    let wanted = trigger(&runs[1]).await? - trigger(&runs[0]).await?;
    assert!(
        status == 200 && (by_trigger["shift_s"].as_f64().unwrap_or(f64::NAN) - wanted).abs() < 1e-9,
        "{by_trigger}"
    );
    Ok(())
}
