//! Orders against speed or time: in blocks of revolutions, or followed sample by sample.

use super::rotation::{
    ALLOWED_LOSS, Orders, SHARP, Stepped, TOLD_LOSS, Wish, beyond, blunted, orders, steepest, two_digits_up,
};
use super::spectral::window;
use super::{Progress, blank, caution, complex_trace, number};
use crate::analysis::AnalysisError;
use crate::analysis::prepare::View;
use crate::analysis::result::{Analysis, Number, ResultCaution, Trace};
use crate::analysis::words::{CautionRule, Shown};
use crate::recipe::{Lens, OrderTrackRecipe, TrackMethod};
use echo_signal::rotation::order::order_cut;
use echo_signal::rotation::vibration::{slow_roll_vector, subtract_slow_roll};
use echo_signal::rotation::vold_kalman::{Follower, OrderFilter};
use echo_signal::spectrum::Complex64;
use rayon::prelude::*;

/// Values of one order of one channel, and how far each may be off.
struct Cut {
    values: Vec<Complex64>,
    within: Option<Vec<f64>>,
}

/// Amplitude and phase of orders against speed or time.
pub fn order_track(
    s: &OrderTrackRecipe,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let highest = s.orders.iter().copied().fold(0.0, f64::max);
    let along = Stepped::new(s.along, s.step_rpm, s.sweep, s.interval_s, view);
    let wish = Wish { highest, resolution: s.resolution, along, window: window(s.window, None) };
    let o = orders(&s.tacho, &wish, view, progress)?;
    let cuts = match s.method {
        TrackMethod::Resample => in_blocks(s, &o)?,
        TrackMethod::VoldKalman => followed(s, &o)?,
    };
    let rpm: Vec<f64> = o.steps.iter().map(|s| s.rpm).collect();
    let mut out = blank(view);
    for (k, order) in s.orders.iter().enumerate() {
        for (c, cuts) in view.channels.iter().zip(&cuts) {
            let cut = &cuts[k];
            let values = match s.slow_roll_rpm {
                None => cut.values.clone(),
                Some([from, to]) => subtract_slow_roll(&cut.values, slow_roll_vector(&rpm, &cut.values, from, to)?),
            };
            out.traces.push(Trace {
                name: format!("order {order}, {}", c.name),
                reference: Some(s.tacho.channel),
                within: cut.within.clone(),
                ..complex_trace(c, Shown::Order, c.unit.clone(), &values)
            });
        }
    }
    out.axes.push(along.axis(&o.steps, view.start_s()));
    if matches!(along, Stepped::Speed { .. }) {
        out.reached_s = o.steps.iter().map(|s| view.start_s() + s.time_s).collect();
    }
    match s.filter() {
        None => {
            out.cautions.extend(blunted(&o, s.resolution));
            // A Hann window's main lobe is two lines to either side.
            out.cautions.extend(close_orders(&s.orders, 2.0 * s.resolution, &format!("two lines of {}", s.resolution)));
        }
        Some(filter) => {
            out.numbers.extend(told(s, &filter));
            out.cautions.extend(blunted_by(s, &o, filter));
            if s.bandwidth_hz.is_none() {
                out.cautions.extend(close_orders(&s.orders, s.resolution, &format!("their width of {}", s.resolution)));
            }
        }
    }
    out.cautions.extend(beyond(&o, highest, view.rate()));
    out.cautions.extend(o.turning.cautions);
    out.recipe.lens =
        Lens::OrderTrack(OrderTrackRecipe { tacho: o.turning.tacho, interval_s: along.interval_s(), ..s.clone() });
    Ok(out)
}

/// Every channel's orders, read of blocks.
fn in_blocks(s: &OrderTrackRecipe, o: &Orders) -> Result<Vec<Vec<Cut>>, AnalysisError> {
    let cut = |x: &Vec<f64>| {
        let orders = order_cut(x, &o.sampler, &o.steps, &s.orders, o.block)?;
        Ok(orders.into_iter().map(|values| Cut { values, within: None }).collect())
    };
    o.channels.par_iter().map(cut).collect()
}

