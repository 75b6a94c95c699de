//! Wheels as they are on machines: uneven, with a gap, from standstill, with pulses that are dropped
//! or doubled. The angle is true, or it is said where it is not.

use crate::common::Dice;
use echo_signal::rotation::curve::{ANGLE_SMOOTHING_REV, AngleCurve, BANDWIDTH, speed_smoothing_rev};
use echo_signal::rotation::live::LiveWheel;
use echo_signal::rotation::wheel::{PulseTrain, PulseVerdict, Wheel};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use std::f64::consts::TAU;

/// Angle within which a curve has to be true, revolutions: one degree.
const DEGREE: f64 = 1.0 / 360.0;

/// A shaft whose speed is a smooth curve.
#[derive(Debug, Clone, Copy)]
struct Shaft {
    /// Speed at the start and what is added to it by the end of the climb, revolutions a second.
    from: f64,
    climb: f64,
    /// How long it climbs, s, at even acceleration or with a soft start and end.
    climb_s: f64,
    soft: bool,
    /// Swing of the speed: share and frequency, Hz.
    swing: f64,
    swing_hz: f64,
    length_s: f64,
    /// Widest gap between pulses, revolutions. What swings faster than a quarter of the pulses nobody
    /// can see: the shaft does so only where it turns fast enough, and begins to slowly.
    gap_rev: f64,
}

impl Shaft {
    fn speed(&self, t: f64) -> f64 {
        let u = (t / self.climb_s).clamp(0.0, 1.0);
        let shape = if self.soft { u * u * (3.0 - 2.0 * u) } else { u };
        let base = self.from + self.climb * shape;
        let seen = ((base / (4.0 * self.swing_hz * self.gap_rev) - 1.0) / 3.0).clamp(0.0, 1.0);
        base * (1.0 + self.swing * seen * seen * (3.0 - 2.0 * seen) * (TAU * self.swing_hz * t).sin())
    }

    /// Angles at even times, revolutions, by Simpson's rule.
    fn turned(&self) -> Turned {
        let step = 5e-4;
        let mut angles = vec![0.0];
        for k in 0..(self.length_s / step) as usize {
            let t = k as f64 * step;
            let part = (self.speed(t) + 4.0 * self.speed(t + 0.5 * step) + self.speed(t + step)) * step / 6.0;
            angles.push(angles[k] + part);
        }
        Turned { shaft: *self, step, angles }
    }
}

struct Turned {
    shaft: Shaft,
    step: f64,
    angles: Vec<f64>,
}

impl Turned {
    fn at(&self, t: f64) -> f64 {
        let k = ((t / self.step) as usize).min(self.angles.len() - 2);
        let from = k as f64 * self.step;
        let d = t - from;
        let s = |t: f64| self.shaft.speed(t);
        self.angles[k] + (s(from) + 4.0 * s(from + 0.5 * d) + s(t)) * d / 6.0
    }

    fn when(&self, angle: f64) -> f64 {
        let k = self.angles.partition_point(|a| *a < angle).clamp(1, self.angles.len() - 1);
        let (mut lo, mut hi) = ((k - 1) as f64 * self.step, k as f64 * self.step);
        // By the chord, which is nearly the curve; by halving where it starts from rest.
        for round in 0..40 {
            let (a, b) = (self.at(lo) - angle, self.at(hi) - angle);
            let mid = if round % 2 == 0 { lo - a * (hi - lo) / (b - a) } else { 0.5 * (lo + hi) };
            let off = self.at(mid) - angle;
            if off.abs() < 1e-10 || !(mid > lo && mid < hi) {
                return mid;
            }
            if off < 0.0 { lo = mid } else { hi = mid }
        }
        0.5 * (lo + hi)
    }
}

#[derive(Debug, Clone, Copy)]
struct Case {
    count: u32,
    missing: u32,
    uneven: f64,
    /// Angle of the wheel at the beginning, places.
    begin: f64,
    drops: f64,
    doubles: f64,
    seed: u64,
    shaft: Shaft,
}

