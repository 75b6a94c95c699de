//! The specimen: its geometry in tables, in a drawing, in files; what the rig and the rules know of it.

use anyhow::{Context, Result};
use echo_browser_tests::browser::{Browser, held};
use echo_browser_tests::{Rigged, says};
use fantoccini::key::Key;
use serde_json::{Value, json};

const AT: &str = "/api/campaigns/1/specimen";

/// Changes the geometry of the first campaign, on the version it is of now.
async fn changed(r: &Rigged, change: Value) -> Result<(u16, Value)> {
    let made_on = r.get(AT).await?["version"].clone();
    r.call("POST", &format!("{AT}/change"), Some(json!({ "made_on": made_on, "change": change }))).await
}

/// A plate of 4 by 3 points, 3 m by 2 m, in place of whatever there is.
async fn plate(r: &Rigged) -> Result<()> {
    let (status, body) = r.call("PUT", AT, Some(json!({ "called": null }))).await?;
    assert_eq!(status, 422, "{body}");
    let sheet = json!({ "kind": "stiffened panel", "serial": "RP-2", "unit": "m" });
    assert_eq!(r.call("PUT", AT, Some(sheet)).await?.0, 200);
    let plate = json!({ "body": "plate", "length_m": 3.0, "width_m": 2.0, "along": 4, "across": 3 });
    let (status, body) = changed(r, json!({ "change": "body", "body": plate })).await?;
    anyhow::ensure!(status == 200, "{body}");
    Ok(())
}

#[tokio::test]
async fn a_geometry_is_made_changed_and_comes_back_from_files() -> Result<()> {
    let r = Rigged::start().await?;
    plate(&r).await?;
    let typed = |row: u32, column: &str, text: &str| json!({ "change": "cells", "table": "points", "cells": [{ "row": row, "column": column, "text": text }] });
    let (_, body) = changed(&r, typed(0, "name", "corner")).await?;
    let g = &body["specimen"]["geometry"];
    assert_eq!((&g["lines"][0][0], &g["points"][0]["name"]), (&json!("corner"), &json!("corner")));
    for (wrong, word) in [
        (typed(0, "x", "wide"), "x of point corner"),
        (typed(40, "x", "1"), "there is no row 41"),
        (typed(1, "name", "corner"), "“corner” is the name of rows 1 and 2"),
        (json!({ "change": "body", "body": { "body": "beam", "length_m": 0.0, "points": 3 } }), "above 0"),
    ] {
        let (status, body) = changed(&r, wrong.clone()).await?;
        assert!(status == 422 && says(&body).contains(word), "{wrong}: {body}");
    }
    // Whoever changes what somebody else has changed meanwhile is told so.
    let late = json!({ "made_on": 1, "change": typed(0, "x", "1") });
    let (status, body) = r.call("POST", &format!("{AT}/change"), Some(late)).await?;
    assert!(status == 409, "{body}");

    // Both kinds of files give it back, at another place, where names are told.
    let g = r.get(AT).await?["specimen"]["geometry"].clone();
    let csv = r.bytes("/api/campaigns/1/geometry.csv").await?;
    let (status, found) = r.send_bytes(&format!("{AT}/look?name=panel.csv"), csv).await?;
    assert_eq!((status, &found["geometry"], &found["notes"]), (200, &g, &json!([])));
    let uff = r.bytes("/api/campaigns/1/geometry.uff").await?;
    let (_, found) = r.send_bytes(&format!("{AT}/look?name=panel.uff"), uff).await?;
    assert_eq!(found["geometry"]["points"][11], g["points"][11]);
    assert_eq!(found["geometry"]["points"][0]["name"], "13", "a name that is no number gets a free one");
    let (status, body) = r.send_bytes(&format!("{AT}/look?name=panel.csv"), b"a,b\n1,2\n".to_vec()).await?;
    assert!(status == 422 && says(&body).contains("no column x; allowed"), "{body}");

    // The surface lies 0.5 m above, in mm; points come down on it where they are.
    let obj = "v -1000 -1000 500\nv 9000 -1000 500\nv 9000 9000 500\nv -1000 9000 500\nf 1 2 3 4\n";
    let (status, body) = r.send_bytes(&format!("{AT}/surface?name=hull.obj&to_m=0.001"), obj.into()).await?;
    assert_eq!(status, 200, "{body}");
    assert_eq!(r.bytes(&format!("{AT}/surface")).await?.len(), 2 * 9 * 4);
    let onto = json!({ "made_on": r.get(AT).await?["version"], "rows": [1, 2] });
    let (status, body) = r.call("POST", &format!("{AT}/onto-surface"), Some(onto)).await?;
    assert_eq!(status, 200, "{body}");
    let z = |row: usize| body["specimen"]["geometry"]["points"][row]["z"].as_f64();
    let near = |z: Option<f64>| z.is_some_and(|z| (z - 0.5).abs() < 1e-6);
    assert!(near(z(1)) && near(z(2)) && z(3) == Some(0.0), "{body}");
    for (path, bytes, word) in [
        ("surface?name=hull.stl", &b"solid nothing\nendsolid\n"[..], "hull.stl"),
        ("surface?name=hull.obj&to_m=0", obj.as_bytes(), "a unit of length"),
        ("pictures?name=bow.png", b"\x89PNG\r\n\x1a\n cut off", "is no PNG or JPEG, or is cut off"),
    ] {
        let (status, body) = r.send_bytes(&format!("{AT}/{path}"), bytes.to_vec()).await?;
        assert!(status == 422 && says(&body).contains(word), "{path}: {body}");
    }
    let files = r.get(&format!("{AT}/files")).await?;
    assert_eq!((files.as_array().map(Vec::len), &files[0]["name"]), (Some(1), &json!("hull.obj")));
    let log = r.get("/api/campaigns/1/changes").await?.to_string();
    assert!(log.contains("hull.obj") && log.contains("stiffened panel"), "{log}");
    Ok(())
}

