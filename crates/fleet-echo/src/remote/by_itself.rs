//! What is done by itself in a campaign, and where it stands.

use super::{LOOK, Server};
use crate::Failure;
use clap::Args;
use reqwest::Method;
use serde_json::Value;

/// Arguments of `afterwards`.
#[derive(Args)]
#[command(
    after_help = "Examples:\n  fleet-echo afterwards 3\n  fleet-echo afterwards \"port thruster\" --wait && rsync -a files/ archive/\nExit status: 0 all of it is done, or on its way, 2 something could not be done, 1 anything else."
)]
pub struct Afterwards {
    #[command(flatten)]
    server: Server,
    /// Key of the campaign, or its name.
    campaign: String,
    /// Waits until nothing waits or goes any more.
    #[arg(long)]
    wait: bool,
    /// As JSON instead of a table.
    #[arg(long)]
    json: bool,
}

impl Afterwards {
    /// Lists what is done by itself, and where it stands.
    pub async fn run(&self) -> Result<(), Failure> {
        let campaign = self.server.campaign(&self.campaign).await?;
        let path = format!("/api/campaigns/{campaign}/afterwards");
        let all = loop {
            let all = self.server.json(Method::GET, &path, None).await?;
            let open = |d: &Value| matches!(d["state"].as_str(), Some("waiting" | "going"));
            if !self.wait || !all.as_array().is_some_and(|a| a.iter().any(open)) {
                break all;
            }
            tokio::time::sleep(LOOK).await;
        };
        if self.json {
            println!("{}", serde_json::to_string_pretty(&all)?);
        } else {
            println!("{}", listed(&all));
        }
        let refused = all.as_array().into_iter().flatten().filter(|d| d["state"] == "refused").count();
        if refused > 0 { Err(Failure::Refused(format!("{refused} could not be done"))) } else { Ok(()) }
    }
}

/// One line each, the newest first.
fn listed(all: &Value) -> String {
    let line = |d: &Value| {
        let text = |v: &Value| v.as_str().unwrap_or_default().to_string();
        let what = &d["what"];
        let done = match what["do"].as_str() {
            Some("keep") => format!("keep “{}”", text(&what["name"])),
            Some("file") => format!("write {}", text(&what["export"]["format"])),
            _ => format!("report as {}", what["form"].as_str().unwrap_or("pdf")),
        };
        let more = match d["state"].as_str() {
            Some("refused") => text(&d["says"]),
            Some("going") => format!("{:.0} %", 100.0 * d["share"].as_f64().unwrap_or(0.0)),
            _ => text(&d["path"]),
        };
        format!(
            "{:>6} {:>4}  {:24}  {:8}  {more}",
            text(&d["ending"]),
            d["number"].to_string(),
            done,
            text(&d["state"])
        )
    };
    all.as_array().into_iter().flatten().map(|d| line(d).trim_end().to_string()).collect::<Vec<_>>().join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn each_is_a_line_with_what_came_of_it() {
        let all = json!([
            { "ending": "run", "number": 7, "what": { "do": "keep", "name": "mesh" }, "state": "done", "path": "" },
            { "ending": "run", "number": 7, "what": { "do": "file", "export": { "format": "wav" } }, "state": "refused",
              "says": "the disk is full" },
            { "ending": "rounds", "number": 1, "what": { "do": "report" }, "state": "going", "share": 0.5 },
        ]);
        let told = listed(&all);
        let lines: Vec<&str> = told.lines().collect();
        assert!(lines[0].contains("run    7  keep “mesh”") && lines[0].ends_with("done"), "{told}");
        assert!(lines[1].ends_with("refused   the disk is full"), "{told}");
        assert!(lines[2].contains("report as pdf") && lines[2].ends_with("50 %"), "{told}");
    }
}
