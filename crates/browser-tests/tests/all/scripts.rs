//! What the documents tell to type is typed, and does what they say; commands over the API; backup and restore.

use anyhow::{Context, Result};
use echo_browser_tests::{Database, Rigged, program};
use serde_json::Value;
use std::path::Path;
use std::process::{Command, Output};

/// The blocks of a document that are written in a language.
fn blocks(document: &str, language: &str) -> Vec<String> {
    let fence = format!("```{language}\n");
    document.split(&fence).skip(1).filter_map(|b| b.split("\n```").next()).map(|b| format!("{b}\n")).collect()
}

fn run(command: &mut Command) -> Result<Output> {
    let out = command.output().with_context(|| format!("{command:?}"))?;
    anyhow::ensure!(out.status.success(), "{command:?}: {}", String::from_utf8_lossy(&out.stderr));
    Ok(out)
}

fn echo(r: &Rigged, folder: &Path, words: &[&str]) -> Result<Output> {
    Ok(Command::new(program("fleet-echo"))
        .args(words)
        .current_dir(folder)
        .env("FLEET_ECHO_SERVER", &r.url)
        .env("DATABASE_URL", &r.database.url)
        .output()?)
}

#[tokio::test]
async fn the_main_job_goes_by_curl_by_python_and_by_command() -> Result<()> {
    let r = Rigged::start().await?;
    let folder = tempfile::tempdir()?;
    let document = include_str!("../../../../docs/api.md");
    let (shell, python) = (blocks(document, "sh"), blocks(document, "python"));
    assert_eq!((shell.len(), python.len()), (2, 1));
    run(Command::new("bash")
        .args(["-euo", "pipefail", "-c", &shell[0]])
        .current_dir(&folder)
        .env("FLEET_ECHO", &r.url))?;
    let spectrum: Value = serde_json::from_slice(&std::fs::read(folder.path().join("spectrum.json"))?)?;
    assert_eq!(spectrum["traces"][0]["values"].as_array().map(Vec::len), Some(2049));
    assert!(std::fs::read(folder.path().join("report.pdf"))?.starts_with(b"%PDF"));
    std::fs::remove_file(folder.path().join("report.pdf"))?;
    let out = run(Command::new("python3").args(["-c", &python[0]]).current_dir(&folder).env("FLEET_ECHO", &r.url))?;
    assert_eq!(String::from_utf8_lossy(&out.stdout).trim(), "2049 lines in (m/s²)²/Hz");
    assert!(std::fs::read(folder.path().join("report.pdf"))?.starts_with(b"%PDF"));

    // The commands, line by line as they stand there.
    std::fs::write(folder.path().join("ramp.csv"), "t [s],ramp [mm]\n0,1\n0.5,2\n1,3\n")?;
    let path = program("fleet-echo").parent().context("a folder")?.display().to_string();
    let told = run(Command::new("bash")
        .args(["-euo", "pipefail", "-c", &shell[1]])
        .current_dir(&folder)
        .env("PATH", format!("{path}:{}", std::env::var("PATH")?))
        .env("FLEET_ECHO_SERVER", &r.url)
        .env("DATABASE_URL", &r.database.url))?;
    let told = String::from_utf8_lossy(&told.stdout).to_string();
    assert!(told.contains("bracket.echo.zip: campaign ") && told.contains("ramp.csv: run "), "{told}");
    let names = r.get("/api/campaigns").await?.to_string();
    assert!(names.contains("radar mast bracket: by curl (2)"), "{names}");

    // The counts of the file, read by nothing but an unpacker: the ten lines of the document, without its libraries.
    let bare = r#"
import array, json, zipfile
with zipfile.ZipFile("bracket.echo.zip") as z:
    run = json.loads(z.read("runs/0001/run.json"))
    for c in run["counts"]:
        counts = array.array("i", z.read(c["file"]))
        assert len(counts) == sum(n for _, n in c["stretches"]) == run["samples"], (len(counts), c["stretches"])
        print(c["name"], max(abs(x) for x in counts) * c["unit_per_count"] < 490, c["unit"])
"#;
    let out = run(Command::new("python3").args(["-c", bare]).current_dir(&folder))?;
    assert_eq!(String::from_utf8_lossy(&out.stdout).trim(), "bracket, top True m/s²");

    // What is refused ends with 2 and a sentence.
    for (words, word) in [
        (&["export", "nothing of that name", "--out", "x.zip"][..], "there is no campaign “nothing of that name”"),
        (&["export", "1", "--out", "x.pdf"], "a campaign is a .zip file"),
        (&["export", "1", "--run", "99", "--out", "x.wav"], "has no run 99"),
        (&["import", "ramp.csv"], "say with --into which campaign"),
        (&["import", "--into", "1", "missing.csv"], "missing.csv"),
        (&["backup", "--out", "fleet-echo.backup"], "is there already"),
        (&["restore", "fleet-echo.backup"], "the database is not empty"),
        (&["people", "remove", "Nobody"], "there is nobody called “Nobody”"),
    ] {
        let out = echo(&r, folder.path(), words)?;
        let says = String::from_utf8_lossy(&out.stderr).to_string();
        assert!(out.status.code() == Some(2) && says.contains(word), "{words:?}: {:?} {says}", out.status);
    }

    // The backup is restored into an empty database, and serves.
    let runs = r.get("/api/campaigns/1/runs").await?;
    let empty = Database::empty()?;
    let out = Command::new(program("fleet-echo"))
        .args(["restore", "fleet-echo.backup"])
        .current_dir(&folder)
        .env("DATABASE_URL", &empty.url)
        .output()?;
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let mut r = r;
    r.server.kill();
    r.database = empty;
    r.serve_again()?;
    assert_eq!(r.get("/api/campaigns/1/runs").await?, runs);
    Ok(())
}
