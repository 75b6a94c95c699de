//! Capture against front ends that misbehave: lost blocks, strangers, refusals, silence.
//!
//! Needs `DATABASE_URL` (./test sets it).

use echo_capture::{Capture, CaptureState, LinkState, Options, Setup, Status};
use echo_job::plan::{Keeps, Length, Plan, RecorderPlan};
use echo_job::rig::{Channel, Coupling, Rig};
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::Quantity;
use echo_link::{
    Answer, AnswerBody, Block, BlockHead, Circuit, Frame, FrameCodec, Identity, InputOffer, Notice, RequestBody,
    Stored, greet,
};
use echo_store::Store;
use echo_store::state::RunState;
use futures::{SinkExt, StreamExt};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use tokio::io::AsyncWriteExt;
use tokio::net::TcpListener;
use tokio_util::codec::Framed;

const RATE: f64 = 2048.0;
const BLOCK: u64 = 100;

/// What the made-up front end does wrong.
#[derive(Clone, Copy, PartialEq)]
enum Fault {
    None,
    /// Blocks 30 to 32 never arrive.
    Loses,
    /// They do not at first, but it keeps them and sends them when they are asked for.
    LosesAndKeeps,
    /// It says that it sends them again, and does not.
    LosesAndPromises,
    /// It refuses every set-up.
    Refuses,
    /// It falls silent after 20 blocks.
    Silent,
    /// It tells that it has to stop after 20 blocks.
    Stops,
    /// From block 20 on it sends what cannot be.
    Sends(Nonsense),
}

/// What cannot be.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Nonsense {
    /// The highest sequence there is.
    LastNumber,
    /// A leap of sequence and samples.
    Leap,
    /// A leap of samples alone.
    LongGap,
    /// No inputs.
    NoInputs,
    /// An input that it was not set to.
    AnotherInput,
    /// The same block for ever.
    StandsStill,
}

impl Nonsense {
    fn block(self, sequence: u64) -> Block {
        let good = block(sequence, false).head().clone();
        let with = |head: BlockHead| {
            let counts = vec![vec![0; head.samples as usize]; head.inputs.len()];
            Block::new(head, &counts).unwrap()
        };
        with(match self {
            Nonsense::LastNumber => BlockHead { sequence: u64::MAX, ..good },
            Nonsense::Leap => BlockHead { sequence: sequence + (1 << 62), first_sample: u64::MAX - 5, ..good },
            Nonsense::LongGap => BlockHead { first_sample: good.first_sample + 15_360_000, ..good },
            Nonsense::NoInputs => BlockHead { inputs: vec![], over: vec![], circuits: vec![], ..good },
            Nonsense::AnotherInput => BlockHead { inputs: vec![1, 77], ..good },
            Nonsense::StandsStill => block(19, false).head().clone(),
        })
    }
}

/// Input 1 counts its samples; input 2 counts them downwards.
fn block(sequence: u64, over: bool) -> Block {
    let first = sequence * BLOCK;
    let up: Vec<i32> = (first..first + BLOCK).map(|s| s as i32).collect();
    let down: Vec<i32> = up.iter().map(|s| -s).collect();
    let head = BlockHead {
        sequence,
        first_sample: first,
        clock_ns: 0,
        clock_locked: sequence < 10,
        samples: BLOCK as u32,
        inputs: vec![1, 2],
        over: vec![over, false],
        circuits: vec![Circuit::InOrder; 2],
    };
    Block::new(head, &[up, down]).unwrap()
}

fn identity() -> Identity {
    let input = |number| InputOffer {
        number,
        module: "M1".into(),
        ranges_v: vec![1.0],
        couplings: vec![echo_link::Coupling::Dc],
        high_pass_hz: vec![],
        supplies_v: vec![],
    };
    Identity {
        model: "Test".into(),
        serial: "1".into(),
        firmware: "0".into(),
        rates_hz: vec![RATE],
        clean_share: 0.4,
        converter_bits: 24,
        keeps_bytes: 0,
        inputs: vec![input(1), input(2)],
    }
}

