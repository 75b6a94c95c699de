//! Live data as a page gets it: status, levels, waveforms and spectra over one WebSocket.

use anyhow::{Result, bail};
use echo_browser_tests::Rigged;
use futures::{SinkExt, StreamExt};
use serde_json::{Value, json};
use std::time::Duration;
use tokio::net::TcpStream;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::{MaybeTlsStream, WebSocketStream};

struct Live(WebSocketStream<MaybeTlsStream<TcpStream>>);

struct Picture {
    head: Value,
    values: Vec<f32>,
}

/// A little-endian length, a JSON head, zeros up to a multiple of four, then 32-bit floats.
fn picture(bytes: &[u8]) -> Picture {
    let length = u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]) as usize;
    let head = serde_json::from_slice(&bytes[4..4 + length]).expect("a head");
    let from = (4 + length).next_multiple_of(4);
    let values = bytes[from..].chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect();
    Picture { head, values }
}

impl Live {
    async fn open(r: &Rigged) -> Result<Live> {
        let (socket, _) = tokio_tungstenite::connect_async(format!("{}/api/live", r.url.replace("http", "ws"))).await?;
        Ok(Live(socket))
    }

    async fn wish(&mut self, wish: Value) -> Result<()> {
        Ok(self.0.send(Message::Text(wish.to_string().into())).await?)
    }

    async fn next(&mut self) -> Result<Message> {
        match tokio::time::timeout(Duration::from_secs(20), self.0.next()).await? {
            Some(m) => Ok(m?),
            None => bail!("the connection was closed"),
        }
    }

    async fn said(&mut self, good: impl Fn(&Value) -> bool) -> Result<Value> {
        loop {
            if let Message::Text(text) = self.next().await? {
                let value: Value = serde_json::from_str(&text)?;
                if good(&value) {
                    return Ok(value);
                }
            }
        }
    }

    async fn drawn(&mut self, kind: &str, good: impl Fn(&Value) -> bool) -> Result<Picture> {
        loop {
            if let Message::Binary(bytes) = self.next().await? {
                let p = picture(&bytes);
                if p.head["kind"] == kind && good(&p.head) {
                    return Ok(p);
                }
            }
        }
    }
}

#[tokio::test]
async fn what_is_wished_is_drawn_and_no_more() -> Result<()> {
    let r = Rigged::start().await?;
    let mut live = Live::open(&r).await?;
    let status = live.said(|s| s["link"]["link"] == "connected").await?;
    assert_eq!((&status["store"], &status["campaign"]), (&json!(true), &json!(1)));

    live.wish(json!({ "levels": true })).await?;
    let levels = live.drawn("levels", |_| true).await?;
    let inputs = levels.head["inputs"].as_array().map_or(0, Vec::len);
    assert_eq!(levels.values.len(), 5 * inputs);
    let of =
        |input: i64| levels.head["inputs"].as_array().unwrap().iter().position(|i| i.as_i64() == Some(input)).unwrap();
    let bar = &levels.values[5 * of(7)..5 * of(7) + 5];
    assert!(bar[0] > 0.01 && bar[0] <= 1.0 && bar[1] <= bar[0] && bar[3] >= bar[0], "peak, rms, mean, held: {bar:?}");

    live.wish(json!({ "waveform": { "inputs": [7, 22], "seconds": 0.2, "points": 400 } })).await?;
    let wave = live.drawn("waveform", |_| true).await?;
    assert_eq!((&wave.head["inputs"], &wave.head["points"]), (&json!([7, 22]), &json!(400)));
    assert_eq!((wave.values.len(), &wave.head["units"][0]), (2 * 2 * 400, &json!("m/s²")));
    let (low, high) = (&wave.values[..400], &wave.values[400..800]);
    assert!(low.iter().zip(high).all(|(a, b)| a <= b || a.is_nan()));
    let top = high.iter().copied().filter(|v| v.is_finite()).fold(0.0f32, f32::max);
    assert!((3.0..60.0).contains(&top), "{top} m/s²");
    let mark = wave.values[1200..].iter().copied().filter(|v| v.is_finite()).fold(0.0f32, f32::max);
    assert!((3.5..4.5).contains(&mark), "the mark is 4 V high: {mark}");

    // The mesh stands where the stand-in makes it: 13 times 2690 rpm.
    live.wish(json!({ "spectrum": { "inputs": [7], "block": 32768, "to_hz": 1500.0 } })).await?;
    let lines = live.drawn("spectrum", |h| h["averages"].as_i64() > Some(0)).await?;
    let spacing = lines.head["line_hz"].as_f64().unwrap();
    assert_eq!(lines.values.len() as i64, lines.head["lines"].as_i64().unwrap());
    // Above the shaft's own line, which the vertical mode lifts.
    let from = (300.0 / spacing) as usize;
    let top = (from..lines.values.len()).max_by(|&a, &b| lines.values[a].total_cmp(&lines.values[b])).unwrap();
    assert!((top as f64 * spacing - 13.0 * 2690.0 / 60.0).abs() < 2.0 * spacing, "{} Hz", top as f64 * spacing);

    // A wish that cannot be read is refused, and the last good one stands.
    live.wish(json!({ "waveform": { "inputs": "all" } })).await?;
    live.said(|s| s["refused"].is_string()).await?;
    live.drawn("spectrum", |_| true).await?;
    Ok(())
}

#[tokio::test]
async fn a_page_that_sleeps_costs_no_block() -> Result<()> {
    let r = Rigged::start().await?;
    let mut live = Live::open(&r).await?;
    let all: Vec<u16> = (1..=24).collect();
    live.wish(json!({ "levels": true, "waveform": { "inputs": all, "seconds": 5.0, "points": 2000 },
        "spectrum": { "inputs": all, "block": 65536 } }))
        .await?;
    live.drawn("waveform", |_| true).await?;
    assert_eq!(r.order("record").await?.0, 204);
    // Nothing is read for a while: the pictures pile up on the server's side of the wire.
    tokio::time::sleep(Duration::from_secs(6)).await;
    assert_eq!(r.order("stop").await?.0, 204);
    let status = r.idle().await?;
    assert_eq!((&status["ended"]["lost_blocks"], &status["ended"]["whole"]), (&json!(0), &json!(true)), "{status}");
    // Awake again, it is told how things stand now.
    live.said(|s| s["capture"]["state"] == "idle").await?;
    // Wishes for what is not there are not drawn and break nothing.
    live.wish(json!({ "waveform": { "inputs": [99], "seconds": -1.0, "points": 0 } })).await?;
    live.wish(json!({ "levels": true })).await?;
    live.drawn("levels", |_| true).await?;
    Ok(())
}