#[tokio::test]
async fn the_rules_know_the_points_and_directions_of_the_specimen() -> Result<()> {
    let r = Rigged::start().await?;
    let about = async || -> Result<Vec<String>> {
        let rig = r.get("/api/campaigns/1/rig").await?;
        let names = ["point_not_there", "direction_not_there", "against_axis"];
        let all = rig["cautions"].as_array().context("cautions")?.iter();
        let about = all.filter(|c| names.iter().any(|n| c["rule"] == *n)).map(|c| says(c).to_string());
        Ok(about.collect())
    };
    assert!(about().await?.is_empty(), "the demo's sensors sit on its specimen");
    let row = async |input: u16, change: Value| -> Result<()> {
        let (status, body) = r.call("PATCH", &format!("/api/campaigns/1/rig/{input}"), Some(change)).await?;
        anyhow::ensure!(status == 200, "{body}");
        Ok(())
    };
    row(7, json!({ "point": "Gearbox  Top" })).await?;
    row(8, json!({ "direction": "radial" })).await?;
    row(9, json!({ "direction": "-axial" })).await?;
    assert_eq!(
        about().await?,
        [
            "Input 7 is at Gearbox  Top, which the geometry does not have",
            "Input 8 measures radial, which is no direction of the specimen",
            "Input 9 looks against axial of gearbox top",
        ]
    );
    let sensors = r.get(&format!("{AT}/sensors")).await?;
    let way = |input: u16| {
        let all = sensors.as_array().into_iter().flatten();
        all.into_iter().find(|s| s["input"] == input).map(|s| s["way"].clone())
    };
    assert_eq!((way(7), way(8)), (None, Some(Value::Null)));
    assert_eq!(way(9), Some(json!([-1.0, -0.0, -0.0])));
    // The proximity probes have directions of their own at the shaft.
    let x = way(23).context("probe x")?;
    let y: Vec<f64> = x.as_array().context("a way")?.iter().filter_map(Value::as_f64).collect();
    assert!((y[1] - 1.0).abs() < 1e-9, "{x}");
    // The fix of the first one puts its name right.
    let rig = r.get("/api/campaigns/1/rig").await?;
    let caution = rig["cautions"].as_array().and_then(|c| c.iter().find(|c| c["rule"] == "point_not_there"));
    assert_eq!(caution.context("the caution")?["fix"][0]["text"], "gearbox top");
    Ok(())
}