/// A front end on loopback; its blocks flow once `go` is set.
async fn front_end(fault: Fault, go: Arc<AtomicBool>) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    tokio::spawn(async move {
        let (mut stream, _) = listener.accept().await.unwrap();
        greet(&mut stream).await.unwrap();
        let mut framed = Framed::new(stream, FrameCodec);
        loop {
            let Some(Ok(Frame::Request(r))) = framed.next().await else { return };
            let started = matches!(r.body, RequestBody::Start { .. });
            let body = match r.body {
                RequestBody::Apply { .. } if fault == Fault::Refuses => AnswerBody::Refused("too hot".into()),
                RequestBody::Identify => AnswerBody::Identity(Box::new(identity())),
                RequestBody::Start { .. } if matches!(fault, Fault::LosesAndKeeps | Fault::LosesAndPromises) => {
                    AnswerBody::Stored(Stored { start: 7, first: 0, next: 0 })
                }
                _ => AnswerBody::Done,
            };
            let answer = Answer { id: r.id, body };
            framed.send(Frame::Answer(answer)).await.unwrap();
            if started {
                break;
            }
        }
        let mut sequence = 0;
        let mut asked_again = false;
        // Nothing counts before the recording has begun: the first blocks only show that it lives.
        while !go.load(Ordering::SeqCst) {
            tokio::time::sleep(Duration::from_millis(5)).await;
        }
        loop {
            if fault == Fault::Stops && sequence == 20 {
                let _ = framed.send(Frame::Notice(Notice::Stopping { says: "battery empty".into() })).await;
                return;
            }
            if fault == Fault::Silent && sequence == 20 {
                tokio::time::sleep(Duration::from_secs(60)).await;
            }
            let loses = matches!(fault, Fault::Loses | Fault::LosesAndPromises)
                || (fault == Fault::LosesAndKeeps && !asked_again);
            let lost = loses && (30..33).contains(&sequence);
            let next = match fault {
                Fault::Sends(nonsense) if sequence >= 20 => nonsense.block(sequence),
                _ => block(sequence, sequence == 40),
            };
            if !lost && framed.send(Frame::Block(next)).await.is_err() {
                return;
            }
            sequence += 1;
            if let Ok(Some(Ok(Frame::Request(r)))) = tokio::time::timeout(Duration::from_millis(4), framed.next()).await
                && let RequestBody::Resume { start: 7, from } = r.body
            {
                asked_again = true;
                let body = AnswerBody::Stored(Stored { start: 7, first: 0, next: sequence });
                let _ = framed.send(Frame::Answer(Answer { id: r.id, body })).await;
                if fault == Fault::LosesAndKeeps {
                    sequence = from;
                }
            }
        }
    });
    address
}

fn channel(input: u16) -> Channel {
    Channel {
        on: true,
        name: format!("channel {input}"),
        quantity: Quantity::Voltage,
        unit: "V".into(),
        sensitivity: Sensitivity::new(1.0, "V/V", Quantity::Voltage).unwrap(),
        coupling: Coupling::Dc,
        range_v: 1.0,
        ..Channel::free(input)
    }
}

struct Stage {
    store: Store,
    capture: Capture,
    campaign: i64,
    setup: Setup,
    go: Arc<AtomicBool>,
}

impl Stage {
    async fn new(name: &str, fault: Fault, samples: u64) -> Stage {
        Stage::system(name, &[fault], samples).await
    }

