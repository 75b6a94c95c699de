//! What happens to a recording when something breaks, and what wrong entries are told.

use anyhow::{Context, Result};
use echo_browser_tests::{Program, Rigged, again_until, program};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::Command;
use std::time::Instant;

async fn open_end(r: &Rigged) -> Result<()> {
    let plan =
        json!({ "sample_rate_hz": 25600.0, "length": { "ends": "when_stopped" }, "run_kind": "fault", "block": 4096 });
    let (status, body) = r.call("PUT", "/api/campaigns/1/plan", Some(plan)).await?;
    assert_eq!(status, 200, "{body}");
    Ok(())
}

/// The whole run can be read: an overview without a hole, statistics of every sample.
async fn readable(r: &Rigged, run: &Value) -> Result<()> {
    let id = &run["id"];
    let bytes = r.bytes(&format!("/api/runs/{id}/overview?channels=7&points=200")).await?;
    let values: Vec<f32> = bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect();
    assert_eq!(values.len(), 400);
    assert!(values.iter().all(|v| v.is_finite()), "the overview has holes");
    let recipe = json!({ "lens": "statistics", "channels": [7] });
    let (status, result) = r.call("POST", &format!("/api/runs/{id}/results"), Some(recipe)).await?;
    assert_eq!(status, 200, "{result}");
    let rms = result["numbers"][0]["value"].as_f64().unwrap();
    assert!((3.0..6.0).contains(&rms), "rms {rms}");
    Ok(())
}

