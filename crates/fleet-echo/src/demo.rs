//! `fleet-echo demo`: lays the demo campaign and records its runs through the real capture path.

use crate::Failure;
use crate::serve::open_store;
use anyhow::Context;
use chrono::NaiveDate;
use clap::Args;
use echo_capture::{Capture, CaptureState, LinkState, Options, Setup};
use echo_job::plan::{Length, Plan};
use echo_job::rig::{Channel, Rig};
use echo_job::sensor::Sensor;
use echo_job::unit::Quantity;
use echo_store::Store;
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
    /// Front ends that play the deck, host:port with commas.
    #[arg(long, default_value = "127.0.0.1:7461,127.0.0.1:7462,127.0.0.1:7463,127.0.0.1:7464")]
    deck_front_ends: String,
    /// Record one short run only.
    #[arg(long)]
    quick: bool,
}

/// Name of the campaign with 256 channels.
const DECK_NAME: &str = "Skerry Lass: deck survey";

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

/// The rig of the deck survey: places counted frame by frame, line by line.
pub fn deck_rig(places: u16) -> Rig {
    let channel = |input: u16| {
        let (frame, line) = ((input - 1) / 8 + 1, (input - 1) % 8 + 1);
        Channel {
            on: true,
            name: format!("frame {frame:02}, line {line}"),
            sensor: format!("QA-31, {}", 30_000 + u32::from(input)),
            range_v: 0.1,
            point: format!("frame {frame:02}, line {line}"),
            direction: "vertical".into(),
            ..Channel::free(input)
        }
    };
    Rig { name: format!("Deck survey, {places} places"), channels: (1..=places).map(channel).collect() }
}

impl Demo {
    /// Registers the thruster's sensors; one of them is overdue.
    async fn register_sensors(&self, store: &Store, rig: &Rig) -> anyhow::Result<()> {
        let day = |y, m, d| NaiveDate::from_ymd_opt(y, m, d);
        for c in rig.channels.iter().filter(|c| c.quantity == Quantity::Acceleration) {
            let Some((model, serial)) = c.sensor.split_once(", ") else { continue };
            let overdue = c.input == 12;
            let sensor = Sensor {
                model: model.into(),
                serial: serial.into(),
                maker: "Oakum & Pell".into(),
                quantity: c.quantity,
                sensitivity: c.sensitivity.clone(),
                reference_hz: Some(159.155),
                coupling: c.coupling,
                measures_to: Some(490.0),
                resonance_hz: Some(32_000.0),
                bias_v: Some(11.2),
                calibrated_on: if overdue { day(2025, 9, 30) } else { day(2026, 2, 12) },
                due_on: if overdue { day(2026, 9, 30) } else { day(2027, 2, 12) },
            };
            store.keep_sensor(&sensor, "engineer", "registered", serde_json::Value::Null).await?;
        }
        Ok(())
    }

    /// Lays the campaign of the deck survey with four front ends as one system.
    async fn lay_deck_survey(&self, store: &Store) -> anyhow::Result<()> {
        let rig = deck_rig(256);
        let plan = Plan { sample_rate_hz: 1024.0, block: 2048, ..plan("survey, at anchor", 60.0) };
        let id = store
            .create_campaign(DECK_NAME, "Skerry Lass, car deck", "Where the deck moves at engine speed", &rig, &plan)
            .await?;
        store.remember_front_end(id, Some(&self.deck_front_ends)).await?;
        Ok(())
    }

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
        self.register_sensors(&store, &rig).await?;
        self.lay_deck_survey(&store).await?;
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
