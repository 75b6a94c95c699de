//! A wheel as it is told, and the places its teeth stand at.

use crate::error::{Result, argument};

/// What turns once a revolution past the sensor.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wheel {
    /// Places for a tooth or stripe on the circumference, 1 or more. A reduction between sensor
    /// and shaft makes this a fraction.
    pub pulses_per_rev: f64,
    /// How many of them are left out in one gap, 0 or more and fewer than places.
    pub missing_teeth: u32,
    /// The others are not evenly spaced; their places are learned from the pulses themselves.
    pub uneven: bool,
}

impl Wheel {
    /// An even wheel.
    pub fn even(pulses_per_rev: f64) -> Wheel {
        Wheel { pulses_per_rev, missing_teeth: 0, uneven: false }
    }

    /// Teeth or stripes that are there.
    pub(super) fn teeth(&self) -> usize {
        (self.pulses_per_rev.ceil() as usize).saturating_sub(self.missing_teeth as usize).max(1)
    }

    /// Checks the numbers.
    ///
    /// # Errors
    /// The first that cannot be, with what can.
    pub fn check(&self) -> Result<()> {
        let n = self.pulses_per_rev;
        if !(n.is_finite() && n > 0.0 && n <= 1e5) {
            return Err(argument("tacho.pulses_per_rev", n, "above 0 and up to 100000"));
        }
        if (self.missing_teeth > 0 || self.uneven) && (n.fract() != 0.0 || n < 2.0) {
            return Err(argument("tacho.pulses_per_rev", n, "a whole number from 2 with missing or uneven teeth"));
        }
        if f64::from(self.missing_teeth) + 2.0 > n && self.missing_teeth > 0 {
            return Err(argument("tacho.missing_teeth", self.missing_teeth, "fewer than pulses_per_rev − 1"));
        }
        Ok(())
    }
}

/// Where the teeth of a wheel stand.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Places {
    /// Distance of each place from an even grid, in places; NaN where there is no tooth.
    pub shift: Vec<f64>,
    /// Turned backwards: place `k` is the wheel's `−k`.
    pub mirrored: bool,
}

impl Places {
    fn slot(&self, k: i64) -> usize {
        (if self.mirrored { -k } else { k }).rem_euclid(self.shift.len() as i64) as usize
    }

    /// Angle of a place, counted in places; NaN where there is no tooth.
    pub fn angle(&self, k: i64) -> f64 {
        let shift = self.shift[self.slot(k)];
        k as f64 + if self.mirrored { -shift } else { shift }
    }

    pub fn is_tooth(&self, k: i64) -> bool {
        !self.shift[self.slot(k)].is_nan()
    }

    /// Teeth strictly between two places.
    pub fn between(&self, a: i64, b: i64) -> u32 {
        let n = self.shift.len() as i64;
        let whole = (b - a - 1).max(0) / n;
        let teeth = self.shift.iter().filter(|s| !s.is_nan()).count() as i64;
        let rest = (a + 1 + whole * n..b).filter(|k| self.is_tooth(*k)).count() as i64;
        (whole * teeth + rest).clamp(0, i64::from(u32::MAX)) as u32
    }
}
