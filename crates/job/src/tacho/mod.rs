//! Tachometers of the plan: their settings, and pulses read over a stretch; [`Turning`] reads them live, one sample
//! after the other.

pub mod encoder;
mod turning;

pub use encoder::{Encoder, EncoderBody};
pub use turning::Turning;

use crate::Refusal;
use crate::front_end::FrontEnd;
use crate::recipe::SlopeName;
use crate::unit::find;
use echo_signal::rotation::live::LiveWheel;
use echo_signal::rotation::pulses::{PulseSettings, Slope, pulse_widths, pulses};
use echo_signal::rotation::wheel::{PulseTrain, PulseVerdict, Wheel};
use serde::{Deserialize, Serialize};
use turning::Edge;
use utoipa::ToSchema;

/// A tachometer on an input.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Tachometer {
    /// Input with the pulses.
    pub input: u16,
    /// Level that is crossed.
    pub threshold: f64,
    /// How far back the signal must have been before it counts again.
    pub hysteresis: f64,
    /// Unit of both.
    pub unit: String,
    /// Which edge counts.
    #[serde(default)]
    pub slope: SlopeName,
    /// Pulses a turn of the shaft; missing ones are counted.
    #[serde(default = "one")]
    pub pulses_per_rev: f64,
    /// How many of them are left out in one gap.
    #[serde(default)]
    pub missing_teeth: u32,
    /// Stripes are unevenly spaced.
    #[serde(default)]
    pub uneven: bool,
    /// Voltage the front end feeds the sensor with, V; 0 is none.
    #[serde(default)]
    pub supply_v: f64,
}

fn one() -> f64 {
    1.0
}

fn slope(name: SlopeName) -> Slope {
    match name {
        SlopeName::Rising => Slope::Rising,
        SlopeName::Falling => Slope::Falling,
    }
}

/// What a stretch of pulses tells.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PulseReading {
    /// Speed over the last whole turn, rpm.
    pub rpm: Option<f64>,
    /// Change of speed over the stretch, rpm a second.
    pub rpm_per_s: Option<f64>,
    /// Edges counted.
    pub edges: usize,
    /// Pulses a second, Hz.
    pub frequency_hz: Option<f64>,
    /// Time from pulse to pulse, s.
    pub period_s: Option<f64>,
    /// Mean time above the threshold (below it for falling edges), s.
    pub width_s: Option<f64>,
    /// Pulses that should have come and did not.
    pub missed: u32,
    /// Pulses too many.
    pub doubled: u32,
    /// Largest distance of a pulse from where it was due, share of the interval.
    pub jitter: Option<f64>,
    /// Smallest and largest value, in the tachometer's unit.
    pub low: f64,
    /// See `low`.
    pub high: f64,
    /// Threshold and hysteresis that would fit, in the tachometer's unit.
    pub fitting: Option<(f64, f64)>,
    /// What is wrong, in words, if anything is.
    pub says: Option<String>,
}

impl Tachometer {
    fn to_si(&self) -> f64 {
        find(&self.unit).map_or(f64::NAN, |u| u.to_si)
    }

    fn wheel(&self) -> Wheel {
        Wheel { pulses_per_rev: self.pulses_per_rev, missing_teeth: self.missing_teeth, uneven: self.uneven }
    }

