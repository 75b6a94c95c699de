//! The program as it is installed: packed, unpacked, started with its own page and database, recorded with, looked
//! after, upgraded.

use anyhow::{Context, Result, ensure};
use echo_browser_tests::{Program, again_until, program, start};
use serde_json::{Value, json};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn workspace() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn done(command: &mut Command) -> Result<String> {
    let out: Output = command.output().with_context(|| format!("{command:?}"))?;
    let told = format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr));
    ensure!(out.status.success(), "{command:?}: {told}");
    Ok(told.trim().to_string())
}

/// A package's files, as if they lay in a machine of their own.
struct Installed {
    root: tempfile::TempDir,
    client: reqwest::Client,
    /// The server and its address.
    server: Option<(Program, String)>,
}

impl Drop for Installed {
    fn drop(&mut self) {
        drop(self.server.take());
        let _ = Command::new(self.at("usr/lib/fleet-echo/database")).arg("down").arg(self.database()).output();
    }
}

impl Installed {
    fn at(&self, path: &str) -> PathBuf {
        self.root.path().join(path)
    }

    fn database(&self) -> PathBuf {
        self.at("var/lib/fleet-echo/database")
    }

    fn unpack(package: &str) -> Result<Installed> {
        let root = tempfile::tempdir()?;
        std::fs::set_permissions(root.path(), PermissionsExt::from_mode(0o755))?;
        done(Command::new("dpkg-deb").arg("-x").arg(package).arg(root.path()))?;
        let new = Installed { root, client: reqwest::Client::new(), server: None };
        std::fs::create_dir_all(new.at("var/lib/fleet-echo"))?;
        let config = new.at("etc/fleet-echo.toml");
        let text = std::fs::read_to_string(&config)?;
        std::fs::write(&config, text + "\nlisten = \"127.0.0.1:0\"\ndiscover = \"off\"\n")?;
        Ok(new)
    }

    /// Starts it as its service does.
    fn start(&mut self) -> Result<()> {
        self.server = Some(start(&mut Command::new(self.at("usr/lib/fleet-echo/run")))?);
        Ok(())
    }

    fn url(&self) -> Result<String> {
        Ok(self.server.as_ref().context("it is started")?.1.clone())
    }

    async fn call(&self, method: &str, path: &str, body: Value) -> Result<Value> {
        let request = self.client.request(method.parse()?, format!("{}{path}", self.url()?)).json(&body);
        let answer = request.send().await?;
        let status = answer.status();
        let text = answer.text().await?;
        ensure!(status.is_success(), "{method} {path}: {text}");
        Ok(serde_json::from_str(&text).unwrap_or(Value::Null))
    }

    async fn get(&self, path: &str) -> Result<Value> {
        Ok(self.client.get(format!("{}{path}", self.url()?)).send().await?.json().await?)
    }

    async fn until(&self, path: &str, good: impl Fn(&Value) -> bool) -> Result<Value> {
        let mut last = Value::Null;
        let came = again_until(async || {
            last = self.get(path).await?;
            Ok(good(&last).then_some(()))
        });
        came.await?.with_context(|| format!("{path} stays {last}"))?;
        Ok(last)
    }

    fn run(&self, sql: &str) -> Result<String> {
        let port = std::fs::read_to_string(self.database().join("port"))?;
        let url = format!("postgres://echo@127.0.0.1:{}/fleet_echo", port.trim());
        done(Command::new("psql").args(["--no-psqlrc", "-v", "ON_ERROR_STOP=1", "-tAc", sql, &url]))
    }

    fn backups(&self) -> usize {
        std::fs::read_dir(self.at("var/lib/fleet-echo/backups")).map_or(0, Iterator::count)
    }
}

