//! Work that outlives a request: a worker that dies loses its part to another one, nothing that was asked for is
//! lost with the server, and files come out the same whichever way they are asked for.

use anyhow::{Context, Result, ensure};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Program, Rigged, program, start};
use serde_json::{Value, json};
use sqlx::{Connection, Executor, PgConnection};
use std::process::Command;

/// A worker of its own on the test's database, and its process.
fn worker(r: &Rigged) -> Result<(Program, u32)> {
    let (program, says) =
        start(Command::new(program("fleet-echo")).arg("worker").env("DATABASE_URL", &r.database.url))?;
    let id = program.0.id();
    ensure!(says.contains(&format!("process {id}")), "{says}");
    Ok((program, id))
}

async fn asked(r: &Rigged, path: &str, body: Value) -> Result<String> {
    let (status, key) = r.call("POST", path, Some(body)).await?;
    ensure!(status == 200, "{path}: {status} {key}");
    Ok(format!("/api/jobs/{}", key["id"].as_i64().context("a key")?))
}

/// Whether a job's only part goes on in the hands of a process.
fn goes_at(process: u32) -> impl Fn(&Value) -> bool {
    move |v| v[0]["state"] == "going" && v[0]["worker"].as_str().unwrap_or("").contains(&format!("process {process}"))
}

#[tokio::test]
async fn a_worker_that_is_killed_loses_its_part_to_another_one() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    r.serve_with(&["--jobs", "0"])?;
    // While the table is held nothing can be kept, so the first worker is caught with the part in its hands.
    let mut holds = PgConnection::connect(&r.database.url).await?;
    holds.execute("BEGIN; LOCK TABLE result IN SHARE ROW EXCLUSIVE MODE").await?;
    let recipe = json!({ "lens": "spectrum", "channels": [7], "block": 16384 });
    let job =
        asked(&r, "/api/campaigns/1/jobs/results", json!({ "name": "mesh", "recipe": recipe, "runs": [1] })).await?;
    assert_eq!(r.get(&job).await?[0]["state"], "waiting", "the server leaves it to workers");
    let (mut first, process) = worker(&r)?;
    r.got(&job, goes_at(process)).await?;
    first.kill();
    let (_second, process) = worker(&r)?;
    r.got(&job, goes_at(process)).await?;
    holds.execute("COMMIT").await?;
    let done = r.got(&job, |v| v[0]["state"] == "done").await?;
    let kept = r.get("/api/campaigns/1/kept-results").await?;
    assert_eq!((kept.as_array().map(Vec::len), &kept[0]["id"]), (Some(1), &done[0]["result"]), "{kept}");
    assert_eq!((&kept[0]["runs"], &kept[0]["stale"]), (&json!([1]), &json!(false)));
    Ok(())
}

#[tokio::test]
async fn what_was_asked_for_outlives_the_server() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    r.serve_with(&["--jobs", "0"])?;
    let export = asked(&r, "/api/runs/1/jobs/export", json!({ "format": "wav" })).await?;
    let report = asked(&r, "/api/campaigns/1/jobs/report", json!({})).await?;
    let (status, says) = r.call("GET", &format!("{export}/file"), None).await?;
    assert!(status == 409 && says["says"].as_str().is_some_and(|s| s.contains("not done yet")), "{status} {says}");
    r.server.kill();
    r.serve_again()?;
    for job in [&export, &report] {
        r.got(job, |v| v[0]["state"] == "done").await?;
    }
    // The same file as the one that is waited for.
    let file = r.bytes(&format!("{export}/file")).await?;
    assert!(file.starts_with(b"RIFF") && file == r.bytes("/api/runs/1/export.wav").await?);
    assert!(r.bytes(&format!("{report}/file")).await?.starts_with(b"%PDF"));
    // What cannot be made says why; a job that is stopped ends.
    assert_eq!(r.call("POST", "/api/runs/99/jobs/export", Some(json!({ "format": "wav" }))).await?.0, 404);
    assert_eq!(r.call("POST", "/api/runs/1/jobs/export", Some(json!({ "format": "abc" }))).await?.0, 422);
    assert_eq!(r.call("GET", "/api/jobs/99/file", None).await?.0, 404);
    Ok(())
}

#[tokio::test]
async fn a_worker_refuses_a_database_without_its_tables() -> Result<()> {
    let r = Rigged::start().await?;
    let mut c = PgConnection::connect(&r.database.url).await?;
    c.execute("CREATE DATABASE elsewhere").await?;
    let (base, _) = r.database.url.rsplit_once('/').context("a database's name")?;
    let out =
        Command::new(program("fleet-echo")).arg("worker").env("DATABASE_URL", format!("{base}/elsewhere")).output()?;
    let says = String::from_utf8_lossy(&out.stderr);
    assert!(!out.status.success() && says.contains("start its server first"), "{says}");
    Ok(())
}

#[tokio::test]
async fn a_run_is_saved_from_the_page_with_its_progress() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.press("WAV").await?;
    // It is made as a job, and the page goes back to offering it when it is done.
    let made = |v: &Value| v[0]["state"] == "done" && v[0]["name"] == "WAV";
    r.got("/api/jobs/1", made).await?;
    b.text_until("nav[aria-label='Views of the study']", |t| t.contains("WAV") && !t.contains("Stop")).await?;
    b.page.clone().close().await?;
    Ok(())
}
