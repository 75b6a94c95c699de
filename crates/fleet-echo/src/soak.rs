//! `fleet-echo soak`: records at full rate for a while and measures what the path carries.

use crate::Failure;
use crate::demo::{thruster_rig, wait};
use crate::serve::open_store;
use clap::Args;
use echo_capture::{Capture, CaptureState, LinkState, Options, Setup};
use echo_job::plan::{Length, Plan};
use echo_store::Store;
use std::time::{Duration, Instant};

/// Arguments of `soak`.
#[derive(Args)]
pub struct Soak {
    /// PostgreSQL to write to; the soak campaign is left there.
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
    /// Front end, host:port.
    #[arg(long)]
    front_end: String,
    /// Samples a second, Hz.
    #[arg(long, default_value_t = 51_200.0)]
    rate_hz: f64,
    /// Length, s.
    #[arg(long, default_value_t = 300.0)]
    seconds: f64,
}

/// Resident memory of this process, MB.
fn resident_mb() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|l| l.starts_with("VmRSS:")).unwrap_or("");
    line.split_whitespace().nth(1).and_then(|kb| kb.parse::<f64>().ok()).unwrap_or(f64::NAN) / 1024.0
}

impl Soak {
    /// Records, then opens the run and zooms.
    pub async fn run(&self) -> Result<(), Failure> {
        let store = open_store(&self.database_url).await?;
        let mut rig = thruster_rig()?;
        for c in &mut rig.channels {
            c.on = true;
            if c.name.is_empty() {
                c.name = format!("input {}", c.input);
            }
        }
        let plan = Plan {
            sample_rate_hz: self.rate_hz,
            length: Length::After { duration_s: self.seconds },
            run_kind: "soak".into(),
            block: 32_768,
        };
        let name = format!("Soak {}", chrono::Utc::now().format("%Y-%m-%d %H:%M:%S"));
        let campaign = store.create_campaign(&name, "path", "soak", &rig, &plan).await?;
        let capture = Capture::start(store.clone(), Options::default());
        capture.connect(Some(self.front_end.clone())).await;
        capture.set_up(Setup { campaign, rig, plan }).await?;
        wait(
            &capture,
            "the front end sends",
            |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz > 0.0),
        )
        .await?;
        let before = store.waveform_bytes().await?;
        let begun = Instant::now();
        capture.record().await?;
        let status = capture.status();
        let mut memory = Vec::new();
        loop {
            tokio::time::sleep(Duration::from_secs(1)).await;
            // A page that shows live waveforms asks for about this much.
            for input in 1..=4 {
                std::hint::black_box(capture.live().last(input, 16_384));
            }
            memory.push(resident_mb());
            let state = status.borrow().capture.clone();
            match state {
                CaptureState::Recording(p) if memory.len() % 30 == 0 => println!(
                    "{:4.0} s: {:.1} s recorded, {} blocks lost, {:.1} MB held, {:.0} MB resident",
                    begun.elapsed().as_secs_f64(),
                    p.samples as f64 / p.sample_rate_hz,
                    p.lost_blocks,
                    p.held_bytes as f64 / 1e6,
                    memory.last().copied().unwrap_or(f64::NAN)
                ),
                CaptureState::Idle => break,
                _ => {}
            }
        }
        let took = begun.elapsed().as_secs_f64();
        let Some(ended) = status.borrow().ended.clone() else {
            return Err(anyhow::anyhow!("no run ended").into());
        };
        let run = store.run(ended.run_id).await?;
        let channels = store.run_channels(run.id).await?.len();
        let stored = (store.waveform_bytes().await? - before) as f64;
        let samples = run.samples as f64 * channels as f64;
        println!("run {} of “{name}”: {} · {}", run.number, run.state, ended.because);
        println!(
            "{channels} channels × {} Hz × {:.1} s in {took:.1} s: {:.2} million samples a second",
            self.rate_hz,
            run.samples as f64 / self.rate_hz,
            samples / took / 1e6
        );
        println!("blocks lost: {}", ended.lost_blocks);
        println!("stored: {:.0} MB, {:.2} bytes a sample with overview", stored / 1e6, stored / samples);
        let quarter = |part: usize| {
            let n = memory.len().max(4) / 4;
            let m: Vec<f64> = memory.iter().skip(part * n).take(n).copied().collect();
            m.iter().sum::<f64>() / m.len().max(1) as f64
        };
        println!("resident memory: {:.0} MB in the first quarter, {:.0} MB in the last", quarter(0), quarter(3));
        open_and_zoom(&store, run.id, run.samples, channels).await
    }
}

async fn open_and_zoom(store: &Store, run: i64, samples: i64, channels: usize) -> Result<(), Failure> {
    let all: Vec<i16> = (1..=channels as i16).collect();
    let begun = Instant::now();
    store.overview(run, &all, 0, samples, 1200).await?;
    println!("first picture, all {channels} channels: {:.0} ms", begun.elapsed().as_secs_f64() * 1e3);
    let mut span = samples;
    while span > 2000 {
        span /= 4;
        let from = samples / 3;
        let begun = Instant::now();
        store.overview(run, &all[..all.len().min(4)], from, from + span, 1200).await?;
        println!("zoom to {span} samples, 4 channels: {:.0} ms", begun.elapsed().as_secs_f64() * 1e3);
    }
    Ok(())
}
