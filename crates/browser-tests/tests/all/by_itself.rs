//! What is done by itself when a recording has ended: results kept, files laid, the report made, as the plan says.

use anyhow::{Context, Result, ensure};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, says};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

const LIST: &str = "/api/campaigns/1/afterwards";

/// Starts with a folder for files, in which the server may write.
async fn with_folder(folder: &Path) -> Result<Rigged> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    again(&mut r, folder).await?;
    Ok(r)
}

async fn again(r: &mut Rigged, folder: &Path) -> Result<()> {
    let folder = folder.to_str().context("a path")?;
    r.serve_with(&["--files-to", folder])?;
    r.until("the front end sends", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    Ok(())
}

/// Records a little, as the plan of the first campaign says.
async fn record(r: &Rigged) -> Result<()> {
    r.order("record").await?;
    r.recorded(1.0).await?;
    r.order("stop").await?;
    r.idle().await?;
    Ok(())
}

/// What was done, once nothing of it waits or goes any more.
async fn done(r: &Rigged, count: usize) -> Result<Vec<Value>> {
    let over = |d: &Value| matches!(d["state"].as_str(), Some("done" | "refused" | "stopped"));
    let all = r.got(LIST, |v| v.as_array().is_some_and(|a| a.len() == count && a.iter().all(over))).await?;
    Ok(all.as_array().context("a list")?.clone())
}

fn keep(name: &str, channels: &[u32], named: &[&str]) -> Value {
    let recipe = json!({ "lens": "statistics", "channels": channels });
    json!({ "when": "run", "what": { "do": "keep", "name": name, "recipe": recipe, "channels": named } })
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let mut all: Vec<PathBuf> = walk(folder);
    all.sort();
    all
}

fn walk(folder: &Path) -> Vec<PathBuf> {
    let Ok(entries) = std::fs::read_dir(folder) else { return Vec::new() };
    let each = |p: PathBuf| if p.is_dir() { walk(&p) } else { vec![p] };
    entries.filter_map(|e| Some(each(e.ok()?.path()))).flatten().collect()
}

#[tokio::test]
async fn a_recording_ends_and_its_result_its_file_and_its_report_are_there() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let r = with_folder(folder.path()).await?;
    let rig = r.get("/api/campaigns/1/rig").await?;
    let channels = rig["rig"]["channels"].as_array().context("channels")?;
    let names: Vec<&str> = channels.iter().filter(|c| c["on"] == true).filter_map(|c| c["name"].as_str()).collect();
    let file = |export: Value| json!({ "when": "run", "what": { "do": "file", "export": export, "folder": "{specimen}/run {run}" } });
    let afterwards = json!([
        keep("levels at the gearbox", &[7, 8], &names),
        file(json!({ "format": "parquet", "named": "gearbox*", "name": "{kind}" })),
        { "when": "run", "what": { "do": "report", "template": "Machine acceptance", "folder": "reports", "name": "acceptance {run}" } },
        { "when": "round", "what": { "do": "report" } },
    ]);
    let (status, body) = r.plan_with(1, json!({ "run_kind": "to/../be kept", "afterwards": afterwards })).await?;
    ensure!(status == 200, "{body}");
    assert_eq!(body["files_to"].as_str(), folder.path().to_str());
    record(&r).await?;
    let all = done(&r, 3).await?;
    assert!(all.iter().all(|d| d["state"] == "done" && d["number"] == 2 && d["ending"] == "run"), "{all:?}");

    let kept = r.get("/api/campaigns/1/kept-results").await?;
    let kept = kept.as_array().and_then(|a| a.iter().find(|k| k["name"] == "levels at the gearbox")).context("kept")?;
    assert_eq!(kept["id"], all[0]["result"], "the list leads to it");
    // What a run is called makes no way out of the folder.
    let there = files(folder.path());
    let told: Vec<String> =
        there.iter().filter_map(|p| Some(p.strip_prefix(folder.path()).ok()?.display().to_string())).collect();
    let specimen = r.get("/api/campaigns").await?[0]["specimen"].as_str().context("a specimen")?.to_string();
    assert_eq!(told.len(), 2, "{told:?}");
    assert!(told.iter().any(|t| t.starts_with(&specimen) && t.ends_with("/run 2/to-..-be kept.parquet")), "{told:?}");
    assert!(told.contains(&"reports/acceptance 2.pdf".to_string()), "{told:?}");
    let parquet = there.iter().find(|p| p.extension().is_some_and(|e| e == "parquet")).context("a file")?;
    let source = echo_formats::file::open(parquet)?;
    let own: Vec<&str> = source.info().channels.iter().map(|c| c.name.as_str()).collect();
    assert!(!own.is_empty() && own.iter().all(|n| n.starts_with("gearbox")), "{own:?}");
    let pdf = std::fs::read(folder.path().join("reports/acceptance 2.pdf"))?;
    assert!(pdf.starts_with(b"%PDF"));
    let (status, verified) = r.send_bytes("/api/report/verify", pdf).await?;
    assert_eq!((status, &verified["holds"]), (200, &json!(true)), "{verified}");

    // The same again gets names of its own: nothing is written over.
    r.plan_with(1, json!({ "afterwards": [{ "when": "run", "what": { "do": "report", "form": "html", "folder": "reports", "name": "acceptance" } }] })).await?;
    record(&r).await?;
    done(&r, 4).await?;
    record(&r).await?;
    done(&r, 5).await?;
    let told = files(&folder.path().join("reports"));
    let names: Vec<String> = told.iter().filter_map(|p| Some(p.file_name()?.to_string_lossy().into_owned())).collect();
    assert_eq!(names, ["acceptance (2).html", "acceptance 2.pdf", "acceptance.html"]);
    Ok(())
}

