//! The task that owns the connection, the state and the recording.

use crate::link_client::{ClientError, LinkClient, settings};
use crate::live::Live;
use crate::recorder::{Held, Recorder};
use crate::state::{CaptureState, Ended, LinkState, Progress, Status};
use chrono::Utc;
use echo_job::front_end::FrontEnd;
use echo_job::plan::Plan;
use echo_job::rig::Rig;
use echo_link::{Block, FULL_SCALE, RequestBody, Settings};
use echo_store::Store;
use echo_store::run::NewRun;
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::Duration;
use tokio::sync::{mpsc, oneshot, watch};
use tokio::time::Instant;

/// Settings of the capture engine.
#[derive(Debug, Clone)]
pub struct Options {
    /// Bytes held in memory while the store is away before the recording is stopped.
    pub hold_bytes: u64,
    /// A front end that sends nothing for this long counts as gone.
    pub silence: Duration,
}

impl Default for Options {
    fn default() -> Self {
        Options { hold_bytes: 1 << 30, silence: Duration::from_secs(3) }
    }
}

/// What the front end is to be set to, and whose campaign the next run belongs to.
#[derive(Debug, Clone, PartialEq)]
pub struct Setup {
    /// Campaign of the next run.
    pub campaign: i64,
    /// The rig.
    pub rig: Rig,
    /// The plan.
    pub plan: Plan,
}

/// Why an order was refused.
#[derive(Debug, Clone, thiserror::Error)]
#[error("{0}")]
pub struct CaptureError(pub String);

type Reply = oneshot::Sender<Result<(), CaptureError>>;

enum Order {
    Address(Option<String>),
    Setup(Box<Setup>, Reply),
    Arm(Reply),
    Record(Reply),
    Stop(Reply),
}

/// A handle to the engine; cheap to clone.
#[derive(Clone)]
pub struct Capture {
    orders: mpsc::Sender<Order>,
    status: watch::Receiver<Status>,
    live: Arc<Live>,
}

fn refuse<T>(says: impl Into<String>) -> Result<T, CaptureError> {
    Err(CaptureError(says.into()))
}

impl Capture {
    /// Starts the engine.
    pub fn start(store: Store, options: Options) -> Capture {
        let (orders, inbox) = mpsc::channel(32);
        let live = Arc::new(Live::default());
        let (status_to, status) =
            watch::channel(Status { link: LinkState::None, capture: CaptureState::Idle, ended: None });
        let engine = Engine {
            store,
            options,
            inbox,
            status: status_to,
            live: live.clone(),
            address: None,
            link: None,
            next_try: Instant::now(),
            setup: None,
            applied: None,
            recording: None,
            writing: None,
            counts: Vec::new(),
        };
        tokio::spawn(engine.run());
        Capture { orders, status, live }
    }

    async fn order(&self, make: impl FnOnce(Reply) -> Order) -> Result<(), CaptureError> {
        let (reply, answer) = oneshot::channel();
        let gone = || CaptureError("capture has stopped; start the server again".into());
        self.orders.send(make(reply)).await.map_err(|_| gone())?;
        answer.await.map_err(|_| gone())?
    }

    /// Connects to a front end at `host:port`, or to none.
    pub async fn connect(&self, address: Option<String>) {
        let _ = self.orders.send(Order::Address(address)).await;
    }

    /// Sets rig and plan; the front end follows at once.
    ///
    /// # Errors
    /// While recording, or when the front end refuses.
    pub async fn set_up(&self, setup: Setup) -> Result<(), CaptureError> {
        self.order(|r| Order::Setup(Box::new(setup), r)).await
    }

    /// Gets ready to record.
    ///
    /// # Errors
    /// No front end, no store, no channel, or recording already.
    pub async fn arm(&self) -> Result<(), CaptureError> {
        self.order(Order::Arm).await
    }

    /// Records from the next block on.
    ///
    /// # Errors
    /// As [`Capture::arm`].
    pub async fn record(&self) -> Result<(), CaptureError> {
        self.order(Order::Record).await
    }

    /// Ends the recording, or disarms.
    ///
    /// # Errors
    /// When nothing is armed or recorded.
    pub async fn stop(&self) -> Result<(), CaptureError> {
        self.order(Order::Stop).await
    }

