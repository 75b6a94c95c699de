//! Speed, angle and orders of made-up machines whose truth is known.

use crate::common::{cosine, cut, noise, rms};
use echo_signal::rotation::angle::{AngleSampler, samples_for};
use echo_signal::rotation::curve::{AngleCurve, speed_smoothing_rev};
use echo_signal::rotation::cyclic::CyclicPattern;
use echo_signal::rotation::encoder::{Multiple, Quadrature, Unwrapper, degrees};
use echo_signal::rotation::order::{OrderBlock, order_cut, order_map};
use echo_signal::rotation::pulses::{PulseDetector, PulseSettings, Slope, pulse_widths, pulses};
use echo_signal::rotation::steps::{SpeedStep, Sweep, speed_steps, speed_steps_between, time_steps};
use echo_signal::rotation::vibration::{mean_turn, orbit, resonance, slow_roll_vector, subtract_slow_roll};
use echo_signal::rotation::wheel::{PulseTrain, PulseVerdict, Wheel};
use echo_signal::window::Window;
use proptest::prelude::*;
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;

/// Revolutions at a time: from 10 to 50 revolutions a second in 20 s, with a swing of torsion.
fn turned(t: f64) -> f64 {
    10.0 * t + t * t + 0.01 * (TAU * 0.5 * t).sin()
}

fn speed(t: f64) -> f64 {
    10.0 + 2.0 * t + 0.01 * TAU * 0.5 * (TAU * 0.5 * t).cos()
}

/// Time of an angle, by halving.
fn when(angle: f64) -> f64 {
    let (mut lo, mut hi) = (-1.0, 30.0);
    for _ in 0..80 {
        let mid = 0.5 * (lo + hi);
        if turned(mid) < angle { lo = mid } else { hi = mid }
    }
    lo
}

fn run_up_curve(teeth: usize) -> AngleCurve {
    let times: Vec<f64> = (0..600 * teeth).map(|k| when(k as f64 / teeth as f64)).collect();
    let train = PulseTrain::new(&times, Wheel::even(teeth as f64), 0.0).unwrap();
    let (t, a) = train.carrying();
    AngleCurve::new(&t, &a, 0.0).unwrap()
}

#[test]
fn crossings_are_found_between_samples_with_hysteresis() {
    let x = cosine(7.3, 1.0, -TAU / 4.0, 1000.0, 2000);
    let settings = PulseSettings { threshold: 0.0, hysteresis: 0.1, slope: Slope::Rising };
    let found = pulses(&x, settings).unwrap();
    for (k, p) in found.iter().enumerate() {
        // The first sample is already at the threshold, so the first counted crossing is the second.
        assert!((p - 1000.0 / 7.3 * (k + 1) as f64).abs() < 1e-3, "{p}");
    }
    let falling = pulses(&x, PulseSettings { slope: Slope::Falling, ..settings }).unwrap();
    assert!((falling[0] - 500.0 / 7.3).abs() < 1e-3);
    // Chatter below the hysteresis makes no second pulse; without it, it does.
    let chatter: Vec<f64> = x.iter().zip(noise(3, 2000)).map(|(x, n)| x + 0.04 * n).collect();
    assert_eq!(pulses(&chatter, settings).unwrap().len(), found.len());
    assert!(pulses(&chatter, PulseSettings { hysteresis: 0.0, ..settings }).unwrap().len() > found.len());
    let widths = pulse_widths(&x, settings).unwrap();
    assert!(widths.iter().all(|(_, w)| (w - 500.0 / 7.3).abs() < 2e-3));
    assert!(PulseSettings::automatic(&[1.0; 50], Slope::Rising).unwrap_err().to_string().contains("never changes"));
    assert!(PulseDetector::new(PulseSettings { hysteresis: -1.0, ..settings }).is_err());
}