    /// Checks the numbers.
    ///
    /// # Errors
    /// The first that is not allowed, with what is.
    pub fn check(&self) -> Result<(), Refusal> {
        let wrong =
            |says: String| Err(Refusal::new("tachos", format!("the tachometer on input {}: {says}", self.input)));
        find(&self.unit).map_err(|e| Refusal::new("tachos", e.says))?;
        if !self.threshold.is_finite() {
            return wrong("the threshold is no number".into());
        }
        if !(self.hysteresis.is_finite() && self.hysteresis >= 0.0) {
            return wrong(format!("the hysteresis must be 0 or more, not {}", self.hysteresis));
        }
        let n = self.pulses_per_rev;
        if !(n.is_finite() && n > 0.0 && n <= 1e5) {
            return wrong(format!("pulses/rev must be above 0 and up to 100000, not {n}"));
        }
        if (self.missing_teeth > 0 || self.uneven) && (n.fract() != 0.0 || n < 3.0) {
            return wrong(format!(
                "pulses a turn are {n}; with missing or uneven ones a whole number from 3 is allowed"
            ));
        }
        if f64::from(self.missing_teeth) > n - 2.0 && self.missing_teeth > 0 {
            return wrong(format!("{} of {n} pulses are left out; at least two must remain", self.missing_teeth));
        }
        if !(0.0..=60.0).contains(&self.supply_v) {
            return wrong(format!("the supply must be 0 (none) to 60 V, not {} V", self.supply_v));
        }
        Ok(())
    }

    /// Checks that the front end can feed its sensor.
    ///
    /// # Errors
    /// A supply the input does not have, with those it has.
    pub fn check_supply(&self, front_end: &FrontEnd) -> Result<(), Refusal> {
        let Some(offer) = front_end.input(self.input).filter(|_| self.supply_v > 0.0) else { return Ok(()) };
        if offer.supplies_v.contains(&self.supply_v) {
            return Ok(());
        }
        let all: Vec<String> = offer.supplies_v.iter().map(|v| format!("{v} V")).collect();
        let has = if all.is_empty() { "none".into() } else { all.join(", ") };
        Err(Refusal::new("tachos", format!("input {} cannot feed {} V; it feeds {has}", self.input, self.supply_v)))
    }

    /// Its live form, for samples in SI of the input at place `at`.
    ///
    /// # Errors
    /// As [`Tachometer::check`].
    pub fn turning(&self, at: usize, sample_rate_hz: f64) -> Result<Turning, Refusal> {
        self.check()?;
        let sign = if self.slope == SlopeName::Rising { 1.0 } else { -1.0 };
        let wheel = LiveWheel::new(self.wheel(), 1.0 / sample_rate_hz)
            .map_err(|e| Refusal::new("tachos", format!("the tachometer on input {}: {e}", self.input)))?;
        let edge = Edge { sign, threshold: self.threshold * self.to_si(), hysteresis: self.hysteresis * self.to_si() };
        Ok(Turning::new(at, edge, sample_rate_hz, wheel))
    }

