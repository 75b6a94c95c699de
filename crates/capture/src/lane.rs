//! One recorder's way through a session: its columns, its rate, the stretches it keeps.

use crate::recorder::Recorder;
use echo_signal::resample::Resampler;
use echo_store::take::StoredTake;
use std::collections::VecDeque;

/// Decimated samples keep this many times finer steps than the converter's: the filter has made
/// more bits than came in, and an `i32` has room for them with a factor of two to spare.
pub const FINER: i32 = 64;

/// Samples that follow each other, one list a channel.
#[derive(Debug)]
struct Piece {
    first: u64,
    counts: Vec<Vec<i32>>,
    over: Vec<bool>,
}

impl Piece {
    fn end(&self) -> u64 {
        self.first + self.counts.first().map_or(0, Vec::len) as u64
    }
}

/// A stretch that is to be kept, in the lane's samples; open while nobody has stopped it.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Window {
    from: u64,
    to: Option<u64>,
}

/// A recorder with what it needs between blocks. All samples it is told of count from the
/// session's first, at the front end's rate.
pub struct Lane {
    /// Its places among the session's columns.
    columns: Vec<usize>,
    divide: u64,
    resamplers: Vec<Resampler>,
    /// Lane sample the resamplers' outputs count from.
    base: u64,
    /// Input samples to pass over until the next one that a lane sample stands on.
    pass_over: u64,
    pre: u64,
    ring: VecDeque<Piece>,
    next: u64,
    windows: Vec<Window>,
    lost: Vec<(u64, u64)>,
    recorder: Recorder,
    segment: Option<u64>,
    segments: i32,
    takes: Vec<StoredTake>,
}

impl Lane {
    /// A lane at the session's first sample.
    ///
    /// # Panics
    /// For a divider of 0 or above 2²⁰, which plans are checked for.
    pub fn new(columns: Vec<usize>, divide: u32, pre: u64, segment: Option<u64>, recorder: Recorder) -> Lane {
        let divide = u64::from(divide);
        let resampler = Resampler::new(1, divide).expect("a divider that was checked with the plan");
        Lane {
            resamplers: if divide == 1 { Vec::new() } else { vec![resampler; columns.len()] },
            columns,
            divide,
            base: 0,
            pass_over: 0,
            pre: pre.div_ceil(divide),
            ring: VecDeque::new(),
            next: 0,
            windows: Vec::new(),
            lost: Vec::new(),
            recorder,
            segment,
            segments: 0,
            takes: Vec::new(),
        }
    }

    fn own(&self, sample: u64) -> u64 {
        sample.div_ceil(self.divide)
    }

    /// Opens a stretch.
    pub fn open(&mut self, from: u64, to: Option<u64>) {
        self.recorder.begin();
        self.windows.push(Window { from: self.own(from), to: to.map(|t| self.own(t)) });
    }

    /// Ends all open stretches at a sample.
    pub fn close(&mut self, at: u64) {
        let at = self.own(at);
        for w in &mut self.windows {
            w.to = Some(w.to.map_or(at, |t| t.min(at)).max(w.from));
        }
        for t in self.takes.iter_mut().filter(|t| t.samples.is_none_or(|n| t.first_sample + n > at as i64)) {
            t.samples = Some((at as i64 - t.first_sample).max(0));
        }
        if !self.takes.is_empty() {
            self.recorder.takes(self.takes.clone());
        }
    }

    /// Writes down a take.
    pub fn take(&mut self, number: u32, trigger: u64, from: u64, to: Option<u64>, says: &str) {
        let first = self.own(from);
        let take = StoredTake {
            number: number as i32,
            trigger_sample: self.own(trigger) as i64,
            first_sample: first as i64,
            samples: to.map(|t| (self.own(t) - first) as i64),
            says: says.into(),
        };
        self.recorder.takes(vec![take.clone()]);
        // Those that have ended need no new length any more.
        let done = self.recorder.next() as i64;
        self.takes.retain(|t| t.samples.is_none_or(|n| t.first_sample + n > done));
        self.takes.push(take);
    }

    /// Whether something is still to be kept.
    pub fn busy(&self) -> bool {
        let done = self.recorder.next();
        self.windows.iter().any(|w| w.to.is_none_or(|t| t > done))
    }

    /// The recorder.
    pub fn recorder(&self) -> &Recorder {
        &self.recorder
    }

    /// A sample of the session in the lane's own count.
    pub fn sample(&self, at: u64) -> u64 {
        self.own(at)
    }

    /// Takes a block of the session: its columns, their over-range flags, its first sample.
    pub fn push(&mut self, first: u64, columns: &[Vec<i32>], over: &[bool]) {
        let over: Vec<bool> = self.columns.iter().map(|c| over[*c]).collect();
        let n = columns.first().map_or(0, Vec::len) as u64;
        if self.divide == 1 {
            // Nothing to hold back: straight from the block.
            if self.pre == 0 && self.ring.is_empty() && self.columns.len() == columns.len() {
                let piece = (first, n);
                self.next = first + n;
                self.write(piece, |r, from, count| r.keep(columns, from, count, &over));
                self.forget();
                return;
            }
            let counts = self.columns.iter().map(|c| columns[*c].clone()).collect();
            self.next = first + n;
            self.hold(Piece { first, counts, over });
            return;
        }
        let skip = self.pass_over.min(n);
        self.pass_over -= skip;
        let mut counts = Vec::with_capacity(self.columns.len());
        for (r, c) in self.resamplers.iter_mut().zip(&self.columns) {
            let fine: Vec<f64> =
                columns[*c][skip as usize..].iter().map(|x| f64::from(*x) * f64::from(FINER)).collect();
            let mut out = Vec::new();
            // Counts are finite, which is all the resampler refuses.
            let _ = r.push(&fine, &mut out);
            counts.push(out.into_iter().map(|x| x.round() as i32).collect::<Vec<i32>>());
        }
        self.decimated(counts, over);
    }