#[test]
fn speed_and_angle_follow_the_truth() {
    let curve = run_up_curve(2);
    let (from, to) = curve.span_s();
    for k in 0..400 {
        let t = from + (to - from) * f64::from(k) / 400.0;
        assert!((curve.angle_at(t) - turned(t)).abs() < 2e-5, "{t}");
        assert!((curve.speed_at(t) / speed(t) - 1.0).abs() < 2e-3, "{t}");
    }
    let angles: Vec<f64> = (0..500).map(|k| 0.37 + f64::from(k)).collect();
    for (t, a) in curve.times_at(angles.iter().copied()).iter().zip(&angles) {
        assert!((curve.angle_at(*t) - a).abs() < 1e-9);
    }
}

#[test]
fn a_stiffer_curve_takes_off_jitter() {
    let jitter = noise(11, 1200);
    let times: Vec<f64> = (0..1200).map(|k| when(f64::from(k) / 2.0) + 2e-5 * jitter[k as usize]).collect();
    let angles: Vec<f64> = (0..1200).map(|k| f64::from(k) / 2.0).collect();
    let worst = |smooth_s: f64| {
        let c = AngleCurve::new(&times, &angles, smooth_s).unwrap();
        (0..300).map(|k| 2.0 + 0.05 * f64::from(k)).map(|t| (c.speed_at(t) / speed(t) - 1.0).abs()).fold(0.0, f64::max)
    };
    assert!(worst(0.05) < 0.25 * worst(0.0), "{} against {}", worst(0.05), worst(0.0));
    assert!(AngleCurve::new(&times, &angles, -1.0).is_err());
    assert!(AngleCurve::new(&times[..2], &angles[..2], 0.0).is_err());
    assert!(AngleCurve::new(&[0.0, 2.0, 1.0], &[0.0, 1.0, 2.0], 0.0).is_err());
}

#[test]
fn the_ends_of_a_smoothed_curve_tell_the_speed_there() {
    // 45 revolutions a second, down to 25 at 3.3 a second squared, held; and the same backwards.
    let (fast, slow, rate, hold) = (45.0, 25.0, 20.0 / 6.0, 4.0);
    let ramp = (fast - slow) / rate;
    let turned = |t: f64| {
        let down = t.min(ramp);
        fast * down - 0.5 * rate * down * down + slow * (t - down)
    };
    let end = turned(ramp + hold).floor();
    let when = |a: f64| {
        let (mut lo, mut hi) = (0.0, ramp + hold);
        for _ in 0..60 {
            let mid = 0.5 * (lo + hi);
            if turned(mid) < a { lo = mid } else { hi = mid }
        }
        lo
    };
    for pulses in [1.0, 4.0] {
        let angles: Vec<f64> = (0..=(pulses * end) as usize).map(|k| k as f64 / pulses).collect();
        let times: Vec<f64> = angles.iter().map(|a| when(*a)).collect();
        let last = times[times.len() - 1];
        let back: Vec<f64> = times.iter().rev().map(|t| last - t).collect();
        for (times, first_speed, last_speed) in [(&times, fast, slow), (&back, slow, fast)] {
            let c = AngleCurve::by_turns(times, &angles, speed_smoothing_rev(pulses)).unwrap();
            let (from, to) = c.span_s();
            for (t, wanted) in [(from, first_speed), (to, last_speed)] {
                let got = c.speed_at(t);
                assert!((got / wanted - 1.0).abs() < 1e-5, "{got} for {wanted} at {t} s, {pulses} pulses");
            }
        }
    }
}

