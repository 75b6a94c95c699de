//! The sample rate meant by times that were rounded in writing.

/// A rate and what was assumed to find it.
#[derive(Debug, Clone, PartialEq)]
pub struct RateFound {
    /// Samples a second, Hz.
    pub rate_hz: f64,
    /// What was assumed, in a sentence; none where the times tell the rate.
    pub note: Option<String>,
}

/// The roundest rate between two that rounded times allow, of which the nearest to the middle where
/// several are as round.
pub fn roundest(low: f64, high: f64) -> f64 {
    let middle = 0.5 * (low + high);
    // A rate that times tell to nine digits is not moved by more than they can tell.
    let top = high.log10().floor() as i32;
    for decade in (top - 9..=top).rev() {
        for part in [5.0, 2.0, 1.0] {
            let step = part * 10f64.powi(decade);
            let near = (middle / step).round() * step;
            if near >= low && near <= high {
                // What is a whole number of small steps is written as one.
                return if decade < 0 { (middle / step).round() / (1.0 / step).round() } else { near };
            }
        }
    }
    middle
}

/// The rate of samples whose first and last time are `span_s` apart and known within `within_s` each.
pub fn from_span(span_s: f64, steps: f64, within_s: f64) -> RateFound {
    let plain = steps / span_s;
    let (low, high) = (steps / (span_s + 2.0 * within_s), steps / (span_s - 2.0 * within_s).max(f64::MIN_POSITIVE));
    let rate_hz = if within_s > 0.0 { roundest(low, high) } else { plain };
    let moved = (rate_hz / plain - 1.0).abs() > 1e-6;
    let note = moved.then(|| {
        format!("the sample rate was taken as {rate_hz} Hz: times are rounded, and allow {low:.3} to {high:.3} Hz")
    });
    RateFound { rate_hz, note }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_roundest_rate_is_found() {
        assert_eq!(roundest(51_198.0, 51_203.0), 51_200.0);
        assert_eq!(roundest(44_099.5, 44_100.6), 44_100.0);
        assert_eq!(roundest(32_767.9, 32_768.2), 32_768.0);
        assert!((roundest(99.99, 100.4) - 100.0).abs() < 1e-12);
        assert!((roundest(0.0999, 0.1002) - 0.1).abs() < 1e-12);
        // Nothing round is near: what is told is kept.
        assert!((roundest(1_234.567_89, 1_234.567_891) / 1_234.567_89 - 1.0).abs() < 1e-8);
    }

    #[test]
    fn times_that_are_exact_tell_their_rate() {
        assert_eq!(from_span(1.0, 51_200.0, 0.0), RateFound { rate_hz: 51_200.0, note: None });
        let rounded = from_span(0.019_512, 999.0, 0.5e-6);
        assert_eq!(rounded.rate_hz, 51_200.0);
        assert!(rounded.note.is_some_and(|n| n.contains("51200 Hz") && n.contains("rounded")));
    }
}
