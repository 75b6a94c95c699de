//! Distributions, cycles, shocks and arrivals.

use super::{Progress, axis, blank, caution, number, refuse, trace};
use crate::Refusal;
use crate::analysis::AnalysisError;
use crate::analysis::prepare::{Chosen, View};
use crate::analysis::result::Analysis;
use crate::analysis::words::{Along, CautionRule, Shown};
use crate::recipe::{
    ArrivalsSettings, CountsAs, DistributionKind, DistributionSettings, Lens, PickName, RainflowSettings, ResidueName,
    ShockRecipe, ShockSide,
};
use echo_signal::SignalError;
use echo_signal::arrivals::{Pick, arrival};
use echo_signal::distribution::{Classes, Histogram, LevelCrossings};
use echo_signal::filter::{Band, Filter};
use echo_signal::rainflow::{Rainflow, Residue};
use echo_signal::shock::{ShockProcessor, ShockSettings};
use echo_signal::statistics::Moments;
use rayon::prelude::*;

/// Classes where a recipe names none.
const USUAL_CLASSES: usize = 32;

/// Classes of means where a recipe names none.
const USUAL_MEANS: usize = 16;

/// Names the key of the recipe in what the core refuses about edges.
fn edges_of(key: &'static str, edges: Vec<f64>) -> Result<Classes, AnalysisError> {
    Classes::new(edges).map_err(|e| match e {
        SignalError::Argument { got, allowed, .. } => {
            Refusal::new(key, format!("{key} must be {allowed}, not {got}")).into()
        }
        other => other.into(),
    })
}

/// Smallest and largest value over all channels; one more pass over the data.
fn extremes(view: &mut View<'_>, progress: Progress<'_>) -> Result<(f64, f64), AnalysisError> {
    let mut states = vec![Moments::default(); view.channels.len()];
    view.feed(&mut |share| progress(share / 2.0), &mut states, &|m, _, x, _| Ok(m.push(x)?))?;
    let mut all = Moments::default();
    states.iter().for_each(|m| all.merge(m));
    let found = all.finish()?;
    Ok((found.min, found.max))
}

fn even(from: f64, to: f64, classes: Option<usize>, usual: usize) -> Result<Classes, AnalysisError> {
    // A constant has a class of its own around it.
    let (from, to) = if to > from { (from, to) } else { (from - 0.5, to + 0.5) };
    // The largest value belongs to the last class, which is half-open.
    let to = to + (to - from) * 1e-9;
    Ok(Classes::even(from, to, classes.unwrap_or(usual))?)
}

fn one_unit(channels: &[Chosen]) -> Result<String, AnalysisError> {
    let unit = &channels[0].unit;
    match channels.iter().find(|c| c.unit != *unit) {
        None => Ok(unit.clone()),
        Some(other) => refuse(
            "channels",
            format!("channels in “{unit}” and “{}”", other.unit),
            "channels of one unit, since they share their classes",
        ),
    }
}

/// Counter of one channel.
enum Counter {
    Samples(Histogram),
    Crossings(LevelCrossings),
}