    /// Front ends of two inputs each that sample together.
    async fn system(name: &str, faults: &[Fault], samples: u64) -> Stage {
        let url = std::env::var("DATABASE_URL").expect("DATABASE_URL: ./test sets it");
        let store = Store::lazy(&url).unwrap();
        store.migrate().await.unwrap();
        let rig = Rig { name: name.into(), channels: (1..=2 * faults.len() as u16).map(channel).collect() };
        let plan = Plan {
            sample_rate_hz: RATE,
            length: Length::After { duration_s: samples as f64 / RATE },
            run_kind: name.into(),
            ..Plan::default()
        };
        let unique = format!(
            "{name} {}",
            std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos()
        );
        let campaign = store.create_campaign(&unique, "test", "", &rig, &plan).await.unwrap();
        let quick = Options { silence: Duration::from_millis(700), ..Options::default() };
        let options = if faults.contains(&Fault::Silent) { quick } else { Options::default() };
        let capture = Capture::start(store.clone(), options);
        let go = Arc::new(AtomicBool::new(false));
        let mut addresses = Vec::new();
        for fault in faults {
            addresses.push(front_end(*fault, go.clone()).await);
        }
        capture.connect(Some(addresses.join(", "))).await;
        let setup = Setup { campaign, rig, plan };
        let _ = capture.set_up(setup.clone()).await;
        Stage { store, capture, campaign, setup, go }
    }

    async fn until(&self, good: impl FnMut(&Status) -> bool) -> Status {
        let mut status = self.capture.status();
        let found = tokio::time::timeout(Duration::from_secs(60), status.wait_for(good)).await;
        match found {
            Ok(s) => s.unwrap().clone(),
            Err(_) => panic!("waited in vain; the status is {:?}", self.capture.status().borrow()),
        }
    }

    async fn connected(&self) {
        let set_up = |s: &Status| match &s.link {
            LinkState::Connected { sample_rate_hz, refused, .. } => *sample_rate_hz > 0.0 || refused.is_some(),
            _ => false,
        };
        self.until(set_up).await;
    }

    async fn recorded(&self) -> Status {
        self.connected().await;
        self.capture.record().await.unwrap();
        self.go.store(true, Ordering::SeqCst);
        self.until(|s| s.capture == CaptureState::Idle && s.ended.is_some()).await
    }
}

#[tokio::test]
async fn lost_blocks_become_a_gap_and_nothing_moves() {
    let stage = Stage::new("gap", Fault::Loses, 6000).await;
    let ended = stage.recorded().await.ended.unwrap();
    assert!(ended.whole);
    assert_eq!(ended.lost_blocks, 3);
    let run = stage.store.run(ended.run_id).await.unwrap();
    assert_eq!(run.samples, 6000);
    let gaps = stage.store.gaps(run.id).await.unwrap();
    assert_eq!(gaps.iter().map(|g| (g.first_sample, g.samples)).collect::<Vec<_>>(), [(3000, 300)]);
    for (channel, sign) in [(1, 1), (2, -1)] {
        let counts = stage.store.counts(run.id, channel, 0, 6000).await.unwrap();
        for (s, c) in counts.iter().enumerate() {
            let wanted = (!(3000..3300).contains(&s)).then_some(sign * s as i32);
            assert_eq!(*c, wanted, "channel {channel}, sample {s}");
        }
    }
    assert_eq!(stage.store.clipped(run.id).await.unwrap(), [1]);
    // Every level of the overview tells the same story.
    for (from, to, points) in [(0, 6000, 6), (0, 6000, 1000), (2900, 3400, 500), (1000, 1001, 1)] {
        let o = stage.store.overview(run.id, &[1], from, to, points).await.unwrap().remove(0);
        let each = (to - from) as f64 / points as f64;
        for (p, pair) in o.iter().enumerate() {
            let (a, b) = (from as f64 + p as f64 * each, from as f64 + (p + 1) as f64 * each);
            match pair {
                None => assert!(a >= 2999.0 && b <= 3301.0, "a hole at {a}"),
                Some((lo, hi)) => assert!(f64::from(*lo) <= b && f64::from(*hi) >= a, "{lo} to {hi} at {a}"),
            }
        }
    }
}