/// What a reading of a case came to.
#[derive(Debug, Default)]
struct Outcome {
    /// Largest error of the angle where it is said to be known, degrees.
    worst_deg: f64,
    worst_s: f64,
    /// Share of the time for which it is said not to be.
    said: f64,
    dropped: u32,
    doubled: u32,
    told_missed: u32,
    told_extra: u32,
    turns: f64,
}

impl Case {
    fn wheel(&self) -> Wheel {
        Wheel { pulses_per_rev: f64::from(self.count), missing_teeth: self.missing, uneven: self.uneven > 0.0 }
    }

    fn outcome(&self) -> Option<Outcome> {
        let turned = self.shaft.turned();
        let mut dice = Dice(self.seed | 1);
        for _ in 0..8 {
            dice.roll();
        }
        let n = f64::from(self.count);
        let shift: Vec<f64> = (0..self.count).map(|_| self.uneven * (2.0 * dice.roll() - 1.0)).collect();
        let total = turned.angles[turned.angles.len() - 1];
        let mut times: Vec<f64> = Vec::new();
        let (mut dropped, mut doubled) = (0, 0);
        // The wheel's angle is that of the shaft and where it stood at the beginning.
        for k in 0..((total * n + self.begin) as i64 - 1) {
            let slot = k.rem_euclid(i64::from(self.count)) as usize;
            let angle = (k as f64 + shift[slot] - self.begin) / n;
            if angle < 1e-9 || slot >= (self.count - self.missing) as usize {
                continue;
            }
            if dice.roll() < self.drops {
                dropped += u32::from(!times.is_empty());
                continue;
            }
            times.push(turned.when(angle));
            if dice.roll() < self.doubles {
                doubled += 1;
                times.push(turned.when(angle + (0.05 + 0.8 * dice.roll()) / n));
            }
        }
        times.sort_by(f64::total_cmp);
        times.dedup_by(|b, a| *b - *a < 1e-7);
        let train = PulseTrain::new(&times, self.wheel(), 0.0).ok()?;
        let (t, a) = train.carrying();
        let curve = AngleCurve::by_turns(&t, &a, ANGLE_SMOOTHING_REV).ok()?;
        let unknown = curve.coarse(&a, 0.5 * DEGREE);
        let (from, to) = curve.span_s();
        let points: Vec<(f64, f64, bool)> = (0..=4000)
            .map(|k| {
                let t = from + (to - from) * f64::from(k) / 4000.0;
                let known = !unknown.iter().any(|(a, b)| (*a..=*b).contains(&t))
                    && !train.doubts.iter().any(|d| (d.from_s..=d.to_s).contains(&t));
                let truth = turned.at(t) + self.begin / n;
                (t, curve.angle_at(t) - truth, known)
            })
            .collect();
        // The angle counts from a place: of a wheel with a gap from the first after it, else from any.
        let mut off: Vec<f64> = points.iter().filter(|p| p.2).map(|p| p.1).collect();
        let said = 1.0 - off.len() as f64 / points.len() as f64;
        let mut out = Outcome { said, dropped, doubled, turns: total, ..Outcome::default() };
        if off.is_empty() {
            return Some(out);
        }
        off.sort_by(f64::total_cmp);
        let zero = if self.missing > 0 {
            (off[off.len() / 2] + shift[0] / n).round() - shift[0] / n
        } else {
            off[off.len() / 2]
        };
        for (t, d, known) in points {
            if known && (d - zero).abs() * 360.0 > out.worst_deg {
                (out.worst_deg, out.worst_s) = ((d - zero).abs() * 360.0, t);
            }
        }
        for p in train.faults() {
            match p.verdict {
                PulseVerdict::AfterMissed(m) => out.told_missed += m,
                PulseVerdict::Extra => out.told_extra += 1,
                _ => {}
            }
        }
        Some(out)
    }
}

