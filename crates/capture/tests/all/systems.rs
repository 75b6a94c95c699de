//! Several stand-ins as one system: common start, inputs counted through, sensors plugged and moved,
//! one front end lost.
//!
//! Needs `DATABASE_URL` (./test sets it).

use echo_capture::{Capture, CaptureState, LinkState, Options, Setup, Status};
use echo_formats::smart::{self, Told};
use echo_job::plan::{Length, Plan};
use echo_job::rig::{Channel, Rig};
use echo_link::{RequestBody, Wave};
use echo_simulator::device::{Lantern, Plays};
use echo_simulator::electronics::Fault;
use echo_simulator::serve::{Pace, own, serve};
use echo_store::Store;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tokio::net::TcpListener;
use tokio::task::JoinHandle;

type Device = Arc<Mutex<Lantern>>;

struct Bench {
    store: Store,
    campaign: i64,
    capture: Capture,
    devices: Vec<Device>,
    tasks: Vec<JoinHandle<std::io::Result<()>>>,
}

fn rig(inputs: &[u16]) -> Rig {
    let channel =
        |&input: &u16| Channel { on: true, name: format!("place {input}"), range_v: 0.5, ..Channel::free(input) };
    Rig { name: "deck".into(), channels: inputs.iter().map(channel).collect() }
}

fn plan(seconds: f64) -> Plan {
    Plan {
        sample_rate_hz: 1024.0,
        length: Length::After { duration_s: seconds },
        run_kind: "t".into(),
        ..Plan::default()
    }
}

async fn until(capture: &Capture, what: &str, good: impl FnMut(&Status) -> bool) {
    let mut status = capture.status();
    let waited = tokio::time::timeout(Duration::from_secs(60), status.wait_for(good)).await;
    assert!(waited.is_ok(), "waited in vain until {what}");
}

impl Bench {
    async fn new(units: usize, inputs: &[u16], seconds: f64) -> Bench {
        let store = Store::lazy(&std::env::var("DATABASE_URL").expect("DATABASE_URL: ./test sets it")).unwrap();
        store.migrate().await.unwrap();
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos();
        let campaign =
            store.create_campaign(&format!("deck {now}"), "s", "p", &rig(inputs), &plan(seconds)).await.unwrap();
        let (mut devices, mut tasks, mut addresses) = (Vec::new(), Vec::new(), Vec::new());
        for u in 0..units {
            let device = Arc::new(Mutex::new(Lantern::playing(&format!("LT-{u}"), Plays::Deck(64 * u))));
            let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
            addresses.push(listener.local_addr().unwrap().to_string());
            tasks.push(tokio::spawn(serve(listener, device.clone(), Pace::Times(4.0))));
            devices.push(device);
        }
        let capture = Capture::start(store.clone(), Options::default());
        capture.set_up(Setup { campaign, rig: rig(inputs), plan: plan(seconds) }).await.unwrap();
        capture.connect(Some(addresses.join(","))).await;
        let bench = Bench { store, campaign, capture, devices, tasks };
        bench.sends().await;
        bench
    }

