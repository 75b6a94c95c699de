//! A report that was handed over is held against what is here: over the API, on the page and by command.

use crate::handover::{over, taken_in};
use anyhow::{Context, Result};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, program, says};
use serde_json::{Value, json};
use std::process::{Command, Output};

/// A report with a table and two figures of the newest run.
async fn report(r: &Rigged) -> Result<Vec<u8>> {
    let blocks = json!([
        { "id": 1, "show": { "what": "head" } },
        { "id": 2, "title": "Levels", "show": { "what": "table", "recipe": { "lens": "statistics", "channels": [7, 8] } } },
        { "id": 3, "title": "Top", "show": { "what": "figure", "recipe": { "lens": "spectrum", "channels": [7] } } },
        { "id": 4, "title": "Side", "show": { "what": "figure", "recipe": { "lens": "waveform", "channels": [8] } } },
        { "id": 5, "title": "How", "show": { "what": "made" } },
    ]);
    let (status, answer) =
        r.call("PUT", "/api/campaigns/1/report", Some(json!({ "title": "Check", "blocks": blocks }))).await?;
    anyhow::ensure!(status == 200, "{answer}");
    r.bytes("/api/campaigns/1/report.pdf").await
}

async fn verified(r: &Rigged, pdf: &[u8]) -> Result<Value> {
    let (status, told) = r.send_bytes("/api/report/verify", pdf.to_vec()).await?;
    anyhow::ensure!(status == 200, "{told}");
    Ok(told)
}

fn holds(told: &Value) -> Vec<&str> {
    told["results"].as_array().into_iter().flatten().filter_map(|r| r["holds"].as_str()).collect()
}

fn by_command(r: &Rigged, pdf: &[u8]) -> Result<Output> {
    let file = tempfile::NamedTempFile::new()?;
    std::fs::write(file.path(), pdf)?;
    Ok(Command::new(program("fleet-echo")).arg("verify").arg(file.path()).env("FLEET_ECHO_SERVER", &r.url).output()?)
}

fn sql(r: &Rigged, text: &str) -> Result<()> {
    let words = ["--no-psqlrc", "-v", "ON_ERROR_STOP=1", "-qtAc", text, &r.database.url];
    let out = Command::new("psql").args(words).output()?;
    anyhow::ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    Ok(())
}

