//! Sensors in the browser and over the API: a check against a calibrator, a smart sensor that moves,
//! a blank memory written, two people at one rig.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, plain};
use fantoccini::key::Key;
use serde_json::{Value, json};

async fn row(r: &Rigged, input: usize) -> Result<Value> {
    Ok(r.get("/api/campaigns/1/rig").await?["rig"]["channels"][input - 1].clone())
}

/// Waits until a row is as wished.
async fn row_until(r: &Rigged, input: usize, good: impl Fn(&Value) -> bool) -> Result<Value> {
    let rig = r.got("/api/campaigns/1/rig", |v| good(&v["rig"]["channels"][input - 1])).await?;
    Ok(rig["rig"]["channels"][input - 1].clone())
}

#[tokio::test]
async fn a_sensor_is_checked_and_its_history_kept() -> Result<()> {
    let r = Rigged::start().await?;
    // The aged sensor: three per cent below what its memory says.
    r.by_hand(20, json!({ "do": "unplug" })).await?;
    r.by_hand(20, json!({ "do": "plug", "sensor": "QA-31, 20470" })).await?;
    r.by_hand(20, json!({ "do": "move", "motion": "calibrator", "hz": 159.155, "rms": 10.0 })).await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig?input=20", r.url)).await?;
    b.text_until("[data-rule=other_sensor]", |t| t.contains("QA-31, 20470") && t.contains("Alt F")).await?;
    b.send("[role=grid]", &format!("{}f{}", Key::Alt, Key::Null)).await?;
    b.text_until("[data-cell='20-sensor']", |t| t == "QA-31, 20470").await?;
    // From its own memory.
    row_until(&r, 20, |c| c["sensitivity"]["value"] == 10.201).await?;

    b.page.goto(&format!("{}/rig/check?input=20", r.url)).await?;
    // A level that cannot be stays as typed, with its reason.
    b.type_over("input[aria-label='Known level']", &format!("loud{}", Key::Enter)).await?;
    b.text_until("[role=alert]", |t| t.contains("the known level must be above 0")).await?;
    b.type_over("input[aria-label='Known level']", &format!("10{}", Key::Enter)).await?;
    b.type_over("input[aria-label='Settling time']", &format!("0.5{}", Key::Enter)).await?;
    b.press_path("//button[. = 'Read a pair']").await?;
    let pair = b.text_until("[data-pair='1']", |t| t.contains("9.69")).await?;
    assert!(plain(&pair).contains("−3.0") || plain(&pair).contains("-3.0"), "{pair}");
    b.press_path("//button[. = 'Accept']").await?;
    b.text_until("main [role=status]", |t| t.contains("now has 9.89")).await?;
    let now = row(&r, 20).await?["sensitivity"]["value"].as_f64().context("no value")?;
    assert!((now / 9.894 - 1.0).abs() < 1e-3, "the stand-in's truth is 9.894: {now}");

    b.page.goto(&format!("{}/rig/sensors", r.url)).await?;
    b.press_path("//td[. = 'QA-31, 20470']").await?;
    let history = b.text_until("section[aria-label='QA-31, 20470']", |t| t.contains("accepted")).await?;
    assert!(history.contains("as found 10.201") && history.contains("registered by its own memory"), "{history}");
    // The memory still tells the old value; it is written, read back and the same.
    b.press_path("//li[@data-smart='20']//button[. = 'Write that into it']").await?;
    b.text_until("section[aria-label='Smart sensors'] [role=status]", |t| t.contains("found the same")).await?;
    let told = r.get("/api/smart-sensors").await?;
    let twenty = told.as_array().into_iter().flatten().find(|s| s["input"] == 20).context("input 20")?;
    let value = twenty["sensor"]["sensitivity"]["value"].as_f64().context("no value")?;
    assert!((value / now - 1.0).abs() < 4e-4, "{value}");
    // The table goes out as a spreadsheet, and what is no pair is refused.
    let (status, body) = r
        .call(
            "POST",
            "/api/reference/sheet.csv",
            Some(json!({ "input": 20, "pairs": [{ "reference": 10, "reading": 9.7 }] })),
        )
        .await?;
    assert!(status == 200 && body.as_str().is_some_and(|t| t.contains("Worst deviation")), "{body}");
    let none = json!({ "input": 20, "pairs": [] });
    assert_eq!(r.call("POST", "/api/reference/fit", Some(none)).await?.0, 422);
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn settings_follow_a_smart_sensor_to_another_input() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig?input=21", r.url)).await?;
    b.text_until("[data-cell='21-name']", |t| t == "free").await?;
    r.by_hand(21, json!({ "do": "plug", "sensor": "QA-31, 20458" })).await?;
    let there = row_until(&r, 21, |c| c["on"] == true).await?;
    assert_eq!((&there["name"], &there["sensor"]), (&json!("steering ring, athw"), &json!("QA-31, 20458")));
    row_until(&r, 20, |c| c["on"] == false).await?;
    b.text_until("[data-cell='21-name']", |t| t == "steering ring, athw").await?;
    b.text_until("[data-cell='20-name']", |t| t == "free").await?;

    // A used input is nobody else's: there the caution tells.
    r.by_hand(19, json!({ "do": "swap", "with": 18 })).await?;
    b.text_until("section[aria-label=Cautions]", |t| t.contains("Input 18 carries QA-31, 20455")).await?;
    assert_eq!(row(&r, 18).await?["name"], "output flange, axial");

    // A blank memory is written from the register, and not twice without a word.
    r.by_hand(20, json!({ "do": "plug", "sensor": "QA-31, 20461" })).await?;
    let sensor = json!({ "model": "QA-31", "serial": "20461", "maker": "Oakum & Pell", "quantity": "acceleration",
        "coupling": "IEPE", "sensitivity": { "value": 10.31, "unit": "mV/(m/s²)" } });
    let (status, kept) = r.call("PUT", "/api/sensors", Some(sensor.clone())).await?;
    assert_eq!(status, 200, "{kept}");
    let order = json!({ "sensor": kept["id"] });
    r.got("/api/smart-sensors", |v| v.to_string().contains("blank")).await?;
    let (status, told) = r.call("POST", "/api/smart-sensors/20", Some(order.clone())).await?;
    assert!(status == 200 && told["sensor"]["serial"] == "20461", "{told}");
    assert_eq!(r.call("POST", "/api/smart-sensors/20", Some(order)).await?.0, 409);
    for (key, value, field) in [
        ("serial", json!(""), "serial"),
        ("sensitivity", json!({ "value": -1, "unit": "mV/g" }), "sensitivity"),
        ("resonance_hz", json!(0), "resonance_hz"),
    ] {
        let mut wrong = sensor.clone();
        wrong[key] = value;
        let (status, body) = r.call("PUT", "/api/sensors", Some(wrong)).await?;
        assert!(status == 422 && body["field"] == field, "{body}");
    }
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn the_second_of_two_people_sees_what_changed() -> Result<()> {
    let r = Rigged::start().await?;
    let edit = async |body: Value| r.call("POST", "/api/campaigns/1/rig/cells", Some(body)).await;
    let cell = |text: &str| json!([{ "input": 3, "column": "point", "text": text }]);
    let version = r.get("/api/campaigns/1/rig").await?["version"].clone();
    let (_, first) = edit(json!({ "made_on": version, "cells": cell("stern") })).await?;
    assert_eq!(first["rig"]["rig"]["channels"][2]["point"], "stern");
    let (status, second) = edit(json!({ "made_on": version, "cells": cell("bow") })).await?;
    assert_eq!(status, 200);
    let clash = &second["clashes"][0];
    assert_eq!(
        (&clash["theirs"], &clash["mine"], &clash["before"]),
        (&json!("stern"), &json!("bow"), &json!("motor, drive end"))
    );
    assert!(second["rig"].is_null() && row(&r, 3).await?["point"] == "stern", "nothing was overwritten");
    // Another cell of the same row is nobody's loss.
    let other = json!([{ "input": 3, "column": "direction", "text": "aft" }]);
    let (_, third) = edit(json!({ "made_on": version, "cells": other })).await?;
    assert_eq!(third["rig"]["rig"]["channels"][2]["direction"], "aft");
    let (_, over) = edit(json!({ "made_on": version, "cells": cell("bow"), "over_others": true })).await?;
    assert_eq!(over["rig"]["rig"]["channels"][2]["point"], "bow");

    // Versions: compared, gone back to, kept under a name.
    let differ = r.get(&format!("/api/campaigns/1/rig/differences?version={version}")).await?;
    assert_eq!(differ.as_array().map(Vec::len), Some(2), "{differ}");
    let (status, back) = r.call("POST", "/api/campaigns/1/rig/take", Some(json!({ "version": version }))).await?;
    assert!(status == 200 && back["rig"]["channels"][2]["point"] == "motor, drive end");
    let (status, kept) = r.call("POST", "/api/campaigns/1/rig/keep", Some(json!({ "name": "As sailed" }))).await?;
    assert!(status == 200 && kept["rig"]["name"] == "As sailed", "{kept}");
    assert_eq!(r.call("POST", "/api/campaigns/1/rig/keep", Some(json!({ "name": " " }))).await?.0, 422);
    assert_eq!(r.call("POST", "/api/campaigns/1/rig/take", Some(json!({}))).await?.0, 422);
    assert_eq!(r.call("POST", "/api/campaigns/1/rig/take", Some(json!({ "version": 999 }))).await?.0, 404);

    // Out as a spreadsheet and in again: nothing differs.
    let sheet = r.bytes("/api/campaigns/1/rig.xlsx").await?;
    let client = reqwest::Client::new();
    let read = async |bytes: Vec<u8>| -> Result<(u16, Value)> {
        let answer = client.post(format!("{}/api/campaigns/1/rig/file", r.url)).body(bytes).send().await?;
        Ok((answer.status().as_u16(), answer.json().await?))
    };
    let (status, tried) = read(sheet).await?;
    assert!(status == 200 && tried["changed"] == json!([]) && tried["refused"] == json!([]), "{tried}");
    let csv =
        String::from_utf8(r.bytes("/api/campaigns/1/rig.csv").await?)?.replace("motor, drive end, vert", "motor, port");
    let (_, tried) = read(csv.into_bytes()).await?;
    assert_eq!(tried["changed"].as_array().map(Vec::len), Some(1), "{}", tried["changed"]);
    assert_eq!(read(vec![0xff, 0xfe]).await?.0, 422);

    // Self-test and restart by hand of the API.
    let (_, tests) = r.call("POST", "/api/front-ends/test", Some(json!({ "inputs": [20, 21] }))).await?;
    assert_eq!((&tests[0]["passed"], &tests[1]["passed"]), (&json!(true), &json!(false)), "{tests}");
    let setup = r.get("/api/front-ends/setup").await?;
    assert!(setup["now"] == json!([]) && setup["found"].as_array().is_some_and(|f| f.len() > 20), "{}", setup["now"]);
    assert_eq!(r.call("PUT", "/api/front-ends/0/output", Some(json!({ "hz": 80, "peak_v": 1 }))).await?.0, 204);
    r.until("the output is told", |s| s["link"]["units"][0]["output"]["peak_v"] == 1.0).await?;
    assert_eq!(r.call("POST", "/api/emergency-stop", None).await?.0, 204);
    r.until("the output is silent", |s| s["link"]["units"][0]["output"]["peak_v"] == 0.0).await?;
    assert_eq!(r.call("POST", "/api/front-ends/0/restart", None).await?.0, 204);
    r.until("it is back", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    Ok(())
}
