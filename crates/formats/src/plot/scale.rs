//! Even steps and decades, and the texts beside them.

/// Where values lie between the ends of an axis.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scale {
    /// Where it begins.
    pub lo: f64,
    /// Where it ends.
    pub hi: f64,
    /// Decades instead of even steps.
    pub log: bool,
}

impl Scale {
    /// The share of the axis before a value: 0 at its beginning, 1 at its end.
    pub fn share(&self, v: f64) -> f64 {
        if self.log {
            (v.max(f64::MIN_POSITIVE) / self.lo).ln() / (self.hi / self.lo).ln()
        } else {
            (v - self.lo) / (self.hi - self.lo).max(f64::MIN_POSITIVE)
        }
    }

    /// Places that are named: about so many even steps, or decades with their halves where there are few.
    pub fn ticks(&self, wanted: usize) -> Vec<f64> {
        if !self.log {
            return ticks(self.lo, self.hi, wanted);
        }
        let (a, b) = ((self.lo.log10() - 1e-9).floor() as i32, (self.hi.log10() + 1e-9).ceil() as i32);
        let steps: &[f64] = if b - a <= 2 { &[1.0, 2.0, 5.0] } else { &[1.0] };
        let all = (a..=b).flat_map(|k| steps.iter().map(move |m| m * 10f64.powi(k)));
        all.filter(|t| *t >= self.lo * (1.0 - 1e-9) && *t <= self.hi * (1.0 + 1e-9)).collect()
    }
    /// Places that are named where the axis is an angle: quarters of a turn, or their parts.
    pub fn degrees(&self, wanted: usize) -> Vec<f64> {
        let span = self.hi - self.lo;
        let fits = |step: &f64| span / step <= wanted as f64 + 1.0;
        let Some(step) = [15.0, 30.0, 45.0, 90.0, 180.0, 360.0].into_iter().find(fits) else {
            return self.ticks(wanted);
        };
        if span < 30.0 {
            return self.ticks(wanted);
        }
        let (first, last) = ((self.lo / step).ceil() as i64, (self.hi / step).floor() as i64);
        (first..=last).map(|k| k as f64 * step).collect()
    }
}

/// The scale that holds values: with room, or from decade to decade, at most six of them.
pub fn around(values: impl Iterator<Item = f64>, log: bool, from: Option<f64>, to: Option<f64>) -> Scale {
    let (mut lo, mut hi) = (f64::INFINITY, f64::NEG_INFINITY);
    for v in values.filter(|v| v.is_finite() && (!log || *v > 0.0)) {
        lo = lo.min(v);
        hi = hi.max(v);
    }
    let (from, to) = (from.filter(|v| !log || *v > 0.0), to.filter(|v| !log || *v > 0.0));
    if !(lo.is_finite() && hi.is_finite()) {
        (lo, hi) = (0.1, 1.0);
    } else if log {
        let top = hi.log10().ceil();
        (lo, hi) = (10f64.powf(lo.log10().floor().max(top - 6.0)), 10f64.powf(top));
    } else {
        let pad = if hi > lo { 0.05 * (hi - lo) } else { hi.abs().max(1.0) };
        (lo, hi) = (lo - pad, hi + pad);
    }
    let (lo, mut hi) = (from.unwrap_or(lo), to.unwrap_or(hi));
    if hi <= lo {
        hi = if log { lo * 10.0 } else { lo + lo.abs().max(1.0) };
    }
    Scale { lo, hi, log }
}

/// Round steps that part a range into about `wanted` pieces.
pub fn ticks(lo: f64, hi: f64, wanted: usize) -> Vec<f64> {
    let span = hi - lo;
    if !(span.is_finite() && span > 0.0) {
        return vec![lo];
    }
    let raw = span / wanted.max(1) as f64;
    let power = 10f64.powf(raw.log10().floor());
    let step = [1.0, 2.0, 5.0, 10.0].into_iter().map(|m| m * power).find(|s| *s >= raw).unwrap_or(10.0 * power);
    let first = (lo / step).ceil() as i64;
    let last = (hi / step).floor() as i64;
    (first..=last).map(|k| k as f64 * step).collect()
}

/// A tick's text: short, with a real minus sign.
pub fn tick_text(x: f64) -> String {
    let text = if x != 0.0 && (x.abs() >= 1e5 || x.abs() < 1e-3) {
        // Steps are round: what is left behind the sixth digit comes from reckoning with them.
        let rounded: f64 = format!("{x:.5e}").parse().unwrap_or(x);
        format!("{rounded:e}")
    } else {
        let s = format!("{x:.4}");
        s.trim_end_matches('0').trim_end_matches('.').to_string()
    };
    text.replace('-', "\u{2212}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ticks_are_round() {
        assert_eq!(ticks(0.0, 10.0, 5), [0.0, 2.0, 4.0, 6.0, 8.0, 10.0]);
        assert_eq!(tick_text(-0.25), "\u{2212}0.25");
        assert_eq!(tick_text(3.0 * 1e-5 * 1.1), "3.3e\u{2212}5");
        assert_eq!(ticks(3.0, 3.0, 5), [3.0]);
    }

    #[test]
    fn angles_are_parted_by_quarters() {
        let turned = Scale { lo: -180.0, hi: 180.0, log: false };
        assert_eq!(turned.degrees(3), [-180.0, -90.0, 0.0, 90.0, 180.0]);
        assert_eq!(turned.degrees(2), [-180.0, 0.0, 180.0]);
        assert_eq!(Scale { lo: -2.0, hi: 3.0, log: false }.degrees(5), [-2.0, -1.0, 0.0, 1.0, 2.0, 3.0]);
        assert_eq!(Scale { lo: 0.0, hi: 1e5, log: false }.degrees(5).len(), 6);
    }

    #[test]
    fn few_decades_are_parted() {
        let scale = Scale { lo: 20.0, hi: 300.0, log: true };
        assert_eq!(scale.ticks(5), [20.0, 50.0, 100.0, 200.0]);
        assert!((scale.share(20.0)).abs() < 1e-12 && (scale.share(300.0) - 1.0).abs() < 1e-12);
        assert_eq!(Scale { lo: 0.01, hi: 100.0, log: true }.ticks(5), [0.01, 0.1, 1.0, 10.0, 100.0]);
    }

    #[test]
    fn a_scale_holds_what_is_there() {
        let s = around([1.0, 3.0, f64::NAN].into_iter(), false, None, Some(10.0));
        assert!((s.lo - 0.9).abs() < 1e-12 && s.hi == 10.0);
        assert_eq!(around([0.0, 1e-9, 50.0].into_iter(), true, None, None), Scale { lo: 1e-4, hi: 100.0, log: true });
        // An end below the beginning is no axis.
        let s = around([5.0].into_iter(), false, Some(10.0), None);
        assert!(s.hi > s.lo);
        assert!(around(std::iter::empty(), true, Some(0.0), None).lo > 0.0);
    }
}
