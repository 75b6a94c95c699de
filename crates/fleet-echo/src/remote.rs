//! Commands over a server's API: what a page does, from a shell or a script.

use crate::Failure;
use anyhow::Context;
use clap::Args;
use reqwest::{Method, Response};
use serde_json::{Value, json};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
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

/// Arguments of `export`.
#[derive(Args)]
#[command(
    after_help = "Examples:\n  fleet-echo export 3 --out survey.echo.zip\n  fleet-echo export 3 --run 2 --out run-2.wav\n  fleet-echo export 3 --run 2 --channels 1,7 --from-s 10 --to-s 20 --rate-hz 5120 --out piece.parquet\nExit status: 0 done, 2 refused, 1 anything else."
)]
pub struct Export {
    #[command(flatten)]
    server: Server,
    /// Key of the campaign, or its name.
    campaign: String,
    /// Number of one run; the whole campaign when left out.
    #[arg(long)]
    run: Option<i64>,
    /// The file: .zip for a campaign, .wav, .csv, .xlsx, .parquet or .uff for a run.
    #[arg(long)]
    out: PathBuf,
    /// Channels of the run, as 1,2,5; all of them when left out.
    #[arg(long, value_delimiter = ',')]
    channels: Vec<i16>,
    /// Channels of the run by their names instead: patterns with commas between, such as "gearbox*, bearing ?".
    #[arg(long, default_value = "")]
    named: String,
    /// What stands between the cells of a .csv file: comma, semicolon or tab.
    #[arg(long, default_value = "comma")]
    separator: String,
    /// A comma for the decimal point of a .csv file.
    #[arg(long)]
    decimal_comma: bool,
    /// Beginning of the stretch, s.
    #[arg(long)]
    from_s: Option<f64>,
    /// End of the stretch, s.
    #[arg(long)]
    to_s: Option<f64>,
    /// A lower rate, Hz.
    #[arg(long)]
    rate_hz: Option<f64>,
    /// Counts of the converter instead of engineering units.
    #[arg(long)]
    counts: bool,
}

/// Arguments of `import`.
#[derive(Args)]
#[command(
    after_help = "Examples:\n  fleet-echo import survey.echo.zip\n  fleet-echo import --into 3 ramp.csv hinge.wav\nExit status: 0 done, 2 refused, 1 anything else."
)]
pub struct Import {
    #[command(flatten)]
    server: Server,
    /// Campaign that recordings are brought into, by key or name; a campaign file makes one of its own.
    #[arg(long)]
    into: Option<String>,
    /// How the files are read, as JSON: {"sample_rate_hz": 1000, "time_column": 0, …}.
    #[arg(long, default_value = "{}")]
    reading: String,
    /// As JSON instead of words.
    #[arg(long)]
    json: bool,
    /// The files.
    #[arg(required = true)]
    files: Vec<PathBuf>,
}

/// Arguments of `report`.
#[derive(Args)]
#[command(
    after_help = "Example:\n  fleet-echo report 3 --out thruster.pdf\n  fleet-echo report 3 --template \"Machine acceptance\" --out acceptance.pdf\nExit status: 0 done, 2 refused, 1 anything else."
)]
pub struct Report {
    #[command(flatten)]
    server: Server,
    /// Key of the campaign, or its name.
    campaign: String,
    /// The file: .pdf, .html, .docx, .xlsx, or .zip for its figures.
    #[arg(long)]
    out: PathBuf,
    /// Template whose blocks the report gets first, in place of those it has.
    #[arg(long)]
    template: Option<String>,
}

/// Arguments of `verify`.
#[derive(Args)]
#[command(
    after_help = "Example:\n  fleet-echo verify thruster.pdf\nExit status: 0 everything holds, 2 something does not or was refused, 1 anything else."
)]
pub struct Verify {
    #[command(flatten)]
    server: Server,
    /// The report's PDF.
    file: PathBuf,
    /// Campaign it is of, by key or name; the one of the report's name when left out.
    #[arg(long)]
    campaign: Option<String>,
    /// As JSON instead of words.
    #[arg(long)]
    json: bool,
}

const LOOK: Duration = Duration::from_millis(200);

impl Server {
    fn client(&self) -> reqwest::Client {
        reqwest::Client::new()
    }

    fn request(&self, method: Method, path: &str) -> reqwest::RequestBuilder {
        let request = self.client().request(method, format!("{}{path}", self.server.trim_end_matches('/')));
        match &self.token {
            Some(token) => request.bearer_auth(token),
            None => request,
        }
    }

