//! Speed and order maps, and what order lenses have in common.

use super::spectral::window;
use super::{Progress, axis, blank, caution, number, refuse, trace};
use crate::analysis::AnalysisError;
use crate::analysis::prepare::View;
use crate::analysis::result::{Analysis, Axis, ResultCaution};
use crate::analysis::words::{Along, CautionRule, Shown};
use crate::recipe::{AlongName, Lens, OrderMapRecipe, SlopeName, SpeedRecipe, SweepName, Tacho};
use echo_signal::rotation::angle::{AngleSampler, samples_for};
use echo_signal::rotation::curve::{ANGLE_SMOOTHING_REV, AngleCurve, BANDWIDTH, speed_smoothing_rev};
use echo_signal::rotation::order::{OrderBlock, order_map as map_of};
use echo_signal::rotation::pulses::{PulseSettings, Slope, pulses};
use echo_signal::rotation::steps::{SpeedStep, Sweep, speed_steps, time_steps};
use echo_signal::rotation::wheel::{PulseTrain, PulseVerdict, Wheel};
use rayon::prelude::*;

/// Largest number of points of a speed curve.
const MOST_POINTS: f64 = 5_000_000.0;

/// Angle and speed, the tacho as it was read, and what was wrong with its pulses.
pub(super) struct Turning {
    /// Follows the shaft closely: samples are taken at its angles.
    pub(super) angle: AngleCurve,
    /// Smoothed, for speeds.
    pub(super) speed: AngleCurve,
    pub(super) tacho: Tacho,
    pub(super) cautions: Vec<ResultCaution>,
    pulses: usize,
}

/// Reads the pulses of a tachometer.
///
/// # Errors
/// Fewer than four pulses, or settings that make none.
pub(super) fn turning(t: &Tacho, samples: &[f64], rate: f64, unit: &str) -> Result<Turning, AnalysisError> {
    let slope = match t.slope {
        SlopeName::Rising => Slope::Rising,
        SlopeName::Falling => Slope::Falling,
    };
    let mut settings = match (t.threshold, t.hysteresis) {
        (Some(threshold), Some(hysteresis)) => PulseSettings { threshold, hysteresis, slope },
        _ => PulseSettings::automatic(samples, slope)?,
    };
    settings.threshold = t.threshold.unwrap_or(settings.threshold);
    settings.hysteresis = t.hysteresis.unwrap_or(settings.hysteresis);
    let times: Vec<f64> = pulses(samples, settings)?.iter().map(|p| p / rate).collect();
    if times.len() < 4 {
        let (low, high) = samples.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), x| (a.min(*x), b.max(*x)));
        return refuse(
            "tacho.threshold",
            format!("{} {unit}, which makes {} pulses", settings.threshold, times.len()),
            &format!("a level that is crossed 4 times or more; channel {} runs from {low} to {high} {unit}", t.channel),
        );
    }
    let wheel = Wheel { pulses_per_rev: t.pulses_per_rev, missing_teeth: t.missing_teeth, uneven: t.uneven };
    let train = PulseTrain::new(&times, wheel, 1.0 / rate)?;
    let mut cautions = faults(&train, t.channel);
    let (times, angles) = train.carrying();
    let by_turns = |rev: f64| AngleCurve::by_turns(&times, &angles, rev);
    let (angle, speed) = if t.smooth_s.is_some() || t.smooth_rev.is_some() {
        let told = t.smooth_s.map_or_else(|| by_turns(speed_smoothing(t)), |s| AngleCurve::new(&times, &angles, s))?;
        (told.clone(), told)
    } else {
        (by_turns(ANGLE_SMOOTHING_REV)?, by_turns(speed_smoothing(t))?)
    };
    cautions.extend(not_known(&train, &angle.coarse(&angles, KNOWN_REV), t.channel));
    let tacho = Tacho { threshold: Some(settings.threshold), hysteresis: Some(settings.hysteresis), ..t.clone() };
    Ok(Turning { angle, speed, tacho, cautions, pulses: train.pulses.len() })
}

/// Stiffness of the speed in revolutions, as told or as usual.
fn speed_smoothing(t: &Tacho) -> f64 {
    t.smooth_rev.unwrap_or_else(|| speed_smoothing_rev(t.pulses_per_rev))
}

/// Error of the angle from which on it is said not to be known, revolutions.
const KNOWN_REV: f64 = 1.0 / 720.0;

