//! The API as another program uses it: rig, plan, recipes, results of every lens, corrections,
//! exports and report, each checked against what was really stored.

use anyhow::Result;
use echo_browser_tests::Rigged;
use serde_json::{Value, json};

fn float(v: &Value) -> f64 {
    v.as_f64().unwrap_or_else(|| panic!("{v} is no number"))
}

fn named<'a>(result: &'a Value, name: &str) -> &'a Value {
    result["numbers"].as_array().unwrap().iter().find(|n| n["name"] == name).unwrap_or_else(|| panic!("no {name}"))
}

async fn made(r: &Rigged, recipe: Value) -> Result<Value> {
    let (status, result) = r.call("POST", "/api/runs/1/results", Some(recipe.clone())).await?;
    assert_eq!(status, 200, "{recipe}: {result}");
    Ok(result)
}

#[tokio::test]
async fn rows_of_the_rig_are_changed_one_by_one_and_logged() -> Result<()> {
    let r = Rigged::start().await?;
    let campaigns = r.get("/api/campaigns").await?;
    assert_eq!((&campaigns[0]["id"], &campaigns[0]["chosen"]), (&json!(1), &json!(true)));
    let before = r.get("/api/campaigns/1/rig").await?;
    let version = before["version"].as_i64().unwrap();
    let row = |rig: &Value, input: usize| rig["rig"]["channels"][input - 1].clone();

    // A sensitivity typed with its unit, a comma for a point, and what follows from it.
    let change = json!({ "sensitivity": "101,97 mV/g", "point": "gearbox, top" });
    let (status, after) = r.call("PATCH", "/api/campaigns/1/rig/7", Some(change)).await?;
    assert_eq!(status, 200, "{after}");
    assert_eq!(after["version"].as_i64().unwrap(), version + 1);
    let changed = row(&after, 7);
    assert_eq!((&changed["sensitivity"]["value"], &changed["point"]), (&json!(101.97), &json!("gearbox, top")));
    let full = float(&changed["range_v"]) / 0.10197 * 9.80665;
    assert!((float(&changed["full_scale"]) / full - 1.0).abs() < 1e-9, "{changed}");
    assert!((float(&changed["converter_step"]) / full * 2f64.powi(23) - 1.0).abs() < 1e-9);
    for input in [1, 8, 22] {
        assert_eq!(row(&after, input), row(&before, input), "other rows stay");
    }

    // Two people at once: neither loses the other's change.
    let one = r.call("PATCH", "/api/campaigns/1/rig/1", Some(json!({ "name": "motor DE, vertical" })));
    let two = r.call("PATCH", "/api/campaigns/1/rig/2", Some(json!({ "name": "motor DE, athwart" })));
    let (one, two) = tokio::join!(one, two);
    assert_eq!((one?.0, two?.0), (200, 200));
    let both = r.get("/api/campaigns/1/rig").await?;
    assert_eq!(row(&both, 1)["name"], "motor DE, vertical");
    assert_eq!(row(&both, 2)["name"], "motor DE, athwart");
    assert_eq!(both["version"].as_i64().unwrap(), version + 3);

    // A factor of 9.81 too much is found with its guess; what was before is in the log.
    let (_, wrong) = r.call("PATCH", "/api/campaigns/1/rig/7", Some(json!({ "sensitivity": "1000 mV/g" }))).await?;
    assert!(wrong["cautions"].as_array().unwrap().iter().any(|c| c["input"] == 7), "{}", wrong["cautions"]);
    let log = r.get("/api/campaigns/1/changes").await?;
    let cell = &log[0]["detail"]["cells"][0];
    assert_eq!((&cell["input"], &cell["column"]), (&json!(7), &json!("sensitivity")));
    assert_eq!((&cell["from"], &cell["to"]), (&json!("101.97"), &json!("1000")));
    assert!(log.as_array().unwrap().len() >= 4);

    for (path, status) in [("/api/campaigns/1/rig/99", 404), ("/api/campaigns/77/rig/1", 404)] {
        let (got, body) = r.call("PATCH", path, Some(json!({ "name": "x" }))).await?;
        assert!(got == status || got == 422, "{path}: {got} {body}");
        assert!(body["says"].as_str().is_some_and(|s| s.len() > 5), "{body}");
    }
    let (status, body) = r.call("PATCH", "/api/campaigns/1/rig/7", Some(json!({ "nmae": "x" }))).await?;
    assert!((400..500).contains(&status), "{status} {body}");
    assert_eq!(row(&r.get("/api/campaigns/1/rig").await?, 7)["point"], "gearbox, top");
    Ok(())
}

