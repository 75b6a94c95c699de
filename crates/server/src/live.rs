//! Live data over one WebSocket: the page says what it shows, and gets that at most 20 times a second, or less often
//! where the server is told to.
//!
//! Text messages carry the status, or which tables of the database have changed. Binary messages carry numbers: a little-endian u32 with the
//! length of a JSON head, the head, zeros up to a multiple of four, then 32-bit floats. A page that
//! takes them slowly gets fewer of them; recording never waits for a page.

use crate::App;
use crate::api::capture::StatusBody;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::http::HeaderMap;
use axum::response::Response;
use echo_application::pictures::draw;
use echo_application::pictures::wish::Shown;
use std::collections::BTreeSet;
use std::time::{Duration, Instant};

const FRAME: Duration = Duration::from_millis(50);
/// A spectrum is worth its cost five times a second, and so are values that are read.
const SLOW: Duration = Duration::from_millis(190);

/// Opens the live connection.
pub async fn live(State(app): State<App>, headers: HeaderMap, upgrade: WebSocketUpgrade) -> Response {
    let who = crate::api::who(&headers);
    upgrade.on_upgrade(move |socket| converse(app, who, socket))
}

async fn converse(app: App, who: String, mut socket: WebSocket) {
    let page = app.present.open(&who);
    let mut shown = Shown::default();
    let mut status = app.capture.status();
    status.mark_changed();
    let mut news = app.news.listen();
    let mut frame = tokio::time::interval(FRAME);
    frame.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    let mut frames: u64 = 0;
    let mut news_from = 0;
    let mut seen_blocks = 0;
    let mut last_slow = Instant::now();
    let mut last_drawn = Instant::now();
    loop {
        tokio::select! {
            message = socket.recv() => match message {
                Some(Ok(Message::Text(text))) => match Shown::read(&text) {
                    Ok(s) => { page.shows(s.campaign); shown = s; seen_blocks = 0; }
                    Err(says) => {
                        let says = serde_json::json!({ "refused": says }).to_string();
                        if socket.send(Message::Text(says.into())).await.is_err() { return; }
                    }
                },
                Some(Ok(_)) => {}
                _ => return,
            },
            _ = frame.tick() => {
                frames += 1;
                // Every second the status is told though nothing of it changed.
                let beat = frames % 20 == 1;
                // A recording's counters move with every block; five times a second is enough to read.
                if beat || (frames.is_multiple_of(4) && status.has_changed().unwrap_or(false)) {
                    let now = status.borrow_and_update().clone();
                    let body = StatusBody::of(&app, now, app.pulse.answers());
                    let Ok(text) = serde_json::to_string(&body) else { return };
                    if socket.send(Message::Text(text.into())).await.is_err() { return; }
                }
                // The first news are told at once; many in a row five times a second.
                let changed = if frames >= news_from { news.read() } else { BTreeSet::new() };
                if !changed.is_empty() {
                    news_from = frames + 4;
                    let text = serde_json::json!({ "changed": changed }).to_string();
                    if socket.send(Message::Text(text.into())).await.is_err() { return; }
                }
                let blocks = app.capture.live().blocks();
                if (blocks == seen_blocks || last_drawn.elapsed() + FRAME / 2 < app.live_each) && !beat { continue; }
                last_drawn = Instant::now();
                seen_blocks = blocks;
                let slow = last_slow.elapsed() >= SLOW;
                if slow { last_slow = Instant::now(); }
                for bytes in draw(&app, &shown, slow).await {
                    if socket.send(Message::Binary(bytes.into())).await.is_err() { return; }
                }
            }
        }
    }
}
