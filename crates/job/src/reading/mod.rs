//! What a cursor reads of a result: lines, families, bands, resonances.
//!
//! A line that is asked for is looked for near the place where it should be, and read between the
//! lines of the spectrum as `echo_signal::peak` does. Source for the band level: ISO 18431-1 (power
//! of a band from an averaged spectrum, noise bandwidth of the window taken off).

mod lines;
mod resonance;

use crate::Refusal;
use crate::analysis::result::Analysis;
use lines::{Spectrum, amplitude_unit, family};
use rayon::prelude::*;
use resonance::{Fits, Wish};
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
        /// Channel that measured the force, with `measured`; the result has a cut of it.
        #[serde(default)]
        force_channel: Option<u32>,
    },
}

/// How the force that drives a resonance changes with speed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ForceName {
    /// With the square of speed, as unbalance does.
    #[default]
    Unbalance,
    /// Not at all.
    Constant,
    /// As the order's own cut of a channel that measured it.
    Measured,
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

/// Reads a curve of a result.
///
/// # Errors
/// Numbers that are not allowed, a curve of another kind than what is asked of it.
pub fn read(result: &Analysis, trace: usize, ask: &Ask) -> Result<CursorReading, Refusal> {
    one(result, trace, ask, &Fits::default())
}

/// Reads curves of a result, side by side; what several of them need is reckoned once.
///
/// # Errors
/// For each as [`read`].
pub fn read_all(result: &Analysis, asks: &[(usize, Ask)]) -> Vec<Result<CursorReading, Refusal>> {
    let fits = Fits::default();
    asks.par_iter().map(|(trace, ask)| one(result, *trace, ask, &fits)).collect()
}

fn one(result: &Analysis, trace: usize, ask: &Ask, fits: &Fits) -> Result<CursorReading, Refusal> {
    let Some(t) = result.traces.get(trace) else {
        return refuse("trace", format!("there is no curve {trace}; there are {}", result.traces.len()));
    };
    let positive = |what: &str, x: f64| match x.is_finite() && x > 0.0 {
        true => Ok(()),
        false => refuse(what, format!("{what} must be above 0, not {x}")),
    };
    let counted = |count: u32, most: u32| match (1..=most).contains(&count) {
        true => Ok(()),
        false => refuse("count", format!("count must be 1 to {most}, not {count}")),
    };
    match ask {
        Ask::Lines { hz, within_hz, known_within_hz } => {
            let s = Spectrum::of(result, t)?;
            let within = within_hz.unwrap_or(2.0 * s.spacing_hz);
            positive("within_hz", within)?;
            if !known_within_hz.is_empty() && known_within_hz.len() != hz.len() {
                let says =
                    format!("{} are given; allowed: as many as frequencies, {}", known_within_hz.len(), hz.len());
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
        Ask::Resonance { from_rpm, to_rpm, force, force_channel } => {
            let wish = Wish { range: (*from_rpm, *to_rpm), force: *force, force_channel: *force_channel };
            resonance::read(result, trace, wish, fits)
        }
    }
}
