//! What comes of the hits of a point: responses with coherence, and a picture of the newest hit.

use super::plan::ImpactPlan;
use crate::Refusal;
use crate::analysis::result::{Analysis, Trace};
use crate::analysis::source::Memory;
use crate::analysis::{AnalysisError, Provenance, analyze};
use crate::dof::Sign;
use crate::recipe::{AveragingName, Lens, Recipe, References, ResponseRecipe, TakeBlocks, WindowName};
use crate::rig::Rig;
use echo_signal::impact::{EXCITES_DOWN_TO, excited_to, hit_spectrum, peak_position};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Samples of a hit: what [`ImpactPlan::responses`] tells, in the units of the channels.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct HitSamples {
    /// Force.
    pub force: Vec<f64>,
    /// Each response.
    pub responses: Vec<Vec<f64>>,
}

/// Responses of a point by the response lens, each with its coherence: what [`ImpactPlan::responses`] tells, over the
/// hammer. Hits of different lengths count with what the shortest has.
///
/// # Errors
/// No hit; a point that is not in the list; channels without samples; as [`analyze`].
pub fn functions(
    plan: &ImpactPlan,
    rig: &Rig,
    (point, rate_hz): (usize, f64),
    hits: &[&HitSamples],
    provenance: Provenance,
) -> Result<Analysis, AnalysisError> {
    let refuse = |says: &str| AnalysisError::from(Refusal::new("hits", says));
    let at = plan.points.get(point).ok_or_else(|| refuse("the series has no such point"))?;
    let hammer = rig.channel(plan.force).ok_or_else(|| refuse("the rig does not have the hammer's input"))?;
    let block = hits.iter().map(|h| h.force.len()).min().ok_or_else(|| refuse("no hit counts yet"))?;
    let answering: Vec<_> = plan.responses(rig).collect();
    let mut channels = vec![(hammer.name.clone(), hammer.unit.clone(), Vec::new())];
    channels.extend(answering.iter().map(|c| (c.name.clone(), c.unit.clone(), Vec::new())));
    let mut dofs = vec![plan.dof(hammer, at)];
    dofs.extend(answering.iter().map(|c| plan.dof(c, at)));
    let mut takes = Vec::new();
    for (k, h) in hits.iter().enumerate() {
        if h.responses.len() != answering.len() || h.responses.iter().any(|r| r.len() < block) {
            return Err(refuse("a hit has other channels than the rig"));
        }
        takes.push((k as u32 + 1, (k * block) as u64, block as u64));
        for (to, from) in channels.iter_mut().zip(std::iter::once(&h.force).chain(&h.responses)) {
            to.2.extend_from_slice(&from[..block]);
        }
    }
    let count = answering.len() as u32;
    let lens = Lens::Response(ResponseRecipe {
        block,
        window: WindowName::Rectangular,
        overlap: 0.0,
        averaging: AveragingName::Linear,
        reference: References::One(1),
        estimator: plan.estimator,
        of_takes: TakeBlocks::Every,
        force_window: plan.force_window,
        exponential_window: plan.exponential_window,
        ..ResponseRecipe::default()
    });
    let recipe = Recipe {
        channels: Some((2..=count + 1).collect()),
        takes: Some(takes.iter().map(|t| t.0).collect()),
        ..Recipe::of(lens)
    };
    let mut source = Memory::new(rate_hz, channels).with_takes(&takes).with_dofs(dofs);
    analyze(&recipe, &mut source, provenance, &mut |_| true)
}

/// A hit as it is shown: its force around the peak, and its spectrum.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct HitPicture {
    /// Time of each force, s from the peak.
    pub times_s: Vec<f64>,
    /// Force, N.
    pub force_n: Vec<f64>,
    /// Frequencies, Hz.
    pub frequencies_hz: Vec<f64>,
    /// Spectrum of the force, N/Hz.
    pub spectrum: Vec<f64>,
    /// Up to where it excites, Hz.
    pub excited_to_hz: f64,
}

/// How much of a hit is shown before its peak, and after it, s.
const AROUND_S: (f64, f64) = (0.002, 0.006);

