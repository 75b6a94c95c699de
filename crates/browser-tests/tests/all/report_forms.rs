//! A report repeated over runs and channels, and saved in other forms than PDF.

use anyhow::{Context, Result};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, program, says};
use serde_json::{Value, json};
use std::process::Command;

/// Two short runs, and a report that shows both.
async fn of_two_runs(r: &Rigged) -> Result<()> {
    r.order("record").await?;
    r.recorded(1.0).await?;
    r.order("stop").await?;
    r.idle().await?;
    let statistics = json!({ "lens": "statistics", "channels": [7, 8] });
    let blocks = json!([
        { "id": 1, "show": { "what": "head" } },
        { "id": 2, "title": "Levels", "each": "run", "show": { "what": "table", "recipe": statistics, "caption": "In {run}." } },
        { "id": 3, "title": "Spectra", "each": "channel", "show": { "what": "figure", "beside": 2,
            "recipe": { "lens": "spectrum", "channels": [7, 8] } } },
        { "id": 4, "title": "Far", "each": "run", "show": { "what": "figure", "recipe": { "lens": "waveform", "channels": [99] } } },
    ]);
    let (status, answer) =
        r.call("PUT", "/api/campaigns/1/report", Some(json!({ "title": "Both", "blocks": blocks }))).await?;
    anyhow::ensure!(status == 200, "{answer}");
    Ok(())
}

#[tokio::test]
async fn a_block_stands_there_once_for_each_run_and_each_channel() -> Result<()> {
    let r = Rigged::start().await?;
    of_two_runs(&r).await?;
    let page = String::from_utf8(r.bytes("/api/campaigns/1/report-as/html").await?)?;
    for part in ["In run 1.", "In run 2.", "Table 2. ", "Figure 2. gearbox top, athw", "repeat(2,1fr)"] {
        assert!(page.contains(part), "the page lacks “{part}”");
    }
    assert!(!page.contains("Figure 3. ") && !page.contains("Table 3. "), "one of each and no more");
    // What cannot be made is told for each run, and the rest is there.
    let pages = r.get("/api/campaigns/1/report/pages").await?;
    let refused: Vec<&str> = pages["refused"].as_array().context("a list")?.iter().map(says).collect();
    assert_eq!(refused.len(), 2, "{refused:?}");
    assert!(refused[0].starts_with("run 1: ") && refused[1].starts_with("run 2: "), "{refused:?}");

    // On the page it is one word of the block's sentence.
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report?block=3", r.url)).await?;
    b.find("img[alt='Page 1 of the report']").await?;
    b.choose("Repeated over", "once for each run").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][2]["each"] == "run").await?;
    b.text_until("section[aria-label=Blocks]", |t| t.contains("each run")).await?;
    b.choose("Figures beside each other", "one beside each other").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][2]["show"]["beside"] == 1).await?;
    b.choose("Repeated over", "once").await?;
    r.got("/api/campaigns/1/report", |v| v["blocks"][2]["each"] == Value::Null).await?;
    // The other forms are beside the PDF.
    b.press("Save as").await?;
    b.find("a[href='/api/campaigns/1/report-as/xlsx']").await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_block_stands_there_once_for_each_take() -> Result<()> {
    let r = Rigged::start().await?;
    let figure = |recipe: Value| json!({ "what": "figure", "beside": 2, "recipe": recipe });
    let blocks = json!([
        { "id": 1, "show": { "what": "head" } },
        { "id": 2, "title": "Takes", "each": "take", "show": figure(json!({ "lens": "waveform", "channels": [7] })) },
        { "id": 3, "title": "List", "show": { "what": "records", "of": "takes" } },
    ]);
    let report = json!({ "title": "By takes", "blocks": blocks });
    assert_eq!(r.call("PUT", "/api/campaigns/1/report", Some(report)).await?.0, 200);
    let pages = r.get("/api/campaigns/1/report/pages").await?;
    assert!(says(&pages["refused"][0]).contains("has no takes; show it once"), "{}", pages["refused"]);
    // Two segments of a second each are takes.
    let recorders = json!([{ "name": "A", "inputs": [], "divide": 1, "keeps": "everything", "segment_s": 1.0 }]);
    let (status, body) = r.plan_with(1, json!({ "recorders": recorders })).await?;
    anyhow::ensure!(status == 200, "{body}");
    r.order("record").await?;
    r.recorded(2.2).await?;
    r.order("stop").await?;
    r.idle().await?;
    let page = String::from_utf8(r.bytes("/api/campaigns/1/report-as/html").await?)?;
    for part in ["run 2, take 1", "run 2, take 2", "Figure 2. ", "Table 1. "] {
        assert!(page.contains(part), "the page lacks “{part}”");
    }
    Ok(())
}

