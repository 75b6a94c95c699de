//! What an event was: peaks an axis, dominant axis, duration, change of velocity.
//!
//! Source: IEC 60068-2-27 for the half-sine pulse and its nominal duration.

use crate::Refusal;
use echo_signal::filter::{Band, Filter};
use serde::Serialize;
use std::f64::consts::PI;
use utoipa::ToSchema;

/// Share of the peak above which an event lasts.
pub const ABOVE: f64 = 0.1;

/// How events are read.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct EventSettings {
    /// The mean before the trigger is taken off.
    pub zero: bool,
    /// Everything above is taken off, run forward and backward, Hz.
    pub lowpass_hz: Option<f64>,
}

/// One axis of an event.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct AxisOfEvent {
    /// Largest value by magnitude, with its sign, in the axis's unit.
    pub peak: f64,
    /// When it is reached, s from the stretch's start.
    pub peak_s: f64,
    /// Value integrated over the event, unit times s; a change of velocity where the axis measures acceleration.
    pub integral: f64,
}

/// An event.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Event {
    /// Each axis.
    pub axes: Vec<AxisOfEvent>,
    /// Place of the axis with the largest peak.
    pub dominant: usize,
    /// Largest length of the vector of all axes.
    pub resultant: f64,
    /// Time the dominant axis is above a tenth of its peak, s.
    pub duration_s: f64,
    /// Length of the half sine that is above a tenth of its peak for as long, s.
    pub half_sine_s: f64,
}

/// Place between samples where a value passes a level, going from `i` towards `j`.
fn crossing(x: &[f64], i: usize, j: usize, level: f64) -> f64 {
    let share = (x[i] - level) / (x[i] - x[j]);
    i as f64 + share * (j as f64 - i as f64)
}

