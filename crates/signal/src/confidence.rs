//! How far an averaged power may be from the true one, on either side.
//!
//! A mean of squared magnitudes of a Gaussian signal is distributed like chi-square; its interval is
//! lopsided, the more so the fewer the averages. Where blocks overlap or count unevenly, the
//! chi-square that has the same mean, variance and skewness takes its place. Source: Bendat & Piersol,
//! "Random Data" (2010), 8.5.4; Buckley & Eagleson, "An approximation to the distribution of quadratic
//! forms in normal random variables", Austral. J. Statist. 30 (1988); Press et al., "Numerical Recipes"
//! (2007), 6.2 for the incomplete gamma function.

use crate::error::{Result, argument};
use nalgebra::DMatrix;

/// How an average of squared magnitudes scatters about its mean, relative to it.
#[derive(Debug, Clone, PartialEq)]
pub struct Scatter {
    /// Standard deviation: the normalised random error.
    pub error: f64,
    /// Skewness; twice the error for blocks that count alike and share nothing.
    pub skewness: f64,
    /// Of a few blocks: the average is distributed like a sum of exponential variables with these means.
    parts: Vec<f64>,
}

/// Blocks up to which the distribution of their average is reckoned as it is.
const EXACT: usize = 12;

impl Scatter {
    /// What is like a chi-square, told by its normalised random error.
    pub fn plain(error: f64) -> Scatter {
        Scatter { error, skewness: 2.0 * error, parts: Vec::new() }
    }

    /// Of blocks that count `counts` (1 in all), correlated by `shared[lag − 1]` with the one `lag` further.
    pub(crate) fn of(counts: &[f64], shared: &[f64]) -> Scatter {
        let n = counts.len();
        let correlation = |i: usize, j: usize| match i.abs_diff(j) {
            0 => 1.0,
            lag => shared.get(lag - 1).copied().unwrap_or(0.0),
        };
        // Second and third cumulant of a sum of squares: traces of the second and third power.
        let (mut second, mut third) = (0.0, 0.0);
        let near = |i: usize| i.saturating_sub(shared.len())..(i + shared.len() + 1).min(n);
        for i in 0..n {
            for j in near(i) {
                let ij = counts[i] * counts[j] * correlation(i, j);
                second += ij * correlation(i, j);
                for k in near(i) {
                    third += 2.0 * ij * counts[k] * correlation(j, k) * correlation(k, i);
                }
            }
        }
        let parts = if n <= EXACT {
            let m = DMatrix::from_fn(n, n, |i, j| (counts[i] * counts[j]).sqrt() * correlation(i, j));
            let all = m.symmetric_eigenvalues();
            all.iter().copied().filter(|x| *x > 1e-4 * all.max()).collect()
        } else {
            Vec::new()
        };
        Scatter { error: second.sqrt(), skewness: third / second.powf(1.5), parts }
    }

    /// Factors on a measured power between which the true one lies with probability `share`.
    ///
    /// # Errors
    /// An error that is not above 0, a share that is not between 0 and 1.
    pub fn interval(&self, share: f64) -> Result<(f64, f64)> {
        if !(self.error.is_finite() && self.error > 0.0) {
            return Err(argument("random error", self.error, "above 0"));
        }
        if !(share > 0.0 && share < 1.0) {
            return Err(argument("confidence", share, "above 0 and below 1"));
        }
        if !self.parts.is_empty() {
            let quantile = |p: f64| crossing(p, 1.0, |x| sum_share(&self.parts, x));
            return Ok((1.0 / quantile(0.5 + 0.5 * share), 1.0 / quantile(0.5 - 0.5 * share)));
        }
        let freedom = (8.0 / (self.skewness * self.skewness)).min(1e9);
        let quantile = |p: f64| {
            let q = 1.0 + self.error * (chi_square(p, freedom) - freedom) / (2.0 * freedom).sqrt();
            q.max(1e-6)
        };
        Ok((1.0 / quantile(0.5 + 0.5 * share), 1.0 / quantile(0.5 - 0.5 * share)))
    }
}

/// The value below which a chi-square variable of `freedom` degrees stays with probability `p`.
fn chi_square(p: f64, freedom: f64) -> f64 {
    crossing(p, freedom.max(1.0), |x| gamma_share(0.5 * freedom, 0.5 * x))
}

