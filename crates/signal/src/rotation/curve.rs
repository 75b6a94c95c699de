//! Angle and speed as smooth functions of time.
//!
//! A cubic spline through the pulses, or near them where it is told to smooth. The parabola that
//! fits best is taken off first, so that the spline's straight ends do no harm at a steady
//! acceleration. A smoothing spline is also led on beyond both ends by the parabola its outer pulses
//! follow: a spline that ends where the pulses end bends towards its straight end, and tells a wrong
//! speed there when the acceleration has changed on the way. Source: Reinsch, "Smoothing by spline
//! functions", Numer. Math. 10 (1967); Green & Silverman, "Nonparametric Regression and Generalized
//! Linear Models", ch. 2.

use crate::error::{Result, SignalError, argument};

/// Where a curve smoothed by a revolution keeps 0.71 (−3 dB) of a fluctuation, in fluctuations a
/// revolution: (√2 − 1)^¼ / 2π. Half a revolution keeps twice as many.
pub const BANDWIDTH: f64 = 0.127_680_980_856_386_4;

/// Stiffness of a speed where none is told, revolutions: half of one, and three quarters of the way
/// from pulse to pulse or more, which takes off the error of single crossings between two samples. A
/// shaft with one pulse a turn keeps 98 % of a fluctuation that takes 13 turns. Faster torsion needs a
/// smaller one.
pub fn speed_smoothing_rev(pulses_per_rev: f64) -> f64 {
    (0.75 / pulses_per_rev).max(0.5)
}

/// Stiffness of an angle where none is told, revolutions. An angle is much less disturbed by single
/// crossings than its slope, and is to follow every swing of the shaft.
pub const ANGLE_SMOOTHING_REV: f64 = 0.125;

/// Angle against time.
#[derive(Debug, Clone, PartialEq)]
pub struct AngleCurve {
    times: Vec<f64>,
    /// Spline values at the knots, parabola taken off.
    values: Vec<f64>,
    /// Second derivatives at the knots.
    bends: Vec<f64>,
    /// Parabola about `origin`: constant, slope, bend.
    parabola: [f64; 3],
    origin: f64,
}

impl AngleCurve {
    /// A curve through (`smooth_s` 0) or near the points.
    ///
    /// `smooth_s` is the stiffness: fluctuations of angular frequency ω are kept by the share
    /// 1/(1 + (ω·smooth_s)⁴).
    ///
    /// # Errors
    /// Fewer than 3 points or times and angles of different number; times or angles that do not
    /// ascend; a stiffness below 0 or not finite.
    pub fn new(times_s: &[f64], angles_rev: &[f64], smooth_s: f64) -> Result<AngleCurve> {
        check(times_s, angles_rev)?;
        let n = times_s.len();
        if !(smooth_s.is_finite() && smooth_s >= 0.0) {
            return Err(argument("tacho.smooth_s", smooth_s, "0 s or more"));
        }
        let mean_step = (times_s[n - 1] - times_s[0]) / (n - 1) as f64;
        Ok(AngleCurve::near(times_s, angles_rev, &vec![[smooth_s, mean_step]; n]))
    }

    /// A curve near the points whose stiffness is a share of the time of the revolution around each of
    /// them, so that it follows a start from rest as well as a fast shaft: fluctuations of `f` a
    /// revolution are kept by the share 1/(1 + (2π·f·smooth_rev)⁴), which is 0.71 at
    /// f = [`BANDWIDTH`]/`smooth_rev`.
    ///
    /// # Errors
    /// As [`Self::new`].
    pub fn by_turns(times_s: &[f64], angles_rev: &[f64], smooth_rev: f64) -> Result<AngleCurve> {
        check(times_s, angles_rev)?;
        if !(smooth_rev.is_finite() && smooth_rev >= 0.0) {
            return Err(argument("tacho.smooth_rev", smooth_rev, "0 or more"));
        }
        let n = times_s.len();
        let (mut low, mut high) = (0, 0);
        let stiffness: Vec<[f64; 2]> = (0..n)
            .map(|i| {
                while low + 1 < i && angles_rev[low + 1] <= angles_rev[i] - 0.5 {
                    low += 1;
                }
                while high + 1 < n && (high <= i || angles_rev[high] < angles_rev[i] + 0.5) {
                    high += 1;
                }
                let time = times_s[high] - times_s[low];
                [smooth_rev * time / (angles_rev[high] - angles_rev[low]), time / (high - low) as f64]
            })
            .collect();
        Ok(AngleCurve::near(times_s, angles_rev, &stiffness))
    }

