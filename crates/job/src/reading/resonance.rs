//! A resonance of an order's cut: by half power, and by a fit of the mode to all curves of the order.

use super::{CursorReading, ForceName, ModeFit, ResonanceRead, refuse};
use crate::Refusal;
use crate::analysis::result::{Analysis, Trace};
use crate::recipe::{AlongName, Lens};
use crate::unit::{Quantity, find};
use echo_signal::rotation::steps::SpeedStep;
use echo_signal::rotation::sweep::{Mean, SweepFit, SweepModel, fit_sweep};
use echo_signal::rotation::vibration::resonance;
use echo_signal::spectrum::Complex64;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, OnceLock};

/// Fits of one curve and of all are of one mode where their frequencies differ by less than this share.
const SAME: f64 = 0.01;

/// An order's curve with the speeds at which it has values.
struct Cut {
    steps: Vec<SpeedStep>,
    values: Vec<Complex64>,
}

fn cut(result: &Analysis, t: &Trace) -> Option<Cut> {
    let points = t.complex()?;
    let (mut steps, mut values) = (Vec::new(), Vec::new());
    for (i, rpm) in result.axes[0].values.iter().enumerate() {
        // Speeds that were not reached have no value.
        if points[i].is_finite() {
            let time_s = result.reached_s.get(i).copied().unwrap_or(f64::NAN);
            steps.push(SpeedStep { rpm: *rpm, angle_rev: 0.0, time_s });
            values.push(points[i]);
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

/// What is asked of a cut.
#[derive(Debug, Clone, Copy)]
pub(super) struct Wish {
    pub range: (f64, f64),
    pub force: ForceName,
    pub force_channel: Option<u32>,
}

/// Curves that are fitted together, the range and the force; ranges by their bits, so that they compare.
type Key = (Vec<usize>, [u64; 2], ForceName, Option<u32>);
type Fitted = Result<SweepFit, String>;

/// Fits that were made already: curves of one order are fitted alone and together for each of them.
#[derive(Default)]
pub(super) struct Fits(Mutex<HashMap<Key, Arc<OnceLock<Fitted>>>>);

impl Fits {
    fn of(&self, key: Key, make: impl FnOnce() -> Fitted) -> Fitted {
        let place = match self.0.lock() {
            Ok(mut known) => known.entry(key).or_default().clone(),
            Err(_) => return make(),
        };
        place.get_or_init(make).clone()
    }
}

/// The cuts of one order, and what they are fitted with.
struct Order<'a> {
    cuts: Vec<(usize, &'a Trace, Cut)>,
    number: f64,
    mean: Mean,
    drive: Option<Cut>,
    wish: Wish,
    fits: &'a Fits,
}

impl Order<'_> {
    /// Fits curves, by their places in `cuts`, together.
    fn fit(&self, curves: &[usize]) -> Fitted {
        let (_, t, first) = &self.cuts[curves[0]];
        let key = (
            curves.iter().map(|c| self.cuts[*c].0).collect(),
            [self.wish.range.0.to_bits(), self.wish.range.1.to_bits()],
            self.wish.force,
            self.wish.force_channel,
        );
        let model = SweepModel { order: self.number, power: power(&t.unit, self.wish.force), mean: self.mean };
        let values: Vec<&[Complex64]> = curves.iter().map(|c| &self.cuts[*c].2.values[..]).collect();
        let drive = self.drive.as_ref().map(|d| &d.values[..]);
        self.fits.of(key, || fit_sweep(&first.steps, &values, self.wish.range, model, drive).map_err(|e| e.to_string()))
    }
}

/// Reads the resonance that a cut passes between two speeds.
pub(super) fn read(result: &Analysis, trace: usize, wish: Wish, fits: &Fits) -> Result<CursorReading, Refusal> {
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
    let by_half_power = resonance(&rpm, &own.values, order, wish.range.0, wish.range.1);
    let mates = number * channels..((number + 1) * channels).min(result.traces.len());
    let drive = force(result, mates.clone(), &own, wish)?;
    let mean = match (o.filter(), o.bandwidth_hz) {
        (None, _) => Mean::Block(1.0 / o.resolution),
        (Some(filter), None) => Mean::Turns(filter),
        (Some(filter), Some(_)) => Mean::Time(filter),
    };
    // What is measured in the same way and reached the same speeds; the force is no answer to itself.
    let mut cuts: Vec<(usize, &Trace, Cut)> = mates
        .filter(|i| *i != trace && wish.force_channel != Some(result.traces[*i].channel))
        .map(|i| (i, &result.traces[i]))
        .filter(|(_, m)| m.channel != t.channel && power(&m.unit, wish.force) == power(&t.unit, wish.force))
        .filter_map(|(i, m)| Some((i, m, cut(result, m)?)))
        .filter(|(_, _, c)| c.steps == own.steps)
        .collect();
    cuts.push((trace, t, own));
    cuts.sort_by_key(|c| c.0);
    let own = cuts.iter().position(|c| c.0 == trace).unwrap_or(0);
    let mode = fitted(&Order { cuts, number: order, mean, drive, wish, fits }, own);
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

/// The cut of the channel that measured the force, where one is asked for.
fn force(result: &Analysis, mut mates: std::ops::Range<usize>, own: &Cut, wish: Wish) -> Result<Option<Cut>, Refusal> {
    match (wish.force, wish.force_channel) {
        (ForceName::Measured, Some(channel)) => {
            let found = mates.find(|i| result.traces[*i].channel == channel);
            let cut = found.and_then(|i| cut(result, &result.traces[i])).filter(|c| c.steps == own.steps);
            match cut {
                Some(c) => Ok(Some(c)),
                None => refuse(
                    "force_channel",
                    format!("channel {channel} has no cut of this order; allowed: a channel of the result"),
                ),
            }
        }
        (ForceName::Measured, None) => refuse("force_channel", "a measured force wants the channel that measured it"),
        (_, Some(_)) => refuse("force_channel", "a channel is allowed only where the force is measured"),
        _ => Ok(None),
    }
}

/// The mode in one curve, told by all curves of the order where they see the same one.
fn fitted(o: &Order<'_>, own: usize) -> Result<ModeFit, String> {
    if o.cuts[own].2.steps.iter().any(|s| s.time_s.is_nan()) {
        return Err("this result does not tell when its speeds were reached: make it again for a fit".into());
    }
    let alone = o.fit(&[own])?;
    let same = |f: &SweepFit| (f.frequency_hz.0 / alone.frequency_hz.0 - 1.0).abs() < SAME;
    let seen: Vec<usize> = (0..o.cuts.len()).filter(|i| *i == own || o.fit(&[*i]).is_ok_and(|f| same(&f))).collect();
    let (fit, curves, at) = match o.fit(&seen) {
        Ok(joint) if same(&joint) => (joint, seen.len(), seen.iter().position(|i| *i == own).unwrap_or(0)),
        _ => (alone, 1, 0),
    };
    Ok(ModeFit {
        rpm: 60.0 * fit.frequency_hz.0 / o.number,
        frequency_hz: fit.frequency_hz.0,
        frequency_within_hz: 2.0 * fit.frequency_hz.1,
        damping: fit.damping.0,
        damping_within: 2.0 * fit.damping.1,
        amplification: 0.5 / fit.damping.0,
        amplitude: fit.amplitudes[at],
        unexplained: fit.unexplained,
        curves,
        at_rpm: o.cuts[own].2.steps[fit.range.clone()].iter().map(|s| s.rpm).collect(),
        re: fit.fitted[at].iter().map(|z| z.re).collect(),
        im: fit.fitted[at].iter().map(|z| z.im).collect(),
    })
}