#[tokio::test]
async fn lost_blocks_that_the_front_end_keeps_come_again() {
    for faults in [vec![Fault::LosesAndKeeps], vec![Fault::None, Fault::LosesAndKeeps]] {
        let stage = Stage::system("again", &faults, 6000).await;
        let ended = stage.recorded().await.ended.unwrap();
        assert!(ended.whole && ended.lost_blocks == 0, "{ended:?}");
        assert_eq!(stage.store.gaps(ended.run_id).await.unwrap(), []);
        for channel in 1..=2 * faults.len() as i16 {
            let sign = if channel % 2 == 1 { 1 } else { -1 };
            let counts = stage.store.counts(ended.run_id, channel, 0, 6000).await.unwrap();
            assert!(counts.iter().enumerate().all(|(s, c)| *c == Some(sign * s as i32)), "channel {channel}");
        }
    }
}

#[tokio::test]
async fn lost_blocks_that_do_not_come_again_as_promised_are_a_gap_and_the_recording_goes_on() {
    let stage = Stage::new("promised", Fault::LosesAndPromises, 6000).await;
    let ended = stage.recorded().await.ended.unwrap();
    assert!(ended.whole && ended.lost_blocks >= 3, "{ended:?}");
    let gaps = stage.store.gaps(ended.run_id).await.unwrap();
    // What came before it answered is let go too.
    assert!(matches!(&gaps[..], [gap] if gap.first_sample == 3000 && gap.samples >= 300), "{gaps:?}");
    let behind = (gaps[0].first_sample + gaps[0].samples) as usize;
    let counts = stage.store.counts(ended.run_id, 1, 0, 6000).await.unwrap();
    assert!(counts.iter().enumerate().skip(behind).all(|(s, c)| *c == Some(s as i32)), "nothing moves");
}

#[tokio::test]
async fn what_one_of_two_loses_is_a_gap_for_both() {
    let stage = Stage::system("two", &[Fault::None, Fault::Loses], 6000).await;
    let ended = stage.recorded().await.ended.unwrap();
    assert!(ended.whole && ended.lost_blocks == 3, "{ended:?}");
    let gaps = stage.store.gaps(ended.run_id).await.unwrap();
    assert_eq!(gaps.iter().map(|g| (g.first_sample, g.samples)).collect::<Vec<_>>(), [(3000, 300)]);
    // Both front ends count their own samples: those of one moment stay side by side.
    for channel in 1..=4 {
        let counts = stage.store.counts(ended.run_id, channel, 0, 6000).await.unwrap();
        let sign = if channel % 2 == 1 { 1 } else { -1 };
        for (s, c) in counts.iter().enumerate() {
            let wanted = (!(3000..3300).contains(&s)).then_some(sign * s as i32);
            assert_eq!(*c, wanted, "channel {channel}, sample {s}");
        }
    }
}

#[tokio::test]
async fn one_of_two_that_refuses_stops_ends_or_falls_silent_is_named() {
    let refusing = Stage::system("refusing", &[Fault::None, Fault::Refuses], 3000).await;
    refusing.connected().await;
    let said = refusing.capture.record().await.unwrap_err().to_string();
    assert!(said.contains("too hot"), "{said}");
    for (fault, because) in [(Fault::Silent, "does not answer"), (Fault::Stops, "battery empty")] {
        let stage = Stage::system("one ends", &[Fault::None, fault], 60_000).await;
        let ended = stage.recorded().await.ended.unwrap();
        assert!(!ended.whole, "{ended:?}");
        // One that is silent holds the others up until it counts as stuck; what came of all is kept.
        let named = ended.because.contains(because) || ended.because.contains("serial 1 sends nothing");
        assert!(named, "{}", ended.because);
        assert_eq!(stage.store.run(ended.run_id).await.unwrap().samples, 2000);
    }
}

