//! Takes told with their samples as soon as the last one has come: for whoever cannot wait for the store.

use echo_job::trigger::Take;
use std::collections::VecDeque;
use std::sync::Arc;
use tokio::sync::broadcast;

/// Samples of all inputs together that a take may have to be told.
const MOST: u64 = 1 << 25;
/// Takes that a slow listener may lag behind.
pub(crate) const LAG: usize = 64;

/// A take with its samples, at the front end's rate.
#[derive(Debug)]
pub struct WholeTake {
    /// The run.
    pub run: i64,
    /// Number in the run, from 1.
    pub number: u32,
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Inputs, in the order of the counts.
    pub inputs: Vec<u16>,
    /// Counts, one list an input.
    pub counts: Vec<Vec<i32>>,
    /// Whether an input was over its range in one of the blocks, in the same order.
    pub over: Vec<bool>,
}

struct Piece {
    first: u64,
    counts: Vec<Vec<i32>>,
    over: Vec<bool>,
}

/// Collects takes and tells them. Samples count from the session's first.
pub(crate) struct Teller {
    to: broadcast::Sender<Arc<WholeTake>>,
    run: i64,
    sample_rate_hz: f64,
    inputs: Vec<u16>,
    held: VecDeque<Piece>,
    pre: u64,
    next: u64,
    open: Vec<Take>,
}

impl Teller {
    /// For the run that keeps these inputs, with so many samples from before a trigger.
    pub(crate) fn new(
        to: broadcast::Sender<Arc<WholeTake>>,
        run: i64,
        sample_rate_hz: f64,
        inputs: Vec<u16>,
        pre: u64,
    ) -> Teller {
        Teller { to, run, sample_rate_hz, inputs, held: VecDeque::new(), pre, next: 0, open: Vec::new() }
    }

    /// A take has begun; one without an end, or one that is too long to be held, is not told.
    pub(crate) fn begin(&mut self, take: &Take) {
        let fits = take.to.is_some_and(|to| (to - take.from) * self.inputs.len() as u64 <= MOST);
        if fits && self.to.receiver_count() > 0 {
            self.open.push(take.clone());
        }
    }

    /// Takes a block.
    pub(crate) fn push(&mut self, first: u64, counts: &[Vec<i32>], over: &[bool]) {
        if self.to.receiver_count() == 0 {
            self.held.clear();
            self.open.clear();
            return;
        }
        self.next = first + counts.first().map_or(0, Vec::len) as u64;
        self.held.push_back(Piece { first, counts: counts.to_vec(), over: over.to_vec() });
        let (done, open): (Vec<Take>, Vec<Take>) =
            std::mem::take(&mut self.open).into_iter().partition(|t| t.to.is_none_or(|to| to <= self.next));
        self.open = open;
        for take in done {
            self.tell(&take);
        }
        let oldest = self.open.iter().map(|t| t.from).min().unwrap_or(u64::MAX).min(self.next.saturating_sub(self.pre));
        while self.held.front().is_some_and(|p| p.first + (p.counts.first().map_or(0, Vec::len) as u64) <= oldest) {
            self.held.pop_front();
        }
    }

    /// Tells a take, unless samples of it are missing: what is in the store says what came of it then.
    fn tell(&self, take: &Take) {
        let end = take.to.unwrap_or(take.from);
        let mut counts = vec![Vec::with_capacity((end - take.from) as usize); self.inputs.len()];
        let mut over = vec![false; self.inputs.len()];
        for p in &self.held {
            let n = p.counts.first().map_or(0, Vec::len) as u64;
            let (from, to) = (take.from.max(p.first), end.min(p.first + n));
            if from >= to {
                continue;
            }
            for (k, c) in p.counts.iter().enumerate() {
                counts[k].extend_from_slice(&c[(from - p.first) as usize..(to - p.first) as usize]);
                over[k] |= p.over[k];
            }
        }
        if counts.iter().any(|c| c.len() as u64 != end - take.from) {
            return;
        }
        let (run, number, inputs) = (self.run, take.number, self.inputs.clone());
        let whole = WholeTake { run, number, sample_rate_hz: self.sample_rate_hz, inputs, counts, over };
        let _ = self.to.send(Arc::new(whole));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn take(number: u32, from: u64, to: u64) -> Take {
        Take { number, trigger: from + 2, from, to: Some(to), says: String::new() }
    }

    #[test]
    fn a_take_is_told_when_its_last_sample_has_come_however_blocks_fall() {
        for size in [1_u64, 3, 7, 50] {
            let (to, mut heard) = broadcast::channel(4);
            let mut teller = Teller::new(to, 9, 100.0, vec![1, 5], 10);
            let mut at = 0;
            while at < 100 {
                let counts = vec![(at..at + size).map(|x| x as i32).collect(), vec![-1; size as usize]];
                if (20..20 + size).contains(&(at + size)) {
                    teller.begin(&take(1, 12, 40));
                }
                teller.push(at, &counts, &[false, at > 35]);
                at += size;
            }
            let told = heard.try_recv().unwrap();
            assert_eq!((told.run, told.number), (9, 1));
            assert_eq!(told.counts[0], (12..40).collect::<Vec<i32>>(), "blocks of {size}");
            assert_eq!(told.counts[1].len(), 28);
            assert!(heard.try_recv().is_err(), "told once");
        }
    }

    #[test]
    fn a_take_with_a_hole_is_not_told() {
        let (to, mut heard) = broadcast::channel(4);
        let mut teller = Teller::new(to, 1, 100.0, vec![1], 0);
        teller.begin(&take(1, 0, 30));
        teller.push(0, &[vec![0; 10]], &[false]);
        teller.push(20, &[vec![0; 10]], &[false]);
        assert!(heard.try_recv().is_err());
    }
}
