//! A run handed over in part: some channels, a bracket, another rate, as counts, under a name, and brought in again.

use anyhow::{Context, Result, ensure};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, program, says};
use serde_json::{Value, json};

/// A run written as it is wished: the job when it is over.
async fn written(r: &Rigged, run: &Value, wish: Value) -> Result<(Value, Value)> {
    let (status, job) = r.call("POST", &format!("/api/runs/{run}/jobs/export"), Some(wish)).await?;
    anyhow::ensure!(status == 200, "{job}");
    let done = |parts: &Value| !matches!(parts[0]["state"].as_str(), Some("waiting" | "going"));
    let part = r.got(&format!("/api/jobs/{}", job["id"]), done).await?[0].clone();
    Ok((job["id"].clone(), part))
}

async fn file(r: &Rigged, run: &Value, wish: Value) -> Result<Vec<u8>> {
    let (job, part) = written(r, run, wish).await?;
    anyhow::ensure!(part["state"] == "done", "{part}");
    r.bytes(&format!("/api/jobs/{job}/file")).await
}

/// Brings a file in as a run of the first campaign; gives its key.
async fn brought(r: &Rigged, name: &str, bytes: Vec<u8>) -> Result<Value> {
    let (status, sent) = r.send_bytes(&format!("/api/files?name={name}"), bytes).await?;
    anyhow::ensure!(status == 200, "{sent}");
    let wish = json!({ "file": sent["id"], "reading": {} });
    let (_, job) = r.call("POST", "/api/campaigns/1/jobs/bring-in", Some(wish)).await?;
    let done = |parts: &Value| !matches!(parts[0]["state"].as_str(), Some("waiting" | "going"));
    let part = r.got(&format!("/api/jobs/{}", job["id"]), done).await?[0].clone();
    anyhow::ensure!(part["state"] == "done", "{part}");
    Ok(part["run"].clone())
}

/// The largest line of a channel's spectrum between two seconds: its frequency and value.
async fn peak(r: &Rigged, run: &Value, channel: u32, stretch: Value) -> Result<(f64, f64)> {
    let recipe = json!({ "lens": "spectrum", "channels": [channel], "block": 2048, "stretch": stretch });
    let (status, s) = r.call("POST", &format!("/api/runs/{run}/results"), Some(recipe)).await?;
    anyhow::ensure!(status == 200, "{s}");
    let list = |v: &Value| v.as_array().into_iter().flatten().filter_map(Value::as_f64).collect::<Vec<f64>>();
    let (hz, values) = (list(&s["axes"][0]["values"]), list(&s["traces"][0]["values"]));
    let below = hz.iter().zip(values).filter(|(hz, _)| (20.0..2000.0).contains(*hz));
    below.map(|(a, b)| (*a, b)).max_by(|a, b| a.1.total_cmp(&b.1)).context("a peak")
}

