//! Live data as a page gets it: status, levels, waveforms and spectra over one WebSocket.

use anyhow::{Result, bail};
use echo_browser_tests::{PATIENCE, Rigged};
use futures::{SinkExt, StreamExt};
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};
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

    /// Opens it and waits until two seconds were heard: before, pictures hold nothing or little.
    async fn heard(r: &Rigged) -> Result<Live> {
        let mut live = Live::open(r).await?;
        live.wish(json!({ "panes": [{ "pane": 0, "show": "strip", "inputs": [7], "seconds": 3.0, "points": 300 }] }))
            .await?;
        live.drawn("strip", |h| h["seconds"].as_f64() > Some(2.1)).await?;
        Ok(live)
    }

    async fn wish(&mut self, wish: Value) -> Result<()> {
        Ok(self.0.send(Message::Text(wish.to_string().into())).await?)
    }

    async fn next(&mut self) -> Result<Message> {
        match tokio::time::timeout(PATIENCE, self.0.next()).await? {
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
        for _ in 0..2000 {
            if let Message::Binary(bytes) = self.next().await? {
                let p = picture(&bytes);
                if p.head["kind"] == kind && good(&p.head) {
                    return Ok(p);
                }
            }
        }
        bail!("no such picture of {kind} came")
    }
}

#[tokio::test]
async fn what_is_wished_is_drawn_and_no_more() -> Result<()> {
    let r = Rigged::start().await?;
    let mut live = Live::heard(&r).await?;
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

    live.wish(
        json!({ "panes": [{ "pane": 1, "show": "waveform", "inputs": [7, 22], "seconds": 0.2, "points": 400 }] }),
    )
    .await?;
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
    live.wish(json!({ "panes": [{ "pane": 2, "show": "spectrum", "inputs": [7], "block": 32768, "to_hz": 1500.0 }] }))
        .await?;
    let lines = live.drawn("spectrum", |h| h["averages"].as_i64() > Some(0)).await?;
    let spacing = lines.head["line_hz"].as_f64().unwrap();
    assert_eq!(lines.values.len() as i64, lines.head["lines"].as_i64().unwrap());
    // Above the shaft's own line, which the vertical mode lifts.
    let from = (300.0 / spacing) as usize;
    let top = (from..lines.values.len()).max_by(|&a, &b| lines.values[a].total_cmp(&lines.values[b])).unwrap();
    assert!((top as f64 * spacing - 13.0 * 2690.0 / 60.0).abs() < 2.0 * spacing, "{} Hz", top as f64 * spacing);

    // A wish that cannot be read is refused, and the last good one stands.
    live.wish(json!({ "panes": [{ "pane": 3, "show": "waveform", "inputs": "all" }] })).await?;
    live.said(|s| s["refused"].is_string()).await?;
    live.drawn("spectrum", |_| true).await?;
    Ok(())
}

#[tokio::test]
async fn a_page_that_sleeps_costs_no_block() -> Result<()> {
    let r = Rigged::start().await?;
    let mut live = Live::heard(&r).await?;
    let all: Vec<u16> = (1..=24).collect();
    live.wish(json!({ "levels": true, "panes": [
        { "pane": 1, "show": "waveform", "inputs": all, "seconds": 5.0, "points": 2000 },
        { "pane": 2, "show": "spectrum", "inputs": all, "block": 65536 },
    ] }))
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
    live.wish(json!({ "panes": [{ "pane": 1, "show": "waveform", "inputs": [99], "seconds": -1.0, "points": 0 }] }))
        .await?;
    live.wish(json!({ "levels": true })).await?;
    live.drawn("levels", |_| true).await?;
    Ok(())
}

