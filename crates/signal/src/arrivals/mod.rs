//! First arrival of a burst in a record.
//!
//! Akaike's criterion parts noise from burst; the shape of the rise then tells how long before it the
//! burst began (`rise`). Source: Maeda, "A method for reading and checking phase times in auto-processing system of
//! seismic wave data", Zisin 38 (1985); Akaike weights after Burnham & Anderson, "Model Selection
//! and Multimodel Inference", for the uncertainty.

mod rise;

use crate::error::{Result, SignalError, argument, check_finite, check_rate};

/// How the onset is found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Pick {
    /// Where Akaike's criterion parts noise from burst.
    Akaike,
    /// Where the magnitude first passes this share of its peak.
    Threshold(f64),
}

/// An onset.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Arrival {
    /// Time from the first sample, s.
    pub time_s: f64,
    /// Standard uncertainty, s, a twentieth of a sample or more, by a threshold half a sample: noise and
    /// the unknown shape of the rise, not how the wave spreads.
    pub uncertainty_s: f64,
}

/// Samples that a pick needs.
pub const FEWEST: usize = 32;

/// Smallest uncertainties that are told, samples: of a pick whose rise was read, and of one whose was not.
const FINEST: f64 = 0.05;
const COARSE: f64 = 0.5;

/// Finds the onset of the strongest burst.
///
/// # Errors
/// Fewer than [`FEWEST`] samples, a sample that is not finite, samples that never change, a share
/// that is not between 0 and 1, a burst that begins with the record so that no noise stands before.
pub fn arrival(samples: &[f64], sample_rate_hz: f64, pick: Pick) -> Result<Arrival> {
    check_rate(sample_rate_hz)?;
    check_finite(samples)?;
    let n = samples.len();
    if n < FEWEST {
        return Err(SignalError::TooShort { what: "an arrival", have: n, need: FEWEST });
    }
    let mean = samples.iter().sum::<f64>() / n as f64;
    let x: Vec<f64> = samples.iter().map(|v| v - mean).collect();
    let peak = crate::impact::peak_position(&x);
    if x[peak] == 0.0 || samples.iter().all(|v| *v == samples[0]) {
        return Err(argument("stretch", "a signal that never changes", "a stretch with a burst"));
    }
    let found = match pick {
        Pick::Threshold(share) => by_threshold(&x, peak, share)?,
        Pick::Akaike => {
            let (place, spread) = by_akaike(&x, peak)?;
            rise::refined(&x, place, spread).unwrap_or((place, spread.max(COARSE)))
        }
    };
    let finest = if pick == Pick::Akaike { FINEST } else { COARSE };
    Ok(Arrival { time_s: found.0 / sample_rate_hz, uncertainty_s: found.1.max(finest) / sample_rate_hz })
}

fn by_threshold(x: &[f64], peak: usize, share: f64) -> Result<(f64, f64)> {
    if !(share > 0.0 && share < 1.0) {
        return Err(argument("threshold", share, "above 0 and below 1, as share of the peak"));
    }
    let level = share * x[peak].abs();
    let i = x.iter().position(|v| v.abs() >= level).unwrap_or(peak);
    if i == 0 {
        return Err(argument("threshold", share, "a level the record does not begin above"));
    }
    let (before, after) = (x[i - 1].abs(), x[i].abs());
    let place = i as f64 - (after - level) / (after - before);
    // Noise before the crossing over the slope of the crossing.
    let noise = (x[..i].iter().map(|v| v * v).sum::<f64>() / i as f64).sqrt();
    Ok((place, noise / (after - before)))
}

fn by_akaike(x: &[f64], peak: usize) -> Result<(f64, f64)> {
    // Up to the peak, then closer around what was found, until it stays.
    let (mut from, mut to) = (0, (peak + 1).max(FEWEST).min(x.len()));
    let mut found = minimum(x, from, to).ok_or_else(too_early)?;
    for _ in 0..4 {
        // As much noise as burst on either side of the onset, but some of both.
        let reach = (to - found.0 as usize).max(FEWEST / 2);
        (from, to) = ((found.0 as usize).saturating_sub(3 * reach), (found.0 as usize + reach).min(x.len()));
        let next = minimum(x, from, to).ok_or_else(too_early)?;
        let stays = (next.0 - found.0).abs() < 1.0;
        found = next;
        if stays {
            break;
        }
    }
    Ok(found)
}

fn too_early() -> SignalError {
    argument("stretch", "a burst at its very beginning", "a stretch with noise before the burst")
}

/// Minimum of the criterion over a window, and the spread of its weights; in samples of `x`.
fn minimum(x: &[f64], from: usize, to: usize) -> Option<(f64, f64)> {
    let w = &x[from..to];
    let n = w.len();
    let (mut sum, mut squares) = (vec![0.0; n + 1], vec![0.0; n + 1]);
    for (i, v) in w.iter().enumerate() {
        sum[i + 1] = sum[i] + v;
        squares[i + 1] = squares[i] + v * v;
    }
    let floor = squares[n] / n as f64 * 1e-24 + f64::MIN_POSITIVE;
    let variance = |a: usize, b: usize| {
        let (count, s) = ((b - a) as f64, sum[b] - sum[a]);
        ((squares[b] - squares[a] - s * s / count) / count).max(floor)
    };
    let edge = 4;
    if n < 2 * edge + 2 {
        return None;
    }
    let criterion: Vec<f64> =
        (edge..n - edge).map(|k| k as f64 * variance(0, k).ln() + (n - k - 1) as f64 * variance(k, n).ln()).collect();
    let best = (0..criterion.len()).min_by(|&a, &b| criterion[a].total_cmp(&criterion[b]))?;
    if best == 0 && from == 0 {
        return None;
    }
    let (mut total, mut mean, mut spread) = (0.0, 0.0, 0.0);
    for (k, c) in criterion.iter().enumerate() {
        let weight = (-(c - criterion[best]) / 2.0).exp();
        let d = k as f64 - best as f64;
        total += weight;
        mean += weight * d;
        spread += weight * d * d;
    }
    let mean = mean / total;
    let deviation = (spread / total - mean * mean).max(0.0).sqrt();
    // The last sample of noise and the first of the burst have the onset between them.
    Some(((from + edge + best) as f64 - 0.5, deviation))
}
