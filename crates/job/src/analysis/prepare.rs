//! Stretch, units and preparation, so that a lens sees clean samples in the wished unit.

use super::AnalysisError;
use super::source::{Source, SourceInfo};
use crate::Refusal;
use crate::recipe::{Lens, Recipe, Step, Stretch};
use crate::unit::{Unit, find};
use echo_signal::filter::{Band, Filter};
use echo_signal::trend;

/// Frames read at a time while streaming.
const PIECE: usize = 1 << 16;

/// A chosen channel with its conversion.
#[derive(Debug, Clone)]
pub struct Chosen {
    /// Number from 1.
    pub number: u32,
    /// Index in the source.
    pub index: usize,
    /// Name.
    pub name: String,
    /// Unit of the samples the lens gets.
    pub unit: String,
    /// Unit of the lens's result.
    pub result_unit: String,
    /// Samples are multiplied by this.
    pub factor: f64,
    /// The result is divided by ω to this power (multiplied where negative) and by
    /// `result_factor`.
    pub integrations: i32,
    /// From the samples' unit to the result's, after integration.
    pub result_factor: f64,
}

/// Takes a piece: index of the channel, position in the stretch, samples, and whether it follows a
/// gap or begins.
pub type Sink<'a> = dyn FnMut(usize, usize, &[f64], bool) -> Result<(), AnalysisError> + 'a;

/// The stretch of the chosen channels, prepared.
pub struct View<'a> {
    source: &'a mut dyn Source,
    info: SourceInfo,
    /// Chosen channels in the recipe's order.
    pub channels: Vec<Chosen>,
    from: u64,
    to: u64,
    steps: Vec<Step>,
}

impl<'a> View<'a> {
    /// Resolves channels, stretch and units of a recipe against a source.
    pub fn new(recipe: &Recipe, source: &'a mut dyn Source) -> Result<View<'a>, AnalysisError> {
        let info = source.info().clone();
        let count = info.channels.len();
        let numbers = recipe.channels.clone().unwrap_or_else(|| (1..=count as u32).collect());
        if let Some(n) = numbers.iter().find(|n| **n as usize > count) {
            return Err(Refusal::new(
                "channels",
                format!("channels names channel {n}; the input has channels 1 to {count}"),
            )
            .into());
        }
        let (from, to) = stretch(recipe.stretch, &info)?;
        let spectral = matches!(recipe.lens, Lens::Spectrum(_));
        let channels = numbers.iter().map(|&n| chosen(n, recipe, &info, spectral)).collect::<Result<Vec<_>, _>>()?;
        Ok(View { source, info, channels, from, to, steps: recipe.prepare.clone() })
    }

    /// Samples a second, Hz.
    pub fn rate(&self) -> f64 {
        self.info.sample_rate_hz
    }

    /// Samples a channel in the stretch.
    pub fn len(&self) -> usize {
        (self.to - self.from) as usize
    }

    /// Start of the stretch, s.
    pub fn start_s(&self) -> f64 {
        self.from as f64 / self.rate()
    }

    /// The recipe with what was left out written in.
    pub fn filled_in(&self, recipe: &Recipe) -> Recipe {
        let mut full = recipe.clone();
        full.channels = Some(self.channels.iter().map(|c| c.number).collect());
        full.stretch = Some(Stretch { from_s: self.from as f64 / self.rate(), to_s: self.to as f64 / self.rate() });
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
        self.gap_samples().map(|(a, b)| (a as f64 / self.rate(), (b - a) as f64 / self.rate())).collect()
    }

    fn gap_samples(&self) -> impl Iterator<Item = (u64, u64)> + '_ {
        self.info.gaps.iter().map(|(at, n)| ((*at).max(self.from), (at + n).min(self.to))).filter(|(a, b)| a < b)
    }