/// Stretches in which the angle is not known, or may be another.
fn not_known(train: &PulseTrain, coarse: &[(f64, f64)], channel: u32) -> Vec<ResultCaution> {
    let mut out = Vec::new();
    for d in &train.doubts {
        let says = format!(
            "from {:.3} to {:.3} s of the stretch the angle may be {:+.1}° off: a different count of pulses explains them nearly as well",
            d.from_s,
            d.to_s,
            360.0 * d.by_rev
        );
        out.push(ResultCaution { places_s: vec![d.from_s], ..caution(CautionRule::TachoCount, Some(channel), says) });
    }
    let total: f64 = coarse.iter().map(|(a, b)| b - a).sum();
    let span = train.pulses.last().zip(train.pulses.first()).map_or(0.0, |(b, a)| b.time_s - a.time_s);
    // A pulse at the end of a record that is off by a sample is no news.
    if total > 0.002 * span {
        let first: Vec<String> = coarse.iter().take(3).map(|(a, b)| format!("{a:.3} to {b:.3}")).collect();
        let more = if coarse.len() > 3 { ", …" } else { "" };
        let says = format!(
            "for {total:.3} s the angle is not known within half a degree: the pulses are too far apart for the change of speed, at {}{more} s of the stretch",
            first.join(", ")
        );
        let places_s = coarse.iter().map(|c| c.0).collect();
        out.push(ResultCaution { places_s, ..caution(CautionRule::TachoCoarse, Some(channel), says) });
    }
    out
}

/// A kind of fault: rule, words, and which verdicts are of it.
type Kind = (CautionRule, &'static str, fn(PulseVerdict) -> bool);

const KINDS: [Kind; 3] = [
    (CautionRule::TachoMissed, "missing before", |v| matches!(v, PulseVerdict::AfterMissed(_))),
    (CautionRule::TachoExtra, "too many", |v| v == PulseVerdict::Extra),
    (CautionRule::TachoJitter, "more than 15 % early or late", |v| v == PulseVerdict::Jitter),
];

fn faults(train: &PulseTrain, channel: u32) -> Vec<ResultCaution> {
    KINDS
        .iter()
        .filter_map(|(rule, says, is)| {
            let times: Vec<f64> = train.pulses.iter().filter(|p| is(p.verdict)).map(|p| p.time_s).collect();
            let first: Vec<String> = times.iter().take(5).map(|t| format!("{t:.6}")).collect();
            let more = if times.len() > 5 { ", …" } else { "" };
            (!times.is_empty()).then(|| {
                let what = format!(
                    "{} of {} pulses: {says}, at {}{more} s of the stretch",
                    times.len(),
                    train.pulses.len(),
                    first.join(", ")
                );
                // Places count from the stretch here; whoever carries out the recipe adds its start.
                ResultCaution { places_s: times.clone(), ..caution(*rule, Some(channel), what) }
            })
        })
        .collect()
}

/// Up to which frequency the speed follows what the shaft does, at a mean speed: by the stiffness, and by
/// half the pulses a second.
fn bandwidth_hz(t: &Tacho, mean_rpm: f64) -> f64 {
    let turns = mean_rpm / 60.0;
    let pulses = 0.5 * turns * t.pulses_per_rev;
    let stiff = match t.smooth_s {
        Some(s) => BANDWIDTH / s,
        None => BANDWIDTH * turns / speed_smoothing(t),
    };
    stiff.min(pulses)
}

/// Speed against time.
pub fn speed(s: &SpeedRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    view.channels.clear();
    let (rate, from_s) = (view.rate(), view.start_s());
    let (samples, _) = view.held(progress)?;
    let t = turning(&s.tacho, &samples, rate, &view.references[0].unit)?;
    let (a, b) = t.speed.span_s();
    // Even steps of the record's own time, inside the span of the pulses.
    let (first, last) = ((a / s.interval_s).ceil(), (b / s.interval_s).floor());
    if last < first || last - first > MOST_POINTS {
        return refuse("interval_s", s.interval_s, &format!("{} to {} s", (b - a) / MOST_POINTS, b - a));
    }
    let times: Vec<f64> = (first as i64..=last as i64).map(|k| k as f64 * s.interval_s).collect();
    let rpm: Vec<f64> = times.iter().map(|t1| 60.0 * t.speed.speed_at(*t1)).collect();
    let mut out = blank(view);
    let (low, high) = rpm.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), x| (a.min(*x), b.max(*x)));
    for (name, value) in [("lowest", low), ("highest", high)] {
        out.numbers.push(number(name, s.tacho.channel, "rpm", value));
    }
    out.numbers.push(number("pulses", s.tacho.channel, "", t.pulses as f64));
    let mean = rpm.iter().sum::<f64>() / rpm.len() as f64;
    out.numbers.push(number("bandwidth (−3 dB)", s.tacho.channel, "Hz", bandwidth_hz(&s.tacho, mean)));
    out.axes.push(axis(Along::Time, "s", times.iter().map(|t| t + from_s).collect()));
    out.traces.push(trace(&view.references[0], Shown::Speed, "rpm".into(), rpm));
    out.cautions = t.cautions;
    out.recipe.lens = Lens::Speed(SpeedRecipe { tacho: t.tacho, ..s.clone() });
    Ok(out)
}

