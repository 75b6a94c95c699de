//! One function a lens: from prepared samples to traces and numbers.
//!
//! | file | lenses |
//! | --- | --- |
//! | `time` | waveform, statistics, level |
//! | `spectral` | spectrum, spectrogram, envelope, octave |
//! | `pairs` | cross, response |
//! | `history` | distribution, rainflow, shock, arrivals |
//! | `rotation` | speed, order_map |
//! | `order_track` | order_track |
//! | `orbit` | orbit |

mod history;
mod orbit;
mod order_track;
mod pairs;
mod rotation;
mod spectral;
mod spectrogram;
mod time;

pub(super) use spectral::window;

use super::AnalysisError;
use super::prepare::{Chosen, View};
use super::result::{Analysis, Axis, Made, Number, ResultCaution, Trace};
use crate::Refusal;
use crate::recipe::{Lens, Recipe, StatisticsSettings};
use echo_signal::spectrum::Complex64;

/// Gets the share done, 0 to 1, and returns false to stop.
type Progress<'a> = &'a mut dyn FnMut(f64) -> bool;

/// Carries out a lens. The recipe in the result has its lens replaced where a default depends on
/// the data, and is to be completed by the caller.
pub fn look(recipe: &Recipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let lens = &recipe.lens;
    let mut out = match lens {
        Lens::Waveform(s) => time::waveform(s, view, progress),
        Lens::Statistics(s) => time::statistics(s, view, progress),
        Lens::Level(s) => time::level(s, view, progress),
        Lens::Spectrum(s) => spectral::spectrum(s, view, progress),
        Lens::Spectrogram(s) => spectrogram::spectrogram(s, view, progress),
        Lens::Envelope(s) => spectral::envelope(s, view, progress),
        Lens::Cepstrum(s) => spectral::cepstrum(s, view, progress),
        Lens::Octave(s) => spectral::octave(s, view, progress),
        Lens::Cross(s) => pairs::cross(s, view, progress),
        Lens::Response(s) => pairs::response(s, view, progress),
        Lens::Distribution(s) => history::distribution(s, view, progress),
        Lens::Rainflow(s) => history::rainflow(s, view, progress),
        Lens::Shock(s) => history::shock(s, view, progress),
        Lens::Arrivals(s) => history::arrivals(s, view, progress),
        Lens::Speed(s) => rotation::speed(s, view, progress),
        Lens::OrderMap(s) => rotation::order_map(s, view, progress),
        Lens::OrderTrack(s) => order_track::order_track(s, view, progress),
        Lens::Orbit(s) => orbit::orbit(s, view, progress),
    }?;
    // A lens writes itself into the result only where it has something to fill in.
    let filled = out.recipe.lens.name() == lens.name() && !matches!(lens, Lens::Statistics(_));
    let lens = if filled { out.recipe.lens.clone() } else { lens.clone() };
    out.recipe = Recipe { lens, ..recipe.clone() };
    Ok(out)
}

/// A result with nothing in it.
fn blank() -> Analysis {
    Analysis {
        recipe: Recipe::of(Lens::Statistics(StatisticsSettings::default())),
        made: Made::default(),
        cautions: Vec::new(),
        averages: None,
        random_error: None,
        interval: None,
        axes: Vec::new(),
        reached_s: Vec::new(),
        traces: Vec::new(),
        numbers: Vec::new(),
        peaks: Vec::new(),
    }
}

fn axis(name: &str, unit: &str, values: Vec<f64>) -> Axis {
    Axis { name: name.into(), unit: unit.into(), values }
}

/// A unit as it is written into a result: what has none is in engineering units.
fn shown(unit: &str) -> &str {
    if unit.is_empty() { "EU" } else { unit }
}

/// A curve over the axis, or with two axes a map, the last one fastest.
fn trace(c: &Chosen, quantity: &str, unit: String, values: Vec<f64>) -> Trace {
    Trace {
        name: c.name.clone(),
        channel: c.number,
        reference: None,
        quantity: quantity.into(),
        unit,
        values,
        within: None,
        re: None,
        im: None,
    }
}

fn complex_trace(c: &Chosen, quantity: &str, unit: String, values: &[Complex64]) -> Trace {
    Trace {
        re: Some(values.iter().map(|z| z.re).collect()),
        im: Some(values.iter().map(|z| z.im).collect()),
        ..trace(c, quantity, unit, Vec::new())
    }
}

fn number(name: &str, channel: u32, unit: &str, value: f64) -> Number {
    Number { name: name.into(), channel, unit: unit.into(), value }
}

fn caution(rule: &str, channel: Option<u32>, says: String) -> ResultCaution {
    ResultCaution { rule: rule.into(), channel, says, places_s: Vec::new() }
}

fn refuse<T>(key: &str, got: impl std::fmt::Display, allowed: &str) -> Result<T, AnalysisError> {
    Err(Refusal::new(key, format!("{key} is {got}; allowed is {allowed}")).into())
}
