//! Watched quantities: caution and limit with hysteresis and delay.

use crate::Refusal;
use crate::measure::Measure;
use crate::rig::Rig;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A quantity with its caution and limit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Watched {
    /// What is watched.
    pub measure: Measure,
    /// From here on it is a caution; none without.
    #[serde(default)]
    pub caution: Option<f64>,
    /// From here on it is over its limit; none without.
    #[serde(default)]
    pub limit: Option<f64>,
    /// Share of a value it must fall below before it is back to normal, 0 to 0.9.
    #[serde(default = "twentieth")]
    pub hysteresis: f64,
    /// How long it must last before it counts, s.
    #[serde(default)]
    pub delay_s: f64,
    /// Over its limit it switches the front end's digital output on.
    #[serde(default)]
    pub switches: bool,
}

fn twentieth() -> f64 {
    0.05
}

/// Where a watched value stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Zone {
    /// Below the caution.
    #[default]
    Good,
    /// From the caution on.
    Caution,
    /// From the limit on.
    Limit,
}

impl Watched {
    /// Checks numbers and input.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, rig: Option<&Rig>) -> Result<(), Refusal> {
        let wrong = |says: String| Err(Refusal::new("watch", says));
        self.measure.check(rig)?;
        for (what, level) in [("caution", self.caution), ("limit", self.limit)] {
            if let Some(x) = level.filter(|x| !(x.is_finite() && *x > 0.0)) {
                return wrong(format!("the {what} must be a number above 0, or none, not {x}"));
            }
        }
        if let (Some(c), Some(l)) = (self.caution, self.limit)
            && c >= l
        {
            return wrong(format!("the caution must be below the limit, not {c} and {l}"));
        }
        if !(0.0..=0.9).contains(&self.hysteresis) {
            return wrong(format!("the hysteresis must be a share of 0 to 0.9, not {}", self.hysteresis));
        }
        if !(0.0..=3600.0).contains(&self.delay_s) {
            return wrong(format!("the delay must be 0 to 3600 s, not {} s", self.delay_s));
        }
        Ok(())
    }

    /// Where a value stands for one that stood in `was`: what has gone over a value comes back only
    /// below it by the hysteresis.
    fn zone(&self, value: f64, was: Zone) -> Zone {
        let over = |level: Option<f64>, held: bool| {
            level.is_some_and(|l| value >= if held { l * (1.0 - self.hysteresis) } else { l })
        };
        if over(self.limit, was == Zone::Limit) {
            Zone::Limit
        } else if over(self.caution, was >= Zone::Caution) {
            Zone::Caution
        } else {
            Zone::Good
        }
    }
}

/// Follows a watched value in time.
#[derive(Debug, Clone, Default)]
pub struct Guard {
    zone: Zone,
    /// Zone that waits for its delay, and since when, s.
    coming: Option<(Zone, f64)>,
}

impl Guard {
    /// Takes a value at a time in s; tells the new zone when it changed. A value that is none
    /// changes nothing.
    pub fn step(&mut self, watched: &Watched, value: f64, at_s: f64) -> Option<Zone> {
        if value.is_nan() {
            return None;
        }
        let zone = watched.zone(value, self.zone);
        if zone == self.zone {
            self.coming = None;
            return None;
        }
        // Worse waits for its delay; better counts at once.
        let since = match self.coming {
            Some((_, since)) => since,
            None => at_s,
        };
        self.coming = Some((zone, since));
        if zone > self.zone && at_s - since < watched.delay_s {
            return None;
        }
        self.zone = zone;
        self.coming = None;
        Some(zone)
    }

    /// Where the value stands.
    pub fn zone(&self) -> Zone {
        self.zone
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::What;

    fn watched(delay_s: f64) -> Watched {
        Watched {
            measure: Measure { input: 1, of: What::Rms },
            caution: Some(4.5),
            limit: Some(7.1),
            hysteresis: 0.1,
            delay_s,
            switches: false,
        }
    }

    fn followed(w: &Watched, values: &[f64]) -> Vec<(usize, Zone)> {
        let mut guard = Guard::default();
        values.iter().enumerate().filter_map(|(i, v)| guard.step(w, *v, i as f64).map(|z| (i, z))).collect()
    }

    #[test]
    fn values_come_back_below_their_hysteresis() {
        let values = [1.0, 4.5, 4.2, 4.0, 4.6, 7.2, 6.5, 6.3, 8.0, 1.0];
        use Zone::{Caution as C, Good as G, Limit as L};
        assert_eq!(followed(&watched(0.0), &values), [(1, C), (3, G), (4, C), (5, L), (7, C), (8, L), (9, G)]);
    }

    #[test]
    fn a_short_burst_is_no_alarm() {
        let values = [8.0, 8.0, 1.0, 8.0, f64::NAN, 8.0, 8.0, 1.0];
        assert_eq!(followed(&watched(3.0), &values), [(6, Zone::Limit), (7, Zone::Good)]);
    }

    #[test]
    fn levels_must_ascend() {
        for (caution, limit, word) in [(Some(8.0), Some(7.0), "below"), (Some(-1.0), None, "above 0")] {
            let w = Watched { caution, limit, ..watched(0.0) };
            assert!(w.check(None).unwrap_err().says.contains(word));
        }
        assert!(Watched { delay_s: -1.0, ..watched(0.0) }.check(None).is_err());
        assert!(Watched { hysteresis: 1.0, ..watched(0.0) }.check(None).is_err());
    }
}
