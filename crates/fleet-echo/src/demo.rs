//! `fleet-echo demo`: lays the demo campaign and records its runs through the real capture path.

use crate::Failure;
use crate::serve::open_store;
use anyhow::Context;
use clap::Args;
use echo_capture::{Capture, CaptureState, LinkState, Options, Setup};
use echo_job::plan::{Length, Plan};
use echo_job::rig::Rig;
use std::time::Duration;

/// Arguments of `demo`.
#[derive(Args)]
pub struct Demo {
    /// PostgreSQL to lay it in.
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
    /// Front end that plays the thruster, host:port.
    #[arg(long)]
    front_end: String,
    /// Record one short run only.
    #[arg(long)]
    quick: bool,
}

/// The campaign's name.
const NAME: &str = "Merrow: port thruster gearbox";

/// The rig of the demo campaign.
pub fn thruster_rig() -> anyhow::Result<Rig> {
    serde_json::from_str(include_str!("../demo/merrow-thruster-rig.json")).context("the demo rig")
}

fn plan(kind: &str, duration_s: f64) -> Plan {
    Plan { sample_rate_hz: 51_200.0, length: Length::After { duration_s }, run_kind: kind.into(), block: 32_768 }
}

/// Waits for a state of capture.
pub async fn wait(
    capture: &Capture,
    what: &str,
    good: impl FnMut(&echo_capture::Status) -> bool,
) -> anyhow::Result<()> {
    tokio::time::timeout(Duration::from_secs(600), capture.status().wait_for(good))
        .await
        .with_context(|| format!("waited in vain until {what}"))??;
    Ok(())
}

impl Demo {
    /// Lays the campaign if it is not there.
    pub async fn run(&self) -> Result<(), Failure> {
        let store = open_store(&self.database_url).await?;
        if store.campaigns().await?.iter().any(|c| c.name == NAME) {
            println!("the demo campaign is there");
            return Ok(());
        }
        let rig = thruster_rig()?;
        let last = plan("steady, at sea", 60.0);
        let campaign = store
            .create_campaign(
                NAME,
                "Merrow, port azimuth thruster",
                "Vibration after overhaul of the port thruster",
                &rig,
                &last,
            )
            .await?;
        let report = serde_json::json!({
            "title": "Port thruster after overhaul",
            "findings": "The gear mesh at 13 times the input shaft stands out, with side lines at the output shaft's speed.\nPasses over the outer race of the input bearing repeat 3.57 times a turn.",
            "run_id": null,
            "recipe": { "lens": "spectrum", "channels": [7], "block": 32768 },
            "shown_hz": [0.0, 1400.0],
        });
        store.save_report(campaign, &report).await?;
        let capture = Capture::start(store.clone(), Options::default());
        capture.connect(Some(self.front_end.clone())).await;
        let runs = [("first check", 8.0), ("steady, alongside", 30.0), ("steady, at sea", 60.0)];
        for (kind, seconds) in runs.into_iter().take(if self.quick { 1 } else { runs.len() }) {
            capture.set_up(Setup { campaign, rig: rig.clone(), plan: plan(kind, seconds) }).await?;
            wait(
                &capture,
                "the front end sends",
                |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz > 0.0),
            )
            .await?;
            capture.record().await?;
            wait(&capture, "the run is stored", |s| s.capture == CaptureState::Idle && s.ended.is_some()).await?;
            let ended = capture.status().borrow().ended.clone();
            match ended {
                Some(e) if e.whole && e.lost_blocks == 0 => println!("recorded run {}: {kind}, {seconds} s", e.number),
                e => return Err(anyhow::anyhow!("the run did not end well: {e:?}").into()),
            }
        }
        Ok(())
    }
}
