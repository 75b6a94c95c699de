//! The stand-in's side of the link: one Fleet Echo at a time.

use crate::device::Lantern;
use echo_link::{Answer, Frame, FrameCodec, LinkError, Notice, Request, RequestBody, greet};
use futures::{SinkExt, StreamExt};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
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

/// Blocks waiting for a slow link before one is dropped.
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
    loop {
        let (stream, from) = listener.accept().await?;
        stream.set_nodelay(true)?;
        let (device, busy) = (device.clone(), busy.clone());
        tokio::spawn(async move {
            if busy.swap(true, Ordering::SeqCst) {
                let _ = turn_away(stream).await;
                return;
            }
            tracing::info!(%from, "connected");
            if let Err(e) = converse(stream, &device, pace).await {
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

async fn converse(mut stream: TcpStream, device: &Arc<Mutex<Lantern>>, pace: Pace) -> Result<(), LinkError> {
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
    let mut sending: Option<Arc<AtomicBool>> = None;
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
        };
        let request = match next {
            None => break Ok(()),
            Some(Err(e)) => break Err(e),
            Some(Ok(Frame::Request(r))) => r,
            Some(Ok(_)) => break Err(LinkError::Unreadable("only requests are taken here".into())),
        };
        if request.body == RequestBody::Restart {
            // A restart forgets what was driven and keeps what is plugged.
            let _ = own(device).drive(159.155, 0.0);
            break Ok(());
        }
        let answer = obey(request, device, &mut sending, &to_link, pace);
        if to_link.send(Frame::Answer(answer)).await.is_err() {
            break Ok(());
        }
    };
    if let Some(on) = sending {
        on.store(false, Ordering::SeqCst);
    }
    drop(to_link);
    writer.abort();
    result
}

fn obey(
    request: Request,
    device: &Arc<Mutex<Lantern>>,
    sending: &mut Option<Arc<AtomicBool>>,
    to_link: &mpsc::Sender<Frame>,
    pace: Pace,
) -> Answer {
    let mut answer = Answer { id: request.id, ..Answer::default() };
    match request.body {
        RequestBody::Identify => answer.identity = Some(own(device).identity()),
        RequestBody::Settings => answer.settings = Some(own(device).settings().clone()),
        RequestBody::Apply { settings } => {
            let mut d = own(device);
            answer.refused = d.apply(settings, sending.is_some()).err();
            answer.settings = Some(d.settings().clone());
        }
        RequestBody::Start { at_ns } => {
            if let Some(on) = sending.take() {
                on.store(false, Ordering::SeqCst);
            }
            own(device).restart();
            let on = Arc::new(AtomicBool::new(true));
            *sending = Some(on.clone());
            let (device, to_link) = (device.clone(), to_link.clone());
            std::thread::spawn(move || produce(&device, &on, &to_link, pace, until(at_ns)));
        }
        RequestBody::Stop => {
            if let Some(on) = sending.take() {
                on.store(false, Ordering::SeqCst);
            }
        }
        RequestBody::State => answer.state = Some(own(device).state()),
        RequestBody::SelfTest { inputs } => {
            let d = own(device);
            answer.tests = Some(inputs.into_iter().map(|n| d.tested(n)).collect());
        }
        RequestBody::Memories => answer.memories = Some(own(device).memories()),
        RequestBody::WriteMemory { input, memory } => match own(device).write_memory(input, &memory) {
            Ok(m) => answer.memories = Some(vec![m]),
            Err(says) => answer.refused = Some(says),
        },
        RequestBody::Output { hz, peak_v } => {
            let mut d = own(device);
            answer.refused = d.drive(hz, peak_v).err();
            answer.state = Some(d.state());
        }
        RequestBody::Restart => {}
    }
    answer
}

/// How long until a moment of the shared clock, which is this machine's own.
fn until(at_ns: Option<u64>) -> Duration {
    let now = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default();
    at_ns.map_or(Duration::ZERO, |at| Duration::from_nanos(at).saturating_sub(now).min(Duration::from_secs(5)))
}

/// Makes blocks at the pace asked for until told to stop.
fn produce(device: &Mutex<Lantern>, on: &AtomicBool, to_link: &mpsc::Sender<Frame>, pace: Pace, wait: Duration) {
    let begun = Instant::now() + wait;
    let dropped = AtomicU64::new(0);
    let mut made_s = 0.0;
    while on.load(Ordering::SeqCst) {
        let block = {
            let mut d = own(device);
            made_s += d.block_samples() as f64 / d.settings().rate_hz;
            d.next_block()
        };
        match pace {
            Pace::Free => {
                if to_link.blocking_send(Frame::Block(block)).is_err() {
                    return;
                }
            }
            Pace::Times(speed) => {
                let due = begun + Duration::from_secs_f64(made_s / speed);
                std::thread::sleep(due.saturating_duration_since(Instant::now()));
                match to_link.try_send(Frame::Block(block)) {
                    Ok(()) => {}
                    Err(mpsc::error::TrySendError::Closed(_)) => return,
                    Err(mpsc::error::TrySendError::Full(_)) => {
                        let n = dropped.fetch_add(1, Ordering::Relaxed) + 1;
                        tracing::warn!("link too slow: {n} blocks dropped");
                    }
                }
            }
        }
    }
}
