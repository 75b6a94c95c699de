//! The rig over HTTP: what is allowed, what is refused and how, without a browser.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use serde_json::{Value, json};

const CELLS: &str = "/api/campaigns/1/rig/cells";

fn channel(rig: &Value, input: usize) -> &Value {
    &rig["rig"]["channels"][input - 1]
}

#[tokio::test]
async fn cells_are_tried_written_filled_and_refused() -> Result<()> {
    let r = Rigged::start().await?;
    let version = r.get("/api/campaigns/1/rig").await?["version"].clone();
    let edit = async |mut body: Value| -> Result<(u16, Value)> {
        if body.get("made_on").is_none() {
            body["made_on"] = version.clone();
        }
        r.call("POST", CELLS, Some(body)).await
    };
    // Tried only: told, and nothing written.
    let cells = json!([
        { "input": 1, "column": "range_v", "text": "5 V" },
        { "input": 2, "column": "range_v", "text": "7 V" },
        { "input": 3, "column": "coupling", "text": "wireless" },
        { "input": 24, "column": "name", "text": "shaft probe x" },
    ]);
    let (status, tried) = edit(json!({ "cells": cells, "try_only": true })).await?;
    assert_eq!(status, 200);
    assert_eq!(tried["changed"].as_array().map(Vec::len), Some(1), "{tried}");
    let fields: Vec<&str> =
        tried["refused"].as_array().into_iter().flatten().filter_map(|c| c["field"].as_str()).collect();
    assert_eq!(fields, ["range_v", "coupling", "name"]);
    assert!(tried["refused"][0]["says"].as_str().is_some_and(|s| s.contains("0.1, 0.5, 1, 5, 10 V")), "{tried}");
    assert!(tried["rig"].is_null());
    assert_eq!(r.get("/api/campaigns/1/rig").await?["version"], version);
    // Written: the good ones are in, and the front end follows.
    let (_, done) = edit(json!({ "cells": cells, "what": "ranges by ear" })).await?;
    assert_eq!(
        (&channel(&done["rig"], 1)["range_v"], &channel(&done["rig"], 2)["range_v"]),
        (&json!(5.0), &json!(0.5))
    );
    let setup = r.get("/api/front-ends/setup").await?;
    assert_eq!(setup["now"], json!([]), "the device has what the rig says");
    let versions = r.get("/api/campaigns/1/rig/versions").await?;
    assert_eq!(
        (&versions["versions"][0]["what"], &versions["versions"][0]["version"]),
        (&json!("ranges by ear"), &done["rig"]["version"])
    );
    // Carried down and counted on.
    let made_on = done["rig"]["version"].clone();
    let fill = json!({ "inputs": [1, 2, 3], "columns": ["point"], "counting": true });
    let (_, filled) = edit(json!({ "made_on": made_on, "fill": fill, "try_only": true })).await?;
    assert_eq!(filled["cells"][1]["text"], "motor, drive end 3", "{filled}");
    // A pasted block that does not fit, headings that mean nothing, keys that are not known.
    let place = json!({ "inputs": [23, 24], "columns": ["point", "direction"] });
    for (text, word) in [
        ("a\tb\tc", "3 columns"),
        ("a\nb\nc", "3 rows"),
        ("", "nothing in it"),
        ("Point\tDirection\tShade\na\tb\tc", "Shade"),
    ] {
        let (status, body) = edit(json!({ "made_on": made_on, "paste": { "text": text, "place": place } })).await?;
        assert_eq!((status, &body["field"]), (422, &json!("paste")), "{text}");
        assert!(body["says"].as_str().is_some_and(|s| s.contains(word)), "{body}");
    }
    for body in [
        json!({ "cells": [{ "input": 1, "column": "shade", "text": "x" }] }),
        json!({ "cells": [{ "input": -1, "column": "point", "text": "x" }] }),
        json!({ "shade": 1 }),
        json!({ "made_on": "yesterday" }),
    ] {
        let (status, answer) = edit(body.clone()).await?;
        assert_eq!(status, 422, "{body}: {answer}");
    }
    assert_eq!(r.call("POST", "/api/campaigns/99/rig/cells", Some(json!({ "made_on": 1 }))).await?.0, 404);
    // A version that never was cannot be compared with.
    let (status, _) =
        edit(json!({ "made_on": 4000, "cells": [{ "input": 1, "column": "point", "text": "x" }] })).await?;
    assert_eq!(status, 404);
    let (status, body) = r.call("PATCH", "/api/campaigns/1/rig/1", Some(json!({ "sensitivity": "ten" }))).await?;
    assert!(status == 422 && body["field"] == "sensitivity", "{body}");
    Ok(())
}