#[tokio::test]
async fn a_plan_says_what_follows_and_recipes_are_kept() -> Result<()> {
    let r = Rigged::start().await?;
    let plan = json!({ "sample_rate_hz": 25600.0, "length": { "ends": "after", "duration_s": 30.0 }, "run_kind": "trial", "block": 8192 });
    let (status, body) = r.call("PUT", "/api/campaigns/1/plan", Some(plan)).await?;
    assert_eq!(status, 200, "{body}");
    let sums = &body["sums"];
    assert_eq!((&sums["samples"], &sums["line_spacing_hz"]), (&json!(768_000), &json!(3.125)));
    assert_eq!(float(&sums["nyquist_hz"]), 12_800.0);
    assert!((float(&sums["block_s"]) - 0.32).abs() < 1e-12 && float(&sums["room_s"]) > 0.0);
    let (_, open) = r
        .call(
            "PUT",
            "/api/campaigns/1/plan",
            Some(json!({ "sample_rate_hz": 51200.0, "length": { "ends": "when_stopped" } })),
        )
        .await?;
    assert!(open["sums"]["samples"].is_null(), "an open end has no number of samples: {open}");
    assert_eq!(r.get("/api/campaigns/1/plan").await?["plan"]["length"]["ends"], "when_stopped");

    // A kept recipe comes back whole, and one that cannot be is not kept.
    let recipe = json!({ "lens": "order_track", "tacho": { "channel": 21 }, "orders": [1, 13] });
    let (status, body) = r.call("PUT", "/api/campaigns/1/recipes/mesh", Some(recipe)).await?;
    assert!(status < 300, "{status} {body}");
    let kept = r.get("/api/campaigns/1/recipes").await?;
    let mesh = kept.as_array().unwrap().iter().find(|k| k["name"] == "mesh").unwrap();
    assert_eq!((&mesh["recipe"]["orders"], &mesh["recipe"]["step_rpm"]), (&json!([1.0, 13.0]), &json!(25.0)));
    let (status, body) =
        r.call("PUT", "/api/campaigns/1/recipes/bad", Some(json!({ "lens": "shock", "q": "ten" }))).await?;
    assert_eq!((status, body["field"].as_str()), (422, Some("q")), "{body}");
    assert_eq!(r.get("/api/campaigns/1/recipes").await?.as_array().unwrap().len(), kept.as_array().unwrap().len());
    Ok(())
}

