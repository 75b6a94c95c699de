//! Capture on the stand-in on hull frame 14, whose bumps are known.

use echo_capture::{Capture, CaptureState, LinkState, Options, Setup, Status};
use echo_job::plan::{Keeps, Length, Plan, RecorderPlan};
use echo_job::rig::{Channel, Coupling, Rig};
use echo_job::trigger::{Condition, Edge, Trigger};
use echo_simulator::device::{Lantern, Plays};
use echo_simulator::serve::{Pace, own, serve};
use echo_store::Store;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tokio::net::TcpListener;

pub const RATE: f64 = 5120.0;

pub struct Hull {
    pub store: Store,
    pub capture: Capture,
    pub device: Arc<Mutex<Lantern>>,
    pub room: Arc<AtomicU64>,
    pub campaign: i64,
}

pub fn rig() -> Rig {
    let channel = |input: u16| Channel {
        on: true,
        name: format!("frame 14, axis {input}"),
        sensitivity: echo_job::sensitivity::Sensitivity { value: 10.2, unit: "mV/(m/s²)".into() },
        coupling: Coupling::Dc,
        range_v: 1.0,
        ..Channel::free(input)
    };
    Rig { name: "frame 14".into(), channels: (1..=3).map(channel).collect() }
}

/// Athwart rises through 10 m/s².
pub fn bumps(pre_s: f64, takes: Option<u32>) -> Trigger {
    let level = Condition::Level { input: 1, level: 10.0, hysteresis: 5.0, unit: "m/s²".into(), edge: Edge::Rising };
    Trigger { conditions: vec![level], pre_s, takes, ..Trigger::default() }
}

pub fn recorder(name: &str, inputs: &[u16], divide: u32, keeps: Keeps) -> RecorderPlan {
    RecorderPlan { name: name.into(), inputs: inputs.to_vec(), divide, keeps, segment_s: None }
}

pub fn plan(duration_s: f64) -> Plan {
    Plan { sample_rate_hz: RATE, length: Length::After { duration_s }, run_kind: "berthing".into(), ..Plan::default() }
}

impl Hull {
    pub async fn new(plan: Plan) -> Hull {
        Hull::storing(plan, 0).await
    }

    /// With a front end that keeps so many bytes of blocks itself.
    pub async fn storing(plan: Plan, bytes: usize) -> Hull {
        let store = Store::lazy(&std::env::var("DATABASE_URL").expect("DATABASE_URL: ./test sets it")).unwrap();
        store.migrate().await.unwrap();
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos();
        let campaign = store.create_campaign(&format!("berthing {now}"), "s", "p", &rig(), &plan).await.unwrap();
        let device = Arc::new(Mutex::new(Lantern::playing("LT-0424", Plays::Berth)));
        own(&device).keeps_bytes = bytes;
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let address = listener.local_addr().unwrap().to_string();
        tokio::spawn(serve(listener, device.clone(), Pace::Times(8.0)));
        let room = Arc::new(AtomicU64::new(1 << 40));
        let probe = room.clone();
        let options =
            Options { room: Some(Arc::new(move || Some(probe.load(Ordering::SeqCst)))), ..Options::default() };
        let capture = Capture::start(store.clone(), options);
        let hull = Hull { store, capture, device, room, campaign };
        hull.set(plan).await;
        hull.capture.connect(Some(address)).await;
        hull.until(
            "the front end sends",
            |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz > 0.0),
        )
        .await;
        hull
    }

    pub async fn set(&self, plan: Plan) {
        self.capture.set_up(Setup { campaign: self.campaign, rig: rig(), plan }).await.unwrap();
    }

    pub async fn until(&self, what: &str, good: impl FnMut(&Status) -> bool) -> Status {
        let mut status = self.capture.status();
        let waited = tokio::time::timeout(Duration::from_secs(60), status.wait_for(good)).await;
        match waited {
            Ok(s) => s.unwrap().clone(),
            Err(_) => panic!("waited in vain until {what}: {:?}", self.capture.status().borrow()),
        }
    }

    pub async fn stored(&self) -> Status {
        self.until("all is stored", |s| s.capture == CaptureState::Idle && s.ended.is_some()).await
    }

    /// A channel in m/s²; NaN where nothing was kept.
    pub async fn values(&self, run: i64, channel: i16) -> Vec<f64> {
        let samples = self.store.run(run).await.unwrap().samples as usize;
        let of = &self.store.run_channels(run).await.unwrap()[channel as usize - 1];
        let scale = of.volts_per_count / 10.2e-3;
        let counts = self.store.counts(run, channel, 0, samples).await.unwrap();
        counts.into_iter().map(|c| c.map_or(f64::NAN, |c| f64::from(c) * scale)).collect()
    }
}