prop_compose! {
    fn shafts()(
        still in prop::bool::weighted(0.7),
        from in 5.0f64..20.0,
        climb in 5.0f64..40.0,
        climb_s in 3.0f64..15.0,
        soft in any::<bool>(),
        swing in prop_oneof![Just(0.0), 0.0f64..0.15],
        swing_hz in 0.1f64..1.5,
        more in 0.0f64..5.0,
    ) -> Shaft {
        let from = if still { 0.0 } else { from };
        Shaft { from, climb, climb_s, soft, swing, swing_hz, length_s: climb_s + more, gap_rev: 1.0 }
    }
}

prop_compose! {
    fn cases()(
        count in 1u32..=60,
        missing in 0u32..=2,
        uneven in prop_oneof![Just(0.0), 0.0f64..0.1],
        begin in 0.0f64..1.0,
        drops in prop_oneof![Just(0.0), 0.0f64..0.01],
        doubles in prop_oneof![Just(0.0), 0.0f64..0.01],
        seed in any::<u64>(),
        shaft in shafts(),
    ) -> Case {
        let missing = if missing + 2 > count { 0 } else { missing };
        let uneven = if count < 2 { 0.0 } else { uneven };
        let begin = (begin * f64::from(count)).min(f64::from(count) - 0.01);
        let shaft = Shaft { gap_rev: f64::from(missing + 1) / f64::from(count), ..shaft };
        Case { count, missing, uneven, begin, drops, doubles, seed, shaft }
    }
}

proptest! {
    // A hundred, always the same ones; ten thousand others with WHEELS=10000.
    #![proptest_config(match std::env::var("WHEELS").ok().and_then(|n| n.parse().ok()) {
        None => ProptestConfig { cases: 100, rng_seed: RngSeed::Fixed(36), failure_persistence: None, ..ProptestConfig::default() },
        Some(cases) => ProptestConfig { cases, failure_persistence: None, ..ProptestConfig::default() },
    })]
    #[test]
    fn the_angle_is_true_or_said_not_to_be(case in cases()) {
        let Some(out) = case.outcome() else { return Ok(()) };
        prop_assert!(out.worst_deg < 1.0, "{out:?}");
        // From rest the first turns may be unknown, the others not, where pulses come more often than swings.
        prop_assert!(out.said < 0.6 || out.turns < 40.0 || case.shaft.gap_rev > 0.5, "{out:?}");
        // A double next to where a pulse was dropped may be taken for it.
        prop_assert!(out.told_missed.abs_diff(out.dropped) <= 2 + out.dropped / 8, "{out:?}");
        prop_assert!(out.told_extra.abs_diff(out.doubled) <= 2 + out.doubled / 8, "{out:?}");
    }
}

/// Pulse times of a wheel with these places (parts of a turn) at `angle(t)` turns.
fn times_of(places: &[f64], turns: usize, when: impl Fn(f64) -> f64) -> Vec<f64> {
    (0..turns).flat_map(|n| places.iter().map(move |p| n as f64 + p)).map(when).collect()
}

/// Largest distance of the angle from the truth after `from_s`, whole turns taken off, degrees.
fn phase_off(train: &PulseTrain, from_s: f64, truth: impl Fn(f64) -> f64) -> f64 {
    let (t, a) = train.carrying();
    let off = t.iter().zip(&a).filter(|(t, _)| **t > from_s).map(|(t, a)| {
        let d = a - truth(*t);
        360.0 * (d - d.round()).abs()
    });
    off.fold(0.0, f64::max)
}

fn accelerating(angle: f64) -> f64 {
    // 10 turns a second and 1 turn a second squared.
    -10.0 + (100.0 + 2.0 * angle).sqrt()
}

fn accelerated(t: f64) -> f64 {
    10.0 * t + 0.5 * t * t
}