#[tokio::test]
async fn every_number_of_a_report_is_made_again_and_what_was_changed_is_told() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.newest_run().await?["id"].as_i64().context("a run")?;
    let pdf = report(&r).await?;
    let told = verified(&r, &pdf).await?;
    assert_eq!((&told["holds"], &told["seal"]), (&json!(true), &json!("whole")), "{told}");
    assert_eq!(holds(&told), ["same"; 3]);
    assert_eq!(told["key"], r.get("/api/report/seal-key").await?["key"], "the laboratory's own");
    let said = by_command(&r, &pdf)?;
    let words = String::from_utf8_lossy(&said.stdout).to_string();
    assert!(said.status.success() && words.contains("Levels, run 1: the same to the last bit"), "{words}");

    // A byte of the file.
    let mut other = pdf.clone();
    let middle = other.len() / 2;
    other[middle] ^= 1;
    if let Ok(told) = verified(&r, &other).await {
        assert_eq!((&told["holds"], &told["seal"]), (&json!(false), &json!("broken")), "{told}");
    }
    // Printed anew it carries nothing, and what is no PDF is told as such.
    let (status, answer) = r.send_bytes("/api/report/verify", b"no report at all".to_vec()).await?;
    assert!(status == 422 && says(&answer).contains("no PDF"), "{status} {answer}");

    // A sensitivity that is put right: what hangs on it differs, and why; the rest holds.
    let right = json!({ "sensitivity": "10.4 mV/(m/s²)", "reason": "the certificate says so" });
    let (status, answer) = r.call("POST", &format!("/api/runs/{run}/channels/7/sensitivity"), Some(right)).await?;
    assert_eq!(status, 204, "{answer}");
    let told = verified(&r, &pdf).await?;
    assert_eq!(holds(&told), ["differs", "differs", "same"], "{told}");
    let levels = told["results"][0]["says"].to_string();
    assert!(
        levels.contains("the sensitivity of channel 7 of run 1 was put right since: 10.4 mV/(m/s²) instead of"),
        "{levels}"
    );
    assert!(levels.contains("rms of channel 7: "), "{levels}");
    let said = by_command(&r, &pdf)?;
    assert_eq!(said.status.code(), Some(2), "a script notices");
    assert!(String::from_utf8_lossy(&said.stdout).contains("Top, run 1: DIFFERS"));

    // A byte of a stored chunk, which the database itself cannot notice.
    sql(
        &r,
        &format!(
            "UPDATE chunk SET counts = set_byte(counts, octet_length(counts) / 2, get_byte(counts, octet_length(counts) / 2) # 1)
             WHERE run_id = {run} AND channel = 8 AND first_sample = 0"
        ),
    )?;
    let told = verified(&r, &pdf).await?;
    let side = &told["results"][2];
    assert!(side["says"][0].as_str().is_some_and(|s| s.contains("the samples of channel 8 of run 1 ")), "{told}");
    assert_eq!(told["holds"], false);

    // On the page, with the reason at the result.
    let file = tempfile::Builder::new().suffix(".pdf").tempfile()?;
    std::fs::write(file.path(), &pdf)?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/report", r.url)).await?;
    b.press("Check a PDF").await?;
    b.send("input[aria-label='PDF to check']", file.path().to_str().context("a path")?).await?;
    let all =
        b.text_until("section[aria-label='What became of it']", |t| t.contains("of 3 results do not hold")).await?;
    assert!(all.contains("seal of this laboratory is whole") && all.contains("was put right since"), "{all}");
    // Another file takes its place.
    std::fs::write(file.path(), b"no report at all")?;
    b.send("input[aria-label='PDF to check']", file.path().to_str().context("a path")?).await?;
    b.text_until("[role=alert]", |t| t.contains("no PDF")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_report_holds_where_its_campaign_was_taken_in() -> Result<()> {
    let r = Rigged::start().await?;
    let pdf = report(&r).await?;
    let (_, job) = r.call("POST", "/api/campaigns/1/jobs/hand-over", None).await?;
    assert_eq!(over(&r, &job["id"]).await?["state"], "done");
    let file = r.bytes(&format!("/api/jobs/{}/file", job["id"])).await?;
    // Another laboratory: its database knows nothing of this one's key.
    let there = Rigged::start().await?;
    assert_eq!(there.call("DELETE", "/api/campaigns/1", None).await?.0, 204);
    let (status, answer) = there.send_bytes("/api/report/verify", pdf.clone()).await?;
    assert!(status == 409 && says(&answer).contains("take its campaign file in"), "{status} {answer}");
    // By command, the file beside it is enough, and nothing of it stays.
    let folder = tempfile::tempdir()?;
    let (paper, campaign) = (folder.path().join("a.pdf"), folder.path().join("a.echo.zip"));
    std::fs::write(&paper, &pdf)?;
    std::fs::write(&campaign, &file)?;
    let names = async || anyhow::Ok(there.get("/api/campaigns").await?.as_array().map_or(0, Vec::len));
    let before = names().await?;
    let verify = |file: &std::path::Path| {
        let mut command = Command::new(program("fleet-echo"));
        command.arg("verify").arg(&paper).arg("--campaign-file").arg(file).env("FLEET_ECHO_SERVER", &there.url);
        command.output()
    };
    let out = verify(&campaign)?;
    let told = String::from_utf8_lossy(&out.stdout).into_owned();
    assert!(out.status.success() && told.contains("the same to the last bit"), "{told} {out:?}");
    // A campaign file that is none says so.
    let out = verify(&paper)?;
    assert_eq!(out.status.code(), Some(2), "{out:?}");
    assert_eq!(names().await?, before);
    assert_eq!(taken_in(&there, &file).await?["state"], "done");
    let told = verified(&there, &pdf).await?;
    assert_eq!((&told["holds"], &told["seal"]), (&json!(true), &json!("others")), "{told}");
    assert_eq!(holds(&told), ["same"; 3]);
    assert_ne!(told["key"], there.get("/api/report/seal-key").await?["key"]);
    Ok(())
}
