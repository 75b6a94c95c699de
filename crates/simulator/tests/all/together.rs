//! Two stand-ins over TCP that begin together, and what a front end says unasked.

use echo_link::{
    Answer, AnswerBody, Block, Coupling, FULL_SCALE, Frame, FrameCodec, InputSetting, Notice, Request, RequestBody,
    Settings, Wave, greet,
};
use echo_simulator::device::{Lantern, Plays};
use echo_simulator::memory::blank;
use echo_simulator::serve::{Pace, own, serve};
use futures::{SinkExt, StreamExt};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant, SystemTime};
use tokio::net::{TcpListener, TcpStream};
use tokio_util::codec::Framed;

const RATE: f64 = 2048.0;

struct Line {
    framed: Framed<TcpStream, FrameCodec>,
    device: Arc<Mutex<Lantern>>,
    address: std::net::SocketAddr,
    id: u64,
    blocks: Vec<Block>,
    notices: Vec<Notice>,
}

impl Line {
    async fn open(plays: Plays, pace: Pace) -> Line {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let address = listener.local_addr().unwrap();
        let device = Arc::new(Mutex::new(Lantern::playing("LT-t", plays)));
        tokio::spawn(serve(listener, device.clone(), pace));
        let mut stream = TcpStream::connect(address).await.unwrap();
        greet(&mut stream).await.unwrap();
        let framed = Framed::new(stream, FrameCodec);
        Line { framed, device, address, id: 0, blocks: Vec::new(), notices: Vec::new() }
    }

    async fn next(&mut self) -> Option<Answer> {
        let frame = tokio::time::timeout(Duration::from_secs(5), self.framed.next()).await.expect("it fell silent");
        match frame?.unwrap() {
            Frame::Answer(a) => return Some(a),
            Frame::Block(b) => self.blocks.push(b),
            Frame::Notice(n) => self.notices.push(n),
            Frame::Request(r) => panic!("a front end asks nothing: {r:?}"),
        }
        Some(Answer { id: 0, body: AnswerBody::Done })
    }

    async fn ask(&mut self, body: RequestBody) -> AnswerBody {
        self.id += 1;
        self.framed.send(Frame::Request(Request { id: self.id, body })).await.unwrap();
        loop {
            let a = self.next().await.expect("it hung up");
            if a.id == self.id {
                return a.body;
            }
        }
    }

    async fn set(&mut self, inputs: &[u16]) {
        let one = |&number: &u16| InputSetting {
            number,
            range_v: 0.5,
            coupling: Coupling::Iepe,
            high_pass_hz: 0.0,
            supply_v: 0.0,
        };
        let settings = Settings { rate_hz: RATE, inputs: inputs.iter().map(one).collect() };
        assert_eq!(self.ask(RequestBody::Apply { settings }).await.refused(), None);
    }

    async fn samples(&mut self, blocks: usize) -> Vec<f64> {
        while self.blocks.len() < blocks {
            self.next().await.expect("it hung up");
        }
        let mut counts: Vec<i32> = Vec::new();
        self.blocks.iter().take(blocks).for_each(|b| b.counts_into(0, &mut counts));
        counts.into_iter().map(|c| f64::from(c) / f64::from(FULL_SCALE)).collect()
    }

    async fn told(&mut self) -> Notice {
        while self.notices.is_empty() {
            self.next().await.expect("it hung up");
        }
        self.notices.remove(0)
    }
}

fn now_ns() -> u64 {
    SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap().as_nanos() as u64
}

