//! The plan over HTTP: lengths, counters, encoders, dry runs, recorders, and a server that is killed in every
//! state of a run.

use anyhow::Result;
use echo_browser_tests::Rigged;
use serde_json::{Value, json};

#[tokio::test]
async fn lengths_are_typed_as_they_are_known() -> Result<()> {
    let r = Rigged::start().await?;
    let typed = async |text: &str| {
        let (status, body) = r.call("POST", "/api/campaigns/1/plan/length", Some(json!({ "text": text }))).await?;
        anyhow::Ok((status, body))
    };
    assert_eq!(typed("51200 samples").await?.1["duration_s"], 1.0);
    assert_eq!(typed("100 rev at 1500 rpm").await?.1["duration_s"], 4.0);
    // The tachometer tells the speed where nobody does, once it has seen pulses: 2690 rpm.
    let measured = |v: &Value| (v["duration_s"].as_f64().unwrap_or(f64::NAN) - 6000.0 / 2690.0).abs() < 0.01;
    r.answered("POST", "/api/campaigns/1/plan/length", json!({ "text": "100 rev" }), measured).await?;
    let (status, body) = typed("a while").await?;
    assert!(status == 422 && body["field"] == "duration_s", "{body}");
    for (change, field) in [
        (json!({ "recorders": [{ "name": "A", "inputs": [21] }] }), "recorders"),
        (json!({ "start": { "conditions": [{ "when": "pulse", "tacho": 7 }] } }), "conditions"),
        (json!({ "named_hz": -1.0 }), "named_hz"),
        (json!({ "watch": [{ "measure": { "input": 21, "of": { "what": "rms" } } }] }), "measures"),
    ] {
        let (status, body) = r.plan_with(1, change.clone()).await?;
        assert_eq!((status, &body["field"]), (422, &json!(field)), "{change}: {body}");
    }
    let before = r.get("/api/campaigns/1/plan").await?;
    assert_eq!(before["plan"]["recorders"], json!([]), "nothing was changed");
    Ok(())
}

#[tokio::test]
async fn counters_read_a_known_train_and_an_encoder_its_way() -> Result<()> {
    let r = Rigged::start().await?;
    let tracks = [(19, "encoder EN-32, track A"), (20, "encoder EN-32, track B"), (24, "encoder EN-32, index")];
    for (input, sensor) in tracks {
        r.by_hand(input, json!({ "do": "unplug" })).await?;
        r.by_hand(input, json!({ "do": "plug", "sensor": sensor })).await?;
        let row = json!({ "quantity": "voltage", "sensitivity_unit": "V/V", "sensitivity": "1", "coupling": "DC",
            "range_v": "10", "unit": "V" });
        let (status, body) = r.call("PATCH", &format!("/api/campaigns/1/rig/{input}"), Some(row)).await?;
        assert_eq!(status, 200, "{body}");
    }
    r.by_hand(21, json!({ "do": "plug", "sensor": "cable from the output" })).await?;
    r.by_hand(21, json!({ "do": "move", "motion": "output" })).await?;
    let row = json!({ "on": true, "name": "counter", "quantity": "voltage", "sensitivity_unit": "V/V",
        "sensitivity": "1", "coupling": "DC", "range_v": "10" });
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/21", Some(row)).await?.0, 200);
    let output = json!({ "hz": 130.0, "peak_v": 5.0, "pulses": true });
    assert_eq!(r.call("PUT", "/api/front-ends/0/output", Some(output)).await?.0, 204);
    let tacho = json!({ "input": 21, "threshold": 9.0, "hysteresis": 0.0, "unit": "V" });
    let read = json!({ "tacho": tacho, "seconds": 1.0, "points": 100, "automatic": true });
    // The output may have begun within the second that is read.
    let whole = |v: &Value| v["reading"]["edges"].as_f64().is_some_and(|n| (n - 130.0).abs() <= 1.0);
    let body = r.answered("POST", "/api/tachos/read", read, whole).await?;
    let of = |key: &str| body["reading"][key].as_f64().unwrap_or(f64::NAN);
    assert!((of("frequency_hz") - 130.0).abs() < 0.05 && (of("width_s") - 0.1 / 130.0).abs() < 2e-5, "{body}");
    assert!(body["low"].as_array().map(Vec::len) == Some(100));
    assert!((body["tacho"]["threshold"].as_f64().unwrap() - 2.5).abs() < 0.1, "{}", body["tacho"]);
    let encoder = async |change: Value| {
        let mut read = json!({ "seconds": 1.0, "encoder": { "a": 19, "b": 20, "index": 24, "lines": 32, "multiple": 4,
            "wrap": true, "threshold_v": 2.5 } });
        for (k, v) in change.as_object().unwrap() {
            read["encoder"][k] = v.clone();
        }
        r.call("POST", "/api/encoders/read", Some(read)).await
    };
    let (status, e) = encoder(json!({})).await?;
    assert_eq!(status, 200, "{e}");
    assert!((e["rpm"].as_f64().unwrap() - 2690.0).abs() < 6.0 && e["direction"] == 1, "{e}");
    assert!((44..=46).contains(&e["indices"].as_i64().unwrap()) && e["errors"] == 0, "{e}");
    assert!((0.0..360.0).contains(&e["degrees"].as_f64().unwrap()) && e["count"].as_i64() <= Some(128), "{e}");
    // Tracks exchanged, it turns the other way; ×1 counts a quarter as much.
    let (_, back) = encoder(json!({ "a": 20, "b": 19 })).await?;
    assert!(back["direction"] == -1 && back["rpm"].as_f64() < Some(-2600.0), "{back}");
    let (status, body) = encoder(json!({ "multiple": 3 })).await?;
    assert!(status == 422 && body["says"].as_str().is_some_and(|s| s.contains("1, 2 and 4")), "{body}");
    // A counter without a clock to ride on says so, and what to do.
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/21", Some(json!({ "on": false }))).await?.0, 200);
    let read = json!({ "tacho": tacho, "seconds": 1.0 });
    let (status, body) = r.call("POST", "/api/tachos/read", Some(read.clone())).await?;
    assert!(status == 422 && body["says"].as_str().is_some_and(|s| s.contains("switch it on in the rig")), "{body}");
    r.call("PUT", "/api/capture/front-end", Some(json!({ "address": null }))).await?;
    assert_eq!(r.call("PATCH", "/api/campaigns/1/rig/21", Some(json!({ "on": true }))).await?.0, 200);
    let (status, body) = r.call("POST", "/api/tachos/read", Some(read)).await?;
    assert!(status == 409 && body["says"].as_str().is_some_and(|s| s.contains("rides on the sample clock")), "{body}");
    Ok(())
}

