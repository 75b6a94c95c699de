//! Tachometers: wheels of every kind, read over a stretch and sample by sample.

use echo_job::recipe::SlopeName;
use echo_job::tacho::Tachometer;
use proptest::prelude::*;

const RATE: f64 = 20_000.0;

fn tacho(pulses_per_rev: f64, missing_teeth: u32) -> Tachometer {
    Tachometer {
        input: 1,
        threshold: 2.0,
        hysteresis: 0.5,
        unit: "V".into(),
        slope: SlopeName::Rising,
        pulses_per_rev,
        missing_teeth,
        uneven: false,
        supply_v: 0.0,
    }
}

/// A wheel with `teeth` places of which the last `missing` are left out, turning `turns(t)`; teeth cover the
/// first third of their place.
fn wheel(teeth: u32, missing: u32, seconds: f64, turns: impl Fn(f64) -> f64) -> Vec<f64> {
    let level = |t: f64| {
        let place = turns(t).rem_euclid(1.0) * f64::from(teeth);
        if (place as u32) < teeth - missing && place.fract() < 1.0 / 3.0 { 4.0 } else { 0.0 }
    };
    // A sample is the mean over its interval, as a converter's filter makes it.
    (0..(seconds * RATE) as usize)
        .map(|i| (0..16).map(|k| level((i as f64 + (f64::from(k) + 0.5) / 16.0 - 0.5) / RATE)).sum::<f64>() / 16.0)
        .collect()
}

#[test]
fn wheels_of_every_kind_tell_the_same_speed() {
    for (teeth, missing) in [(1, 0), (2, 0), (20, 0), (36, 1), (36, 2), (60, 2)] {
        let samples = wheel(teeth, missing, 1.0, |t| 24.5 * t + 0.3);
        let t = tacho(f64::from(teeth), missing);
        let r = t.read(&samples, RATE);
        let rpm = r.rpm.unwrap_or(f64::NAN);
        assert!((rpm - 1470.0).abs() < 0.7, "{teeth} − {missing}: {rpm} rpm");
        assert_eq!((r.missed, r.doubled), (0, 0), "{teeth} − {missing}: a gap of the wheel is no fault");
        let edges = 24.5 * f64::from(teeth - missing);
        assert!((r.edges as f64 - edges).abs() <= 2.0, "{teeth} − {missing}: {} edges", r.edges);
        let mut live = t.turning(0, RATE).unwrap();
        let came = samples.iter().filter(|x| live.step(**x)).count();
        assert_eq!(came, r.edges, "live and afterwards, the same pulses");
        assert!((live.rpm().unwrap() - 1470.0).abs() < 0.7, "{teeth} − {missing}: {:?}", live.rpm());
    }
}

#[test]
fn a_speed_that_changes_is_followed() {
    // From 600 to 1800 rpm in two seconds.
    let samples = wheel(8, 0, 2.0, |t| 10.0 * t + 5.0 * t * t);
    let r = tacho(8.0, 0).read(&samples, RATE);
    assert!((r.rpm_per_s.unwrap() - 600.0).abs() < 6.0, "{:?}", r.rpm_per_s);
    // The last whole turn ends now and is a thirtieth of a second long.
    assert!((r.rpm.unwrap() - 1790.0).abs() < 6.0, "{:?}", r.rpm);
    let steady = tacho(8.0, 0).read(&wheel(8, 0, 2.0, |t| 20.0 * t), RATE);
    assert!(steady.rpm_per_s.unwrap().abs() < 0.5 && steady.says.is_none(), "{steady:?}");
}

#[test]
fn falling_edges_and_other_units_count_as_well() {
    let samples: Vec<f64> = wheel(4, 0, 1.0, |t| 15.0 * t);
    let mut falling = tacho(4.0, 0);
    falling.slope = SlopeName::Falling;
    falling.hysteresis = 1.0;
    let r = falling.read(&samples, RATE);
    assert!((r.rpm.unwrap() - 900.0).abs() < 0.5);
    // A pulse is as long as the signal is low: two thirds of a period.
    assert!((r.width_s.unwrap() * 60.0 - 2.0 / 3.0).abs() < 0.01, "{:?}", r.width_s);
    let mut milli = tacho(4.0, 0);
    (milli.threshold, milli.hysteresis, milli.unit) = (2000.0, 500.0, "mV".into());
    let in_milli = milli.read(&samples, RATE);
    assert!((in_milli.rpm.unwrap() - 900.0).abs() < 0.5 && (in_milli.high - 4000.0).abs() < 1.0);
    let (threshold, hysteresis) = in_milli.fitting.unwrap();
    assert!((threshold - 2000.0).abs() < 20.0 && (hysteresis - 800.0).abs() < 20.0, "{threshold} {hysteresis}");
}

#[test]
fn pulses_that_stay_away_leave_no_angle() {
    let mut samples = wheel(1, 0, 0.5, |t| 20.0 * t);
    let mut live = tacho(1.0, 0).turning(0, RATE).unwrap();
    samples.iter().for_each(|x| {
        live.step(*x);
    });
    assert!(live.angle_deg().is_some() && live.rpm().is_some());
    samples.fill(0.0);
    samples.iter().for_each(|x| {
        live.step(*x);
    });
    assert_eq!(live.angle_deg(), None, "a turn without a pulse: nobody knows where the shaft is");
    live.forget();
    assert_eq!((live.rpm(), live.angle_deg()), (None, None));
}

proptest! {
    #[test]
    fn a_threshold_found_by_itself_lies_between_its_levels(
        low in -20.0f64..20.0, step in 0.5f64..20.0, noise in 0.0f64..0.1, turns in 3.0f64..40.0,
    ) {
        let mut state = 7u64;
        let mut dice = || {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            (state >> 40) as f64 / 16_777_216.0 - 0.5
        };
        let clean = wheel(1, 0, 0.5, |t| turns * t);
        let samples: Vec<f64> = clean.iter().map(|x| low + step * (x / 4.0 + noise * dice())).collect();
        let r = tacho(1.0, 0).read(&samples, RATE);
        let (threshold, hysteresis) = r.fitting.expect("pulses are there");
        prop_assert!((threshold - low - step / 2.0).abs() < 0.1 * step, "{threshold}");
        prop_assert!(hysteresis > 0.1 * step && hysteresis < 0.3 * step);
        let found = Tachometer { threshold, hysteresis, ..tacho(1.0, 0) };
        let again = found.read(&samples, RATE);
        prop_assert!((again.edges as f64 - turns * 0.5).abs() <= 1.5, "{} edges", again.edges);
        prop_assert_eq!(again.doubled, 0);
    }
}