    /// The status now and from now on.
    pub fn status(&self) -> watch::Receiver<Status> {
        self.status.clone()
    }

    /// The live view.
    pub fn live(&self) -> &Arc<Live> {
        &self.live
    }

    /// The connected front end.
    pub fn front_end(&self) -> Option<FrontEnd> {
        match &self.status.borrow().link {
            LinkState::Connected { front_end, .. } => Some((**front_end).clone()),
            _ => None,
        }
    }
}

struct Link {
    client: LinkClient,
    front_end: FrontEnd,
}

struct Recording {
    recorder: Recorder,
    held: Arc<Held>,
    done: oneshot::Receiver<()>,
    progress: Progress,
}

struct Writing {
    done: oneshot::Receiver<()>,
}

struct Engine {
    store: Store,
    options: Options,
    inbox: mpsc::Receiver<Order>,
    status: watch::Sender<Status>,
    live: Arc<Live>,
    address: Option<String>,
    link: Option<Link>,
    next_try: Instant,
    setup: Option<Setup>,
    applied: Option<Settings>,
    recording: Option<Recording>,
    writing: Option<Writing>,
    counts: Vec<Vec<i32>>,
}

enum Event {
    Order(Option<Order>),
    Block(Result<Block, ClientError>),
    Try,
    Written,
}

impl Engine {
    async fn run(mut self) {
        loop {
            let event = {
                let silence = self.options.silence;
                let wants = self.address.is_some() && self.link.is_none();
                let (link, writing) = (&mut self.link, &mut self.writing);
                tokio::select! {
                    biased;
                    o = self.inbox.recv() => Event::Order(o),
                    b = async {
                        match link {
                            Some(l) => match tokio::time::timeout(silence, l.client.block()).await {
                                Ok(b) => b,
                                Err(_) => Err(ClientError::Silent),
                            },
                            None => std::future::pending().await,
                        }
                    } => Event::Block(b),
                    () = async {
                        match writing {
                            Some(w) => { let _ = (&mut w.done).await; }
                            None => std::future::pending().await,
                        }
                    } => Event::Written,
                    () = tokio::time::sleep_until(self.next_try), if wants => Event::Try,
                }
            };
            match event {
                Event::Order(None) => return,
                Event::Order(Some(order)) => self.obey(order).await,
                Event::Block(Ok(block)) => self.take(&block),
                Event::Block(Err(e)) => self.link_lost(&e.to_string()),
                Event::Try => self.connect().await,
                Event::Written => {
                    self.writing = None;
                    self.status.send_modify(|s| s.capture = CaptureState::Idle);
                }
            }
        }
    }

    async fn obey(&mut self, order: Order) {
        match order {
            Order::Address(address) => {
                if self.address == address && self.link.is_some() {
                    return;
                }
                self.end_recording(false, "another front end was chosen");
                self.link = None;
                self.applied = None;
                self.live.clear();
                self.address = address;
                self.next_try = Instant::now();
                let link = match &self.address {
                    Some(a) => LinkState::Connecting { address: a.clone(), says: String::new() },
                    None => LinkState::None,
                };
                self.status.send_modify(|s| s.link = link);
            }
            Order::Setup(setup, reply) => {
                let result = self.set_up(*setup).await;
                let _ = reply.send(result);
            }
            Order::Arm(reply) => {
                let result = self.arm().await;
                let _ = reply.send(result);
            }
            Order::Record(reply) => {
                let result = self.record().await;
                let _ = reply.send(result);
            }
            Order::Stop(reply) => {
                let armed = matches!(self.status.borrow().capture, CaptureState::Armed);
                let result = if self.recording.is_some() {
                    self.end_recording(true, "stopped by hand");
                    Ok(())
                } else if armed {
                    self.status.send_modify(|s| s.capture = CaptureState::Idle);
                    Ok(())
                } else {
                    refuse("nothing is armed or recording")
                };
                let _ = reply.send(result);
            }
        }
    }