    async fn sends(&self) {
        until(
            &self.capture,
            "the front ends send",
            |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz > 0.0),
        )
        .await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn four_front_ends_measure_one_deck() {
    let inputs = [3, 60, 68, 130, 200, 256];
    let b = Bench::new(4, &inputs, 2.0).await;
    let f = b.capture.front_end().unwrap();
    assert_eq!((f.inputs.len(), f.model.as_str()), (256, "4 × Lantern 64"));
    assert_eq!((f.label(3), f.label(68), f.label(256)), ("A3".into(), "B4".into(), "D64".into()));
    b.capture.record().await.unwrap();
    until(&b.capture, "the run is stored", |s| s.capture == CaptureState::Idle && s.ended.is_some()).await;
    let ended = b.capture.status().borrow().ended.clone().unwrap();
    assert!(ended.whole && ended.lost_blocks == 0, "{ended:?}");
    let run = b.store.run(ended.run_id).await.unwrap();
    assert_eq!(run.samples, 2048);
    let mut all = Vec::new();
    for channel in 1..=inputs.len() as i16 {
        let stretch = b.store.counts(ended.run_id, channel, 0, 2048).await.unwrap();
        all.push(stretch.iter().map(|c| f64::from(c.unwrap())).collect::<Vec<_>>());
    }
    // A60 and B4 lie on one line, a frame apart: begun together, they move together.
    let mean = |x: &[f64]| x.iter().sum::<f64>() / x.len() as f64;
    let together = |a: &[f64], b: &[f64]| {
        let (ma, mb) = (mean(a), mean(b));
        let dot =
            |x: &[f64], mx: f64, y: &[f64], my: f64| x.iter().zip(y).map(|(p, q)| (p - mx) * (q - my)).sum::<f64>();
        dot(a, ma, b, mb) / (dot(a, ma, a, ma) * dot(b, mb, b, mb)).sqrt()
    };
    let near = together(&all[1], &all[2]);
    assert!(near > 0.9, "two front ends, one motion: {near}");
    let late: Vec<f64> = all[2][60..].to_vec();
    assert!(together(&all[1][..late.len()], &late) < 0.5 * near, "a common start matters here");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_front_end_that_goes_takes_the_recording_to_its_end() {
    let b = Bench::new(2, &[1, 65], 600.0).await;
    b.capture.record().await.unwrap();
    until(&b.capture, "something is recorded", |s| matches!(&s.capture, CaptureState::Recording(p) if p.samples > 500))
        .await;
    b.tasks[1].abort();
    // The link of the second is cut by restarting it, as a power cut would.
    own(&b.devices[1]).lock_clock(false);
    until(&b.capture, "the clock is told", |s| matches!(s.link, LinkState::Connected { clock_locked: false, .. }))
        .await;
    assert!(b.capture.ask(1, RequestBody::Restart).await.is_err(), "not while recording");
    b.capture.stop().await.unwrap();
    until(&b.capture, "idle", |s| s.capture == CaptureState::Idle).await;
    let _ = b.capture.ask(1, RequestBody::Restart).await;
    until(&b.capture, "it is told which one is missing", |s| match &s.link {
        LinkState::Connecting { says, .. } => says.contains("127.0.0.1:"),
        _ => false,
    })
    .await;
    assert!(b.store.runs(b.campaign).await.unwrap()[0].samples > 500, "what was recorded is there");
}

#[tokio::test(flavor = "multi_thread")]
async fn smart_sensors_tell_who_they_are_wherever_they_are_plugged() {
    let b = Bench::new(2, &[1, 65], 1.0).await;
    let label = |memory: &str| match smart::read(&smart::unhex(memory).unwrap()) {
        Told::Sensor { sensor } => format!("{} {}", sensor.label(), sensor.sensitivity.value),
        other => format!("{other:?}"),
    };
    let all = b.capture.memories();
    assert_eq!(all.len(), 128);
    // The stand-in writes its bits by itself; both sides agree on every entry.
    for (input, truth) in [(1, 9.70), (65, 10.20), (100, 9.73)] {
        let Told::Sensor { sensor } = smart::read(&smart::unhex(&all[&input]).unwrap()) else { panic!("{input}") };
        assert_eq!(sensor.label(), format!("QA-31, {}", 30_000 + input));
        assert!((sensor.sensitivity.value / truth - 1.0).abs() < 4e-4, "{input}: {}", sensor.sensitivity.value);
        assert_eq!(sensor.calibrated_on.unwrap().to_string(), "2026-02-12");
    }
    let seen = b.capture.status().borrow().plugs;
    own(&b.devices[1]).unplug(1).unwrap();
    until(&b.capture, "it is gone", |s| s.plugs > seen).await;
    assert!(!b.capture.memories().contains_key(&65));
    own(&b.devices[1]).plug_in(1, "QA-31, 20467").unwrap();
    until(&b.capture, "another is there", |s| s.plugs > seen + 1).await;
    assert!(label(&b.capture.memories()[&65]).contains("template"), "an unknown template is told, not guessed");
    own(&b.devices[1]).unplug(1).unwrap();
    own(&b.devices[1]).plug_in(1, "QA-31, 20464").unwrap();
    until(&b.capture, "a third is there", |s| s.plugs > seen + 3).await;
    assert!(label(&b.capture.memories()[&65]).contains("checksum"));
    // Written and read back, bit for bit.
    own(&b.devices[1]).unplug(1).unwrap();
    own(&b.devices[1]).plug_in(1, "QA-31, 20461").unwrap();
    until(&b.capture, "a blank one is there", |s| s.plugs > seen + 5).await;
    assert!(label(&b.capture.memories()[&65]).contains("Blank"));
    let wrong = b.capture.ask(1, RequestBody::WriteMemory { input: 1, memory: "00".into() }).await;
    assert!(wrong.unwrap_err().0.contains("128 bytes"));
}

#[tokio::test(flavor = "multi_thread")]
async fn tests_and_setups_go_to_the_front_end_that_carries_the_input() {
    let b = Bench::new(2, &[1, 65], 1.0).await;
    own(&b.devices[1]).break_sensor(4, Fault::Open).unwrap();
    let answer = b.capture.ask(1, RequestBody::SelfTest { inputs: vec![3, 4] }).await.unwrap();
    let tests = answer.tests().unwrap();
    assert!(tests[0].passed && !tests[1].passed && tests[1].says.contains("open"), "{tests:?}");
    own(&b.devices[1]).power("M1", false).unwrap();
    let dark = b.capture.ask(1, RequestBody::SelfTest { inputs: vec![3] }).await.unwrap().tests().unwrap();
    assert!(dark[0].says.contains("no power"));
    until(&b.capture, "the dark module is told", |s| match &s.link {
        LinkState::Connected { units, .. } => units[1].dark_modules == ["M1"] && units[0].dark_modules.is_empty(),
        _ => false,
    })
    .await;
    let setup = b.capture.read_setup().await.unwrap();
    let of = |cells: &[echo_job::rig::Cell], input| -> Vec<String> {
        cells.iter().filter(|c| c.input == input).map(|c| c.text.clone()).collect()
    };
    assert_eq!(of(&setup.found, 65), ["DC", "10 V", "off"], "as it came");
    assert_eq!(of(&setup.now, 65), ["IEPE", "0.5 V", "off"], "as it was set");
    assert!(b.capture.ask(2, RequestBody::State).await.unwrap_err().0.contains("there are 2"));
    let far = b.capture.ask(0, RequestBody::Output { hz: 100.0, peak_v: 99.0, wave: Wave::Sine }).await;
    assert!(far.unwrap_err().0.contains("0 to 10 V"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_clock_that_drifts_is_told_before_samples_no_longer_belong_together() {
    let b = Bench::new(2, &[1, 65], 600.0).await;
    b.capture.record().await.unwrap();
    until(&b.capture, "something is recorded", |s| matches!(&s.capture, CaptureState::Recording(p) if p.samples > 500))
        .await;
    let before = b.capture.status().borrow().link.clone();
    assert!(matches!(before, LinkState::Connected { clock_locked: true, .. }));
    // Three tenths of a per cent: half a sample in 170 samples, and many have gone by.
    own(&b.devices[1]).drift(3000.0);
    until(&b.capture, "the drift is told", |s| matches!(s.link, LinkState::Connected { clock_locked: false, .. }))
        .await;
    b.capture.stop().await.unwrap();
    until(&b.capture, "the run is stored", |s| s.capture == CaptureState::Idle && s.ended.is_some()).await;
    let run = b.capture.status().borrow().ended.clone().unwrap().run_id;
    let marks = b.store.marks(run).await.unwrap();
    assert_eq!(marks[0].says, "clocks not together from here");
}