#[test]
fn a_missing_tooth_marks_the_revolution() {
    // 12 places, one left out; the record begins at place 7.
    let places: Vec<u32> = (7..12 * 40).filter(|k| k % 12 != 11).collect();
    let times: Vec<f64> = places.iter().map(|k| when(f64::from(*k) / 12.0)).collect();
    let train = PulseTrain::new(&times, Wheel { pulses_per_rev: 12.0, missing_teeth: 1, uneven: false }, 0.0).unwrap();
    for (p, k) in train.pulses.iter().zip(&places) {
        assert!((p.angle_rev - (f64::from(*k) / 12.0 - 1.0)).abs() < 1e-12, "{k}: {}", p.angle_rev);
        assert_eq!(p.verdict, PulseVerdict::Good);
    }
    for wheel in [
        Wheel { pulses_per_rev: 2.5, missing_teeth: 1, uneven: false },
        Wheel { pulses_per_rev: 3.0, missing_teeth: 2, uneven: false },
        Wheel::even(0.0),
        Wheel::even(f64::NAN),
    ] {
        assert!(PulseTrain::new(&times, wheel, 0.0).is_err(), "{wheel:?}");
    }
}

#[test]
fn faults_are_told_and_the_angle_stays_right() {
    let mut times: Vec<f64> = (0..120).map(|k| when(f64::from(k) / 3.0)).collect();
    times.remove(40);
    let extra = 0.5 * (times[70] + times[71]) - 0.3 * (times[71] - times[70]);
    times.insert(71, extra);
    let train = PulseTrain::new(&times, Wheel::even(3.0), 0.0).unwrap();
    let faults: Vec<PulseVerdict> = train.faults().map(|p| p.verdict).collect();
    assert_eq!(faults, [PulseVerdict::AfterMissed(1), PulseVerdict::Extra]);
    assert_eq!(train.pulses.len(), times.len(), "nothing is taken out");
    let (t, a) = train.carrying();
    assert!(t.iter().zip(&a).all(|(t, a)| (turned(*t) - a).abs() < 1e-9));
}

#[test]
fn uneven_stripes_are_learned() {
    let stripes: [f64; 5] = [0.0, 0.23, 0.41, 0.55, 0.83];
    let times: Vec<f64> = (0..1000).map(|k| when((k / 5) as f64 + stripes[k % 5])).collect();
    let taken = PulseTrain::new(&times, Wheel { pulses_per_rev: 5.0, missing_teeth: 0, uneven: true }, 0.0).unwrap();
    for (k, p) in taken.pulses.iter().enumerate() {
        assert!((p.angle_rev - ((k / 5) as f64 + stripes[k % 5])).abs() < 1e-4, "{k}: {}", p.angle_rev);
    }
    // Taken as even, the same tape makes the speed swing by half.
    let even = PulseTrain::new(&times, Wheel::even(5.0), 0.0).unwrap();
    let swing = |train: &PulseTrain| {
        let (t, a) = train.carrying();
        let c = AngleCurve::new(&t, &a, 0.0).unwrap();
        (0..500).map(|k| 2.0 + 0.01 * f64::from(k)).map(|t| (c.speed_at(t) / speed(t) - 1.0).abs()).fold(0.0, f64::max)
    };
    assert!(swing(&taken) < 0.01 && swing(&even) > 0.3, "{} and {}", swing(&taken), swing(&even));
}

#[test]
fn quadrature_counts_both_ways_and_resets_at_the_index() {
    let track = |k: i64| (matches!(k.rem_euclid(4), 1 | 2), matches!(k.rem_euclid(4), 2 | 3));
    for (multiple, per_period) in [(Multiple::X1, 1), (Multiple::X2, 2), (Multiple::X4, 4)] {
        assert_eq!(i64::from(multiple.counts()), per_period);
        let mut q = Quadrature::new(multiple, false);
        for k in 0..=400 {
            let (a, b) = track(k);
            q.step(a, b, false);
        }
        assert_eq!(q.count(), 100 * per_period, "{multiple:?}");
        for k in (0..=400).rev() {
            let (a, b) = track(k);
            q.step(a, b, false);
        }
        assert_eq!((q.count(), q.errors()), (0, 0), "{multiple:?}");
    }
    let mut q = Quadrature::new(Multiple::X4, true);
    for k in 0..100 {
        let (a, b) = track(k);
        q.step(a, b, k == 60);
    }
    assert_eq!(q.count(), 39);
    let mut q = Quadrature::new(Multiple::X4, false);
    q.step(false, false, false);
    q.step(true, true, false);
    assert_eq!((q.count(), q.errors()), (0, 1));
    assert_eq!((degrees(-90, 360, true), degrees(-90, 360, false), degrees(1024, 4096, true)), (270.0, -90.0, 90.0));
}

