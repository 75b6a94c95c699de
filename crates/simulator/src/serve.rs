//! The stand-in's side of the link: one Fleet Echo at a time.

use crate::device::Lantern;
use crate::sending::Sending;
use echo_link::{Answer, AnswerBody, Frame, FrameCodec, LinkError, Notice, Request, RequestBody, Wave, greet};
use futures::{SinkExt, StreamExt};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant, SystemTime};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::mpsc;
use tokio_util::codec::Framed;

/// How fast time runs in the stand-in.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Pace {
    /// This many seconds a second.
    Times(f64),
    /// As fast as blocks are taken.
    Free,
}

/// The start that goes on, which may outlive the link it was ordered over.
type Start = Arc<Mutex<Option<Arc<Sending>>>>;

fn going(start: &Start) -> MutexGuard<'_, Option<Arc<Sending>>> {
    start.lock().unwrap_or_else(PoisonError::into_inner)
}

fn end(start: &Start) {
    if let Some(s) = going(start).take() {
        s.end();
    }
}

/// Blocks on their way to a slow link.
const WAITING: usize = 200;

/// Takes hold of a device.
pub fn own(device: &Mutex<Lantern>) -> std::sync::MutexGuard<'_, Lantern> {
    device.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

/// Serves connections until the listener fails.
///
/// # Errors
/// The listener's own error.
pub async fn serve(listener: TcpListener, device: Arc<Mutex<Lantern>>, pace: Pace) -> std::io::Result<()> {
    let busy = Arc::new(AtomicBool::new(false));
    let start = Start::default();
    loop {
        let (stream, from) = listener.accept().await?;
        stream.set_nodelay(true)?;
        let (device, busy, start) = (device.clone(), busy.clone(), start.clone());
        tokio::spawn(async move {
            if busy.swap(true, Ordering::SeqCst) {
                let _ = turn_away(stream).await;
                return;
            }
            tracing::info!(%from, "connected");
            if let Err(e) = converse(stream, &device, &start, pace).await {
                tracing::warn!(%from, "{e}");
            }
            tracing::info!(%from, "gone");
            busy.store(false, Ordering::SeqCst);
        });
    }
}

async fn turn_away(mut stream: TcpStream) -> Result<(), LinkError> {
    greet(&mut stream).await?;
    let says = "this front end is in use by another Fleet Echo".into();
    Framed::new(stream, FrameCodec).send(Frame::Notice(Notice::Stopping { says })).await
}

async fn converse(
    mut stream: TcpStream,
    device: &Arc<Mutex<Lantern>>,
    start: &Start,
    pace: Pace,
) -> Result<(), LinkError> {
    tokio::time::timeout(Duration::from_secs(5), greet(&mut stream)).await.map_err(|_| LinkError::NotALink)??;
    let (mut out, mut requests) = Framed::new(stream, FrameCodec).split();
    let (to_link, mut frames) = mpsc::channel::<Frame>(WAITING);
    let writer = tokio::spawn(async move {
        while let Some(f) = frames.recv().await {
            if out.send(f).await.is_err() {
                break;
            }
        }
    });
    let mut news = own(device).news();
    let result = loop {
        let next = tokio::select! {
            next = requests.next() => next,
            Ok(told) = news.recv() => {
                if to_link.send(Frame::Notice(told)).await.is_err() {
                    break Ok(());
                }
                continue;
            }
            () = cut(device) => break Ok(()),
        };
        let request = match next {
            None => break Ok(()),
            Some(Err(e)) => break Err(e),
            Some(Ok(Frame::Request(r))) => r,
            Some(Ok(_)) => break Err(LinkError::Unreadable("only requests are taken here".into())),
        };
        if request.body == RequestBody::Restart {
            // A restart forgets what was driven and keeps what is plugged.
            let _ = own(device).drive(159.155, 0.0, Wave::Sine);
            end(start);
            break Ok(());
        }
        let answer = obey(request, device, start, &to_link, pace);
        if to_link.send(Frame::Answer(answer)).await.is_err() {
            break Ok(());
        }
    };
    if let Some(s) = going(start).as_ref() {
        s.unplugged();
    }
    writer.abort();
    result
}

