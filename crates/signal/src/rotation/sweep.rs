//! A resonance from the orders of a run-up or coast-down, fitted as what it is: a mode that is driven
//! by a force which grows with speed and is passed at a finite rate.
//!
//! The complex amplitude of a mode in the frame that turns with the shaft obeys
//! `ȧ = (λ − jω(t))·a + F(ω(t))`, λ its pole and ω the frequency of the order. It is followed through
//! the speeds as they were run and averaged over the same block the order was read with, so that
//! neither the rate of the sweep nor the width of the order moves what is found. Other modes are
//! a share of the force that changes linearly over the range. Poles by least squares of all
//! channels at once, residues and the rest eliminated at each step.
//! Source: Golub & Pereyra, "The differentiation of pseudo-inverses and nonlinear least squares
//! problems whose variables separate", SIAM J. Numer. Anal. 10 (1973); Ewins, "Modal Testing" (2000),
//! ch. 4; Lewis, "Vibration during acceleration through a critical speed", Trans. ASME 54 (1932).

use super::steps::SpeedStep;
use super::vold_kalman::OrderFilter;
use crate::error::{Result, SignalError, argument};
use nalgebra::{DMatrix, DVector};
use realfft::num_complex::Complex64;
use std::f64::consts::{PI, TAU};

/// What the values were read with and what drives the mode.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SweepModel {
    /// Order of the shaft that is fitted.
    pub order: f64,
    /// Power of the frequency with which what is measured of a mode's displacement grows under its
    /// force: 2 for unbalance and 0 for a constant force where displacement is measured, one more for
    /// velocity, two more for acceleration.
    pub power: i32,
    /// What each value is a mean of.
    pub mean: Mean,
}

/// Over what an amplitude was averaged around its speed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Mean {
    /// A Hann-weighted block of so many revolutions.
    Block(f64),
    /// A filter along revolutions.
    Turns(OrderFilter),
    /// A filter along time.
    Time(OrderFilter),
}

impl Mean {
    /// How far from the middle something counts, s, at so many turns a second.
    fn reach_s(&self, turns: f64) -> f64 {
        match self {
            Mean::Block(revolutions) => 0.5 * revolutions / turns,
            // Beyond two of its widths a filter has less than half a percent.
            Mean::Turns(f) => 2.0 / f.bandwidth / turns,
            Mean::Time(f) => 2.0 / f.bandwidth,
        }
    }

    /// How much something counts that lies so far from the middle, s.
    fn weight(&self, distance_s: f64, turns: f64) -> f64 {
        match self {
            Mean::Block(_) => 0.5 + 0.5 * (PI * (distance_s / self.reach_s(turns)).clamp(-1.0, 1.0)).cos(),
            Mean::Turns(f) => f.weight(distance_s * turns),
            Mean::Time(f) => f.weight(distance_s),
        }
    }

    /// Time between two values that tell something of their own, s.
    fn apart_s(&self, turns: f64) -> f64 {
        match self {
            Mean::Block(_) => self.reach_s(turns),
            _ => 0.25 * self.reach_s(turns),
        }
    }
}

/// A mode found in a range of speed.
#[derive(Debug, Clone, PartialEq)]
pub struct SweepFit {
    /// Undamped frequency, Hz, and its standard uncertainty.
    pub frequency_hz: (f64, f64),
    /// Share of critical damping, and its standard uncertainty.
    pub damping: (f64, f64),
    /// Steady amplitude of the mode at its frequency, of each channel, peak.
    pub amplitudes: Vec<f64>,
    /// Numbers of the speeds that were fitted.
    pub range: std::ops::Range<usize>,
    /// The fit at those speeds, of each channel.
    pub fitted: Vec<Vec<Complex64>>,
    /// Share of the channels' mean square that the fit does not explain.
    pub unexplained: f64,
}

/// Columns of the linear part beside the mode's own.
const REST: usize = 2;
/// Points of the path on which the mode is followed.
const MOST_POINTS: f64 = 60_000.0;

/// Speed and force along the time of a sweep, and where each block lies on it.
struct Path {
    step_s: f64,
    /// Frequency of the order, rad/s, and its power as force.
    omega: Vec<f64>,
    force: Vec<Complex64>,
    /// First point and weights of the block around each speed of the range.
    blocks: Vec<(usize, Vec<f64>)>,
}

