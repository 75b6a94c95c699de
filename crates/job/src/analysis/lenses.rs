//! One function a lens: from prepared samples to traces and numbers.

use super::AnalysisError;
use super::prepare::{Chosen, View};
use super::result::{Analysis, Axis, Made, Number, PeakFound, Trace};
use crate::Refusal;
use crate::recipe::{
    AveragingName, Recipe, Reduce, ScalingName, SpectrumRecipe, StatisticsSettings, WaveformSettings, WindowName,
};
use crate::unit::grouped;
use echo_signal::peak;
use echo_signal::spectrum::{Averaging, Scaling, SpectrumProcessor, SpectrumSettings};
use echo_signal::statistics::{Moments, Statistics};
use echo_signal::window::Window;
use echo_signal::zoom::{ZoomBand, ZoomProcessor};
use std::f64::consts::TAU;

type Progress<'a> = &'a mut dyn FnMut(f64) -> bool;

/// Peaks listed for each trace.
const MOST_PEAKS: usize = 80;

/// Largest number of values a waveform result holds unreduced.
const MOST_VALUES: usize = 50_000_000;

/// A result with nothing in it; the caller writes recipe and maker in at the end.
fn placeholder() -> Analysis {
    Analysis {
        recipe: Recipe::of(crate::recipe::Lens::Statistics(StatisticsSettings::default())),
        made: Made::default(),
        cautions: Vec::new(),
        averages: None,
        random_error: None,
        axes: Vec::new(),
        traces: Vec::new(),
        numbers: Vec::new(),
        peaks: Vec::new(),
    }
}

fn trace(c: &Chosen, quantity: &str, unit: String, values: Vec<f64>) -> Trace {
    Trace { name: c.name.clone(), channel: c.number, quantity: quantity.into(), unit, values }
}

pub(super) fn waveform(
    s: &WaveformSettings,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let (n, rate, from_s) = (view.len(), view.rate(), view.start_s());
    let channels = view.channels.clone();
    let mut out = placeholder();
    if s.reduce == Reduce::None {
        if n * channels.len() > MOST_VALUES {
            return Err(Refusal::new(
                "reduce",
                format!("the stretch has {} values; without reduction allowed are up to {MOST_VALUES}, or set reduce to minmax", n * channels.len()),
            ).into());
        }
        let mut values = vec![vec![f64::NAN; n]; channels.len()];
        view.feed(progress, &mut |i, at, x, _| {
            values[i][at..at + x.len()].copy_from_slice(x);
            Ok(())
        })?;
        let times = (0..n).map(|k| from_s + k as f64 / rate).collect();
        out.axes.push(Axis { name: "time".into(), unit: "s".into(), values: times });
        out.traces = channels.iter().zip(values).map(|(c, v)| trace(c, "value", c.unit.clone(), v)).collect();
        return Ok(out);
    }
    let points = s.points.min(n);
    let mut low = vec![vec![f64::INFINITY; points]; channels.len()];
    let mut high = vec![vec![f64::NEG_INFINITY; points]; channels.len()];
    view.feed(progress, &mut |i, at, x, _| {
        for (k, v) in x.iter().enumerate() {
            let p = (at + k) * points / n;
            low[i][p] = low[i][p].min(*v);
            high[i][p] = high[i][p].max(*v);
        }
        Ok(())
    })?;
    let times = (0..points).map(|p| from_s + (p as f64 + 0.5) * n as f64 / points as f64 / rate).collect();
    out.axes.push(Axis { name: "time".into(), unit: "s".into(), values: times });
    let clean = |v: Vec<f64>| v.into_iter().map(|x| if x.is_finite() { x } else { f64::NAN }).collect();
    for ((c, lo), hi) in channels.iter().zip(low).zip(high) {
        out.traces.push(trace(c, "min", c.unit.clone(), clean(lo)));
        out.traces.push(trace(c, "max", c.unit.clone(), clean(hi)));
    }
    Ok(out)
}

