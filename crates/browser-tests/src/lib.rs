//! A whole Fleet Echo for a test: private database, stand-in, server, and a browser where wanted.
//!
//! Programs are taken from the folder the tests were built into; `./test` builds them first.

pub mod browser;

use anyhow::{Context, Result, bail};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::OnceLock;
use std::time::{Duration, Instant};

/// How long something that must happen is waited for, on a machine that does much besides.
pub const PATIENCE: Duration = Duration::from_secs(90);

/// Asks again and again until there is an answer; none where [`PATIENCE`] ends first.
///
/// # Errors
/// The question's own.
pub async fn again_until<T>(mut ask: impl AsyncFnMut() -> Result<Option<T>>) -> Result<Option<T>> {
    let begun = Instant::now();
    while begun.elapsed() < PATIENCE {
        if let Some(answer) = ask().await? {
            return Ok(Some(answer));
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    Ok(None)
}

/// What an answer says in words.
pub fn says(body: &Value) -> &str {
    body["says"].as_str().unwrap_or("")
}

/// A program that is killed when dropped.
pub struct Program(pub Child);

impl Program {
    /// Kills it at once, as a power cut would.
    pub fn kill(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        self.kill();
    }
}

fn workspace() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().expect("the workspace is there")
}

/// A program built beside the tests.
pub fn program(name: &str) -> PathBuf {
    let own = std::env::current_exe().expect("a test has a path");
    own.ancestors().nth(2).expect("tests lie in deps").join(name)
}

/// Starts a program and waits for its first line.
pub fn start(command: &mut Command) -> Result<(Program, String)> {
    let mut child =
        command.stdout(Stdio::piped()).stderr(Stdio::null()).spawn().with_context(|| format!("{command:?}"))?;
    let out = child.stdout.take().context("no output")?;
    let program = Program(child);
    let mut reader = BufReader::new(out);
    let mut line = String::new();
    reader.read_line(&mut line)?;
    // Whatever follows is read away, so that the program never waits for its reader.
    std::thread::spawn(move || std::io::copy(&mut reader, &mut std::io::sink()));
    if line.trim().is_empty() {
        bail!("{command:?} ended without a word; build the programs first (./test does)");
    }
    Ok((program, line.trim().to_string()))
}

/// A private database in a folder of its own.
pub struct Database {
    folder: PathBuf,
    /// Its address.
    pub url: String,
    _keep: tempfile::TempDir,
}

impl Database {
    fn order(folder: &Path, words: &[&str]) -> Result<String> {
        let out =
            Command::new(workspace().join("tools/database")).arg(words[0]).arg(folder).args(&words[1..]).output()?;
        if !out.status.success() {
            bail!("tools/database: {}", String::from_utf8_lossy(&out.stderr));
        }
        Ok(String::from_utf8_lossy(&out.stdout).trim().to_string())
    }

    /// Starts one with the demo's campaigns and one short run, recorded once and copied for each test.
    pub fn start() -> Result<Database> {
        static MADE: OnceLock<Result<PathBuf, String>> = OnceLock::new();
        let made = MADE.get_or_init(|| Self::with_the_demo().map_err(|e| format!("{e:#}")));
        let made = made.as_ref().map_err(|e| anyhow::anyhow!("{e}"))?;
        let keep = tempfile::tempdir()?;
        // The database's own user must reach it.
        std::fs::set_permissions(keep.path(), std::os::unix::fs::PermissionsExt::from_mode(0o755))?;
        let folder = keep.path().join("database");
        let copied = Command::new("cp").arg("-a").arg(made).arg(&folder).status()?;
        anyhow::ensure!(copied.success(), "{} is not copied", made.display());
        std::fs::remove_file(folder.join("port"))?;
        let url = Self::order(&folder, &["up"])?;
        Ok(Database { folder, url, _keep: keep })
    }

    /// Starts one without anything in it.
    pub fn empty() -> Result<Database> {
        let keep = tempfile::tempdir()?;
        std::fs::set_permissions(keep.path(), std::os::unix::fs::PermissionsExt::from_mode(0o755))?;
        let folder = keep.path().join("database");
        let url = Self::order(&folder, &["up"])?;
        Ok(Database { folder, url, _keep: keep })
    }

    fn with_the_demo() -> Result<PathBuf> {
        let folder = workspace().join("var/test/demo");
        if folder.exists() {
            let _ = Self::order(&folder, &["down"]);
            std::fs::remove_dir_all(&folder)?;
        }
        let url = Self::order(&folder, &["up"])?;
        let (_quick, address, _) = lantern("127.0.0.1:0", "free", &[])?;
        let out = Command::new(program("fleet-echo"))
            .args(["demo", "--quick", "--front-end", &address])
            .env("DATABASE_URL", &url)
            .output()?;
        anyhow::ensure!(out.status.success(), "demo: {}", String::from_utf8_lossy(&out.stderr));
        Self::order(&folder, &["down"])?;
        Ok(folder)
    }

    /// Stops it at once.
    pub fn stop(&self) -> Result<()> {
        Self::order(&self.folder, &["down", "immediate"]).map(drop)
    }

    /// Starts it again at the same address.
    pub fn again(&self) -> Result<()> {
        let url = Self::order(&self.folder, &["up"])?;
        anyhow::ensure!(url == self.url, "the database came back at {url} instead of {}", self.url);
        Ok(())
    }
}

impl Drop for Database {
    fn drop(&mut self) {
        let _ = self.stop();
    }
}

/// Everything running.
pub struct Rigged {
    /// The server.
    pub server: Program,
    /// The stand-in, in real time.
    pub lantern: Program,
    /// The database.
    pub database: Database,
    /// Address of the page and the API.
    pub url: String,
    /// Address of the stand-in.
    pub lantern_address: String,
    /// Address of the stand-in's hands: what plugs, swaps and breaks.
    pub hands: String,
    deck: Option<Program>,
    client: reqwest::Client,
}

/// Starts a stand-in: its addresses, and that of its hands.
fn lantern(listen: &str, pace: &str, more: &[&str]) -> Result<(Program, String, String)> {
    let words = ["--listen", listen, "--pace", pace, "--control", "127.0.0.1:0"];
    let (program, line) = start(Command::new(program("lantern")).args(words).args(more))?;
    let (address, hands) = line.split_once(" control ").context("no control address")?;
    Ok((program, address.into(), hands.into()))
}

fn serve(database: &str, front_end: &str, more: &[&str]) -> Result<(Program, String)> {
    start(
        Command::new(program("fleet-echo"))
            // Drawing by software takes most of the processors, and no test looks at how fluent it is.
            .args(["serve", "--live-per-s", "8", "--listen", "127.0.0.1:0", "--front-end", front_end, "--page"])
            .arg(workspace().join("web/dist"))
            .args(more)
            .env("DATABASE_URL", database),
    )
}

impl Rigged {
    /// Starts everything with the demo campaign and one short recorded run.
    pub async fn start() -> Result<Rigged> {
        let database = Database::start()?;
        let (lantern, lantern_address, hands) = lantern("127.0.0.1:0", "1", &[])?;
        let (server, url) = serve(&database.url, &lantern_address, &[])?;
        let client = reqwest::Client::new();
        let rigged = Rigged { server, lantern, database, url, lantern_address, hands, deck: None, client };
        rigged.until("the front end sends", |s| s["link"]["sample_rate_hz"].as_f64() > Some(0.0)).await?;
        Ok(rigged)
    }

    /// Starts the deck survey's front ends, chooses its campaign and connects them as one system.
    pub async fn with_deck(&mut self, units: u16) -> Result<()> {
        let units = units.to_string();
        // A tenth of a second's blocks at this pace are as many as the tests need.
        let (deck, addresses, hands) = lantern("127.0.0.1:0", "1", &["--plays", "deck", "--units", &units])?;
        (self.deck, self.hands) = (Some(deck), hands);
        let (status, body) = self.call("POST", "/api/campaigns/2/choose", None).await?;
        anyhow::ensure!(status == 204, "{body}");
        self.call("PUT", "/api/capture/front-end", Some(json!({ "address": addresses }))).await?;
        self.until("the deck's front ends send", |s| {
            s["link"]["front_end"]["model"].as_str().is_some_and(|m| m.contains("Lantern 64"))
                && s["link"]["sample_rate_hz"].as_f64() > Some(0.0)
        })
        .await?;
        Ok(())
    }

    /// Takes a thruster that runs some times faster than life in place of the usual one.
    pub async fn with_quick_thruster(&mut self, pace: &str) -> Result<()> {
        let (quick, address, hands) = lantern("127.0.0.1:0", pace, &[])?;
        (self.deck, self.hands) = (Some(quick), hands);
        self.call("PUT", "/api/capture/front-end", Some(json!({ "address": address }))).await?;
        self.until("the quick thruster sends", |s| {
            s["link"]["address"] == address.as_str() && s["link"]["sample_rate_hz"].as_f64() > Some(0.0)
        })
        .await?;
        Ok(())
    }

    /// Starts the stand-in on hull frame 14, some times faster than life, and chooses its campaign.
    pub async fn with_hull(&mut self, pace: &str) -> Result<()> {
        let (hull, address, hands) = lantern("127.0.0.1:0", pace, &["--plays", "berth"])?;
        (self.deck, self.hands) = (Some(hull), hands);
        let (status, body) = self.call("POST", "/api/campaigns/3/choose", None).await?;
        anyhow::ensure!(status == 204, "{body}");
        self.call("PUT", "/api/capture/front-end", Some(json!({ "address": address }))).await?;
        self.until("the hull's front end sends", |s| s["link"]["sample_rate_hz"] == 5120.0).await?;
        Ok(())
    }

    /// Starts the stand-in on the radar mast bracket, some times faster than life, and chooses its campaign, the fourth;
    /// gives its address.
    pub async fn with_bracket(&mut self, pace: &str) -> Result<String> {
        let (bracket, address, hands) = lantern("127.0.0.1:0", pace, &["--plays", "bracket"])?;
        (self.deck, self.hands) = (Some(bracket), hands);
        let (status, body) = self.call("POST", "/api/campaigns/4/choose", None).await?;
        anyhow::ensure!(status == 204, "{body}");
        self.call("PUT", "/api/capture/front-end", Some(json!({ "address": address }))).await?;
        self.until("the bracket's front end sends", |s| s["link"]["sample_rate_hz"] == 12_800.0).await?;
        Ok(address)
    }

    /// Does something at a stand-in front end, counted from 0: its machine, its clock, its cable.
    pub async fn at_front_end(&self, unit: usize, what: Value) -> Result<()> {
        let answer = self.client.post(format!("{}/front-ends/{unit}", self.hands)).json(&what).send().await?;
        let status = answer.status();
        anyhow::ensure!(status.is_success(), "{}", answer.text().await?);
        Ok(())
    }

    /// What hangs, turns and bumps at the stand-in.
    pub async fn bench(&self) -> Result<Value> {
        Ok(self.client.get(format!("{}/bench", self.hands)).send().await?.json().await?)
    }

    /// Does something by hand at the stand-in's input.
    pub async fn by_hand(&self, input: u16, what: Value) -> Result<()> {
        let answer = self.client.post(format!("{}/inputs/{input}", self.hands)).json(&what).send().await?;
        let status = answer.status();
        anyhow::ensure!(status.is_success(), "{}", answer.text().await?);
        Ok(())
    }

    /// Starts the server anew, after it was killed.
    pub fn serve_again(&mut self) -> Result<()> {
        self.serve_with(&[])
    }

    /// The same with more words on its command line.
    pub fn serve_with(&mut self, more: &[&str]) -> Result<()> {
        (self.server, self.url) = serve(&self.database.url, &self.lantern_address, more)?;
        Ok(())
    }

    /// Plugs the stand-in in again at its address.
    pub fn plug_again(&mut self) -> Result<()> {
        (self.lantern, _, self.hands) = lantern(&self.lantern_address, "1", &[])?;
        Ok(())
    }

    /// Calls the API: status and body.
    pub async fn call(&self, method: &str, path: &str, body: Option<Value>) -> Result<(u16, Value)> {
        let mut request = self.client.request(method.parse()?, format!("{}{path}", self.url));
        if let Some(b) = body {
            request = request.json(&b);
        }
        let answer = request.send().await?;
        let status = answer.status().as_u16();
        let text = answer.text().await?;
        Ok((status, serde_json::from_str(&text).unwrap_or(Value::String(text))))
    }

    /// Calls the API as a page that shows a campaign.
    pub async fn call_for(&self, method: &str, path: &str, body: Value, shown: &str) -> Result<(u16, Value)> {
        let request = self.client.request(method.parse()?, format!("{}{path}", self.url)).header("x-campaign", shown);
        let answer = if body.is_null() { request } else { request.json(&body) }.send().await?;
        Ok((answer.status().as_u16(), serde_json::from_str(&answer.text().await?).unwrap_or_default()))
    }

    /// The body of an answer that must be a good one.
    pub async fn get(&self, path: &str) -> Result<Value> {
        match self.call("GET", path, None).await? {
            (200, body) => Ok(body),
            (status, body) => bail!("GET {path}: {status} {body}"),
        }
    }

    /// Bytes of an answer that must be a good one.
    pub async fn bytes(&self, path: &str) -> Result<Vec<u8>> {
        let answer = self.client.get(format!("{}{path}", self.url)).send().await?.error_for_status()?;
        Ok(answer.bytes().await?.to_vec())
    }

    /// Calls the API as somebody: a session's cookie, a program's `Bearer …`, or nobody. Gives the cookie that is set,
    /// too.
    pub async fn call_as(
        &self,
        who: &str,
        method: &str,
        path: &str,
        body: Option<Value>,
    ) -> Result<(u16, Value, Option<String>)> {
        let mut request = self.client.request(method.parse()?, format!("{}{path}", self.url));
        if !who.is_empty() {
            request = request.header(if who.starts_with("Bearer ") { "authorization" } else { "cookie" }, who);
        }
        if let Some(b) = body {
            request = request.json(&b);
        }
        let answer = request.send().await?;
        let status = answer.status().as_u16();
        let cookie = answer.headers().get("set-cookie").and_then(|c| c.to_str().ok());
        let cookie = cookie.and_then(|c| c.split(';').next()).map(str::to_string);
        let text = answer.text().await?;
        Ok((status, serde_json::from_str(&text).unwrap_or(Value::String(text)), cookie))
    }

    /// Sends bytes as they are: status and answer.
    pub async fn send_bytes(&self, path: &str, bytes: Vec<u8>) -> Result<(u16, Value)> {
        self.call_bytes("POST", path, bytes).await
    }

    /// The same by another method.
    pub async fn call_bytes(&self, method: &str, path: &str, bytes: Vec<u8>) -> Result<(u16, Value)> {
        let request = self.client.request(method.parse()?, format!("{}{path}", self.url));
        let answer = request.body(bytes).send().await?;
        Ok((answer.status().as_u16(), serde_json::from_str(&answer.text().await?).unwrap_or_default()))
    }

    /// Orders that answer with nothing.
    pub async fn order(&self, what: &str) -> Result<(u16, Value)> {
        self.call("POST", &format!("/api/capture/{what}"), None).await
    }

    /// Waits until the status is as wished.
    pub async fn until(&self, what: &str, good: impl Fn(&Value) -> bool) -> Result<Value> {
        self.got("/api/status", good).await.with_context(|| format!("waited until {what}"))
    }

    /// The body of a good answer, asked for until it is as wished: a page may show what was typed
    /// before the server has it.
    pub async fn got(&self, path: &str, good: impl Fn(&Value) -> bool) -> Result<Value> {
        self.poll(path, async || Ok((200, self.get(path).await?)), good).await
    }

    /// The body of a good answer to a question with a body, asked until it is as wished.
    pub async fn answered(
        &self,
        method: &str,
        path: &str,
        body: Value,
        good: impl Fn(&Value) -> bool,
    ) -> Result<Value> {
        self.poll(path, async || self.call(method, path, Some(body.clone())).await, good).await
    }

    async fn poll(
        &self,
        path: &str,
        ask: impl AsyncFn() -> Result<(u16, Value)>,
        good: impl Fn(&Value) -> bool,
    ) -> Result<Value> {
        let mut last = Value::Null;
        let answer = again_until(async || {
            last = match ask().await {
                Ok((200, v)) if good(&v) => return Ok(Some(v)),
                Ok((status, v)) => json!({ "status": status, "body": v }),
                Err(e) => json!(e.to_string()),
            };
            Ok(None)
        });
        answer.await?.with_context(|| format!("{path} never became as wished; at last it was {last}"))
    }

    /// Puts a campaign's plan with some keys changed: the status and the answer.
    pub async fn plan_with(&self, campaign: u32, change: Value) -> Result<(u16, Value)> {
        let path = format!("/api/campaigns/{campaign}/plan");
        let mut plan = self.get(&path).await?["plan"].clone();
        for (key, value) in change.as_object().context("an object")? {
            plan[key] = value.clone();
        }
        self.call("PUT", &path, Some(plan)).await
    }

    /// The newest run of the first campaign.
    pub async fn newest_run(&self) -> Result<Value> {
        let runs = self.get("/api/campaigns/1/runs").await?;
        runs.as_array().and_then(|a| a.last().cloned()).context("there is no run")
    }

    /// Waits until so many seconds of a take are recorded.
    pub async fn recorded(&self, seconds: f64) -> Result<Value> {
        let of = |s: &Value, key: &str| s["capture"][key].as_f64().unwrap_or(f64::NAN);
        let good = |s: &Value| of(s, "samples") / of(s, "sample_rate_hz") >= seconds;
        self.until(&format!("{seconds} s are recorded"), good).await
    }

    /// Waits until a trigger is waited for with so much kept from before, in seconds.
    pub async fn armed(&self, kept_s: f64) -> Result<Value> {
        let good =
            |s: &Value| s["capture"]["state"] == "armed" && s["capture"]["pre_filled_s"].as_f64() >= Some(kept_s);
        self.until("it is armed", good).await
    }

    /// Waits until nothing is captured any more.
    pub async fn idle(&self) -> Result<Value> {
        self.until("capture is idle", |s| s["capture"]["state"] == "idle").await
    }
}