    async fn connect(&mut self) {
        let Some(address) = self.address.clone() else { return };
        match LinkClient::connect(&address).await {
            Ok((client, front_end)) => {
                tracing::info!(address, model = front_end.model, serial = front_end.serial, "front end connected");
                self.link = Some(Link { client, front_end: front_end.clone() });
                self.applied = None;
                let link = LinkState::Connected {
                    address,
                    front_end: Box::new(front_end),
                    clock_locked: true,
                    sample_rate_hz: 0.0,
                    refused: None,
                };
                self.status.send_modify(|s| s.link = link);
                let _ = self.apply().await;
            }
            Err(e) => {
                self.next_try = Instant::now() + Duration::from_secs(1);
                let says = e.to_string();
                self.status.send_modify(|s| s.link = LinkState::Connecting { address, says });
            }
        }
    }

    fn link_lost(&mut self, says: &str) {
        tracing::warn!("front end lost: {says}");
        self.end_recording(false, &format!("the link to the front end broke: {says}"));
        self.link = None;
        self.applied = None;
        self.live.clear();
        self.next_try = Instant::now() + Duration::from_millis(500);
        let address = self.address.clone().unwrap_or_default();
        self.status.send_modify(|s| {
            s.link = LinkState::Connecting { address, says: says.into() };
            if s.capture == CaptureState::Armed {
                s.capture = CaptureState::Idle;
            }
        });
    }

    async fn set_up(&mut self, setup: Setup) -> Result<(), CaptureError> {
        let hardware = self.setup.as_ref().map(|s| settings(&s.rig, &s.plan));
        let changes = hardware != Some(settings(&setup.rig, &setup.plan));
        let armed = matches!(self.status.borrow().capture, CaptureState::Armed);
        if changes && (self.recording.is_some() || armed) {
            return refuse("a run is armed or recording; stop it before changing what is measured");
        }
        self.setup = Some(setup);
        self.apply().await
    }

    /// Brings the front end to the set-up, and lets it send.
    async fn apply(&mut self) -> Result<(), CaptureError> {
        let (Some(link), Some(setup)) = (&mut self.link, &self.setup) else { return Ok(()) };
        let wanted = settings(&setup.rig, &setup.plan);
        if self.applied.as_ref() == Some(&wanted) {
            return Ok(());
        }
        let numbers: Vec<u16> = wanted.inputs.iter().map(|i| i.number).collect();
        let same_stream = self.applied.as_ref().is_some_and(|a| {
            a.rate_hz == wanted.rate_hz && a.inputs.iter().map(|i| i.number).eq(numbers.iter().copied())
        });
        let result = async {
            if !same_stream {
                link.client.ask(RequestBody::Stop).await?;
            }
            link.client.ask(RequestBody::Apply { settings: wanted.clone() }).await?;
            if !same_stream {
                link.client.forget_early();
                link.client.ask(RequestBody::Start).await?;
            }
            Ok::<_, ClientError>(())
        }
        .await;
        match result {
            Ok(()) => {
                if same_stream {
                    let before = self.applied.iter().flat_map(|a| &a.inputs);
                    for (old, new) in before.zip(&wanted.inputs) {
                        if old != new {
                            self.live.forget(new.number);
                        }
                    }
                } else {
                    self.live.restart(wanted.rate_hz, &numbers);
                }
                let rate = wanted.rate_hz;
                self.applied = Some(wanted);
                self.status.send_modify(|s| {
                    if let LinkState::Connected { sample_rate_hz, refused, .. } = &mut s.link {
                        *sample_rate_hz = rate;
                        *refused = None;
                    }
                });
                Ok(())
            }
            Err(ClientError::Refused(says)) => {
                let text = says.clone();
                self.status.send_modify(|s| {
                    if let LinkState::Connected { refused, .. } = &mut s.link {
                        *refused = Some(text);
                    }
                });
                refuse(format!("the front end refuses: {says}"))
            }
            Err(e) => {
                self.link_lost(&e.to_string());
                refuse(e.to_string())
            }
        }
    }

