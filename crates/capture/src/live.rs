//! The last seconds of every input and its level, for displays. Never in the way of recording.

use echo_link::{Circuit, FULL_SCALE};
use std::collections::VecDeque;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Most samples an input keeps.
const LONGEST: usize = 1 << 19;
/// Blocks over which “now” is taken: about half a second.
const NOW_BLOCKS: usize = 10;

/// Level of an input as shares of its range.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct InputLevel {
    /// Input number.
    pub input: u16,
    /// Largest magnitude of the last half second.
    pub peak: f64,
    /// Root mean square of the last half second, mean included.
    pub rms: f64,
    /// Mean of the last half second.
    pub mean: f64,
    /// Largest magnitude since the last reset.
    pub held: f64,
    /// Over range in the last half second.
    pub over: bool,
    /// Over range since the last reset.
    pub over_held: bool,
    /// What its supply says now.
    pub circuit: Circuit,
}

#[derive(Debug, Clone, Copy)]
struct BlockLevel {
    peak: i32,
    sum: f64,
    squares: f64,
    samples: usize,
    over: bool,
}

/// Smallest and largest of stretches of equal length, oldest first.
#[derive(Debug, Default, Clone)]
struct Envelope {
    pairs: VecDeque<(i32, i32)>,
    /// Blocks behind a pair.
    each: usize,
    /// Blocks in the pair that grows, and that pair.
    growing: Option<(usize, (i32, i32))>,
}

impl Envelope {
    fn push(&mut self, pair: (i32, i32)) {
        let (n, grown) = self.growing.map_or((0, pair), |(n, p)| (n, (p.0.min(pair.0), p.1.max(pair.1))));
        self.growing = Some((n + 1, grown));
        if n + 1 >= self.each.max(1) {
            self.pairs.push_back(grown);
            self.growing = None;
        }
    }

    /// Twice as long a stretch for every pair, so that the whole stays small.
    fn halve(&mut self) {
        let mut all = self.pairs.iter().copied();
        let mut halved = VecDeque::with_capacity(self.pairs.len() / 2 + 1);
        while let Some(a) = all.next() {
            halved.push_back(all.next().map_or(a, |b| (a.0.min(b.0), a.1.max(b.1))));
        }
        self.pairs = halved;
        self.each = self.each.max(1) * 2;
    }
}

/// Blocks a moving strip goes back: ten minutes.
const STRIP_BLOCKS: usize = 12_000;
/// Pairs the whole recording is kept in.
const WHOLE_PAIRS: usize = 4096;

#[derive(Debug)]
struct InputView {
    number: u16,
    ring: VecDeque<i32>,
    recent: VecDeque<BlockLevel>,
    held: i32,
    over_held: bool,
    circuit: Circuit,
    strip: Envelope,
    whole: Envelope,
}

#[derive(Debug, Default)]
struct Inner {
    rate_hz: f64,
    block_samples: usize,
    /// Whether the whole recording is being kept.
    keeping: bool,
    blocks: u64,
    inputs: Vec<InputView>,
}

/// The live view, shared between the engine and the displays.
#[derive(Debug, Default)]
pub struct Live {
    inner: Mutex<Inner>,
}

impl Live {
    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Begins anew for these inputs at this rate; held levels of inputs that stay are kept.
    pub(crate) fn restart(&self, rate_hz: f64, numbers: &[u16]) {
        let mut inner = self.inner();
        let old = std::mem::take(&mut inner.inputs);
        inner.rate_hz = rate_hz;
        inner.blocks = 0;
        inner.inputs = numbers
            .iter()
            .map(|&number| {
                let before = old.iter().find(|o| o.number == number);
                InputView {
                    number,
                    ring: VecDeque::new(),
                    recent: VecDeque::new(),
                    held: before.map_or(0, |b| b.held),
                    over_held: before.is_some_and(|b| b.over_held),
                    circuit: Circuit::InOrder,
                    strip: Envelope::default(),
                    whole: Envelope::default(),
                }
            })
            .collect();
    }