#[tokio::test(flavor = "multi_thread")]
async fn two_that_begin_together_deliver_the_same_moment() {
    let mut a = Line::open(Plays::Deck(0), Pace::Times(1.0)).await;
    let mut b = Line::open(Plays::Deck(64), Pace::Times(1.0)).await;
    // Places a frame apart on one line: A60 and B4.
    a.set(&[60]).await;
    b.set(&[4]).await;
    let at_ns = now_ns() + 1_500_000_000;
    let asked = Instant::now();
    assert_eq!(a.ask(RequestBody::Start { at_ns: Some(at_ns) }).await.refused(), None);
    tokio::time::sleep(Duration::from_millis(150)).await;
    assert_eq!(b.ask(RequestBody::Start { at_ns: Some(at_ns) }).await.refused(), None);
    let (x, y) = (a.samples(20).await, b.samples(20).await);
    // Twenty blocks of a twentieth of a second, begun at the agreed moment and not before.
    assert!(asked.elapsed() > Duration::from_millis(2450), "{:?}", asked.elapsed());
    let mean = |v: &[f64]| v.iter().sum::<f64>() / v.len() as f64;
    let (mx, my) = (mean(&x), mean(&y));
    let dot = |p: &[f64], q: &[f64]| p.iter().zip(q).map(|(a, b)| (a - mx) * (b - my)).sum::<f64>();
    let power = |p: &[f64], m: f64| p.iter().map(|a| (a - m).powi(2)).sum::<f64>();
    let together = dot(&x, &y) / (power(&x, mx) * power(&y, my)).sqrt();
    assert!(together > 0.8, "one deck, one moment: {together}");
    let late = dot(&x[300..], &y[..y.len() - 300]) / (power(&x, mx) * power(&y, my)).sqrt();
    assert!(late < together - 0.2, "another moment is another motion: {late}");
    for line in [&mut a, &mut b] {
        assert_eq!(line.ask(RequestBody::Stop).await.refused(), None);
    }
}

#[tokio::test]
async fn plugs_are_told_unasked_and_memories_when_asked() {
    let mut line = Line::open(Plays::Thruster(2690.0), Pace::Times(1.0)).await;
    let all = line.ask(RequestBody::Memories).await.memories().unwrap();
    assert_eq!(all.iter().map(|m| m.input).collect::<Vec<_>>(), [19, 20]);
    own(&line.device).unplug(20).unwrap();
    assert_eq!(line.told().await, Notice::Unplugged { input: 20 });
    own(&line.device).plug_in(20, "QA-31, 20461").unwrap();
    let Notice::Plugged(m) = line.told().await else { panic!("no word of the blank one") };
    assert_eq!((m.input, m.memory), (20, "ff".repeat(blank().len())));
    let written = "5a".repeat(128);
    let answer = line.ask(RequestBody::WriteMemory { input: 20, memory: written.clone() }).await;
    assert_eq!(answer.memories().unwrap()[0].memory, written);
    let short = line.ask(RequestBody::WriteMemory { input: 20, memory: "5a".into() }).await;
    assert!(short.refused().unwrap().contains("128 bytes"));
    let none = line.ask(RequestBody::WriteMemory { input: 1, memory: written }).await;
    assert!(none.refused().unwrap().contains("no smart sensor"));
}

#[tokio::test]
async fn state_and_output_are_told_and_a_restart_silences_the_output() {
    let mut line = Line::open(Plays::Thruster(2690.0), Pace::Times(1.0)).await;
    let state = line.ask(RequestBody::State).await.state().unwrap();
    assert_eq!(state.modules.iter().map(|m| m.module.as_str()).collect::<Vec<_>>(), ["M1", "M2", "M3", "M4"]);
    assert!(state.clock_locked && state.modules.iter().all(|m| m.powered));
    assert!((20.0..60.0).contains(&state.temperature_c), "{}", state.temperature_c);
    let driven = line.ask(RequestBody::Output { hz: 80.0, peak_v: 2.0, wave: Wave::Sine }).await.state().unwrap();
    assert_eq!(driven.output.map(|o| (o.hz, o.peak_v)), Some((80.0, 2.0)));
    let refused = line.ask(RequestBody::Output { hz: 80.0, peak_v: 11.0, wave: Wave::Sine }).await;
    assert!(refused.refused().unwrap().contains("0 to 10 V"));
    own(&line.device).lock_clock(false);
    assert!(!line.ask(RequestBody::State).await.state().unwrap().clock_locked);
    // It hangs up instead of answering, and takes a new connection with its output silent.
    line.framed.send(Frame::Request(Request { id: 99, body: RequestBody::Restart })).await.unwrap();
    while line.next().await.is_some() {}
    let mut stream = TcpStream::connect(line.address).await.unwrap();
    greet(&mut stream).await.unwrap();
    line.framed = Framed::new(stream, FrameCodec);
    let after = line.ask(RequestBody::State).await.state().unwrap();
    assert_eq!(after.output.map(|o| o.peak_v), Some(0.0));
}