#[tokio::test]
async fn what_was_to_be_done_is_done_after_the_server_was_killed() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let mut r = with_folder(folder.path()).await?;
    let file = json!({ "when": "run", "what": { "do": "file", "export": { "format": "wav" } } });
    let report = json!({ "when": "run", "what": { "do": "report" } });
    let (status, body) = r.plan_with(1, json!({ "afterwards": [file, report] })).await?;
    ensure!(status == 200, "{body}");
    // Killed while it records: the run ends with what came until then, and so does what follows it.
    r.order("record").await?;
    r.recorded(2.5).await?;
    r.server.kill();
    again(&mut r, folder.path()).await?;
    let over = r.got(LIST, |v| v.as_array().is_some_and(|a| a.len() == 2)).await?;
    assert_eq!(over[0]["number"], 2);
    // And once more while it is being done.
    r.server.kill();
    again(&mut r, folder.path()).await?;
    let all = done(&r, 2).await?;
    assert!(all.iter().all(|d| d["state"] == "done"), "{all:?}");
    let there = files(folder.path());
    assert_eq!(there.len(), 2, "each once, whole, and nothing half: {there:?}");
    let wav = there.iter().find(|p| p.extension().is_some_and(|e| e == "wav")).context("a file")?;
    let source = echo_formats::file::open(wav)?;
    assert_eq!(source.info().samples as i64, r.newest_run().await?["samples"].as_i64().context("samples")?);
    Ok(())
}