#[tokio::test]
async fn part_of_a_run_goes_out_and_comes_back() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.newest_run().await?["id"].clone();
    let stretch = json!({ "from_s": 0.5, "to_s": 1.5 });
    let truth = peak(&r, &run, 7, stretch.clone()).await?;
    let part = json!({ "channels": [8, 7], "from_s": 0.5, "to_s": 1.5 });
    let wish = |more: Value| {
        let mut wish = part.clone();
        wish.as_object_mut().into_iter().for_each(|w| w.extend(more.as_object().cloned().unwrap_or_default()));
        wish
    };
    let near = |a: (f64, f64), b: (f64, f64)| (a.0 - b.0).abs() < 1.0 && (a.1 / b.1 - 1.0).abs() < 1e-3;
    // By columns, and as a universal file: the second channel is the seventh of the run.
    for (format, name) in [("parquet", "piece.parquet"), ("universal", "piece.uff")] {
        let bytes = file(&r, &run, wish(json!({ "format": format }))).await?;
        let came = brought(&r, name, bytes).await?;
        let detail = r.get(&format!("/api/runs/{came}")).await?;
        assert_eq!((&detail["samples"], &detail["sample_rate_hz"]), (&json!(51_200), &json!(51_200.0)), "{format}");
        let again = peak(&r, &came, 2, json!({ "from_s": 0.0, "to_s": 1.0 })).await?;
        assert!(near(again, truth), "{format}: {again:?} and {truth:?}");
    }
    // Counts are whole numbers, and are those of the converter: the unit a count makes them what they were.
    let text = String::from_utf8(file(&r, &run, wish(json!({ "format": "csv", "counts": true }))).await?)?;
    let mut lines = text.lines();
    assert!(lines.next().is_some_and(|l| l.contains("[counts]")), "{text:.200}");
    let cells: Vec<&str> = lines.next().context("a row")?.split(',').collect();
    assert!(cells.len() == 3 && cells[1].parse::<i32>().is_ok(), "{cells:?}");
    assert_eq!(text.lines().count(), 51_201);
    let wav = file(&r, &run, wish(json!({ "format": "wav", "counts": true }))).await?;
    // The extensible form tells behind its head what samples are.
    assert_eq!((&wav[56..58], &wav[80..82]), (&[0xfe, 0xff][..], &[1, 0][..]), "whole numbers, not floats");
    // A lower rate keeps what lies below.
    let bytes = file(&r, &run, json!({ "format": "parquet", "channels": [7], "rate_hz": 5120.0 })).await?;
    let came = brought(&r, "slow.parquet", bytes).await?;
    let detail = r.get(&format!("/api/runs/{came}")).await?;
    assert_eq!(detail["sample_rate_hz"], 5120.0);
    let slow = peak(&r, &came, 1, json!({ "from_s": 0.5, "to_s": 1.5 })).await?;
    assert!((slow.0 - truth.0).abs() < 30.0, "{slow:?} and {truth:?}");

    for (wrong, word) in [
        (json!({ "format": "csv", "channels": [99] }), "no channel 99"),
        (json!({ "format": "csv", "from_s": 3.0, "to_s": 2.0 }), "is not empty"),
        (json!({ "format": "csv", "rate_hz": 1e6 }), "up to the run's 51200 Hz"),
        (json!({ "format": "universal", "counts": true }), "engineering units"),
        (json!({ "format": "csv", "name": "{when}" }), "{when} is not known"),
    ] {
        let (status, body) = r.call("POST", &format!("/api/runs/{run}/jobs/export"), Some(wrong.clone())).await?;
        assert!(status == 422 && says(&body).contains(word), "{wrong}: {body}");
    }
    // What a WAV cannot tell is refused by the job, in words.
    let (_, part) = written(&r, &run, json!({ "format": "wav", "rate_hz": 512.5 })).await?;
    assert!(part["state"] == "refused" && says(&part).contains("whole numbers"), "{part}");
    Ok(())
}

#[tokio::test]
async fn the_page_writes_a_bracket_under_a_name() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.newest_run().await?["id"].clone();
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/1/study/{run}?ch=7&b=0.5_1.5", r.url)).await?;
    b.press("As a file").await?;
    b.text_until("[role=dialog]", |t| t.contains("as a file")).await?;
    b.choose("Kind of file", "CSV").await?;
    b.type_over("input[aria-label='Name of the file']", "{kind} of {specimen}").await?;
    b.press("Write it").await?;
    let part = r.got("/api/jobs/1", |p| p[0]["state"] == "done").await?;
    assert_eq!(part[0]["name"], "CSV");
    let text = String::from_utf8(r.bytes("/api/jobs/1/file").await?)?;
    assert_eq!(text.lines().count(), 51_201, "the bracket alone");
    Ok(())
}