#[tokio::test]
async fn sensors_bring_their_settings_and_waivers_their_reasons() -> Result<()> {
    let r = Rigged::start().await?;
    let sensor = json!({ "model": "BI-7", "serial": "5512", "quantity": "force", "coupling": "IEPE",
        "sensitivity": { "value": 2.25, "unit": "mV/N" }, "due_on": "2020-01-01" });
    let (status, kept) = r.call("PUT", "/api/sensors", Some(sensor)).await?;
    assert!(status == 200 && kept["label"] == "BI-7, 5512", "{kept}");
    // Its serial typed into a row brings everything along, and what was set before stays in the versions.
    let (status, rig) = r
        .call("PATCH", "/api/campaigns/1/rig/21", Some(json!({ "sensor": "5512", "name": "ram", "on": true })))
        .await?;
    assert_eq!(status, 200, "{rig}");
    let c = channel(&rig, 21);
    assert_eq!((&c["sensor"], &c["quantity"], &c["unit"]), (&json!("BI-7, 5512"), &json!("force"), &json!("N")));
    assert_eq!(c["sensitivity"], json!({ "value": 2.25, "unit": "mV/N" }));
    let about = |rig: &Value, rule: &str| -> Option<Value> {
        rig["cautions"].as_array()?.iter().find(|k| k["rule"] == rule && k["input"] == 21).cloned()
    };
    let overdue = about(&rig, "calibration_overdue").context("years overdue")?;
    assert!(about(&rig, "no_place").is_some() && overdue["fix"] == json!([]), "{overdue}");
    // Let pass: with a reason, in its words, until taken back.
    let waive = async |reason: Value| {
        let body = json!({ "rule": "calibration_overdue", "input": 21, "says": overdue["says"], "reason": reason });
        r.call("POST", "/api/campaigns/1/rig/waivers", Some(body)).await
    };
    for empty in ["", "  ", "ok"] {
        let (status, body) = waive(json!(empty)).await?;
        assert!(status == 422 && body["field"] == "reason", "{body}");
    }
    let (status, rig) = waive(json!("only its timing counts")).await?;
    assert_eq!(status, 200);
    let waived = about(&rig, "calibration_overdue").context("still told")?;
    assert_eq!(
        (&waived["waived"]["reason"], &waived["waived"]["who"]),
        (&json!("only its timing counts"), &json!("engineer"))
    );
    let last = rig["cautions"].as_array().and_then(|c| c.last()).context("no cautions")?;
    assert_eq!(last["rule"], "calibration_overdue", "what is let pass stands last");
    let (_, rig) = waive(Value::Null).await?;
    assert!(about(&rig, "calibration_overdue").is_some_and(|c| c["waived"].is_null()));
    // A quantity that clashes with the register is told with its fix.
    let (_, rig) = r.call("PATCH", "/api/campaigns/1/rig/21", Some(json!({ "quantity": "pressure" }))).await?;
    let clash = about(&rig, "quantity_clash").context("pressure is no force")?;
    let made_on = rig["version"].clone();
    let (_, mended) = r.call("POST", CELLS, Some(json!({ "made_on": made_on, "cells": clash["fix"] }))).await?;
    assert_eq!(channel(&mended["rig"], 21)["quantity"], "force");
    // Nothing smart hangs there, so nothing can be written.
    let (status, body) = r.call("POST", "/api/smart-sensors/21", Some(json!({ "sensor": kept["id"] }))).await?;
    assert!(status == 404 && body["says"].as_str().is_some_and(|s| s.contains("smart sensor")), "{body}");
    let (status, body) = r.call("POST", "/api/smart-sensors/19", Some(json!({ "sensor": 9999, "over": true }))).await?;
    assert_eq!(status, 404, "{body}");
    assert_eq!(r.call("GET", "/api/sensors/9999/history", None).await?.0, 404);
    Ok(())
}