    /// The answer, where it is a good one; what is refused says why.
    async fn good(&self, request: reqwest::RequestBuilder) -> Result<Response, Failure> {
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

    async fn json(&self, method: Method, path: &str, body: Option<Value>) -> Result<Value, Failure> {
        let request = self.request(method, path);
        let request = match body {
            Some(body) => request.json(&body),
            None => request,
        };
        Ok(self.good(request).await?.json().await?)
    }

    /// Key of a campaign that is told by its key or its name.
    async fn campaign(&self, told: &str) -> Result<i64, Failure> {
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
    async fn done(&self, job: &Value) -> Result<Value, Failure> {
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

    /// Writes an answer's bytes to a file as they come.
    async fn save(&self, path: &str, out: &Path) -> Result<(), Failure> {
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

impl Export {
    /// Writes a campaign or a run to a file.
    pub async fn run(&self) -> Result<(), Failure> {
        let ending = self.out.extension().and_then(|e| e.to_str()).unwrap_or("").to_lowercase();
        let formats = [("wav", "wav"), ("csv", "csv"), ("xlsx", "xlsx"), ("parquet", "parquet"), ("uff", "universal")];
        let format = formats.into_iter().find(|(e, _)| *e == ending).map(|(_, format)| format);
        let (fits, allowed) = match self.run {
            None => (ending == "zip", "a campaign is a .zip file"),
            Some(_) => (format.is_some(), "a run is a .wav, .csv, .xlsx, .parquet or .uff file"),
        };
        if !fits {
            return Err(Failure::Refused(format!("--out ends in “.{ending}”; {allowed}")));
        }
        let campaign = self.server.campaign(&self.campaign).await?;
        let job = match self.run {
            None => self.server.json(Method::POST, &format!("/api/campaigns/{campaign}/jobs/hand-over"), None).await?,
            Some(number) => {
                let runs = self.server.json(Method::GET, &format!("/api/campaigns/{campaign}/runs"), None).await?;
                let found = runs.as_array().into_iter().flatten().find(|r| r["number"] == number);
                let run = found.ok_or_else(|| Failure::Refused(format!("campaign {campaign} has no run {number}")))?;
                let path = format!("/api/runs/{}/jobs/export", run["id"]);
                let wish = json!({ "format": format, "channels": self.channels, "from_s": self.from_s, "to_s": self.to_s,
                    "rate_hz": self.rate_hz, "counts": self.counts, "named": self.named,
                    "separator": self.separator, "decimal_comma": self.decimal_comma });
                self.server.json(Method::POST, &path, Some(wish)).await?
            }
        };
        self.server.done(&job).await?;
        self.server.save(&format!("/api/jobs/{}/file", job["id"]), &self.out).await
    }
}

impl Import {
    /// Takes campaign files in, and brings recordings into a campaign.
    pub async fn run(&self) -> Result<(), Failure> {
        let reading: Value =
            serde_json::from_str(&self.reading).map_err(|e| Failure::Refused(format!("--reading is no JSON: {e}")))?;
        let into = match &self.into {
            Some(told) => Some(self.server.campaign(told).await?),
            None => None,
        };
        let mut made = Vec::new();
        for file in &self.files {
            let name = file.file_name().and_then(|n| n.to_str()).unwrap_or("file").to_string();
            let opened =
                tokio::fs::File::open(file).await.map_err(|e| Failure::Refused(format!("{}: {e}", file.display())))?;
            let request = self.server.request(Method::POST, "/api/files").query(&[("name", &name)]).body(opened);
            let sent: Value = self.server.good(request).await?.json().await?;
            let job = match into {
                Some(campaign) => {
                    let body = json!({ "file": sent["id"], "reading": reading });
                    self.server
                        .json(Method::POST, &format!("/api/campaigns/{campaign}/jobs/bring-in"), Some(body))
                        .await?
                }
                None if name.ends_with(".zip") => {
                    self.server.json(Method::POST, &format!("/api/files/{}/jobs/take-in", sent["id"]), None).await?
                }
                None => {
                    let says =
                        format!("{name} is no campaign file (.zip); say with --into which campaign it belongs to");
                    return Err(Failure::Refused(says));
                }
            };
            let part = self.server.done(&job).await?;
            if !self.json {
                let keys = ["campaign", "run", "result"].map(|what| (what, part[what].as_i64()));
                let told = keys.iter().filter_map(|(what, key)| Some(format!("{what} {}", (*key)?)));
                println!("{name}: {}", told.collect::<Vec<_>>().join(", "));
            }
            made.push(
                json!({ "file": name, "campaign": part["campaign"], "run": part["run"], "result": part["result"] }),
            );
        }
        if self.json {
            println!("{}", serde_json::to_string_pretty(&made)?);
        }
        Ok(())
    }
}

impl Report {
    /// Makes a campaign's report.
    pub async fn run(&self) -> Result<(), Failure> {
        let ending = self.out.extension().and_then(|e| e.to_str()).unwrap_or("").to_lowercase();
        let forms = [("pdf", "pdf"), ("html", "html"), ("docx", "docx"), ("xlsx", "xlsx"), ("zip", "figures")];
        let Some((_, form)) = forms.into_iter().find(|(e, _)| *e == ending) else {
            let says = format!(
                "--out ends in “.{ending}”; a report is a .pdf, .html, .docx or .xlsx file, its figures a .zip"
            );
            return Err(Failure::Refused(says));
        };
        let campaign = self.server.campaign(&self.campaign).await?;
        if let Some(template) = &self.template {
            let path = format!("/api/campaigns/{campaign}/report/from-template");
            self.server.json(Method::POST, &path, Some(json!({ "template": template }))).await?;
        }
        let path = format!("/api/campaigns/{campaign}/jobs/report?form={form}");
        let job = self.server.json(Method::POST, &path, None).await?;
        self.server.done(&job).await?;
        self.server.save(&format!("/api/jobs/{}/file", job["id"]), &self.out).await
    }
}

impl Verify {
    /// Makes every number of a report again and says which hold.
    pub async fn run(&self) -> Result<(), Failure> {
        let bytes =
            tokio::fs::read(&self.file).await.map_err(|e| Failure::Refused(format!("{}: {e}", self.file.display())))?;
        let campaign = match &self.campaign {
            Some(told) => Some(self.server.campaign(told).await?),
            None => None,
        };
        let request =
            self.server.request(Method::POST, "/api/report/verify").query(&[("campaign", campaign)]).body(bytes);
        let told: Value = self.server.good(request).await?.json().await?;
        if self.json {
            println!("{}", serde_json::to_string_pretty(&told)?);
        } else {
            println!("{}", verified(&told));
        }
        match told["holds"].as_bool() {
            Some(true) => Ok(()),
            _ => Err(Failure::Refused("not everything of the report holds".into())),
        }
    }
}

/// What became of a report, line by line.
fn verified(told: &Value) -> String {
    let text = |v: &Value, key: &str| v[key].as_str().unwrap_or_default().to_string();
    let key = text(told, "key");
    let seal = match told["seal"].as_str() {
        Some("whole") => format!("the seal of this laboratory is whole (key {key})"),
        Some("others") => format!("the seal of another laboratory is whole (key {key}); compare the key with theirs"),
        Some("broken") => "THE FILE WAS CHANGED since it was sealed".into(),
        _ => "the file has no seal".into(),
    };
    let mut lines =
        vec![format!("{}, made {} by {}", text(told, "campaign"), text(told, "made_at"), text(told, "by")), seal];
    for r in told["results"].as_array().into_iter().flatten() {
        let holds = match r["holds"].as_str() {
            Some("same") => "the same to the last bit",
            Some("near") => "the same but for the last digits",
            Some("differs") => "DIFFERS",
            _ => "NOT MADE",
        };
        let run = r["run"].as_i64().map(|n| format!(", run {n}")).unwrap_or_default();
        lines.push(format!("{}{run}: {holds}", text(r, "title")));
        let says = r["says"].as_array().into_iter().flatten().filter_map(Value::as_str);
        lines.extend(says.map(|s| format!("    {s}")));
    }
    lines.join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_does_not_hold_is_told_in_words_with_its_reasons() {
        let told = json!({ "holds": false, "seal": "broken", "key": "ab", "campaign": "ramp", "made_at": "2026-11-23", "by": "x",
            "results": [{ "title": "Levels", "run": 2, "holds": "same", "says": [] },
                        { "title": "Mesh", "run": null, "holds": "differs", "says": ["rms of channel 7: 2 g instead of 1 g"] }] });
        let says = verified(&told);
        assert!(
            says.contains("THE FILE WAS CHANGED") && says.contains("Levels, run 2: the same to the last bit"),
            "{says}"
        );
        assert!(says.ends_with("Mesh: DIFFERS\n    rms of channel 7: 2 g instead of 1 g"), "{says}");
    }
}