#[tokio::test]
async fn an_unlocked_clock_is_told() {
    let stage = Stage::new("clock", Fault::None, 3000).await;
    let status = stage.recorded().await;
    let LinkState::Connected { clock_locked, .. } = status.link else { panic!("{:?}", status.link) };
    assert!(!clock_locked);
}

#[tokio::test]
async fn a_refusal_is_told_in_the_front_ends_words() {
    let stage = Stage::new("refusal", Fault::Refuses, 3000).await;
    stage.connected().await;
    let said = stage.capture.record().await.unwrap_err().to_string();
    assert!(said.contains("too hot"), "{said}");
}

#[tokio::test]
async fn silence_and_a_last_word_end_the_run_with_what_came() {
    for (fault, because) in [(Fault::Silent, "does not answer"), (Fault::Stops, "battery empty")] {
        let stage = Stage::new("end", fault, 60_000).await;
        let ended = stage.recorded().await.ended.unwrap();
        assert!(!ended.whole);
        assert!(ended.because.contains(because), "{}", ended.because);
        let run = stage.store.run(ended.run_id).await.unwrap();
        assert_eq!((run.state, run.samples), (RunState::Broken, 2000));
    }
}

#[tokio::test]
async fn what_cannot_be_ends_the_recording_with_what_came() {
    for (nonsense, says) in [
        (Nonsense::LastNumber, "no clock has counted"),
        (Nonsense::Leap, "no clock has counted"),
        (Nonsense::LongGap, "a jump over"),
        (Nonsense::NoInputs, "a block of 0 inputs"),
        (Nonsense::AnotherInput, "input 77, which it was not set to"),
        (Nonsense::StandsStill, "its sequence stands still"),
    ] {
        let stage = Stage::new("nonsense", Fault::Sends(nonsense), 60_000).await;
        let ended = stage.recorded().await.ended.unwrap();
        assert!(!ended.whole && ended.because.contains("the front end is at fault"), "{nonsense:?}: {ended:?}");
        assert!(ended.because.contains(says), "{nonsense:?}: {}", ended.because);
        let run = stage.store.run(ended.run_id).await.unwrap();
        assert_eq!((run.state, run.samples), (RunState::Broken, 2000), "{nonsense:?}");
        // Capture is alive, and says why it is not connected.
        assert!(stage.capture.record().await.unwrap_err().to_string().contains("no front end is connected"));
    }
}

#[tokio::test]
async fn what_the_database_will_never_take_ends_the_recording() {
    let stage = Stage::new("permanent", Fault::None, 600_000).await;
    stage.connected().await;
    stage.capture.record().await.unwrap();
    let run = match &stage.capture.status().borrow().capture {
        CaptureState::Recording(p) => p.run_id,
        other => panic!("{other:?}"),
    };
    // Somebody takes the run away while it is recorded: no later chunk can ever be stored.
    stage.store.delete_run(run).await.unwrap();
    stage.go.store(true, Ordering::SeqCst);
    let ended = stage.until(|s| s.capture == CaptureState::Idle && s.ended.is_some()).await.ended.unwrap();
    assert!(!ended.whole && ended.because.contains("could not be stored any further"), "{ended:?}");
    assert!(ended.because.contains(&format!("run {run} is not there")), "{ended:?}");
}

#[tokio::test]
async fn a_stranger_is_refused() {
    let stage = Stage::new("stranger", Fault::None, 100).await;
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            let _ = stream.write_all(b"HTTP/1.1 400 Bad Request\r\n\r\n").await;
        }
    });
    stage.capture.connect(Some(address)).await;
    let status = stage.until(|s| matches!(&s.link, LinkState::Connecting { says, .. } if !says.is_empty())).await;
    let LinkState::Connecting { says, .. } = status.link else { panic!() };
    assert!(says.contains("does not speak the front-end link"), "{says}");
    let said = stage.capture.arm().await.unwrap_err().to_string();
    assert!(said.contains("no front end"), "{said}");
}