/// Where a distribution reaches `p`, by halving from 0 to beyond `high`.
fn crossing(p: f64, mut high: f64, share: impl Fn(f64) -> f64) -> f64 {
    let mut low = 0.0;
    while share(high) < p {
        low = high;
        high *= 2.0;
    }
    for _ in 0..60 {
        let middle = 0.5 * (low + high);
        if share(middle) < p {
            low = middle
        } else {
            high = middle
        }
        if high - low < 1e-12 * high {
            break;
        }
    }
    0.5 * (low + high)
}

/// Probability that a sum of exponential variables with these means stays below `x`: each is a stage
/// that is left at the rate 1/mean, so the matrix exponential of the stages tells it (Neuts,
/// "Matrix-Geometric Solutions in Stochastic Models", 1981, ch. 2).
fn sum_share(means: &[f64], x: f64) -> f64 {
    let n = means.len();
    let stages = DMatrix::from_fn(n, n, |i, j| match j {
        j if j == i => -x / means[i],
        j if j == i + 1 => x / means[i],
        _ => 0.0,
    });
    1.0 - stages.exp().row(0).sum()
}

/// Regularised lower incomplete gamma function P(a, x): its series below a + 1, its continued
/// fraction above.
fn gamma_share(a: f64, x: f64) -> f64 {
    if x <= 0.0 {
        return 0.0;
    }
    let front = (a * x.ln() - x - ln_gamma(a)).exp();
    if x < a + 1.0 {
        let (mut term, mut sum, mut n) = (1.0 / a, 1.0 / a, a);
        while term > 1e-16 * sum {
            n += 1.0;
            term *= x / n;
            sum += term;
        }
        return front * sum;
    }
    // Lentz's rule.
    let (mut b, mut c) = (x + 1.0 - a, 1e300);
    let mut d = 1.0 / b;
    let mut h = d;
    for i in 1..100_000 {
        let an = -f64::from(i) * (f64::from(i) - a);
        b += 2.0;
        d = 1.0 / (an * d + b);
        c = b + an / c;
        let step = c * d;
        h *= step;
        if (step - 1.0).abs() < 1e-15 {
            break;
        }
    }
    1.0 - front * h
}

/// Logarithm of the gamma function for x above 0: Stirling's series, moved up to where it holds.
fn ln_gamma(mut x: f64) -> f64 {
    let mut shift = 0.0;
    while x < 12.0 {
        shift -= x.ln();
        x += 1.0;
    }
    let r = 1.0 / (x * x);
    let series = (1.0 / 12.0 - r * (1.0 / 360.0 - r * (1.0 / 1260.0 - r / 1680.0))) / x;
    shift + (x - 0.5) * x.ln() - x + 0.918_938_533_204_672_7 + series
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quantiles_are_those_of_the_tables() {
        // NIST/SEMATECH, table of critical values of the chi-square distribution.
        for (p, freedom, wanted) in [
            (0.95, 1.0, 3.841),
            (0.975, 2.0, 7.378),
            (0.025, 2.0, 0.051),
            (0.05, 10.0, 3.940),
            (0.975, 40.0, 59.342),
            (0.025, 100.0, 74.222),
            (0.999, 30.0, 59.703),
        ] {
            assert!((chi_square(p, freedom) - wanted).abs() < 6e-4, "{p} {freedom}: {}", chi_square(p, freedom));
        }
        // With two degrees it is an exponential: −2 ln(1 − p).
        for p in [0.01, 0.16, 0.5, 0.84, 0.99f64] {
            assert!((chi_square(p, 2.0) + 2.0 * (1.0 - p).ln()).abs() < 1e-9);
        }
        let (low, high) = Scatter::plain(1e-3).interval(0.68).unwrap();
        assert!((low - (1.0 - 9.945e-4)).abs() < 2e-6 && (high - (1.0 + 9.945e-4)).abs() < 2e-6, "{low} {high}");
        let scatter = Scatter::plain(0.1);
        assert!(Scatter::plain(0.0).interval(0.95).is_err() && scatter.interval(1.0).is_err());
        // Four blocks that share nothing have eight degrees of freedom.
        let four = Scatter::of(&[0.25; 4], &[]);
        assert!((four.error - 0.5).abs() < 1e-12 && (four.skewness - 1.0).abs() < 1e-12);
        let (low, high) = four.interval(0.95).unwrap();
        assert!((low - 8.0 / 17.535).abs() < 1e-4 && (high - 8.0 / 2.180).abs() < 1e-3, "{low} {high}");
    }
}
