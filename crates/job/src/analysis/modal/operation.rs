//! Modes of a structure in operation: correlations of its samples read as if they were responses.

use super::{Seen, Table, caution, curve, diagram_of, modes_of, number, told};
use crate::Refusal;
use crate::analysis::places::places;
use crate::analysis::prepare::View;
use crate::analysis::result::{Analysis, Points};
use crate::analysis::words::{CautionRule, Shown};
use crate::analysis::{AnalysisError, Provenance};
use crate::recipe::{Lens, OperationalModesRecipe, Recipe};
use echo_signal::modal::frf::FrfMatrix;
use echo_signal::modal::indicator::cmif;
use echo_signal::modal::operation::{CorrelationProcessor, Correlations, MOST_LAGS, bell};
use echo_signal::spectrum::Complex64;

/// References that are taken where none are named.
const USUAL_REFERENCES: usize = 3;
/// Most values of all correlations together, so that they fit beside everything else.
const MOST_VALUES: usize = 1 << 26;
/// Below this what is heard at a mode is something that turns: half way from noise to a tone.
const STEADY: f64 = -0.5;
/// Fewer blocks than this are told to be few.
const FEW: usize = 20;

/// What was heard of a structure in operation.
#[derive(Debug, Clone)]
pub struct Heard {
    correlations: Correlations,
    recipe: OperationalModesRecipe,
}

/// Modes of samples.
pub(in crate::analysis) fn in_operation(
    recipe: &Recipe,
    s: &OperationalModesRecipe,
    view: &mut View<'_>,
    progress: &mut dyn FnMut(f64) -> bool,
) -> Result<Analysis, AnalysisError> {
    let seen = heard(s, view, &mut |share| progress(0.7 * share))?;
    let nobody = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    modes_of(&seen, recipe, nobody, progress)
}

/// Correlates the channels and looks for the poles of every order.
///
/// # Errors
/// Channels that do not fit together, references that are not among them, too few samples or too many lags.
pub(in crate::analysis) fn heard(
    s: &OperationalModesRecipe,
    view: &mut View<'_>,
    progress: &mut dyn FnMut(f64) -> bool,
) -> Result<Seen, AnalysisError> {
    let places = places(&view.channels)?;
    let count = places.len();
    if count < 2 {
        return Err(Refusal::new("channels", "modes in operation need two channels or more").into());
    }
    let lags = (s.longest_lag_s * view.rate()).round() as usize;
    if !(16..=MOST_LAGS).contains(&lags) {
        let says = format!(
            "longest_lag_s: {} s are {lags} samples; allowed: 16 to {MOST_LAGS}, or resample before it",
            s.longest_lag_s
        );
        return Err(Refusal::new("longest_lag_s", says).into());
    }
    if view.len() < 4 * lags {
        let says = format!(
            "the stretch lasts {:.3} s; allowed: four times longest_lag_s or more, {:.3} s",
            view.len() as f64 / view.rate(),
            4.0 * s.longest_lag_s
        );
        return Err(Refusal::new("stretch", says).into());
    }
    let references = match &s.references {
        Some(named) => named_references(named, view)?,
        None => largest(view, progress)?,
    };
    let values = 4 * lags * count * (references.len() + 2);
    if values > MOST_VALUES {
        let says = format!(
            "{count} channels with {} references over {lags} lags are too much to hold; allowed: a shorter longest_lag_s, fewer channels, or resample before it",
            references.len()
        );
        return Err(Refusal::new("longest_lag_s", says).into());
    }
    let mut processor = CorrelationProcessor::new(view.rate(), lags, count, &references)?;
    view.feed_together(&mut |share| progress(0.5 + 0.4 * share), &mut |_, slices, fresh| {
        if fresh {
            processor.interrupt();
        }
        Ok(processor.push(slices)?)
    })?;
    let correlations = processor.finish()?;
    let functions = signed(correlations.half_spectra()?, &places, &references)?;
    let half_rate = view.rate() / 2.0;
    let band_hz = s.band_hz.unwrap_or([0.01 * half_rate, 0.8 * half_rate]);
    let recipe = OperationalModesRecipe {
        references: Some(references.iter().map(|r| view.channels[*r].number).collect()),
        band_hz: Some(band_hz),
        ..s.clone()
    };
    let band = functions.band((band_hz[0], band_hz[1])).map_err(told)?;
    let diagram = diagram_of(&band, &recipe.of_poles())?;
    let named = |k: usize| format!("singular {}", k + 1);
    let indicators = cmif(&functions)
        .into_iter()
        .enumerate()
        .map(|(k, v)| curve(&named(k), Shown::Indicator, None, &[super::FREQUENCY], Points::Real(v)))
        .collect();
    let responses: Vec<_> = places.iter().map(|(d, _)| d.clone()).collect();
    let of = references.iter().map(|r| responses[*r].clone()).collect();
    let table = Table { functions, responses, references: of, turned: false };
    let heard = Heard { correlations, recipe };
    Ok(Seen { table, band, diagram, indicators, heard: Some(heard), cautions: Vec::new(), last: Default::default() })
}