#[tokio::test]
async fn a_dry_run_measures_and_leaves_nothing() -> Result<()> {
    let r = Rigged::start().await?;
    let before = r.get("/api/campaigns/1/runs").await?;
    let (status, budget) = r.call("POST", "/api/capture/dry-run", Some(json!({ "seconds": 2.0 }))).await?;
    assert_eq!(status, 200, "{budget}");
    let stages: Vec<&str> =
        budget["stages"].as_array().into_iter().flatten().filter_map(|s| s["stage"].as_str()).collect();
    assert_eq!(stages, ["link", "processor", "packing", "store", "disk"]);
    assert!(
        (budget["samples_per_s"].as_f64().unwrap() - 23.0 * 51_200.0).abs() < 1.0 && budget["lost_blocks"] == 0,
        "{budget}"
    );
    assert!(budget["stages"][2]["used"].as_f64() > Some(0.0), "packing took some time: {budget}");
    assert_eq!(r.get("/api/campaigns/1/runs").await?, before, "nothing of it is kept");
    assert_eq!(r.get("/api/campaigns/1/plan").await?["plan"]["length"]["duration_s"], 60.0);
    assert_eq!(r.call("POST", "/api/capture/dry-run", Some(json!({ "seconds": 0.0 }))).await?.0, 422);
    Ok(())
}

#[tokio::test]
async fn a_server_killed_in_any_state_keeps_what_was_whole() -> Result<()> {
    let mut r = Rigged::start().await?;
    let bump = json!({ "when": "level", "input": 7, "level": 1000.0, "hysteresis": 1.0, "unit": "m/s²" });
    let (status, body) = r
        .plan_with(
            1,
            json!({ "length": { "ends": "when_stopped" },
        "start": { "conditions": [bump], "pre_s": 0.5, "takes": 3 } }),
        )
        .await?;
    assert_eq!(status, 200, "{body}");
    let runs = async |r: &Rigged| anyhow::Ok(r.get("/api/campaigns/1/runs").await?.as_array().map_or(0, Vec::len));
    let ready = |s: &Value| s["link"]["sample_rate_hz"].as_f64() > Some(0.0);
    let begun = runs(&r).await?;
    // Idle, armed and filling, armed and waiting: nothing was recorded, nothing is left behind.
    for kept_s in [None, Some(0.0), Some(0.5)] {
        if let Some(kept_s) = kept_s {
            assert_eq!(r.order("arm").await?.0, 204);
            let state = r.armed(kept_s).await?;
            assert_eq!(state["capture"]["takes"], 0, "{}", state["capture"]);
        }
        r.server.kill();
        r.serve_again()?;
        r.until("the front end sends", ready).await?;
        assert_eq!((runs(&r).await?, r.get("/api/status").await?["capture"]["state"].clone()), (begun, json!("idle")));
    }
    // A take that goes: what was whole is there, the take with it.
    assert_eq!(r.order("arm").await?.0, 204);
    r.armed(0.5).await?;
    assert_eq!(r.order("record").await?.0, 204);
    r.recorded(4.5).await?;
    r.server.kill();
    r.serve_again()?;
    let run = r.newest_run().await?;
    assert!(run["state"] == "broken" && run["duration_s"].as_f64() > Some(2.0), "{run}");
    let detail = r.get(&format!("/api/runs/{}", run["id"])).await?;
    assert_eq!(detail["takes"].as_array().map(Vec::len), Some(1));
    let length = detail["takes"][0]["length_s"].as_f64().unwrap();
    assert!(length > 1.0 && length <= run["duration_s"].as_f64().unwrap(), "{detail}");
    // Just stopped, perhaps still writing: the run is there, whole or as far as it came.
    r.until("the front end sends", ready).await?;
    assert_eq!(r.order("record").await?.0, 204);
    r.recorded(2.5).await?;
    assert_eq!(r.order("stop").await?.0, 204);
    r.server.kill();
    r.serve_again()?;
    let run = r.newest_run().await?;
    assert!(
        ["whole", "broken"].contains(&run["state"].as_str().unwrap()) && run["duration_s"].as_f64() > Some(0.9),
        "{run}"
    );
    Ok(())
}