#[tokio::test]
async fn a_specimen_is_drawn_picked_on_and_found_from_its_channels() -> Result<()> {
    let r = Rigged::start().await?;
    let (_, id) = r
        .call(
            "POST",
            "/api/campaigns",
            Some(json!({ "specimen": "loading ramp", "purpose": "", "with": { "from": "empty" } })),
        )
        .await?;
    r.call("POST", &format!("/api/campaigns/{id}/choose"), None).await?;
    let specimen = format!("/api/campaigns/{id}/specimen");
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/{id}/rig/specimen", r.url)).await?;
    b.text_until("main", |t| t.contains("No point yet")).await?;
    b.word("Kind of specimen", "stiffened panel").await?;
    // A plate of five by three: its middle is point 8.
    b.press("Add a body").await?;
    b.word("Length", "5200 mm").await?;
    b.word("Width", "3.4").await?;
    b.refused("input[aria-label='Points across']", "1", "2 to 5000").await?;
    b.word("Points across", "3").await?;
    b.press_path("//button[normalize-space(.)='Add']").await?;
    let body = r.got(&specimen, |s| s["specimen"]["geometry"]["points"][14]["x"] == 5.2).await?;
    assert_eq!(body["specimen"]["kind"], "stiffened panel");
    b.press("Close").await?;
    b.find("canvas[data-drawn='15 points']").await?;

    // In the table: typed, refused, counted on, taken back.
    let grid = "[role=grid][aria-label='Points of the specimen']";
    b.press_found("[data-cell='15-x']").await?;
    b.keys("wide\u{e007}").await?;
    b.text_until("[role=alert]", |t| t.contains("x of point 15") && t.contains("wide")).await?;
    b.keys(&format!("{}", char::from(Key::Escape))).await?;
    b.press_found("[data-cell='15-z']").await?;
    b.keys("250 mm\u{e007}").await?;
    b.text_until("[data-cell='15-z']", |t| t == "0.25").await?;
    b.press_found("[data-cell='16-name']").await?;
    b.keys("hinge\u{e007}").await?;
    r.got(&specimen, |s| s["specimen"]["geometry"]["points"][15]["name"] == "hinge").await?;
    b.send(grid, &held(Key::Control, "z")).await?;
    r.got(&specimen, |s| s["specimen"]["geometry"]["points"].as_array().map(Vec::len) == Some(15)).await?;
    b.find("canvas[data-drawn='15 points']").await?;

    // The middle of the drawing is the middle of the plate; from above nothing lies over it.
    b.press("from above").await?;
    let middle = b
        .page
        .execute(
            "const c = document.querySelector('[role=application]').getBoundingClientRect();
             return [c.left + c.width / 2, c.top + c.height / 2]",
            vec![],
        )
        .await?;
    let at = |i: usize| middle[i].as_f64().unwrap_or_default();
    b.click_at(at(0), at(1)).await?;
    b.text_until("section[aria-label='Tables of the geometry']", |t| t.contains("No channel measures here"))
        .await
        .context("a point is picked in the drawing")?;
    b.script_until(
        "return document.querySelector('[role=row][aria-selected=true] [data-cell$=name]')?.textContent ?? ''",
        |t| t == "8",
    )
    .await?;

    // A channel is put there: the rig offers the point and its directions, and leads back.
    let on = json!({ "on": true, "name": "panel, middle" });
    assert_eq!(r.call("PATCH", &format!("/api/campaigns/{id}/rig/3"), Some(on)).await?.0, 200);
    b.page.goto(&format!("{}/c/{id}/rig?input=3", r.url)).await?;
    b.press_found("[data-cell='3-point']").await?;
    b.keys("8").await?;
    b.script_until(
        "return [...document.querySelectorAll('#options-Point-of-input-3 option')].map((o) => o.value).join(' ')",
        |t| t == "8",
    )
    .await?;
    b.keys("\u{e007}").await?;
    b.press_found("[data-cell='3-direction']").await?;
    b.keys("-").await?;
    b.script_until(
        "return [...document.querySelectorAll('#options-Direction-of-input-3 option')].map((o) => o.value).join(' ')",
        |t| t == "-x -y -z",
    )
    .await?;
    b.keys("z\u{e007}").await?;
    b.text_until("[aria-label=Cautions]", |t| t.contains("Input 3 looks against z of 8")).await?;
    b.press_found("[data-cell='3-name']").await?;
    b.press_path("//a[normalize-space(.)='show 8']").await?;
    b.text_until("section[aria-label='Tables of the geometry']", |t| t.contains("panel, middle (-z)"))
        .await
        .context("a channel leads to its point")?;
    // On the shelf the campaign shows its specimen.
    b.page.goto(&format!("{}/campaigns", r.url)).await?;
    b.find("svg[aria-label='Drawing of loading ramp']").await?;
    Ok(())
}