#[tokio::test]
async fn on_the_page_it_is_sentences_and_a_refusal_can_be_tried_again() -> Result<()> {
    let folder = tempfile::tempdir()?;
    // Without a folder first: what needs one says so when its turn comes.
    let mut r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/plan/afterwards", r.url)).await?;
    b.text_until("main", |t| t.contains("Nothing is done by itself")).await?;
    b.press("Write a file").await?;
    b.text_until("[aria-label='Done by itself']", |t| t.contains("the run is written")).await?;
    b.choose("Kind of file 1", "CSV").await?;
    b.word("Channels 1", "gearbox*").await?;
    b.word("Folder 1", "{campaign}/run {run}").await?;
    let saved = |v: &Value| v["plan"]["afterwards"][0]["what"]["export"]["named"] == "gearbox*";
    r.got("/api/campaigns/1/plan", saved).await?;
    b.refused("input[aria-label='Folder 1']", "../out", "leads out of the folder").await?;
    b.press("Make the report").await?;
    r.got("/api/campaigns/1/plan", |v| v["plan"]["afterwards"][1]["what"]["do"] == "report").await?;
    record(&r).await?;
    let all = done(&r, 2).await?;
    assert!(all.iter().all(|d| d["state"] == "refused" && says(d).contains("--files-to")), "{all:?}");
    b.text_until("section[aria-label='What was done']", |t| t.contains("this server has no folder for files")).await?;

    r.server.kill();
    again(&mut r, folder.path()).await?;
    b.page.goto(&format!("{}/plan/afterwards", r.url)).await?;
    b.text_until("main", |t| t.contains(folder.path().to_str().unwrap_or("?"))).await?;
    b.press_found("section[aria-label='What was done'] button[aria-label^='Try again']").await?;
    let one = |v: &Value| v.as_array().is_some_and(|a| a.iter().filter(|d| d["state"] == "done").count() == 1);
    r.got(LIST, one).await?;
    b.text_until("section[aria-label='What was done']", |t| t.contains("done")).await?;
    assert_eq!(files(folder.path()).len(), 1);
    // A sentence is taken away, and brought back by Undo.
    b.press_found("button[aria-label='Remove sentence 1']").await?;
    r.got("/api/campaigns/1/plan", |v| v["plan"]["afterwards"].as_array().is_some_and(|a| a.len() == 1)).await?;
    b.press("Undo").await?;
    r.got("/api/campaigns/1/plan", |v| v["plan"]["afterwards"].as_array().is_some_and(|a| a.len() == 2)).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn what_could_never_be_done_is_refused_when_it_is_planned() -> Result<()> {
    let r = Rigged::start().await?;
    for (wrong, field, word) in [
        (
            json!({ "when": "series", "what": { "do": "file", "export": { "format": "wav" } } }),
            "afterwards.0",
            "cannot follow a tap series; allowed: its modes kept",
        ),
        (
            json!({ "when": "run", "what": { "do": "report", "template": "Of last year" } }),
            "afterwards.0",
            "there is no template “Of last year”; there are Machine acceptance",
        ),
        (json!({ "when": "run", "what": { "do": "report", "folder": "/etc" } }), "afterwards.0", "leads out"),
    ] {
        let (status, body) = r.plan_with(1, json!({ "afterwards": [wrong] })).await?;
        assert_eq!((status, body["field"].as_str()), (422, Some(field)), "{body}");
        assert!(says(&body).contains(word), "{body}");
    }
    // A channel that is not there in the run is told in the list, and the next thing is done all the same.
    let all =
        json!([keep("odd", &[1], &["a mast that nobody rigged"]), keep("levels", &[1], &["motor drive end, vert"])]);
    let names = r.get("/api/campaigns/1/rig").await?["rig"]["channels"][0]["name"].clone();
    let mut all = all;
    all[1]["what"]["channels"][0] = names;
    let (status, body) = r.plan_with(1, json!({ "afterwards": all })).await?;
    ensure!(status == 200, "{body}");
    record(&r).await?;
    let over = done(&r, 2).await?;
    assert!(
        over[0]["state"] == "refused" && says(&over[0]).contains("no channel “a mast that nobody rigged”"),
        "{over:?}"
    );
    assert_eq!(over[1]["state"], "done");
    let (status, body) = r.call("POST", &format!("/api/afterwards/{}/again", over[1]["id"]), None).await?;
    assert!(status == 409 && says(&body).contains("done already"), "{body}");
    assert_eq!(r.call("POST", "/api/afterwards/999999/stop", None).await?.0, 404);
    Ok(())
}

#[tokio::test]
async fn each_round_and_the_last_one_have_something_of_their_own() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let r = with_folder(folder.path()).await?;
    let names = r.get("/api/campaigns/1/rig").await?["rig"]["channels"][0]["name"].clone();
    let mut of_round = keep("levels of the round", &[1], &[""]);
    (of_round["when"], of_round["what"]["channels"][0]) = (json!("round"), names);
    let blocks = json!([
        { "id": 1, "show": { "what": "head" } },
        { "id": 2, "title": "The night", "show": { "what": "records", "of": "rounds" } },
    ]);
    let (status, body) =
        r.call("PUT", "/api/campaigns/1/report", Some(json!({ "title": "Night", "blocks": blocks }))).await?;
    ensure!(status == 200, "{body}");
    let of_all = json!({ "when": "rounds", "what": { "do": "report", "form": "html", "name": "night" } });
    let rounds =
        json!({ "every_s": 3.0, "length_s": 0.5, "count": 2, "measures": [{ "input": 7, "of": { "what": "rms" } }] });
    let (status, body) = r.plan_with(1, json!({ "rounds": rounds, "afterwards": [of_round, of_all] })).await?;
    ensure!(status == 200, "{body}");
    let (status, body) = r.call("POST", "/api/campaigns/1/rounds", None).await?;
    ensure!(status < 300, "{body}");
    let all = done(&r, 3).await?;
    let of = |ending: &str| all.iter().filter(|d| d["ending"] == ending && d["state"] == "done").count();
    assert_eq!((of("round"), of("rounds"), of("run")), (2, 1, 0), "a round is no recording of its own: {all:?}");
    let kept = r.get("/api/campaigns/1/kept-results").await?;
    let own = kept.as_array().map_or(0, |a| a.iter().filter(|k| k["name"] == "levels of the round").count());
    assert_eq!(own, 2);
    let night = std::fs::read_to_string(folder.path().join("night.html"))?;
    assert!(night.contains("The night") && night.matches("done").count() >= 2, "the table of all rounds is in it");
    Ok(())
}