    async fn ready(&mut self) -> Result<(), CaptureError> {
        if self.recording.is_some() {
            return refuse("a run is being recorded already");
        }
        if self.writing.is_some() {
            return refuse("the last run is still being written; wait until it is stored");
        }
        let Some(setup) = &self.setup else { return refuse("no campaign is chosen; choose one first") };
        if setup.rig.active().next().is_none() {
            return refuse("no channel is on; switch one on in the rig");
        }
        let Some(link) = &self.link else {
            return refuse("no front end is connected; check its power and its cable, or set its address");
        };
        setup.rig.check(Some(&link.front_end)).map_err(|e| CaptureError(e.says))?;
        setup.plan.check(Some(&link.front_end)).map_err(|e| CaptureError(e.says))?;
        self.apply().await?;
        self.store.ping().await.map_err(|e| CaptureError(format!("{e}; recording cannot start, nothing would be kept")))
    }

    async fn arm(&mut self) -> Result<(), CaptureError> {
        self.ready().await?;
        self.status.send_modify(|s| s.capture = CaptureState::Armed);
        Ok(())
    }

    async fn record(&mut self) -> Result<(), CaptureError> {
        self.ready().await?;
        let (Some(setup), Some(link)) = (&self.setup, &self.link) else { return refuse("no front end is connected") };
        let channels = setup.rig.active().count();
        let new = NewRun {
            campaign: setup.campaign,
            kind: setup.plan.run_kind.clone(),
            sample_rate_hz: setup.plan.sample_rate_hz,
            clean_share: link.front_end.clean_share,
            front_end: format!("{}, serial {}", link.front_end.model, link.front_end.serial),
            rig: setup.rig.clone(),
            plan: setup.plan.clone(),
            volts_per_count: setup.rig.active().map(|c| c.range_v / f64::from(FULL_SCALE)).collect(),
        };
        let planned = setup.plan.samples();
        let run = self.store.open_run(&new).await.map_err(|e| CaptureError(format!("{e}; recording cannot start")))?;
        let (recorder, held, done) = Recorder::start(self.store.clone(), run.id, channels, new.sample_rate_hz, planned);
        let progress = Progress {
            run_id: run.id,
            number: run.number,
            since: Utc::now(),
            sample_rate_hz: new.sample_rate_hz,
            channels,
            samples: 0,
            planned,
            lost_blocks: 0,
            held_bytes: 0,
            store_away: false,
        };
        self.recording = Some(Recording { recorder, held, done, progress: progress.clone() });
        self.status.send_modify(|s| {
            s.ended = None;
            s.capture = CaptureState::Recording(progress);
        });
        Ok(())
    }

    fn take(&mut self, block: &Block) {
        let head = block.head();
        self.counts.resize_with(head.inputs.len(), Vec::new);
        for (i, c) in self.counts.iter_mut().enumerate() {
            c.clear();
            block.counts_into(i, c);
        }
        self.live.push(head, &self.counts);
        self.status.send_if_modified(|s| match &mut s.link {
            LinkState::Connected { clock_locked, .. } if *clock_locked != head.clock_locked => {
                *clock_locked = head.clock_locked;
                true
            }
            _ => false,
        });
        let Some(r) = &mut self.recording else { return };
        let reached = r.recorder.push(head.sequence, head.first_sample, &self.counts, &head.over);
        r.progress.samples = r.recorder.samples();
        r.progress.lost_blocks = r.recorder.lost_blocks;
        r.progress.held_bytes = r.held.bytes.load(Ordering::Relaxed);
        r.progress.store_away = r.held.away.load(Ordering::Relaxed);
        let progress = r.progress.clone();
        let full = progress.held_bytes > self.options.hold_bytes;
        self.status.send_modify(|s| s.capture = CaptureState::Recording(progress));
        if reached {
            self.end_recording(true, "the planned length was reached");
        } else if full {
            self.end_recording(false, "the database was away longer than memory could hold samples");
        }
    }

    fn end_recording(&mut self, whole: bool, because: &str) {
        let Some(r) = self.recording.take() else { return };
        let lost_blocks = r.recorder.lost_blocks;
        r.recorder.finish(whole, because);
        let ended = Ended {
            run_id: r.progress.run_id,
            number: r.progress.number,
            whole,
            because: because.into(),
            lost_blocks,
            at: Utc::now(),
        };
        let progress = r.progress;
        self.writing = Some(Writing { done: r.done });
        self.status.send_modify(|s| {
            s.ended = Some(ended);
            s.capture = CaptureState::Writing(progress);
        });
    }
}
