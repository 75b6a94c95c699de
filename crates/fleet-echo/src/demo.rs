//! `fleet-echo demo`: lays the demo campaign and records its runs through the real capture path.

mod bracket;
mod report;
mod specimens;

use crate::Failure;
use crate::serve::{open_store, room};
use anyhow::Context;
use chrono::NaiveDate;
use clap::Args;
use echo_capture::{Capture, CaptureState, LinkState, Options, Setup};
use echo_job::machine::{Element, Kind, Machine};
use echo_job::measure::{Measure, What};
use echo_job::plan::{Keeps, Length, Plan, RecorderPlan};
use echo_job::recipe::SlopeName;
use echo_job::rig::{Channel, Coupling, Rig};
use echo_job::sensitivity::Sensitivity;
use echo_job::sensor::Sensor;
use echo_job::tacho::Tachometer;
use echo_job::trigger::{Condition, Edge, Trigger};
use echo_job::unit::Quantity;
use echo_job::watch::Watched;
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
    /// Address of that front end's control page, for the coast-down; left out without.
    #[arg(long)]
    hands: Option<String>,
    /// Front end on the thruster that the campaign finds again when it is chosen; none is remembered when left out.
    #[arg(long)]
    thruster_front_end: Option<String>,
    /// Front ends that play the deck, host:port with commas.
    #[arg(long, default_value = "127.0.0.1:7461,127.0.0.1:7462,127.0.0.1:7463,127.0.0.1:7464")]
    deck_front_ends: String,
    /// Record one short run only.
    #[arg(long)]
    quick: bool,
    /// Front end on hull frame 14 that the berthing is recorded from; laid without runs when left out.
    #[arg(long)]
    hull: Option<String>,
    /// Front end on hull frame 14 that the campaign finds again when it is chosen.
    #[arg(long, default_value = "127.0.0.1:7465")]
    hull_front_end: String,
    /// Front end on the bracket that a tap series is recorded from; laid without one when left out.
    #[arg(long)]
    bracket: Option<String>,
    /// Address of that front end's control page, where the hammer is.
    #[arg(long)]
    bracket_hands: Option<String>,
    /// Front end on the bracket that the campaign finds again when it is chosen.
    #[arg(long, default_value = "127.0.0.1:7466")]
    bracket_front_end: String,
}

/// Name of the campaign with triggered takes.
const BERTHING_NAME: &str = "Skerry Lass: berthing";

/// Name of the campaign with 256 channels.
const DECK_NAME: &str = "Skerry Lass: deck survey";

/// The campaign's name.
const NAME: &str = "Merrow: port thruster gearbox";

/// The rig of the demo campaign.
pub fn thruster_rig() -> anyhow::Result<Rig> {
    serde_json::from_str(include_str!("../demo/merrow-thruster-rig.json")).context("the demo rig")
}

fn plan(kind: &str, duration_s: f64) -> Plan {
    Plan { length: Length::After { duration_s }, run_kind: kind.into(), ..Plan::default() }
}

/// The plan of the thruster: its tachometer, and what is watched.
fn thruster_plan(kind: &str, duration_s: f64) -> Plan {
    let tacho = Tachometer {
        input: 22,
        threshold: 2.1,
        hysteresis: 0.8,
        unit: "V".into(),
        slope: SlopeName::Rising,
        pulses_per_rev: 1.0,
        missing_teeth: 0,
        uneven: false,
        supply_v: 0.0,
    };
    let velocity = |input| Watched {
        measure: Measure { input, of: What::BandRms { from_hz: 10.0, to_hz: 1000.0, velocity: true } },
        caution: Some(18.0),
        limit: Some(28.0),
        hysteresis: 0.05,
        delay_s: 2.0,
        switches: false,
    };
    Plan { tachos: vec![tacho], watch: [7, 8, 16].map(velocity).to_vec(), ..plan(kind, duration_s) }
}

/// What turns in the thruster.
fn thruster_machine() -> Machine {
    let element = |name: &str, ratio: f64, kind: Kind| Element { name: name.into(), ratio, kind };
    let output = 1.0 / 3.08;
    Machine {
        elements: vec![
            element("input shaft", 1.0, Kind::Shaft),
            element("output shaft", output, Kind::Shaft),
            element("pinion", 1.0, Kind::Gear { teeth: 13 }),
            element("propeller", output, Kind::Blades { count: 4 }),
            element(
                "pinion bearing",
                1.0,
                Kind::Bearing { rollers: 9, roller_mm: 7.94, pitch_mm: 38.5, contact_deg: 0.0 },
            ),
        ],
    }
}

