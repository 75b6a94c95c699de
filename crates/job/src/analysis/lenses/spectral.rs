//! Averaged spectra, envelopes and octave bands.

use super::{Progress, axis, blank, refuse, trace};
use crate::Refusal;
use crate::analysis::AnalysisError;
use crate::analysis::prepare::{Chosen, View};
use crate::analysis::result::{Analysis, PeakFound, PowerInterval};
use crate::analysis::words::{Along, Shown};
use crate::recipe::{
    AveragingName, Blocks, CepstrumRecipe, EnvelopeOutput, EnvelopeRecipe, Lens, OctaveAveraging, OctaveRecipe,
    ScalingName, SpectrumRecipe, WindowName, Zoom,
};
use crate::retold::Retold;
use crate::unit::grouped;
use echo_signal::cepstrum::cepstrum as cepstrum_of;
use echo_signal::envelope::Analytic;
use echo_signal::octave::{LevelDetector, OctaveBand, OctaveBank, bands};
use echo_signal::peak;
use echo_signal::spectrum::{Averaging, Scaling, Spectrum, SpectrumProcessor, SpectrumSettings};
use echo_signal::trend;
use echo_signal::window::Window;
use echo_signal::zoom::{ZoomBand, ZoomProcessor};
use rayon::prelude::*;

/// Peaks listed for each trace.
const MOST_PEAKS: usize = 80;

/// A window by its name and shape.
pub fn window(name: WindowName, shape: Option<f64>) -> Window {
    match name {
        WindowName::Hann => Window::Hann,
        WindowName::Hamming => Window::Hamming,
        WindowName::Rectangular => Window::Rectangular,
        WindowName::FlatTop => Window::FlatTop,
        WindowName::BlackmanHarris => Window::BlackmanHarris,
        WindowName::Kaiser => Window::Kaiser(shape.unwrap_or(8.6)),
        WindowName::Tukey => Window::Tukey(shape.unwrap_or(0.5)),
    }
}

/// Settings of block spectra as the core takes them.
pub fn settings(b: &Blocks, rate: f64) -> SpectrumSettings {
    SpectrumSettings {
        sample_rate_hz: rate,
        block: b.block,
        overlap: b.overlap,
        window: window(b.window, b.window_shape),
        averaging: match b.averaging {
            AveragingName::Linear => Averaging::Linear,
            AveragingName::Exponential => Averaging::Exponential(b.averaging_constant),
            AveragingName::PeakHold => Averaging::PeakHold,
        },
    }
}

/// Quantity and unit of a scaling, for values in `unit`.
pub(super) fn labelled(scaling: ScalingName, unit: &str) -> (Scaling, Shown, String) {
    let unit = if unit.is_empty() { "EU" } else { unit };
    let square = format!("{}²", grouped(unit));
    match scaling {
        ScalingName::Peak => (Scaling::Peak, Shown::Peak, unit.to_string()),
        ScalingName::PeakToPeak => (Scaling::PeakToPeak, Shown::PeakToPeak, unit.to_string()),
        ScalingName::Rms => (Scaling::Rms, Shown::Rms, unit.to_string()),
        ScalingName::Power => (Scaling::Power, Shown::Power, square),
        ScalingName::Psd => (Scaling::Psd, Shown::Psd, format!("{square}/Hz")),
        ScalingName::Esd => (Scaling::Esd, Shown::Esd, format!("{square}·s/Hz")),
    }
}

enum Processor {
    Plain(Box<SpectrumProcessor>),
    Zoomed(Box<ZoomProcessor>),
}

