//! What happens at which angle of a cycle: events counted and their sizes kept by angle.
//!
//! Source: angle-domain statistics as in Braun, "Discover Signal Processing", ch. 9.

use crate::error::{Result, argument};

/// Classes of angle over one cycle.
#[derive(Debug, Clone, PartialEq)]
pub struct CyclicPattern {
    cycle_rev: f64,
    classes: Vec<AngleClass>,
}

/// What fell into a class of angle.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct AngleClass {
    /// Events.
    pub count: u64,
    /// Sum of their amplitudes, to read means from.
    pub sum: f64,
    /// Largest amplitude.
    pub largest: f64,
}

impl AngleClass {
    /// Mean amplitude; NaN with no event.
    pub fn mean(&self) -> f64 {
        self.sum / self.count as f64
    }
}

impl CyclicPattern {
    /// An empty pattern: `classes` of even width over a cycle of `cycle_rev` revolutions.
    ///
    /// # Errors
    /// No class or more than 36 000; a cycle that is not above 0.
    pub fn new(cycle_rev: f64, classes: usize) -> Result<CyclicPattern> {
        if !(cycle_rev.is_finite() && cycle_rev > 0.0) {
            return Err(argument("cycle_rev", cycle_rev, "above 0 revolutions"));
        }
        if !(1..=36_000).contains(&classes) {
            return Err(argument("classes", classes, "1 to 36000"));
        }
        Ok(CyclicPattern { cycle_rev, classes: vec![AngleClass::default(); classes] })
    }

    /// Adds an event at an angle. What is not finite is refused.
    ///
    /// # Errors
    /// An angle or amplitude that is not finite.
    pub fn push(&mut self, angle_rev: f64, amplitude: f64) -> Result<()> {
        if !angle_rev.is_finite() || !amplitude.is_finite() {
            return Err(argument("event", format!("{amplitude} at {angle_rev} rev"), "finite numbers"));
        }
        let n = self.classes.len();
        let share = (angle_rev / self.cycle_rev).rem_euclid(1.0);
        let c = &mut self.classes[((share * n as f64) as usize).min(n - 1)];
        c.count += 1;
        c.sum += amplitude;
        c.largest = c.largest.max(amplitude.abs());
        Ok(())
    }

    /// Middles of the classes, degrees of the cycle.
    pub fn angles_deg(&self) -> Vec<f64> {
        let n = self.classes.len() as f64;
        (0..self.classes.len()).map(|k| 360.0 * (k as f64 + 0.5) / n).collect()
    }

    /// The classes in order of angle.
    pub fn classes(&self) -> &[AngleClass] {
        &self.classes
    }

    /// How much the events gather at one angle of the cycle: length of the mean direction vector,
    /// 0 (spread evenly) to 1 (all in one place), and its angle in degrees. NaN with no event.
    ///
    /// Source: Mardia & Jupp, "Directional Statistics", ch. 2.
    pub fn gathering(&self) -> (f64, f64) {
        let (mut re, mut im, mut total) = (0.0, 0.0, 0.0);
        for (deg, c) in self.angles_deg().iter().zip(&self.classes) {
            let (s, co) = deg.to_radians().sin_cos();
            re += c.count as f64 * co;
            im += c.count as f64 * s;
            total += c.count as f64;
        }
        ((re.hypot(im)) / total, im.atan2(re).to_degrees().rem_euclid(360.0))
    }
}