#[test]
fn order_steps_and_maps_find_what_turns() {
    let rate = 4096.0;
    let curve = run_up_curve(1);
    let x: Vec<f64> = (0..80_000)
        .map(|i| {
            let a = turned(f64::from(i) / rate);
            2.0 * (TAU * a + 0.5).cos() + 0.7 * (TAU * 3.5 * a - 1.0).cos() + 5.0
        })
        .collect();
    let sampler = AngleSampler::new(&curve, samples_for(8.0), rate, x.len()).unwrap();
    let y = sampler.resample(&[&x]).unwrap().remove(0);
    let block = OrderBlock { revolutions: 8.0, window: Window::Hann };
    let steps = speed_steps(&sampler, &curve, 50.0, 8.0, Sweep::Automatic).unwrap();
    assert_eq!(steps[0].rpm.rem_euclid(50.0), 0.0);
    assert!(steps.windows(2).all(|w| w[1].rpm == w[0].rpm + 50.0) && steps.len() > 30);
    assert!(steps.iter().all(|s| (60.0 * speed(s.time_s) - s.rpm).abs() < 2.0));
    let cuts = order_cut(&y, &sampler, &steps, &[1.0, 3.5], block).unwrap();
    for (cut, wanted) in cuts.iter().zip([Complex64::from_polar(2.0, 0.5), Complex64::from_polar(0.7, -1.0)]) {
        assert!(cut.iter().all(|z| (z - wanted).norm() < 5e-3 * wanted.norm()), "{cut:?}");
    }
    let map = order_map(&y, &sampler, &steps, 8.0, block).unwrap();
    assert_eq!(map.orders.len(), 65);
    for row in &map.amplitudes {
        assert!((row[8] - 2.0).abs() < 0.01 && (row[28] - 0.7).abs() < 0.01 && (row[0] - 5.0).abs() < 0.01);
        assert!(row[16] < 0.01 && row[50] < 0.01);
    }
    assert!(order_cut(&y, &sampler, &steps, &[40.0], block).is_err());
    assert!(order_cut(&y[1..], &sampler, &steps, &[1.0], block).is_err());
    assert!(order_map(&y, &sampler, &steps, 0.0, block).is_err());
    assert!(speed_steps(&sampler, &curve, 0.0, 8.0, Sweep::Up).is_err());
    assert!(speed_steps(&sampler, &curve, 50.0, 9e9, Sweep::Up).is_err());
    // The speed does not fall but for the swing of torsion.
    assert!(speed_steps(&sampler, &curve, 50.0, 8.0, Sweep::Down).unwrap().len() <= 1);
}

#[test]
fn what_the_angle_steps_cannot_hold_is_kept_out_at_every_speed() {
    let rate = 4096.0;
    let curve = run_up_curve(1);
    // Order 40 folds onto others with 16 samples a revolution unless it is taken off before.
    let x: Vec<f64> = (0..80_000).map(|i| (TAU * 14.0 * turned(f64::from(i) / rate)).cos()).collect();
    let sampler = AngleSampler::new(&curve, 16, rate, x.len()).unwrap();
    let y = sampler.resample(&[&x]).unwrap().remove(0);
    assert!(rms(&y[100..y.len() - 100]) < 2e-4, "{}", rms(&y[100..y.len() - 100]));
    assert!(AngleSampler::new(&curve, 2, rate, x.len()).is_err());
    assert!(AngleSampler::new(&curve, 16, rate, 10).is_err());
    assert!(sampler.resample(&[&x, &x[1..]]).is_err());
}

