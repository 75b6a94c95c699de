//! What the Study station asks over HTTP: markers, cursors, events, thinned results, benches.

use anyhow::Result;
use echo_browser_tests::Rigged;
use serde_json::{Value, json};

const SPECTRUM: &str = r#"{ "lens": "spectrum", "channels": [7], "block": 16384, "scaling": "peak" }"#;

fn spectrum() -> Value {
    serde_json::from_str(SPECTRUM).unwrap_or_default()
}

#[tokio::test]
async fn markers_follow_the_speed_and_the_elements() -> Result<()> {
    let r = Rigged::start().await?;
    let markers = r.get("/api/runs/1/markers?from_s=1&to_s=5").await?;
    assert!((markers["rpm"].as_f64().unwrap() - 2690.0).abs() < 0.5, "{markers}");
    let order = |says: &str| {
        let all = markers["markers"].as_array().cloned().unwrap_or_default();
        all.iter().find(|m| m["says"] == says).and_then(|m| m["order"].as_f64()).unwrap_or(f64::NAN)
    };
    assert_eq!(order("mesh"), 13.0);
    assert!((order("outer race") - 3.57).abs() < 0.005 && (order("blade") - 4.0 / 3.08).abs() < 1e-9);
    assert_eq!(markers["tacho"]["channel"], 21);
    let mut machine = r.get("/api/campaigns/1/machine").await?;
    machine["elements"][2]["teeth"] = json!(0);
    let (status, body) = r.call("PUT", "/api/campaigns/1/machine", Some(machine.clone())).await?;
    assert_eq!((status, &body["field"]), (422, &json!("elements")), "{body}");
    machine["elements"][2]["teeth"] = json!(17);
    assert_eq!(r.call("PUT", "/api/campaigns/1/machine", Some(machine)).await?.0, 200);
    let after = r.get("/api/runs/1/markers?from_s=1&to_s=5").await?;
    assert!(after["markers"].as_array().is_some_and(|a| a.iter().any(|m| m["order"] == 17.0)), "{after}");
    let changes = r.get("/api/campaigns/1/changes").await?;
    assert!(changes.as_array().is_some_and(|a| a.iter().any(|c| c["what"] == "machine elements")));
    // A stretch too short for a speed says so instead of making one up.
    let short = r.get("/api/runs/1/markers?from_s=1&to_s=1.01").await?;
    assert!(short["rpm"].is_null() && short["says"].as_str().is_some_and(|s| !s.is_empty()), "{short}");
    assert_eq!(r.call("GET", "/api/runs/99/markers?from_s=0&to_s=1", None).await?.0, 404);
    Ok(())
}

#[tokio::test]
async fn cursors_are_read_and_follow_a_sensitivity_put_right() -> Result<()> {
    let r = Rigged::start().await?;
    let asks = json!([
        { "trace": 0, "ask": { "read": "lines", "hz": [582.8] } },
        { "trace": 0, "ask": { "read": "band", "from_hz": 550.0, "to_hz": 620.0 } },
        { "trace": 0, "ask": { "read": "resonance", "from_rpm": 100.0, "to_rpm": 200.0 } },
    ]);
    let read = async || {
        let body = json!({ "recipe": spectrum(), "asks": asks });
        r.call("POST", "/api/runs/1/readings", Some(body)).await
    };
    let (status, before) = read().await?;
    assert_eq!(status, 200, "{before}");
    assert!((before[0]["lines"][0]["found_hz"].as_f64().unwrap() - 13.0 * 2690.0 / 60.0).abs() < 0.2, "{before}");
    assert_eq!(before[1]["unit"], "m/s²");
    assert!(before[2]["refused"].as_str().is_some_and(|s| s.contains("order's cut")), "{before}");
    let correction = json!({ "sensitivity": "20.92 mV/(m/s²)", "reason": "certificate misread" });
    assert_eq!(r.call("POST", "/api/runs/1/channels/7/sensitivity", Some(correction)).await?.0, 204);
    let (_, after) = read().await?;
    for (at, key) in [(0, "/0/lines/0/value"), (1, "/1/level")] {
        let of = |v: &Value| v.pointer(key).and_then(Value::as_f64).unwrap_or(f64::NAN);
        assert!((of(&before) / of(&after) - 2.0).abs() < 0.01, "{at}: {} and {}", of(&before), of(&after));
    }
    let many = json!({ "recipe": spectrum(), "asks": vec![asks[0].clone(); 51] });
    assert_eq!(r.call("POST", "/api/runs/1/readings", Some(many)).await?.0, 422);
    let wrong = json!({ "recipe": { "lens": "spectrum", "blok": 1 }, "asks": [] });
    assert_eq!(r.call("POST", "/api/runs/1/readings", Some(wrong)).await?.0, 422);
    Ok(())
}

