//! A report put together block by block, in the page and over the API.

use crate::brought_results::of_another_test;
use crate::handover::brought_in;
use anyhow::{Context, Result};
use echo_browser_tests::browser::{Browser, plain};
use echo_browser_tests::{Rigged, program, says};
use fantoccini::key::Key;
use serde_json::{Value, json};

fn shown(report: &Value) -> Vec<String> {
    let what = |b: &Value| b["show"]["what"].as_str().unwrap_or_default().to_string();
    report["blocks"].as_array().map(|all| all.iter().map(what).collect()).unwrap_or_default()
}

/// The text of the PDF, as another program reads it.
async fn read_back(r: &Rigged) -> Result<String> {
    let file = tempfile::NamedTempFile::new()?;
    std::fs::write(file.path(), r.bytes("/api/campaigns/1/report.pdf").await?)?;
    let out = std::process::Command::new("pdftotext").arg("-layout").arg(file.path()).arg("-").output()?;
    Ok(String::from_utf8_lossy(&out.stdout).replace('\u{a0}', " "))
}

#[tokio::test]
async fn blocks_are_added_moved_copied_removed_and_brought_back() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report", r.url)).await?;
    b.find("img[alt='Page 1 of the report']").await?;
    let before = shown(&r.get("/api/campaigns/1/report").await?);
    let at = before.iter().position(|w| w == "text").context("a text")?;

    // After the chosen one, which is the text until another is.
    b.press("Add a block").await?;
    b.press("Signatures").await?;
    let now = r.got("/api/campaigns/1/report", |v| shown(v).len() == before.len() + 1).await.context("added")?;
    assert_eq!(shown(&now)[at + 1], "signature");
    b.type_over("input[aria-label='Who signs']", &format!("Ines, For the owner{}", char::from(Key::Enter))).await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][at + 1]["show"]["names"] == json!(["Ines", "For the owner"]))
        .await?;

    // By the keys of the list: up beyond the text, and away.
    let list = "section[aria-label=Blocks] button[aria-current]";
    b.send(list, &format!("{}{}", char::from(Key::Alt), char::from(Key::Up))).await?;
    r.got("/api/campaigns/1/report", |v| shown(v)[at] == "signature").await.context("moved")?;
    b.press("Copy").await?;
    r.got("/api/campaigns/1/report", |v| shown(v)[at..at + 2] == ["signature", "signature"]).await.context("copied")?;
    b.send(list, &char::from(Key::Delete).to_string()).await?;
    let now =
        r.got("/api/campaigns/1/report", |v| shown(v).len() == before.len() + 1).await.context("the copy removed")?;
    assert_eq!(shown(&now)[at], "signature", "the copy went");
    // What came after it is chosen now, which is the text; the other one is above.
    b.send(list, &format!("{}{}", char::from(Key::Up), char::from(Key::Delete))).await?;
    r.got("/api/campaigns/1/report", |v| shown(v) == before).await.context("the other one removed")?;
    b.press_path("(//button[starts-with(normalize-space(.), 'Undo')])[last()]").await?;
    r.got("/api/campaigns/1/report", |v| shown(v).len() == before.len() + 1).await.context("brought back")?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_figure_follows_its_words_and_what_cannot_be_made_says_why_in_its_place() -> Result<()> {
    let r = Rigged::start().await?;
    let blocks = json!([
        { "id": 1, "show": { "what": "head" } },
        { "id": 2, "title": "Levels", "show": { "what": "table", "recipe": { "lens": "statistics", "channels": [7, 8] } } },
        { "id": 3, "title": "Top", "show": { "what": "figure", "recipe": { "lens": "spectrum", "channels": [7] },
            "caption": "{channels}; {averages} averages of {run}, {{kept}}" } },
        { "id": 4, "title": "Gone", "show": { "what": "rig", "run_id": 999 } },
        { "id": 5, "title": "Slip", "show": { "what": "text", "text": "in {rum} 😀" } },
        { "id": 6, "title": "Far", "show": { "what": "figure", "recipe": { "lens": "spectrum", "channels": [99] } } },
    ]);
    let report = json!({ "title": "Try", "language": "german", "blocks": blocks });
    assert_eq!(r.call("PUT", "/api/campaigns/1/report", Some(report)).await?.0, 200);
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report", r.url)).await?;
    b.find("img[alt='Page 1 of the report']").await?;
    // Three of six are told in the list, the rest is made.
    let list = "section[aria-label=Blocks]";
    b.text_until(list, |t| t.matches('▲').count() == 3 && t.contains("“{rum}” is not known; allowed: {campaign}"))
        .await?;
    let text = read_back(&r).await?;
    for part in [
        "Tabelle 1",
        "gearbox top, vert",
        "Bild 1",
        "Mittelungen",
        "Messung 1",
        "{kept}",
        "the run of this block was deleted",
    ] {
        let made = part != "Mittelungen";
        assert!(text.contains(part) == made, "“{part}”, {made}:\n{text}");
    }
    assert!(text.contains("Messung 1, {kept}"), "{text}");

    // The slip is put right where it stands; the figure is drawn over another range and in another language.
    b.press_path("//section[@aria-label='Blocks']//button[contains(., 'Slip')]").await?;
    b.value_until("textarea", |v| v.contains("{rum}")).await?;
    b.type_over("textarea", "in {run}").await?;
    b.press_path("//section[@aria-label='Blocks']//button[contains(., 'Top')]").await?;
    b.text_until(list, |t| t.matches('▲').count() == 2).await?;
    b.type_over("input[aria-label='Range of the figure']", &format!("100 to 900{}", char::from(Key::Enter))).await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][2]["show"]["shown"] == json!([100.0, 900.0])).await?;
    b.choose("Height of the figure", "half a page high").await?;
    b.choose("Language", "English").await?;
    b.choose("Window", "flat-top").await?;
    let now = r.got("/api/campaigns/1/report", |v| v["blocks"][2]["show"]["recipe"]["window"] == "flat_top").await?;
    assert_eq!((&now["language"], &now["blocks"][2]["show"]["height"]), (&json!("english"), &json!("half")));
    assert_eq!(now["blocks"][2]["show"]["recipe"]["channels"], json!([7]));
    assert!(read_back(&r).await?.contains("in run 1"));
    // A range that is none is refused where it was typed.
    b.type_over("input[aria-label='Range of the figure']", &format!("900 to 100{}", char::from(Key::Enter))).await?;
    b.text_until("[role=alert]", |t| plain(t).contains("thelowerfirst") || plain(t).contains("lower")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn what_is_kept_stands_in_the_report_as_figures_and_tables() -> Result<()> {
    let r = Rigged::start().await?;
    let made = brought_in(&r, "plate.uff", &of_another_test(), json!({})).await?;
    assert_eq!(made["state"], "done", "{made}");
    let kept = r.get("/api/campaigns/1/kept-results").await?;
    let of = |name: &str| kept.as_array().into_iter().flatten().find(|k| k["name"] == name).map(|k| k["id"].clone());
    let (shapes, response) = (of("shapes of plate").context("shapes")?, of("response of plate").context("a response")?);
    let before = r.get("/api/campaigns/1/report").await?["blocks"].as_array().map_or(0, Vec::len);

    // From the list of what is kept, as a block of its own.
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1/results", r.url)).await?;
    b.press_path(
        "//table[@aria-label='Kept results']//tr[contains(., 'response of plate')]//button[.='Use in report']",
    )
    .await?;
    let now =
        r.got("/api/campaigns/1/report", |v| v["blocks"].as_array().is_some_and(|b| b.len() == before + 1)).await?;
    let block = now["blocks"].as_array().into_iter().flatten().find(|b| b["title"] == "response of plate");
    assert_eq!(block.context("the block")?["show"]["kept"], response);
    b.find("img[alt='Page 1 of the report']").await?;
    b.text_until("section[aria-label=Blocks]", |t| t.contains("“response of plate”")).await?;
    let text = read_back(&r).await?;
    let how = text.split("response of plate: “response of plate”").nth(1).context("how it was made")?;
    let how: Vec<&str> = how.lines().skip(1).take(2).collect();
    assert!(how[0].contains("plate.uff") && !how[0].contains("waveform"), "by a file, and no recipe of ours: {how:?}");

    // Another one is chosen in its sentence, and what of it is drawn; without a geometry that says why not.
    b.choose("Source of the block", "“shapes of plate”").await?;
    r.got("/api/campaigns/1/report", |v| v.to_string().contains(&format!("\"kept\":{shapes}"))).await?;
    b.choose("Part of the result", "how alike the shapes are").await?;
    b.text_until("section[aria-label=Blocks]", |t| t.contains("no two modes to hold against each other")).await?;
    let mut specimen = r.get("/api/campaigns/1/specimen").await?;
    specimen["specimen"]["geometry"] = json!({ "points": [
        { "name": "1", "x": 0.0, "y": 0.0, "z": 0.0 }, { "name": "2", "x": 1.0, "y": 0.0, "z": 0.2 }], "lines": [["1", "2"]] });
    let path = format!("/api/campaigns/1/specimen?made_on={}", specimen["version"]);
    let (status, answer) = r.call("PUT", &path, Some(specimen["specimen"].clone())).await?;
    assert_eq!(status, 200, "{answer}");
    b.choose("Part of the result", "shapes on the specimen").await?;
    b.text_until("section[aria-label=Blocks]", |t| !t.contains('▲')).await?;
    let text = read_back(&r).await?;
    assert!(text.contains("48.25") && text.contains("1.20"), "frequency and damping stand under the shape:\n{text}");

    // What is deleted says so in its place; the rest is made.
    assert_eq!(r.call("DELETE", &format!("/api/kept-results/{shapes}"), None).await?.0, 204);
    let pages = r.get("/api/campaigns/1/report/pages").await?;
    assert!(pages["refused"][0]["says"].as_str().is_some_and(|s| s.contains("was deleted")), "{}", pages["refused"]);
    // A lens takes its place again.
    b.page.refresh().await?;
    b.choose("Source of the block", "a lens on a run").await?;
    let now = r.got("/api/campaigns/1/report", |v| !v.to_string().contains("\"kept\"")).await?;
    assert!(now.to_string().contains("\"lens\":\"spectrum\""), "{now}");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_template_becomes_a_report_with_a_verdict_by_page_and_by_command() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report", r.url)).await?;
    b.press("Templates").await?;
    b.press_found("button[aria-label='Use Machine acceptance']").await?;
    let now = r.got("/api/campaigns/1/report", |v| shown(v).contains(&"limits".to_string())).await?;
    assert_eq!(now["title"], "Port thruster after overhaul", "its title stays");
    b.text_until("section[aria-label=Blocks]", |t| t.contains("Vibration severity")).await?;
    let text = read_back(&r).await?;
    assert!(text.contains("Within limits: ") && text.contains("of 22."), "what can be shown in mm/s alone:\n{text}");
    assert!(text.contains("gearbox top, vert") && text.contains("Verdict"), "{text}");

    // One channel is allowed less, and its sensor's certificate says how sure the value is.
    b.press_path("//section[@aria-label='Blocks']//button[contains(., 'Vibration severity')]").await?;
    b.press("Add a limit").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][2]["show"]["limits"].as_array().map(Vec::len) == Some(2)).await?;
    b.type_over("input[aria-label='Limit 2']", &format!("0.0001{}", char::from(Key::Enter))).await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][2]["show"]["limits"][1]["at_most"] == 0.0001).await?;
    let mut report = r.get("/api/campaigns/1/report").await?;
    report["blocks"][2]["show"]["limits"][1]["channels"] = json!([7]);
    assert_eq!(r.call("PUT", "/api/campaigns/1/report", Some(report)).await?.0, 200);
    let rig = r.get("/api/campaigns/1/rig").await?.to_string();
    let sensors = r.get("/api/sensors").await?;
    for s in sensors.as_array().into_iter().flatten() {
        let label = format!("{}, {}", s["model"].as_str().unwrap_or(""), s["serial"].as_str().unwrap_or(""));
        if rig.contains(&label) {
            let mut sensor = s.clone();
            let keys = ["id", "label", "changed_at"];
            keys.iter().for_each(|k| drop(sensor.as_object_mut().map(|s| s.remove(*k))));
            sensor["uncertainty_percent"] = json!(2.0);
            let (status, answer) = r.call("PUT", "/api/sensors", Some(sensor)).await?;
            assert_eq!(status, 200, "{answer}");
        }
    }
    let text = read_back(&r).await?;
    let own = text.lines().find(|l| l.contains("EXCEEDED") && l.contains("gearbox top, vert")).context("a verdict")?;
    assert!(own.contains('±') && own.contains("0.0001"), "{own}");

    // Kept under a name of the house, it is there for every campaign; as a command it makes the same report.
    b.text_until("button[aria-label^='Channels of limit 2']", |t| t.contains("gearbox top, vert")).await?;
    b.press("Templates").await?;
    b.send("input[aria-label='Name of the template']", &format!("Yard{}", char::from(Key::Enter))).await?;
    b.text_until("table[aria-label=Templates]", |t| t.contains("Yard") && t.contains("kept")).await?;
    b.page.clone().close().await?;
    let out = tempfile::Builder::new().suffix(".pdf").tempfile()?;
    let echo = std::process::Command::new(program("fleet-echo"))
        .args(["report", "1", "--template", "yard", "--out"])
        .arg(out.path())
        .env("FLEET_ECHO_SERVER", &r.url)
        .output()?;
    assert!(echo.status.success(), "{}", String::from_utf8_lossy(&echo.stderr));
    let told = std::process::Command::new("pdftotext").arg("-layout").arg(out.path()).arg("-").output()?;
    assert_eq!(String::from_utf8_lossy(&told.stdout).replace('\u{a0}', " "), text, "by page and by command the same");

    // What is not allowed is told: its name, its form, one that is not there.
    let keep = async |name: &str, body: Value| {
        r.call("PUT", "/api/report-templates", Some(json!({ "name": name, "body": body }))).await
    };
    let body = r.get("/api/report-templates").await?[0]["body"].clone();
    let (status, answer) = keep("machine ACCEPTANCE", body).await?;
    assert!(status == 422 && says(&answer).contains("comes along"), "{answer}");
    let (status, answer) =
        keep("odd", json!({ "title": "x", "blocks": [{ "id": 1, "show": { "what": "moon" } }] })).await?;
    assert!(status == 422 && says(&answer).contains("no report"), "{answer}");
    let wish = json!({ "template": "moon" });
    let (status, answer) = r.call("POST", "/api/campaigns/1/report/from-template", Some(wish)).await?;
    assert!(status == 409 && says(&answer).contains("there are Machine acceptance"), "{answer}");
    Ok(())
}