#[tokio::test]
async fn what_waits_or_goes_can_be_stopped_and_begun_again() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let mut r = with_folder(folder.path()).await?;
    let file = |format: &str| json!({ "when": "run", "what": { "do": "file", "export": { "format": format } } });
    let (status, body) = r.plan_with(1, json!({ "afterwards": [file("csv"), file("parquet")] })).await?;
    ensure!(status == 200, "{body}");
    // Without hands of its own the server only notes what is to be done.
    r.server.kill();
    r.serve_with(&["--files-to", folder.path().to_str().context("a path")?, "--jobs", "0"])?;
    r.until("the front end sends", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    record(&r).await?;
    let all = r.got(LIST, |v| v.as_array().is_some_and(|a| a.len() == 2)).await?;
    assert!(all[0]["state"] == "waiting" && all[1]["state"] == "waiting", "{all}");
    for d in all.as_array().context("a list")? {
        assert_eq!(r.call("POST", &format!("/api/afterwards/{}/stop", d["id"]), None).await?.0, 204);
    }
    let over = done(&r, 2).await?;
    assert!(over.iter().all(|d| d["state"] == "stopped"), "{over:?}");
    let (status, body) = r.call("POST", &format!("/api/afterwards/{}/stop", over[0]["id"]), None).await?;
    assert!(status == 409 && says(&body).contains("ended already"), "{body}");
    r.server.kill();
    again(&mut r, folder.path()).await?;
    let stopped = done(&r, 2).await?;
    assert!(stopped.iter().all(|d| d["state"] == "stopped"), "what was stopped stays so: {stopped:?}");
    assert!(files(folder.path()).is_empty());
    assert_eq!(r.call("POST", &format!("/api/afterwards/{}/again", over[1]["id"]), None).await?.0, 204);
    let one = |v: &Value| v[1]["state"] == "done" && v[0]["state"] == "stopped";
    r.got(LIST, one).await?;
    assert_eq!(files(folder.path()).len(), 1);
    Ok(())
}