/// Reads an event from its axes, which are of equal length; the first `pre` samples are from before it.
///
/// # Errors
/// No axis, fewer than 8 samples, samples missing, a filter above the clean band.
pub fn event(axes: &[Vec<f64>], pre: usize, rate_hz: f64, settings: EventSettings) -> Result<Event, Refusal> {
    let n = axes.iter().map(Vec::len).min().unwrap_or(0);
    if n < 8 {
        return Err(Refusal::new("stretch", format!("an event of {n} samples; allowed: 8 and more")));
    }
    if axes.iter().any(|x| x[..n].iter().any(|v| !v.is_finite())) {
        return Err(Refusal::new("stretch", "samples are missing in this event; allowed: a stretch without gaps"));
    }
    let mut ready = Vec::with_capacity(axes.len());
    for x in axes {
        let mut x = x[..n].to_vec();
        if settings.zero && pre > 0 {
            let before = &x[..pre.min(n)];
            let mean = before.iter().sum::<f64>() / before.len() as f64;
            x.iter_mut().for_each(|v| *v -= mean);
        }
        if let Some(hz) = settings.lowpass_hz {
            let refused = |e: echo_signal::SignalError| Refusal::new("lowpass_hz", e.to_string());
            let mut filter = Filter::butterworth(Band::Lowpass(hz), 4, rate_hz).map_err(refused)?;
            filter.zero_phase(&mut x).map_err(refused)?;
        }
        ready.push(x);
    }
    let top = |x: &[f64]| (0..n).max_by(|a, b| x[*a].abs().total_cmp(&x[*b].abs())).unwrap_or(0);
    let tops: Vec<usize> = ready.iter().map(|x| top(x)).collect();
    let dominant =
        (0..ready.len()).max_by(|a, b| ready[*a][tops[*a]].abs().total_cmp(&ready[*b][tops[*b]].abs())).unwrap_or(0);
    let at = tops[dominant];
    let sign = ready[dominant][at].signum();
    let x: Vec<f64> = ready[dominant].iter().map(|v| v * sign).collect();
    let level = ABOVE * x[at];
    let from = (0..at).rev().find(|&i| x[i] < level).map_or(0.0, |i| crossing(&x, i, i + 1, level));
    let to = (at + 1..n).find(|&i| x[i] < level).map_or((n - 1) as f64, |i| crossing(&x, i - 1, i, level));
    let duration = to - from;
    // A half sine is above a share s of its peak for all but 2 asin(s)/π of its length.
    let half_sine = duration / (1.0 - 2.0 * ABOVE.asin() / PI);
    let rest = 0.5 * (half_sine - duration);
    let (a, b) = ((from - rest).max(0.0).round() as usize, ((to + rest).round() as usize).min(n - 1));
    let axes = ready.iter().zip(&tops).map(|(x, &t)| AxisOfEvent {
        peak: x[t],
        peak_s: t as f64 / rate_hz,
        integral: x[a..=b].windows(2).map(|w| 0.5 * (w[0] + w[1])).sum::<f64>() / rate_hz,
    });
    let resultant = (0..n).map(|i| ready.iter().map(|x| x[i] * x[i]).sum::<f64>().sqrt()).fold(0.0, f64::max);
    Ok(Event {
        axes: axes.collect(),
        dominant,
        resultant,
        duration_s: duration / rate_hz,
        half_sine_s: half_sine / rate_hz,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const RATE: f64 = 5120.0;

    /// A half sine of this peak and length an axis, 0.1 s after the start, on a steady offset.
    fn bump(peaks: &[f64], length_s: f64, offset: f64) -> Vec<Vec<f64>> {
        let one = |p: f64| {
            (0..1024).map(move |i| {
                let into = i as f64 / RATE - 0.1;
                let on = (0.0..length_s).contains(&into);
                offset + if on { p * (PI * into / length_s).sin() } else { 0.0 }
            })
        };
        peaks.iter().map(|p| one(*p).collect()).collect()
    }

    fn zeroed(lowpass_hz: Option<f64>) -> EventSettings {
        EventSettings { zero: true, lowpass_hz }
    }

    proptest! {
        #[test]
        fn a_half_sine_is_read_as_it_was_made(
            athwart in 5.0f64..80.0, share in -0.9f64..0.9, length_s in 0.01f64..0.08, offset in -2.0f64..2.0, negative in any::<bool>()
        ) {
            let athwart = if negative { -athwart } else { athwart };
            let found = event(&bump(&[share * athwart, athwart], length_s, offset), 400, RATE, zeroed(None)).unwrap();
            prop_assert_eq!(found.dominant, 1);
            prop_assert!((found.axes[1].peak / athwart - 1.0).abs() < 2e-3, "{:?}", found);
            prop_assert!((found.half_sine_s / length_s - 1.0).abs() < 5e-3, "{:?} for {}", found, length_s);
            prop_assert!(found.duration_s < found.half_sine_s);
            // The area under half a sine.
            let wanted = 2.0 * athwart * length_s / PI;
            prop_assert!((found.axes[1].integral / wanted - 1.0).abs() < 0.01, "{:?} for {}", found, wanted);
            prop_assert!((found.resultant / athwart.hypot(share * athwart) - 1.0).abs() < 2e-3);
            prop_assert!((found.axes[1].peak_s - 0.1 - length_s / 2.0).abs() < 1.0 / RATE);
        }
    }

    #[test]
    fn a_filter_takes_off_what_rides_on_it() {
        let mut axes = bump(&[40.0], 0.05, 0.0);
        axes[0].iter_mut().enumerate().for_each(|(i, v)| *v += 6.0 * (i as f64 * 1900.0 / RATE * 2.0 * PI).sin());
        let raw = event(&axes, 400, RATE, zeroed(None)).unwrap();
        let clean = event(&axes, 400, RATE, zeroed(Some(300.0))).unwrap();
        assert!(raw.axes[0].peak > 44.0 && (clean.axes[0].peak / 40.0 - 1.0).abs() < 0.01, "{raw:?} {clean:?}");
    }

    #[test]
    fn what_cannot_be_read_is_told() {
        let plain = EventSettings::default();
        assert!(event(&[], 0, RATE, plain).is_err());
        assert!(event(&[vec![1.0; 5]], 0, RATE, plain).unwrap_err().says.contains("8 and more"));
        let mut holed = bump(&[3.0], 0.05, 0.0);
        holed[0][700] = f64::NAN;
        assert!(event(&holed, 0, RATE, plain).unwrap_err().says.contains("missing"));
        assert!(event(&bump(&[3.0], 0.05, 0.0), 0, RATE, zeroed(Some(4000.0))).is_err(), "above half the rate");
    }
}