#[tokio::test]
async fn orders_that_make_no_sense_are_refused() {
    let stage = Stage::new("orders", Fault::None, 60_000).await;
    stage.connected().await;
    assert!(stage.capture.stop().await.unwrap_err().to_string().contains("nothing is armed"));
    stage.capture.arm().await.unwrap();
    assert!(matches!(stage.capture.status().borrow().capture, CaptureState::Armed(_)));
    stage.capture.stop().await.unwrap();
    let idle = stage.until(|s| s.capture == CaptureState::Idle).await;
    assert!(idle.ended.is_none(), "what only waited leaves nothing: {:?}", idle.ended);
    stage.capture.record().await.unwrap();
    stage.go.store(true, Ordering::SeqCst);
    assert!(stage.capture.record().await.unwrap_err().to_string().contains("recorded already"));
    tokio::time::sleep(Duration::from_millis(200)).await;
    stage.capture.stop().await.unwrap();
    let ended = stage.until(|s| s.ended.is_some()).await.ended.unwrap();
    assert!(ended.whole);
    assert_eq!(ended.because, "stopped by hand");
}

#[tokio::test]
async fn lost_blocks_are_a_gap_of_every_recorder_and_nothing_moves() {
    let stage = Stage::new("gaps", Fault::Loses, 6000).await;
    stage.connected().await;
    let LinkState::Connected { .. } = stage.capture.status().borrow().link.clone() else { panic!() };
    let recorder = |name: &str, inputs: &[u16], divide, keeps| RecorderPlan {
        name: name.into(),
        inputs: inputs.to_vec(),
        divide,
        keeps,
        segment_s: None,
    };
    let mut setup = stage.setup.clone();
    setup.plan.recorders = vec![
        recorder("whole", &[], 1, Keeps::Takes),
        recorder("second", &[2], 1, Keeps::Takes),
        recorder("slow", &[1], 8, Keeps::Everything),
    ];
    stage.capture.set_up(setup).await.unwrap();
    let ended = stage.recorded().await.ended.unwrap();
    assert!(ended.whole && ended.lost_blocks == 3, "{ended:?}");
    let runs = stage.store.runs(stage.campaign).await.unwrap();
    let named = |name: &str| runs.iter().find(|r| r.recorder == name).unwrap();
    for (name, channel, sign) in [("whole", 1, 1), ("whole", 2, -1), ("second", 1, -1)] {
        let run = named(name);
        assert_eq!(run.samples, 6000, "{name}");
        let counts = stage.store.counts(run.id, channel, 0, 6000).await.unwrap();
        for (s, c) in counts.iter().enumerate() {
            assert_eq!(*c, (!(3000..3300).contains(&s)).then_some(sign * s as i32), "{name} {channel}, sample {s}");
        }
        let gaps = stage.store.gaps(run.id).await.unwrap();
        assert_eq!(gaps.iter().map(|g| (g.first_sample, g.samples)).collect::<Vec<_>>(), [(3000, 300)]);
        assert_eq!(gaps[0].why, "blocks lost on the link");
    }
    // Every eighth sample of a ramp is a ramp, in its place on both sides of the gap.
    let slow = named("slow");
    let samples = slow.samples as usize;
    assert!((750..=770).contains(&samples), "{samples}");
    let counts = stage.store.counts(slow.id, 1, 0, samples).await.unwrap();
    let steady = |k: usize| (40..340).contains(&k) || (450..700).contains(&k);
    for (k, c) in counts.iter().enumerate().filter(|(k, _)| steady(*k)) {
        let wanted = 8.0 * k as f64 * 64.0;
        let got = f64::from(c.unwrap_or_else(|| panic!("sample {k} is missing")));
        assert!((got - wanted).abs() < 2.0, "sample {k}: {got} for {wanted}");
    }
    assert!(counts[380..410].iter().all(Option::is_none), "the gap is there, too");
}
