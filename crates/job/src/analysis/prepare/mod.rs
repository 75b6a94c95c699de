//! Stretch, units and preparation, so that a lens sees clean samples in the wished unit.

mod held;
mod steps;
mod units;

pub use held::held_bytes;
pub use units::Chosen;

use super::AnalysisError;
use super::source::{Source, SourceInfo};
use crate::Refusal;
use crate::recipe::{AlongName, Lens, Recipe, SpectrogramRecipe, Step, Stretch};
use echo_signal::motion;
use rayon::prelude::*;
use steps::{Piece, apply, rate_after, trimmed};
use units::chosen;

/// Frames read at a time while streaming.
const PIECE: usize = 1 << 16;

/// Values read at a time while streaming, over all channels.
const MOST_PIECE: usize = 1 << 22;

/// Values held at a time where a lens or its preparation needs the whole stretch.
const MOST_HELD: u64 = 400_000_000;

/// The stretch of the chosen channels, prepared.
pub struct View<'a> {
    source: &'a mut dyn Source,
    info: SourceInfo,
    /// Chosen channels in the recipe's order.
    pub channels: Vec<Chosen>,
    /// Channels the others are seen against: references, or the speed sensor.
    pub references: Vec<Chosen>,
    from: u64,
    to: u64,
    preparation: Preparation,
    /// Samples a second after preparation, Hz.
    rate: f64,
    /// Samples of the block of each piece that alone counts.
    first_block: Option<usize>,
}

/// Takes a piece of one channel into its state: position in the stretch, samples, and whether they
/// follow a gap or begin.
pub type Sink<'a, T> = dyn Fn(&mut T, usize, &[f64], bool) -> Result<(), AnalysisError> + Sync + 'a;

/// Takes a piece of all channels: position in the stretch, one slice a channel, and whether they
/// follow a gap or begin.
pub type TogetherSink<'a> = dyn FnMut(usize, &[&[f64]], bool) -> Result<(), AnalysisError> + 'a;

/// What is done to a whole piece of a channel before the lens.
#[derive(Debug, Clone)]
struct Preparation {
    steps: Vec<Step>,
    rate: f64,
    integrate_above_hz: f64,
}

impl Preparation {
    /// Prepares a whole piece; gives by how many samples of the new rate its start was trimmed.
    fn carry_out(&self, c: &Chosen, samples: &mut Vec<f64>) -> Result<usize, AnalysisError> {
        let mut piece = Piece { samples: std::mem::take(samples), rate: self.rate, start_s: 0.0 };
        for step in &self.steps {
            apply(step, &mut piece)?;
        }
        if piece.samples.is_empty() {
            let (start_s, end_s) = trimmed(&self.steps);
            let says = format!(
                "{start_s} s at the start and {end_s} s at the end are trimmed; allowed is less than the stretch or a piece of it between gaps"
            );
            return Err(Refusal::new("prepare", says).into());
        }
        let rate = piece.rate;
        *samples = piece.samples;
        if c.motion > 0 {
            *samples = motion::integrate(samples, rate, c.motion, self.integrate_above_hz)?;
        } else if c.motion < 0 {
            *samples = motion::differentiate(samples, rate, -c.motion)?;
        }
        if c.motion != 0 {
            samples.iter_mut().for_each(|x| *x *= c.result_factor);
        }
        Ok((piece.start_s * rate).round() as usize)
    }

    /// The part of a piece as it came that trimming leaves.
    fn only_trimmed(&self, samples: &mut Vec<f64>) -> Result<(), AnalysisError> {
        let mut piece = Piece { samples: std::mem::take(samples), rate: self.rate, start_s: 0.0 };
        for step in self.steps.iter().filter(|s| matches!(s, Step::Trim { .. })) {
            apply(step, &mut piece)?;
        }
        *samples = piece.samples;
        Ok(())
    }
}

