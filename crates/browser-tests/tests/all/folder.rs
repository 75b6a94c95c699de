//! A folder whose files are brought in by themselves.

use anyhow::{Context, Result, ensure};
use echo_browser_tests::{Rigged, again_until};
use serde_json::json;
use std::path::Path;

async fn there(path: &Path) -> Result<()> {
    again_until(async || Ok(path.exists().then_some(())))
        .await?
        .with_context(|| format!("{} never came", path.display()))
}

#[tokio::test]
async fn files_in_a_campaigns_folder_become_runs_and_what_cannot_says_why() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let mut r = Rigged::start().await?;
    r.server.kill();
    r.serve_with(&["--files-from", folder.path().to_str().context("a path")?])?;
    let campaign = r.get("/api/campaigns").await?[0]["name"].as_str().context("a name")?.replace(':', "-");
    let own = folder.path().join(&campaign);
    std::fs::create_dir_all(&own)?;
    let rows: String = (0..2000).map(|i| format!("{};{}\n", f64::from(i) / 1000.0, i % 7).replace('.', ",")).collect();
    std::fs::write(own.join("ramp.csv"), format!("time [s];ramp [g]\n{rows}"))?;
    std::fs::write(own.join("still written.csv.part"), "time")?;
    std::fs::write(own.join("nothing.csv"), "not a number anywhere\n")?;
    std::fs::write(folder.path().join("stray.wav"), "RIFF")?;
    there(&own.join("brought in/ramp.csv")).await?;
    let run = r.newest_run().await?;
    assert_eq!((&run["samples"], &run["sample_rate_hz"]), (&json!(2000), &json!(1000.0)), "{run}");
    there(&own.join("refused/nothing.csv.why.txt")).await?;
    there(&folder.path().join("refused/stray.wav.why.txt")).await?;
    let why = std::fs::read_to_string(folder.path().join("refused/stray.wav.why.txt"))?;
    assert!(why.contains("lies in no campaign's folder") && why.contains(&campaign), "{why}");
    assert!(own.join("still written.csv.part").exists());
    // What is brought in a second time under the same name is known by its bytes.
    let runs = async || Ok::<_, anyhow::Error>(r.get("/api/campaigns/1/runs").await?.as_array().map_or(0, Vec::len));
    let before = runs().await?;
    std::fs::rename(own.join("brought in/ramp.csv"), own.join("ramp.csv"))?;
    there(&own.join("brought in/ramp.csv")).await?;
    ensure!(runs().await? == before, "no second run of the same file");
    Ok(())
}

#[tokio::test]
async fn a_campaign_file_is_taken_in_once_though_the_server_dies_before_it_is_put_away() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let mut r = Rigged::start().await?;
    let (status, job) = r.call("POST", "/api/campaigns/4/jobs/hand-over", None).await?;
    ensure!(status == 200 && job["id"] == 1, "{job}");
    r.got("/api/jobs/1", |v| v[0]["state"] == "done").await?;
    let file = r.bytes("/api/jobs/1/file").await?;
    let campaigns =
        async |r: &Rigged| Ok::<_, anyhow::Error>(r.get("/api/campaigns").await?.as_array().map_or(0, Vec::len));
    let before = campaigns(&r).await?;
    // Where the folder for what is done with cannot be, the file lies where it was.
    std::os::unix::fs::symlink(folder.path().join("nowhere"), folder.path().join("brought in"))?;
    r.server.kill();
    let watched = folder.path().to_str().context("a path")?;
    r.serve_with(&["--files-from", watched])?;
    std::fs::write(folder.path().join("bracket.echo.zip"), file)?;
    r.got("/api/jobs/2", |v| v[0]["state"] == "done").await?;
    assert_eq!(campaigns(&r).await?, before + 1);
    r.server.kill();
    std::fs::remove_file(folder.path().join("brought in"))?;
    r.serve_with(&["--files-from", watched])?;
    there(&folder.path().join("brought in/bracket.echo.zip")).await?;
    assert_eq!(campaigns(&r).await?, before + 1);
    assert!(!folder.path().join(".bracket.echo.zip.job").exists());
    Ok(())
}
