//! A whole conversation with the stand-in over TCP, as another maker's recorder would hold it.

use echo_link::{
    AnswerBody, Block, Coupling, FULL_SCALE, Frame, FrameCodec, InputSetting, Notice, Request, RequestBody, Settings,
    greet,
};
use echo_simulator::device::Lantern;
use echo_simulator::serve::{Pace, serve};
use futures::{SinkExt, StreamExt};
use tokio::net::{TcpListener, TcpStream};
use tokio_util::codec::Framed;

struct Session {
    framed: Framed<TcpStream, FrameCodec>,
    id: u64,
    blocks: Vec<Block>,
}

fn shared(device: Lantern) -> std::sync::Arc<std::sync::Mutex<Lantern>> {
    std::sync::Arc::new(std::sync::Mutex::new(device))
}

async fn stand_in() -> std::net::SocketAddr {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(serve(listener, shared(Lantern::new("L24-test", 2690.0)), Pace::Free));
    address
}

impl Session {
    async fn open(address: std::net::SocketAddr) -> Session {
        let mut stream = TcpStream::connect(address).await.unwrap();
        greet(&mut stream).await.unwrap();
        Session { framed: Framed::new(stream, FrameCodec), id: 0, blocks: Vec::new() }
    }

    async fn ask(&mut self, body: RequestBody) -> AnswerBody {
        self.id += 1;
        self.framed.send(Frame::Request(Request { id: self.id, body })).await.unwrap();
        loop {
            match self.framed.next().await.unwrap().unwrap() {
                Frame::Answer(a) => {
                    assert_eq!(a.id, self.id, "answers come in the order of their questions");
                    return a.body;
                }
                Frame::Block(b) => self.blocks.push(b),
                other => panic!("{other:?}"),
            }
        }
    }

    async fn refused(&mut self, body: RequestBody) -> String {
        self.ask(body).await.refused().expect("it should refuse").to_string()
    }

    async fn take(&mut self, count: usize) -> Vec<Block> {
        while self.blocks.len() < count {
            if let Frame::Block(b) = self.framed.next().await.unwrap().unwrap() {
                self.blocks.push(b);
            }
        }
        self.blocks.drain(..count).collect()
    }
}

fn set(rate_hz: f64, inputs: &[(u16, f64, Coupling)]) -> RequestBody {
    let inputs = inputs
        .iter()
        .map(|&(number, range_v, coupling)| InputSetting {
            number,
            range_v,
            coupling,
            high_pass_hz: 0.0,
            supply_v: 0.0,
        })
        .collect();
    RequestBody::Apply { settings: Settings { rate_hz, inputs } }
}

fn counts(blocks: &[Block], index: usize) -> Vec<f64> {
    let mut out = Vec::new();
    blocks.iter().for_each(|b| b.counts_into(index, &mut out));
    out.into_iter().map(|c: i32| f64::from(c) / f64::from(FULL_SCALE)).collect()
}

fn rms(x: &[f64]) -> f64 {
    let mean = x.iter().sum::<f64>() / x.len() as f64;
    (x.iter().map(|v| (v - mean) * (v - mean)).sum::<f64>() / x.len() as f64).sqrt()
}

#[tokio::test]
async fn it_says_who_it_is_and_refuses_what_it_cannot() {
    let mut s = Session::open(stand_in().await).await;
    let identity = s.ask(RequestBody::Identify).await.identity().unwrap();
    assert_eq!(
        (identity.model.as_str(), identity.serial.as_str(), identity.inputs.len()),
        ("Lantern 24", "L24-test", 24)
    );
    assert_eq!(identity.rates_hz.first(), Some(&1024.0));
    assert_eq!(identity.rates_hz.last(), Some(&102_400.0));
    let before = s.ask(RequestBody::Settings).await.settings().unwrap();
    for (wrong, says) in [
        (set(44_100.0, &[(1, 5.0, Coupling::Iepe)]), "44100"),
        (set(51_200.0, &[(25, 5.0, Coupling::Iepe)]), "1 to 24"),
        (set(51_200.0, &[(1, 3.0, Coupling::Iepe)]), "3"),
        (set(51_200.0, &[(1, 5.0, Coupling::Iepe), (1, 5.0, Coupling::Iepe)]), "once"),
    ] {
        let refusal = s.refused(wrong.clone()).await;
        assert!(refusal.contains(says) && refusal.len() > 10, "{wrong:?}: {refusal}");
    }
    assert_eq!(s.ask(RequestBody::Settings).await.settings().unwrap(), before, "a refusal changes nothing");
}