/// A hit as it is shown, its spectrum up to a frequency.
///
/// # Errors
/// A force without samples, or with missing ones.
pub fn hit_picture(force_n: &[f64], rate_hz: f64, to_hz: f64) -> Result<HitPicture, Refusal> {
    let spectrum = hit_spectrum(force_n, rate_hz).map_err(|e| Refusal::new("hit", e.to_string()))?;
    let line_hz = rate_hz / force_n.len() as f64;
    let excited_to_hz = excited_to(&spectrum, line_hz, EXCITES_DOWN_TO);
    let peak = peak_position(force_n);
    let from = peak.saturating_sub((AROUND_S.0 * rate_hz) as usize);
    let to = (peak + (AROUND_S.1 * rate_hz) as usize).min(force_n.len());
    let lines = ((to_hz / line_hz).ceil() as usize + 1).min(spectrum.len());
    Ok(HitPicture {
        times_s: (from..to).map(|k| (k as f64 - peak as f64) / rate_hz).collect(),
        force_n: force_n[from..to].to_vec(),
        frequencies_hz: (0..lines).map(|k| k as f64 * line_hz).collect(),
        spectrum: spectrum[..lines].to_vec(),
        excited_to_hz,
    })
}

/// How good a response is, in short.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Quality {
    /// Mean coherence in the band; none from one hit alone.
    pub coherence: Option<f64>,
    /// Frequency of its highest peak in the band, Hz.
    pub peak_hz: f64,
    /// How high that peak is, in the response's unit.
    #[serde(default)]
    pub peak: f64,
    /// Whether its imaginary part has another sign at one of its highest peaks than at the others, which a driving
    /// point never has.
    pub turns: bool,
    /// Hits averaged.
    pub hits: u32,
    /// Largest normalised random error at the highest peaks; none from one hit alone.
    pub random_error: Option<f64>,
}

/// Peaks that are looked at for the sign of a driving point.
const PEAKS: usize = 4;
/// Those that are this much lower than the highest are not looked at.
const LOWEST: f64 = 0.05;

/// How good a response is within a band, beside its coherence.
pub fn quality(
    (frequencies_hz, response, coherence): (&[f64], &Trace, Option<&Trace>),
    band_hz: [f64; 2],
    hits: u32,
) -> Quality {
    let within = |hz: f64| hz >= band_hz[0] && hz <= band_hz[1];
    let lines: Vec<usize> = (0..frequencies_hz.len()).filter(|k| within(frequencies_hz[*k])).collect();
    let mean = |c: &Trace| {
        let all: Vec<f64> = lines.iter().filter_map(|k| c.real().get(*k).copied()).filter(|c| c.is_finite()).collect();
        (!all.is_empty()).then(|| all.iter().sum::<f64>() / all.len() as f64)
    };
    let z = response.complex().unwrap_or(&[]);
    let size: Vec<f64> = lines.iter().map(|k| z.get(*k).map_or(0.0, |z| z.norm())).collect();
    let mut peaks = echo_signal::peak::highest(&size, (size.len() / 40).max(2), PEAKS);
    peaks.sort_by(|a, b| size[*b].total_cmp(&size[*a]));
    let Some(&highest) = peaks.first() else { return Quality { hits, ..Quality::default() } };
    peaks.retain(|p| size[*p] > LOWEST * size[highest]);
    let parted = |p: usize| {
        // A parabola through the line and its neighbours, as far as there are any.
        let (a, b, c) = (size.get(p.wrapping_sub(1)), size[p], size.get(p + 1));
        let (Some(a), Some(c)) = (a, c) else { return 0.0 };
        let bend = a - 2.0 * b + c;
        if bend < 0.0 { (0.5 * (a - c) / bend).clamp(-0.5, 0.5) } else { 0.0 }
    };
    let line_hz = frequencies_hz.get(1).map_or(0.0, |f| f - frequencies_hz[0]);
    let sign = if response.dof.as_ref().is_some_and(|d| d.sign == Sign::Minus) { -1.0 } else { 1.0 };
    let up = |p: &usize| sign * z[lines[*p]].im > 0.0;
    let turns = peaks.iter().any(|p| up(p) != up(&highest));
    let error = coherence.and_then(|c| {
        let at = |p: &usize| c.real().get(lines[*p]).map(|g| echo_signal::response::response_error(*g, hits as usize));
        peaks.iter().filter_map(at).filter(|e| e.is_finite()).reduce(f64::max)
    });
    Quality {
        coherence: coherence.and_then(mean),
        peak_hz: frequencies_hz[lines[highest]] + parted(highest) * line_hz,
        peak: size[highest],
        turns,
        hits,
        random_error: error,
    }
}
