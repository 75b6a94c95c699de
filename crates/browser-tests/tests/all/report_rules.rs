//! Blocks that go by points and limits, values at places, records of the machine and the front end, units of the house.

use anyhow::{Context, Result, ensure};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, says};
use serde_json::{Value, json};

async fn write(r: &Rigged, language: &str, blocks: Value) -> Result<()> {
    let report = json!({ "title": "By rules", "language": language, "blocks": blocks });
    let (status, answer) = r.call("PUT", "/api/campaigns/1/report", Some(report)).await?;
    ensure!(status == 200, "{answer}");
    Ok(())
}

async fn html(r: &Rigged) -> Result<String> {
    Ok(String::from_utf8(r.bytes("/api/campaigns/1/report-as/html").await?)?)
}

fn limits(at_most: f64) -> Value {
    json!({ "id": 2, "title": "Limits", "show": { "what": "limits", "number": "rms",
        "recipe": { "lens": "statistics", "channels": [1, 2, 7, 8, 9] },
        "limits": [{ "channels": [7, 8], "at_most": at_most }] } })
}

fn spectra(only: &str) -> Value {
    json!({ "id": 3, "title": "Spectra", "each": "point", "only": only, "show": { "what": "figure",
        "recipe": { "lens": "spectrum", "channels": [1, 2, 7, 8, 9] } } })
}