    /// Stretches without a gap, in samples of the source.
    fn whole_pieces(&self) -> Vec<(u64, u64)> {
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

    /// Hands the stretch to `sink` piece by piece: position in the stretch, one slice a channel,
    /// and whether it follows a gap.
    ///
    /// Without preparation the input streams through; with it, one channel at a time is held in
    /// memory and the sink gets one-channel calls.
    pub fn feed(&mut self, progress: &mut dyn FnMut(f64) -> bool, sink: &mut Sink<'_>) -> Result<(), AnalysisError> {
        let pieces = self.whole_pieces();
        let total = self.len().max(1) as f64;
        if self.steps.is_empty() {
            let indices: Vec<usize> = self.channels.iter().map(|c| c.index).collect();
            let mut buffers = vec![Vec::new(); indices.len()];
            for &(a, b) in &pieces {
                let mut at = a;
                while at < b {
                    let n = (b - at).min(PIECE as u64) as usize;
                    self.source.read(&indices, at, n, &mut buffers)?;
                    let position = (at - self.from) as usize;
                    for (i, (c, x)) in self.channels.iter().zip(&mut buffers).enumerate() {
                        x.iter_mut().for_each(|v| *v *= c.factor);
                        sink(i, position, x, at == a)?;
                    }
                    at += n as u64;
                    if !progress((at - self.from) as f64 / total) {
                        return Err(AnalysisError::Stopped);
                    }
                }
            }
            return Ok(());
        }
        let channels = self.channels.clone();
        for (i, c) in channels.iter().enumerate() {
            for &(a, b) in &pieces {
                let mut whole = Vec::with_capacity((b - a) as usize);
                let mut buffer = [Vec::new()];
                let mut at = a;
                while at < b {
                    let n = (b - at).min(PIECE as u64) as usize;
                    self.source.read(&[c.index], at, n, &mut buffer)?;
                    whole.extend(buffer[0].iter().map(|x| x * c.factor));
                    at += n as u64;
                }
                for step in &self.steps {
                    apply(step, &mut whole, self.info.sample_rate_hz)?;
                }
                sink(i, (a - self.from) as usize, &whole, true)?;
                if !progress((i as f64 + (b - self.from) as f64 / total) / channels.len() as f64) {
                    return Err(AnalysisError::Stopped);
                }
            }
        }
        Ok(())
    }
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

fn chosen(number: u32, recipe: &Recipe, info: &SourceInfo, spectral: bool) -> Result<Chosen, Refusal> {
    let index = number as usize - 1;
    let channel = &info.channels[index];
    let (mut unit, mut factor) = (channel.unit.clone(), 1.0);
    if let Some(s) = recipe.sensitivities.iter().find(|s| s.channel == number) {
        if !info.full_scale {
            return Err(Refusal::new(
                "sensitivities",
                "sensitivities are for integer WAV only; this input is in engineering units already",
            ));
        }
        unit = s.unit.clone();
        factor = 1.0 / s.value;
    }
    let mut c = Chosen {
        number,
        index,
        name: channel.name.clone(),
        result_unit: unit.clone(),
        unit,
        factor,
        integrations: 0,
        result_factor: 1.0,
    };
    let Some(wanted) = recipe.unit.as_deref().filter(|w| *w != c.unit) else {
        return Ok(c);
    };
    if c.unit.is_empty() {
        // The source does not say; the recipe does.
        c.unit = wanted.to_string();
        c.result_unit = wanted.to_string();
        return Ok(c);
    }
    let to = find(wanted)?;
    let from: &Unit = find(&c.unit).map_err(|_| {
        Refusal::new(
            "unit",
            format!("unit is {wanted}; channel {number} is in “{}”, which is no unit Fleet Echo converts", c.unit),
        )
    })?;
    c.result_unit = to.symbol.to_string();
    if from.quantity == to.quantity {
        c.factor *= from.to_si / to.to_si;
        c.unit = to.symbol.to_string();
        return Ok(c);
    }
    match (from.quantity.motion_order(), to.quantity.motion_order()) {
        (Some(a), Some(b)) if spectral => {
            c.integrations = a - b;
            c.result_factor = from.to_si / to.to_si;
            Ok(c)
        }
        _ => {
            let fitting: Vec<&str> = from.quantity.units().map(|u| u.symbol).collect();
            Err(Refusal::new(
                "unit",
                format!("unit is {wanted}; channel {number} is in {}, allowed here are {}", c.unit, fitting.join(", ")),
            ))
        }
    }
}

fn apply(step: &Step, samples: &mut [f64], rate: f64) -> Result<(), AnalysisError> {
    let (band, order, one_pass) = match *step {
        Step::Detrend {} => return Ok(trend::remove_line(samples)?),
        Step::Zero {} => return Ok(trend::remove_mean(samples)?),
        Step::Highpass { edge_hz, order, one_pass } => (Band::Highpass(edge_hz), order, one_pass),
        Step::Lowpass { edge_hz, order, one_pass } => (Band::Lowpass(edge_hz), order, one_pass),
        Step::Bandpass { band_hz: [lo, hi], order, one_pass } => (Band::Bandpass(lo, hi), order, one_pass),
    };
    let mut filter = Filter::butterworth(band, order, rate)?;
    if one_pass {
        filter.run(samples);
    } else {
        filter.zero_phase(samples)?;
    }
    Ok(())
}
