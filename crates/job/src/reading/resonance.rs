//! A resonance of an order's cut: by half power, and by a fit of the mode to all curves of the order.

use super::{CursorReading, ForceName, ModeFit, ResonanceRead, refuse};
use crate::Refusal;
use crate::analysis::result::{Analysis, Trace};
use crate::recipe::{AlongName, Lens, OrderTrackRecipe};
use crate::unit::{Quantity, find};
use echo_signal::rotation::steps::SpeedStep;
use echo_signal::rotation::sweep::{SweepFit, SweepModel, fit_sweep};
use echo_signal::rotation::vibration::resonance;
use echo_signal::spectrum::Complex64;

/// Fits of one curve and of all are of one mode where their frequencies differ by less than this share.
const SAME: f64 = 0.01;

/// An order's curve with the speeds at which it has values.
struct Cut {
    steps: Vec<SpeedStep>,
    values: Vec<Complex64>,
}

fn cut(result: &Analysis, t: &Trace) -> Option<Cut> {
    let (re, im) = (t.re.as_ref()?, t.im.as_ref()?);
    let (mut steps, mut values) = (Vec::new(), Vec::new());
    for (i, rpm) in result.axes[0].values.iter().enumerate() {
        // Speeds that were not reached have no value.
        if (re[i] * im[i]).is_finite() {
            let time_s = result.reached_s.get(i).copied().unwrap_or(f64::NAN);
            steps.push(SpeedStep { rpm: *rpm, angle_rev: 0.0, time_s });
            values.push(Complex64::new(re[i], im[i]));
        }
    }
    Some(Cut { steps, values })
}

/// Power of frequency with which a mode's answer in a unit grows under a force.
fn power(unit: &str, force: ForceName) -> i32 {
    let motion = match find(unit).map(|u| u.quantity) {
        Ok(Quantity::Acceleration) => 2,
        Ok(Quantity::Velocity) => 1,
        _ => 0,
    };
    motion + if force == ForceName::Unbalance { 2 } else { 0 }
}

/// Reads the resonance that a cut passes between two speeds.
pub fn read(result: &Analysis, trace: usize, range: (f64, f64), force: ForceName) -> Result<CursorReading, Refusal> {
    let t = &result.traces[trace];
    let (Some(own), Lens::OrderTrack(o)) = (cut(result, t), &result.recipe.lens) else {
        return refuse("read", "a resonance is read of an order's cut");
    };
    if o.along != AlongName::Speed {
        return refuse("read", "a resonance is read of a cut along speed; this one runs along time");
    }
    // Orders one after the other, each with a curve a channel.
    let channels = (result.traces.len() / o.orders.len().max(1)).max(1);
    let number = trace / channels;
    let order = o.orders.get(number).copied().unwrap_or(1.0);
    let rpm: Vec<f64> = own.steps.iter().map(|s| s.rpm).collect();
    let by_half_power = resonance(&rpm, &own.values, order, range.0, range.1);
    let mates = &result.traces[number * channels..((number + 1) * channels).min(result.traces.len())];
    let mode = fitted(result, o, t, &own, mates, (order, range, force));
    let mut reading = CursorReading { unit: t.unit.clone(), ..CursorReading::default() };
    match (&by_half_power, &mode) {
        (Err(_), Err(says)) => return Err(Refusal::new("speeds", says.clone())),
        (Err(e), _) => reading.missing = Some(e.to_string()),
        (_, Err(says)) => reading.missing = Some(says.clone()),
        _ => {}
    }
    reading.mode = mode.ok();
    reading.resonance = by_half_power.ok().map(|r| ResonanceRead {
        rpm: r.rpm,
        frequency_hz: r.frequency_hz,
        amplitude: r.amplitude,
        half_power_rpm: [r.half_power_rpm.0, r.half_power_rpm.1],
        amplification: r.amplification,
        damping: 0.5 / r.amplification,
        phase_change_deg: r.phase_change_deg,
    });
    Ok(reading)
}

/// The mode in one curve, told by all curves of the order where they see the same one.
fn fitted(
    result: &Analysis,
    o: &OrderTrackRecipe,
    t: &Trace,
    own: &Cut,
    mates: &[Trace],
    (order, range, force): (f64, (f64, f64), ForceName),
) -> Result<ModeFit, String> {
    if own.steps.iter().any(|s| s.time_s.is_nan()) {
        return Err("this result does not tell when its speeds were reached: make it again for a fit".into());
    }
    let model = SweepModel { order, power: power(&t.unit, force), revolutions: 1.0 / o.resolution };
    let alone = fit_sweep(&own.steps, &[&own.values], range, model).map_err(|e| e.to_string())?;
    // What is measured in the same way and reached the same speeds.
    let beside: Vec<Cut> = mates
        .iter()
        .filter(|m| m.channel != t.channel && power(&m.unit, force) == model.power)
        .filter_map(|m| cut(result, m))
        .filter(|c| c.steps == own.steps)
        .collect();
    let same = |f: &SweepFit| (f.frequency_hz.0 / alone.frequency_hz.0 - 1.0).abs() < SAME;
    let seen: Vec<&Cut> =
        beside.iter().filter(|c| fit_sweep(&c.steps, &[&c.values], range, model).is_ok_and(|f| same(&f))).collect();
    let all: Vec<&[Complex64]> = std::iter::once(&own.values[..]).chain(seen.iter().map(|c| &c.values[..])).collect();
    let (fit, curves) = match fit_sweep(&own.steps, &all, range, model) {
        Ok(joint) if same(&joint) => (joint, all.len()),
        _ => (alone, 1),
    };
    Ok(ModeFit {
        rpm: 60.0 * fit.frequency_hz.0 / order,
        frequency_hz: fit.frequency_hz.0,
        frequency_within_hz: 2.0 * fit.frequency_hz.1,
        damping: fit.damping.0,
        damping_within: 2.0 * fit.damping.1,
        amplification: 0.5 / fit.damping.0,
        amplitude: fit.amplitudes[0],
        unexplained: fit.unexplained,
        curves,
        at_rpm: own.steps[fit.range.clone()].iter().map(|s| s.rpm).collect(),
        re: fit.fitted[0].iter().map(|z| z.re).collect(),
        im: fit.fitted[0].iter().map(|z| z.im).collect(),
    })
}
