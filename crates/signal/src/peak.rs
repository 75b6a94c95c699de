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
    let ratio = |d: f64| transform_at(&weights, 1.0 - d) / transform_at(&weights, d);
    let wanted = side / top;
    let (mut lo, mut hi) = (0.0, 0.5);
    for _ in 0..40 {
        let mid = 0.5 * (lo + hi);
        if ratio(mid) < wanted { lo = mid } else { hi = mid }
    }
    let offset = 0.5 * (lo + hi);
    Peak { line: index as f64 + sign * offset, amplitude: top * gain / transform_at(&weights, offset) }
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
