//! What a cursor reads of a result: lines, families, bands, resonances.
//!
//! A line that is asked for is looked for near the place where it should be, and read between the
//! lines of the spectrum as `echo_signal::peak` does. Source for the band level: ISO 18431-1 (power
//! of a band from an averaged spectrum, noise bandwidth of the window taken off).

mod resonance;

use crate::Refusal;
use crate::analysis::result::{Analysis, Trace};
use crate::analysis::window_of;
use crate::recipe::{Blocks, EnvelopeOutput, Lens, ScalingName};
use echo_signal::peak::interpolate;
use echo_signal::window::{Window, corrections};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What is asked of a curve.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "read", rename_all = "snake_case", deny_unknown_fields)]
pub enum Ask {
    /// The line nearest to each of these frequencies.
    Lines {
        /// Frequencies, Hz.
        hz: Vec<f64>,
        /// How far away it may be, Hz; two lines where left out.
        #[serde(default)]
        within_hz: Option<f64>,
        /// How well each place is known, Hz: a line is its own only within that and what can be read
        /// between the lines. In the order of `hz`; where left out, `within_hz` holds.
        #[serde(default)]
        known_within_hz: Vec<f64>,
    },
    /// A line and its multiples; the distance is fitted to those that are found.
    Harmonics {
        /// The first one, Hz.
        base_hz: f64,
        /// How many, 1 to 100.
        count: u32,
    },
    /// A line with lines at equal distances on both sides.
    Sidebands {
        /// The line in the middle, Hz.
        center_hz: f64,
        /// Their distance, Hz.
        spacing_hz: f64,
        /// How many on each side, 1 to 50.
        count: u32,
    },
    /// Level in a band.
    Band {
        /// Lower edge, Hz.
        from_hz: f64,
        /// Upper edge, Hz.
        to_hz: f64,
    },
    /// The highest peaks, each with the line it belongs to.
    Peaks {
        /// How many, 1 to 100.
        count: u32,
        /// Lines they may belong to.
        #[serde(default)]
        known: Vec<KnownLine>,
        /// Frequency of the shaft that orders are of, Hz.
        #[serde(default)]
        shaft_hz: Option<f64>,
    },
    /// The resonance an order passes between two speeds.
    Resonance {
        /// Lower speed, rpm.
        from_rpm: f64,
        /// Upper speed, rpm.
        to_rpm: f64,
        /// What drives it.
        #[serde(default)]
        force: ForceName,
    },
}

/// How the force that drives a resonance changes with speed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ForceName {
    /// With the square of speed, as unbalance does.
    #[default]
    Unbalance,
    /// Not at all.
    Constant,
}

/// A line whose place is known, such as a gear's mesh.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct KnownLine {
    /// What it is.
    pub says: String,
    /// Its frequency, Hz.
    pub hz: f64,
    /// How well that is known, Hz, by the speed it was reckoned from.
    #[serde(default)]
    pub within_hz: f64,
}

/// How far a peak read between the lines may be off, lines: noise and a neighbour move it by tenths.
const READ_WITHIN: f64 = 0.35;

/// A line of a reading.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Line {
    /// Which one: multiple of the first, or sideband, negative below the middle.
    pub number: i32,
    /// Where it should be, Hz.
    pub wanted_hz: f64,
    /// Where it is, Hz; none where no line stands out there.
    pub found_hz: Option<f64>,
    /// Its value in the curve's unit: of the line found, or of the place where it should be.
    pub value: Option<f64>,
    /// The known line it belongs to.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub belongs_to: Option<String>,
    /// Others it could be as well, the nearest first.
    pub also: Vec<String>,
    /// Its order of the shaft, where that is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<f64>,
}

/// A resonance of a reading.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ResonanceRead {
    /// Speed at the peak, rpm.
    pub rpm: f64,
    /// Frequency there, Hz.
    pub frequency_hz: f64,
    /// Amplitude there, in the curve's unit.
    pub amplitude: f64,
    /// Speeds of half the power, rpm.
    #[schema(value_type = Vec<f64>)]
    pub half_power_rpm: [f64; 2],
    /// Amplification factor.
    pub amplification: f64,
    /// Share of critical damping of one mode with that factor.
    pub damping: f64,
    /// Change of phase between the speeds of half the power, degrees.
    pub phase_change_deg: f64,
}

