//! The onset of a burst below a sample, from the shape of its rise.
//!
//! Akaike's criterion finds where a burst stands out of the noise, which is late when it rises slowly.
//! Here oscillations that begin at some time and rise in some way are fitted around the pick, for every
//! onset and rise that may be; each is weighed by how well it explains the samples, and what the
//! samples tell is the mean over all of them. Rises that explain the burst alike widen the uncertainty.
//! How much wider than their spread it has to be was found by repeats of bursts of many shapes, most of
//! which are none of those that are fitted (`docs/methods.md`). Source for the weighing: Burnham &
//! Anderson, "Model Selection and Multimodel Inference" (2002), ch. 4.

use std::f64::consts::{PI, TAU};

/// How long an envelope may rise, periods, where it is not there at once.
const RISES: [f64; 7] = [0.35, 0.7, 1.0, 1.4, 2.0, 2.8, 4.0];
/// How it may rise to 1.
const WAYS: [fn(f64) -> f64; 3] = [|u| u, |u| 0.5 - 0.5 * (PI * u).cos(), |u| u * u];
/// Shares of the period found that the first oscillations may turn with.
const SHARES: [f64; 3] = [0.88, 1.0, 1.14];
/// Periods behind the pick that are looked at, and before it, where the onset may lie.
const AHEAD: f64 = 1.5;
const BEHIND: f64 = 5.0;
/// By how much more onsets are off than the weights tell, and what part of a period the shape leaves
/// unknown in any case.
const SPREAD: f64 = 2.4;
const SHAPE: f64 = 1.0 / 60.0;
/// Samples a period beyond which several are taken together.
const ENOUGH: f64 = 40.0;

/// Onset and its standard uncertainty in samples, near a pick with its spread; none where too little
/// stands before or behind it.
pub(super) fn refined(x: &[f64], pick: f64, spread: f64) -> Option<(f64, f64)> {
    let period = first_period(x, pick.ceil() as usize)?;
    let together = (period / ENOUGH).floor();
    if together < 2.0 {
        return among(x, pick, spread, period);
    }
    // Means of several samples stand in their middle.
    let means: Vec<f64> = x.chunks_exact(together as usize).map(|c| c.iter().sum::<f64>() / together).collect();
    let middle = 0.5 * (together - 1.0);
    let (onset, within) = among(&means, (pick - middle) / together, spread / together, period / together)?;
    Some((onset * together + middle, within * together))
}

fn among(x: &[f64], pick: f64, spread: f64, period: f64) -> Option<(f64, f64)> {
    let first = pick.ceil().max(0.0) as usize;
    let to = (first + (AHEAD * period).ceil() as usize).min(x.len());
    let from = first.saturating_sub((BEHIND * period).ceil() as usize);
    let quiet = &x[..first.saturating_sub((0.5 * BEHIND * period) as usize).max(from / 2).max(1)];
    let window = x.get(from..to)?;
    let n = window.len();
    if n < 12 || to < first + 4 || quiet.len() < 8 {
        return None;
    }
    let noise = quiet.iter().map(|v| v * v).sum::<f64>() / quiet.len() as f64;
    let energy: f64 = window.iter().map(|v| v * v).sum();
    let early = (pick - 3.0 * period - 3.0 * spread - 2.0).max(from as f64);
    let late = (pick + 0.5 * period + 3.0 * spread + 2.0).min(to as f64 - 3.0);
    let step = (period / ENOUGH).clamp(0.05, 1.0);
    // Every onset with what a burst from there leaves unexplained.
    let mut all: Vec<(f64, f64)> = Vec::new();
    for k in 0..((late - early) / step).ceil().max(0.0) as usize {
        let onset = early + k as f64 * step;
        for share in SHARES {
            let wave = Wave::new(x, onset, to, period, share);
            for (rise, way) in RISES.iter().flat_map(|r| WAYS.iter().map(move |w| (*r, w))) {
                all.push((onset, energy - wave.explained(|u| if u < rise { way(u / rise) } else { 1.0 }, true)));
            }
            // At once: a wave that begins at zero, and a jump.
            all.extend([false, true].map(|jumps| (onset, energy - wave.explained(|_| 1.0, jumps))));
        }
    }
    // What the best leaves is noise, and a misfit of the shape, which is alike over some samples.
    let left = all.iter().map(|a| a.1).fold(f64::INFINITY, f64::min);
    let misfit = (left / n as f64 - noise).max(0.0);
    let variance = (noise + misfit * n as f64 / 6.0).max(1e-24 * energy).max(f64::MIN_POSITIVE);
    let (mut total, mut mean, mut square) = (0.0, 0.0, 0.0);
    for (onset, rest) in &all {
        let (weight, d) = ((-(rest - left) / (2.0 * variance)).exp(), onset - pick);
        total += weight;
        mean += weight * d;
        square += weight * d * d;
    }
    let mean = mean / total;
    let deviation = (square / total - mean * mean).max(0.0).sqrt();
    let within = (SPREAD * deviation).hypot(step / 3.0).hypot(SHAPE * period);
    within.is_finite().then_some((pick + mean, within))
}