#[test]
fn a_dropped_or_doubled_stripe_turns_no_phase() {
    let stripes = [0.0, 0.131, 0.243, 0.37, 0.512, 0.622, 0.741, 0.88];
    let wheel = Wheel { pulses_per_rev: 8.0, missing_teeth: 0, uneven: true };
    for (drop, double) in [(Some(133), None), (None, Some(133)), (Some(3), None), (Some(315), Some(40))] {
        let mut times = times_of(&stripes, 40, accelerating);
        if let Some(i) = double {
            times.insert(i + 1, 0.7 * times[i] + 0.3 * times[i + 1]);
        }
        if let Some(i) = drop {
            times.remove(i);
        }
        let train = PulseTrain::new(&times, wheel, 0.0).unwrap();
        assert!(phase_off(&train, 0.0, accelerated) < 0.1, "{drop:?} {double:?}");
        let told: Vec<PulseVerdict> = train.faults().map(|p| p.verdict).collect();
        let missed = told.iter().filter(|v| matches!(v, PulseVerdict::AfterMissed(1))).count();
        let extra = told.iter().filter(|v| **v == PulseVerdict::Extra).count();
        assert_eq!((missed, extra), (usize::from(drop.is_some()), usize::from(double.is_some())), "{told:?}");
    }
}

#[test]
fn a_gap_at_the_wrong_count_is_a_fault_and_no_mark() {
    for (count, missing, gone) in [(36, 1, vec![20]), (60, 2, vec![35, 36]), (36, 1, vec![400]), (60, 2, vec![0, 1])] {
        let places: Vec<f64> = (0..count - missing).map(|k| f64::from(k) / f64::from(count)).collect();
        let mut times = times_of(&places, 30, accelerating);
        for (k, i) in gone.iter().enumerate() {
            times.remove(i - k);
        }
        let wheel = Wheel { pulses_per_rev: f64::from(count), missing_teeth: missing as u32, uneven: false };
        let train = PulseTrain::new(&times, wheel, 0.0).unwrap();
        assert!(phase_off(&train, 0.0, accelerated) < 0.01, "{count} − {missing} without {gone:?}");
        let told: Vec<PulseVerdict> = train.faults().map(|p| p.verdict).collect();
        // What is gone before the first pulse nobody can miss.
        let wanted = if gone[0] == 0 { vec![] } else { vec![PulseVerdict::AfterMissed(gone.len() as u32)] };
        assert_eq!(told, wanted, "{count} − {missing} without {gone:?}");
    }
}

#[test]
fn ramps_from_rest_have_no_faults_and_the_right_speed() {
    for (from_rpm, rpm_per_s, pulses) in [
        (0.0, 30.0, 1),
        (0.0, 490.0, 1),
        (0.0, 100.0, 60),
        (20.0, 200.0, 4),
        (60.0, 490.0, 1),
        (0.0, 60.0, 12),
        (5.0, 300.0, 36),
    ] {
        let (v, a) = (from_rpm / 60.0, rpm_per_s / 60.0);
        let when = |angle: f64| ((v * v + 2.0 * a * angle).sqrt() - v) / a;
        let n = f64::from(pulses);
        let times: Vec<f64> = (0..60 * pulses).map(|k| when((f64::from(k) + 0.3) / n)).collect();
        let train = PulseTrain::new(&times, Wheel::even(n), 0.0).unwrap();
        let case = format!("{from_rpm} rpm, {rpm_per_s} rpm/s, {pulses} a turn");
        assert_eq!(train.faults().count(), 0, "{case}: {:?}", train.faults().next());
        let (t, angles) = train.carrying();
        let curve = AngleCurve::by_turns(&t, &angles, speed_smoothing_rev(n)).unwrap();
        for k in 1..t.len() {
            let wanted = v + a * t[k];
            assert!(
                (curve.speed_at(t[k]) / wanted - 1.0).abs() < 0.01,
                "{case}: {} for {wanted}",
                curve.speed_at(t[k])
            );
        }
    }
}

#[test]
fn four_samples_between_pulses_are_no_jitter() {
    // Each pulse is seen at the next whole sample.
    let rate = 4096.0;
    let seen = |apart: f64| -> Vec<f64> { (0..4000).map(|k| (f64::from(k) * apart).ceil() / rate).collect() };
    let count = |times: &[f64]| {
        let train = PulseTrain::new(times, Wheel::even(12.0), 1.0 / rate).unwrap();
        train.faults().map(|p| p.verdict).collect::<Vec<_>>()
    };
    assert_eq!(count(&seen(4.3)), []);
    // One that is really late is told.
    let mut times = seen(8.3);
    times[2000] += 3.0 / rate;
    assert_eq!(count(&times), [PulseVerdict::Jitter]);
}