/// What order lenses have in common.
pub(super) struct Orders {
    pub(super) turning: Turning,
    pub(super) sampler: AngleSampler,
    pub(super) steps: Vec<SpeedStep>,
    pub(super) block: OrderBlock,
    pub(super) channels: Vec<Vec<f64>>,
}

pub(super) struct Wish {
    pub(super) highest: f64,
    pub(super) resolution: f64,
    pub(super) along: Stepped,
    pub(super) window: echo_signal::window::Window,
}

/// Where the blocks are taken.
#[derive(Clone, Copy)]
pub(super) enum Stepped {
    Speed { step_rpm: f64, sweep: SweepName },
    Time { interval_s: f64 },
}

/// Steps along time where a recipe names no interval.
const USUAL_STEPS: f64 = 200.0;

impl Stepped {
    pub(super) fn new(
        along: AlongName,
        step_rpm: f64,
        sweep: SweepName,
        interval_s: Option<f64>,
        view: &View<'_>,
    ) -> Stepped {
        match along {
            AlongName::Speed => Stepped::Speed { step_rpm, sweep },
            AlongName::Time => {
                let usual = view.len() as f64 / view.rate() / USUAL_STEPS;
                Stepped::Time { interval_s: interval_s.unwrap_or(usual) }
            }
        }
    }

    /// The interval as it was used, to be written into the recipe.
    pub(super) fn interval_s(self) -> Option<f64> {
        match self {
            Stepped::Speed { .. } => None,
            Stepped::Time { interval_s } => Some(interval_s),
        }
    }

    pub(super) fn axis(self, steps: &[SpeedStep], from_s: f64) -> Axis {
        match self {
            Stepped::Speed { .. } => axis(Along::Speed, "rpm", steps.iter().map(|s| s.rpm).collect()),
            Stepped::Time { .. } => axis(Along::Time, "s", steps.iter().map(|s| from_s + s.time_s).collect()),
        }
    }
}

pub(super) fn sweep(name: SweepName) -> Sweep {
    match name {
        SweepName::Automatic => Sweep::Automatic,
        SweepName::Up => Sweep::Up,
        SweepName::Down => Sweep::Down,
    }
}