#[tokio::test]
async fn every_display_gets_its_pictures() -> Result<()> {
    let r = Rigged::start().await?;
    let mut live = Live::heard(&r).await?;
    live.wish(json!({ "panes": [
        { "pane": 1, "show": "strip", "inputs": [7], "seconds": 30.0, "points": 300 },
        { "pane": 2, "show": "numbers", "inputs": [7, 8], "seconds": 0.5 },
        { "pane": 3, "show": "orbit", "x": 23, "y": 24, "seconds": 0.1 },
        { "pane": 4, "show": "speed", "points": 200 },
        { "pane": 5, "show": "strip", "inputs": [7], "points": 300 },
    ] }))
    .await?;
    let strip = live.drawn("strip", |h| h["pane"] == 1 && h["points"].as_i64() > Some(10)).await?;
    let (seconds, points) = (strip.head["seconds"].as_f64().unwrap(), strip.head["points"].as_f64().unwrap());
    assert!((seconds / points - 0.05).abs() < 1e-9, "a pair a block of 50 ms");
    let numbers = live.drawn("numbers", |_| true).await?;
    let [rms, peak, mean, low, high] = numbers.values[..5] else { bail!("five numbers an input") };
    assert!((3.0..6.0).contains(&rms) && peak >= rms && (low..=high).contains(&mean), "{:?}", numbers.values);
    // The shaft turns 4.5 times in a tenth of a second: so many marks on its orbit.
    let orbit = live.drawn("orbit", |h| h["marks"].as_array().is_some_and(|m| m.len() >= 3)).await?;
    let marks = orbit.head["marks"].as_array().map_or(0, Vec::len);
    let points = orbit.head["points"].as_i64().unwrap();
    assert!((3..=5).contains(&marks) && orbit.values.len() as i64 == 2 * points, "{marks} marks");
    let speed = live.drawn("speed", |h| h["reading"]["rpm"].is_number()).await?;
    assert!((speed.head["reading"]["rpm"].as_f64().unwrap() - 2690.0).abs() < 2.0, "{}", speed.head);
    // As velocity the mesh is smaller by its angular frequency; its envelope repeats with the defect.
    let spectra = json!({ "panes": [
        { "pane": 6, "show": "spectrum", "inputs": [13], "block": 32768, "to_hz": 700, "unit": "mm/s", "averages": 2 },
        { "pane": 7, "show": "spectrum", "inputs": [13], "block": 32768, "to_hz": 700, "averages": 2 },
        { "pane": 8, "show": "spectrum", "inputs": [13], "block": 32768, "to_hz": 700, "envelope_hz": [3500, 5000] },
    ] });
    live.wish(spectra).await?;
    let at = |p: &Picture, hz: f64| {
        let k = (hz / p.head["line_hz"].as_f64().unwrap()).round() as usize;
        p.values[k - 2..=k + 2].iter().copied().fold(0.0f32, f32::max)
    };
    let full = |h: &Value, pane: i64| h["pane"] == pane && h["averages"].as_i64() >= Some(2);
    let velocity = live.drawn("spectrum", |h| full(h, 6)).await?;
    let acceleration = live.drawn("spectrum", |h| full(h, 7)).await?;
    let mesh = 13.0 * 2690.0 / 60.0;
    let ratio = f64::from(at(&velocity, mesh) / at(&acceleration, mesh)) * std::f64::consts::TAU * mesh / 1e3;
    assert!((ratio - 1.0).abs() < 0.05 && velocity.head["units"][0] == "mm/s", "{ratio}");
    let envelope = live.drawn("spectrum", |h| full(h, 8)).await?;
    let defect = 3.57 * 2690.0 / 60.0;
    assert!(at(&envelope, defect) > 5.0 * at(&envelope, defect * 1.13), "bursts at {defect} Hz stand out");
    // The whole of a recording begins with it.
    live.wish(json!({ "panes": [{ "pane": 5, "show": "strip", "inputs": [7], "points": 300 }] })).await?;
    assert_eq!(r.order("record").await?.0, 204);
    let whole = live.drawn("strip", |h| h["pane"] == 5 && h["points"].as_i64() > Some(20)).await?;
    assert!(whole.head["seconds"].as_f64() < Some(4.0), "{}", whole.head);
    assert_eq!(r.order("stop").await?.0, 204);
    Ok(())
}

