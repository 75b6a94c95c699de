//! Handing the stretch to a lens: piece by piece as it streams, channels together, or all of it at once.

use super::View;
use super::steps::trimmed;
use super::units::Chosen;
use crate::Refusal;
use crate::analysis::AnalysisError;
use rayon::prelude::*;

/// Frames read at a time while streaming.
const PIECE: usize = 1 << 16;

/// Values read at a time while streaming, over all channels.
pub(super) const MOST_PIECE: usize = 1 << 22;

/// Values held at a time where a lens or its preparation needs the whole stretch.
const MOST_HELD: u64 = 400_000_000;

/// Takes a piece of one channel into its state: position in the stretch, samples, and whether they
/// follow a gap or begin.
pub type Sink<'a, T> = dyn Fn(&mut T, usize, &[f64], bool) -> Result<(), AnalysisError> + Sync + 'a;

/// Takes a piece of all channels: position in the stretch, one slice a channel, and whether they
/// follow a gap or begin.
pub type TogetherSink<'a> = dyn FnMut(usize, &[&[f64]], bool) -> Result<(), AnalysisError> + 'a;

impl View<'_> {
    /// Whether channels can stream, or have to be held to be prepared.
    fn streams(&self) -> bool {
        self.preparation.steps.is_empty() && self.channels.iter().chain(&self.references).all(|c| c.motion == 0)
    }

    /// Frames read at a time: fewer of many channels.
    fn frames(&self, channels: usize) -> u64 {
        (MOST_PIECE / channels.max(1)).clamp(4096, PIECE) as u64
    }

    /// Reads channels between two samples of the source, each in its unit.
    fn read_whole(&mut self, all: &[Chosen], a: u64, b: u64) -> Result<Vec<Vec<f64>>, AnalysisError> {
        let indices: Vec<usize> = all.iter().map(|c| c.index).collect();
        let mut whole = vec![Vec::with_capacity((b - a) as usize); all.len()];
        let mut buffers = vec![Vec::new(); all.len()];
        let mut at = a;
        while at < b {
            let n = (b - at).min((MOST_PIECE / all.len().max(1)).max(PIECE) as u64);
            self.source.read(&indices, at, n as usize, &mut buffers)?;
            for ((whole, x), c) in whole.iter_mut().zip(&buffers).zip(all) {
                whole.extend(x.iter().map(|x| x * c.factor));
            }
            at += n;
        }
        Ok(whole)
    }

    fn check_held(&self, channels: usize) -> Result<(), Refusal> {
        let held = (self.to - self.from) * channels as u64;
        if held <= MOST_HELD {
            return Ok(());
        }
        Err(Refusal::new(
            "stretch",
            format!(
                "the stretch has {held} values that have to be held at once; allowed: {MOST_HELD}: a shorter stretch, fewer channels, or no preparation"
            ),
        ))
    }

    /// Hands the stretch to `sink` piece by piece, channel by channel, each with its own state:
    /// position in the stretch, samples, and whether they follow a gap or begin.
    ///
    /// Channels are worked on side by side. Without preparation the input streams through; with it,
    /// as many channels as there are cores are held in memory.
    pub fn feed<T: Send>(
        &mut self,
        progress: &mut dyn FnMut(f64) -> bool,
        states: &mut [T],
        sink: &Sink<'_, T>,
    ) -> Result<(), AnalysisError> {
        let pieces = self.whole_pieces();
        let total = (self.to - self.from).max(1) as f64;
        let channels = self.channels.clone();
        if self.streams() {
            let indices: Vec<usize> = channels.iter().map(|c| c.index).collect();
            let mut buffers = vec![Vec::new(); indices.len()];
            let frames = self.frames(indices.len());
            for &(a, b) in &pieces {
                let mut at = a;
                while at < b {
                    let n = (b - at).min(frames);
                    self.source.read(&indices, at, n as usize, &mut buffers)?;
                    let position = (at - self.from) as usize;
                    states.par_iter_mut().zip(&mut buffers).zip(&channels).try_for_each(|((state, x), c)| {
                        x.iter_mut().for_each(|v| *v *= c.factor);
                        sink(state, position, x, at == a)
                    })?;
                    at += n;
                    if !progress((at - self.from) as f64 / total) {
                        return Err(AnalysisError::Stopped);
                    }
                }
            }
            return Ok(());
        }
        let side_by_side = rayon::current_num_threads().clamp(1, 8);
        self.check_held(side_by_side.min(channels.len()))?;
        let mut done = 0;
        for (group, states) in channels.chunks(side_by_side).zip(states.chunks_mut(side_by_side)) {
            for &(a, b) in &pieces {
                let mut whole = self.read_whole(group, a, b)?;
                let trimmed_s = trimmed(&self.preparation.steps).0;
                let position = self.placed(a - self.from);
                let (preparation, rate, len) = (&self.preparation, self.rate, self.len());
                states.par_iter_mut().zip(&mut whole).zip(group).try_for_each(|((state, x), c)| {
                    let lead = preparation.carry_out(c, x)?;
                    let position = in_lens(position + lead, trimmed_s, rate);
                    // Rounding to another rate may make one sample more than there is room for.
                    x.truncate(len.saturating_sub(position));
                    if x.is_empty() { Ok(()) } else { sink(state, position, x, true) }
                })?;
            }
            done += group.len();
            if !progress(done as f64 / channels.len() as f64) {
                return Err(AnalysisError::Stopped);
            }
        }
        Ok(())
    }

    /// Hands references and channels, in this order, to `sink` together: position in the stretch,
    /// one slice a channel, and whether they follow a gap or begin.
    ///
    /// Streams without preparation; holds all channels with it.
    pub fn feed_together(
        &mut self,
        progress: &mut dyn FnMut(f64) -> bool,
        sink: &mut TogetherSink<'_>,
    ) -> Result<(), AnalysisError> {
        let all: Vec<Chosen> = self.references.iter().chain(&self.channels).cloned().collect();
        let total = (self.to - self.from).max(1) as f64;
        let streams = self.streams();
        if !streams {
            self.check_held(all.len())?;
        }
        for (a, b) in self.whole_pieces() {
            if !streams {
                let mut whole = self.read_whole(&all, a, b)?;
                let preparation = &self.preparation;
                let leads = whole.par_iter_mut().zip(&all).map(|(x, c)| preparation.carry_out(c, x)).collect::<Result<
                    Vec<_>,
                    _,
                >>(
                )?;
                let position = self.placed(a - self.from) + leads.first().copied().unwrap_or(0);
                let position = in_lens(position, trimmed(&self.preparation.steps).0, self.rate);
                let room = self.len().saturating_sub(position);
                let slices: Vec<&[f64]> = whole.iter().map(|x| &x[..x.len().min(room)]).collect();
                if room > 0 {
                    sink(position, &slices, true)?;
                }
            } else {
                let indices: Vec<usize> = all.iter().map(|c| c.index).collect();
                let mut buffers = vec![Vec::new(); all.len()];
                let mut at = a;
                while at < b {
                    let n = (b - at).min(self.frames(all.len()));
                    self.source.read(&indices, at, n as usize, &mut buffers)?;
                    for (x, c) in buffers.iter_mut().zip(&all) {
                        x.iter_mut().for_each(|v| *v *= c.factor);
                    }
                    let slices: Vec<&[f64]> = buffers.iter().map(Vec::as_slice).collect();
                    sink((at - self.from) as usize, &slices, at == a)?;
                    at += n;
                    if !progress((at - self.from) as f64 / total) {
                        return Err(AnalysisError::Stopped);
                    }
                }
            }
            if !progress((b - self.from) as f64 / total) {
                return Err(AnalysisError::Stopped);
            }
        }
        Ok(())
    }

    /// All of a reference and of the channels at once, prepared (the reference as it came).
    ///
    /// # Errors
    /// A gap in the stretch, or more values than can be held.
    pub fn held(&mut self, progress: &mut dyn FnMut(f64) -> bool) -> Result<(Vec<f64>, Vec<Vec<f64>>), AnalysisError> {
        if let Some((from_s, length_s)) = self.gaps().first() {
            let says = format!(
                "{length_s:.6} s are missing at {from_s:.6} s; allowed for this lens is a stretch before or after the gap"
            );
            return Err(Refusal::new("stretch", says).into());
        }
        if self.between_gaps().len() > 1 {
            let says = "this lens looks at one stretch as a whole; allowed: one take, or takes that follow each other";
            return Err(Refusal::new("takes", says).into());
        }
        let channels = self.channels.clone();
        self.check_held(channels.len() + self.references.len())?;
        let (from, to) = (self.from, self.to);
        let mut reference = match self.references.first().cloned() {
            Some(r) => self.read_whole(&[r], from, to)?.swap_remove(0),
            None => Vec::new(),
        };
        self.preparation.only_trimmed(&mut reference)?;
        let mut whole = Vec::with_capacity(channels.len());
        // A few at a time, so that somebody who stops need not wait for all.
        for group in channels.chunks(4) {
            whole.extend(self.read_whole(group, from, to)?);
            if !progress(whole.len() as f64 / (channels.len() + 1) as f64) {
                return Err(AnalysisError::Stopped);
            }
        }
        let preparation = &self.preparation;
        whole.par_iter_mut().zip(&channels).try_for_each(|(x, c)| preparation.carry_out(c, x).map(drop))?;
        Ok((reference, whole))
    }
}

/// A position counted from where the lens's stretch begins: behind what is trimmed off the start.
fn in_lens(position: usize, trimmed_s: f64, rate: f64) -> usize {
    position.saturating_sub((trimmed_s * rate).round() as usize)
}