/// Channels a lens sees the others against, and whether those stay in the list of the others.
fn against(lens: &Lens) -> (Vec<u32>, &'static str) {
    match lens {
        Lens::Cross(c) => (c.reference.channels(), "reference"),
        Lens::Response(r) => (r.reference.channels(), "reference"),
        Lens::Speed(s) => (vec![s.tacho.channel], "tacho.channel"),
        Lens::OrderMap(o) => (vec![o.tacho.channel], "tacho.channel"),
        Lens::OrderTrack(o) => (vec![o.tacho.channel], "tacho.channel"),
        Lens::Spectrogram(SpectrogramRecipe { along: AlongName::Speed, tacho: Some(t), .. }) => {
            (vec![t.channel], "tacho.channel")
        }
        Lens::Orbit(o) => (vec![o.tacho.channel], "tacho.channel"),
        _ => (Vec::new(), ""),
    }
}

impl<'a> View<'a> {
    /// Resolves channels, stretch and units of a recipe against a source.
    pub fn new(recipe: &Recipe, source: &'a mut dyn Source) -> Result<View<'a>, AnalysisError> {
        let info = source.info().clone();
        let count = info.channels.len();
        let there = |key: &str, numbers: &[u32]| match numbers.iter().find(|n| **n as usize > count) {
            Some(n) => Err(Refusal::new(key, format!("{key} names channel {n}; the input has channels 1 to {count}"))),
            None => Ok(()),
        };
        let (against, key) = against(&recipe.lens);
        there(key, &against)?;
        let numbers: Vec<u32> = match &recipe.channels {
            Some(named) => {
                there("channels", named)?;
                // A reference against itself says nothing; the pulses of a speed sensor may.
                named.iter().copied().filter(|n| key != "reference" || !against.contains(n)).collect()
            }
            None => (1..=count as u32).filter(|n| !against.contains(n)).collect(),
        };
        if numbers.is_empty() && !matches!(recipe.lens, Lens::Speed(_)) {
            let says = format!("channels leaves none besides the {key}; allowed are other channels of 1 to {count}");
            return Err(Refusal::new("channels", says).into());
        }
        let (from, to) = stretch(recipe.stretch, &info)?;
        let spectral = matches!(recipe.lens, Lens::Spectrum(_) | Lens::Spectrogram(_));
        let channels = numbers.iter().map(|&n| chosen(n, recipe, &info, spectral)).collect::<Result<Vec<_>, _>>()?;
        let plain = Recipe { unit: None, ..recipe.clone() };
        let references = against.iter().map(|&n| chosen(n, &plain, &info, spectral)).collect::<Result<Vec<_>, _>>()?;
        Ok(View {
            source,
            channels,
            references,
            from,
            to,
            preparation: Preparation {
                steps: recipe.prepare.clone(),
                rate: info.sample_rate_hz,
                integrate_above_hz: recipe.integrate_above_hz,
            },
            rate: rate_after(&recipe.prepare, info.sample_rate_hz),
            first_block: recipe.lens.first_block(),
            info,
        })
    }

    /// Samples a second as the lens gets them, Hz.
    pub fn rate(&self) -> f64 {
        self.rate
    }

    /// The source's samples a second, Hz.
    fn source_rate(&self) -> f64 {
        self.info.sample_rate_hz
    }

    /// Samples a channel in the stretch, as the lens gets them.
    pub fn len(&self) -> usize {
        let (start_s, end_s) = trimmed(&self.preparation.steps);
        let off = ((start_s + end_s) * self.rate).round() as usize;
        self.placed(self.to - self.from).saturating_sub(off)
    }

    /// Samples of the lens's rate in so many of the source's.
    fn placed(&self, samples: u64) -> usize {
        if self.rate == self.source_rate() {
            return samples as usize;
        }
        (samples as f64 * self.rate / self.source_rate()).round() as usize
    }

    /// Where a unit asks for integration: what is below this is left out, Hz.
    pub fn integrate_above_hz(&self) -> f64 {
        self.preparation.integrate_above_hz
    }

    /// How long either end of what the lens gets is not to be trusted because it was integrated, s.
    pub fn untrusted_s(&self) -> [f64; 2] {
        let mut ends = [0.0f64; 2];
        let after = |ends: &mut [f64; 2], times: i32, above_hz: f64| {
            let more = motion::untrusted_s(times, above_hz);
            ends.iter_mut().for_each(|e| *e = e.max(more));
        };
        for step in &self.preparation.steps {
            match step {
                Step::Integrate { times, above_hz } => after(&mut ends, *times, *above_hz),
                Step::Trim { start_s, end_s } => {
                    ends[0] = (ends[0] - start_s).max(0.0);
                    ends[1] = (ends[1] - end_s).max(0.0);
                }
                _ => {}
            }
        }
        if let Some(times) = self.channels.iter().map(|c| c.motion).max().filter(|m| *m > 0) {
            after(&mut ends, times, self.preparation.integrate_above_hz);
        }
        ends
    }

    /// Start of what the lens gets, s.
    pub fn start_s(&self) -> f64 {
        self.from as f64 / self.source_rate() + trimmed(&self.preparation.steps).0
    }

    /// The recipe with what was left out written in.
    pub fn filled_in(&self, recipe: &Recipe) -> Recipe {
        let mut full = recipe.clone();
        full.channels = Some(self.channels.iter().map(|c| c.number).collect()).filter(|c: &Vec<u32>| !c.is_empty());
        let rate = self.source_rate();
        full.stretch = Some(Stretch { from_s: self.from as f64 / rate, to_s: self.to as f64 / rate });
        if full.unit.is_none()
            && let Some(first) = self.channels.first()
            && self.channels.iter().all(|c| c.result_unit == first.result_unit)
        {
            full.unit = Some(first.result_unit.clone());
        }
        full
    }

    /// Gaps inside the stretch: start from the beginning of the data and length, s.
    pub fn gaps(&self) -> Vec<(f64, f64)> {
        let rate = self.source_rate();
        self.gap_samples().map(|(a, b)| (a as f64 / rate, (b - a) as f64 / rate)).collect()
    }

    fn gap_samples(&self) -> impl Iterator<Item = (u64, u64)> + '_ {
        self.info.gaps.iter().map(|(at, n)| ((*at).max(self.from), (at + n).min(self.to))).filter(|(a, b)| a < b)
    }

