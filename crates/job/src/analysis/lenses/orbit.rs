//! The way of a shaft seen by two probes over a mean turn.
//!
//! Source: ISO 20816-1, annex on shaft orbits; the angle counts from the tachometer's pulse.

use super::rotation::{resampled, turning};
use super::{Progress, axis, blank, caution, number, trace};
use crate::Refusal;
use crate::analysis::AnalysisError;
use crate::analysis::prepare::View;
use crate::analysis::result::Analysis;
use crate::analysis::words::{Along, CautionRule, Shown};
use crate::recipe::{Lens, OrbitRecipe};
use echo_signal::rotation::angle::AngleSampler;
use echo_signal::rotation::vibration::{mean_turn, orbit as ellipse};
use echo_signal::spectrum::Complex64;
use std::f64::consts::TAU;

/// Samples of a turn.
const PER_TURN: usize = 360;

/// What an order does over whole turns: `A` of `Re(A·e^(j·order·angle))`.
fn projected(samples: &[f64], first_rev: f64, order: f64) -> Complex64 {
    let whole = samples.len() / PER_TURN * PER_TURN;
    let turn = |k: usize| TAU * (order * (first_rev + k as f64 / PER_TURN as f64)).fract();
    let sum: Complex64 = samples[..whole].iter().enumerate().map(|(k, x)| Complex64::from_polar(*x, -turn(k))).sum();
    sum * (2.0 / whole.max(1) as f64)
}

/// A mean turn of two channels against the shaft's angle, with the ellipse of order 1.
pub fn orbit(s: &OrbitRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let channels = view.channels.clone();
    let [x, y] = &channels[..] else {
        let says = format!("an orbit is drawn of two channels, across and along; {} are chosen", channels.len());
        return Err(Refusal::new("channels", says).into());
    };
    if x.unit != y.unit {
        let says = format!("the channels are in {} and {}; allowed: one unit", x.unit, y.unit);
        return Err(Refusal::new("channels", says).into());
    }
    let rate = view.rate();
    let (pulses, samples) = view.held(progress)?;
    let t = turning(&s.tacho, &pulses, rate, &view.references[0].unit)?;
    let sampler = AngleSampler::new(&t.angle, PER_TURN, rate, pulses.len())?;
    let even = resampled(&sampler, &samples)?;
    let first = sampler.angle_rev(0);
    let degrees: Vec<f64> = (0..=PER_TURN).map(|k| k as f64).collect();
    let mut out = blank(view);
    for (c, samples) in channels.iter().zip(&even) {
        let values: Vec<f64> = if s.orders.is_empty() {
            // The turn begins at the pulse, wherever the first sample lies.
            let mean = mean_turn(samples, PER_TURN)?;
            let from = (first * PER_TURN as f64).round() as i64;
            (0..=PER_TURN as i64).map(|k| mean[(k - from).rem_euclid(PER_TURN as i64) as usize]).collect()
        } else {
            let parts: Vec<(f64, Complex64)> = s.orders.iter().map(|o| (*o, projected(samples, first, *o))).collect();
            let at = |deg: &f64| {
                parts.iter().map(|(o, a)| (a * Complex64::from_polar(1.0, TAU * o * deg / 360.0)).re).sum::<f64>()
            };
            degrees.iter().map(at).collect()
        };
        out.traces.push(trace(c, Shown::Orbit, c.unit.clone(), values));
    }
    let found = ellipse(projected(&even[0], first, 1.0), projected(&even[1], first, 1.0));
    let mut tell = |name: &str, unit: &str, value: f64| out.numbers.push(number(name, x.number, unit, value));
    tell("major half-axis", &x.unit, found.major);
    tell("minor half-axis", &x.unit, found.minor);
    tell("inclination", "°", found.inclination_deg);
    tell("forward", "", if found.forward { 1.0 } else { 0.0 });
    let (from, to) = t.speed.span_s();
    let speeds: Vec<f64> =
        (0..=50).map(|k| 60.0 * t.speed.speed_at(from + (to - from) * f64::from(k) / 50.0)).collect();
    let (low, high) = speeds.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    tell("speed", "rpm", speeds.iter().sum::<f64>() / speeds.len() as f64);
    tell("turns", "", (even[0].len() / PER_TURN) as f64);
    if high > 1.05 * low {
        let says = format!("the speed goes from {low:.0} to {high:.0} rpm: this turn is a mean of different ones");
        out.cautions.push(caution(CautionRule::SpeedNotSteady, None, says));
    }
    out.axes.push(axis(Along::Angle, "°", degrees));
    out.cautions.extend(t.cautions);
    out.recipe.lens = Lens::Orbit(OrbitRecipe { tacho: t.tacho, ..s.clone() });
    Ok(out)
}
