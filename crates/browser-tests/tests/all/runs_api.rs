//! Runs, recorders, rounds, limits and benches over HTTP: what is allowed, what is refused and how.

use anyhow::{Context, Result};
use echo_browser_tests::{Rigged, says};
use serde_json::{Value, json};

async fn plan(r: &Rigged, campaign: u32, change: Value) -> Result<Value> {
    let (status, body) = r.plan_with(campaign, change).await?;
    anyhow::ensure!(status == 200, "{body}");
    Ok(body)
}

#[tokio::test]
async fn marks_and_takes_of_a_run() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_hull("4").await?;
    // The slow recorder is left out: one run.
    plan(
        &r,
        3,
        json!({ "recorders": [], "start": { "conditions": [{ "when": "level", "input": 1, "level": 10.0,
        "hysteresis": 5.0, "unit": "m/s²" }], "pre_s": 0.1, "takes": 2 } }),
    )
    .await?;
    assert_eq!(r.order("arm").await?.0, 204);
    let (status, body) = r.order("arm").await?;
    assert!(status == 409 && says(&body).contains("armed or recorded already"), "{body}");
    // What the front end measures cannot be changed meanwhile; words can.
    let (status, body) = r.call("PATCH", "/api/campaigns/3/rig/1", Some(json!({ "range_v": "5" }))).await?;
    assert!(status == 409 && says(&body).contains("stop it before"), "{body}");
    assert_eq!(r.call("PATCH", "/api/campaigns/3/rig/1", Some(json!({ "point": "frame 14, port" }))).await?.0, 200);
    let status =
        r.until("both takes are made", |s| s["ended"]["takes"] == 2 && s["capture"]["state"] == "idle").await?;
    assert_eq!(status["ended"]["because"], "all planned takes are made");
    let run = &status["ended"]["run_id"];
    let detail = r.get(&format!("/api/runs/{run}")).await?;
    let takes = detail["takes"].as_array().context("takes")?.clone();
    assert_eq!(takes.len(), 2);
    assert!((takes[0]["trigger_s"].as_f64().unwrap() - takes[0]["from_s"].as_f64().unwrap() - 0.1).abs() < 1e-9);
    assert!((takes[1]["length_s"].as_f64().unwrap() - 0.6).abs() < 1e-9, "{}", takes[1]);
    let peaks = r.get(&format!("/api/runs/{run}/takes/peaks?channel=1")).await?;
    for (take, peak) in takes.iter().zip(peaks.as_array().context("peaks")?) {
        let at = peak["at_s"].as_f64().unwrap();
        let from = take["from_s"].as_f64().unwrap();
        assert!((from..from + 0.6).contains(&at) && peak["value"].as_f64() > Some(15.0), "{peak} of {take}");
    }
    assert_eq!(r.call("GET", &format!("/api/runs/{run}/takes/peaks?channel=9"), None).await?.0, 404);
    // Between the takes nothing was kept: no number is made up for it.
    let between = takes[0]["from_s"].as_f64().unwrap() + 0.7;
    let bytes = r
        .bytes(&format!("/api/runs/{run}/overview?channels=1&points=10&from_s={between}&to_s={}", between + 0.1))
        .await?;
    assert!(bytes.chunks_exact(4).all(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]).is_nan()));
    let gaps = detail["gaps"].as_array().context("gaps")?;
    assert!(gaps.iter().all(|g| g["why"] == "between takes") && !gaps.is_empty(), "{gaps:?}");

    let marks = format!("/api/runs/{run}/marks");
    assert_eq!(r.call("POST", &marks, Some(json!({ "at_s": 0.25, "says": " fender " }))).await?.0, 204);
    for (body, word) in [
        (json!({ "at_s": -1.0, "says": "x" }), "not in the run"),
        (json!({ "at_s": 1e9, "says": "x" }), "not in the run"),
        (json!({ "at_s": 0.1, "says": "  " }), "1 to 200"),
        (json!({ "at_s": 0.1, "says": "x".repeat(201) }), "1 to 200"),
    ] {
        let (status, answer) = r.call("POST", &marks, Some(body.clone())).await?;
        assert!(status == 422 && says(&answer).contains(word), "{body}: {answer}");
    }
    let mark = r.get(&format!("/api/runs/{run}")).await?["marks"][0].clone();
    assert_eq!((&mark["says"], &mark["at_s"]), (&json!("fender"), &json!(0.25)));
    assert_eq!(r.call("DELETE", &format!("{marks}/{}", mark["id"]), None).await?.0, 204);
    assert_eq!(r.call("DELETE", &format!("{marks}/{}", mark["id"]), None).await?.0, 404);
    let (status, body) = r.call("POST", "/api/capture/mark", Some(json!({ "says": "late" }))).await?;
    assert!(status == 409 && says(&body).contains("needs a run"), "{body}");
    Ok(())
}

