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
//! | `deflection` | deflection |

mod deflection;
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
use super::modal::operation;
use super::places::shown;
use super::prepare::{Chosen, View};
use super::result::{Analysis, Axis, Made, Number, Points, ResultCaution, Trace};
use super::words::{Along, CautionRule, Shown};
use crate::Refusal;
use crate::recipe::{Lens, Recipe};
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
        Lens::Deflection(s) => deflection::deflection(s, view, progress),
        Lens::OperationalModes(s) => operation::in_operation(recipe, s, view, progress),
        Lens::Modes(_) => {
            let says = "modes are found in responses, not in samples; allowed: a universal file of functions, or a CSV of responses";
            return Err(Refusal::new("lens", says).into());
        }
    }?;
    // The lens with what was left out filled in, as it wrote itself into the result.
    out.recipe = Recipe { lens: out.recipe.lens, ..recipe.clone() };
    Ok(out)
}

/// A result with nothing in it but the lens it is of.
fn blank(view: &View<'_>) -> Analysis {
    Analysis {
        recipe: Recipe::of(view.lens.clone()),
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
        stabilisation: Vec::new(),
    }
}

fn axis(name: Along, unit: &str, values: Vec<f64>) -> Axis {
    Axis { name, unit: unit.into(), values, dofs: Vec::new() }
}

/// A curve over the axis, or with two axes a map, the last one fastest.
fn trace(c: &Chosen, quantity: Shown, unit: String, values: Vec<f64>) -> Trace {
    Trace {
        name: c.name.clone(),
        channel: c.number,
        reference: None,
        mode: None,
        axes: None,
        quantity,
        unit,
        points: Points::Real(values),
        dof: c.dof.clone(),
        reference_dof: None,
        within: None,
    }
}

fn complex_trace(c: &Chosen, quantity: Shown, unit: String, values: &[Complex64]) -> Trace {
    Trace { points: Points::Complex(values.to_vec()), ..trace(c, quantity, unit, Vec::new()) }
}

fn number(name: &str, channel: u32, unit: &str, value: f64) -> Number {
    Number { name: name.into(), channel, mode: None, unit: unit.into(), value }
}

fn caution(rule: CautionRule, channel: Option<u32>, says: String) -> ResultCaution {
    ResultCaution { rule, channel, says, places_s: Vec::new() }
}

fn refuse<T>(key: &str, got: impl std::fmt::Display, allowed: &str) -> Result<T, AnalysisError> {
    Err(Refusal::new(key, format!("{key} must be {allowed}, not {got}")).into())
}