    fn decimated(&mut self, counts: Vec<Vec<i32>>, over: Vec<bool>) {
        let piece = Piece { first: self.next, counts, over };
        self.next = piece.end();
        self.hold(piece);
    }

    /// Samples up to `at` did not come.
    pub fn lose(&mut self, at: u64) {
        if self.divide > 1 {
            self.finish_resampling();
            self.base = at.div_ceil(self.divide);
            self.pass_over = self.base * self.divide - at;
        }
        let to = self.own(at);
        if to > self.next {
            self.lost.push((self.next, to));
            self.next = to;
        }
    }

    fn finish_resampling(&mut self) {
        let over = vec![false; self.columns.len()];
        let mut counts = Vec::new();
        for r in &mut self.resamplers {
            let mut out = Vec::new();
            r.finish(&mut out);
            counts.push(out.into_iter().map(|x| x.round() as i32).collect::<Vec<i32>>());
        }
        self.decimated(counts, over);
    }

    fn hold(&mut self, piece: Piece) {
        self.ring.push_back(piece);
        self.sort_out();
    }

    /// Keeps what the stretches ask for of what is held, and lets go what nothing can ask for.
    pub fn sort_out(&mut self) {
        let ring = std::mem::take(&mut self.ring);
        for p in &ring {
            let n = p.end() - p.first;
            self.write((p.first, n), |r, from, count| r.keep(&p.counts, from, count, &p.over));
        }
        self.ring = ring;
        let oldest = self.next.saturating_sub(self.pre);
        while self.ring.front().is_some_and(|p| p.end() <= oldest) {
            self.ring.pop_front();
        }
        self.forget();
    }

    /// Lets go of stretches that are done.
    fn forget(&mut self) {
        // What was lost at the end of a stretch is a gap of it.
        if let Some(end) = self.windows.iter().filter_map(|w| w.to.filter(|t| *t <= self.next)).max() {
            self.jump(end);
        }
        let done = self.recorder.next();
        let some = !self.windows.is_empty();
        self.windows.retain(|w| w.to.is_none_or(|t| t > done));
        if some && self.windows.is_empty() {
            // A take that is whole waits for no other one to be stored.
            self.recorder.flush();
        }
        self.lost.retain(|l| l.1 > done);
    }

    /// Keeps what the stretches ask for of `n` samples from `first` on.
    fn write(&mut self, (first, n): (u64, u64), mut keep: impl FnMut(&mut Recorder, usize, usize)) {
        loop {
            let from = self.recorder.next().max(first);
            let end = first + n;
            // The earliest sample from here on that some stretch asks for.
            let wanted = self.windows.iter().filter(|w| w.to.is_none_or(|t| t > from)).map(|w| w.from.max(from)).min();
            let Some(start) = wanted.filter(|s| *s < end) else { return };
            let stop = self.windows.iter().filter(|w| w.from <= start).map(|w| w.to.unwrap_or(u64::MAX)).max();
            let stop = stop.unwrap_or(end).min(end);
            self.jump(start);
            let count = (stop - start) as usize;
            self.cut_segments(start, stop);
            keep(&mut self.recorder, (start - first) as usize, count);
        }
    }

    /// Leaves out what lies before `start`, told apart: what nobody asked for, and what was lost.
    fn jump(&mut self, start: u64) {
        while self.recorder.next() < start {
            let at = self.recorder.next();
            let lost = self.lost.iter().find(|l| l.0 <= at && l.1 > at).map(|l| l.1);
            let next_loss = self.lost.iter().map(|l| l.0).filter(|l| *l > at).min().unwrap_or(start);
            match lost {
                Some(end) => self.recorder.skip(end.min(start), "blocks lost on the link"),
                None => self.recorder.skip(next_loss.min(start), echo_store::run::BETWEEN_TAKES),
            }
        }
    }

    fn cut_segments(&mut self, start: u64, stop: u64) {
        let Some(length) = self.segment else { return };
        let first = start / length;
        let from = if start.is_multiple_of(length) || self.recorder.kept() == 0 { first } else { first + 1 };
        let segments: Vec<StoredTake> = (from..stop.div_ceil(length))
            .map(|k| {
                self.segments += 1;
                let begin = (k * length).max(start);
                StoredTake {
                    number: self.segments,
                    trigger_sample: begin as i64,
                    first_sample: begin as i64,
                    samples: Some(((k + 1) * length - begin) as i64),
                    says: "segment".into(),
                }
            })
            .collect();
        if !segments.is_empty() {
            self.recorder.takes(segments);
        }
    }

    /// Keeps what can still be made, and closes the run; with `drop_empty` a run that kept nothing
    /// goes.
    pub fn end(mut self, whole: bool, because: &str, drop_empty: bool) {
        if self.divide > 1 {
            self.finish_resampling();
        }
        // A loss at the very end belongs to what was asked for.
        let wanted = self.windows.iter().map(|w| w.to.unwrap_or(self.next).min(self.next)).max();
        if let Some(end) = wanted {
            self.jump(end);
        }
        self.recorder.finish(whole, because, drop_empty);
    }
}