#[tokio::test]
async fn triggers_are_tried_with_their_takes() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.get("/api/campaigns/1/runs").await?[0]["id"].clone();
    let tried = async |start: Value, duration: Value| {
        let tachos = json!([{ "input": 22, "threshold": 2.1, "hysteresis": 0.8, "unit": "V" }]);
        let body = json!({ "run_id": run, "start": start, "tachos": tachos, "duration_s": duration });
        r.call("POST", "/api/plan/try", Some(body)).await
    };
    let pulse = json!({ "when": "pulse", "tacho": 22, "every": 1 });
    let (status, all) = tried(json!({ "conditions": [pulse] }), json!(0.01)).await?;
    assert_eq!(status, 200, "{all}");
    // Eight seconds at 2690 rpm.
    let turns = 8.0 * 2690.0 / 60.0;
    assert!((all["fired"].as_f64().unwrap() - turns).abs() < 2.0 && all["held_off"] == 0, "{}", all["fired"]);
    assert_eq!(all["takes"].as_array().map(Vec::len), all["count"].as_u64().map(|n| n as usize));
    let (_, held) = tried(json!({ "conditions": [pulse], "hold_off_s": 1.0 }), json!(0.01)).await?;
    assert!(held["count"] == 8 && held["fired"] == all["fired"], "{} of {}", held["count"], held["fired"]);
    let (_, open) = tried(json!({ "conditions": [pulse] }), Value::Null).await?;
    assert_eq!((&open["count"], &open["takes"][0]["to_s"]), (&json!(1), &Value::Null), "an open take takes all");
    let (_, three) = tried(json!({ "conditions": [pulse], "takes": 3, "pre_s": 0.5 }), json!(0.01)).await?;
    assert!(three["count"] == 3 && three["takes"][0]["from_s"] == 0.0, "{three}");
    for (start, duration, word) in [
        (json!({}), json!(1.0), "add one first"),
        (json!({ "conditions": [{ "when": "pulse", "tacho": 7 }] }), json!(1.0), "no tachometer"),
        (json!({ "conditions": [pulse] }), json!(-1.0), "above 0"),
    ] {
        let (status, body) = tried(start, duration).await?;
        assert!(status == 422 && says(&body).contains(word), "{body}");
    }
    Ok(())
}

#[tokio::test]
async fn recorders_go_one_by_one() -> Result<()> {
    let r = Rigged::start().await?;
    plan(
        &r,
        1,
        json!({ "length": { "ends": "when_stopped" }, "recorders": [
        { "name": "fast", "inputs": [7] }, { "name": "slow", "divide": 100, "keeps": "by_hand", "segment_s": 2.0 } ] }),
    )
    .await?;
    let order = async |name: &str, go: bool| {
        r.call("POST", "/api/capture/recorder", Some(json!({ "recorder": name, "go": go }))).await
    };
    let (status, body) = order("quick", true).await?;
    assert!(status == 409 && says(&body).contains("there are fast, slow"), "{body}");
    assert_eq!(order("slow", true).await?.0, 204);
    let kept = |s: &Value| s["capture"]["recorders"][1]["samples"].as_f64() >= Some(4.5 * 512.0);
    let now = r.until("the slow one has two segments", kept).await?;
    let going: Vec<bool> =
        now["capture"]["recorders"].as_array().context("recorders")?.iter().map(|x| x["going"] == true).collect();
    assert_eq!(going, [false, true], "{}", now["capture"]);
    assert_eq!(order("slow", false).await?.0, 204);
    r.idle().await?;
    let run = r.newest_run().await?;
    assert_eq!((&run["recorder"], &run["sample_rate_hz"]), (&json!("slow"), &json!(512.0)));
    let detail = r.get(&format!("/api/runs/{}", run["id"])).await?;
    let cut = detail["takes"].as_array().context("segments")?;
    assert!(cut.len() >= 2 && cut.iter().all(|t| t["says"] == "segment"), "{cut:?}");
    assert!((cut[1]["from_s"].as_f64().unwrap() - 2.0).abs() < 1e-9, "cut every two seconds: {cut:?}");
    assert_eq!(detail["gaps"], json!([]), "and nothing is missing between them");
    Ok(())
}