pub(super) fn orders(
    tacho: &Tacho,
    wish: &Wish,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Orders, AnalysisError> {
    let rate = view.rate();
    let (pulses, channels) = view.held(&mut |share| progress(share * 0.5))?;
    let turning = turning(tacho, &pulses, rate, &view.references[0].unit)?;
    let sampler = AngleSampler::new(&turning.angle, samples_for(wish.highest), rate, pulses.len())?;
    let block = OrderBlock { revolutions: 1.0 / wish.resolution, window: wish.window };
    let steps = match wish.along {
        Stepped::Speed { step_rpm, sweep: name } => {
            speed_steps(&sampler, &turning.speed, step_rpm, block.revolutions, sweep(name))?
        }
        Stepped::Time { interval_s } => time_steps(&sampler, &turning.angle, interval_s, block.revolutions)?,
    };
    let channels = resampled(&sampler, &channels)?;
    if !progress(0.8) {
        return Err(AnalysisError::Stopped);
    }
    Ok(Orders { turning, sampler, steps, block, channels })
}

/// Channels at even steps of angle, parts of the time side by side.
pub(super) fn resampled(sampler: &AngleSampler, channels: &[Vec<f64>]) -> Result<Vec<Vec<f64>>, AnalysisError> {
    let slices: Vec<&[f64]> = channels.iter().map(Vec::as_slice).collect();
    let parts = 4 * rayon::current_num_threads().max(1);
    let each = sampler.len().div_ceil(parts).max(1);
    let made = (0..sampler.len())
        .step_by(each)
        .collect::<Vec<_>>()
        .into_par_iter()
        .map(|from| sampler.resample_part(&slices, from..(from + each).min(sampler.len())))
        .collect::<Result<Vec<_>, _>>()?;
    let mut out = vec![Vec::with_capacity(sampler.len()); channels.len()];
    for part in made {
        out.iter_mut().zip(part).for_each(|(to, x)| to.extend(x));
    }
    Ok(out)
}

/// Amplification of the resonance that [`blunted`] is reckoned for, and the losses it tells and allows.
pub(super) const SHARP: f64 = 10.0;
pub(super) const TOLD_LOSS: f64 = 0.02;
pub(super) const ALLOWED_LOSS: f64 = 0.01;

/// The speed at which it changes most, rpm, and by what share of itself in a revolution, or in a second.
pub(super) fn steepest(o: &Orders, by_time: bool) -> Option<(f64, f64)> {
    let change = |at: f64| {
        let (turns, d) = (o.turning.speed.speed_at(at), 1e-3);
        let rate = (o.turning.speed.speed_at(at + d) - o.turning.speed.speed_at(at - d)) / (2.0 * d);
        (rate / turns / if by_time { 1.0 } else { turns }).abs()
    };
    o.steps.iter().map(|s| (s.rpm, change(s.time_s))).max_by(|a, b| a.1.total_cmp(&b.1))
}

/// How much of a resonance's peak is lost because the speed changes within a block, and the resolution
/// that keeps it. The amplitude over a block is the mean of 1/(1 + 2jQδ) over the distances δ from the
/// resonance that are passed within it; 0.0327 is the variance of a Hann window in block lengths.
pub(super) fn blunted(o: &Orders, resolution: f64) -> Option<ResultCaution> {
    let (at, change) = steepest(o, false)?;
    let most = change * o.block.revolutions;
    let loss = 4.0 * SHARP * SHARP * 0.0327 * most * most;
    if loss < TOLD_LOSS {
        return None;
    }
    let wanted = two_digits_up(resolution * (loss / ALLOWED_LOSS).sqrt());
    let says = format!(
        "at {at:.0} rpm the speed changes by {:.1} % within a block: a resonance of Q {SHARP:.0} reads about {:.0} % low; a resolution of {wanted} keeps it within {:.0} %",
        100.0 * most,
        100.0 * (loss / (1.0 + loss)),
        100.0 * ALLOWED_LOSS
    );
    Some(caution(CautionRule::ResonanceBlunted, None, says))
}

/// A number in two digits, not below what it was.
pub(super) fn two_digits_up(x: f64) -> f64 {
    let digit = 10f64.powf(x.log10().floor() - 1.0);
    ((x / digit).ceil() * digit * 1e6).round() / 1e6
}

/// Speeds above which an order lies where the record has no clean content.
pub(super) fn beyond(o: &Orders, highest: f64, rate: f64) -> Option<ResultCaution> {
    let fastest = o.steps.iter().map(|s| s.rpm).fold(0.0, f64::max);
    let limit = 0.4 * rate * 60.0 / highest;
    (fastest > limit).then(|| {
        let says = format!(
            "order {highest} is above 0.4 of the sample rate from {limit:.0} rpm on and is not to be read there"
        );
        caution(CautionRule::OrderBeyond, None, says)
    })
}

/// Amplitude against speed or time, and order.
pub fn order_map(s: &OrderMapRecipe, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let along = Stepped::new(s.along, s.step_rpm, s.sweep, s.interval_s, view);
    let wish = Wish { highest: s.max_order, resolution: s.resolution, along, window: window(s.window, None) };
    let o = orders(&s.tacho, &wish, view, progress)?;
    let maps = o
        .channels
        .par_iter()
        .map(|x| map_of(x, &o.sampler, &o.steps, s.max_order, o.block))
        .collect::<Result<Vec<_>, _>>()?;
    let mut out = blank(view);
    out.axes.push(along.axis(&o.steps, view.start_s()));
    out.axes.push(axis(Along::Order, "", maps.first().map_or_else(Vec::new, |m| m.orders.clone())));
    for (c, m) in view.channels.iter().zip(maps) {
        out.traces.push(trace(c, Shown::Peak, c.unit.clone(), m.amplitudes.concat()));
    }
    out.cautions.extend(blunted(&o, s.resolution));
    out.cautions.extend(beyond(&o, s.max_order, view.rate()));
    out.cautions.extend(o.turning.cautions);
    out.recipe.lens =
        Lens::OrderMap(OrderMapRecipe { tacho: o.turning.tacho, interval_s: along.interval_s(), ..s.clone() });
    Ok(out)
}
