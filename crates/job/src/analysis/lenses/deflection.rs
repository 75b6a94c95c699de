//! How the points of a structure move together in operation: at a frequency, in a band, or at an order of a shaft.
//!
//! Each point's cross spectrum with the reference over the root of the reference's own spectrum: as large as what
//! the point does together with the reference, and in its phase. Source: Richardson, "Is it a mode shape, or an
//! operating deflection shape?", Sound and Vibration 1997.

use super::pairs::collect;
use super::rotation::{Stepped, Wish, orders};
use super::spectral::window;
use super::{Progress, axis, blank, caution, number, refuse, shown};
use crate::Refusal;
use crate::analysis::AnalysisError;
use crate::analysis::places::places;
use crate::analysis::prepare::View;
use crate::analysis::result::{Analysis, Axis, Points, Trace};
use crate::analysis::words::{Along, CautionRule, Shown};
use crate::dof::Dof;
use crate::recipe::{AlongName, DeflectionRecipe, Lens};
use echo_signal::cross::CrossProcessor;
use echo_signal::rotation::order::order_cut;
use echo_signal::spectrum::{Averaging, Complex64, SpectrumSettings};
use echo_signal::window::corrections;
use std::f64::consts::FRAC_1_SQRT_2;

/// Below this coherence a point is told not to move with the reference.
const FOLLOWS: f64 = 0.5;

/// A point's share in what was summed up: with the reference, and of its own.
#[derive(Debug, Clone, Copy, Default)]
struct Sum {
    with: Complex64,
    own: f64,
}

/// How points move together.
pub fn deflection(
    s: &DeflectionRecipe,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let places = places(&view.channels)?;
    match s.order {
        Some(order) => at_order(s, order, &places, view, progress),
        None => at_lines(s, &places, view, progress),
    }
}

fn at_lines(
    s: &DeflectionRecipe,
    places: &[(Dof, f64)],
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let rate = view.rate();
    let settings = SpectrumSettings {
        sample_rate_hz: rate,
        block: s.block,
        overlap: s.overlap,
        window: window(s.window, None),
        averaging: Averaging::Linear,
    };
    let spacing = rate / s.block as f64;
    let count = view.channels.len();
    let spectra = collect(CrossProcessor::new(settings, 1, count)?, view, progress)?;
    let hz = &spectra.frequencies_hz;
    let lines = match (s.frequency_hz, s.band_hz) {
        (Some(f), _) if f > rate / 2.0 => {
            return refuse("frequency_hz", f, &format!("up to {} Hz, half the sample rate", rate / 2.0));
        }
        (Some(f), _) => {
            let nearest = (f / spacing).round() as usize;
            nearest..nearest + 1
        }
        (None, Some([low, high])) => {
            let from = hz.partition_point(|f| *f < low);
            from..hz.partition_point(|f| *f <= high)
        }
        (None, None) => 0..0,
    };
    if lines.is_empty() || lines.end > hz.len() {
        let says = format!("no line lies there; lines are {spacing} Hz apart, up to {} Hz", rate / 2.0);
        return Err(Refusal::new("band_hz", says).into());
    }
    // A tone's power is that of its line over the width that the window gives it.
    let width = spacing * corrections(&settings.window.weights(s.block)?).noise_bandwidth;
    let power = |line: usize| spectra.between_references[line][0].re;
    let share = if s.frequency_hz.is_some() { width } else { spacing };
    let reference: f64 = lines.clone().map(|k| power(k) * share).sum();
    let sums: Vec<Sum> = (0..count)
        .map(|o| Sum {
            with: lines.clone().map(|k| spectra.to_outputs[k][o] * share).sum(),
            own: lines.clone().map(|k| spectra.of_outputs[k][o] * share).sum(),
        })
        .collect();
    let all = (0..hz.len()).map(|k| {
        let square: f64 = spectra.to_outputs[k].iter().map(|z| z.norm_sqr()).sum::<f64>() / power(k);
        (square * width / count as f64).sqrt()
    });
    let overview = axis(Along::Frequency, "Hz", hz.clone());
    let (says, averages) = (told(s, hz[lines.start]), spectra.averages);
    let mut out = made(view, places, (overview, all.collect()), (&sums, reference), (&says, averages))?;
    out.averages = Some(averages);
    if s.frequency_hz.is_some() {
        out.numbers.push(number("frequency", 0, "Hz", hz[lines.start]));
    }
    Ok(out)
}