#[test]
fn a_steady_speed_is_one_step() {
    let times: Vec<f64> = (0..200).map(|k| 0.02 * f64::from(k)).collect();
    let angles: Vec<f64> = (0..200).map(f64::from).collect();
    let curve = AngleCurve::new(&times, &angles, 0.0).unwrap();
    let sampler = AngleSampler::new(&curve, 32, 5120.0, 20_480).unwrap();
    let steps = speed_steps(&sampler, &curve, 70.0, 10.0, Sweep::Automatic).unwrap();
    assert_eq!(steps.len(), 1);
    assert!((steps[0].rpm - 3000.0).abs() < 1e-6);
}

/// Response of a shaft with unbalance: order one grows with the square of speed through a mode.
fn through_a_mode(rpm: f64, hz: f64, zeta: f64) -> Complex64 {
    let r = rpm / 60.0 / hz;
    r * r / Complex64::new(1.0 - r * r, 2.0 * zeta * r)
}

#[test]
fn a_resonance_and_its_amplification_are_read() {
    let rpm: Vec<f64> = (0..800).map(|k| 300.0 + 4.0 * f64::from(k)).collect();
    let runout = Complex64::from_polar(1.5, 0.7);
    let z: Vec<Complex64> = rpm.iter().map(|r| through_a_mode(*r, 18.4, 0.021) + runout).collect();
    let slow = slow_roll_vector(&rpm, &z, 300.0, 310.0).unwrap();
    let clean = subtract_slow_roll(&z, slow);
    let found = resonance(&rpm, &clean, 1.0, 600.0, 2000.0).unwrap();
    assert!((found.frequency_hz - 18.4).abs() < 0.05, "{found:?}");
    assert!((found.amplification / (1.0 / 0.042) - 1.0).abs() < 0.03, "{found:?}");
    assert!((found.phase_change_deg + 90.0).abs() < 4.0, "{found:?}");
    assert!(slow_roll_vector(&rpm, &z, 1.0, 2.0).is_err());
    assert!(resonance(&rpm, &clean, 1.0, 600.0, 1000.0).is_err(), "the peak is not inside");
    assert!(resonance(&rpm, &clean, 1.0, 1095.0, 1112.0).is_err(), "no half-power points");
    assert!(resonance(&rpm, &clean, 1.0, 600.0, 605.0).is_err());
    assert!(resonance(&rpm[1..], &clean, 1.0, 0.0, 1e9).is_err());
}

#[test]
fn an_orbit_is_the_ellipse_its_points_draw() {
    for (x, y) in [
        (Complex64::new(3.0, 0.0), Complex64::new(0.0, -1.0)),
        (Complex64::new(3.0, 0.0), Complex64::new(0.0, 1.0)),
        (Complex64::new(1.0, 2.0), Complex64::new(-0.5, 0.3)),
        (Complex64::new(1.0, 0.0), Complex64::new(1.0, 0.0)),
    ] {
        let found = orbit(x, y);
        let point = |k: u32| {
            let e = Complex64::from_polar(1.0, TAU * f64::from(k) / 3600.0);
            ((x * e).re, (y * e).re)
        };
        let radii: Vec<f64> = (0..3600).map(|k| point(k).0.hypot(point(k).1)).collect();
        let (low, high) = radii.iter().fold((f64::INFINITY, 0.0f64), |(a, b), r| (a.min(*r), b.max(*r)));
        assert!((found.major - high).abs() < 1e-5 && (found.minor - low).abs() < 1e-3, "{found:?}");
        let top = (0..3600u32).max_by(|a, b| radii[*a as usize].total_cmp(&radii[*b as usize])).unwrap();
        let tilt = (point(top).1 / point(top).0).atan().to_degrees();
        assert!((found.inclination_deg - tilt).abs() < 0.2, "{found:?} {tilt}");
        let ((a, b), (c, d)) = (point(0), point(1));
        if found.minor > 1e-9 {
            assert_eq!(found.forward, a * d - b * c > 0.0, "{x} {y}");
        }
    }
    let turn: Vec<f64> = (0..100).map(|k| f64::from(k % 10)).collect();
    assert_eq!(mean_turn(&turn, 10).unwrap(), (0..10).map(f64::from).collect::<Vec<_>>());
    assert!(mean_turn(&turn, 0).is_err() && mean_turn(&turn, 101).is_err());
}