impl Path {
    fn new(
        steps: &[SpeedStep],
        range: &std::ops::Range<usize>,
        model: &SweepModel,
        drive: Option<&[Complex64]>,
    ) -> Path {
        // Time, speed and what drives there.
        let drives = |i: usize| drive.map_or(Complex64::new(1.0, 0.0), |d| d[i]);
        let mut known: Vec<(f64, f64, Complex64)> =
            steps.iter().enumerate().map(|(i, s)| (s.time_s, s.rpm / 60.0, drives(i))).collect();
        known.sort_by(|a, b| a.0.total_cmp(&b.0));
        let half = |s: &SpeedStep| model.mean.reach_s(s.rpm / 60.0);
        let inside = &steps[range.clone()];
        let from = known[0].0 - half(&steps[0]).max(half(&steps[steps.len() - 1]));
        let to = inside.iter().map(|s| s.time_s + half(s)).fold(from, f64::max);
        let narrowest = inside.iter().map(|s| model.mean.apart_s(s.rpm / 60.0)).fold(f64::INFINITY, f64::min);
        let highest = inside.iter().map(|s| s.rpm / 60.0).fold(0.0, f64::max) * model.order;
        // Fine against the block and against the distance of any frequency from the mode's.
        let count = ((to - from) / (narrowest / 12.0).min(0.1 / highest)).ceil().clamp(64.0, MOST_POINTS);
        let step_s = (to - from) / count;
        let mut at = 0;
        let (omega, driven): (Vec<f64>, Vec<Complex64>) = (0..=count as usize)
            .map(|i| {
                let t = from + i as f64 * step_s;
                while at + 2 < known.len() && known[at + 1].0 < t {
                    at += 1;
                }
                let ((t0, v0, d0), (t1, v1, d1)) = (known[at], known[at + 1]);
                let share = (t - t0) / (t1 - t0);
                // Beyond the ends as it was going, but never through rest; driven as at the end.
                let turns = (v0 + (v1 - v0) * share).max(0.05 * v0.min(v1));
                (TAU * model.order * turns, d0 + (d1 - d0) * share.clamp(0.0, 1.0))
            })
            .unzip();
        let middle = omega[omega.len() / 2];
        let force = omega.iter().zip(driven).map(|(w, d)| d * (w / middle).powi(model.power)).collect();
        let blocks = inside
            .iter()
            .map(|s| {
                let place = |t: f64| ((t - from) / step_s).clamp(0.0, count);
                let (a, b) = (place(s.time_s - half(s)).ceil() as usize, place(s.time_s + half(s)).floor() as usize);
                let weight = |i: usize| model.mean.weight(from + i as f64 * step_s - s.time_s, s.rpm / 60.0);
                let weights: Vec<f64> = (a..=b.max(a)).map(weight).collect();
                let sum: f64 = weights.iter().sum::<f64>().max(f64::MIN_POSITIVE);
                (a, weights.iter().map(|w| w / sum).collect())
            })
            .collect();
        Path { step_s, omega, force, blocks }
    }

    fn averaged(&self, value: impl Fn(usize) -> Complex64) -> Vec<Complex64> {
        self.blocks
            .iter()
            .map(|(from, weights)| weights.iter().enumerate().map(|(i, w)| value(from + i) * w).sum())
            .collect()
    }

    /// What a mode of residue 1 does along the range.
    fn mode(&self, pole: Complex64) -> Vec<Complex64> {
        let rate = |i: usize| pole - Complex64::new(0.0, self.omega[i]);
        let mut a = -self.force[0] / rate(0);
        let mut all = Vec::with_capacity(self.omega.len());
        all.push(a);
        for i in 1..self.omega.len() {
            // Exact for what is constant from point to point.
            let rate = 0.5 * (rate(i - 1) + rate(i));
            let steady = -0.5 * (self.force[i - 1] + self.force[i]) / rate;
            a = steady + (a - steady) * (rate * self.step_s).exp();
            all.push(a);
        }
        self.averaged(|i| all[i])
    }