#[tokio::test]
async fn a_transfer_that_broke_off_goes_on_where_it_was() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.newest_run().await?["id"].clone();
    let (job, part) = written(&r, &run, json!({ "format": "parquet", "counts": true })).await?;
    ensure!(part["state"] == "done", "{part}");
    let address = format!("{}/api/jobs/{job}/file", r.url);
    let client = reqwest::Client::new();
    let whole = client.get(&address).send().await?;
    let length = whole.headers()["content-length"].to_str()?.parse::<usize>()?;
    let tag = whole.headers()["etag"].clone();
    let whole = whole.bytes().await?;
    ensure!(whole.len() == length && length > 3 << 20, "more than three pieces: {length}");
    // Within a piece, over the seam between two, to its end, and the last ones.
    let last = length - 1;
    for (asked, from, to) in [
        ("bytes=10-19".to_string(), 10, 19),
        (format!("bytes={}-{}", (1 << 20) - 5, (2 << 20) + 5), (1 << 20) - 5, (2 << 20) + 5),
        (format!("bytes={}-", (1 << 20) + 7), (1 << 20) + 7, last),
        ("bytes=-9".to_string(), length - 9, last),
    ] {
        let part = client.get(&address).header("range", &asked).header("if-range", &tag).send().await?;
        assert_eq!(part.status(), 206, "{asked}");
        assert_eq!(part.headers()["content-range"].to_str()?, format!("bytes {from}-{to}/{length}"));
        assert!(part.bytes().await? == whole[from..=to], "{asked}");
    }
    let beyond = client.get(&address).header("range", format!("bytes={length}-")).send().await?;
    assert_eq!(
        (beyond.status().as_u16(), beyond.headers()["content-range"].to_str()?),
        (416, format!("bytes */{length}").as_str())
    );
    for other in ["bytes=0-1,5-6", "lines=1-2", "bytes=x-"] {
        let answer = client.get(&address).header("range", other).send().await?;
        assert_eq!((answer.status().as_u16(), answer.bytes().await?.len()), (200, length), "{other}");
    }
    // Another file by now: all of it, and not half of each.
    let answer = client.get(&address).header("range", "bytes=5-").header("if-range", "\"job-0\"").send().await?;
    assert_eq!((answer.status().as_u16(), answer.bytes().await?.len()), (200, length));
    Ok(())
}

#[tokio::test]
async fn a_kept_result_goes_out_by_page_and_by_command() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.newest_run().await?["id"].clone();
    let kept = async |name: &str, recipe: Value| -> Result<i64> {
        let list = json!({ "name": name, "recipe": recipe, "numbered_as": run, "runs": [run] });
        let (status, job) = r.call("POST", "/api/campaigns/1/jobs/results", Some(list)).await?;
        ensure!(status == 200, "{job}");
        let done = |parts: &Value| !matches!(parts[0]["state"].as_str(), Some("waiting" | "going"));
        r.got(&format!("/api/jobs/{}", job["id"]), done).await?[0]["result"].as_i64().context("a result")
    };
    let spectrum = kept("mesh", json!({ "lens": "spectrum", "channels": [7], "block": 2048 })).await?;
    let map = kept("over time", json!({ "lens": "spectrogram", "channels": [7], "block": 2048 })).await?;
    let truth = r.get(&format!("/api/kept-results/{spectrum}")).await?;
    let folder = tempfile::tempdir()?;
    let echo = |what: &str, name: &str| {
        let out = folder.path().join(name);
        let done = std::process::Command::new(program("fleet-echo"))
            .args(["export", "1", "--result", what, "--out"])
            .arg(&out)
            .env("FLEET_ECHO_SERVER", &r.url)
            .output()?;
        anyhow::Ok((done.status.code(), String::from_utf8_lossy(&done.stderr).into_owned(), out))
    };
    let (code, says, csv) = echo("mesh", "mesh.csv")?;
    assert_eq!(code, Some(0), "{says}");
    let rows = echo_formats::sheet::read(&std::fs::read(csv)?)?;
    let lines = truth["axes"][0]["values"].as_array().context("lines")?;
    assert_eq!(rows.len(), lines.len() + 1);
    let at = |k: usize| rows[k + 1][1].parse::<f64>().ok();
    assert!((0..lines.len()).all(|k| at(k) == truth["traces"][0]["values"][k].as_f64()), "to the last bit");
    assert_eq!(rows[0], ["frequency [Hz]", "gearbox top, vert peak [m/s²]"]);
    // By its key, as a universal file; what does not fit the form is told.
    assert_eq!(echo(&spectrum.to_string(), "mesh.uff")?.0, Some(0));
    let (code, says, _) = echo(&map.to_string(), "map.uff")?;
    assert!(code == Some(2) && says.contains("has a map"), "{says}");
    let (code, says, _) = echo("mash", "mesh.csv")?;
    assert!(code == Some(2) && says.contains("there is no kept result “mash”; there are"), "{says}");
    assert!(echo("mesh", "mesh.wav")?.1.contains("a result is a .csv, .xlsx, .parquet, .uff or .json file"));

    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/1/study/{run}/results", r.url)).await?;
    b.press_found("button[aria-label='Save over time of run 1']").await?;
    b.press_path("//button[@role='menuitem'][text()='universal file']").await?;
    b.text_until("table[aria-label='Kept results']", |t| t.contains("has a map")).await?;
    b.page.clone().close().await?;
    Ok(())
}