    /// A curve near points of which each has a stiffness, s, and a mean time between the points
    /// around it, s.
    fn near(times_s: &[f64], angles_rev: &[f64], stiffness: &[[f64; 2]]) -> AngleCurve {
        let n = times_s.len();
        let origin = 0.5 * (times_s[0] + times_s[n - 1]);
        let parabola = fit_parabola(times_s, angles_rev, origin);
        let (before, after) = led_on(times_s, angles_rev, [stiffness[0], stiffness[n - 1]]);
        let own = before.len()..before.len() + n;
        let weight = |[s, step]: [f64; 2]| s.powi(4) / step;
        let weights: Vec<f64> = std::iter::repeat_n(weight(stiffness[0]), before.len())
            .chain(stiffness.iter().map(|s| weight(*s)))
            .chain(std::iter::repeat_n(weight(stiffness[n - 1]), after.len()))
            .collect();
        let pulses = times_s.iter().copied().zip(angles_rev.iter().copied());
        let (knots, rest): (Vec<f64>, Vec<f64>) = before
            .into_iter()
            .chain(pulses)
            .chain(after)
            .map(|(t, a)| (t, a - on_parabola(parabola, t - origin)))
            .unzip();
        let (values, bends) = smoothing_spline(&knots, &rest, &weights);
        let (values, bends) = (values[own.clone()].to_vec(), bends[own].to_vec());
        AngleCurve { times: times_s.to_vec(), values, bends, parabola, origin }
    }

    /// Stretches in which the angle is not known within `limit_rev`: the pulses are too far apart for
    /// the way the speed changes, or the curve is too stiff for it.
    ///
    /// Told from how far the curve is, between two pulses, from the cubic through the four around them,
    /// half of that cubic's own last term (at an end, more than all of it), and how far the curve passes by its
    /// pulses. More than a turn and a half without a pulse is never known, nor the first or last step of a shaft
    /// that starts or stops.
    pub fn coarse(&self, angles_rev: &[f64], limit_rev: f64) -> Vec<(f64, f64)> {
        let t = &self.times;
        let n = t.len().min(angles_rev.len());
        let mut spans: Vec<(f64, f64)> = Vec::new();
        let passes_by = |i: usize| (self.angle_in(i.min(n - 2), t[i]) - angles_rev[i]).abs();
        for i in 0..n.saturating_sub(1) {
            // What happens in more than a turn without a pulse nobody has seen, nor between two pulses at an end
            // of which one comes half as fast again as the other: it starts or stops there.
            let speed = |k: usize| (angles_rev[k + 1] - angles_rev[k]) / (t[k + 1] - t[k]);
            let ends = if i == 0 { Some(1) } else { (i + 2 == n).then(|| i.saturating_sub(1)) };
            let starts = ends.filter(|k| k + 1 < n).is_some_and(|k| {
                let ratio = speed(i) / speed(k);
                ratio.max(1.0 / ratio) > 1.5
            });
            let off = if n < 4 || starts || angles_rev[i + 1] - angles_rev[i] > 1.5 {
                f64::INFINITY
            } else {
                let from = i.saturating_sub(1).min(n - 4);
                let middle = 0.5 * (t[i] + t[i + 1]);
                let (cubic, last) = cubic_at(&t[from..from + 4], &angles_rev[from..from + 4], middle);
                // At an end the cubic has pulses on one side only.
                let share = if i == 0 || i + 2 == n { 1.5 } else { 0.5 };
                (self.angle_in(i, middle) - cubic).abs() + share * last.abs()
            };
            if off.max(passes_by(i)).max(passes_by(i + 1)) > limit_rev {
                // Its neighbours lean on the same pulses.
                let (from, to) = (t[i.saturating_sub(1)], t[(i + 2).min(n - 1)]);
                match spans.last_mut() {
                    Some(last) if last.1 >= from => last.1 = to,
                    _ => spans.push((from, to)),
                }
            }
        }
        spans
    }

    /// First and last time, s.
    pub fn span_s(&self) -> (f64, f64) {
        (self.times[0], self.times[self.times.len() - 1])
    }

    /// Piece of the spline a time lies in; the outer ones go on beyond their ends.
    fn piece(&self, t: f64) -> usize {
        self.times.partition_point(|k| *k <= t).clamp(1, self.times.len() - 1) - 1
    }