#[tokio::test]
async fn every_lens_reads_a_stored_run() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.get("/api/runs/1").await?;
    let number = |name: &str| {
        let all = run["channels"].as_array().unwrap();
        all.iter().find(|c| c["recorded"]["name"] == name).unwrap()["channel"].as_i64().unwrap()
    };
    let mark =
        run["channels"].as_array().unwrap().iter().find(|c| c["recorded"]["quantity"] == "voltage").unwrap()["channel"]
            .clone();
    let top = number("gearbox top, vert");
    let tacho = json!({ "channel": mark, "pulses_per_rev": 1 });

    let speed = made(&r, json!({ "lens": "speed", "tacho": tacho })).await?;
    let rpm = float(&named(&speed, "highest")["value"]);
    assert!((rpm - float(&named(&speed, "lowest")["value"])).abs() < 2.0, "the machine runs steadily");
    let orders = made(
        &r,
        json!({ "lens": "order_track", "channels": [top], "tacho": tacho, "orders": [13], "resolution": 0.02 }),
    )
    .await?;
    let of = |k: &str| float(&orders["traces"][0][k][0]);
    let mesh = of("re").hypot(of("im"));
    let spectrum =
        made(&r, json!({ "lens": "spectrum", "channels": [top], "block": 32768, "window": "flat_top" })).await?;
    let peaks = spectrum["peaks"].as_array().unwrap();
    let line = peaks.iter().find(|p| (float(&p["frequency_hz"]) - 13.0 * rpm / 60.0).abs() < 2.0).unwrap();
    assert!((float(&line["value"]) / mesh - 1.0).abs() < 0.03, "{line} and {mesh}");

    let map = made(&r, json!({ "lens": "order_map", "channels": [top], "tacho": tacho, "max_order": 15 })).await?;
    assert_eq!(map["axes"].as_array().unwrap().len(), 2);
    let response =
        made(&r, json!({ "lens": "response", "reference": top, "channels": [top - 1, top, top + 1], "block": 8192 }))
            .await?;
    assert_eq!(response["traces"].as_array().unwrap().len(), 4);
    assert_eq!(response["traces"][0]["unit"], "(m/s²)/(m/s²)");
    let coherence =
        made(&r, json!({ "lens": "cross", "reference": top, "channels": [top + 1], "block": 8192 })).await?;
    assert!(coherence["traces"][1]["values"].as_array().unwrap().iter().all(|c| (0.0..=1.0).contains(&float(c))));
    let level = made(&r, json!({ "lens": "level", "channels": [top], "unit": "mm/s" })).await?;
    assert_eq!(
        (level["traces"][0]["values"].as_array().unwrap().len(), &level["traces"][0]["unit"]),
        (8, &json!("mm/s"))
    );
    for (lens, traces) in [
        (json!({ "lens": "octave", "channels": [top] }), 1),
        (json!({ "lens": "envelope", "channels": [top], "band_hz": [3500, 5000] }), 1),
        (json!({ "lens": "spectrogram", "channels": [top], "interval_s": 0.5 }), 1),
        (json!({ "lens": "distribution", "channels": [top, top + 1] }), 2),
        (json!({ "lens": "rainflow", "channels": [top] }), 2),
        (json!({ "lens": "shock", "channels": [top] }), 1),
        (json!({ "lens": "waveform", "channels": [top], "reduce": "minmax" }), 2),
    ] {
        let result = made(&r, lens.clone()).await?;
        assert_eq!(result["traces"].as_array().unwrap().len(), traces, "{lens}");
        assert_eq!(result["made"]["input"], "run 1 of campaign 1");
        // The result's own recipe makes the same again.
        let again = made(&r, result["recipe"].clone()).await?;
        assert_eq!(again["traces"], result["traces"], "{lens}");
    }
    Ok(())
}