impl Processor {
    fn push(&mut self, x: &[f64], fresh: bool) -> Result<(), AnalysisError> {
        match self {
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
    }
}

/// Puts an averaged spectrum, its unit and its peaks into a result.
fn add_spectrum(
    out: &mut Analysis,
    c: &Chosen,
    found: &echo_signal::spectrum::Spectrum,
    (blocks, scaling): (&Blocks, ScalingName),
    integrate_above_hz: f64,
) {
    let frequencies = found.frequencies_hz();
    let (scaling, quantity, unit) = labelled(scaling, &c.result_unit);
    let mut values = found.values(scaling);
    let raw = values.clone();
    let squared = matches!(scaling, Scaling::Power | Scaling::Psd | Scaling::Esd);
    let gain = |f: f64| moved(c, f, integrate_above_hz);
    for (v, f) in values.iter_mut().zip(&frequencies) {
        *v *= gain(*f).powi(if squared { 2 } else { 1 });
    }
    if !squared {
        let w = window(blocks.window, blocks.window_shape);
        for k in peak::highest(&values, w.main_lobe_lines().ceil() as usize, MOST_PEAKS) {
            // The shape of a peak is the window's before integration tilts it.
            let p = peak::interpolate(&raw, k, w, blocks.block);
            let frequency_hz = frequencies[0] + p.line * found.line_spacing_hz();
            out.peaks.push(PeakFound { channel: c.number, frequency_hz, value: p.amplitude * gain(frequency_hz) });
        }
    }
    if out.axes.is_empty() {
        out.averages = Some(found.averages());
        out.random_error = Some(found.random_error()).filter(|e| e.is_finite());
        out.interval = PowerInterval::of(found.scatter(), blocks.confidence);
        out.axes.push(axis(Along::Frequency, "Hz", frequencies));
    }
    out.traces.push(trace(c, quantity, unit, values));
}

/// What integration and units make of an amplitude at a frequency.
pub(super) fn moved(c: &Chosen, f: f64, integrate_above_hz: f64) -> f64 {
    // Samples of the same quantity have been converted before.
    let scale = if c.integrations == 0 { 1.0 } else { c.result_factor };
    Retold { scale, times: c.integrations }.factor(f, integrate_above_hz)
}

/// The averaged spectrum of each channel.
fn averaged(
    settings: SpectrumSettings,
    zoom: Option<Zoom>,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Vec<Spectrum>, AnalysisError> {
    let make = || -> Result<Processor, AnalysisError> {
        Ok(match zoom {
            None => Processor::Plain(Box::new(SpectrumProcessor::new(settings)?)),
            Some(z) => Processor::Zoomed(Box::new(ZoomProcessor::new(
                settings,
                ZoomBand { center_hz: z.center_hz, span_hz: z.span_hz },
            )?)),
        })
    };
    let mut processors = view.channels.iter().map(|_| make()).collect::<Result<Vec<_>, _>>()?;
    view.feed(progress, &mut processors, &|p, _, x, fresh| p.push(x, fresh))?;
    let finished = processors.iter().map(|p| match p {
        Processor::Plain(p) => p.finish(),
        Processor::Zoomed(p) => p.finish(),
    });
    Ok(finished.collect::<Result<Vec<_>, _>>()?)
}

/// Averaged spectrum, plain or zoomed.
pub fn spectrum(s: &SpectrumRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let found = averaged(settings(&s.blocks(), view.rate()), s.zoom, view, progress)?;
    let mut out = blank(view);
    for (c, found) in view.channels.iter().zip(&found) {
        add_spectrum(&mut out, c, found, (&s.blocks(), s.scaling), view.integrate_above_hz());
    }
    Ok(out)
}

/// Power cepstrum of the averaged spectrum.
pub fn cepstrum(s: &CepstrumRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let settings = settings(&s.blocks(), view.rate());
    let longest = settings.block as f64 / 2.0 / view.rate();
    if s.from_s >= longest {
        return refuse("from_s", s.from_s, &format!("below {longest} s, half a block"));
    }
    let spectra = averaged(settings, None, view, progress)?;
    let mut out = blank(view);
    for (c, spectrum) in view.channels.iter().zip(&spectra) {
        let found = cepstrum_of(spectrum)?;
        let from = found.quefrencies_s.partition_point(|q| *q < s.from_s);
        if out.axes.is_empty() {
            out.averages = Some(spectrum.averages());
            out.axes.push(axis(Along::Quefrency, "s", found.quefrencies_s[from..].to_vec()));
        }
        out.traces.push(trace(c, Shown::Cepstrum, String::new(), found.values[from..].to_vec()));
    }
    Ok(out)
}

/// Envelope of a band, or its spectrum.
pub fn envelope(s: &EnvelopeRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let (rate, from_s, n) = (view.rate(), view.start_s(), view.len());
    let settings = settings(&s.blocks(), rate);
    let Some([lo, hi]) = s.band_hz else {
        return Err(Refusal::new("band_hz", "band_hz is missing; allowed: a lower and an upper edge in Hz").into());
    };
    let (_, whole) = view.held(progress)?;
    let analytic = Analytic::new(whole.first().map_or(0, Vec::len))?;
    let found = whole
        .into_par_iter()
        .map(|x| {
            let mut found = analytic.envelope(&x, rate, (lo, hi), s.order)?;
            let spectrum = match s.output {
                EnvelopeOutput::Waveform => None,
                EnvelopeOutput::Spectrum => {
                    trend::remove_mean(&mut found)?;
                    Some(echo_signal::spectrum::spectrum(&found, settings)?)
                }
            };
            Ok::<_, AnalysisError>((found, spectrum))
        })
        .collect::<Result<Vec<_>, _>>()?;
    let mut out = blank(view);
    for (c, (found, spectrum)) in view.channels.clone().iter().zip(found) {
        match spectrum {
            None => {
                if out.axes.is_empty() {
                    out.axes.push(axis(Along::Time, "s", (0..n).map(|k| from_s + k as f64 / rate).collect()));
                }
                out.traces.push(trace(c, Shown::Envelope, c.unit.clone(), found));
            }
            Some(spectrum) => {
                add_spectrum(&mut out, c, &spectrum, (&s.blocks(), s.scaling), view.integrate_above_hz());
            }
        }
    }
    Ok(out)
}

/// Bands of an octave recipe at a rate, and the recipe with its upper end written in.
fn octave_bands(s: &OctaveRecipe, rate: f64) -> Result<(Vec<OctaveBand>, OctaveRecipe), AnalysisError> {
    let mut filled = s.clone();
    let all = match s.to_hz {
        Some(to) => bands(s.fraction, s.from_hz, to)?,
        None => {
            // 20 kHz, or the last band that ends below 90 % of the Nyquist frequency.
            let highest = 0.45 * rate;
            let all: Vec<OctaveBand> = bands(s.fraction, s.from_hz, 20_000f64.max(s.from_hz))?
                .into_iter()
                .filter(|b| b.upper_hz <= highest)
                .collect();
            filled.to_hz = all.last().map(|b| b.mid_hz);
            all
        }
    };
    if all.is_empty() {
        return refuse("from_hz", s.from_hz, &format!("a frequency with a band below {} Hz", 0.45 * rate));
    }
    Ok((all, filled))
}

/// Levels in fractional-octave bands.
pub fn octave(s: &OctaveRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let channels = view.channels.clone();
    let (all, filled) = octave_bands(s, view.rate())?;
    let detector = match s.averaging {
        OctaveAveraging::Linear => LevelDetector::Linear,
        OctaveAveraging::Fast => LevelDetector::Exponential(0.125),
        OctaveAveraging::Slow => LevelDetector::Exponential(1.0),
    };
    let bank = OctaveBank::new(&all, view.rate(), detector)?;
    let mut banks = vec![bank; channels.len()];
    // What the filters still hold at a gap does not follow the samples after it; they are let go on,
    // which costs the first periods of each band there.
    view.feed(progress, &mut banks, &|b, _, x, _| Ok(b.push(x)?))?;
    let mut out = blank(view);
    out.recipe.lens = Lens::Octave(filled);
    out.axes.push(axis(Along::Frequency, "Hz", all.iter().map(|b| b.mid_hz).collect()));
    for (c, b) in channels.iter().zip(&banks) {
        let levels = b.levels()?;
        out.traces.push(trace(c, Shown::Rms, c.unit.clone(), levels.iter().map(|l| l.rms).collect()));
        if detector != LevelDetector::Linear {
            out.traces.push(trace(c, Shown::HighestRms, c.unit.clone(), levels.iter().map(|l| l.highest).collect()));
        }
    }
    Ok(out)
}
