//! The handle to the engine, and the orders it passes on.

use super::Engine;
use crate::live::Live;
use crate::state::{CaptureState, LinkState, Status};
use crate::whole_takes::{LAG, WholeTake};
use echo_job::front_end::FrontEnd;
use echo_job::plan::Plan;
use echo_job::rig::{Cell, Rig};
use echo_link::{AnswerBody, RequestBody};
use echo_store::Store;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::{broadcast, mpsc, oneshot, watch};
use tokio::time::Instant;

/// Tells the free bytes where the database writes.
pub type Room = Arc<dyn Fn() -> Option<u64> + Send + Sync>;

/// Settings of the capture engine.
#[derive(Clone)]
pub struct Options {
    /// Bytes held in memory while the store is away before the recording is stopped.
    pub hold_bytes: u64,
    /// Free bytes where the database writes, where that can be known.
    pub room: Option<Room>,
    /// Bytes of the disk that recording leaves free.
    pub keep_free_bytes: u64,
    /// A front end that sends nothing for this long counts as gone.
    pub silence: Duration,
}

impl Default for Options {
    fn default() -> Self {
        Options { hold_bytes: 1 << 30, room: None, keep_free_bytes: 256 << 20, silence: Duration::from_secs(3) }
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

/// What is set on the front ends, as cells of the channel table.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct DeviceSetup {
    /// When they were found, before anything was written.
    pub found: Vec<Cell>,
    /// Now.
    pub now: Vec<Cell>,
}

/// Why an order was refused.
#[derive(Debug, Clone, thiserror::Error)]
#[error("{0}")]
pub struct CaptureError(pub String);

type Reply = oneshot::Sender<Result<(), CaptureError>>;

/// What one recorder is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OrderTo {
    /// Keep samples from now on.
    Start,
    /// Keep no more.
    Stop,
}

pub(super) enum Order {
    Address(Option<String>),
    Setup(Box<Setup>, Reply),
    MeasureNothing(Reply),
    Consider(Box<Setup>, Reply),
    Lend { setup: Box<Setup>, back: oneshot::Receiver<()>, who: String, reply: Reply },
    Arm { who: String, reply: Reply },
    Record { who: String, reply: Reply },
    Stop(Reply),
    Recorder { name: String, to: OrderTo, who: String, reply: Reply },
    Mark { says: String, who: String, reply: Reply },
    WriteSetup(Reply),
    Ask(usize, RequestBody, oneshot::Sender<Result<AnswerBody, CaptureError>>),
    ReadSetup(oneshot::Sender<Result<DeviceSetup, CaptureError>>),
}

/// A handle to the engine; cheap to clone.
#[derive(Clone)]
pub struct Capture {
    orders: mpsc::Sender<Order>,
    status: watch::Receiver<Status>,
    live: Arc<Live>,
    memories: Memories,
    own: watch::Receiver<Option<Setup>>,
    takes: broadcast::Sender<Arc<WholeTake>>,
    who: Arc<str>,
}

/// The front end, lent for one recording with a set-up that is not the campaign's own. However this ends, by
/// its owner, an error or a panic, a recording that still goes ends too, and the own set-up is in force again.
#[derive(Debug)]
pub struct Lent {
    _given_back: oneshot::Sender<()>,
}

/// Memories of the smart sensors that are plugged in, by input.
pub(super) type Memories = Arc<Mutex<BTreeMap<u16, String>>>;

pub(super) fn refuse<T>(says: impl Into<String>) -> Result<T, CaptureError> {
    Err(CaptureError(says.into()))
}

impl Capture {
    /// Starts the engine.
    pub fn start(store: Store, options: Options) -> Capture {
        let (orders, inbox) = mpsc::channel(32);
        let live = Arc::new(Live::default());
        let memories = Memories::default();
        let (status_to, status) =
            watch::channel(Status { link: LinkState::None, capture: CaptureState::Idle, ended: None, plugs: 0 });
        let (own_to, own) = watch::channel(None);
        let takes = broadcast::channel(LAG).0;
        let engine = Engine {
            own: own_to,
            takes: takes.clone(),
            lent: None,
            store,
            options,
            inbox,
            status: status_to,
            live: live.clone(),
            memories: memories.clone(),
            found: None,
            next_care: Instant::now(),
            address: None,
            link: None,
            next_try: Instant::now(),
            setup: None,
            applied: None,
            recording: None,
            writing: None,
            counts: Vec::new(),
            arm_again: false,
            next_block: None,
            away: None,
            who: String::new(),
        };
        tokio::spawn(engine.run());
        Capture { orders, status, live, memories, own, takes, who: "engineer".into() }
    }

    /// A handle whose runs are told to be this person's.
    #[must_use]
    pub fn by(&self, who: &str) -> Capture {
        Capture { who: who.into(), ..self.clone() }
    }