    /// Reads a stretch of samples in SI units.
    pub fn read(&self, samples: &[f64], sample_rate_hz: f64) -> PulseReading {
        let to_si = self.to_si();
        let low = samples.iter().copied().fold(f64::INFINITY, f64::min) / to_si;
        let high = samples.iter().copied().fold(f64::NEG_INFINITY, f64::max) / to_si;
        let mut r = PulseReading {
            rpm: None,
            rpm_per_s: None,
            edges: 0,
            frequency_hz: None,
            period_s: None,
            width_s: None,
            missed: 0,
            doubled: 0,
            jitter: None,
            low,
            high,
            fitting: None,
            says: None,
        };
        let settings = PulseSettings {
            threshold: self.threshold * to_si,
            hysteresis: self.hysteresis * to_si,
            slope: slope(self.slope),
        };
        if samples.len() < 2 || high <= low {
            r.says = Some("the signal stands still; check sensor, supply and mark".into());
            return r;
        }
        r.fitting = fitting(samples).map(|(t, h)| (t / to_si, h / to_si));
        let places = pulses(samples, settings).unwrap_or_default();
        r.edges = places.len();
        if places.is_empty() {
            let seen = format!("{:.3} to {:.3} {}", low, high, self.unit);
            r.says = Some(format!("nothing crosses {} {}; the signal goes from {seen}", self.threshold, self.unit));
            return r;
        }
        let times: Vec<f64> = places.iter().map(|p| p / sample_rate_hz).collect();
        if let (Some(a), Some(b)) = (times.first(), times.last())
            && times.len() > 1
        {
            let period = (b - a) / (times.len() - 1) as f64;
            (r.period_s, r.frequency_hz) = (Some(period), Some(1.0 / period));
        }
        let widths = pulse_widths(samples, settings).unwrap_or_default();
        if !widths.is_empty() {
            r.width_s = Some(widths.iter().map(|w| w.1).sum::<f64>() / widths.len() as f64 / sample_rate_hz);
        }
        match PulseTrain::new(&times, self.wheel(), 1.0 / sample_rate_hz) {
            Ok(train) => {
                for p in train.faults() {
                    match p.verdict {
                        PulseVerdict::AfterMissed(n) => r.missed += n,
                        PulseVerdict::Extra => r.doubled += 1,
                        _ => {}
                    }
                }
                let (t, rev) = train.carrying();
                r.jitter = jitter(&t, &rev, self.pulses_per_rev);
                let turn = |end: usize| {
                    let start = rev[..end].iter().rposition(|a| rev[end] - a >= 1.0 - 1e-9)?;
                    Some((60.0 * (rev[end] - rev[start]) / (t[end] - t[start]), 0.5 * (t[end] + t[start])))
                };
                let last = turn(t.len() - 1);
                let first = rev.iter().position(|a| a - rev[0] >= 1.0 - 1e-9).and_then(turn);
                r.rpm = last.map(|l| l.0);
                if let (Some(f), Some(l)) = (first, last)
                    && l.1 > f.1
                {
                    r.rpm_per_s = Some((l.0 - f.0) / (l.1 - f.1));
                }
                if r.doubled > 0 {
                    r.says = Some(format!("{} pulses too many; more hysteresis would take ripples away", r.doubled));
                } else if r.missed > 0 {
                    r.says = Some(format!("{} pulses missed; the threshold may be too near the peaks", r.missed));
                }
            }
            Err(_) => r.says = Some(format!("{} pulses in the stretch are too few for a speed", times.len())),
        }
        r
    }
}

/// Largest distance of a pulse from the middle of its neighbours, share of the interval between
/// neighbouring places.
fn jitter(t: &[f64], rev: &[f64], pulses_per_rev: f64) -> Option<f64> {
    let off = t.windows(3).zip(rev.windows(3)).map(|(t, a)| {
        let due = t[0] + (t[2] - t[0]) * (a[1] - a[0]) / (a[2] - a[0]);
        let interval = (t[2] - t[0]) / ((a[2] - a[0]) * pulses_per_rev);
        ((t[1] - due) / interval).abs()
    });
    off.filter(|x| x.is_finite()).reduce(f64::max)
}