#[tokio::test]
async fn blocks_follow_each_other_on_one_clock() {
    let mut s = Session::open(stand_in().await).await;
    let rate = 12_800.0;
    assert_eq!(s.ask(set(rate, &[(7, 5.0, Coupling::Iepe), (22, 10.0, Coupling::Dc)])).await.refused(), None);
    assert_eq!(s.ask(RequestBody::Start { at_ns: None }).await.refused(), None);
    let blocks = s.take(60).await;
    let mut next = blocks[0].head().first_sample;
    for (k, b) in blocks.iter().enumerate() {
        let h = b.head();
        assert_eq!((h.sequence, h.first_sample), (blocks[0].head().sequence + k as u64, next));
        assert_eq!(h.inputs, [7, 22]);
        assert!(h.clock_locked);
        let clock = (h.first_sample - blocks[0].head().first_sample) as f64 / rate * 1e9;
        assert!((h.clock_ns as f64 - blocks[0].head().clock_ns as f64 - clock).abs() <= 1.0, "{h:?}");
        next += u64::from(h.samples);
    }
    // The mark is a pulse a turn between 0.2 and 4 V on a range of 10 V.
    let mark = counts(&blocks, 1);
    let (low, high) = mark.iter().fold((9.0f64, -9.0f64), |(a, b), v| (a.min(*v), b.max(*v)));
    assert!((low - 0.02).abs() < 0.06 && (high - 0.4).abs() < 0.06, "{low} to {high}");
    let seconds = mark.len() as f64 / rate;
    let turns = mark.windows(2).filter(|w| w[0] < 0.21 && w[1] >= 0.21).count() as f64;
    assert!((turns / seconds - 2690.0 / 60.0).abs() < 1.5 / seconds, "{turns} turns in {seconds} s");
    assert_eq!(s.ask(RequestBody::Stop).await.refused(), None);
    let rate_change = set(25_600.0, &[(7, 5.0, Coupling::Iepe)]);
    assert_eq!(s.ask(rate_change).await.refused(), None, "stopped, the rate may change");
}

#[tokio::test]
async fn range_and_coupling_act_while_it_runs() {
    let mut s = Session::open(stand_in().await).await;
    let rate = 12_800.0;
    assert_eq!(s.ask(set(rate, &[(7, 5.0, Coupling::Iepe)])).await.refused(), None);
    assert_eq!(s.ask(RequestBody::Start { at_ns: None }).await.refused(), None);
    let wide = s.take(20).await;
    assert!(wide.iter().all(|b| !b.head().over[0]));
    let level = rms(&counts(&wide, 0));
    assert!(s.refused(set(25_600.0, &[(7, 5.0, Coupling::Iepe)])).await.len() > 10, "the rate only while stopped");
    // Fifty times the sensitivity to the same signal; what does not fit is cut off and told.
    assert_eq!(s.ask(set(rate, &[(7, 0.1, Coupling::Iepe)])).await.refused(), None);
    s.blocks.clear();
    let narrow = s.take(40).await.split_off(20);
    let narrow_level = rms(&counts(&narrow, 0));
    assert!(narrow_level > 5.0 * level, "{narrow_level} and {level}");
    let over = narrow.iter().filter(|b| b.head().over[0]).count();
    let clipped = counts(&narrow, 0).iter().filter(|v| v.abs() > 0.99).count();
    assert_eq!(over > 0, clipped > 0, "{over} blocks say so, {clipped} samples are at the end");
    // Without supply current the sensor says nothing.
    assert_eq!(s.ask(set(rate, &[(7, 5.0, Coupling::Dc)])).await.refused(), None);
    s.blocks.clear();
    let silent = s.take(40).await.split_off(20);
    assert!(rms(&counts(&silent, 0)) < 1e-4, "{}", rms(&counts(&silent, 0)));
}