    /// The force, and the force growing over the range: what modes elsewhere make of it.
    fn rest(&self, middle: f64, width: f64) -> [Vec<Complex64>; REST] {
        [self.averaged(|i| self.force[i]), self.averaged(|i| self.force[i] * ((self.omega[i] - middle) / width))]
    }
}

/// Fits one mode to the orders of some channels between two speeds.
///
/// `channels` are complex peak amplitudes at each of `steps`, which hold the whole sweep; `drive` is the
/// force that was measured with them, which then takes the place of one that grows with speed
/// (`model.power` is that of the motion alone).
///
/// # Errors
/// No channel; channels or a force that are not as long as the steps; a force of nothing; fewer than 8 speeds in the range; no mode in
/// it that the values would tell.
pub fn fit_sweep(
    steps: &[SpeedStep],
    channels: &[&[Complex64]],
    (from_rpm, to_rpm): (f64, f64),
    model: SweepModel,
    drive: Option<&[Complex64]>,
) -> Result<SweepFit> {
    if drive.is_some_and(|d| d.len() != steps.len() || !d.iter().all(|z| z.norm() > 0.0 && z.is_finite())) {
        return Err(argument("force", "nothing at some speeds", format!("{} values that are not 0", steps.len())));
    }
    if channels.is_empty() || channels.iter().any(|c| c.len() != steps.len()) {
        return Err(argument("channels", channels.len(), format!("one or more, each of {} values", steps.len())));
    }
    let (a, b) = (steps.partition_point(|s| s.rpm < from_rpm), steps.partition_point(|s| s.rpm <= to_rpm));
    if b < a + 8 {
        return Err(SignalError::TooShort {
            what: "a fitted resonance, in speeds,",
            have: b.saturating_sub(a),
            need: 8,
        });
    }
    let range = a..b;
    let path = Path::new(steps, &range, &model, drive);
    // Each channel counts as much as any other.
    let norms: Vec<f64> = channels
        .iter()
        .map(|c| c[a..b].iter().map(|z| z.norm_sqr()).sum::<f64>().sqrt().max(f64::MIN_POSITIVE))
        .collect();
    let wanted = DMatrix::from_fn(b - a, channels.len(), |i, c| channels[c][a + i] / norms[c]);
    let omega = |rpm: f64| TAU * model.order * rpm / 60.0;
    let (low, high) = (omega(steps[a].rpm), omega(steps[b - 1].rpm));
    let rest = path.rest(0.5 * (low + high), 0.5 * (high - low));
    let solved = |frequency: f64, damping: f64| -> Option<(DMatrix<Complex64>, DMatrix<Complex64>)> {
        let pole = frequency * Complex64::new(-damping, (1.0 - damping * damping).max(0.0).sqrt());
        let mode = path.mode(pole);
        // Columns of like size keep the equations well conditioned.
        let columns = [&mode, &rest[0], &rest[1]];
        let sizes = columns.map(|c| c.iter().map(|z| z.norm_sqr()).sum::<f64>().sqrt().max(f64::MIN_POSITIVE));
        let m = DMatrix::from_fn(b - a, 1 + REST, |i, k| columns[k][i] / sizes[k]);
        let q = m.clone().qr();
        let r = q.r();
        let mut x = r.solve_upper_triangular(&(q.q().adjoint() * &wanted))?;
        let off = &wanted - &m * &x;
        for k in 0..=REST {
            x.row_mut(k).iter_mut().for_each(|v| *v /= sizes[k]);
        }
        Some((x, off))
    };
    let residual = |p: &[f64; 2]| -> Option<DVector<f64>> {
        if !(p[0] > 0.5 * low && p[0] < 2.0 * high && p[1] > 1e-5 && p[1] < 0.9) {
            return None;
        }
        let off = solved(p[0], p[1])?.1;
        Some(DVector::from_iterator(2 * off.len(), off.iter().flat_map(|z| [z.re, z.im])))
    };
    let top = (a..b)
        .max_by(|i, j| {
            let of = |k: usize| channels.iter().zip(&norms).map(|(c, n)| (c[k].norm() / n).powi(2)).sum::<f64>();
            of(*i).total_cmp(&of(*j))
        })
        .unwrap_or(a);
    let mut best: Option<([f64; 2], f64)> = None;
    for damping in [0.005, 0.02, 0.06] {
        if let Some(found) = descend([omega(steps[top].rpm), damping], &residual)
            && best.is_none_or(|b| found.1 < b.1)
        {
            best = Some(found);
        }
    }
    let none = || {
        argument(
            "speed range",
            format!("{from_rpm} to {to_rpm} rpm"),
            "a range in which a mode is passed, with its flanks",
        )
    };
    let (p, cost) = best.filter(|(p, _)| p[0] > low && p[0] < high).ok_or_else(none)?;
    let (x, off) = solved(p[0], p[1]).ok_or_else(none)?;
    // Blocks that share revolutions tell the same twice.
    let blocks = (b - a) as f64;
    let span = (steps[b - 1].time_s - steps[a].time_s).abs().max(f64::MIN_POSITIVE);
    let width = model.mean.apart_s(steps[top].rpm / 60.0);
    let told = blocks.min((span / width).max(1.0));
    let freedom = (2.0 * told * channels.len() as f64 - 2.0 - 2.0 * ((1 + REST) * channels.len()) as f64).max(1.0);
    let j = slopes(&p, &residual).ok_or_else(none)?;
    let information = (j.transpose() * &j) * (told / blocks);
    let covariance = information.try_inverse().ok_or_else(none)? * (cost * told / blocks / freedom);
    let fitted =
        (0..channels.len()).map(|c| (0..b - a).map(|i| (wanted[(i, c)] - off[(i, c)]) * norms[c]).collect()).collect();
    let driven = (0..path.omega.len())
        .min_by(|i, j| (path.omega[*i] - p[0]).abs().total_cmp(&(path.omega[*j] - p[0]).abs()))
        .map_or(0.0, |i| path.force[i].norm());
    let amplitudes = (0..channels.len()).map(|c| (x[(0, c)] * norms[c]).norm() * driven / (p[1] * p[0])).collect();
    Ok(SweepFit {
        frequency_hz: (p[0] / TAU, covariance[(0, 0)].max(0.0).sqrt() / TAU),
        damping: (p[1], covariance[(1, 1)].max(0.0).sqrt()),
        amplitudes,
        range,
        fitted,
        unexplained: cost / channels.len() as f64,
    })
}

