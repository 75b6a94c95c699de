//! Commands over a server's API: what a page does, from a shell or a script.
//!
//! | file | what it holds |
//! | --- | --- |
//! | `mod` | the server that is asked; `campaigns` |
//! | [`files`] | `export`, `import` |
//! | [`reports`] | `report`, `verify` |
//! | [`by_itself`] | `afterwards` |

pub mod by_itself;
pub mod files;
pub mod reports;

use crate::Failure;
use anyhow::Context;
use clap::Args;
use reqwest::{Method, Response};
use serde_json::Value;
use std::io::IsTerminal;
use std::path::Path;
use std::time::Duration;
use tokio::io::AsyncWriteExt;

/// Where the server is, and who asks.
#[derive(Args)]
pub struct Server {
    /// Address of the server.
    #[arg(long, env = "FLEET_ECHO_SERVER", default_value = "http://127.0.0.1:7400")]
    server: String,
    /// Token, where people sign in there.
    #[arg(long, env = "FLEET_ECHO_TOKEN", hide_env_values = true)]
    token: Option<String>,
}

/// Arguments of `campaigns`.
#[derive(Args)]
#[command(
    after_help = "Example:\n  fleet-echo campaigns --json | jq '.[].name'\nExit status: 0 done, 2 refused, 1 anything else."
)]
pub struct Campaigns {
    #[command(flatten)]
    server: Server,
    /// As JSON instead of a table.
    #[arg(long)]
    json: bool,
}

const LOOK: Duration = Duration::from_millis(200);

impl Server {
    fn client(&self) -> reqwest::Client {
        reqwest::Client::new()
    }

    pub(super) fn request(&self, method: Method, path: &str) -> reqwest::RequestBuilder {
        let request = self.client().request(method, format!("{}{path}", self.server.trim_end_matches('/')));
        match &self.token {
            Some(token) => request.bearer_auth(token),
            None => request,
        }
    }

    /// The answer, where it is a good one; what is refused says why.
    pub(super) async fn good(&self, request: reqwest::RequestBuilder) -> Result<Response, Failure> {
        let answer = request.send().await.with_context(|| format!("{} does not answer", self.server))?;
        let status = answer.status();
        if status.is_success() {
            return Ok(answer);
        }
        let text = answer.text().await.unwrap_or_default();
        let says = serde_json::from_str::<Value>(&text).ok().and_then(|v| v["says"].as_str().map(str::to_string));
        let says = says.unwrap_or_else(|| format!("the server answered {status}"));
        if status.is_client_error() { Err(Failure::Refused(says)) } else { Err(anyhow::Error::msg(says).into()) }
    }

    pub(super) async fn json(&self, method: Method, path: &str, body: Option<Value>) -> Result<Value, Failure> {
        let request = self.request(method, path);
        let request = match body {
            Some(body) => request.json(&body),
            None => request,
        };
        Ok(self.good(request).await?.json().await?)
    }

    /// Key of a campaign that is told by its key or its name.
    pub(super) async fn campaign(&self, told: &str) -> Result<i64, Failure> {
        let all = self.json(Method::GET, "/api/campaigns", None).await?;
        let all = all.as_array().cloned().unwrap_or_default();
        let key = told.parse::<i64>().ok();
        let found = all.iter().find(|c| c["name"] == told || (key.is_some() && c["id"].as_i64() == key));
        let names = || all.iter().map(|c| format!("{} {}", c["id"], c["name"])).collect::<Vec<_>>().join(", ");
        found
            .and_then(|c| c["id"].as_i64())
            .ok_or_else(|| Failure::Refused(format!("there is no campaign “{told}”; there are {}", names())))
    }

    /// Waits for the only part of a job; what it made.
    pub(super) async fn done(&self, job: &Value) -> Result<Value, Failure> {
        let terminal = std::io::stderr().is_terminal();
        loop {
            let parts = self.json(Method::GET, &format!("/api/jobs/{}", job["id"]), None).await?;
            let part = parts[0].clone();
            match part["state"].as_str() {
                Some("done") => return Ok(part),
                Some("refused") => return Err(Failure::Refused(part["says"].as_str().unwrap_or("").to_string())),
                Some("stopped") => return Err(Failure::Refused("it was stopped".into())),
                _ => {}
            }
            if terminal {
                eprint!("\r{:3.0} %\r", 100.0 * part["share"].as_f64().unwrap_or(0.0));
            }
            tokio::time::sleep(LOOK).await;
        }
    }

    /// Sends a file; what the server calls it.
    pub(super) async fn send(&self, file: &Path) -> Result<Value, Failure> {
        let name = file.file_name().and_then(|n| n.to_str()).unwrap_or("file");
        let opened =
            tokio::fs::File::open(file).await.map_err(|e| Failure::Refused(format!("{}: {e}", file.display())))?;
        let request = self.request(Method::POST, "/api/files").query(&[("name", name)]).body(opened);
        Ok(self.good(request).await?.json().await?)
    }

    /// Takes a campaign file that was sent in; what it became.
    pub(super) async fn taken_in(&self, sent: &Value) -> Result<Value, Failure> {
        let job = self.json(Method::POST, &format!("/api/files/{}/jobs/take-in", sent["id"]), None).await?;
        self.done(&job).await
    }

    /// Writes an answer's bytes to a file as they come.
    pub(super) async fn save(&self, path: &str, out: &Path) -> Result<(), Failure> {
        let mut answer = self.good(self.request(Method::GET, path)).await?;
        let mut file = tokio::fs::File::create(out).await.with_context(|| out.display().to_string())?;
        while let Some(piece) = answer.chunk().await? {
            file.write_all(&piece).await?;
        }
        Ok(file.flush().await?)
    }
}

impl Campaigns {
    /// Lists the campaigns.
    pub async fn run(&self) -> Result<(), Failure> {
        let all = self.server.json(Method::GET, "/api/shelf", None).await?;
        if self.json {
            println!("{}", serde_json::to_string_pretty(&all)?);
            return Ok(());
        }
        for c in all.as_array().into_iter().flatten().filter(|c| c["gone_at"].is_null()) {
            let text = |key: &str| c[key].as_str().unwrap_or("").to_string();
            println!(
                "{:>4}  {:16}  {:>4} runs  {:>9.1} MB  {}",
                c["id"],
                text("worked_at").get(..16).unwrap_or("").replace('T', " "),
                c["runs"],
                c["bytes"].as_f64().unwrap_or(0.0) / 1e6,
                text("name")
            );
        }
        Ok(())
    }
}