/// Waits until somebody pulls the cable.
async fn cut(device: &Mutex<Lantern>) {
    while !std::mem::take(&mut own(device).cut) {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}

fn obey(
    request: Request,
    device: &Arc<Mutex<Lantern>>,
    start: &Start,
    to_link: &mpsc::Sender<Frame>,
    pace: Pace,
) -> Answer {
    let body = match request.body {
        RequestBody::Identify => AnswerBody::Identity(Box::new(own(device).identity())),
        RequestBody::Settings => AnswerBody::Settings(own(device).settings().clone()),
        RequestBody::Apply { settings } => {
            let mut d = own(device);
            let done = d.apply(settings, going(start).as_ref().is_some_and(|s| s.on()));
            done.map_or_else(AnswerBody::Refused, |()| AnswerBody::Settings(d.settings().clone()))
        }
        RequestBody::Start { at_ns } => {
            end(start);
            let mut d = own(device);
            d.restart();
            let sending = Arc::new(Sending::begin(d.keeps_bytes, to_link.clone()));
            *going(start) = Some(sending.clone());
            let device = device.clone();
            let stored = sending.stored();
            std::thread::spawn(move || produce(&device, &sending, pace, until(at_ns)));
            stored.map_or(AnswerBody::Done, AnswerBody::Stored)
        }
        RequestBody::Stop => {
            end(start);
            AnswerBody::Done
        }
        RequestBody::Stored => {
            let stored = going(start).as_ref().and_then(|s| s.on().then(|| s.stored()).flatten());
            stored.map_or(AnswerBody::Done, AnswerBody::Stored)
        }
        RequestBody::Resume { start: which, from } => {
            let resumed = match going(start).as_ref() {
                Some(s) => s.resume(which, from, to_link.clone()),
                None => Err("nothing was started".into()),
            };
            resumed.map_or_else(AnswerBody::Refused, AnswerBody::Stored)
        }
        RequestBody::State => AnswerBody::State(own(device).state()),
        RequestBody::SelfTest { inputs } => {
            let d = own(device);
            AnswerBody::Tests(inputs.into_iter().map(|n| d.tested(n)).collect())
        }
        RequestBody::Memories => AnswerBody::Memories(own(device).memories()),
        RequestBody::WriteMemory { input, memory } => {
            let written = own(device).write_memory(input, &memory);
            written.map_or_else(AnswerBody::Refused, |m| AnswerBody::Memories(vec![m]))
        }
        RequestBody::Output { hz, peak_v, wave } => {
            let mut d = own(device);
            let done = d.drive(hz, peak_v, wave);
            done.map_or_else(AnswerBody::Refused, |_| AnswerBody::State(d.state()))
        }
        RequestBody::Switch { on } => {
            let mut d = own(device);
            d.switch(on);
            AnswerBody::State(d.state())
        }
        RequestBody::Restart => AnswerBody::Done,
    };
    Answer { id: request.id, body }
}

/// How long until a moment of the shared clock, which is this machine's own.
fn until(at_ns: Option<u64>) -> Duration {
    let now = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default();
    at_ns.map_or(Duration::ZERO, |at| Duration::from_nanos(at).saturating_sub(now).min(Duration::from_secs(5)))
}

/// Makes blocks at the pace asked for until told to stop.
fn produce(device: &Mutex<Lantern>, sending: &Sending, pace: Pace, wait: Duration) {
    let begun = Instant::now() + wait;
    let mut made_s = 0.0;
    while sending.on() {
        let block = {
            let mut d = own(device);
            // Begun anew meanwhile: the next block is the new start's.
            if !sending.on() {
                return;
            }
            made_s += d.block_samples() as f64 / d.settings().rate_hz;
            d.next_block()
        };
        if let Pace::Times(speed) = pace {
            let due = begun + Duration::from_secs_f64(made_s / speed);
            std::thread::sleep(due.saturating_duration_since(Instant::now()));
        }
        if !sending.made(block) {
            return;
        }
        while pace == Pace::Free && sending.all_sent() == Some(false) {
            std::thread::sleep(Duration::from_micros(200));
        }
        sending.fit();
    }
}
