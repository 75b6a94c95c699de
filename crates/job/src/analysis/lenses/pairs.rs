//! Cross spectra, frequency responses and coherence.

use super::spectral::settings;
use super::{Progress, axis, blank, caution, complex_trace, number, refuse, shown, trace};
use crate::Refusal;
use crate::analysis::AnalysisError;
use crate::analysis::prepare::{Chosen, View};
use crate::analysis::result::{Analysis, PowerInterval, ResultCaution, Trace};
use crate::analysis::words::{Along, CautionRule, Shown};
use crate::recipe::{CrossRecipe, EstimatorName, FormName, ResponseRecipe};
use crate::unit::{Quantity, find, grouped};
use echo_signal::cross::{CrossProcessor, CrossSpectra};
use echo_signal::impact::{ExponentialWindow, ForceWindow, SECOND_HIT_SHARE, double_hit, peak_position};
use echo_signal::response::{Estimator, Motion, Response, convert, response as response_of};
use echo_signal::spectrum::Complex64;
use std::sync::{Arc, Mutex};

/// Feeds a processor and gives the spectra.
pub(super) fn collect(
    mut processor: CrossProcessor,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<CrossSpectra, AnalysisError> {
    view.feed_together(progress, &mut |_, slices, fresh| {
        if fresh {
            processor.interrupt();
        }
        Ok(processor.push(slices)?)
    })?;
    Ok(processor.finish()?)
}

/// A pair's trace: named by both channels, with its reference.
fn pair(mut t: Trace, reference: &Chosen, name: &str) -> Trace {
    t.name = format!("{name} {}/{}", t.channel, reference.number);
    t.reference = Some(reference.number);
    t.reference_dof = reference.dof.clone();
    t
}

fn start(view: &View<'_>, spectra: &CrossSpectra, confidence: f64) -> Analysis {
    let mut out = blank(view);
    out.averages = Some(spectra.averages);
    out.random_error = Some(spectra.scatter.error).filter(|e| e.is_finite());
    out.interval = PowerInterval::of(&spectra.scatter, confidence);
    out.axes.push(axis(Along::Frequency, "Hz", spectra.frequencies_hz.clone()));
    if spectra.averages <= spectra.references {
        out.cautions.push(too_few(spectra));
    }
    out
}

fn too_few(spectra: &CrossSpectra) -> ResultCaution {
    caution(
        CautionRule::Coherence,
        None,
        format!(
            "coherence needs {} averages or more and there {} {}; it is left empty",
            spectra.references + 1,
            if spectra.averages == 1 { "is" } else { "are" },
            spectra.averages
        ),
    )
}

/// Complex cross spectra with a reference, and coherence.
pub fn cross(s: &CrossRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let (references, channels) = (view.references.clone(), view.channels.clone());
    if references.len() > 1 {
        return refuse("reference", format!("{} channels", references.len()), "one channel for this lens");
    }
    let processor = CrossProcessor::new(settings(&s.blocks(), view.rate()), 1, channels.len())?;
    let spectra = collect(processor, view, progress)?;
    let mut out = start(view, &spectra, s.confidence);
    let reference = &references[0];
    for (k, c) in channels.iter().enumerate() {
        let values: Vec<Complex64> = spectra.to_outputs.iter().map(|m| m[k]).collect();
        let (x, y) = (shown(&reference.unit), shown(&c.unit));
        let unit = if x == y { format!("{}²/Hz", grouped(x)) } else { format!("{}·{}/Hz", grouped(y), grouped(x)) };
        out.traces.push(pair(complex_trace(c, Shown::CrossPsd, unit, &values), reference, "Gxy"));
        let found = response_of(&spectra, k, Estimator::H1)?;
        out.traces.push(pair(trace(c, Shown::Coherence, String::new(), found.coherence), reference, "coherence"));
    }
    Ok(out)
}

/// A response as the motion it is wished for: quantity, unit, values.
fn formed(
    form: FormName,
    c: &Chosen,
    reference: &Chosen,
    h: &[Complex64],
    frequencies_hz: &[f64],
) -> Result<(Shown, String, Vec<Complex64>), AnalysisError> {
    let over = |unit: &str| format!("{}/{}", grouped(shown(unit)), grouped(shown(&reference.unit)));
    let (to, quantity, unit) = match form {
        FormName::Measured => return Ok((Shown::Response, over(&c.unit), h.to_vec())),
        FormName::Receptance => (Motion::Receptance, Shown::Receptance, "m"),
        FormName::Mobility => (Motion::Mobility, Shown::Mobility, "m/s"),
        FormName::Accelerance => (Motion::Accelerance, Shown::Accelerance, "m/s²"),
    };
    let measured = find(&c.unit).ok();
    let from = match measured.map(|u| u.quantity) {
        Some(Quantity::Displacement) => Motion::Receptance,
        Some(Quantity::Velocity) => Motion::Mobility,
        Some(Quantity::Acceleration) => Motion::Accelerance,
        _ => {
            let says = format!(
                "form {quantity} needs channels of motion, and channel {} is in {}; choose others, or form measured",
                c.number,
                shown(&c.unit)
            );
            return Err(Refusal::new("form", says).into());
        }
    };
    let to_si = measured.map_or(1.0, |u| u.to_si);
    let values = convert(h, frequencies_hz, from, to)?.into_iter().map(|z| z * to_si).collect();
    Ok((quantity, over(unit), values))
}

/// Hits with something wrong, seen block by block.
#[derive(Debug, Clone, Default)]
struct Hits {
    blocks: usize,
    double: Vec<usize>,
}

/// Frequency responses with coherence.
pub fn response(s: &ResponseRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let (references, channels) = (view.references.clone(), view.channels.clone());
    let (estimator, name) = match s.estimator {
        EstimatorName::H1 => (Estimator::H1, "H1"),
        EstimatorName::H2 => (Estimator::H2, "H2"),
        EstimatorName::Hv => (Estimator::Hv, "Hv"),
    };
    if references.len() > 1 && estimator != Estimator::H1 {
        return refuse("estimator", name.to_lowercase(), "h1 where there are several references");
    }
    let rate = view.rate();
    let mut processor = CrossProcessor::new(settings(&s.blocks(), rate), references.len(), channels.len())?;
    let force = s.force_window.map(|w| ForceWindow { before_s: w.before_s, length_s: w.length_s, taper_s: w.taper_s });
    let ring = s.exponential_window.map(|w| ExponentialWindow { decay_s: w.decay_s });
    force.as_ref().map_or(Ok(()), ForceWindow::check)?;
    ring.as_ref().map_or(Ok(()), ExponentialWindow::check)?;
    let hits = Arc::new(Mutex::new(Hits::default()));
    if force.is_some() || ring.is_some() {
        let seen = Arc::clone(&hits);
        let count = references.len();
        processor = processor.conditioned(Box::new(move |block: &mut [Vec<f64>]| {
            let first = peak_position(&block[0]);
            let size = block[0].len();
            if let Ok(mut h) = seen.lock() {
                h.blocks += 1;
                let number = h.blocks;
                if let Ok(Some(_)) = double_hit(&block[0], rate, SECOND_HIT_SHARE, 0.0) {
                    h.double.push(number);
                }
            }
            if let Some(w) = &force {
                for x in &mut block[..count] {
                    let peak = peak_position(x);
                    x.iter_mut().zip(w.weights(size, peak, rate)).for_each(|(x, w)| *x *= w);
                }
            }
            if let Some(w) = &ring {
                // On force and response alike, so that it falls out of their quotient but for damping.
                let weights = w.weights(size, first, rate);
                for x in block.iter_mut() {
                    x.iter_mut().zip(&weights).for_each(|(x, w)| *x *= w);
                }
            }
        }));
    }
    let spectra = collect(processor, view, progress)?;
    let mut out = start(view, &spectra, s.confidence);
    for (k, c) in channels.iter().enumerate() {
        let found: Response = response_of(&spectra, k, estimator)?;
        for (reference, h) in references.iter().zip(&found.h) {
            let (quantity, unit, h) = formed(s.form, c, reference, h, &spectra.frequencies_hz)?;
            out.traces.push(pair(complex_trace(c, quantity, unit, &h), reference, name));
        }
        let mut coherence =
            pair(trace(c, Shown::Coherence, String::new(), found.coherence), &references[0], "coherence");
        if references.len() > 1 {
            coherence.name = format!("multiple coherence {}", c.number);
            coherence.reference = None;
        }
        out.traces.push(coherence);
    }
    if let Some(w) = ring {
        out.numbers.push(number("added_decay", references[0].number, "1/s", w.added_decay()));
        out.cautions.push(caution(
            CautionRule::ExponentialWindow,
            None,
            format!(
                "the exponential window adds {:.6} 1/s to the decay of every mode; damping ratios read from these responses are too high by that over the angular frequency",
                w.added_decay()
            ),
        ));
    }
    if let Ok(h) = hits.lock()
        && !h.double.is_empty()
    {
        let blocks: Vec<String> = h.double.iter().take(20).map(usize::to_string).collect();
        out.cautions.push(caution(
            CautionRule::DoubleHit,
            Some(references[0].number),
            format!("more than one hit in block {} of {}", blocks.join(", "), h.blocks),
        ));
    }
    Ok(out)
}