/// Every channel's orders, followed together.
fn followed(s: &OrderTrackRecipe, o: &Orders) -> Result<Vec<Vec<Cut>>, AnalysisError> {
    let Some(filter) = s.filter() else { return in_blocks(s, o) };
    let angles: Vec<f64> = (0..o.sampler.len()).map(|k| o.sampler.angle_rev(k)).collect();
    let phases: Vec<Vec<f64>> = s.orders.iter().map(|order| angles.iter().map(|a| order * a).collect()).collect();
    let by_time = s.bandwidth_hz.is_some();
    let places = if by_time { o.sampler.times_s() } else { &angles };
    let follower = Follower::new(places, &phases, filter)?;
    let followed = o.channels.par_iter().map(|x| follower.follow(x)).collect::<Result<Vec<_>, _>>()?;
    let place = |step: &echo_signal::rotation::steps::SpeedStep| if by_time { step.time_s } else { step.angle_rev };
    Ok(followed
        .into_iter()
        .map(|f| {
            (0..s.orders.len())
                .map(|k| Cut {
                    values: o.steps.iter().map(|step| f.at(k, place(step))).collect(),
                    within: Some(o.steps.iter().map(|step| 2.0 * f.uncertainty(k, place(step))).collect()),
                })
                .collect()
        })
        .collect())
}

/// What the filter does, as numbers of the result.
fn told(s: &OrderTrackRecipe, filter: &OrderFilter) -> [Number; 2] {
    let (swings, place) = if s.bandwidth_hz.is_some() { ("Hz", "s") } else { ("", "rev") };
    [
        number("width (−3 dB)", s.tacho.channel, swings, filter.bandwidth),
        number("rise (10 to 90 %)", s.tacho.channel, place, filter.rise()),
    ]
}

/// How much of a resonance's peak is lost to the width of the filter, and the width that keeps it. The
/// amplitude seen is the mean of 1/(1 + 2jQ·s·τ) over the filter's weights, s the share by which the speed
/// changes in a unit of place, which is ∫e⁻ˣ·kept(Q·s·x/π)dx.
fn blunted_by(s: &OrderTrackRecipe, o: &Orders, filter: OrderFilter) -> Option<ResultCaution> {
    let (at, change) = steepest(o, s.bandwidth_hz.is_some())?;
    let lost = |bandwidth: f64| {
        let f = OrderFilter { bandwidth, ..filter };
        let step = 0.02;
        let kept: f64 = (0..1000)
            .map(|k| {
                let x = (f64::from(k) + 0.5) * step;
                (-x).exp() * f.kept(SHARP * change * x / std::f64::consts::PI) * step
            })
            .sum();
        1.0 - kept
    };
    let loss = lost(filter.bandwidth);
    if loss < TOLD_LOSS {
        return None;
    }
    let wanted = (1..200).map(|k| filter.bandwidth * 1.05f64.powi(k)).find(|b| lost(*b) < ALLOWED_LOSS)?;
    let wanted = two_digits_up(wanted);
    let key = if s.bandwidth_hz.is_some() { format!("{wanted} Hz") } else { wanted.to_string() };
    let says = format!(
        "at {at:.0} rpm the speed changes too fast for this width: a resonance of Q {SHARP:.0} reads about {:.0} % low; a width of {key} keeps it within {:.0} %",
        100.0 * loss,
        100.0 * ALLOWED_LOSS
    );
    Some(caution(CautionRule::ResonanceBlunted, None, says))
}

/// Orders that cannot be told from each other because they are closer than `limit`.
fn close_orders(orders: &[f64], limit: f64, says: &str) -> Option<ResultCaution> {
    let mut sorted = orders.to_vec();
    sorted.sort_by(f64::total_cmp);
    let close = sorted.windows(2).find(|w| w[1] > w[0] && w[1] - w[0] < limit)?;
    let says = format!(
        "orders {} and {} are closer than {says} and leak into each other; a finer resolution parts them",
        close[0], close[1]
    );
    Some(caution(CautionRule::CloseOrders, None, says))
}
