//! Amplitude and frequency of a line between the lines.
//!
//! A sine between two lines is spread over the window's main lobe. The position inside the lobe
//! follows from the ratio of the highest line to its higher neighbour, and the amplitude from the
//! window's own transform at that offset, so the estimate fits the window that was used.
//! Source: ISO 18431-1; Rife & Vincent, Bell Syst. Tech. J. 49 (1970).

use crate::window::{Window, transform_at};

/// An interpolated peak.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Peak {
    /// Position in lines (fractional), counted from the first value.
    pub line: f64,
    /// Amplitude, in the unit of the values.
    pub amplitude: f64,
}

/// Refines the local maximum at `index` of amplitude values (`peak` or `rms` scaling).
///
/// `block` is the block length the values were made with. At either end of the values, or where
/// neighbours are no lower, the line itself is returned.
pub fn interpolate(values: &[f64], index: usize, window: Window, block: usize) -> Peak {
    let plain = Peak { line: index as f64, amplitude: values.get(index).copied().unwrap_or(f64::NAN) };
    if index == 0 || index + 1 >= values.len() {
        return plain;
    }
    let (left, top, right) = (values[index - 1], values[index], values[index + 1]);
    if !(top > 0.0 && left <= top && right <= top) {
        return plain;
    }
    let (side, sign) = if right >= left { (right, 1.0) } else { (left, -1.0) };
    // The lobe's shape hardly depends on the block's length; a short one keeps this quick.
    let size = block.clamp(8, 512);
    let Ok(weights) = window.weights(size) else {
        return plain;
    };
    let gain: f64 = weights.iter().sum();
    // side/top grows steadily from an offset of 0 to one of half a line.
    let off = |d: f64| transform_at(&weights, 1.0 - d) / transform_at(&weights, d) - side / top;
    let offset = crossing(off, 0.0, 0.5);
    Peak { line: index as f64 + sign * offset, amplitude: top * gain / transform_at(&weights, offset) }
}

/// Where a function that grows from `lo` to `hi` is zero, or the end that is nearer to it: the
/// Illinois form of regula falsi (Dowell & Jarratt 1971), a handful of steps where halving takes
/// forty.
fn crossing(f: impl Fn(f64) -> f64, mut lo: f64, mut hi: f64) -> f64 {
    let (mut low, mut high) = (f(lo), f(hi));
    if low >= 0.0 {
        return lo;
    }
    if high <= 0.0 {
        return hi;
    }
    let mut last = 0;
    for _ in 0..60 {
        let mid = ((lo * high - hi * low) / (high - low)).clamp(lo, hi);
        let value = f(mid);
        if value.abs() < 1e-14 || hi - lo < 1e-14 {
            return mid;
        }
        if value < 0.0 {
            (lo, low) = (mid, value);
            high *= if last == -1 { 0.5 } else { 1.0 };
            last = -1;
        } else {
            (hi, high) = (mid, value);
            low *= if last == 1 { 0.5 } else { 1.0 };
            last = 1;
        }
    }
    0.5 * (lo + hi)
}

/// Local maxima, highest first, at least `apart` lines from a higher one, at most `most` of them.
pub fn highest(values: &[f64], apart: usize, most: usize) -> Vec<usize> {
    let mut tops: Vec<usize> = (1..values.len().saturating_sub(1))
        .filter(|&i| values[i] > values[i - 1] && values[i] >= values[i + 1])
        .collect();
    tops.sort_by(|&a, &b| values[b].total_cmp(&values[a]));
    let mut kept: Vec<usize> = Vec::new();
    for i in tops {
        if kept.len() == most {
            break;
        }
        if kept.iter().all(|&k| k.abs_diff(i) >= apart.max(1)) {
            kept.push(i);
        }
    }
    kept
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_crossing_is_found_where_halving_finds_it() {
        for root in [1e-9, 0.1, 0.249, 0.4999] {
            let f = |x: f64| (x - root) * (1.0 + 5.0 * x * x);
            assert!((crossing(f, 0.0, 0.5) - root).abs() < 1e-12, "{root}");
        }
        assert_eq!(crossing(|x| x + 1.0, 0.0, 0.5), 0.0);
        assert_eq!(crossing(|x| x - 1.0, 0.0, 0.5), 0.5);
    }
}