#[tokio::test]
async fn a_reading_without_an_excitation_is_no_reading() -> Result<()> {
    let r = Rigged::start().await?;
    let read = async |body: Value| r.call("POST", "/api/reference/read", Some(body)).await;
    let wish = |input: u16, hz: f64, settle: f64, read: f64| json!({ "input": input, "hz": hz, "settle_s": settle, "read_s": read });
    for (body, word) in [
        (wish(7, 159.155, 0.0, 0.01), "0.2 to 8"),
        (wish(7, 159.155, 100.0, 1.0), "0 to 60"),
        (wish(21, 159.155, 0.0, 0.5), "not measured"),
        (wish(7, 40_000.0, 0.0, 0.5), "up to 20480"),
        (wish(7, 20.0, 0.0, 0.5), "50 or more"),
        (wish(7, 159.155, 0.0, 1.0), "no tone stands out"),
        (json!({ "input": 7, "reference_input": 22, "hz": 100, "settle_s": 0, "read_s": 0.5 }), "same quantity"),
        (json!({ "input": 7, "reference_input": 7, "hz": 100, "settle_s": 0, "read_s": 0.5 }), "another input"),
    ] {
        let (status, answer) = read(body.clone()).await?;
        assert_eq!(status, 422, "{body}: {answer}");
        assert!(answer["says"].as_str().is_some_and(|s| s.contains(word)), "{body}: {answer}");
    }
    // Two sensors on one shaker: the reference transducer gives the reference.
    for input in [7, 8] {
        r.by_hand(input, json!({ "do": "move", "motion": "shaker" })).await?;
    }
    let mut pairs = Vec::new();
    for volts in [0.2, 0.5, 1.0] {
        assert_eq!(
            r.call("PUT", "/api/front-ends/0/output", Some(json!({ "hz": 160.0, "peak_v": volts }))).await?.0,
            204
        );
        let wish = json!({ "input": 7, "reference_input": 8, "hz": 160, "settle_s": 1, "read_s": 1 });
        let (status, answer) = read(wish).await?;
        assert_eq!(status, 200, "{answer}");
        let reference = answer["reference"]["rms"].as_f64().context("no reference")?;
        let truth = volts * 12.5 / 2f64.sqrt();
        assert!((reference / truth - 1.0).abs() < 2e-3, "{reference} for {truth}");
        pairs.push(json!({ "reference": reference, "reading": answer["reading"]["rms"] }));
    }
    assert_eq!(r.call("POST", "/api/emergency-stop", None).await?.0, 204);
    let (_, fit) = r.call("POST", "/api/reference/fit", Some(json!({ "input": 7, "pairs": pairs }))).await?;
    assert!((fit["gain"].as_f64().context("no gain")? - 1.0).abs() < 1e-3, "both are in order: {fit}");
    assert!(fit["linearity"].as_f64().is_some_and(|l| l < 1e-3), "{fit}");
    // Rejected: nothing changes, and the history knows of it.
    let verdict =
        json!({ "campaign": 1, "input": 7, "pairs": pairs, "hz": 160, "accept": false, "reference": "input 8" });
    let (status, done) = r.call("POST", "/api/reference/verdict", Some(verdict)).await?;
    assert!(status == 200 && done["sensor"]["sensitivity"]["value"] == 10.46, "{done}");
    let history = r.get(&format!("/api/sensors/{}/history", done["sensor_id"])).await?;
    assert_eq!(history[0]["what"], "checked against a reference, rejected");
    assert_eq!(history[0]["detail"]["pairs"].as_array().map(Vec::len), Some(3));
    let sheet = r.call("POST", "/api/reference/sheet.xlsx", Some(json!({ "input": 7, "pairs": pairs }))).await?;
    assert_eq!(sheet.0, 200);
    Ok(())
}

#[tokio::test]
async fn crystals_and_bridges_are_read_in_their_own_kind() -> Result<()> {
    let r = Rigged::start().await?;
    let crystal = json!({ "model": "QC-12", "serial": "20501", "quantity": "acceleration", "coupling": "Charge",
        "sensitivity": { "value": 3.12, "unit": "pC/(m/s²)" } });
    let cell = json!({ "model": "FB-50", "serial": "5107", "quantity": "force", "coupling": "Bridge full",
        "sensitivity": { "value": 0.04, "unit": "mV/V/N" } });
    for (sensor, label, rms) in [(crystal, "QC-12, 20501", 10.0), (cell, "FB-50, 5107", 2.0)] {
        assert_eq!(r.call("PUT", "/api/sensors", Some(sensor)).await?.0, 200);
        r.by_hand(21, json!({ "do": "plug", "sensor": label })).await?;
        r.by_hand(21, json!({ "do": "move", "motion": "calibrator", "hz": 159.15, "rms": 10.0 })).await?;
        let row = json!({ "sensor": label, "name": "on the shaker", "on": true, "range_v": "0.1" });
        let (status, rig) = r.call("PATCH", "/api/campaigns/1/rig/21", Some(row)).await?;
        assert_eq!(status, 200, "{rig}");
        // 0.2 kg on the load cell make 2 N of the calibrator's 10 m/s².
        let read = json!({ "input": 21, "hz": 159.15, "settle_s": 1, "read_s": 0.5 });
        let (status, answer) = r.call("POST", "/api/reference/read", Some(read)).await?;
        let told = answer["reading"]["rms"].as_f64().unwrap_or(f64::NAN);
        assert!(status == 200 && (told / rms - 1.0).abs() < 2e-3, "{label}: {answer}");
        r.by_hand(21, json!({ "do": "unplug" })).await?;
    }
    // The other modules have no amplifier for either.
    let (status, body) = r.call("PATCH", "/api/campaigns/1/rig/1", Some(json!({ "coupling": "Charge" }))).await?;
    assert!(status == 422 && body["says"].as_str().is_some_and(|s| s.contains("IEPE, DC, AC")), "{body}");
    Ok(())
}