    /// Stretches without a gap, in samples of the source; of each only what makes its first block,
    /// where nothing else counts.
    fn whole_pieces(&self) -> Vec<(u64, u64)> {
        let mut pieces = self.between_gaps();
        if let Some(block) = self.first_block {
            let (start_s, end_s) = trimmed(&self.preparation.steps);
            let needed = (block as f64 / self.rate + start_s + end_s) * self.source_rate();
            pieces.iter_mut().for_each(|(a, b)| *b = (*b).min(*a + needed.ceil() as u64));
        }
        pieces
    }

    fn between_gaps(&self) -> Vec<(u64, u64)> {
        let mut at = self.from;
        let mut pieces = Vec::new();
        for (a, b) in self.gap_samples() {
            if a > at {
                pieces.push((at, a));
            }
            at = b;
        }
        if at < self.to {
            pieces.push((at, self.to));
        }
        pieces
    }

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
                "the stretch has {held} values that have to be held at once; allowed are {MOST_HELD}: a shorter stretch, fewer channels, or no preparation"
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

fn stretch(asked: Option<Stretch>, info: &SourceInfo) -> Result<(u64, u64), Refusal> {
    let length_s = info.samples as f64 / info.sample_rate_hz;
    let Some(s) = asked else {
        return Ok((0, info.samples));
    };
    let from = (s.from_s * info.sample_rate_hz).round() as u64;
    let to = ((s.to_s * info.sample_rate_hz).round() as u64).min(info.samples);
    if from >= to {
        return Err(Refusal::new(
            "stretch",
            format!("stretch is {} to {} s; the input reaches from 0 to {length_s} s", s.from_s, s.to_s),
        ));
    }
    Ok((from, to))
}