    /// Forgets the held level of an input whose range or coupling changed.
    pub(crate) fn forget(&self, number: u16) {
        let mut inner = self.inner();
        if let Some(i) = inner.inputs.iter_mut().find(|i| i.number == number) {
            i.held = 0;
            i.over_held = false;
            i.recent.clear();
            i.ring.clear();
        }
    }

    /// Empties everything: the link is gone.
    pub(crate) fn clear(&self) {
        *self.inner() = Inner::default();
    }

    pub(crate) fn push(&self, (over, circuits): (&[bool], &[Circuit]), counts: &[Vec<i32>]) {
        let mut inner = self.inner();
        inner.blocks += 1;
        inner.block_samples = counts.first().map_or(0, Vec::len);
        let keeping = inner.keeping;
        // Ten seconds, or what memory is set aside for.
        let keep = LONGEST.min((inner.rate_hz * 10.0) as usize).max(4096);
        for (((view, c), over), circuit) in inner.inputs.iter_mut().zip(counts).zip(over).zip(circuits) {
            let (mut low, mut high, mut sum, mut squares) = (i32::MAX, i32::MIN, 0.0, 0.0);
            for &x in c {
                low = low.min(x);
                high = high.max(x);
                let v = f64::from(x);
                sum += v;
                squares += v * v;
            }
            let peak = if c.is_empty() { 0 } else { low.abs().max(high.abs()) };
            let over = *over || peak >= FULL_SCALE;
            if !c.is_empty() {
                view.strip.push((low, high));
                if view.strip.pairs.len() > STRIP_BLOCKS {
                    view.strip.pairs.pop_front();
                }
                if keeping {
                    view.whole.push((low, high));
                    if view.whole.pairs.len() > WHOLE_PAIRS {
                        view.whole.halve();
                    }
                }
            }
            view.recent.push_back(BlockLevel { peak, sum, squares, samples: c.len(), over });
            if view.recent.len() > NOW_BLOCKS {
                view.recent.pop_front();
            }
            view.held = view.held.max(peak);
            view.over_held |= over;
            view.circuit = *circuit;
            let drop = (view.ring.len() + c.len()).saturating_sub(keep).min(view.ring.len());
            view.ring.drain(..drop);
            view.ring.extend(c);
        }
    }

    /// Samples a second now, Hz; 0 when nothing comes.
    pub fn rate_hz(&self) -> f64 {
        self.inner().rate_hz
    }

    /// Blocks since the start: displays that have seen this number have nothing to draw.
    pub fn blocks(&self) -> u64 {
        self.inner().blocks
    }

    /// Levels of all inputs that are sent.
    pub fn levels(&self) -> Vec<InputLevel> {
        let scale = 1.0 / f64::from(FULL_SCALE);
        self.inner()
            .inputs
            .iter()
            .filter(|i| !i.recent.is_empty())
            .map(|i| {
                let n = i.recent.iter().map(|b| b.samples).sum::<usize>().max(1) as f64;
                let squares: f64 = i.recent.iter().map(|b| b.squares).sum();
                let sum: f64 = i.recent.iter().map(|b| b.sum).sum();
                InputLevel {
                    input: i.number,
                    peak: f64::from(i.recent.iter().map(|b| b.peak).max().unwrap_or(0)) * scale,
                    rms: (squares / n).sqrt() * scale,
                    mean: sum / n * scale,
                    held: f64::from(i.held) * scale,
                    over: i.recent.iter().any(|b| b.over),
                    over_held: i.over_held,
                    circuit: i.circuit,
                }
            })
            .collect()
    }

    /// The last `most` counts of an input, oldest first.
    pub fn last(&self, input: u16, most: usize) -> Vec<i32> {
        let inner = self.inner();
        let Some(i) = inner.inputs.iter().find(|i| i.number == input) else {
            return Vec::new();
        };
        i.ring.range(i.ring.len().saturating_sub(most)..).copied().collect()
    }

    /// Begins to keep the whole of a recording, or ends it; what was kept stays until the next.
    pub(crate) fn keep_whole(&self, keep: bool) {
        let mut inner = self.inner();
        if keep {
            for i in &mut inner.inputs {
                i.whole = Envelope::default();
            }
        }
        inner.keeping = keep;
    }

