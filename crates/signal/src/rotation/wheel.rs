//! From pulses to angle: wheels with missing teeth, tape with uneven stripes, pulses that are
//! missing or too many.
//!
//! Nothing is taken out silently: every pulse stays in the list, with what was thought of it.
//! Source: Janssens et al., "Zebra tape butt joint algorithm for torsional vibrations", Mech. Syst.
//! Signal Process. 25 (2011) for uneven tape; medians of neighbours for faults.

use super::curve::AngleCurve;
use crate::error::{Result, SignalError, argument};

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

    fn check(&self) -> Result<()> {
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
        if self.missing_teeth > 0 && self.uneven {
            return Err(argument("tacho.uneven", true, "false where there are missing teeth"));
        }
        Ok(())
    }
}

/// What is thought of a pulse.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Verdict {
    /// It came when it should.
    Good,
    /// It came this many places after the one before, without the wheel having such a gap.
    AfterMissed(u32),
    /// One too many; the angle passes over it.
    Extra,
    /// It came more than 15 % of an interval early or late.
    Jitter,
}

/// A pulse with its place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pulse {
    /// Time, s.
    pub time_s: f64,
    /// Angle in revolutions from the first pulse (with missing teeth: from the first tooth after
    /// a gap, so that earlier ones are negative).
    pub angle_rev: f64,
    /// What is thought of it.
    pub verdict: Verdict,
}

/// Pulses of a stretch.
#[derive(Debug, Clone, PartialEq)]
pub struct PulseTrain {
    /// All pulses in order of time.
    pub pulses: Vec<Pulse>,
}

impl PulseTrain {
    /// Gives every pulse its angle. `times_s` ascend.
    ///
    /// # Errors
    /// A wheel that cannot be; fewer than 4 pulses, or fewer than three revolutions for uneven
    /// teeth; times that do not ascend.
    pub fn new(times_s: &[f64], wheel: Wheel) -> Result<PulseTrain> {
        wheel.check()?;
        if let Some(i) = times_s.windows(2).position(|w| !(w[1] > w[0] && w[0].is_finite() && w[1].is_finite())) {
            return Err(argument("pulse times", format!("{} then {}", times_s[i], times_s[i + 1]), "ascending times"));
        }
        let need = if wheel.uneven { 3 * wheel.pulses_per_rev as usize + 1 } else { 4 };
        if times_s.len() < need {
            return Err(SignalError::TooShort { what: "speed from pulses, in pulses,", have: times_s.len(), need });
        }
        if wheel.uneven {
            return uneven(times_s, wheel.pulses_per_rev as usize);
        }
        let mut pulses = Vec::with_capacity(times_s.len());
        pulses.push(Pulse { time_s: times_s[0], angle_rev: 0.0, verdict: Verdict::Good });
        let gap = wheel.missing_teeth + 1;
        let (mut places, mut zero) = (0u64, None);
        let mut last_good = times_s[0];
        for i in 1..times_s.len() {
            let usual = neighbours(times_s, i);
            let ratio = (times_s[i] - last_good) / usual;
            let (steps, verdict) = if ratio < 0.5 {
                (0, Verdict::Extra)
            } else {
                let steps = ratio.round().max(1.0) as u32;
                let off = (ratio - f64::from(steps)).abs() / f64::from(steps);
                if steps > 1 && steps == gap {
                    (steps, Verdict::Good)
                } else if steps > 1 {
                    (steps, Verdict::AfterMissed(steps - 1))
                } else if off > 0.15 {
                    (1, Verdict::Jitter)
                } else {
                    (1, Verdict::Good)
                }
            };
            places += u64::from(steps);
            if gap > 1 && steps == gap && zero.is_none() {
                zero = Some(places);
            }
            if verdict != Verdict::Extra {
                last_good = times_s[i];
            }
            pulses.push(Pulse { time_s: times_s[i], angle_rev: places as f64, verdict });
        }
        let zero = zero.unwrap_or(0) as f64;
        for p in &mut pulses {
            p.angle_rev = (p.angle_rev - zero) / wheel.pulses_per_rev;
        }
        Ok(PulseTrain { pulses })
    }

    /// Times and angles of the pulses that carry the angle on.
    pub fn carrying(&self) -> (Vec<f64>, Vec<f64>) {
        self.pulses.iter().filter(|p| p.verdict != Verdict::Extra).map(|p| (p.time_s, p.angle_rev)).unzip()
    }

    /// Pulses with a fault.
    pub fn faults(&self) -> impl Iterator<Item = &Pulse> {
        self.pulses.iter().filter(|p| p.verdict != Verdict::Good)
    }
}

/// Median of up to four intervals on either side of the one that ends at pulse `i`.
fn neighbours(times: &[f64], i: usize) -> f64 {
    let from = i.saturating_sub(5);
    let to = (i + 5).min(times.len());
    let mut near: Vec<f64> = (from + 1..to).filter(|&k| k != i).map(|k| times[k] - times[k - 1]).collect();
    near.sort_by(f64::total_cmp);
    near[near.len() / 2]
}

/// Places of uneven teeth, learned against the smooth angle through one tooth's own pulses.
fn uneven(times: &[f64], teeth: usize) -> Result<PulseTrain> {
    // Once a revolution the same tooth passes: those pulses are exactly one revolution apart.
    let own: Vec<f64> = times.iter().step_by(teeth).copied().collect();
    let whole: Vec<f64> = (0..own.len()).map(|k| k as f64).collect();
    let curve = AngleCurve::new(&own, &whole, 0.0)?;
    let (mut sums, mut counts) = (vec![0.0; teeth], vec![0.0; teeth]);
    for (i, t) in times.iter().enumerate().take((own.len() - 1) * teeth) {
        sums[i % teeth] += curve.angle_at(*t) - (i / teeth) as f64;
        counts[i % teeth] += 1.0;
    }
    let pulses = times
        .iter()
        .enumerate()
        .map(|(i, t)| Pulse {
            time_s: *t,
            angle_rev: (i / teeth) as f64 + sums[i % teeth] / counts[i % teeth],
            verdict: Verdict::Good,
        })
        .collect();
    Ok(PulseTrain { pulses })
}
