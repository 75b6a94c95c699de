//! Runs and campaigns as files, out and in.

use super::Server;
use crate::Failure;
use clap::Args;
use reqwest::Method;
use serde_json::{Value, json};
use std::path::PathBuf;

/// Arguments of `export`.
#[derive(Args)]
#[command(
    after_help = "Examples:\n  fleet-echo export 3 --out survey.echo.zip\n  fleet-echo export 3 --run 2 --out run-2.wav\n  fleet-echo export 3 --run 2 --channels 1,7 --from-s 10 --to-s 20 --rate-hz 5120 --out piece.parquet\n  fleet-echo export 3 --result \"port thruster, steady\" --out levels.parquet\nExit status: 0 done, 2 refused, 1 anything else."
)]
pub struct Export {
    #[command(flatten)]
    server: Server,
    /// Key of the campaign, or its name.
    campaign: String,
    /// Number of one run; the whole campaign when left out.
    #[arg(long)]
    run: Option<i64>,
    /// A kept result, by its name or its key, instead of a run.
    #[arg(long, conflicts_with = "run")]
    result: Option<String>,
    /// The file: .zip for a campaign, .wav, .csv, .xlsx, .parquet or .uff for a run, the same or .json for a result.
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

impl Export {
    /// Writes a campaign or a run to a file.
    pub async fn run(&self) -> Result<(), Failure> {
        let ending = self.out.extension().and_then(|e| e.to_str()).unwrap_or("").to_lowercase();
        let formats = [("wav", "wav"), ("csv", "csv"), ("xlsx", "xlsx"), ("parquet", "parquet"), ("uff", "universal")];
        let format = formats.into_iter().find(|(e, _)| *e == ending).map(|(_, format)| format);
        if let Some(told) = &self.result {
            return self.result(told, &ending).await;
        }
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

impl Export {
    /// Writes a kept result to a file.
    async fn result(&self, told: &str, ending: &str) -> Result<(), Failure> {
        let forms = [("csv", "csv"), ("xlsx", "xlsx"), ("parquet", "parquet"), ("uff", "universal"), ("json", "json")];
        let Some((_, form)) = forms.into_iter().find(|(e, _)| *e == ending) else {
            let allowed = "a result is a .csv, .xlsx, .parquet, .uff or .json file";
            return Err(Failure::Refused(format!("--out ends in “.{ending}”; {allowed}")));
        };
        let campaign = self.server.campaign(&self.campaign).await?;
        let all = self.server.json(Method::GET, &format!("/api/campaigns/{campaign}/kept-results"), None).await?;
        let all = all.as_array().cloned().unwrap_or_default();
        let key = told.parse::<i64>().ok();
        let found: Vec<i64> = all
            .iter()
            .filter(|r| r["name"] == told || (key.is_some() && r["id"].as_i64() == key))
            .filter_map(|r| r["id"].as_i64())
            .collect();
        match found[..] {
            [id] => self.server.save(&format!("/api/kept-results/{id}/file?form={form}"), &self.out).await,
            [] => {
                let names: Vec<String> = all.iter().map(|r| format!("{} {}", r["id"], r["name"])).collect();
                Err(Failure::Refused(format!("there is no kept result “{told}”; there are {}", names.join(", "))))
            }
            _ => {
                let keys: Vec<String> = found.iter().map(i64::to_string).collect();
                Err(Failure::Refused(format!("“{told}” is kept of several runs; say its key: {}", keys.join(", "))))
            }
        }
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
            let sent = self.server.send(file).await?;
            let part = match into {
                Some(campaign) => {
                    let body = json!({ "file": sent["id"], "reading": reading });
                    let path = format!("/api/campaigns/{campaign}/jobs/bring-in");
                    let job = self.server.json(Method::POST, &path, Some(body)).await?;
                    self.server.done(&job).await?
                }
                None if name.ends_with(".zip") => self.server.taken_in(&sent).await?,
                None => {
                    let says =
                        format!("{name} is no campaign file (.zip); say with --into which campaign it belongs to");
                    return Err(Failure::Refused(says));
                }
            };
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