#[tokio::test]
async fn a_thinned_result_keeps_what_stands_out() -> Result<()> {
    let r = Rigged::start().await?;
    let result = async |path: &str, recipe: Value| -> Result<Value> {
        let (status, body) = r.call("POST", path, Some(recipe)).await?;
        assert_eq!(status, 200, "{body}");
        Ok(body)
    };
    let highest = |v: &Value| {
        let values = v["traces"][0]["values"].as_array().cloned().unwrap_or_default();
        values.iter().filter_map(Value::as_f64).fold(0.0, f64::max)
    };
    let points = |v: &Value, axis: usize| v["axes"][axis]["values"].as_array().map_or(0, Vec::len);
    let whole = result("/api/runs/1/results", spectrum()).await?;
    let thin = result("/api/runs/1/results?most=500", spectrum()).await?;
    assert!(points(&whole, 0) == 8193 && points(&thin, 0) <= 600, "{}", points(&thin, 0));
    assert_eq!(highest(&whole), highest(&thin));
    assert_eq!(whole["peaks"], thin["peaks"]);
    let map = json!({ "lens": "spectrogram", "channels": [7], "block": 4096 });
    let thin = result("/api/runs/1/results?most=300", map).await?;
    assert!(points(&thin, 0) <= 300 && points(&thin, 1) <= 300);
    Ok(())
}

#[tokio::test]
async fn events_and_benches_say_what_they_need() -> Result<()> {
    let r = Rigged::start().await?;
    let (status, none) = r.call("POST", "/api/runs/1/events", Some(json!({ "channels": [7, 8] }))).await?;
    assert_eq!((status, &none["events"]), (200, &json!([])), "a run without takes has no events");
    for (channels, status) in
        [(json!([]), 422), (json!([7, 21]), 422), (json!([77]), 404), (json!([1, 2, 3, 4, 5, 6, 7]), 422)]
    {
        let (got, body) = r.call("POST", "/api/runs/1/events", Some(json!({ "channels": channels }))).await?;
        assert_eq!(got, status, "{body}");
    }
    let panel = |recipe: Value| json!({ "x": 0, "y": 0, "w": 6, "h": 8, "recipe": recipe });
    let path = "/api/campaigns/1/study-benches/mine";
    let (status, body) = r.call("PUT", path, Some(json!({ "panels": [panel(json!({ "lens": "sonar" }))] }))).await?;
    assert_eq!((status, &body["field"]), (422, &json!("lens")), "{body}");
    let mut wide = panel(spectrum());
    wide["x"] = json!(9);
    assert_eq!(r.call("PUT", path, Some(json!({ "panels": [wide] }))).await?.0, 422);
    assert_eq!(r.call("PUT", path, Some(json!({ "panels": [panel(spectrum())] }))).await?.0, 204);
    assert_eq!(r.get("/api/campaigns/1/study-benches").await?[0]["bench"]["panels"][0]["recipe"], spectrum());
    assert_eq!(r.get("/api/campaigns/1/benches").await?, json!([]), "benches of Run are their own");
    assert_eq!(r.call("DELETE", path, None).await?.0, 204);
    assert_eq!(r.call("DELETE", path, None).await?.0, 404);
    Ok(())
}