/// A mode fitted to an order's cuts.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ModeFit {
    /// Speed at which the order meets it, rpm.
    pub rpm: f64,
    /// Its undamped frequency, Hz.
    pub frequency_hz: f64,
    /// Twice the standard uncertainty of it, Hz.
    pub frequency_within_hz: f64,
    /// Share of critical damping.
    pub damping: f64,
    /// Twice the standard uncertainty of it.
    pub damping_within: f64,
    /// Amplification factor, 1/(2 damping).
    pub amplification: f64,
    /// Steady amplitude of the mode at its frequency in this curve, peak, in the curve's unit.
    pub amplitude: f64,
    /// Share of the mean square of the curves that it leaves unexplained.
    pub unexplained: f64,
    /// Curves that were fitted together.
    pub curves: usize,
    /// Speeds of the fit, rpm, and the fit there: real and imaginary parts.
    pub at_rpm: Vec<f64>,
    /// See `at_rpm`.
    pub re: Vec<f64>,
    /// See `at_rpm`.
    pub im: Vec<f64>,
}

impl Line {
    /// A line that nothing is known of but where it should be.
    fn wanted(number: i32, wanted_hz: f64) -> Line {
        Line { number, wanted_hz, found_hz: None, value: None, belongs_to: None, also: Vec::new(), order: None }
    }
}

/// What was read.
#[derive(Debug, Clone, Default, PartialEq, Serialize, ToSchema)]
pub struct CursorReading {
    /// Lines, in the order asked for.
    pub lines: Vec<Line>,
    /// Distance of a family after fitting, Hz.
    pub spacing_hz: Option<f64>,
    /// Level of a band, rms.
    pub level: Option<f64>,
    /// Unit of the level.
    pub unit: String,
    /// The resonance by half power.
    pub resonance: Option<ResonanceRead>,
    /// The resonance by a fit.
    pub mode: Option<ModeFit>,
    /// Why one of both is missing.
    pub missing: Option<String>,
}

fn refuse<T>(field: &str, says: impl Into<String>) -> Result<T, Refusal> {
    Err(Refusal::new(field, says))
}

/// A spectrum with what its values mean.
struct Spectrum<'a> {
    values: &'a [f64],
    first_hz: f64,
    spacing_hz: f64,
    scaling: ScalingName,
    window: Window,
    block: usize,
}