/// Histogram, time at level, level crossings.
pub fn distribution(
    s: &DistributionSettings,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let channels = view.channels.clone();
    let unit = one_unit(&channels)?;
    let classes = match &s.edges {
        Some(edges) => edges_of("edges", edges.clone())?,
        None => {
            let (low, high) = extremes(view, progress)?;
            even(low, high, s.classes, USUAL_CLASSES)?
        }
    };
    let rate = view.rate();
    let mut states: Vec<Counter> = channels
        .iter()
        .map(|_| match s.kind {
            DistributionKind::LevelCrossing => Counter::Crossings(LevelCrossings::new(classes.clone())),
            _ => Counter::Samples(Histogram::new(classes.clone())),
        })
        .collect();
    view.feed(progress, &mut states, &|counter, _, x, fresh| {
        match counter {
            Counter::Samples(h) => h.push(x)?,
            Counter::Crossings(c) => {
                if fresh {
                    c.interrupt();
                }
                c.push(x)?;
            }
        }
        Ok(())
    })?;
    let mut out = blank(view);
    let crossings = s.kind == DistributionKind::LevelCrossing;
    let places = if crossings { classes.edges().to_vec() } else { classes.middles() };
    out.axes.push(axis(if crossings { Along::Level } else { Along::Class }, &unit, places));
    for (c, counter) in channels.iter().zip(&states) {
        let (mut counts, per, total) = match counter {
            Counter::Samples(h) => {
                let mut counts: Vec<f64> = h.counts().iter().map(|n| *n as f64).collect();
                let total = h.total() as f64;
                if s.open_ends {
                    let last = counts.len() - 1;
                    counts[0] += h.below() as f64;
                    counts[last] += h.above() as f64;
                } else {
                    out.numbers.push(number("outside", c.number, "", (h.below() + h.above()) as f64 / total));
                }
                (counts, if s.kind == DistributionKind::TimeAtLevel { rate } else { 1.0 }, total)
            }
            Counter::Crossings(l) => {
                let counts: Vec<f64> = l.counts().iter().map(|n| *n as f64).collect();
                let total = counts.iter().sum();
                (counts, 1.0, total)
            }
        };
        let (quantity, unit) = match (s.counts_as, s.kind) {
            (CountsAs::Relative, _) => (Shown::Share, ""),
            (CountsAs::Absolute, DistributionKind::TimeAtLevel) => (Shown::Time, "s"),
            (CountsAs::Absolute, _) => (Shown::Count, ""),
        };
        let by = if s.counts_as == CountsAs::Relative { total } else { per };
        counts.iter_mut().for_each(|n| *n /= by);
        out.traces.push(trace(c, quantity, unit.into(), counts));
    }
    out.recipe.lens =
        Lens::Distribution(DistributionSettings { edges: Some(classes.edges().to_vec()), classes: None, ..s.clone() });
    Ok(out)
}

/// Cycles of one channel as they are counted.
struct Flow {
    counter: Rainflow,
    /// `[range][mean]`, one more class on each end.
    matrix: Vec<f64>,
    cycles: f64,
    damage: f64,
}

/// A power; whole exponents are quicker.
fn power(x: f64, exponent: f64) -> f64 {
    if exponent.fract() == 0.0 && exponent < 64.0 { x.powi(exponent as i32) } else { x.powf(exponent) }
}

/// Cycles by range and mean.
pub fn rainflow(s: &RainflowSettings, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let channels = view.channels.clone();
    let unit = one_unit(&channels)?;
    let known = if s.edges.is_some() && s.mean_edges.is_some() { (0.0, 0.0) } else { extremes(view, progress)? };
    let ranges = match &s.edges {
        Some(edges) => edges_of("edges", edges.clone())?,
        None => even(0.0, known.1 - known.0, s.classes, USUAL_CLASSES)?,
    };
    let means = match &s.mean_edges {
        Some(edges) => edges_of("mean_edges", edges.clone())?,
        None => even(known.0, known.1, None, USUAL_MEANS)?,
    };
    let width = means.count() + 2;
    let counter = Rainflow::new(s.hysteresis)?;
    let residue = match s.residue {
        ResidueName::Half => Residue::Half,
        ResidueName::Repeat => Residue::Repeat,
        ResidueName::Ignore => Residue::Ignore,
    };
    let add = |matrix: &mut Vec<f64>, cycles: &mut f64, damage: &mut f64, c: echo_signal::rainflow::Cycle| {
        matrix[ranges.place(c.range) * width + means.place(c.mean)] += c.count;
        *cycles += c.count;
        *damage += c.count * power(c.range, s.exponent);
    };
    let finish = |f: &mut Flow| {
        let Flow { counter, matrix, cycles, damage } = f;
        counter.finish(residue, &mut |c| add(matrix, cycles, damage, c));
    };
    let mut states: Vec<Flow> = channels
        .iter()
        .map(|_| Flow {
            counter: counter.clone(),
            matrix: vec![0.0; (ranges.count() + 2) * width],
            cycles: 0.0,
            damage: 0.0,
        })
        .collect();
    view.feed(progress, &mut states, &|f, _, x, fresh| {
        if fresh {
            finish(f);
            f.counter = counter.clone();
        }
        let Flow { counter, matrix, cycles, damage } = f;
        counter.push(x, &mut |c| add(matrix, cycles, damage, c))?;
        Ok(())
    })?;
    states.iter_mut().for_each(&finish);
    let mut out = blank(view);
    out.axes.push(axis(Along::Range, &unit, ranges.middles()));
    out.axes.push(axis(Along::Mean, &unit, means.middles()));
    for (c, f) in channels.iter().zip(&states) {
        let row = |r: usize| &f.matrix[(r + 1) * width..(r + 2) * width];
        let counts: Vec<f64> = (0..ranges.count()).map(|r| row(r).iter().sum()).collect();
        let matrix = (0..ranges.count()).flat_map(|r| row(r)[1..=means.count()].to_vec()).collect();
        let inside: f64 = counts.iter().sum();
        out.traces.push(trace(c, Shown::Count, String::new(), counts));
        out.traces.push(trace(c, Shown::CountByMean, String::new(), matrix));
        out.numbers.push(number("total_cycles", c.number, "", f.cycles));
        out.numbers.push(number("outside", c.number, "", f.cycles - inside));
        let power = if c.unit.is_empty() { String::new() } else { format!("({})^{}", c.unit, s.exponent) };
        out.numbers.push(number("damage_sum", c.number, &power, f.damage));
    }
    out.recipe.lens = Lens::Rainflow(RainflowSettings {
        classes: None,
        edges: Some(ranges.edges().to_vec()),
        mean_edges: Some(means.edges().to_vec()),
        ..s.clone()
    });
    Ok(out)
}