#[tokio::test]
async fn other_forms_are_made_by_page_and_by_command_and_what_is_none_is_told() -> Result<()> {
    let r = Rigged::start().await?;
    of_two_runs(&r).await?;
    let folder = tempfile::tempdir()?;
    let by_command = |name: &str| -> Result<Vec<u8>> {
        let out = folder.path().join(name);
        let echo = Command::new(program("fleet-echo"))
            .args(["report", "1", "--out"])
            .arg(&out)
            .env("FLEET_ECHO_SERVER", &r.url)
            .output()?;
        anyhow::ensure!(echo.status.success(), "{name}: {}", String::from_utf8_lossy(&echo.stderr));
        Ok(std::fs::read(&out)?)
    };
    let page = r.bytes("/api/campaigns/1/report-as/html").await?;
    assert_eq!(by_command("both.html")?, page, "the same bytes by page and by command");
    let sheet = echo_formats::sheet::read(&by_command("both.xlsx")?)?;
    let rms = sheet[0].iter().position(|h| h.starts_with("rms")).context("a column")?;
    assert_eq!(sheet.len(), 3, "heads and two channels: {sheet:?}");
    assert!(sheet[1][0].starts_with("gearbox top") && sheet[1][rms].parse::<f64>()? > 0.0, "{sheet:?}");
    let figures = by_command("both.zip")?;
    assert_eq!(figures, r.bytes("/api/campaigns/1/report-as/figures").await?);
    let names = String::from_utf8_lossy(&figures).matches("Spectra 2.png").count();
    assert!(figures.starts_with(b"PK") && names > 0);

    let (status, answer) = r.call("GET", "/api/campaigns/1/report-as/odt", None).await?;
    assert!(status == 400 || status == 422, "{status} {answer}");
    let only = json!({ "title": "Words", "blocks": [{ "id": 1, "show": { "what": "head" } }] });
    assert_eq!(r.call("PUT", "/api/campaigns/1/report", Some(only)).await?.0, 200);
    let (status, answer) = r.call("GET", "/api/campaigns/1/report-as/figures", None).await?;
    assert!(status == 409 && says(&answer).contains("shows no figure"), "{status} {answer}");
    Ok(())
}

#[tokio::test]
async fn a_report_of_each_template_is_the_same_by_page_and_by_command() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    let folder = tempfile::tempdir()?;
    let text = |pdf: &std::path::Path| -> Result<String> {
        let out = Command::new("pdftotext").args(["-layout"]).arg(pdf).arg("-").output()?;
        anyhow::ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
        Ok(String::from_utf8(out.stdout)?)
    };
    let templates = r.get("/api/report-templates").await?;
    let templates = templates.as_array().context("a list")?;
    assert_eq!(templates.len(), 3);
    for (k, t) in templates.iter().enumerate() {
        let name = t["name"].as_str().context("a name")?;
        b.page.goto(&format!("{}/report", r.url)).await?;
        b.press("Templates").await?;
        b.press_found(&format!("button[aria-label='Use {name}']")).await?;
        let blocks = t["body"]["blocks"].as_array().map(Vec::len);
        r.got("/api/campaigns/1/report", |v| v["blocks"].as_array().map(Vec::len) == blocks).await?;
        let html = r.bytes("/api/campaigns/1/report-as/html").await?;
        let by_page = folder.path().join(format!("page{k}.pdf"));
        std::fs::write(&by_page, r.bytes("/api/campaigns/1/report.pdf").await?)?;
        let by_command = |ending: &str| -> Result<std::path::PathBuf> {
            let out = folder.path().join(format!("command{k}.{ending}"));
            let echo = Command::new(program("fleet-echo"))
                .args(["report", "1", "--template", name, "--out"])
                .arg(&out)
                .env("FLEET_ECHO_SERVER", &r.url)
                .output()?;
            anyhow::ensure!(echo.status.success(), "{name}: {}", String::from_utf8_lossy(&echo.stderr));
            Ok(out)
        };
        assert!(html == std::fs::read(by_command("html")?)?, "{name} as HTML");
        assert_eq!(text(&by_page)?, text(&by_command("pdf")?)?, "{name} as PDF");
    }
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn the_letterhead_stands_over_reports_and_what_is_none_is_refused() -> Result<()> {
    let r = Rigged::start().await?;
    let put = async |bytes: Vec<u8>| r.call_bytes("PUT", "/api/letterhead/logo", bytes).await;
    for (bad, word) in [
        (b"not a picture".to_vec(), "it is neither"),
        (b"<svg xmlns='http://www.w3.org/2000/svg' width='1' height='99'/>".to_vec(), "1 wide and 99 high"),
        (vec![b' '; 50 << 20], "the logo has 52.4 MB; allowed: up to 2 MB"),
    ] {
        let (status, body) = put(bad).await?;
        assert!(status == 422 && says(&body).contains(word), "{status} {body}");
    }
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report", r.url)).await?;
    b.press("letterhead").await?;
    b.type_over("textarea[aria-label='Lines of the letterhead']", "Harbour laboratory").await?;
    let svg =
        "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 40 20'><path d='M0 0H40V20z' onload='alert(1)'/></svg>";
    assert_eq!(put(svg.into()).await?.0, 204);
    // The logo came from somewhere else meanwhile; what was typed is still there.
    b.find("img[alt='Logo']").await?;
    b.value_until("textarea[aria-label='Lines of the letterhead']", |t| t == "Harbour laboratory").await?;
    b.press("Save the letterhead").await?;
    r.got("/api/letterhead", |v| v["lines"] == json!(["Harbour laboratory"]) && v["logo"].is_string()).await?;
    let page = String::from_utf8(r.bytes("/api/campaigns/1/report-as/html").await?)?;
    assert!(page.contains("Harbour laboratory") && page.contains("data:image/svg+xml;base64,"), "over the report");
    let (status, body) = r.call("PUT", "/api/letterhead", Some(json!({ "lines": vec!["x"; 7] }))).await?;
    assert!(status == 422 && says(&body).contains("7 lines; allowed: up to 6"), "{body}");
    b.page.clone().close().await?;
    Ok(())
}
