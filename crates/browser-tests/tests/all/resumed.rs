//! An export that is stopped, or whose worker is killed, goes on from where it was, to the same bytes.

use anyhow::{Context, Result, ensure};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, again_until, says};
use serde_json::{Value, json};
use sqlx::{AssertSqlSafe, Connection, Executor, PgConnection, Row};

/// Asks the database for a text until it is as wished.
async fn asked(c: &mut PgConnection, query: &'static str, good: impl Fn(&str) -> bool) -> Result<String> {
    let found = again_until(async || {
        let text: Option<String> = c.fetch_optional(query).await?.map(|row| row.get(0));
        Ok(text.filter(|t| good(t)))
    });
    found.await?.with_context(|| format!("never came: {query}"))
}

/// Holds the file of the first job at a piece: whoever writes that one waits, until the connection is told to go on.
async fn held_at(url: &str, piece: u32) -> Result<PgConnection> {
    let mut holds = PgConnection::connect(url).await?;
    let insert = format!("BEGIN; INSERT INTO job_file (job_id, place, piece, bytes) VALUES (1, 1, {piece}, '')");
    holds.execute(AssertSqlSafe(insert)).await?;
    Ok(holds)
}

const WRITTEN: &str = "SELECT count(*)::text FROM job_file";
/// Changes with every word of the worker's.
const TOLD: &str = "SELECT xmin::text FROM job_part WHERE job_id = 1";

/// Waits until whoever makes the part has said twice how far it is: by then it has heard of what was asked before.
async fn heard(c: &mut PgConnection) -> Result<()> {
    for _ in 0..2 {
        let before = asked(c, TOLD, |_| true).await?;
        asked(c, TOLD, |now| now != before).await?;
    }
    Ok(())
}

/// A server that begins to write a run as it is wished, and is stopped with three pieces written; the run and the
/// database.
async fn stopped(wish: &Value) -> Result<(Rigged, Value, PgConnection)> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    r.serve_with(&["--jobs", "0"])?;
    let run = r.newest_run().await?["id"].clone();
    let (status, key) = r.call("POST", &format!("/api/runs/{run}/jobs/export"), Some(wish.clone())).await?;
    ensure!(status == 200 && key["id"] == 1, "{status} {key}");
    let (status, no) = r.call("POST", "/api/jobs/1/resume", None).await?;
    ensure!(status == 409 && says(&no).contains("was not stopped"), "{status} {no}");
    let mut db = PgConnection::connect(&r.database.url).await?;
    let mut holds = held_at(&r.database.url, 3).await?;
    r.server.kill();
    r.serve_again()?;
    asked(&mut db, WRITTEN, |n| n == "3").await?;
    ensure!(r.call("DELETE", "/api/jobs/1", None).await?.0 == 204, "it is stopped");
    heard(&mut db).await?;
    holds.execute("ROLLBACK").await?;
    Ok((r, run, db))
}

/// The file of a run that is written without a stop.
async fn at_once(r: &Rigged, run: &Value, wish: Value) -> Result<Vec<u8>> {
    let (_, key) = r.call("POST", &format!("/api/runs/{run}/jobs/export"), Some(wish)).await?;
    let whole = format!("/api/jobs/{}", key["id"]);
    r.got(&whole, |v| v[0]["state"] == "done").await?;
    r.bytes(&format!("{whole}/file")).await
}

#[tokio::test]
async fn an_export_goes_on_from_where_it_was_stopped_or_its_worker_died() -> Result<()> {
    let wish = json!({ "format": "parquet" });
    let (mut r, run, mut db) = stopped(&wish).await?;
    let part = r.got("/api/jobs/1", |v| v[0]["state"] == "stopped").await?[0].clone();
    let share = part["share"].as_f64().context("a share")?;
    assert!(share > 0.0 && share < 0.8, "{part}");
    let mark = asked(&mut db, "SELECT format('%s at %s', done, bytes) FROM job_mark", |_| true).await?;
    ensure!(!mark.starts_with("0 "), "{mark}");
    assert_eq!(r.call("GET", "/api/jobs/1/file", None).await?.0, 409);

    // It goes on behind what is there, and so it does when who makes it is killed.
    const FIRST: &str = "SELECT string_agg(xmin::text, ' ' ORDER BY piece) FROM job_file WHERE piece < 3";
    let first = asked(&mut db, FIRST, |_| true).await?;
    let behind = asked(&mut db, "SELECT (bytes / 1048576 + 2)::text FROM job_mark", |_| true).await?;
    let mut holds = held_at(&r.database.url, behind.parse()?).await?;
    assert_eq!(r.call("POST", "/api/jobs/1/resume", None).await?.0, 204);
    asked(&mut db, "SELECT max(piece + 1)::text FROM job_file", |n| n == behind).await?;
    r.server.kill();
    holds.execute("ROLLBACK").await?;
    r.serve_again()?;
    r.got("/api/jobs/1", |v| v[0]["state"] == "done").await?;
    assert_eq!(asked(&mut db, FIRST, |_| true).await?, first, "what was written stays");
    let file = r.bytes("/api/jobs/1/file").await?;
    assert!(file == at_once(&r, &run, wish).await?, "as if it had never been stopped");
    Ok(())
}

#[tokio::test]
async fn what_was_put_right_meanwhile_lets_it_begin_anew() -> Result<()> {
    let wish = json!({ "format": "csv", "channels": [7, 8, 9, 10] });
    let (r, run, mut db) = stopped(&wish).await?;
    r.got("/api/jobs/1", |v| v[0]["state"] == "stopped").await?;
    asked(&mut db, "SELECT done::text FROM job_mark", |_| true).await?;
    let right = json!({ "sensitivity": "20.92 mV/(m/s²)", "reason": "certificate misread" });
    let (status, told) = r.call("POST", &format!("/api/runs/{run}/channels/7/sensitivity"), Some(right)).await?;
    ensure!(status == 204, "{status} {told}");
    assert_eq!(r.call("POST", "/api/jobs/1/resume", None).await?.0, 204);
    r.got("/api/jobs/1", |v| v[0]["state"] == "done").await?;
    let file = r.bytes("/api/jobs/1/file").await?;
    assert!(file == at_once(&r, &run, wish).await?, "all of it as it was put right");
    Ok(())
}

#[tokio::test]
async fn the_page_lets_a_stopped_export_go_on() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    r.serve_with(&["--jobs", "0"])?;
    let run = r.newest_run().await?["id"].clone();
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/1/study/{run}?ch=7&b=0.5_1.5", r.url)).await?;
    b.press("As a file").await?;
    b.press("Write it").await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("waits")).await?;
    b.press("Stop Write it").await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("stopped at") && t.contains("0 %")).await?;
    b.press("Resume Write it").await?;
    b.text_until("[role=dialog] [role=status]", |t| t.contains("waits")).await?;
    r.got("/api/jobs/1", |v| v[0]["state"] == "waiting").await?;
    b.press("Stop Write it").await?;
    b.press("Start over").await?;
    b.text_until("[role=dialog]", |t| t.contains("Write it") && !t.contains("stopped")).await?;
    r.server.kill();
    r.serve_again()?;
    assert_eq!(r.call("POST", "/api/jobs/1/resume", None).await?.0, 204);
    r.got("/api/jobs/1", |v| v[0]["state"] == "done").await?;
    b.page.clone().close().await?;
    Ok(())
}