/// Half spectra along the directions of the places.
fn signed(
    half: FrfMatrix,
    places: &[(crate::dof::Dof, f64)],
    references: &[usize],
) -> Result<FrfMatrix, AnalysisError> {
    let values = (0..half.lines())
        .flat_map(|line| (0..places.len()).flat_map(move |o| (0..references.len()).map(move |r| (line, o, r))))
        .map(|(line, o, r)| half.at(line, o, r) * (places[o].1 * places[references[r]].1))
        .collect();
    Ok(FrfMatrix::new(half.frequencies_hz().to_vec(), places.len(), references.len(), half.motion(), values)?)
}

fn named_references(named: &[u32], view: &View<'_>) -> Result<Vec<usize>, Refusal> {
    let place = |n: &u32| {
        let found = view.channels.iter().position(|c| c.number == *n);
        found.ok_or_else(|| {
            Refusal::new("references", format!("references: channel {n} is not among those that are looked at"))
        })
    };
    named.iter().map(place).collect()
}

/// The channels that move most.
fn largest(view: &mut View<'_>, progress: &mut dyn FnMut(f64) -> bool) -> Result<Vec<usize>, AnalysisError> {
    let mut sums = vec![(0.0, 0.0, 0usize); view.channels.len()];
    view.feed_together(&mut |share| progress(0.5 * share), &mut |_, slices, _| {
        for (sum, x) in sums.iter_mut().zip(slices) {
            *sum = x.iter().fold(*sum, |(one, two, n), v| (one + v, two + v * v, n + 1));
        }
        Ok(())
    })?;
    let power = |k: usize| {
        let (one, two, n) = sums[k];
        two / n.max(1) as f64 - (one / n.max(1) as f64).powi(2)
    };
    let mut all: Vec<usize> = (0..sums.len()).collect();
    all.sort_by(|a, b| power(*b).total_cmp(&power(*a)));
    all.truncate(USUAL_REFERENCES);
    all.sort_unstable();
    Ok(all)
}

impl Heard {
    /// What the window over the lags added to every decay, 1/s.
    pub(super) fn added_decay(&self) -> f64 {
        self.correlations.added_decay()
    }

    /// The lens as it was carried out, with what was picked.
    pub(super) fn lens(&self, picked: &Recipe) -> Lens {
        match &picked.lens {
            Lens::OperationalModes(wish) => Lens::OperationalModes(OperationalModesRecipe {
                references: self.recipe.references.clone(),
                band_hz: self.recipe.band_hz,
                ..wish.clone()
            }),
            _ => Lens::OperationalModes(self.recipe.clone()),
        }
    }

    /// What the bells of the spectra and the steadiness of their lines say beside the poles, and what nobody knows.
    pub(super) fn told(&self, functions: &FrfMatrix, out: &mut Analysis) {
        out.averages = Some(self.correlations.blocks());
        let found: Vec<(u32, f64)> =
            out.numbers.iter().filter(|n| n.name == "frequency").filter_map(|n| n.mode.map(|m| (m, n.value))).collect();
        let shown = out.traces.iter().filter(|t| t.quantity == Shown::Shape);
        let shapes: Vec<Vec<Complex64>> = shown.filter_map(|t| t.complex().map(<[_]>::to_vec)).collect();
        let shapes: Vec<&[Complex64]> = shapes.iter().map(Vec::as_slice).collect();
        for (k, (mode, hz)) in found.into_iter().enumerate() {
            if let Some(bell) = bell(functions, (&shapes, k), hz, self.added_decay()) {
                out.numbers.push(number("bell_frequency", Some(mode), "Hz", bell.frequency_hz));
                out.numbers.push(number("bell_damping_ratio", Some(mode), "", bell.damping_ratio));
            }
            let Some(steadiness) = self.correlations.steadiness(hz) else { continue };
            out.numbers.push(number("steadiness", Some(mode), "", steadiness));
            if steadiness < STEADY && self.correlations.blocks() >= FEW {
                let says = format!(
                    "mode {mode}, {hz:.2} Hz, is as steady as something that turns ({steadiness:.2}; noise through a mode is at 0): look for a shaft or a pump before it is called a mode"
                );
                out.cautions.push(caution(CautionRule::Steady, says));
            }
        }
        let says = "nobody knows the forces in operation: shapes have no scale, their largest point is 1, and modes that nothing excites are not there";
        out.cautions.push(caution(CautionRule::NoScale, says.into()));
        if self.correlations.blocks() < FEW {
            let says = format!(
                "only {} stretches of twice the longest lag went into the correlations: dampings scatter much; record longer",
                self.correlations.blocks()
            );
            out.cautions.push(caution(CautionRule::Coherence, says));
        }
    }
}