    fn angle_in(&self, i: usize, t: f64) -> f64 {
        let h = self.times[i + 1] - self.times[i];
        let (a, b) = ((self.times[i + 1] - t) / h, (t - self.times[i]) / h);
        let d = t - self.origin;
        a * self.values[i]
            + b * self.values[i + 1]
            + h * h / 6.0 * ((a * a * a - a) * self.bends[i] + (b * b * b - b) * self.bends[i + 1])
            + on_parabola(self.parabola, d)
    }

    fn speed_in(&self, i: usize, t: f64) -> f64 {
        let h = self.times[i + 1] - self.times[i];
        let (a, b) = ((self.times[i + 1] - t) / h, (t - self.times[i]) / h);
        (self.values[i + 1] - self.values[i]) / h
            + h / 6.0 * ((3.0 * b * b - 1.0) * self.bends[i + 1] - (3.0 * a * a - 1.0) * self.bends[i])
            + self.parabola[1]
            + 2.0 * (t - self.origin) * self.parabola[2]
    }

    /// Angle at a time, revolutions.
    pub fn angle_at(&self, time_s: f64) -> f64 {
        self.angle_in(self.piece(time_s), time_s)
    }

    /// Speed at a time, revolutions a second.
    pub fn speed_at(&self, time_s: f64) -> f64 {
        self.speed_in(self.piece(time_s), time_s)
    }

    /// Times at which angles are reached; `angles_rev` ascend and lie within the curve's own.
    ///
    /// Where a smoothed curve runs backwards for a moment, the time is that of a step between
    /// neighbouring pulses.
    pub fn times_at(&self, angles_rev: impl Iterator<Item = f64>) -> Vec<f64> {
        let mut i = 0;
        let last = self.times.len() - 2;
        angles_rev
            .map(|wanted| {
                while i < last && self.angle_in(i, self.times[i + 1]) < wanted {
                    i += 1;
                }
                let (mut lo, mut hi) = (self.times[i], self.times[i + 1]);
                let (first, end) = (self.angle_in(i, lo), self.angle_in(i, hi));
                // Newton's steps, kept inside the piece by halving.
                let share = if end > first { ((wanted - first) / (end - first)).clamp(0.0, 1.0) } else { 0.5 };
                let mut t = lo + (hi - lo) * share;
                for _ in 0..60 {
                    let off = self.angle_in(i, t) - wanted;
                    if off.abs() < 1e-12 {
                        break;
                    }
                    if off > 0.0 {
                        hi = t
                    } else {
                        lo = t
                    }
                    let next = t - off / self.speed_in(i, t);
                    t = if next > lo && next < hi { next } else { 0.5 * (lo + hi) };
                }
                t
            })
            .collect()
    }
}

fn on_parabola([constant, slope, bend]: [f64; 3], d: f64) -> f64 {
    constant + d * (slope + d * bend)
}

/// Times and angles.
type Points = Vec<(f64, f64)>;

/// Points before and after the pulses, on the parabolas that the outer pulses follow, as far as the
/// smoothing reaches; none where nothing is smoothed.
fn led_on(times: &[f64], angles: &[f64], stiffness: [[f64; 2]; 2]) -> (Points, Points) {
    let n = times.len();
    let lead = |[smooth_s, step]: [f64; 2], at_end: bool| {
        let reach = ((10.0 * smooth_s / step).ceil() as usize).min(n);
        let taken = reach.max(4).min(n);
        let from = if at_end { n - taken } else { 0 };
        let end = if at_end { times[n - 1] } else { times[0] };
        let own = (times[from + taken - 1] - times[from]) / (taken - 1) as f64;
        let step = if at_end { own } else { -own };
        let parabola = fit_parabola(&times[from..from + taken], &angles[from..from + taken], end);
        (1..=reach).map(move |k| k as f64 * step).map(move |d| (end + d, on_parabola(parabola, d)))
    };
    let mut before: Points = lead(stiffness[0], false).collect();
    before.reverse();
    (before, lead(stiffness[1], true).collect())
}

/// Value of the cubic through four points, and what its last term adds to a parabola (Newton's form).
fn cubic_at(t: &[f64], y: &[f64], at: f64) -> (f64, f64) {
    let mut d = [y[0], y[1], y[2], y[3]];
    for order in 1..4 {
        for i in (order..4).rev() {
            d[i] = (d[i] - d[i - 1]) / (t[i] - t[i - order]);
        }
    }
    let last = d[3] * (at - t[0]) * (at - t[1]) * (at - t[2]);
    (d[0] + (at - t[0]) * (d[1] + (at - t[1]) * d[2]) + last, last)
}