/// Shock response spectra.
pub fn shock(s: &ShockRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let channels = view.channels.clone();
    let to_hz = s.to_hz.unwrap_or(view.rate() / 10.0);
    let settings =
        ShockSettings { sample_rate_hz: view.rate(), q: s.q, from_hz: s.from_hz, to_hz, per_octave: s.per_octave };
    let mut states = vec![ShockProcessor::new(settings)?; channels.len()];
    view.feed(progress, &mut states, &|p, _, x, _| Ok(p.push(x)?))?;
    let mut out = blank(view);
    out.axes.push(axis(Along::NaturalFrequency, "Hz", settings.frequencies_hz()));
    let found = states.par_iter().map(ShockProcessor::finish).collect::<Result<Vec<_>, _>>()?;
    for (c, found) in channels.iter().zip(found) {
        let (quantity, values) = match s.take {
            ShockSide::Maximax => (Shown::Maximax, found.maximax()),
            ShockSide::Positive => (Shown::Positive, found.positive),
            ShockSide::Negative => (Shown::Negative, found.negative),
        };
        out.traces.push(trace(c, quantity, c.unit.clone(), values));
    }
    out.recipe.lens = Lens::Shock(ShockRecipe { to_hz: Some(to_hz), ..s.clone() });
    Ok(out)
}

/// First arrivals.
pub fn arrivals(s: &ArrivalsSettings, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let rate = view.rate();
    let pick = match s.pick {
        PickName::Aic => Pick::Akaike,
        PickName::Threshold => Pick::Threshold(s.threshold),
    };
    let filter = s.band_hz.map(|[lo, hi]| Filter::butterworth(Band::Bandpass(lo, hi), 2, rate)).transpose()?;
    let (_, mut whole) = view.held(progress)?;
    let found = whole
        .par_iter_mut()
        .map(|x| {
            if let Some(f) = &filter {
                // One way only: forward and backward would spread the burst to before its onset.
                f.clone().run(x);
            }
            arrival(x, rate, pick)
        })
        .collect::<Vec<_>>();
    let mut out = blank(view);
    let none = found.iter().all(Result::is_err);
    for (c, found) in view.channels.iter().zip(found) {
        let found = match found {
            Ok(found) => found,
            // One silent channel costs that channel only; what is wrong with all is refused.
            Err(e) if none => {
                return Err(match AnalysisError::from(e) {
                    AnalysisError::Refused(r) => {
                        Refusal::new(r.field, format!("channel {}: {}", c.number, r.says)).into()
                    }
                    other => other,
                });
            }
            Err(e) => {
                out.cautions.push(caution(
                    CautionRule::NoArrival,
                    Some(c.number),
                    format!("channel {}: {e}", c.number),
                ));
                continue;
            }
        };
        out.numbers.push(number("arrival", c.number, "s", found.time_s));
        out.numbers.push(number("arrival_uncertainty", c.number, "s", found.uncertainty_s));
    }
    Ok(out)
}