/// The rig on hull frame 14: three axes.
pub fn berthing_rig() -> Rig {
    let channel = |(i, direction): (usize, &str)| Channel {
        on: true,
        name: format!("frame 14, {direction}"),
        sensor: format!("BI-52, {}", 5201 + i),
        sensitivity: Sensitivity { value: 10.2, unit: "mV/(m/s²)".into() },
        coupling: Coupling::Dc,
        range_v: 1.0,
        point: "frame 14".into(),
        direction: direction.into(),
        ..Channel::free(i as u16 + 1)
    };
    let axes = ["athwart", "vertical", "along"].into_iter().enumerate();
    Rig { name: "Hull frame 14".into(), channels: axes.map(channel).collect() }
}

/// The plan of the berthing: every bump athwart gives a take; the slow recorder keeps all.
fn berthing_plan() -> Plan {
    let unit = || "m/s²".to_string();
    let bump = Condition::Level { input: 1, level: 10.0, hysteresis: 5.0, unit: unit(), edge: Edge::Rising };
    let recorder = |name: &str, divide, keeps| RecorderPlan {
        name: name.into(),
        inputs: Vec::new(),
        divide,
        keeps,
        segment_s: None,
    };
    Plan {
        sample_rate_hz: 5120.0,
        block: 2048,
        start: Trigger { conditions: vec![bump], pre_s: 0.2, takes: Some(10), ..Trigger::default() },
        recorders: vec![recorder("A", 1, Keeps::Takes), recorder("C", 16, Keeps::Everything)],
        ..plan("alongside", 0.5)
    }
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
            point: specimens::place(frame, line),
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
                uncertainty_percent: None,
            };
            store.keep_sensor(&sensor, "engineer", "registered", serde_json::Value::Null).await?;
        }
        Ok(())
    }

    /// Lays the campaign of the deck survey with four front ends as one system.
    async fn lay_deck_survey(&self, store: &Store) -> anyhow::Result<i64> {
        let rig = deck_rig(256);
        let plan = Plan { sample_rate_hz: 1024.0, block: 2048, ..plan("survey, at anchor", 60.0) };
        let id = store
            .create_campaign(DECK_NAME, "Skerry Lass, car deck", "Where the deck moves at engine speed", &rig, &plan)
            .await?;
        store.remember_front_end(id, Some(&self.deck_front_ends)).await?;
        specimens::lay(store, id, &specimens::deck(32, 8)).await?;
        Ok(id)
    }

    /// Lays the campaign of the berthing, with one run if there is a front end to record from.
    async fn berth(&self, store: &Store) -> anyhow::Result<i64> {
        let (rig, plan) = (berthing_rig(), berthing_plan());
        let specimen = "Skerry Lass, hull frame 14";
        let campaign =
            store.create_campaign(BERTHING_NAME, specimen, "How hard she comes alongside", &rig, &plan).await?;
        store.remember_front_end(campaign, Some(&self.hull_front_end)).await?;
        specimens::lay(store, campaign, &specimens::frame_14()?).await?;
        let Some(hull) = &self.hull else { return Ok(campaign) };
        let capture = Capture::start(store.clone(), Options { room: room(store).await, ..Options::default() });
        capture.set_up(Setup { campaign, rig, plan }).await?;
        capture.connect(Some(hull.clone())).await;
        wait(
            &capture,
            "hull frame 14 sends",
            |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz > 0.0),
        )
        .await?;
        capture.arm().await?;
        wait(&capture, "the takes are stored", |s| s.capture == CaptureState::Idle && s.ended.is_some()).await?;
        let takes = capture.status().borrow().ended.as_ref().map_or(0, |e| e.takes);
        println!("recorded {takes} bumps on hull frame 14");
        Ok(campaign)
    }

    /// Lays those of the demo's campaigns that are not there, or were deleted.
    pub async fn run(&self) -> Result<(), Failure> {
        let store = open_store(&self.database_url, "demo").await?;
        let there: Vec<String> = store.campaigns().await?.into_iter().map(|c| c.name).collect();
        let lacks = |name: &str| !there.iter().any(|n| n == name);
        let rig = thruster_rig()?;
        let thruster = if lacks(NAME) { Some(self.lay_thruster(&store, &rig).await?) } else { None };
        let deck = if lacks(DECK_NAME) { Some(self.lay_deck_survey(&store).await?) } else { None };
        let berthing = if lacks(BERTHING_NAME) { Some(self.berth(&store).await?) } else { None };
        let tapped = if lacks(bracket::NAME) { Some(self.lay_bracket(&store).await?) } else { None };
        let laid: Vec<i64> = [thruster, deck, berthing, tapped].into_iter().flatten().collect();
        if laid.is_empty() {
            println!("the demo's campaigns are there");
        }
        store.mark_demo(&laid).await?;
        match thruster {
            Some(campaign) => self.record_thruster(&store, campaign, rig).await,
            None => Ok(()),
        }
    }

    /// Lays the campaign on the thruster, without its runs.
    async fn lay_thruster(&self, store: &Store, rig: &Rig) -> anyhow::Result<i64> {
        let plan = thruster_plan("steady, at sea", 60.0);
        let (specimen, purpose) = ("Merrow, port azimuth thruster", "Vibration after overhaul of the port thruster");
        let campaign = store.create_campaign(NAME, specimen, purpose, rig, &plan).await?;
        store.save_machine(campaign, None, &serde_json::to_value(thruster_machine())?, "engineer").await?;
        store.remember_front_end(campaign, self.thruster_front_end.as_deref()).await?;
        store.save_report(campaign, None, &report::thruster_report()?).await?;
        specimens::lay(store, campaign, &specimens::thruster()?).await?;
        self.register_sensors(store, rig).await?;
        Ok(campaign)
    }

    /// Records the runs on the thruster.
    async fn record_thruster(&self, store: &Store, campaign: i64, rig: Rig) -> Result<(), Failure> {
        let capture = Capture::start(store.clone(), Options { room: room(store).await, ..Options::default() });
        capture.connect(Some(self.front_end.clone())).await;
        let runs = [("first check", 8.0), ("steady, alongside", 30.0), ("steady, at sea", 60.0)];
        for (kind, seconds) in runs.into_iter().take(if self.quick { 1 } else { runs.len() }) {
            capture.set_up(Setup { campaign, rig: rig.clone(), plan: thruster_plan(kind, seconds) }).await?;
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
        if let (Some(hands), false) = (&self.hands, self.quick) {
            // The report is about the steady run, whatever is recorded after it.
            let steady = store.runs(campaign).await?.last().map(|r| r.id);
            if let (Some(mut report), version) = store.report(campaign).await? {
                report["run_id"] = serde_json::json!(steady);
                store.save_report(campaign, Some(version), &report).await?;
            }
            self.coast_down(&capture, campaign, &rig, hands).await?;
        }
        capture.set_up(Setup { campaign, rig, plan: thruster_plan("steady, at sea", 60.0) }).await?;
        Ok(())
    }

    /// Records a coast-down: the machine is let go at speed and runs out.
    async fn coast_down(&self, capture: &Capture, campaign: i64, rig: &Rig, hands: &str) -> Result<(), Failure> {
        let client = reqwest::Client::new();
        let bring = async |rpm: f64, rpm_per_s: f64| {
            let order = serde_json::json!({ "do": "bring_to", "rpm": rpm, "rpm_per_s": rpm_per_s });
            let answer = client.post(format!("{hands}/front-ends/0")).json(&order).send().await;
            answer.and_then(|a| a.error_for_status()).context("the stand-in's control")
        };
        let plan = Plan { sample_rate_hz: 12_800.0, ..thruster_plan("coast-down", 92.0) };
        capture.set_up(Setup { campaign, rig: rig.clone(), plan }).await?;
        bring(2950.0, 2000.0).await?;
        wait(
            capture,
            "the front end sends",
            |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz == 12_800.0),
        )
        .await?;
        tokio::time::sleep(Duration::from_secs(1)).await;
        capture.record().await?;
        bring(320.0, 30.0).await?;
        wait(capture, "the coast-down is stored", |s| s.capture == CaptureState::Idle && s.ended.is_some()).await?;
        bring(2690.0, 2000.0).await?;
        println!("recorded a coast-down from 2950 to 320 rpm");
        Ok(())
    }
}