/// Threshold halfway between the two levels a pulse signal dwells at, and hysteresis a fifth of
/// their distance. The levels are medians of what lies above and below the middle of the extremes,
/// so that a spike does not count.
fn fitting(samples: &[f64]) -> Option<(f64, f64)> {
    let mut sorted: Vec<f64> = samples.iter().copied().filter(|x| x.is_finite()).collect();
    sorted.sort_by(f64::total_cmp);
    let share = |p: f64| sorted.get(((sorted.len() - 1) as f64 * p) as usize).copied();
    // A mark may be as short as a hundredth of a turn; a spike is shorter.
    let (low, high) = (share(0.002)?, share(0.998)?);
    let middle = 0.5 * (low + high);
    let split = sorted.partition_point(|x| *x < middle);
    let median = |part: &[f64]| part.get(part.len() / 2).copied();
    let (low, high) = (median(&sorted[..split])?, median(&sorted[split..])?);
    (high > low).then_some((0.5 * (low + high), 0.2 * (high - low)))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tacho(per_rev: f64) -> Tachometer {
        Tachometer {
            input: 22,
            threshold: 2.0,
            hysteresis: 0.5,
            unit: "V".into(),
            slope: SlopeName::Rising,
            pulses_per_rev: per_rev,
            missing_teeth: 0,
            uneven: false,
            supply_v: 0.0,
        }
    }

    /// A pulse train at `hz` with a duty of a tenth, edges between samples told by their share.
    fn train(hz: f64, rate: f64, n: usize) -> Vec<f64> {
        let high_until = |t: f64| t.floor() * 0.1 + t.fract().min(0.1);
        (0..n)
            .map(|i| {
                let (a, b) = ((i as f64 - 0.5) * hz / rate + 1.0, (i as f64 + 0.5) * hz / rate + 1.0);
                4.0 * (high_until(b) - high_until(a)) / (hz / rate)
            })
            .collect()
    }

    #[test]
    fn the_speed_and_the_angle_follow_the_pulses() {
        let rate = 10_000.0;
        let samples = train(25.0, rate, 10_000);
        let mut t = tacho(1.0).turning(0, rate).unwrap();
        let (mut count, mut worst) = (0, 0.0f64);
        for (i, x) in samples.iter().enumerate() {
            count += usize::from(t.step(*x));
            if let Some(angle) = t.angle_deg() {
                let true_angle = 360.0 * (i as f64 * 25.0 / rate).fract();
                let off = (angle - true_angle).abs();
                worst = worst.max(off.min(360.0 - off));
            }
        }
        assert!((24..=25).contains(&count) && (t.rpm().unwrap() - 1500.0).abs() < 0.5, "{count} {:?}", t.rpm());
        assert!(worst < 1.0, "{worst}° off");
        // Twenty pulses a turn: the same train is a twentieth of the speed.
        let mut t = tacho(20.0).turning(0, rate).unwrap();
        for x in &samples {
            t.step(*x);
        }
        assert!((t.rpm().unwrap() - 75.0).abs() < 0.05);
    }

    #[test]
    fn a_stretch_tells_its_faults_and_what_would_fit() {
        let rate = 10_000.0;
        let mut samples = train(25.0, rate, 20_000);
        let good = tacho(1.0).read(&samples, rate);
        assert!((good.rpm.unwrap() - 1500.0).abs() < 0.2 && good.says.is_none(), "{good:?}");
        assert!((good.width_s.unwrap() - 0.004).abs() < 2e-4 && (good.period_s.unwrap() - 0.04).abs() < 1e-5);
        assert!(good.jitter.unwrap() < 0.01 && good.rpm_per_s.unwrap().abs() < 1.0);
        let (threshold, hysteresis) = good.fitting.unwrap();
        assert!((threshold - 2.0).abs() < 0.05 && (hysteresis - 0.8).abs() < 0.05, "{threshold} {hysteresis}");
        // One pulse gone, a spike where none should be.
        samples[4000..4100].fill(0.0);
        samples[9300..9306].fill(3.0);
        let bad = tacho(1.0).read(&samples, rate);
        assert_eq!((bad.missed, bad.doubled), (1, 1), "{bad:?}");
        assert!(bad.says.unwrap().contains("too many"));
        let mut high = tacho(1.0);
        high.threshold = 4.5;
        assert!(high.read(&samples, rate).says.unwrap().contains("nothing crosses 4.5 V"));
        assert!(tacho(1.0).read(&[1.0; 100], rate).says.unwrap().contains("stands still"));
    }

    #[test]
    fn settings_are_checked() {
        for (change, word) in [
            ((|t| t.threshold = f64::NAN) as fn(&mut Tachometer), "threshold"),
            (|t| t.hysteresis = -1.0, "hysteresis"),
            (|t| t.pulses_per_rev = 0.0, "above 0"),
            (|t| t.unit = "furlong".into(), "furlong"),
            (|t| (t.pulses_per_rev, t.missing_teeth) = (4.0, 3), "two must remain"),
            (|t| (t.pulses_per_rev, t.uneven) = (2.5, true), "whole number"),
        ] {
            let mut t = tacho(1.0);
            change(&mut t);
            assert!(t.check().unwrap_err().says.contains(word), "{word}");
        }
        assert!(tacho(1.0).check().is_ok());
    }
}