fn check(times_s: &[f64], angles_rev: &[f64]) -> Result<()> {
    let have = times_s.len().min(angles_rev.len());
    if times_s.len() != angles_rev.len() || have < 3 {
        return Err(SignalError::TooShort { what: "a speed curve, in pulses,", have, need: 3 });
    }
    let ascend = |x: &[f64]| x.windows(2).all(|w| w[1] > w[0] && w[0].is_finite() && w[1].is_finite());
    if ascend(times_s) && ascend(angles_rev) {
        Ok(())
    } else {
        Err(argument("pulse times", "out of order", "ascending times and angles"))
    }
}

/// Least-squares parabola about `origin`: constant, slope, bend.
fn fit_parabola(times: &[f64], values: &[f64], origin: f64) -> [f64; 3] {
    let n = times.len() as f64;
    let half = (times[times.len() - 1] - times[0]) / 2.0;
    // Normal equations in scaled time, where they are well conditioned.
    let (mut s, mut v) = ([0.0; 5], [0.0; 3]);
    for (t, y) in times.iter().zip(values) {
        let u = (t - origin) / half;
        let mut power = 1.0;
        for (k, sum) in s.iter_mut().enumerate() {
            *sum += power / n;
            if k < 3 {
                v[k] += power * y / n;
            }
            power *= u;
        }
    }
    let det = |m: [[f64; 3]; 3]| {
        m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) - m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0])
            + m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0])
    };
    let m = [[s[0], s[1], s[2]], [s[1], s[2], s[3]], [s[2], s[3], s[4]]];
    let d = det(m);
    let solved: [f64; 3] = std::array::from_fn(|k| {
        let mut with = m;
        for row in 0..3 {
            with[row][k] = v[row];
        }
        det(with) / d
    });
    [solved[0], solved[1] / half, solved[2] / (half * half)]
}

/// Values and second derivatives of the cubic spline that minimises
/// `Σ(y − g)²/stiffness + ∫g″²`, straight beyond its ends; through points of stiffness 0.
fn smoothing_spline(t: &[f64], y: &[f64], stiffness: &[f64]) -> (Vec<f64>, Vec<f64>) {
    let n = t.len();
    let m = n - 2;
    let h: Vec<f64> = t.windows(2).map(|w| w[1] - w[0]).collect();
    // (R + Qᵀ·stiffness·Q)·γ = Qᵀy with five diagonals, by LDLᵀ.
    let q = |j: usize| [1.0 / h[j], -1.0 / h[j] - 1.0 / h[j + 1], 1.0 / h[j + 1]];
    let (mut d, mut l1, mut l2) = (vec![0.0; m], vec![0.0; m], vec![0.0; m]);
    let mut z = vec![0.0; m];
    for j in 0..m {
        let a = q(j);
        let s = &stiffness[j..j + 3];
        let mut diagonal = (h[j] + h[j + 1]) / 3.0 + s[0] * a[0] * a[0] + s[1] * a[1] * a[1] + s[2] * a[2] * a[2];
        let mut right = a[0] * y[j] + a[1] * y[j + 1] + a[2] * y[j + 2];
        if j >= 2 {
            let b = q(j - 2);
            let e = s[0] * a[0] * b[2];
            l2[j] = e / d[j - 2];
            diagonal -= l2[j] * l2[j] * d[j - 2];
            right -= l2[j] * z[j - 2];
        }
        if j >= 1 {
            let b = q(j - 1);
            let mut e = h[j] / 6.0 + s[0] * a[0] * b[1] + s[1] * a[1] * b[2];
            if j >= 2 {
                e -= l2[j] * l1[j - 1] * d[j - 2];
            }
            l1[j] = e / d[j - 1];
            diagonal -= l1[j] * l1[j] * d[j - 1];
            right -= l1[j] * z[j - 1];
        }
        d[j] = diagonal;
        z[j] = right;
    }
    let mut bends = vec![0.0; n];
    for j in (0..m).rev() {
        let mut x = z[j] / d[j];
        if j + 1 < m {
            x -= l1[j + 1] * bends[j + 2];
        }
        if j + 2 < m {
            x -= l2[j + 2] * bends[j + 3];
        }
        bends[j + 1] = x;
    }
    let mut values = y.to_vec();
    for j in 0..m {
        let a = q(j);
        for k in 0..3 {
            values[j + k] -= stiffness[j + k] * a[k] * bends[j + 1];
        }
    }
    (values, bends)
}