#[tokio::test]
async fn blocks_it_keeps_come_again_over_the_same_link_and_over_the_next() {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    let device = shared(Lantern::new("L24-test", 2690.0));
    device.lock().unwrap().keeps_bytes = 1 << 20;
    tokio::spawn(serve(listener, device, Pace::Times(4.0)));
    let mut s = Session::open(address).await;
    assert_eq!(s.ask(RequestBody::Identify).await.identity().unwrap().keeps_bytes, 1 << 20);
    assert_eq!(s.ask(RequestBody::Stored).await.stored(), None, "nothing was started");
    s.ask(set(1024.0, &[(7, 5.0, Coupling::Iepe)])).await;
    let start = s.ask(RequestBody::Start { at_ns: None }).await.stored().unwrap().start;
    let first = s.take(6).await;
    for (wrong, says) in [((start + 1, 2), "has ended"), ((start, 1_000_000), "is not kept")] {
        let refusal = s.refused(RequestBody::Resume { start: wrong.0, from: wrong.1 }).await;
        assert!(refusal.contains(says), "{refusal}");
    }
    let told = s.ask(RequestBody::Resume { start, from: 2 }).await.stored().unwrap();
    assert!(told.first == 0 && told.next >= 6, "{told:?}");
    s.blocks.clear();
    let again = s.take(4).await;
    assert_eq!(again, first[2..6], "the same blocks, bit by bit");
    drop(s);
    // The stand-in takes nobody else before it has seen that this one is gone.
    tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    let mut s = Session::open(address).await;
    let stored = s.ask(RequestBody::Stored).await.stored().unwrap();
    assert!(stored.start == start && stored.next > 10, "it went on: {stored:?}");
    s.ask(RequestBody::Resume { start, from: 4 }).await;
    let later = s.take(12).await;
    assert_eq!(later[..2], first[4..6]);
    assert!(later.windows(2).all(|w| w[1].head().sequence == w[0].head().sequence + 1));
    // A new start is another one, and what was kept is gone with the stop.
    assert!(s.ask(RequestBody::Start { at_ns: None }).await.stored().unwrap().start > start);
    assert!(s.refused(RequestBody::Resume { start, from: 4 }).await.contains("has ended"));
    s.ask(RequestBody::Stop).await;
    assert_eq!(s.ask(RequestBody::Stored).await.stored(), None);
}

#[tokio::test]
async fn a_second_recorder_is_turned_away_in_words() {
    let address = stand_in().await;
    let mut first = Session::open(address).await;
    first.ask(RequestBody::Identify).await;
    let mut second = Session::open(address).await;
    match second.framed.next().await {
        Some(Ok(Frame::Notice(Notice::Stopping { says }))) => assert!(says.contains("in use"), "{says}"),
        other => panic!("{other:?}"),
    }
    assert!(first.ask(RequestBody::Settings).await.settings().is_some(), "the first one goes on");
}

#[tokio::test]
async fn a_new_start_has_all_its_blocks_however_soon_it_follows() {
    let mut s = Session::open(stand_in().await).await;
    s.ask(set(51_200.0, &[(7, 10.0, Coupling::Iepe)])).await;
    for _ in 0..100 {
        s.ask(RequestBody::Stop).await;
        s.blocks.clear();
        s.ask(RequestBody::Start { at_ns: None }).await;
        let sequences: Vec<u64> = s.take(4).await.iter().map(|b| b.head().sequence).collect();
        assert_eq!(sequences, [0, 1, 2, 3]);
    }
}
