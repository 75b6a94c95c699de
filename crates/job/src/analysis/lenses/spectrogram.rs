//! Spectra against time or speed.

use super::rotation::{sweep, turning};
use super::spectral::{labelled, moved, settings};
use super::{Progress, axis, blank, refuse, trace};
use crate::analysis::AnalysisError;
use crate::analysis::prepare::View;
use crate::analysis::result::{Analysis, Axis};
use crate::analysis::words::Along;
use crate::recipe::{AlongName, Lens, SpectrogramRecipe, Tacho};
use echo_signal::SignalError;
use echo_signal::rotation::steps::speed_steps_between;
use echo_signal::spectrogram::{Spectrogram, SpectrogramProcessor};
use echo_signal::spectrum::{Scaling, SpectrumProcessor};
use rayon::prelude::*;

/// Largest number of values a map holds.
const MOST_MAP: f64 = 20e6;

/// Spectra against time or speed.
pub fn spectrogram(
    s: &SpectrogramRecipe,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    match (&s.tacho, s.along) {
        (Some(tacho), AlongName::Speed) => along_speed(s, tacho, view, progress),
        _ => along_time(s, view, progress),
    }
}

/// A map of the columns found, with integration and unit.
fn drawn(s: &SpectrogramRecipe, view: &View<'_>, rows: Axis, found: &[&Spectrogram]) -> Analysis {
    let (scaling, quantity, _) = labelled(s.scaling, "");
    let squared = matches!(scaling, Scaling::Power | Scaling::Psd | Scaling::Esd);
    let mut out = blank(view);
    out.axes.push(rows);
    for (c, found) in view.channels.iter().zip(found) {
        let gains: Vec<f64> = found
            .frequencies_hz
            .iter()
            .map(|f| moved(c, *f, view.integrate_above_hz()).powi(if squared { 2 } else { 1 }))
            .collect();
        let values = found.columns.iter().flat_map(|column| column.iter().zip(&gains).map(|(v, g)| v * g)).collect();
        if out.axes.len() == 1 {
            out.axes.push(axis(Along::Frequency, "Hz", found.frequencies_hz.clone()));
        }
        out.traces.push(trace(c, quantity, labelled(s.scaling, &c.result_unit).2, values));
    }
    out
}

fn along_time(s: &SpectrogramRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let channels = view.channels.clone();
    let (rate, from_s) = (view.rate(), view.start_s());
    let settings = settings(&s.blocks(), rate);
    settings.check()?;
    let step = s.interval_s.map_or(settings.hop() as f64, |t| t * rate).max(1.0);
    let values = view.len() as f64 / step * (settings.block / 2 + 1) as f64 * channels.len() as f64;
    if values > MOST_MAP {
        let says = format!("a distance that makes up to {MOST_MAP} values; this makes {values:.0}");
        return refuse("interval_s", s.interval_s.unwrap_or(step / rate), &says);
    }
    let (scaling, ..) = labelled(s.scaling, "");
    let make = || SpectrogramProcessor::new(settings, scaling, s.interval_s);
    let mut states = channels.iter().map(|_| make()).collect::<Result<Vec<_>, _>>()?;
    view.feed(progress, &mut states, &|p, at, x, fresh| {
        if fresh {
            p.interrupt(at as u64);
        }
        p.push(x)?;
        Ok(())
    })?;
    let found = states.iter().map(SpectrogramProcessor::finish).collect::<Result<Vec<_>, _>>()?;
    let times = found.first().map_or_else(Vec::new, |f| f.times_s.iter().map(|t| t + from_s).collect());
    Ok(drawn(s, view, axis(Along::Time, "s", times), &found))
}

/// The block around the place at which each round speed is reached.
fn along_speed(
    s: &SpectrogramRecipe,
    tacho: &Tacho,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let rate = view.rate();
    let settings = settings(&s.blocks(), rate);
    settings.check()?;
    let (pulses, channels) = view.held(&mut |share| progress(share * 0.7))?;
    let t = turning(tacho, &pulses, rate, &view.references[0].unit)?;
    let (n, half) = (pulses.len(), settings.block as f64 / 2.0);
    if n < settings.block {
        return Err(SignalError::TooShort { what: "a column", have: n, need: settings.block }.into());
    }
    let inside = (half / rate, (n as f64 - half) / rate);
    let steps = speed_steps_between(&t.speed, inside, s.step_rpm, sweep(s.sweep))?;
    let values = (steps.len() * (settings.block / 2 + 1) * channels.len()) as f64;
    if values > MOST_MAP {
        let says = format!("a distance that makes up to {MOST_MAP} values; this makes {values:.0}");
        return refuse("step_rpm", s.step_rpm, &says);
    }
    let (scaling, ..) = labelled(s.scaling, "");
    let column = |p: &mut SpectrumProcessor, x: &[f64], time_s: f64| {
        let start = ((time_s * rate - half).round().max(0.0) as usize).min(n - settings.block);
        p.restart();
        p.push(&x[start..start + settings.block])?;
        Ok::<_, SignalError>(p.finish()?.values(scaling))
    };
    let found = channels
        .iter()
        .map(|x| {
            let columns = steps
                .par_iter()
                .map_init(
                    || SpectrumProcessor::new(settings),
                    |p, step| match p {
                        Ok(p) => column(p, x, step.time_s),
                        Err(e) => Err(e.clone()),
                    },
                )
                .collect::<Result<Vec<_>, _>>()?;
            let frequencies_hz = (0..=settings.block / 2).map(|k| k as f64 * rate / settings.block as f64).collect();
            Ok::<_, SignalError>(Spectrogram { times_s: Vec::new(), frequencies_hz, columns })
        })
        .collect::<Result<Vec<_>, _>>()?;
    let rows = axis(Along::Speed, "rpm", steps.iter().map(|s| s.rpm).collect());
    let mut out = drawn(s, view, rows, &found.iter().collect::<Vec<_>>());
    out.cautions = t.cautions;
    out.recipe.lens = Lens::Spectrogram(SpectrogramRecipe { tacho: Some(t.tacho), ..s.clone() });
    Ok(out)
}
