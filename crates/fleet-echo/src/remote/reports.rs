//! A campaign's report made, and one held against what is there.

use super::Server;
use crate::Failure;
use clap::Args;
use reqwest::Method;
use serde_json::{Value, json};
use std::path::PathBuf;

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
    after_help = "Examples:\n  fleet-echo verify thruster.pdf\n  fleet-echo verify thruster.pdf --campaign-file thruster.echo.zip\nExit status: 0 everything holds, 2 something does not or was refused, 1 anything else."
)]
pub struct Verify {
    #[command(flatten)]
    server: Server,
    /// The report's PDF.
    file: PathBuf,
    /// Campaign it is of, by key or name; the one of the report's name when left out.
    #[arg(long)]
    campaign: Option<String>,
    /// A campaign file (.zip) that it is held against: taken in for that, and put away again afterwards.
    #[arg(long, conflicts_with = "campaign")]
    campaign_file: Option<PathBuf>,
    /// As JSON instead of words.
    #[arg(long)]
    json: bool,
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
        let (campaign, away) = match (&self.campaign, &self.campaign_file) {
            (Some(told), _) => (Some(self.server.campaign(told).await?), None),
            (None, Some(file)) => {
                let sent = self.server.send(file).await?;
                let taken = self.server.taken_in(&sent).await?["campaign"].as_i64();
                (taken, taken)
            }
            (None, None) => (None, None),
        };
        let request =
            self.server.request(Method::POST, "/api/report/verify").query(&[("campaign", campaign)]).body(bytes);
        let told = self.server.good(request).await;
        if let Some(taken) = away {
            // Whatever came of it, what was taken in for it goes.
            let gone = self.server.request(Method::DELETE, &format!("/api/campaigns/{taken}"));
            self.server.good(gone).await?;
        }
        let told: Value = told?.json().await?;
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
