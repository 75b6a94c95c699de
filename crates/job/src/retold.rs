//! A line of a spectrum told in another unit, of another motion if need be.

use crate::unit::{Unit, find};
use std::f64::consts::TAU;

/// From one unit to another.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Retold {
    /// Values are multiplied by this.
    pub scale: f64,
    /// How many times they are integrated; negative for differentiations.
    pub times: i32,
}

impl Retold {
    /// From one unit to another; nothing for units that do not go into each other.
    pub fn between(from: &Unit, to: &Unit) -> Option<Retold> {
        let times = match (from.quantity == to.quantity, from.quantity.motion_order(), to.quantity.motion_order()) {
            (true, ..) => 0,
            (false, Some(a), Some(b)) => a - b,
            _ => return None,
        };
        Some(Retold { scale: from.to_si / to.to_si, times })
    }

    /// The same for symbols, with the unit's own spelling; nothing for unknown ones.
    pub fn named(from: &str, to: &str) -> Option<(Retold, &'static str)> {
        let (from, to) = (find(from).ok()?, find(to).ok()?);
        Some((Retold::between(from, to)?, to.symbol))
    }

    /// What a line at a frequency is multiplied by; integrated lines below `above_hz` are not told.
    pub fn factor(&self, hz: f64, above_hz: f64) -> f64 {
        match self.times {
            0 => self.scale,
            n if n > 0 && (hz < above_hz || hz <= 0.0) => 0.0,
            n => self.scale * (TAU * hz).powi(-n),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_told_in_another_motion() {
        let retold = |from, to| Retold::named(from, to).map(|r| r.0);
        let velocity = retold("m/s²", "mm/s").unwrap();
        assert!((velocity.factor(50.0, 2.0) - 1e3 / (TAU * 50.0)).abs() < 1e-12);
        assert_eq!((velocity.factor(1.0, 2.0), velocity.factor(0.0, 0.0)), (0.0, 0.0));
        let back = retold("µm", "m/s²").unwrap();
        assert!((back.factor(10.0, 2.0) - 1e-6 * (TAU * 10.0).powi(2)).abs() < 1e-12);
        assert!((retold("g", "m/s²").unwrap().factor(0.0, 2.0) - 9.80665).abs() < 1e-12);
        assert!(retold("V", "mm/s").is_none() && retold("m/s²", "furlong").is_none());
        assert_eq!(Retold::named("g", "um").unwrap().1, "µm");
    }
}