/// A statistic by name: whether it carries the channel's unit, and how it is read.
type Named = (&'static str, bool, fn(&Statistics) -> f64);

/// The numbers of the statistics lens in their order.
const NAMED: [Named; 8] = [
    ("rms", true, |s| s.rms),
    ("mean", true, |s| s.mean),
    ("peak", true, |s| s.peak),
    ("peak_to_peak", true, |s| s.peak_to_peak),
    ("crest_factor", false, |s| s.crest_factor),
    ("skewness", false, |s| s.skewness),
    ("kurtosis", false, |s| s.kurtosis),
    ("std", true, |s| s.std),
];

pub(super) fn statistics(
    s: &StatisticsSettings,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let channels = view.channels.clone();
    let (n, rate, from_s) = (view.len(), view.rate(), view.start_s());
    let each = match s.interval_s {
        None => n.max(1),
        Some(t) => {
            let each = (t * rate).round() as usize;
            if each == 0 || each > n {
                return Err(Refusal::new(
                    "interval_s",
                    format!(
                        "interval_s is {t}; allowed is {} (one sample) to {} (the stretch)",
                        1.0 / rate,
                        n as f64 / rate
                    ),
                )
                .into());
            }
            each
        }
    };
    let intervals = if s.interval_s.is_some() { n / each } else { 0 };
    let mut whole = vec![Moments::default(); channels.len()];
    let mut parts = vec![vec![Moments::default(); intervals]; channels.len()];
    view.feed(progress, &mut |i, at, x, _| {
        whole[i].push(x)?;
        let mut k = 0;
        while intervals > 0 && k < x.len() {
            let p = (at + k) / each;
            let end = ((p + 1) * each - at).min(x.len());
            if p < intervals {
                parts[i][p].push(&x[k..end])?;
            }
            k = end;
        }
        Ok(())
    })?;
    let mut out = placeholder();
    let unit_of = |c: &Chosen, with_unit: bool| if with_unit { c.unit.clone() } else { String::new() };
    for (c, m) in channels.iter().zip(&whole) {
        let found = m.finish()?;
        for (name, with_unit, of) in NAMED {
            out.numbers.push(Number {
                name: name.into(),
                channel: c.number,
                unit: unit_of(c, with_unit),
                value: of(&found),
            });
        }
    }
    if intervals > 0 {
        let middles = (0..intervals).map(|p| from_s + (p as f64 + 0.5) * each as f64 / rate).collect();
        out.axes.push(Axis { name: "time".into(), unit: "s".into(), values: middles });
        for (c, parts) in channels.iter().zip(&parts) {
            let found: Vec<Option<Statistics>> = parts.iter().map(|m| m.finish().ok()).collect();
            for (name, with_unit, of) in NAMED {
                let values = found.iter().map(|s| s.as_ref().map_or(f64::NAN, of)).collect();
                out.traces.push(trace(c, name, unit_of(c, with_unit), values));
            }
        }
    }
    Ok(out)
}

/// The window a recipe names.
pub fn window(s: &SpectrumRecipe) -> Window {
    match s.window {
        WindowName::Hann => Window::Hann,
        WindowName::Hamming => Window::Hamming,
        WindowName::Rectangular => Window::Rectangular,
        WindowName::FlatTop => Window::FlatTop,
        WindowName::BlackmanHarris => Window::BlackmanHarris,
        WindowName::Kaiser => Window::Kaiser(s.window_shape.unwrap_or(8.6)),
        WindowName::Tukey => Window::Tukey(s.window_shape.unwrap_or(0.5)),
    }
}

fn settings(s: &SpectrumRecipe, rate: f64) -> SpectrumSettings {
    SpectrumSettings {
        sample_rate_hz: rate,
        block: s.block,
        overlap: s.overlap,
        window: window(s),
        averaging: match s.averaging {
            AveragingName::Linear => Averaging::Linear,
            AveragingName::Exponential => Averaging::Exponential(s.averaging_constant),
            AveragingName::PeakHold => Averaging::PeakHold,
        },
    }
}

/// Quantity and unit of a scaling, for values in `unit`.
fn labelled(scaling: ScalingName, unit: &str) -> (Scaling, &'static str, String) {
    let unit = if unit.is_empty() { "EU" } else { unit };
    let square = format!("{}²", grouped(unit));
    match scaling {
        ScalingName::Peak => (Scaling::Peak, "peak", unit.to_string()),
        ScalingName::Rms => (Scaling::Rms, "rms", unit.to_string()),
        ScalingName::Power => (Scaling::Power, "power", square),
        ScalingName::Psd => (Scaling::Psd, "PSD", format!("{square}/Hz")),
        ScalingName::Esd => (Scaling::Esd, "ESD", format!("{square}·s/Hz")),
    }
}

enum Processor {
    Plain(Box<SpectrumProcessor>),
    Zoomed(Box<ZoomProcessor>),
}

pub(super) fn spectrum(
    s: &SpectrumRecipe,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let rate = view.rate();
    let channels = view.channels.clone();
    let settings = settings(s, rate);
    let make = || -> Result<Processor, AnalysisError> {
        Ok(match s.zoom {
            None => Processor::Plain(Box::new(SpectrumProcessor::new(settings)?)),
            Some(z) => Processor::Zoomed(Box::new(ZoomProcessor::new(
                settings,
                ZoomBand { center_hz: z.center_hz, span_hz: z.span_hz },
            )?)),
        })
    };
    let mut processors = channels.iter().map(|_| make()).collect::<Result<Vec<_>, _>>()?;
    view.feed(progress, &mut |i, _, x, fresh| {
        match &mut processors[i] {
            Processor::Plain(p) => {
                if fresh {
                    p.interrupt();
                }
                p.push(x)?;
            }
            Processor::Zoomed(p) => {
                if fresh {
                    p.interrupt();
                }
                p.push(x)?;
            }
        }
        Ok(())
    })?;
    let mut out = placeholder();
    for (c, p) in channels.iter().zip(&processors) {
        let found = match p {
            Processor::Plain(p) => p.finish()?,
            Processor::Zoomed(p) => p.finish()?,
        };
        let frequencies = found.frequencies_hz();
        let (scaling, quantity, unit) = labelled(s.scaling, &c.result_unit);
        let mut values = found.values(scaling);
        // What integration and units make of a line at `f`.
        let gain = |f: f64| match c.integrations {
            0 => 1.0,
            n if n > 0 && (f < s.integrate_above_hz || f <= 0.0) => 0.0,
            n => c.result_factor / (TAU * f).powi(n),
        };
        let raw = values.clone();
        let squared = matches!(scaling, Scaling::Power | Scaling::Psd | Scaling::Esd);
        for (v, f) in values.iter_mut().zip(&frequencies) {
            *v *= gain(*f).powi(if squared { 2 } else { 1 });
        }
        if !squared {
            let lobe = window(s).main_lobe_lines();
            for k in peak::highest(&values, lobe.ceil() as usize, MOST_PEAKS) {
                // The shape of a peak is the window's before integration tilts it.
                let p = peak::interpolate(&raw, k, window(s), s.block);
                let frequency_hz = frequencies[0] + p.line * found.line_spacing_hz();
                out.peaks.push(PeakFound { channel: c.number, frequency_hz, value: p.amplitude * gain(frequency_hz) });
            }
        }
        if out.axes.is_empty() {
            out.averages = Some(found.averages());
            out.random_error = Some(found.random_error()).filter(|e| e.is_finite());
            out.axes.push(Axis { name: "frequency".into(), unit: "Hz".into(), values: frequencies });
        }
        out.traces.push(trace(c, quantity, unit, values));
    }
    Ok(out)
}
