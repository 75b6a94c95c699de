//! `fleet-echo soak`: records at full rate for a while and measures what the path carries; finds the
//! highest rate at which nothing is lost.

use crate::Failure;
use crate::demo::{deck_rig, thruster_rig, wait};
use crate::serve::{open_store, room};
use clap::Args;
use echo_application::processor;
use echo_capture::{Capture, CaptureState, LinkState, Options, Progress, Setup};
use echo_job::entry::Asked;
use echo_job::plan::{Length, Plan};
use echo_job::rig::Rig;
use echo_store::Store;
use std::collections::BTreeMap;
use std::time::{Duration, Instant};

/// Arguments of `soak`.
#[derive(Args)]
pub struct Soak {
    /// PostgreSQL to write to; the soak campaign is left there.
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
    /// Front ends, host:port with commas.
    #[arg(long)]
    front_end: String,
    /// Samples a second, such as 51.2 kHz.
    #[arg(long, default_value = "51200 Hz", value_parser = |text: &str| typed("the rate", "Hz", text))]
    rate_hz: f64,
    /// Length, such as 5 min.
    #[arg(long, default_value = "300 s", value_parser = |text: &str| typed("the length", "s", text))]
    seconds: f64,
    /// Try every rate the front ends offer, from the lowest up, until blocks are lost; the runs are
    /// deleted.
    #[arg(long)]
    find: bool,
}

/// A quantity as the page takes it too: with its unit or without.
fn typed(what: &str, unit: &str, text: &str) -> Result<f64, String> {
    Asked::positive(what, unit).number(text).map_err(|e| e.says)
}

/// How long the end of a recording may take to be written before the soak ends without it.
const LAST_WRITES: Duration = Duration::from_secs(60);

/// Programs whose processor time is told beside our own.
const BESIDE: [&str; 2] = ["postgres", "lantern"];

/// Processor time of this process and of the programs beside it, s.
fn processor_s() -> BTreeMap<String, f64> {
    let mut all = processor::seconds_of(&BESIDE);
    all.insert("fleet-echo".into(), processor::own_s());
    all
}

/// What one recording told.
struct Told {
    run: i64,
    samples: u64,
    lost: u64,
    /// From the first sample to everything stored, s.
    took: f64,
    recorded: f64,
    memory: Vec<f64>,
    most_held: u64,
    progress: Progress,
    processor: BTreeMap<String, f64>,
}

impl Soak {
    /// Records, then opens the run and zooms; or finds the highest rate.
    pub async fn run(&self) -> Result<(), Failure> {
        let store = open_store(&self.database_url, "soak").await?;
        let options = Options { room: room(&store).await, ..Options::default() };
        let capture = Capture::start(store.clone(), options);
        capture.connect(Some(self.front_end.clone())).await;
        wait(&capture, "the front ends are found", |s| matches!(s.link, LinkState::Connected { .. })).await?;
        let offer = capture.front_end().ok_or_else(|| anyhow::anyhow!("the front ends are gone"))?;
        let inputs = offer.inputs.len();
        let mut rig = if inputs > 24 { deck_rig(inputs as u16) } else { thruster_rig()? };
        for c in &mut rig.channels {
            c.on = true;
            if c.name.is_empty() {
                c.name = format!("input {}", c.input);
            }
        }
        let name = format!("Soak {}", chrono::Utc::now().format("%Y-%m-%d %H:%M:%S"));
        let campaign = store.create_campaign(&name, "path", "soak", &rig, &self.plan(self.rate_hz)).await?;
        if self.find {
            return self.find_highest(&store, &capture, campaign, &rig, &offer.rates_hz).await;
        }
        let before = store.waveform_bytes().await?;
        let told = self.record(&store, &capture, campaign, &rig, self.rate_hz).await?;
        let stored = (store.waveform_bytes().await? - before) as f64;
        let samples = told.samples as f64 * inputs as f64;
        println!("run of “{name}”");
        self.print(&told, inputs, self.rate_hz);
        println!("stored: {:.0} MB, {:.2} bytes a sample with overview", stored / 1e6, stored / samples);
        let quarter = |part: usize| {
            let n = told.memory.len().max(4) / 4;
            let m: Vec<f64> = told.memory.iter().skip(part * n).take(n).copied().collect();
            m.iter().sum::<f64>() / m.len().max(1) as f64
        };
        println!("resident memory: {:.0} MB in the first quarter, {:.0} MB in the last", quarter(0), quarter(3));
        open_and_zoom(&store, told.run, told.samples as i64, inputs).await
    }

    fn plan(&self, rate_hz: f64) -> Plan {
        Plan {
            sample_rate_hz: rate_hz,
            length: Length::After { duration_s: self.seconds },
            run_kind: "soak".into(),
            ..Plan::default()
        }
    }