#[test]
fn a_cycle_gathers_its_events() {
    let mut p = CyclicPattern::new(1.0, 36).unwrap();
    for k in 0..200 {
        p.push(f64::from(k) + 0.251, 2.0).unwrap();
        p.push(f64::from(k) + 0.251, 4.0).unwrap();
        p.push(-f64::from(k) - 0.49, -1.0).unwrap();
    }
    assert_eq!((p.classes()[9].count, p.classes()[9].mean(), p.classes()[9].largest), (400, 3.0, 4.0));
    assert_eq!((p.classes()[18].count, p.classes()[18].largest), (200, 1.0));
    assert_eq!(p.angles_deg()[9], 95.0);
    let (share, angle) = p.gathering();
    assert!(share > 0.6 && (95.0..185.0).contains(&angle), "{share} {angle}");
    assert!(p.push(f64::NAN, 1.0).is_err());
    assert!(CyclicPattern::new(0.0, 4).is_err() && CyclicPattern::new(1.0, 0).is_err());
}

proptest! {
    #[test]
    fn crossings_do_not_depend_on_how_samples_come(
        x in prop::collection::vec(-1.0f64..1.0, 0..800),
        cuts in prop::collection::vec(0usize..200, 0..10),
        hysteresis in 0.0f64..0.5,
    ) {
        let s = PulseSettings { threshold: 0.1, hysteresis, slope: Slope::Rising };
        let mut d = PulseDetector::new(s).unwrap();
        let mut parts = Vec::new();
        for r in cut(x.len(), &cuts) {
            d.push(&x[r], &mut parts).unwrap();
        }
        prop_assert_eq!(parts, pulses(&x, s).unwrap());
    }

    #[test]
    fn a_wrap_of_any_width_is_undone(bits in 1u32..=64, moves in prop::collection::vec(any::<i64>(), 1..60)) {
        let half = if bits == 1 { 1 } else { 1i64 << (bits - 1).min(40) };
        let mut u = Unwrapper::new(bits).unwrap();
        let (mut total, mut counter) = (0i64, 12_345u64);
        let fits = |c: u64| if bits == 64 { c } else { c & ((1u64 << bits) - 1) };
        u.push(fits(counter)).unwrap();
        for m in moves {
            // Anything below half the range either way.
            let m = if half == 1 { 0 } else { m % half };
            total += m;
            counter = counter.wrapping_add(m as u64);
            prop_assert_eq!(u.push(fits(counter)).unwrap(), total);
        }
    }

    #[test]
    fn pulses_and_orders_never_panic(
        times in prop::collection::vec(prop_oneof![Just(f64::NAN), -1e3f64..1e3], 0..40),
        sorted in any::<bool>(),
        teeth in prop_oneof![Just(f64::NAN), Just(0.0), 0.1f64..30.0, Just(3.0)],
        missing in 0u32..5, uneven in any::<bool>(),
        smooth in prop_oneof![Just(f64::NAN), Just(0.0), 0.0f64..1e6],
        order in prop_oneof![Just(f64::NAN), -1.0f64..50.0],
        rate in prop_oneof![Just(0.0), 1e-3f64..1e5],
    ) {
        let mut times = times;
        if sorted {
            times.retain(|t| t.is_finite());
            times.sort_by(f64::total_cmp);
            times.dedup();
        }
        let wheel = Wheel { pulses_per_rev: teeth, missing_teeth: missing, uneven };
        let Ok(train) = PulseTrain::new(&times, wheel, 0.0) else { return Ok(()) };
        let (t, a) = train.carrying();
        let Ok(curve) = AngleCurve::new(&t, &a, smooth) else { return Ok(()) };
        let x = vec![1.0; 300];
        let Ok(sampler) = AngleSampler::new(&curve, 16, rate, x.len()) else { return Ok(()) };
        let y = sampler.resample(&[&x]).unwrap().remove(0);
        let block = OrderBlock { revolutions: order, window: Window::Hann };
        let steps = speed_steps(&sampler, &curve, order, 1.0, Sweep::Automatic)
            .unwrap_or_else(|_| vec![SpeedStep { rpm: 1.0, angle_rev: order, time_s: 0.0 }]);
        let _ = order_cut(&y, &sampler, &steps, &[order], block);
        let _ = order_map(&y, &sampler, &steps, order, block);
    }
}