/// How the residual changes with each parameter.
fn slopes(p: &[f64; 2], residual: &impl Fn(&[f64; 2]) -> Option<DVector<f64>>) -> Option<DMatrix<f64>> {
    let mut columns = Vec::new();
    for k in 0..2 {
        let h = p[k] * 1e-4;
        let (mut up, mut down) = (*p, *p);
        up[k] += h;
        down[k] -= h;
        columns.push((residual(&up)? - residual(&down)?) / (2.0 * h));
    }
    Some(DMatrix::from_columns(&columns))
}

/// Least squares from a start, by Levenberg's and Marquardt's steps.
fn descend(start: [f64; 2], residual: &impl Fn(&[f64; 2]) -> Option<DVector<f64>>) -> Option<([f64; 2], f64)> {
    let (mut p, mut r) = (start, residual(&start)?);
    let mut cost = r.norm_squared();
    let mut damp = 1e-3;
    for _ in 0..60 {
        let Some(j) = slopes(&p, residual) else { break };
        let (normal, right) = (j.transpose() * &j, j.transpose() * &r);
        let mut moved = false;
        for _ in 0..12 {
            let mut damped = normal.clone();
            (0..2).for_each(|k| damped[(k, k)] *= 1.0 + damp);
            let Some(step) = damped.lu().solve(&right) else { break };
            let next = [p[0] - step[0], p[1] - step[1]];
            if let Some(n) = residual(&next)
                && n.norm_squared() < cost
            {
                let small = (0..2).all(|k| step[k].abs() < 1e-9 * p[k]);
                (p, cost, r) = (next, n.norm_squared(), n);
                damp = (damp * 0.2).max(1e-12);
                moved = !small;
                break;
            }
            damp *= 5.0;
        }
        if !moved {
            break;
        }
    }
    Some((p, cost))
}
