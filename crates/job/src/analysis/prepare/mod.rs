//! Stretch, units and preparation, so that a lens sees clean samples in the wished unit.

mod feed;
mod held;
mod preparation;
mod steps;
mod stretch;
mod units;

pub use held::held_bytes;
pub use units::Chosen;

use super::AnalysisError;
use super::source::{Source, SourceInfo};
use crate::Refusal;
use crate::recipe::{AlongName, DeflectionRecipe, Lens, Recipe, SpectrogramRecipe, Step, Stretch};
use echo_signal::motion;
use preparation::Preparation;
use steps::{rate_after, trimmed};
use stretch::{between, stretch};
use units::chosen;

/// The stretch of the chosen channels, prepared.
pub struct View<'a> {
    source: &'a mut dyn Source,
    info: SourceInfo,
    /// The lens as it was asked for.
    pub lens: Lens,
    /// Chosen channels in the recipe's order.
    pub channels: Vec<Chosen>,
    /// Channels the others are seen against: references, or the speed sensor.
    pub references: Vec<Chosen>,
    from: u64,
    to: u64,
    /// What lies between the takes that were asked for: first sample and number of samples.
    left_out: Vec<(u64, u64)>,
    preparation: Preparation,
    /// Samples a second after preparation, Hz.
    rate: f64,
    /// Samples of the block of each piece that alone counts.
    first_block: Option<usize>,
}

/// Channels that a lens sees the others against.
struct Against {
    channels: Vec<u32>,
    /// The recipe's key.
    key: &'static str,
    /// Whether one that is named among the others is looked at as well.
    may_stay: bool,
    /// Whether it is looked at where no channels are named.
    stays: bool,
}

fn against(lens: &Lens) -> Against {
    let reference = |channels| Against { channels, key: "reference", may_stay: false, stays: false };
    // The pulses of a speed sensor may be looked at.
    let tacho = |channel| Against { channels: vec![channel], key: "tacho.channel", may_stay: true, stays: false };
    match lens {
        Lens::Cross(c) => reference(c.reference.channels()),
        Lens::Response(r) => reference(r.reference.channels()),
        Lens::Speed(s) => tacho(s.tacho.channel),
        Lens::OrderMap(o) => tacho(o.tacho.channel),
        Lens::OrderTrack(o) => tacho(o.tacho.channel),
        Lens::Spectrogram(SpectrogramRecipe { along: AlongName::Speed, tacho: Some(t), .. }) => tacho(t.channel),
        Lens::Orbit(o) => tacho(o.tacho.channel),
        Lens::Deflection(DeflectionRecipe { tacho: Some(t), .. }) => tacho(t.channel),
        // The reference is a point of the shape like any other.
        Lens::Deflection(d) => Against { may_stay: true, stays: true, ..reference(d.reference.into_iter().collect()) },
        _ => Against { channels: Vec::new(), key: "", may_stay: true, stays: true },
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
        let Against { channels: against, key, may_stay, stays } = against(&recipe.lens);
        there(key, &against)?;
        let numbers: Vec<u32> = match &recipe.channels {
            Some(named) => {
                there("channels", named)?;
                // A reference against itself says nothing.
                named.iter().copied().filter(|n| may_stay || !against.contains(n)).collect()
            }
            None => (1..=count as u32).filter(|n| stays || !against.contains(n)).collect(),
        };
        if numbers.is_empty() && !matches!(recipe.lens, Lens::Speed(_)) {
            let says = format!("channels leaves none besides the {key}; allowed: other channels of 1 to {count}");
            return Err(Refusal::new("channels", says).into());
        }
        let (from, to) = stretch(recipe.stretch, &info)?;
        let left_out = between(recipe.takes.as_deref(), &info, (from, to))?;
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
            left_out,
            preparation: Preparation {
                steps: recipe.prepare.clone(),
                rate: info.sample_rate_hz,
                integrate_above_hz: recipe.integrate_above_hz,
            },
            rate: rate_after(&recipe.prepare, info.sample_rate_hz),
            first_block: recipe.lens.first_block(),
            lens: recipe.lens.clone(),
            info,
        })
    }

    /// What the source took for granted.
    pub fn notes(&self) -> &[String] {
        &self.info.notes
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
        let inside = self.info.gaps.iter().map(|(at, n)| ((*at).max(self.from), (at + n).min(self.to)));
        inside.filter(|(a, b)| a < b)
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
        let mut holes: Vec<(u64, u64)> = self.gap_samples().chain(self.left_out.iter().copied()).collect();
        holes.sort_unstable();
        for (a, b) in holes {
            if a > at {
                pieces.push((at, a));
            }
            at = at.max(b);
        }
        if at < self.to {
            pieces.push((at, self.to));
        }
        pieces
    }
}
