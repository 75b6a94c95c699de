//! Live data over one WebSocket: the page says what it shows, and gets that at most 20 times a second.
//!
//! Text messages carry the status. Binary messages carry numbers: a little-endian u32 with the
//! length of a JSON head, the head, zeros up to a multiple of four, then 32-bit floats. A page that
//! takes them slowly gets fewer of them; recording never waits for a page.

use crate::App;
use crate::api::capture::StatusBody;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use echo_job::recipe::SpectrumRecipe;
use echo_job::rig::Channel;
use echo_signal::extremes::min_max;
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::window::Window;
use serde::{Deserialize, Serialize};
use std::time::{Duration, Instant};

const FRAME: Duration = Duration::from_millis(50);
/// A spectrum is worth its cost five times a second.
const SPECTRA: Duration = Duration::from_millis(190);

/// What a page shows.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(default)]
struct Shown {
    levels: bool,
    waveform: Option<WaveformShown>,
    spectrum: Option<SpectrumShown>,
}

#[derive(Debug, Clone, Deserialize)]
struct WaveformShown {
    inputs: Vec<u16>,
    seconds: f64,
    points: usize,
}

#[derive(Debug, Clone, Deserialize)]
struct SpectrumShown {
    inputs: Vec<u16>,
    #[serde(default = "usual_block")]
    block: usize,
    to_hz: Option<f64>,
}

fn usual_block() -> usize {
    SpectrumRecipe::default().block
}

#[derive(Serialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
enum Head {
    /// Five numbers an input: peak, rms, mean and held peak as shares of range, flags (1 over now,
    /// 2 over since the reset).
    Levels { inputs: Vec<u16> },
    /// For each input all smallest, then all largest values.
    Waveform { inputs: Vec<u16>, points: usize, seconds: f64, units: Vec<String> },
    /// For each input the amplitude on each line.
    Spectrum { inputs: Vec<u16>, lines: usize, line_hz: f64, averages: usize, units: Vec<String> },
}

/// Opens the live connection.
pub async fn live(State(app): State<App>, upgrade: WebSocketUpgrade) -> Response {
    upgrade.on_upgrade(move |socket| converse(app, socket))
}

async fn converse(app: App, mut socket: WebSocket) {
    let mut shown = Shown::default();
    let mut status = app.capture.status();
    status.mark_changed();
    let mut frame = tokio::time::interval(FRAME);
    frame.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    let mut store_up = true;
    let mut frames: u64 = 0;
    let mut seen_blocks = 0;
    let mut last_spectra = Instant::now();
    loop {
        tokio::select! {
            message = socket.recv() => match message {
                Some(Ok(Message::Text(text))) => match serde_json::from_str(&text) {
                    Ok(s) => { shown = s; seen_blocks = 0; }
                    Err(e) => {
                        let says = serde_json::json!({ "refused": e.to_string() }).to_string();
                        if socket.send(Message::Text(says.into())).await.is_err() { return; }
                    }
                },
                Some(Ok(_)) => {}
                _ => return,
            },
            _ = frame.tick() => {
                frames += 1;
                // The database is asked every second; a status that did not change is told then too.
                let beat = frames % 20 == 1;
                if beat {
                    store_up = app.store.ping().await.is_ok();
                }
                // A recording's counters move with every block; five times a second is enough to read.
                if beat || (frames.is_multiple_of(4) && status.has_changed().unwrap_or(false)) {
                    let now = status.borrow_and_update().clone();
                    let body = StatusBody { status: now, store: store_up, campaign: app.setup().map(|s| s.campaign) };
                    let Ok(text) = serde_json::to_string(&body) else { return };
                    if socket.send(Message::Text(text.into())).await.is_err() { return; }
                }
                let blocks = app.capture.live().blocks();
                if blocks == seen_blocks && !beat { continue; }
                seen_blocks = blocks;
                let spectra = last_spectra.elapsed() >= SPECTRA;
                if spectra { last_spectra = Instant::now(); }
                for bytes in draw(&app, &shown, spectra).await {
                    if socket.send(Message::Binary(bytes.into())).await.is_err() { return; }
                }
            }
        }
    }
}