    /// Smallest and largest counts of an input over the last `seconds` (up to ten minutes), or over
    /// the whole recording, in at most `points` stretches, and how long each is, s.
    pub fn strip(&self, input: u16, seconds: Option<f64>, points: usize) -> (Vec<(i32, i32)>, f64) {
        let inner = self.inner();
        let block_s = inner.block_samples as f64 / inner.rate_hz.max(1.0);
        let Some(i) = inner.inputs.iter().find(|i| i.number == input) else { return (Vec::new(), block_s) };
        let of = if seconds.is_some() { &i.strip } else { &i.whole };
        let pair_s = block_s * of.each.max(1) as f64;
        let wanted = seconds.map_or(of.pairs.len(), |s| (s / pair_s).ceil() as usize).min(of.pairs.len());
        let by = wanted.div_ceil(points.max(1)).max(1);
        let tail: Vec<(i32, i32)> = of.pairs.range(of.pairs.len() - wanted..).copied().collect();
        let fold = |p: &[(i32, i32)]| p.iter().fold((i32::MAX, i32::MIN), |a, b| (a.0.min(b.0), a.1.max(b.1)));
        (tail.chunks(by).map(fold).collect(), pair_s * by as f64)
    }

    /// Resets held levels of one input or of all.
    pub fn reset_held(&self, input: Option<u16>) {
        for i in self.inner().inputs.iter_mut().filter(|i| input.is_none_or(|n| n == i.number)) {
            i.held = 0;
            i.over_held = false;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn levels_follow_and_peaks_are_held() {
        let live = Live::default();
        live.restart(1000.0, &[4]);
        live.push((&[true], &[Circuit::Open]), &[vec![FULL_SCALE / 2, -FULL_SCALE / 2]]);
        for _ in 0..NOW_BLOCKS {
            live.push((&[false], &[Circuit::Short]), &[vec![FULL_SCALE / 4; 2]]);
        }
        let l = live.levels()[0];
        assert!((l.peak - 0.25).abs() < 1e-6 && (l.held - 0.5).abs() < 1e-6 && (l.rms - 0.25).abs() < 1e-6);
        assert!(!l.over && l.over_held);
        assert_eq!(l.circuit, Circuit::Short, "what was told last");
        live.reset_held(Some(4));
        assert!(live.levels()[0].held == 0.0 && !live.levels()[0].over_held);
        assert_eq!(live.last(4, 3).len(), 3);
        assert!(live.last(5, 3).is_empty());
    }

    #[test]
    fn strips_keep_every_extreme() {
        let live = Live::default();
        live.restart(1000.0, &[4]);
        live.push((&[false], &[Circuit::Short]), &[vec![-77; 50]]);
        live.keep_whole(true);
        // An hour and a half of blocks of 50 ms, one spike in the middle.
        for k in 0..100_000 {
            live.push((&[false], &[Circuit::Short]), &[vec![if k == 40_000 { 9000 } else { k % 7 }; 50]]);
        }
        let (whole, each_s) = live.strip(4, None, 100_000);
        assert!((2000..=4096).contains(&whole.len()), "{}", whole.len());
        assert!((whole.len() as f64 * each_s - 5000.0).abs() < 2.0 * each_s);
        let at = whole.iter().position(|p| p.1 == 9000).unwrap();
        assert!((at as f64 * each_s - 2000.0).abs() <= each_s);
        assert!(whole.iter().all(|p| p.0 >= 0), "what came before the recording is no part of it");
        let (window, each_s) = live.strip(4, Some(60.0), 300);
        assert_eq!((window.len(), (each_s * 1000.0).round()), (300, 200.0));
        assert!(live.strip(9, None, 10).0.is_empty());
    }

    #[test]
    fn memory_stays_flat() {
        let live = Live::default();
        live.restart(1000.0, &[4]);
        for _ in 0..50 {
            live.push((&[false], &[Circuit::Short]), &[vec![1; 1000]]);
        }
        assert_eq!(live.last(4, usize::MAX).len(), 10_000);
    }
}