#[tokio::test]
async fn rounds_and_limits_are_checked_before_they_begin() -> Result<()> {
    let r = Rigged::start().await?;
    let start = async || r.call("POST", "/api/campaigns/1/rounds", None).await;
    let (status, body) = start().await?;
    assert!(status == 422 && says(&body).contains("has no rounds"), "{body}");
    assert_eq!(r.get("/api/campaigns/1/rounds").await?, Value::Null);
    assert_eq!(r.call("GET", "/api/campaigns/1/rounds.xlsx", None).await?.0, 404);
    let rounds = json!({ "every_s": 3600.0, "length_s": 1.0, "count": 2, "begin_at": "2026-01-01T00:00:00Z",
        "end_at": "2026-01-02T00:00:00Z" });
    plan(&r, 1, json!({ "rounds": rounds })).await?;
    let (status, body) = start().await?;
    assert!(status == 422 && says(&body).contains("ended already"), "{body}");
    // A session that begins later waits for its time, and can be stopped.
    let soon = json!({ "every_s": 3600.0, "length_s": 1.0, "count": 2, "begin_at": "2099-01-01T08:00:00Z" });
    let body = plan(&r, 1, json!({ "rounds": soon })).await?;
    assert!(body["sums"]["says"].to_string().contains("1 January 2099 at 08:00 UTC"), "{}", body["sums"]["says"]);
    let (status, table) = start().await?;
    assert!(status == 200 && table["next_at"] == "2099-01-01T08:00:00Z" && table["rounds"] == json!([]), "{table}");
    let (status, body) = start().await?;
    assert!(status == 422 && says(&body).contains("going already"), "{body}");
    assert_eq!(r.get("/api/status").await?["capture"]["state"], "idle", "nothing is recorded before its time");
    assert_eq!(r.call("DELETE", "/api/campaigns/1/rounds", None).await?.0, 204);
    assert_eq!(r.get("/api/campaigns/1/rounds").await?["state"], "stopped");

    for (watch, word) in [
        (
            json!({ "measure": { "input": 7, "of": { "what": "rms" } }, "caution": 5.0, "limit": 4.0 }),
            "below the limit",
        ),
        (json!({ "measure": { "input": 7, "of": { "what": "rms" } }, "hysteresis": 2.0 }), "0 to 0.9"),
        (
            json!({ "measure": { "input": 22, "of": { "what": "band_rms", "from_hz": 1.0, "to_hz": 9.0, "velocity": true } } }),
            "only acceleration",
        ),
    ] {
        let (status, body) = r.plan_with(1, json!({ "watch": [watch] })).await?;
        assert!(status == 422 && says(&body).contains(word), "{body}");
    }
    assert_eq!(r.call("POST", "/api/campaigns/1/alarms/999", None).await?.0, 404);
    assert_eq!(r.call("GET", "/api/campaigns/1/trend?watched=x&hours=0", None).await?.0, 422);
    for (name, body) in [
        ("%20", json!({ "panes": [] })),
        ("x", json!({ "panes": [{ "display": "waveform", "x": 0, "y": 0, "w": 3, "h": 3, "seconds": 0.0 }] })),
        ("x", json!({ "panes": [{ "display": "spectrum", "x": 0, "y": 0, "w": 3, "h": 3, "block": 3 }] })),
        ("x", json!({ "panes": [{ "display": "sonar", "x": 0, "y": 0, "w": 3, "h": 3 }] })),
    ] {
        let (status, answer) = r.call("PUT", &format!("/api/campaigns/1/benches/{name}"), Some(body.clone())).await?;
        assert_eq!(status, 422, "{body}: {answer}");
    }
    assert_eq!(r.call("DELETE", "/api/campaigns/1/benches/x", None).await?.0, 404);
    Ok(())
}