impl<'a> Spectrum<'a> {
    fn of(result: &Analysis, trace: &'a Trace) -> Result<Spectrum<'a>, Refusal> {
        let (blocks, scaling): (Blocks, ScalingName) = match &result.recipe.lens {
            Lens::Spectrum(s) => (s.blocks(), s.scaling),
            Lens::Envelope(s) if s.output == EnvelopeOutput::Spectrum => (s.blocks(), s.scaling),
            other => return refuse("read", format!("lines are read of a spectrum, not of {}", other.name())),
        };
        let hz = &result.axes[0].values;
        if hz.len() < 3 || trace.values.len() != hz.len() {
            return refuse("read", "the spectrum has too few lines");
        }
        Ok(Spectrum {
            values: &trace.values,
            first_hz: hz[0],
            spacing_hz: (hz[hz.len() - 1] - hz[0]) / (hz.len() - 1) as f64,
            scaling,
            window: window_of(&blocks),
            block: blocks.block,
        })
    }

    fn squared(&self) -> bool {
        self.scaling.squared()
    }

    /// The line at a frequency, or the highest that stands out within a distance.
    fn line(&self, number: i32, wanted_hz: f64, within_hz: f64) -> Line {
        let nothing = Line::wanted(number, wanted_hz);
        let at = (wanted_hz - self.first_hz) / self.spacing_hz;
        let last = self.values.len() - 1;
        if !(at >= 0.0 && at <= last as f64) {
            return nothing;
        }
        let reach = (within_hz / self.spacing_hz).max(1.0);
        let (from, to) = ((at - reach).ceil().max(1.0) as usize, ((at + reach).floor() as usize).min(last - 1));
        let v = self.values;
        // What stands out is twice the median of what is around it, so that noise is not taken for a line
        // and a strong neighbour does not hide it.
        let (a, b) = (from.saturating_sub(20), (to + 20).min(last));
        let mut near = v[a..=b].to_vec();
        let middle = near.len() / 2;
        let around = *near.select_nth_unstable_by(middle, f64::total_cmp).1;
        let stands = |i: &usize| v[*i] > v[i - 1] && v[*i] >= v[i + 1] && v[*i] > 2.0 * around;
        let Some(top) = (from..=to).filter(stands).max_by(|i, j| v[*i].total_cmp(&v[*j])) else {
            return Line { value: v.get(at.round() as usize).copied().filter(|v| v.is_finite()), ..nothing };
        };
        // The lobe is one of amplitude; of a power it is read by its root.
        let near: Vec<f64> = v[top - 1..=top + 1].iter().map(|x| if self.squared() { x.sqrt() } else { *x }).collect();
        let peak = interpolate(&near, 1, self.window, self.block);
        let found = self.first_hz + (top as f64 - 1.0 + peak.line) * self.spacing_hz;
        let value = if self.squared() { v[top] } else { peak.amplitude };
        Line { found_hz: Some(found), value: Some(value), ..nothing }
    }

    /// The highest local maxima, the highest first.
    fn highest(&self, count: usize) -> Vec<Line> {
        let amplitudes: Vec<f64> = self.values.iter().map(|v| if self.squared() { v.sqrt() } else { *v }).collect();
        let apart = self.window.main_lobe_lines().ceil() as usize;
        let found = echo_signal::peak::highest(&amplitudes, apart, count);
        let one = |(k, number): (usize, i32)| {
            let peak = interpolate(&amplitudes, k, self.window, self.block);
            let hz = self.first_hz + peak.line * self.spacing_hz;
            let value = if self.squared() { self.values[k] } else { peak.amplitude };
            Line { found_hz: Some(hz), value: Some(value), ..Line::wanted(number, hz) }
        };
        found.into_iter().zip(1..).map(one).collect()
    }

    /// Level of a band, rms.
    fn band(&self, from_hz: f64, to_hz: f64) -> Result<f64, Refusal> {
        let end = self.first_hz + (self.values.len() - 1) as f64 * self.spacing_hz;
        if !(from_hz >= 0.0 && from_hz < to_hz && to_hz <= end * (1.0 + 1e-9)) {
            return refuse("band", format!("{from_hz} to {to_hz} Hz; allowed is a band within 0 to {end:.6} Hz"));
        }
        let weights = self.window.weights(self.block).map_err(|e| Refusal::new("window", e.to_string()))?;
        let noise_lines = corrections(&weights).noise_bandwidth;
        let block_s = 1.0 / self.spacing_hz;
        let mean_square = |v: f64| match self.scaling {
            ScalingName::Peak => 0.5 * v * v / noise_lines,
            ScalingName::PeakToPeak => 0.125 * v * v / noise_lines,
            ScalingName::Rms => v * v / noise_lines,
            ScalingName::Power => v / noise_lines,
            ScalingName::Psd => v * self.spacing_hz,
            ScalingName::Esd => v * self.spacing_hz / block_s,
        };
        let hz = |i: usize| self.first_hz + i as f64 * self.spacing_hz;
        let inside = (0..self.values.len()).filter(|i| hz(*i) >= from_hz && hz(*i) <= to_hz);
        Ok(inside.map(|i| mean_square(self.values[i])).sum::<f64>().sqrt())
    }
}

/// Reads a curve of a result.
///
/// # Errors
/// Numbers that are not allowed, a curve of another kind than what is asked of it.
pub fn read(result: &Analysis, trace: usize, ask: &Ask) -> Result<CursorReading, Refusal> {
    let Some(t) = result.traces.get(trace) else {
        return refuse("trace", format!("there is no curve {trace}; there are {}", result.traces.len()));
    };
    let positive = |what: &str, x: f64| match x.is_finite() && x > 0.0 {
        true => Ok(()),
        false => refuse(what, format!("{what} is {x}; allowed is above 0")),
    };
    let counted = |count: u32, most: u32| match (1..=most).contains(&count) {
        true => Ok(()),
        false => refuse("count", format!("count is {count}; allowed are 1 to {most}")),
    };
    match ask {
        Ask::Lines { hz, within_hz, known_within_hz } => {
            let s = Spectrum::of(result, t)?;
            let within = within_hz.unwrap_or(2.0 * s.spacing_hz);
            positive("within_hz", within)?;
            if !known_within_hz.is_empty() && known_within_hz.len() != hz.len() {
                let says =
                    format!("{} are given; allowed are as many as frequencies, {}", known_within_hz.len(), hz.len());
                return refuse("known_within_hz", says);
            }
            let lines = hz.iter().zip(1..).enumerate().map(|(k, (f, i))| match known_within_hz.get(k) {
                None => s.line(i, *f, within),
                Some(known) => {
                    let reach = known.abs() + READ_WITHIN * s.spacing_hz;
                    let line = s.line(i, *f, reach);
                    let near = line.found_hz.is_none_or(|found| (found - f).abs() <= reach);
                    if near { line } else { Line { found_hz: None, ..line } }
                }
            });
            Ok(CursorReading { lines: lines.collect(), ..CursorReading::default() })
        }
        Ask::Peaks { count, known, shaft_hz } => {
            let s = Spectrum::of(result, t)?;
            counted(*count, 100)?;
            shaft_hz.map_or(Ok(()), |f| positive("shaft_hz", f))?;
            let lines = s.highest(*count as usize).into_iter().map(|line| {
                let off = |k: &&KnownLine| (k.hz - line.found_hz.unwrap_or(f64::NAN)).abs();
                let reach = |k: &&KnownLine| k.within_hz.abs() + READ_WITHIN * s.spacing_hz;
                let mut near: Vec<&KnownLine> = known.iter().filter(|k| off(k) <= reach(k)).collect();
                near.sort_by(|a, b| off(a).total_cmp(&off(b)));
                let mut names = near.into_iter().map(|k| k.says.clone());
                let order = line.found_hz.zip(*shaft_hz).map(|(hz, shaft)| hz / shaft);
                Line { belongs_to: names.next(), also: names.collect(), order, ..line }
            });
            Ok(CursorReading { lines: lines.collect(), ..CursorReading::default() })
        }
        Ask::Harmonics { base_hz, count } => {
            let s = Spectrum::of(result, t)?;
            positive("base_hz", *base_hz)?;
            counted(*count, 100)?;
            Ok(family(&s, 0.0, *base_hz, (1..=*count as i32).collect()))
        }
        Ask::Sidebands { center_hz, spacing_hz, count } => {
            let s = Spectrum::of(result, t)?;
            positive("spacing_hz", *spacing_hz)?;
            counted(*count, 50)?;
            let n = *count as i32;
            let center = s.line(0, *center_hz, 2.0 * s.spacing_hz);
            Ok(family(&s, center.found_hz.unwrap_or(*center_hz), *spacing_hz, (-n..=n).collect()))
        }
        Ask::Band { from_hz, to_hz } => {
            let s = Spectrum::of(result, t)?;
            let level = s.band(*from_hz, *to_hz)?;
            Ok(CursorReading {
                level: Some(level),
                unit: amplitude_unit(&t.unit, s.scaling).into(),
                ..CursorReading::default()
            })
        }
        Ask::Resonance { from_rpm, to_rpm, force } => resonance::read(result, trace, (*from_rpm, *to_rpm), *force),
    }
}

/// The unit of the amplitudes behind a spectrum's unit: “m/s²” for “(m/s²)²/Hz”.
fn amplitude_unit(unit: &str, scaling: ScalingName) -> &str {
    if !scaling.squared() {
        return unit;
    }
    let square = unit.trim_end_matches("/Hz").trim_end_matches("·s");
    let one = square.strip_suffix('²').unwrap_or(square);
    one.strip_prefix('(').and_then(|u| u.strip_suffix(')')).unwrap_or(one)
}

/// Lines at a start and multiples of a distance from it. The distance is fitted to those found, the
/// nearest first, so that a line that happens to be near a far member is not taken for it.
fn family(s: &Spectrum<'_>, start_hz: f64, spacing_hz: f64, numbers: Vec<i32>) -> CursorReading {
    let mut spacing = spacing_hz;
    // How far the distance may be off, Hz: at first as much as somebody who points at a line may be.
    let mut doubt = (1.5 * s.spacing_hz).min(0.3 * spacing_hz);
    let (mut top, mut sum, mut furthest) = (0.0, 0.0, 0);
    let mut lines: Vec<Option<Line>> = vec![None; numbers.len()];
    let mut order: Vec<usize> = (0..numbers.len()).collect();
    order.sort_by_key(|i| numbers[*i].abs());
    for group in order.chunk_by(|i, j| numbers[*i].abs() == numbers[*j].abs()) {
        for &i in group {
            let k = numbers[i];
            let wanted = start_hz + f64::from(k) * spacing;
            let within =
                (f64::from(k.abs().max(1)) * doubt).clamp(0.6 * s.spacing_hz, 0.3 * spacing_hz.max(2.0 * s.spacing_hz));
            let mut line = s.line(k, wanted, within);
            if line.found_hz.is_some_and(|f| (f - wanted).abs() > within) {
                line.found_hz = None;
            }
            if let (Some(hz), false) = (line.found_hz, k == 0) {
                top += f64::from(k) * (hz - start_hz);
                sum += f64::from(k).powi(2);
                furthest = furthest.max(k.abs());
            }
            lines[i] = Some(line);
        }
        if sum > 0.0 {
            // Read between the lines a place is known to some tenths of one.
            spacing = top / sum;
            doubt = 0.3 * s.spacing_hz / f64::from(furthest);
        }
    }
    CursorReading {
        lines: lines.into_iter().flatten().collect(),
        // A distance that fits no line is none.
        spacing_hz: (sum > 0.0).then_some(spacing),
        ..CursorReading::default()
    }
}