#[tokio::test]
async fn a_block_stands_there_for_each_point_and_only_for_those_beyond_their_limit() -> Result<()> {
    let r = Rigged::start().await?;
    // Channels of a point belong together: two points, whatever their channels are called.
    write(&r, "english", json!([limits(1e-9), spectra("all")])).await?;
    let page = html(&r).await?;
    assert!(page.contains("Figure 2. gearbox top, vert; gearbox top, athw; gearbox top, axial"), "{page}");
    assert!(!page.contains("Figure 3. ") && page.contains("class='bar'"));
    write(&r, "english", json!([limits(1e-9), spectra("exceeded")])).await?;
    let page = html(&r).await?;
    assert!(page.contains("Figure 1. gearbox top") && !page.contains("Figure 2. "), "the motor has no limit: {page}");
    write(&r, "english", json!([limits(1e9), spectra("limited")])).await?;
    assert!(html(&r).await?.contains("Figure 1. gearbox top"));
    // Folded away it is on no page, and costs nothing.
    let mut aside = spectra("all");
    aside["folded"] = json!(true);
    write(&r, "english", json!([limits(1e-9), aside])).await?;
    assert!(!html(&r).await?.contains("Figure 1. "));
    write(&r, "english", json!([limits(1e9), spectra("limited")])).await?;
    // On the page it is a word beside what it is repeated over.
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report?block=3", r.url)).await?;
    b.press("Fold the block").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][1]["folded"] == true).await?;
    b.text_until("section[aria-label=Blocks]", |t| t.contains("folded away, on no page")).await?;
    b.press("Unfold the block").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][1]["folded"].is_null()).await?;
    b.choose("Which of them", "that is not within its limit").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][1]["only"] == "exceeded").await?;
    b.text_until("section[aria-label=Blocks]", |t| t.contains("each point beyond its limit")).await?;
    assert!(html(&r).await?.contains("Nothing exceeds its limit."));
    b.choose("Repeated over", "once for each run").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][1]["each"] == "run" && v["blocks"][1]["only"].is_null()).await?;
    // Without limits there is nothing to go by.
    write(&r, "english", json!([spectra("exceeded")])).await?;
    let pages = r.get("/api/campaigns/1/report/pages").await?;
    assert!(says(&pages["refused"][0]).contains("no block of this report holds channels against limits"), "{pages}");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn values_stand_at_places_and_the_house_says_in_which_unit() -> Result<()> {
    let r = Rigged::start().await?;
    let at = |at: Value| {
        json!({ "id": 2, "title": "At the lines", "show": { "what": "table", "of": "values", "at": at,
            "recipe": { "lens": "spectrum", "channels": [7], "scaling": "rms" } } })
    };
    write(&r, "english", json!([at(json!([50.0]))])).await?;
    let sheet = |bytes: Vec<u8>| echo_formats::sheet::read(&bytes);
    let rows = sheet(r.bytes("/api/campaigns/1/report-as/xlsx").await?)?;
    let value = |rows: &[Vec<String>]| rows[1][2].parse::<f64>();
    let (own, unit) = (value(&rows)?, rows[1][4].clone());
    assert!(own > 0.0 && unit == "m/s²", "{rows:?}");

    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report?block=2", r.url)).await?;
    b.refused("input[aria-label='Places along the axis']", "50, a mast", "the places along the axis").await?;
    b.word("Places along the axis", "50, 100").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][0]["show"]["at"] == json!([50.0, 100.0])).await?;
    b.press("letterhead").await?;
    b.choose("Unit of accelerations", "g").await?;
    b.press("Save the letterhead").await?;
    r.got("/api/letterhead", |v| v["units"] == json!(["g"])).await?;
    let rows = sheet(r.bytes("/api/campaigns/1/report-as/xlsx").await?)?;
    assert!((value(&rows)? * 9.80665 / own - 1.0).abs() < 1e-9 && rows[1][4] == "g", "{rows:?}");
    assert_eq!(rows.len(), 3, "both places");
    // Every number of it is made again in that unit.
    let (status, told) = r.send_bytes("/api/report/verify", r.bytes("/api/campaigns/1/report.pdf").await?).await?;
    assert_eq!((status, &told["holds"]), (200, &json!(true)), "{told}");
    for (units, word) in [(json!(["g", "m/s²"]), "both are of acceleration"), (json!(["ell"]), "unit must be")] {
        let (status, body) = r.call("PUT", "/api/letterhead", Some(json!({ "lines": [], "units": units }))).await?;
        assert!(status == 422 && says(&body).contains(word), "{body}");
    }
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn the_machine_and_the_front_end_stand_in_the_report() -> Result<()> {
    let r = Rigged::start().await?;
    let own = |id: u32, of: &str| json!({ "id": id, "title": of, "show": { "what": "records", "of": of } });
    write(&r, "german", json!([own(2, "self_test"), own(3, "elements")])).await?;
    let before = html(&r).await?;
    assert!(!before.contains("<th>Prüfung</th>"), "nothing was tested yet");
    assert!(before.contains("Zahneingriff") && before.contains("Außenring") && before.contains("Hz bei"), "{before}");
    // One input has no sensor: that stands out, here and where it was tested.
    r.by_hand(2, json!({ "do": "unplug" })).await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/rig/front-ends", r.url)).await?;
    b.press("Test all that are measured").await?;
    b.text_until("section[aria-label='Self-test']", |t| t.contains("1 not in order")).await?;
    let tested = r.get("/api/campaigns/1/self-tests").await?;
    assert!(tested[1]["input"] == 2 && tested[1]["passed"] == false, "{tested}");
    let page = html(&r).await?;
    assert!(page.contains("NICHT IN ORDNUNG: "), "{page}");
    assert_eq!(page.matches("class='loud'").count(), 1);
    // What was found stays where it was found.
    b.page.refresh().await?;
    b.text_until("section[aria-label='Self-test']", |t| t.contains("1 not in order")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_channel_that_went_over_its_range_is_told_beside_its_number() -> Result<()> {
    let r = Rigged::start().await?;
    // A range a tenth of what is there.
    ensure!(r.call("PATCH", "/api/campaigns/1/rig/7", Some(json!({ "range_v": "0.1" }))).await?.0 == 200);
    r.order("record").await?;
    r.recorded(1.5).await?;
    r.order("stop").await?;
    r.idle().await?;
    write(&r, "english", json!([limits(1e9), { "id": 4, "title": "Cautions", "show": { "what": "cautions" } }]))
        .await?;
    let page = html(&r).await?;
    assert!(page.contains("within, over range"), "{page}");
    assert!(page.contains("gearbox top, vert, run 2: over its range for"), "{page}");
    assert_eq!(page.matches("class='loud'").count(), 1, "the other channel is as it should be");
    // Of the run before, in which nothing was cut off, nothing is said.
    let first = r.get("/api/campaigns/1/runs").await?[0]["id"].clone();
    let mut report = r.get("/api/campaigns/1/report").await?;
    report["run_id"] = first;
    ensure!(r.call("PUT", "/api/campaigns/1/report", Some(report)).await?.0 == 200);
    assert!(!html(&r).await?.contains("over range"));
    Ok(())
}

#[tokio::test]
async fn classes_events_and_resonances_are_tables() -> Result<()> {
    let r = Rigged::start().await?;
    // Two segments of a second each are takes.
    let recorders = json!([{ "name": "A", "inputs": [], "divide": 1, "keeps": "everything", "segment_s": 1.0 }]);
    ensure!(r.plan_with(1, json!({ "recorders": recorders })).await?.0 == 200);
    r.order("record").await?;
    r.recorded(2.2).await?;
    r.order("stop").await?;
    r.idle().await?;
    let table = |id: u32, of: &str, recipe: Value| json!({ "id": id, "title": of, "show": { "what": "table", "of": of, "recipe": recipe, "ranges": if of == "resonances" { json!([[900, 1300]]) } else { json!([]) } } });
    let time = json!({ "lens": "distribution", "kind": "time_at_level", "channels": [7], "classes": 8 });
    let cuts = json!({ "lens": "order_track", "channels": [7], "orders": [1.0], "tacho": { "channel": 21 } });
    write(
        &r,
        "english",
        json!([
            table(2, "classes", time),
            { "id": 3, "title": "Events", "show": { "what": "records", "of": "events", "channels": [7, 8, 9] } },
            table(4, "resonances", cuts),
        ]),
    )
    .await?;
    let page = html(&r).await?;
    assert!(page.contains("gearbox top, vert: time, s") && page.contains(" – "), "{page}");
    assert!(page.contains("<th class='digits'>Resultant, m/s²</th>") && page.contains("Half sine, ms"), "{page}");
    // A speed that does not change passes no resonance; its block says so and the rest is there.
    let pages = r.get("/api/campaigns/1/report/pages").await?;
    let refused = pages["refused"].as_array().context("a list")?;
    assert!(refused.len() == 1 && refused[0]["id"] == 4 && says(&refused[0]).contains("speed"), "{pages}");
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report?block=4", r.url)).await?;
    b.refused("input[aria-label='Speeds 1']", "1300 to 900 rpm", "the speeds 1").await?;
    b.word("Speeds 1", "800 to 1200 rpm").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][2]["show"]["ranges"] == json!([[800.0, 1200.0]])).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn only_pages_that_changed_are_sent_again() -> Result<()> {
    let r = Rigged::start().await?;
    let text = |id: u32, words: &str| json!({ "id": id, "show": { "what": "text", "text": words } });
    let next = |id: u32| json!({ "id": id, "show": { "what": "next_page" } });
    write(&r, "english", json!([text(1, "first"), next(2), text(3, "second")])).await?;
    let first = r.get("/api/campaigns/1/report/pages").await?["pages"].clone();
    write(&r, "english", json!([text(1, "first"), next(2), text(3, "another")])).await?;
    let then = r.get("/api/campaigns/1/report/pages").await?["pages"].clone();
    assert_eq!((first[0] == then[0], first[1] == then[1]), (true, false), "{first} {then}");
    let page = String::from_utf8(r.bytes(then[1].as_str().context("an address")?).await?)?;
    assert!(page.starts_with("<svg"));
    let (status, body) = r.call("GET", "/api/report-pages/0123.svg", None).await?;
    assert!(status == 404 && says(&body).contains("set the report again"), "{body}");
    Ok(())
}