    async fn find_highest(
        &self,
        store: &Store,
        capture: &Capture,
        campaign: i64,
        rig: &Rig,
        rates: &[f64],
    ) -> Result<(), Failure> {
        let mut highest = None;
        for rate in rates {
            let told = self.record(store, capture, campaign, rig, *rate).await?;
            self.print(&told, rig.channels.len(), *rate);
            store.delete_run(told.run).await?;
            // A stage that needs more time than there is would lose blocks if it went on.
            if told.lost > 0 || told.took > 1.1 * told.recorded + 1.0 {
                println!("→ {rate} Hz is too much");
                break;
            }
            highest = Some(*rate);
        }
        match highest {
            Some(rate) => {
                println!("highest rate at which nothing is lost: {rate} Hz × {} channels", rig.channels.len())
            }
            None => println!("blocks are lost at every rate"),
        }
        Ok(())
    }

    /// Records once and looks on.
    async fn record(
        &self,
        store: &Store,
        capture: &Capture,
        campaign: i64,
        rig: &Rig,
        rate_hz: f64,
    ) -> Result<Told, Failure> {
        capture.set_up(Setup { campaign, rig: rig.clone(), plan: self.plan(rate_hz) }).await?;
        wait(
            capture,
            "the front ends send",
            |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz == rate_hz),
        )
        .await?;
        let processor = processor_s();
        let begun = Instant::now();
        capture.record().await?;
        let status = capture.status();
        let (mut memory, mut most_held, mut last) = (Vec::new(), 0, None);
        let mut printed = Instant::now();
        let mut writing_since = None;
        loop {
            tokio::time::sleep(Duration::from_millis(250)).await;
            // A page that shows levels of all and a few live waveforms asks for about this much.
            std::hint::black_box(capture.live().levels());
            for input in 1..=4 {
                std::hint::black_box(capture.live().last(input, 16_384));
            }
            memory.push(processor::resident_mb());
            let state = status.borrow().capture.clone();
            if let CaptureState::Writing(p) = &state {
                // A disk that is full may have room again, but not for a measurement that waits for it.
                if writing_since.get_or_insert_with(Instant::now).elapsed() > LAST_WRITES {
                    let says = "the recording has ended, and the database did not take its end";
                    let held = p.held_bytes as f64 / 1e6;
                    let of =
                        format!("{says} for {} s: {held:.1} MB of run {} are lost", LAST_WRITES.as_secs(), p.number);
                    return Err(anyhow::anyhow!("{of}; make room on its disk").into());
                }
            }
            match state {
                CaptureState::Recording(p) | CaptureState::Armed(p) | CaptureState::Writing(p) => {
                    most_held = most_held.max(p.held_bytes);
                    if printed.elapsed() > Duration::from_secs(30) {
                        printed = Instant::now();
                        println!(
                            "{:4.0} s: {:.1} s recorded, {} blocks lost, {:.1} MB held, {:.0} MB resident",
                            begun.elapsed().as_secs_f64(),
                            p.samples as f64 / p.sample_rate_hz,
                            p.lost_blocks,
                            p.held_bytes as f64 / 1e6,
                            memory.last().copied().unwrap_or(f64::NAN)
                        );
                    }
                    last = Some(p);
                }
                CaptureState::Idle => break,
            }
        }
        let took = begun.elapsed().as_secs_f64();
        let ended = status.borrow().ended.clone().ok_or_else(|| anyhow::anyhow!("no run ended"))?;
        println!("run {}: {}", ended.number, ended.because);
        let run = store.run(ended.run_id).await?;
        let spent = processor_s();
        let processor = spent
            .into_iter()
            .map(|(k, s)| {
                let before = processor.get(&k).copied().unwrap_or(0.0);
                (k, (s - before) / took)
            })
            .collect();
        Ok(Told {
            run: run.id,
            samples: run.samples as u64,
            lost: ended.lost_blocks,
            took,
            recorded: run.samples as f64 / rate_hz,
            memory,
            most_held,
            progress: last.ok_or_else(|| anyhow::anyhow!("nothing was recorded"))?,
            processor,
        })
    }

    fn print(&self, told: &Told, channels: usize, rate_hz: f64) {
        let million = told.samples as f64 * channels as f64 / told.took / 1e6;
        println!(
            "{channels} channels × {rate_hz} Hz × {:.1} s in {:.1} s: {million:.2} million samples a second, {} blocks lost, at most {:.0} MB held",
            told.recorded,
            told.took,
            told.lost,
            told.most_held as f64 / 1e6
        );
        let cores: Vec<String> = told.processor.iter().map(|(k, s)| format!("{k} {:.0} %", s * 100.0)).collect();
        println!(
            "  of one core: {}; packing took {:.0} % and writing {:.0} % of the time",
            cores.join(", "),
            told.progress.packing_s / told.took * 100.0,
            told.progress.writing_s / told.took * 100.0
        );
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
