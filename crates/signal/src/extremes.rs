//! Min/max reduction: a drawing of any length that hides no spike.

/// Smallest and largest of each of `points` equal stretches, in order.
///
/// With no more samples than `points`, each sample is its own pair. An empty input gives no pairs.
pub fn min_max(samples: &[f64], points: usize) -> Vec<(f64, f64)> {
    let n = samples.len();
    let points = points.max(1).min(n);
    (0..points)
        .map(|p| {
            let (a, b) = (p * n / points, (p + 1) * n / points);
            samples[a..b].iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(lo, hi), &x| (lo.min(x), hi.max(x)))
        })
        .collect()
}