#[tokio::test]
async fn a_correction_reaches_overview_results_exports_and_report() -> Result<()> {
    let r = Rigged::start().await?;
    let rms = json!({ "lens": "statistics", "channels": [7] });
    let before = float(&named(&made(&r, rms.clone()).await?, "rms")["value"]);
    let low_high = |bytes: Vec<u8>| -> Vec<f32> {
        bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
    };
    let overview = low_high(r.bytes("/api/runs/1/overview?channels=7&points=50").await?);
    for (body, field) in [
        (json!({ "sensitivity": "20.4", "reason": " " }), "reason"),
        (json!({ "sensitivity": "20.4 mV/N", "reason": "typo" }), "sensitivity_unit"),
        (json!({ "sensitivity": "-2", "reason": "typo" }), "sensitivity"),
    ] {
        let (status, answer) = r.call("POST", "/api/runs/1/channels/7/sensitivity", Some(body)).await?;
        assert_eq!((status, answer["field"].as_str()), (422, Some(field)), "{answer}");
    }
    let old = r.get("/api/runs/1").await?["channels"][6].clone();
    let value = float(&old["sensitivity"]["value"]);
    let body = json!({ "sensitivity": format!("{}", 2.0 * value), "reason": "the certificate says twice that" });
    let (status, answer) = r.call("POST", "/api/runs/1/channels/7/sensitivity", Some(body)).await?;
    assert_eq!(status, 204, "{answer}");
    let now = r.get("/api/runs/1").await?["channels"][6].clone();
    assert_eq!(now["recorded"], old["recorded"], "the row as recorded stays");
    assert_eq!(now["history"].as_array().unwrap().len(), old["history"].as_array().unwrap().len() + 1);
    assert_eq!(now["history"].as_array().unwrap().last().unwrap()["reason"], "the certificate says twice that");
    let after = float(&named(&made(&r, rms).await?, "rms")["value"]);
    assert!((before / after - 2.0).abs() < 1e-12, "{before} {after}");
    let halved = low_high(r.bytes("/api/runs/1/overview?channels=7&points=50").await?);
    assert!(overview.iter().zip(&halved).all(|(a, b)| (a / b - 2.0).abs() < 1e-5));

    // The files say the same as the result.
    let wav = r.bytes("/api/runs/1/export.wav").await?;
    let mut reader = hound::WavReader::new(std::io::Cursor::new(wav))?;
    let width = usize::from(reader.spec().channels);
    let squares: Vec<f64> =
        reader.samples::<f32>().skip(6).step_by(width).map(|s| f64::from(s.unwrap()).powi(2)).collect();
    let from_file = (squares.iter().sum::<f64>() / squares.len() as f64).sqrt();
    assert!((from_file / after - 1.0).abs() < 1e-6, "{from_file} for {after}");
    let csv = String::from_utf8(r.bytes("/api/runs/1/export.csv").await?)?;
    let head = csv.lines().next().unwrap();
    assert!(head.starts_with("time [s],") && head.contains("[m/s²]"), "{head}");

    let (status, body) = r.call("PUT", "/api/campaigns/1/report", Some(json!({ "title": "" }))).await?;
    assert!((400..500).contains(&status), "{body}");
    let mut report = r.get("/api/campaigns/1/report").await?;
    report["title"] = json!("Thruster, after the correction");
    let recipe = json!({ "lens": "order_map", "channels": [7], "tacho": { "channel": 21 } });
    report["blocks"] = json!([{ "id": 1, "title": "Orders", "show": { "what": "figure", "recipe": recipe } },
        { "id": 2, "title": "Gone", "show": { "what": "rig", "run_id": 999 } }]);
    assert_eq!(r.call("PUT", "/api/campaigns/1/report", Some(report)).await?.0, 200);
    let pdf = r.bytes("/api/campaigns/1/report.pdf").await?;
    assert!(pdf.starts_with(b"%PDF") && pdf.len() > 10_000);
    let pages = r.get("/api/campaigns/1/report/pages").await?;
    let first = r.bytes(pages["pages"][0].as_str().unwrap()).await?;
    assert!(first.starts_with(b"<svg"), "what cannot be made costs no page");
    let gone = pages["refused"].as_array().unwrap().iter().find(|b| b["id"] == 2).unwrap();
    assert!(gone["says"].as_str().unwrap().contains("the run of this block was deleted"), "{pages}");
    Ok(())
}

#[tokio::test]
async fn what_is_not_there_is_said_to_be_missing() -> Result<()> {
    let r = Rigged::start().await?;
    for path in ["/api/runs/99", "/api/runs/99/overview?channels=1", "/api/runs/99/export.wav", "/api/campaigns/99/rig"]
    {
        let (status, body) = r.call("GET", path, None).await?;
        assert_eq!(status, 404, "{path}: {body}");
        assert!(body["says"].as_str().is_some_and(|s| !s.is_empty()), "{body}");
    }
    for (query, field) in
        [("channels=x", "channels"), ("channels=1&points=0", "points"), ("channels=1&points=99999", "points")]
    {
        let (status, body) = r.call("GET", &format!("/api/runs/1/overview?{query}"), None).await?;
        assert_eq!((status, body["field"].as_str()), (422, Some(field)), "{query}: {body}");
    }
    assert_eq!(
        r.call("POST", "/api/runs/1/channels/99/sensitivity", Some(json!({ "sensitivity": "1", "reason": "x" })))
            .await?
            .0,
        404
    );
    // Nothing is recorded: stopping is told so, resetting levels always works.
    assert_eq!(r.call("POST", "/api/capture/levels/reset?input=3", None).await?.0, 204);
    assert_eq!(r.call("POST", "/api/capture/levels/reset", None).await?.0, 204);
    let (status, body) = r.order("stop").await?;
    assert!(status == 204 || status == 409, "{body}");
    // Whatever path the page uses is answered with the page, not with an error.
    assert!(String::from_utf8(r.bytes("/study").await?)?.contains("<div id=\"page\">"));
    Ok(())
}