#[tokio::test]
async fn a_killed_server_loses_nothing_that_was_whole() -> Result<()> {
    let mut r = Rigged::start().await?;
    open_end(&r).await?;
    assert_eq!(r.order("record").await?.0, 204);
    r.recorded(4.5).await?;
    let before = r.newest_run().await?;
    assert_eq!(before["state"], "recording");
    r.server.kill();
    r.serve_again()?;
    let after = r.newest_run().await?;
    assert_eq!(after["id"], before["id"]);
    assert_eq!(after["state"], "broken");
    assert_eq!(after["ended_because"], "the server stopped while recording");
    let samples = after["samples"].as_u64().unwrap();
    assert!(samples >= 2 * 32768 && samples.is_multiple_of(32768), "{samples} samples are whole chunks");
    readable(&r, &after).await?;
    // The next run starts as if nothing had been.
    r.until("the front end sends", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    assert_eq!(r.order("record").await?.0, 204);
    r.recorded(0.5).await?;
    assert_eq!(r.order("stop").await?.0, 204);
    r.idle().await?;
    assert_eq!(r.newest_run().await?["state"], "whole");
    Ok(())
}

#[tokio::test]
async fn a_pulled_front_end_closes_the_run_with_what_came() -> Result<()> {
    let mut r = Rigged::start().await?;
    open_end(&r).await?;
    let begun = Instant::now();
    assert_eq!(r.order("record").await?.0, 204);
    r.recorded(2.5).await?;
    r.lantern.kill();
    let status = r.idle().await?;
    assert_eq!(status["link"]["link"], "connecting");
    assert_eq!(status["ended"]["whole"], false);
    let run = r.newest_run().await?;
    assert_eq!(run["state"], "broken");
    assert!(run["ended_because"].as_str().unwrap().contains("front end"), "{run}");
    let length = run["duration_s"].as_f64().unwrap();
    let most = begun.elapsed().as_secs_f64();
    assert!((1.5..most).contains(&length), "{length} s of at most {most} s were kept");
    readable(&r, &run).await?;
    let (status, body) = r.order("record").await?;
    assert_eq!(status, 409);
    assert!(body["says"].as_str().unwrap().contains("no front end"), "{body}");
    r.plug_again()?;
    r.until("it is found again", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    Ok(())
}

#[tokio::test]
async fn a_database_that_goes_away_costs_no_sample() -> Result<()> {
    let r = Rigged::start().await?;
    open_end(&r).await?;
    assert_eq!(r.order("record").await?.0, 204);
    r.recorded(2.0).await?;
    r.database.stop()?;
    let away = r.until("samples are held", |s| s["capture"]["store_away"] == true).await?;
    assert_eq!(away["store"], false);
    assert_eq!(away["capture"]["state"], "recording");
    r.recorded(5.0).await?;
    r.database.again()?;
    r.until("everything is written", |s| s["capture"]["store_away"] == false && s["store"] == true).await?;
    r.recorded(6.1).await?;
    assert_eq!(r.order("stop").await?.0, 204);
    let status = r.idle().await?;
    assert_eq!(status["ended"]["lost_blocks"], 0);
    let run = r.newest_run().await?;
    assert_eq!(run["state"], "whole");
    assert!(run["duration_s"].as_f64().unwrap() > 6.0, "{run}");
    readable(&r, &run).await?;
    // Away before the start: nothing starts.
    r.database.stop()?;
    let (status, body) = r.order("record").await?;
    assert_eq!(status, 409);
    assert!(body["says"].as_str().unwrap().contains("database is away"), "{body}");
    r.database.again()?;
    Ok(())
}

#[tokio::test]
async fn wrong_entries_are_told_what_is_allowed() -> Result<()> {
    let r = Rigged::start().await?;
    let before = r.get("/api/campaigns/1/rig").await?;
    for (change, field, says) in [
        (json!({ "sensitivity": "0" }), "sensitivity", "number above 0"),
        (json!({ "sensitivity": "-3" }), "sensitivity", "number above 0"),
        (json!({ "sensitivity": "" }), "sensitivity", "is empty"),
        (json!({ "sensitivity": "ten" }), "sensitivity", "a number, not"),
        (json!({ "sensitivity": "10 mV/N" }), "sensitivity_unit", "does not fit acceleration"),
        (json!({ "sensitivity_unit": "furlong" }), "sensitivity_unit", "mV/g"),
        (json!({ "unit": "N" }), "unit", "m/s², g, mm/s²"),
        (json!({ "name": "gearbox top, athw" }), "name", "used by input 8"),
        (json!({ "name": " " }), "name", "has no name"),
        (json!({ "range_v": "3" }), "range_v", "0.1, 0.5, 1, 5, 10 V"),
    ] {
        let (status, body) = r.call("PATCH", "/api/campaigns/1/rig/7", Some(change.clone())).await?;
        assert_eq!((status, body["field"].as_str()), (422, Some(field)), "{change}: {body}");
        assert!(body["says"].as_str().unwrap().contains(says), "{change}: {body}");
    }
    let after = r.get("/api/campaigns/1/rig").await?;
    assert_eq!(before["rig"], after["rig"], "nothing was changed");
    let plan = |rate: f64, s: f64| json!({ "sample_rate_hz": rate, "length": { "ends": "after", "duration_s": s } });
    for (body, says) in [(plan(44100.0, 5.0), "does not offer 44100 Hz"), (plan(51200.0, -1.0), "above 0")] {
        let (status, answer) = r.call("PUT", "/api/campaigns/1/plan", Some(body)).await?;
        assert_eq!(status, 422);
        assert!(answer["says"].as_str().unwrap().contains(says), "{answer}");
    }
    for (recipe, says) in [
        (json!({ "lens": "spectrum", "blok": 5 }), "unknown field `blok`"),
        (json!({ "lens": "sonar" }), "waveform, statistics, spectrum"),
        (json!({ "lens": "spectrum", "channels": [99] }), "channels 1 to 23"),
        (json!({ "lens": "spectrum", "block": 4194304 }), "a block needs at least 4194304"),
        (json!({ "lens": "spectrum", "unit": "N", "channels": [7] }), "allowed here are m/s²"),
    ] {
        let (status, answer) = r.call("POST", "/api/runs/1/results", Some(recipe)).await?;
        assert_eq!(status, 422);
        assert!(answer["says"].as_str().unwrap().contains(says), "{answer}");
    }
    let (status, answer) = r.call("PUT", "/api/capture/front-end", Some(json!({ "address": "somewhere" }))).await?;
    assert_eq!(status, 422);
    assert!(answer["says"].as_str().unwrap().contains("host:port"), "{answer}");
    Ok(())
}

#[tokio::test]
async fn a_server_told_to_end_without_its_database_says_what_is_lost() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    let log = tempfile::NamedTempFile::new()?;
    let mut command = Command::new(program("fleet-echo"));
    command.args(["serve", "--listen", "127.0.0.1:0", "--front-end", &r.lantern_address]).stderr(log.reopen()?);
    let out = command.env("DATABASE_URL", &r.database.url).stdout(std::process::Stdio::piped()).spawn()?;
    let mut server = Program(out);
    let mut line = String::new();
    BufReader::new(server.0.stdout.take().context("its output")?).read_line(&mut line)?;
    r.url = line.trim().into();
    r.until("the front end sends", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    r.plan_with(1, json!({ "length": { "ends": "when_stopped" }, "start": {} })).await?;
    assert_eq!(r.order("record").await?.0, 204);
    r.recorded(0.5).await?;
    r.database.stop()?;
    r.until("samples are held", |s| s["capture"]["store_away"] == true).await?;
    Command::new("kill").args(["-TERM", &server.0.id().to_string()]).status()?;
    let ended =
        again_until(async || Ok(server.0.try_wait()?)).await?.context("it ends though nobody takes its samples")?;
    let says = std::fs::read_to_string(log.path())?;
    assert!(ended.success() && says.contains("not written, as the database does not answer; they are lost"), "{says}");
    Ok(())
}
