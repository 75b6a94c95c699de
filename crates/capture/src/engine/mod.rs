//! The task that owns the connection, the state and the recording.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`handle`] | the handle others give orders by |
//! | `link` | connecting, setting up, looking after the front ends |
//! | `recording` | arming, recording, ending |
//! | `away` | a recording that the front end goes on with by itself while the link is away |

mod away;
pub mod handle;
mod link;
mod recording;

use crate::link_client::ClientError;
use crate::live::Live;
use crate::recorder::Held;
use crate::session::Session;
use crate::state::{CaptureState, LinkState, OwnStore, Status};
use crate::system::{Heard, System};
use crate::whole_takes::WholeTake;
use away::Away;
use chrono::{DateTime, Utc};
use echo_job::rig::Cell;
use echo_link::Settings;
use echo_store::Store;
use futures::FutureExt;
use handle::{Memories, Options, Order, Setup, refuse};
use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use tokio::sync::{broadcast, mpsc, oneshot, watch};
use tokio::time::Instant;

/// A session with its runs.
struct Recording {
    session: Session,
    kept: Vec<Kept>,
    since: DateTime<Utc>,
    waits_for: String,
    rate_hz: f64,
    channels: usize,
    /// Samples a take has, where known.
    planned: Option<u64>,
    pre_s: f64,
    takes_planned: Option<u32>,
    next_room: Instant,
    /// Who began it.
    who: String,
    own_store: Option<OwnStore>,
}

/// One recorder's run.
struct Kept {
    run: i64,
    number: i32,
    held: Arc<Held>,
    done: oneshot::Receiver<()>,
}

struct Writing {
    done: Vec<oneshot::Receiver<()>>,
}

struct Engine {
    store: Store,
    options: Options,
    inbox: mpsc::Receiver<Order>,
    status: watch::Sender<Status>,
    live: Arc<Live>,
    address: Option<String>,
    link: Option<System>,
    next_try: Instant,
    /// Takes with their samples.
    takes: broadcast::Sender<Arc<WholeTake>>,
    /// The campaign's own set-up.
    own: watch::Sender<Option<Setup>>,
    /// The set-up in force: the own one, unless the front end is lent.
    setup: Option<Setup>,
    /// Ends when what the front end is lent for does.
    lent: Option<oneshot::Receiver<()>>,
    applied: Option<Settings>,
    recording: Option<Recording>,
    writing: Option<Writing>,
    counts: Vec<Vec<i32>>,
    memories: Memories,
    /// What was set on the front ends when they were found.
    found: Option<Vec<Cell>>,
    next_care: Instant,
    /// The link broke while triggers were waited for: armed again when it is back.
    arm_again: bool,
    /// Sequence of the block that comes next.
    next_block: Option<u64>,
    away: Option<Away>,
    /// Who began what is armed or recorded.
    who: String,
}

enum Event {
    Order(Option<Order>),
    Heard(Result<Heard, ClientError>),
    Care,
    Try,
    Written,
    GivenBack,
}

impl Engine {
    async fn run(mut self) {
        loop {
            let event = {
                let silence = self.options.silence;
                let wants = self.address.is_some() && self.link.is_none();
                let (link, writing, lent) = (&mut self.link, &mut self.writing, &mut self.lent);
                tokio::select! {
                    biased;
                    o = self.inbox.recv() => Event::Order(o),
                    b = async {
                        match link {
                            Some(l) => match tokio::time::timeout(silence, l.heard()).await {
                                Ok(b) => b,
                                Err(_) => Err(ClientError::Silent),
                            },
                            None => std::future::pending().await,
                        }
                    } => Event::Heard(b),
                    () = async {
                        match writing {
                            Some(w) => {
                                while let Some(done) = w.done.last_mut() {
                                    let _ = done.await;
                                    w.done.pop();
                                }
                            }
                            None => std::future::pending().await,
                        }
                    } => Event::Written,
                    () = async {
                        match lent {
                            Some(back) => drop(back.await),
                            None => std::future::pending().await,
                        }
                    } => Event::GivenBack,
                    () = tokio::time::sleep_until(self.next_try), if wants => Event::Try,
                    () = tokio::time::sleep_until(self.next_care), if !wants => Event::Care,
                }
            };
            if matches!(event, Event::Order(None)) {
                return;
            }
            // A fault of our own costs the recording that goes on, not all that come after it.
            if AssertUnwindSafe(self.act(event)).catch_unwind().await.is_err() {
                tracing::error!("a fault in capture: the recording is ended, the front end connected anew");
                self.faulted("a fault of Fleet Echo itself; everything up to here is kept");
            }
        }
    }

    async fn act(&mut self, event: Event) {
        match event {
            Event::Order(None) => {}
            Event::Order(Some(order)) => self.obey(order).await,
            Event::Heard(Ok(heard)) => self.hear(heard),
            Event::Heard(Err(e @ ClientError::Fault(_))) => self.faulted(&e.to_string()),
            Event::Heard(Err(e)) => self.link_lost(&e.to_string()),
            Event::Care => self.care().await,
            Event::Try => self.connect().await,
            Event::GivenBack => self.given_back().await,
            Event::Written => {
                self.writing = None;
                self.status.send_modify(|s| s.capture = CaptureState::Idle);
                self.armed_again().await;
            }
        }
    }

    async fn obey(&mut self, order: Order) {
        // Who gives back and then orders finds it given back.
        if self.lent.as_mut().is_some_and(|back| back.try_recv() == Err(oneshot::error::TryRecvError::Closed)) {
            self.given_back().await;
        }
        match order {
            Order::Address(address) => {
                if self.address == address && self.link.is_some() {
                    return;
                }
                self.end_recording(false, "another front end was chosen");
                self.forget_link();
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
            Order::MeasureNothing(reply) => {
                let _ = reply.send(self.measure_nothing());
            }
            Order::Consider(setup, reply) => {
                let _ = reply.send(self.consider(&setup));
            }
            Order::Lend { setup, back, who, reply } => {
                self.who = who;
                let result = self.lend(*setup, back).await;
                let _ = reply.send(result);
            }
            Order::Arm { who, reply } => {
                self.who = who;
                let result = self.arm().await;
                let _ = reply.send(result);
            }
            Order::Record { who, reply } => {
                if self.recording.is_none() {
                    self.who = who;
                }
                let result = self.record().await;
                let _ = reply.send(result);
            }
            Order::Stop(reply) => {
                let result = if self.recording.is_some() {
                    match self.away {
                        None => self.end_recording(true, "stopped by hand"),
                        Some(_) => self.end_recording(false, "stopped by hand while the link was away"),
                    }
                    Ok(())
                } else if std::mem::take(&mut self.arm_again) {
                    Ok(())
                } else {
                    refuse("nothing is armed or recording")
                };
                self.arm_again = false;
                let _ = reply.send(result);
            }
            Order::Recorder { name, to, who, reply } => {
                if self.recording.is_none() {
                    self.who = who;
                }
                let result = self.one_recorder(&name, to).await;
                let _ = reply.send(result);
            }
            Order::Mark { says, who, reply } => {
                let _ = reply.send(self.mark(&says, &who));
            }
            Order::WriteSetup(reply) => {
                let result = self.write_setup().await;
                let _ = reply.send(result);
            }
            Order::Ask(unit, body, reply) => {
                let result = self.ask(unit, body).await;
                let _ = reply.send(result);
            }
            Order::ReadSetup(reply) => {
                let result = self.read_setup().await;
                let _ = reply.send(result);
            }
        }
    }
}
