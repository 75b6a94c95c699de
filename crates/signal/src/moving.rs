//! Values that follow a signal sample by sample: moving rms, mean and peak, and the slope.
//!
//! Each looks back over a fixed number of samples (the slope two to either side), so that a stretch
//! worked on in pieces gives the same as the whole, as long as every piece comes with what its first
//! samples look at. Samples that are not finite, where nothing was recorded, are left out.
//!
//! Source: moving rms as the running root mean square of ISO 2631-1, 6.3.1, with a rectangular
//! window; the slope as the five-point central difference (Abramowitz & Stegun 25.3.6), whose error
//! is −(ωT)⁴/30: 0.1 % at a fifteenth of the sample rate.

use crate::error::{Result, argument};
use std::collections::VecDeque;

/// What is made of the last samples.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Moving {
    /// Root mean square.
    Rms,
    /// Mean.
    Mean,
    /// Largest magnitude.
    Peak,
}

/// Samples to either side that [`slope`] looks at.
pub const SLOPE_REACH: usize = 2;

/// One value a sample, of that sample and the ones before it, `length` together (fewer at the start).
///
/// # Errors
/// A length of 0.
pub fn moving(samples: &[f64], length: usize, of: Moving) -> Result<Vec<f64>> {
    if length == 0 {
        return Err(argument("length", 0, "1 sample or more"));
    }
    Ok(match of {
        Moving::Mean => means(samples, length, |x| x),
        Moving::Rms => {
            // Rounding may leave a little less than nothing; what is missing stays missing.
            let root = |p: f64| if p < 0.0 { 0.0 } else { p.sqrt() };
            means(samples, length, |x| x * x).into_iter().map(root).collect()
        }
        Moving::Peak => peaks(samples, length),
    })
}

fn means(samples: &[f64], length: usize, f: impl Fn(f64) -> f64) -> Vec<f64> {
    let mut out = Vec::with_capacity(samples.len());
    let (mut sum, mut count) = (0.0, 0usize);
    for (i, x) in samples.iter().enumerate() {
        // Now and then the sum is made anew, so that rounding does not gather.
        if i % length.max(4096) == 0 {
            let kept = samples[(i + 1).saturating_sub(length)..i].iter().filter(|x| x.is_finite());
            (sum, count) = kept.fold((0.0, 0), |(s, n), x| (s + f(*x), n + 1));
        } else if let Some(gone) = i.checked_sub(length).map(|k| samples[k]).filter(|x| x.is_finite()) {
            sum -= f(gone);
            count -= 1;
        }
        if x.is_finite() {
            sum += f(*x);
            count += 1;
        }
        out.push(if count > 0 { sum / count as f64 } else { f64::NAN });
    }
    out
}

fn peaks(samples: &[f64], length: usize) -> Vec<f64> {
    // Candidates in falling order: the first is the largest of the last `length`.
    let mut kept: VecDeque<(usize, f64)> = VecDeque::new();
    let mut out = Vec::with_capacity(samples.len());
    for (i, x) in samples.iter().enumerate() {
        if kept.front().is_some_and(|(at, _)| at + length <= i) {
            kept.pop_front();
        }
        if x.is_finite() {
            while kept.back().is_some_and(|(_, v)| *v <= x.abs()) {
                kept.pop_back();
            }
            kept.push_back((i, x.abs()));
        }
        out.push(kept.front().map_or(f64::NAN, |(_, v)| *v));
    }
    out
}

/// The derivative in units a second: five points where they are there, three or two at the borders.
///
/// # Errors
/// A rate that is not above 0.
pub fn slope(samples: &[f64], sample_rate_hz: f64) -> Result<Vec<f64>> {
    crate::error::check_rate(sample_rate_hz)?;
    let at = |i: usize, by: isize| -> f64 {
        i.checked_add_signed(by).and_then(|k| samples.get(k)).copied().unwrap_or(f64::NAN)
    };
    let one = |i: usize| {
        let (a, b, c, d, x) = (at(i, -2), at(i, -1), at(i, 1), at(i, 2), samples[i]);
        let choices = [(a - 8.0 * b + 8.0 * c - d) / 12.0, (c - b) / 2.0, c - x, x - b];
        choices.into_iter().find(|v| v.is_finite()).unwrap_or(f64::NAN) * sample_rate_hz
    };
    Ok((0..samples.len()).map(one).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    fn naive(samples: &[f64], length: usize, of: Moving) -> Vec<f64> {
        (0..samples.len())
            .map(|i| {
                let last: Vec<f64> =
                    samples[(i + 1).saturating_sub(length)..=i].iter().copied().filter(|x| x.is_finite()).collect();
                let n = last.len() as f64;
                match of {
                    Moving::Rms => (last.iter().map(|x| x * x).sum::<f64>() / n).sqrt(),
                    Moving::Mean => last.iter().sum::<f64>() / n,
                    Moving::Peak => last.iter().fold(f64::NAN, |m, x| m.max(x.abs())),
                }
            })
            .collect()
    }

    #[test]
    fn moving_values_are_those_of_the_last_samples() {
        let mut samples: Vec<f64> = (0..10_000).map(|i| ((i * 7919) % 1013) as f64 - 400.0).collect();
        samples[5000..5010].fill(f64::NAN);
        for of in [Moving::Rms, Moving::Mean, Moving::Peak] {
            for length in [1, 7, 256, 20_000] {
                let found = moving(&samples, length, of).unwrap();
                for (i, (a, b)) in found.iter().zip(naive(&samples, length, of)).enumerate() {
                    let same = (a - b).abs() < 1e-6 || (a.is_nan() && b.is_nan());
                    assert!(same, "{of:?} of {length} at {i}: {a} for {b}");
                }
            }
        }
        assert!(moving(&samples, 0, Moving::Rms).is_err());
        assert!(moving(&[], 3, Moving::Peak).unwrap().is_empty());
    }

    #[test]
    fn a_sine_has_its_cosine_as_slope() {
        let rate = 1000.0;
        let samples: Vec<f64> = (0..400).map(|i| (TAU * 40.0 * i as f64 / rate).sin()).collect();
        let found = slope(&samples, rate).unwrap();
        let omega = TAU * 40.0;
        let error = (omega / rate).powi(4) / 30.0;
        for (i, v) in found.iter().enumerate().skip(2).take(390) {
            let wanted = omega * (omega * i as f64 / rate).cos();
            assert!((v - wanted).abs() < 1.05 * error * omega, "{i}: {v} for {wanted}");
        }
        // Where something is missing, what is there is used.
        let mut holed = vec![1.0, 2.0, 4.0, f64::NAN, 5.0];
        assert_eq!(slope(&holed, 1.0).unwrap()[..3], [1.0, 1.5, 2.0]);
        holed.truncate(1);
        assert!(slope(&holed, 1.0).unwrap()[0].is_nan() && slope(&holed, 0.0).is_err());
    }
}