#[test]
fn steps_along_time_and_between_two_times() {
    let rate = 4096.0;
    let curve = run_up_curve(1);
    let x: Vec<f64> = (0..80_000).map(|i| 3.0 * (TAU * turned(f64::from(i) / rate)).cos()).collect();
    let sampler = AngleSampler::new(&curve, samples_for(4.0), rate, x.len()).unwrap();
    let y = sampler.resample(&[&x]).unwrap().remove(0);
    let block = OrderBlock { revolutions: 8.0, window: Window::Hann };
    let steps = time_steps(&sampler, &curve, 0.25, 8.0).unwrap();
    // Whole multiples of the interval, half a block away from either end.
    assert!(steps.windows(2).all(|w| (w[1].time_s - w[0].time_s - 0.25).abs() < 1e-9) && steps.len() > 40);
    assert!(steps.iter().all(|s| (s.time_s / 0.25).fract() == 0.0));
    let (first, last) = (sampler.angle_rev(0), sampler.angle_rev(sampler.len() - 1));
    assert!(steps.iter().all(|s| s.angle_rev - first >= 3.9 && last - s.angle_rev >= 3.9));
    assert!(steps.iter().all(|s| (60.0 * speed(s.time_s) - s.rpm).abs() < 2.0));
    let cut = order_cut(&y, &sampler, &steps, &[1.0], block).unwrap().remove(0);
    assert!(cut.iter().all(|z| (z.norm() - 3.0).abs() < 0.02), "{cut:?}");
    // Longer than the stretch: its middle.
    assert_eq!(time_steps(&sampler, &curve, 900.0, 8.0).unwrap().len(), 1);
    for wrong in [0.0, -1.0, f64::NAN, 1e-9] {
        let says = time_steps(&sampler, &curve, wrong, 8.0).unwrap_err().to_string();
        assert!(says.contains("interval_s") && says.contains("must be"), "{says}");
    }
    assert!(time_steps(&sampler, &curve, 0.25, 9e9).is_err());

    // The same speeds as of the sampler, each first reached where it says.
    let (from, to) = (2.0, 15.0);
    let between = speed_steps_between(&curve, (from, to), 50.0, Sweep::Up).unwrap();
    assert!(between.iter().all(|s| (from..=to).contains(&s.time_s) && s.rpm.rem_euclid(50.0) == 0.0));
    let all = speed_steps(&sampler, &curve, 50.0, 8.0, Sweep::Up).unwrap();
    let shared =
        all.iter().filter_map(|a| between.iter().find(|b| b.rpm == a.rpm).map(|b| (a.time_s - b.time_s).abs()));
    let shared: Vec<f64> = shared.collect();
    assert!(shared.len() > 20 && shared.iter().all(|off| *off < 0.02), "{shared:?}");
    assert!(speed_steps_between(&curve, (900.0, 901.0), 50.0, Sweep::Up).is_err());
    assert!(speed_steps_between(&curve, (from, to), -1.0, Sweep::Up).is_err());
    assert!(speed_steps_between(&curve, (from, to), 1e-6, Sweep::Up).is_err());
    assert_eq!(speed_steps_between(&curve, (from, to), 50.0, Sweep::Down).unwrap().len(), 1, "none falls");
}