#[tokio::test]
async fn computed_channels_are_shown_like_measured_ones() -> Result<()> {
    let r = Rigged::start().await?;
    let math = json!({ "channels": [
        { "name": "both", "is": "gearbox_top_vert + gearbox_top_athw" },
        { "name": "lost", "is": "hypot(gearbox_top_vert, gearbox_top_athw)" },
        { "name": "level", "is": "rms(both, 0.2 s)" },
    ] });
    let (status, body) = r.call("PUT", "/api/campaigns/1/math", Some(math)).await?;
    assert_eq!(status, 200, "{body}");
    let shown = r.get("/api/campaigns/1/math").await?;
    let numbers: Vec<i64> = shown.as_array().into_iter().flatten().filter_map(|m| m["channel"].as_i64()).collect();
    assert_eq!(numbers, [1001, 1002, 1003]);
    let mut live = Live::heard(&r).await?;
    let wave = json!({ "pane": 1, "show": "waveform", "inputs": [7, 1001, 1999], "seconds": 0.05, "points": 5000 });
    live.wish(
        json!({ "panes": [wave, { "pane": 2, "show": "numbers", "inputs": [7, 8, 1001, 1003], "seconds": 2.0 }] }),
    )
    .await?;
    let picture = live.drawn("waveform", |h| h["inputs"].as_array().map(Vec::len) == Some(2)).await?;
    assert_eq!((&picture.head["inputs"], &picture.head["units"][1]), (&json!([7, 1001]), &json!("m/s²")));
    let points = picture.head["points"].as_u64().unwrap_or_default() as usize;
    assert!(picture.values[2 * points..].iter().any(|v| v.abs() > 1.0), "it is not empty");
    // Five numbers a channel; rms, peak, mean. A sum's mean is the sum of the means, its rms at most that of both.
    let numbers = live.drawn("numbers", |h| h["inputs"].as_array().map(Vec::len) == Some(4)).await?;
    let of = |k: usize, what: usize| numbers.values[5 * k + what];
    assert!((of(2, 2) - of(0, 2) - of(1, 2)).abs() < 0.05, "{:?}", numbers.values);
    assert!(of(2, 0) <= 1.01 * (of(0, 0) + of(1, 0)) && of(2, 0) > 0.1);
    // The moving rms lies where the rms is, once the stretch holds nothing of the time before both began.
    let mut apart = f32::INFINITY;
    for _ in 0..60 {
        let numbers = live.drawn("numbers", |h| h["inputs"].as_array().map(Vec::len) == Some(4)).await?;
        apart = (numbers.values[5 * 3 + 2] / numbers.values[5 * 2] - 1.0).abs();
        if apart < 0.15 {
            break;
        }
    }
    assert!(apart < 0.15, "{apart}");
    // A formula that is changed is shown as it is now; a channel it names and that goes takes it along.
    let math = json!({ "channels": [{ "name": "both", "is": "2 * gearbox_top_vert" }] });
    assert_eq!(r.call("PUT", "/api/campaigns/1/math", Some(math)).await?.0, 200);
    let mut doubled = false;
    for _ in 0..40 {
        let numbers = live.drawn("numbers", |_| true).await?;
        if numbers.head["inputs"] == json!([7, 8, 1001]) {
            doubled = (numbers.values[10] / numbers.values[0] - 2.0).abs() < 1e-3;
            if doubled {
                break;
            }
        }
    }
    assert!(doubled, "twice the channel it is made of");
    Ok(())
}

#[tokio::test]
async fn what_changes_is_told_to_every_page_also_after_the_database_was_away() -> Result<()> {
    let r = Rigged::start().await?;
    let mut live = Live::open(&r).await?;
    let told = |table: &'static str| {
        move |s: &Value| s["changed"].as_array().is_some_and(|all| all.iter().any(|t| t == table))
    };
    let (status, body) = r.plan_with(1, json!({ "named_hz": 583.0 })).await?;
    assert_eq!(status, 200, "{body}");
    // A server that has only just begun to listen says that anything may have changed.
    live.said(|s| told("campaign")(s) || told("*")(s)).await?;
    // Written past the server, by whatever program.
    let write = async || -> Result<()> {
        let mut database = PgConnection::connect(&r.database.url).await?;
        sqlx::query("UPDATE sensor SET changed_at = now()").execute(&mut database).await?;
        Ok(())
    };
    write().await?;
    live.said(told("sensor")).await?;
    r.database.stop()?;
    live.said(|s| s["store"] == false).await?;
    r.database.again()?;
    live.said(told("*")).await?;
    write().await?;
    live.said(told("sensor")).await?;
    Ok(())
}