fn packed(head: &Head, values: impl IntoIterator<Item = f64>) -> Vec<u8> {
    let json = serde_json::to_vec(head).unwrap_or_default();
    let mut bytes = (json.len() as u32).to_le_bytes().to_vec();
    bytes.extend(&json);
    bytes.resize(bytes.len().next_multiple_of(4), 0);
    for v in values {
        bytes.extend((v as f32).to_le_bytes());
    }
    bytes
}

/// Makes the pictures of one moment, away from the threads that answer requests.
async fn draw(app: &App, shown: &Shown, spectra: bool) -> Vec<Vec<u8>> {
    let (live, shown) = (app.capture.live().clone(), shown.clone());
    let rows: Vec<Channel> = app.setup().map(|s| s.rig.channels).unwrap_or_default();
    tokio::task::spawn_blocking(move || {
        let mut out = Vec::new();
        if shown.levels {
            let levels = live.levels();
            let head = Head::Levels { inputs: levels.iter().map(|l| l.input).collect() };
            let values = levels.iter().flat_map(|l| {
                let flags = f64::from(u8::from(l.over) + 2 * u8::from(l.over_held));
                [l.peak, l.rms, l.mean, l.held, flags]
            });
            out.push(packed(&head, values));
        }
        let rate = live.rate_hz();
        let find = |inputs: &[u16]| -> Vec<(Channel, f64)> {
            inputs
                .iter()
                .take(16)
                .filter_map(|i| rows.iter().find(|r| r.input == *i && r.on).cloned())
                .map(|r| {
                    let f = r.full_scale() / f64::from(echo_link::FULL_SCALE);
                    (r, f)
                })
                .collect()
        };
        let scaled = |r: &Channel, f: f64, most: usize| -> Vec<f64> {
            live.last(r.input, most).into_iter().map(|c| f64::from(c) * f).collect()
        };
        if let Some(w) = shown.waveform.filter(|_| rate > 0.0) {
            let points = w.points.clamp(10, 4000);
            let most = ((w.seconds.clamp(1e-4, 10.0) * rate) as usize).max(2);
            let chosen = find(&w.inputs);
            let mut values = Vec::new();
            let mut kept = Vec::new();
            for (r, f) in chosen {
                let pairs = min_max(&scaled(&r, f, most), points.min(most));
                // Until the ring is full the picture grows from the right.
                let missing = points.min(most) - pairs.len();
                values.extend(std::iter::repeat_n(f64::NAN, missing).chain(pairs.iter().map(|p| p.0)));
                values.extend(std::iter::repeat_n(f64::NAN, missing).chain(pairs.iter().map(|p| p.1)));
                kept.push(r);
            }
            let head = Head::Waveform {
                inputs: kept.iter().map(|r| r.input).collect(),
                points: points.min(most),
                seconds: most as f64 / rate,
                units: kept.into_iter().map(|r| r.unit).collect(),
            };
            out.push(packed(&head, values));
        }
        if let Some(s) = shown.spectrum.filter(|_| rate > 0.0 && spectra) {
            let block = s.block.clamp(64, 1 << 17);
            let settings = SpectrumSettings {
                sample_rate_hz: rate,
                block,
                overlap: 0.5,
                window: Window::Hann,
                averaging: Averaging::Linear,
            };
            let lines =
                s.to_hz.map_or(block / 2 + 1, |hz| ((hz / rate * block as f64).ceil() as usize + 1).min(block / 2 + 1));
            let mut values = Vec::new();
            let mut kept = Vec::new();
            let mut averages = 0;
            for (r, f) in find(&s.inputs) {
                let Ok(found) = spectrum(&scaled(&r, f, block * 5 / 2), settings) else { continue };
                averages = found.averages();
                values.extend(found.values(Scaling::Peak).into_iter().take(lines));
                kept.push(r);
            }
            let head = Head::Spectrum {
                inputs: kept.iter().map(|r| r.input).collect(),
                lines,
                line_hz: rate / block as f64,
                averages,
                units: kept.into_iter().map(|r| r.unit).collect(),
            };
            out.push(packed(&head, values));
        }
        out
    })
    .await
    .unwrap_or_default()
}
