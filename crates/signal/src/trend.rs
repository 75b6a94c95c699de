//! Removal of slow content by least squares.

use crate::error::{Result, check_finite};

/// Takes the mean off, in place. An empty slice stays empty.
///
/// # Errors
/// A sample that is not finite.
pub fn remove_mean(samples: &mut [f64]) -> Result<()> {
    check_finite(samples)?;
    let mean = samples.iter().sum::<f64>() / samples.len().max(1) as f64;
    for x in samples.iter_mut() {
        *x -= mean;
    }
    Ok(())
}

/// Takes the least-squares straight line off, in place.
///
/// One sample becomes 0. The line is fitted about the middle of the stretch, where slope and
/// offset are independent.
///
/// # Errors
/// A sample that is not finite.
pub fn remove_line(samples: &mut [f64]) -> Result<()> {
    remove_mean(samples)?;
    let n = samples.len();
    if n < 2 {
        return Ok(());
    }
    let middle = (n as f64 - 1.0) / 2.0;
    let (mut top, mut bottom) = (0.0, 0.0);
    for (i, x) in samples.iter().enumerate() {
        let t = i as f64 - middle;
        top += t * x;
        bottom += t * t;
    }
    let slope = top / bottom;
    for (i, x) in samples.iter_mut().enumerate() {
        *x -= slope * (i as f64 - middle);
    }
    Ok(())
}