#[test]
fn a_speed_keeps_what_its_bandwidth_says() {
    // 1200 rpm with one pulse a turn, swinging by 1 % at 1.5 Hz.
    let (swing, hz) = (0.01, 1.5);
    let speed = |t: f64| 20.0 * (1.0 + swing * (TAU * hz * t).sin());
    let angle = |t: f64| 20.0 * (t - swing / (TAU * hz) * (TAU * hz * t).cos());
    let when = |a: f64| (0..20).fold(a / 20.0, |t, _| t - (angle(t) - a) / speed(t));
    let turns: Vec<f64> = (0..400).map(f64::from).collect();
    let times: Vec<f64> = turns.iter().map(|a| when(*a)).collect();
    let kept = |smooth_rev: f64| {
        let curve = AngleCurve::by_turns(&times, &turns, smooth_rev).unwrap();
        let (mut sum, n) = (0.0, 4000);
        for k in 0..n {
            let t = 5.0 + 10.0 * f64::from(k) / f64::from(n);
            sum += (curve.speed_at(t) - 20.0) * (TAU * hz * t).sin();
        }
        2.0 * sum / f64::from(n) / (20.0 * swing)
    };
    assert!(kept(speed_smoothing_rev(1.0)) > 0.97, "{}", kept(speed_smoothing_rev(1.0)));
    // A stiffness whose bandwidth is this very fluctuation keeps 0.71 of it.
    let at_the_edge = BANDWIDTH * 20.0 / hz;
    assert!((kept(at_the_edge) - 0.5f64.sqrt()).abs() < 0.02, "{}", kept(at_the_edge));
}

#[test]
fn a_wheel_followed_live_keeps_its_phase() {
    let stripes = [0.0, 0.131, 0.243, 0.37, 0.512, 0.622, 0.741, 0.88];
    let gapped: Vec<f64> = (0..34).map(|k| f64::from(k) / 36.0).collect();
    let uneven = Wheel { pulses_per_rev: 8.0, missing_teeth: 0, uneven: true };
    let gap = Wheel { pulses_per_rev: 36.0, missing_teeth: 2, uneven: false };
    for (wheel, places) in [(uneven, &stripes[..]), (gap, &gapped[..])] {
        let mut times = times_of(places, 60, accelerating);
        // After the places are known: one gone, later one too many; the record begins within a turn.
        let gone = places.len() * 40 + 3;
        times.remove(gone);
        let double = places.len() * 50 + 2;
        times.insert(double + 1, 0.6 * times[double] + 0.4 * times[double + 1]);
        times.drain(..5);
        let mut live = LiveWheel::new(wheel, 0.0).unwrap();
        let (mut told, mut known) = (Vec::new(), 0);
        for (i, t) in times.iter().enumerate() {
            if let Some(v) = live.push(*t).filter(|v| *v != PulseVerdict::Good) {
                told.push(v);
            }
            if i < 13 * places.len() {
                continue;
            }
            let (at, angle) = live.newest().unwrap();
            // With a gap the first tooth is 0, else the first pulse.
            let zero = if wheel.missing_teeth > 0 { 0.0 } else { places[5] };
            let off = angle - (accelerated(at) - zero);
            assert!(360.0 * (off - off.round()).abs() < 0.5, "{i}: {angle} at {at}");
            let speed = live.speed().unwrap();
            assert!((speed / (10.0 + at) - 1.0).abs() < 0.02, "{i}: {speed}");
            known += 1;
        }
        assert_eq!(told, [PulseVerdict::AfterMissed(1), PulseVerdict::Extra], "{wheel:?}");
        assert!(known > 40 * places.len());
        live.forget();
        assert_eq!((live.speed(), live.newest()), (None, None));
    }
    assert!(LiveWheel::new(Wheel::even(-1.0), 0.0).is_err());
}