    fn who(&self) -> String {
        self.who.to_string()
    }

    async fn order(&self, make: impl FnOnce(Reply) -> Order) -> Result<(), CaptureError> {
        let (reply, answer) = oneshot::channel();
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

    /// Measures for no campaign until another set-up is given.
    ///
    /// # Errors
    /// While recording.
    pub async fn measure_nothing(&self) -> Result<(), CaptureError> {
        self.order(Order::MeasureNothing).await
    }

    /// Whether a set-up would be taken now, as far as that can be known without asking the front end.
    ///
    /// # Errors
    /// As [`Capture::set_up`] while recording.
    pub async fn consider(&self, setup: Setup) -> Result<(), CaptureError> {
        self.order(|r| Order::Consider(Box::new(setup), r)).await
    }

    /// The set-up of the campaign that is measured, as last set; what is lent is not it.
    pub fn setup(&self) -> Option<Setup> {
        self.own.borrow().clone()
    }

    /// Records at once with a set-up that is not the campaign's own, which is in force again when what is
    /// given back is dropped.
    ///
    /// # Errors
    /// As [`Capture::set_up`] and [`Capture::record`]; the own set-up is in force then.
    pub async fn lend(&self, setup: Setup) -> Result<Lent, CaptureError> {
        let (given_back, back) = oneshot::channel();
        let who = self.who();
        self.order(|reply| Order::Lend { setup: Box::new(setup), back, who, reply }).await?;
        Ok(Lent { _given_back: given_back })
    }

    /// Takes of what is recorded from now on, each as soon as its last sample has come.
    pub fn whole_takes(&self) -> broadcast::Receiver<Arc<WholeTake>> {
        self.takes.subscribe()
    }

    /// Gets ready to record.
    ///
    /// # Errors
    /// No front end, no store, no channel, or recording already.
    pub async fn arm(&self) -> Result<(), CaptureError> {
        let who = self.who();
        self.order(|reply| Order::Arm { who, reply }).await
    }

    /// Records from the next block on.
    ///
    /// # Errors
    /// As [`Capture::arm`].
    pub async fn record(&self) -> Result<(), CaptureError> {
        let who = self.who();
        self.order(|reply| Order::Record { who, reply }).await
    }

    /// Ends the recording, or disarms.
    ///
    /// # Errors
    /// When nothing is armed or recorded.
    pub async fn stop(&self) -> Result<(), CaptureError> {
        self.order(Order::Stop).await
    }

    /// Starts or stops one recorder of the plan.
    ///
    /// # Errors
    /// No such recorder, it goes already or not at all, or as [`Capture::arm`].
    pub async fn recorder(&self, name: &str, to: OrderTo) -> Result<(), CaptureError> {
        let who = self.who();
        self.order(|reply| Order::Recorder { name: name.into(), to, who, reply }).await
    }

    /// Sets a mark at this moment in every run that is recorded.
    ///
    /// # Errors
    /// Nothing is armed or recorded.
    pub async fn mark(&self, says: &str, who: &str) -> Result<(), CaptureError> {
        self.order(|reply| Order::Mark { says: says.into(), who: who.into(), reply }).await
    }

    /// Asks one of the front ends, counted from 0, something beside measuring.
    ///
    /// # Errors
    /// It is not connected, refuses, or a recording must not be disturbed.
    pub async fn ask(&self, unit: usize, body: RequestBody) -> Result<AnswerBody, CaptureError> {
        let (reply, answer) = oneshot::channel();
        self.orders.send(Order::Ask(unit, body, reply)).await.map_err(|_| gone())?;
        answer.await.map_err(|_| gone())?
    }

    /// What is set on the front ends, when found and now.
    ///
    /// # Errors
    /// Not connected, or it does not answer.
    pub async fn read_setup(&self) -> Result<DeviceSetup, CaptureError> {
        let (reply, answer) = oneshot::channel();
        self.orders.send(Order::ReadSetup(reply)).await.map_err(|_| gone())?;
        answer.await.map_err(|_| gone())?
    }

    /// Writes the set-up to the front ends again, whatever they are set to.
    ///
    /// # Errors
    /// As [`Capture::set_up`].
    pub async fn write_setup(&self) -> Result<(), CaptureError> {
        self.order(Order::WriteSetup).await
    }

    /// Takes over a memory that was read back from a front end.
    pub fn remember_memory(&self, input: u16, memory: String) {
        self.memories.lock().unwrap_or_else(PoisonError::into_inner).insert(input, memory);
    }

    /// Memories of the smart sensors that are plugged in, by input: two hexadecimal digits a byte.
    pub fn memories(&self) -> BTreeMap<u16, String> {
        self.memories.lock().unwrap_or_else(PoisonError::into_inner).clone()
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

fn gone() -> CaptureError {
    CaptureError("capture has stopped; start the server again".into())
}