fn at_order(
    s: &DeflectionRecipe,
    order: f64,
    places: &[(Dof, f64)],
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let Some(tacho) = &s.tacho else { return refuse("tacho", "missing", "the channel with the shaft's pulses") };
    let reference = match s.reference {
        None => None,
        Some(n) => Some(view.channels.iter().position(|c| c.number == n).ok_or_else(|| {
            Refusal::new("reference", format!("reference: channel {n} is not among those that are looked at"))
        })?),
    };
    let along = Stepped::new(AlongName::Time, 0.0, Default::default(), None, view);
    let wish = Wish { highest: order, resolution: s.resolution, along, window: window(s.window, None) };
    let o = orders(tacho, &wish, view, progress)?;
    let cuts = o
        .channels
        .iter()
        .map(|x| Ok(order_cut(x, &o.sampler, &o.steps, &[order], o.block)?.swap_remove(0)))
        .collect::<Result<Vec<Vec<Complex64>>, AnalysisError>>()?;
    let steps = o.steps.len();
    // Without a reference the shaft's angle is one: it turns by one at every step.
    let against = |step: usize| reference.map_or(Complex64::new(1.0, 0.0), |r| cuts[r][step]);
    let power: f64 = (0..steps).map(|k| against(k).norm_sqr()).sum::<f64>() / steps as f64;
    let sums: Vec<Sum> = cuts
        .iter()
        .map(|cut| Sum {
            with: cut.iter().enumerate().map(|(k, z)| against(k).conj() * z).sum::<Complex64>() / steps as f64
                * FRAC_1_SQRT_2,
            own: cut.iter().map(Complex64::norm_sqr).sum::<f64>() / steps as f64 / 2.0,
        })
        .collect();
    let all = (0..steps).map(|k| {
        let square: f64 = cuts.iter().map(|c| c[k].norm_sqr()).sum::<f64>();
        (square / 2.0 / cuts.len() as f64).sqrt()
    });
    let overview = along.axis(&o.steps, view.start_s());
    let mut out = made(view, places, (overview, all.collect()), (&sums, power), (&format!("order {order}"), steps))?;
    let rpm = o.steps.iter().map(|s| s.rpm).sum::<f64>() / steps as f64;
    out.numbers.push(number("speed", tacho.channel, "rpm", rpm));
    out.cautions.extend(o.turning.cautions);
    out.recipe.lens = Lens::Deflection(DeflectionRecipe { tacho: Some(o.turning.tacho), ..s.clone() });
    Ok(out)
}

fn told(s: &DeflectionRecipe, line_hz: f64) -> String {
    match s.band_hz {
        Some([low, high]) => format!("{low} to {high} Hz"),
        None => format!("{line_hz:.2} Hz"),
    }
}

/// The result: how much moves along the overview's axis, the shape, and how far each point moves with the reference.
fn made(
    view: &View<'_>,
    places: &[(Dof, f64)],
    (overview, all): (Axis, Vec<f64>),
    (sums, reference): (&[Sum], f64),
    (says, averages): (&str, usize),
) -> Result<Analysis, AnalysisError> {
    if !(reference.is_finite() && reference > 0.0) {
        let says = format!("the reference does not move at {says}; allowed: a channel that does, or another place");
        return Err(Refusal::new("reference", says).into());
    }
    let unit = shown(&view.channels[0].unit).to_string();
    let shape = sums.iter().zip(places).map(|(s, (_, sign))| s.with * *sign / reference.sqrt()).collect();
    let coherence: Vec<f64> =
        sums.iter().map(|s| if averages > 1 { s.with.norm_sqr() / (s.own * reference) } else { f64::NAN }).collect();
    let mut out = blank(view);
    let dofs: Vec<Dof> = places.iter().map(|(d, _)| d.clone()).collect();
    let numbers = (1..=dofs.len()).map(|k| k as f64).collect();
    out.axes = vec![overview, Axis { name: Along::Dof, unit: String::new(), values: numbers, dofs }];
    let curve = |name: &str, quantity, unit: &str, at: usize, points| Trace {
        name: name.into(),
        channel: 0,
        reference: None,
        mode: None,
        axes: Some(vec![at]),
        dof: None,
        reference_dof: None,
        quantity,
        unit: unit.into(),
        points,
        within: None,
    };
    out.traces = vec![
        curve("all points", Shown::Indicator, &unit, 0, Points::Real(all)),
        curve(says, Shown::Shape, &unit, 1, Points::Complex(shape)),
        curve("coherence", Shown::Coherence, "", 1, Points::Real(coherence.clone())),
    ];
    if averages < 2 {
        let says = "coherence needs 2 averages or more and there is 1; it is left empty";
        out.cautions.push(caution(CautionRule::Coherence, None, says.into()));
    }
    let strays: Vec<String> =
        places.iter().zip(&coherence).filter(|(_, c)| **c < FOLLOWS).map(|((d, _), _)| d.to_string()).collect();
    if !strays.is_empty() {
        let more = if strays.len() > 8 { format!(" and {} more", strays.len() - 8) } else { String::new() };
        let says = format!(
            "{}{more} move otherwise than the reference (coherence below {FOLLOWS}): what is drawn there is only the part that goes with it",
            strays[..strays.len().min(8)].join(", ")
        );
        out.cautions.push(caution(CautionRule::Incoherent, None, says));
    }
    Ok(out)
}
