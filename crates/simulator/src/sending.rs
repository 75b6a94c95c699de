//! Blocks of one start: made at the converter's pace, kept for a while, sent while somebody takes them.

use echo_link::{Block, Frame, Stored};
use std::collections::VecDeque;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::SystemTime;
use tokio::sync::mpsc;

/// A start that goes on, with or without a link.
pub struct Sending {
    now: Mutex<Now>,
}

struct Now {
    on: bool,
    start: u64,
    /// The newest blocks, without a jump.
    kept: VecDeque<Block>,
    bytes: usize,
    /// Bytes that are kept at most.
    most: usize,
    /// Sequence of the next block that is made.
    next: u64,
    /// Sequence of the next block that is sent.
    cursor: u64,
    link: Option<mpsc::Sender<Frame>>,
    dropped: u64,
}

/// Bytes of a block, about.
fn size(block: &Block) -> usize {
    let head = block.head();
    32 + head.inputs.len() * (4 + 3 * head.samples as usize)
}

impl Now {
    fn first(&self) -> u64 {
        self.next - self.kept.len() as u64
    }

    /// Hands on what the link takes without waiting.
    fn hand_on(&mut self) {
        self.cursor = self.cursor.max(self.first());
        while let (Some(link), true) = (&self.link, self.cursor < self.next) {
            let block = self.kept[(self.cursor - self.first()) as usize].clone();
            match link.try_send(Frame::Block(block)) {
                Ok(()) => self.cursor += 1,
                Err(mpsc::error::TrySendError::Full(_)) => return,
                Err(mpsc::error::TrySendError::Closed(_)) => self.link = None,
            }
        }
    }

    /// Lets go of the oldest until the rest fits; what was not sent then is lost.
    fn fit(&mut self) {
        while self.bytes > self.most {
            let Some(oldest) = self.kept.pop_front() else { return };
            self.bytes -= size(&oldest);
            if self.cursor <= oldest.head().sequence {
                // Nobody takes anything and there is no room: the start is over.
                self.on &= self.link.is_some();
                self.dropped += 1;
                tracing::warn!("link too slow: {} blocks dropped", self.dropped);
            }
        }
    }

    fn stored(&self) -> Stored {
        Stored { start: self.start, first: self.first(), next: self.next }
    }
}

impl Sending {
    /// A start whose blocks go to `link`; `most` bytes of them are kept.
    pub fn begin(most: usize, link: mpsc::Sender<Frame>) -> Sending {
        let since = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default();
        let now = Now {
            on: true,
            // Below 2⁵³, so that any JSON reader keeps it whole.
            start: since.as_micros() as u64,
            kept: VecDeque::new(),
            bytes: 0,
            most,
            next: 0,
            cursor: 0,
            link: Some(link),
            dropped: 0,
        };
        Sending { now: Mutex::new(now) }
    }

    fn now(&self) -> MutexGuard<'_, Now> {
        self.now.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Whether it goes on.
    pub fn on(&self) -> bool {
        self.now().on
    }

    /// Ends it: after this no block of it is sent.
    pub fn end(&self) {
        let mut now = self.now();
        now.on = false;
        now.link = None;
    }

    /// The link has gone; it goes on if blocks can be kept.
    pub fn unplugged(&self) {
        let mut now = self.now();
        now.link = None;
        now.on &= now.most > 0;
    }

    /// What is kept; nothing if it keeps none.
    pub fn stored(&self) -> Option<Stored> {
        let now = self.now();
        (now.most > 0).then(|| now.stored())
    }

    /// Sends on from a block.
    ///
    /// # Errors
    /// A sentence: it is of another start, or is not kept any more, or was never made.
    pub fn resume(&self, start: u64, from: u64, link: mpsc::Sender<Frame>) -> Result<Stored, String> {
        let mut now = self.now();
        if !now.on || now.start != start {
            return Err("that start has ended; its blocks are not kept any more".into());
        }
        if from < now.first() || from > now.next {
            return Err(format!("block {from} is not kept; those from {} to {} are", now.first(), now.next));
        }
        now.cursor = from;
        now.link = Some(link);
        Ok(now.stored())
    }

    /// Takes a new block and hands on what can be handed on. Whether the start goes on.
    pub fn made(&self, block: Block) -> bool {
        let mut now = self.now();
        if !now.on {
            return false;
        }
        now.bytes += size(&block);
        now.kept.push_back(block);
        now.next += 1;
        now.hand_on();
        now.on
    }

    /// Lets go of the oldest blocks, sent or not, until the rest fits.
    pub fn fit(&self) {
        self.now().fit();
    }

    /// Hands on what can be handed on. Whether everything has been sent; nothing if it has ended.
    pub fn all_sent(&self) -> Option<bool> {
        let mut now = self.now();
        now.hand_on();
        now.on.then_some(now.cursor == now.next)
    }
}