/// Samples behind an onset, with an oscillation that begins there.
struct Wave {
    /// Time from the onset in periods, sine, cosine, sample.
    points: Vec<[f64; 4]>,
}

impl Wave {
    fn new(x: &[f64], onset: f64, to: usize, period: f64, share: f64) -> Wave {
        let turn = TAU * share / period;
        let point = |i: usize| {
            let t = i as f64 - onset;
            let (sin, cos) = (turn * t).sin_cos();
            [t / period, sin, cos, x[i]]
        };
        Wave { points: (onset.ceil() as usize..to).map(point).collect() }
    }

    /// Sum of squares that an oscillation with this envelope explains, its size and phase changing
    /// linearly as they like. One that may not jump begins as a sine.
    fn explained(&self, envelope: impl Fn(f64) -> f64, jumps: bool) -> f64 {
        let (mut m, mut r) = ([[0.0; 4]; 4], [0.0; 4]);
        for [u, sin, cos, v] in &self.points {
            let e = envelope(*u);
            let parts = [e * sin, e * u * sin, e * u * cos, e * cos];
            for i in 0..4 {
                for j in 0..=i {
                    m[i][j] += parts[i] * parts[j];
                }
                r[i] += parts[i] * v;
            }
        }
        // By Cholesky's factors; parts that tell nothing new are left out.
        let (mut l, mut z, mut sum) = ([[0.0; 4]; 4], [0.0; 4], 0.0);
        for i in 0..if jumps { 4 } else { 3 } {
            for j in 0..i {
                let known: f64 = (0..j).map(|k| l[i][k] * l[j][k]).sum();
                l[i][j] = if l[j][j] > 0.0 { (m[i][j] - known) / l[j][j] } else { 0.0 };
            }
            let left = m[i][i] - l[i][..i].iter().map(|v| v * v).sum::<f64>();
            if left > 1e-9 * m[i][i] {
                l[i][i] = left.sqrt();
                z[i] = (r[i] - (0..i).map(|k| l[i][k] * z[k]).sum::<f64>()) / l[i][i];
                sum += z[i] * z[i];
            }
        }
        sum
    }
}

/// Period of the burst's first oscillations, samples: twice the mean distance of its crossings of zero
/// between the pick and the fourth of them.
fn first_period(x: &[f64], first: usize) -> Option<f64> {
    let burst = x.get(first..)?;
    let top = crate::impact::peak_position(burst);
    let level = 0.2 * burst.get(top)?.abs();
    let (mut places, mut last): (Vec<f64>, Option<(usize, f64)>) = (Vec::new(), None);
    // Crossings from beyond one level to beyond the other: noise about zero is none.
    for (i, v) in burst.iter().enumerate().filter(|(_, v)| v.abs() > level) {
        if let Some((k, w)) = last
            && w * v < 0.0
        {
            places.push(0.5 * (k + i) as f64);
            if places.len() == 5 {
                break;
            }
        }
        last = Some((i, *v));
    }
    let (a, b) = (places.first()?, places.last()?);
    let halves = (places.len() - 1) as f64;
    (halves >= 1.0).then(|| 2.0 * (b - a) / halves).filter(|p| *p >= 3.0)
}