#[tokio::test]
async fn a_package_starts_records_and_is_upgraded_with_a_backup_before() -> Result<()> {
    let out = tempfile::tempdir()?;
    let programs = program("fleet-echo");
    let programs = programs.parent().context("a folder")?;
    let package = done(
        Command::new(workspace().join("tools/package"))
            .arg(out.path())
            .env("PROGRAMS", programs)
            .current_dir(workspace()),
    )?;
    let package = package.lines().last().context("a path")?.to_string();
    let depends = done(Command::new("dpkg-deb").args(["-f", &package, "Depends"]))?;
    assert!(depends.contains("postgresql"), "{depends}");
    let control = tempfile::tempdir()?;
    done(Command::new("dpkg-deb").arg("-e").arg(&package).arg(control.path()))?;
    for script in ["postinst", "prerm", "postrm"] {
        done(Command::new("sh").arg("-n").arg(control.path().join(script)))?;
    }
    assert_eq!(std::fs::read_to_string(control.path().join("conffiles"))?.trim(), "/etc/fleet-echo.toml");

    let mut here = Installed::unpack(&package)?;
    here.start()?;
    // Its page is part of it, packed as the browser takes it.
    let page = here.client.get(here.url()?).send().await?.text().await?;
    let script = page.split("src=\"/").nth(1).and_then(|s| s.split('"').next()).context("a script")?;
    let asked = here.client.get(format!("{}/{script}", here.url()?)).header("accept-encoding", "br").send().await?;
    assert_eq!((asked.status().as_u16(), asked.headers()["content-encoding"].to_str()?), (200, "br"));
    assert!(asked.bytes().await?.len() > 10_000);

    let (_lantern, line) = start(Command::new(here.at("usr/lib/fleet-echo/lantern")).args([
        "--listen",
        "127.0.0.1:0",
        "--control",
        "127.0.0.1:0",
    ]))?;
    let address = line.split_whitespace().next().context("an address")?;
    let new = json!({ "specimen": "radar mast bracket", "purpose": "", "with": { "from": "empty" } });
    let id = here.call("POST", "/api/campaigns", new).await?;
    here.call("PUT", "/api/capture/front-end", json!({ "address": address })).await?;
    here.until("/api/status", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
    let row = json!({ "on": true, "name": "bracket, top", "sensitivity": "10.14", "coupling": "IEPE", "range_v": "5" });
    here.call("PATCH", &format!("/api/campaigns/{id}/rig/7"), row).await?;
    here.call("POST", "/api/capture/record", Value::Null).await?;
    here.until("/api/status", |s| s["capture"]["samples"].as_i64() > Some(0)).await?;
    here.call("POST", "/api/capture/stop", Value::Null).await?;
    let runs = format!("/api/campaigns/{id}/runs");
    let recorded = here.until(&runs, |r| r[0]["state"] == "whole").await?[0]["samples"].clone();
    assert!(recorded.as_i64() > Some(0) && here.backups() == 0, "{recorded}");

    // What is wrong is said, and what is not.
    let listen = here.url()?.replace("http://", "");
    let doctor = |more: &[&str]| -> Result<(bool, Vec<Value>)> {
        let port = std::fs::read_to_string(here.database().join("port"))?;
        let out = Command::new(here.at("usr/bin/fleet-echo"))
            .arg("doctor")
            .arg("--json")
            .args(["--listen", &listen])
            .args(more)
            .arg("--config")
            .arg(here.at("etc/fleet-echo.toml"))
            .env("DATABASE_URL", format!("postgres://echo@127.0.0.1:{}/fleet_echo", port.trim()))
            .output()?;
        Ok((out.status.success(), serde_json::from_slice(&out.stdout).with_context(|| format!("{out:?}"))?))
    };
    let (well, findings) = doctor(&["--front-end", address])?;
    let says = |about: &str| {
        let all = findings.iter().filter(|f| f["about"] == about);
        all.map(|f| format!("{} {}", f["is"], f["says"])).collect::<Vec<_>>().join("; ")
    };
    assert!(well, "{findings:?}");
    assert!(says("port").contains("good") && says("port").contains("A server answers"), "{findings:?}");
    assert!(says("database").contains("its tables are of this version"), "{findings:?}");
    assert!(says("owner").contains("fleet-echo serve (process"), "{findings:?}");
    assert!(says("front end").contains("answers"), "{findings:?}");
    let (well, findings) = doctor(&["--front-end", "127.0.0.1:9"])?;
    let wrong = findings.iter().find(|f| f["is"] == "wrong").context("something is wrong")?;
    assert!(!well && wrong["says"].as_str().is_some_and(|s| s.contains("127.0.0.1:9 does not answer")), "{wrong}");

    // A package that kept no tests of front ends laid the database: it is backed up, then brought up to date.
    drop(here.server.take());
    here.run(
        "DROP TABLE job_mark; DROP TABLE self_test; ALTER TABLE house DROP COLUMN units; DELETE FROM _sqlx_migrations WHERE version >= 17",
    )?;
    here.start()?;
    assert_eq!(here.backups(), 1);
    assert_eq!(here.get(&runs).await?[0]["samples"], recorded);
    assert_eq!(here.get(&format!("/api/campaigns/{id}/taps")).await?, json!([]));
    // The next start finds nothing older, and backs nothing up.
    drop(here.server.take());
    here.start()?;
    assert_eq!(here.backups(), 1);
    Ok(())
}

#[test]
fn a_file_of_options_that_is_wrong_is_told_before_anything_starts() -> Result<()> {
    let file = tempfile::NamedTempFile::new()?;
    std::fs::write(file.path(), "lisen = \"127.0.0.1:0\"\n")?;
    let out = Command::new(program("fleet-echo")).args(["serve", "--config"]).arg(file.path()).output()?;
    let says = String::from_utf8_lossy(&out.stderr);
    assert!(out.status.code() == Some(2) && says.contains("“lisen” is no option of the server"), "{says}");
    Ok(())
}
