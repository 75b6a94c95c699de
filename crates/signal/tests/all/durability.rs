//! Histories and shocks: published examples, closed forms, independence of block lengths.

use crate::common::{cosine, cut, noise};
use echo_signal::arrivals::{Pick, arrival};
use echo_signal::distribution::{Classes, Histogram, LevelCrossings};
use echo_signal::locate::{Observation, locate};
use echo_signal::rainflow::{Cycle, Rainflow, Residue, rainflow};
use echo_signal::shock::{ShockProcessor, ShockSettings, shock_response};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

#[test]
fn classes_are_half_open() {
    let c = Classes::new(vec![-1.0, 0.0, 2.0]).unwrap();
    for (x, place) in [(-1.1, 0), (-1.0, 1), (-1e-300, 1), (0.0, 2), (1.999, 2), (2.0, 3), (1e300, 3)] {
        assert_eq!(c.place(x), place, "{x}");
    }
    let mut h = Histogram::new(c);
    h.push(&[-5.0, -1.0, 0.0, 1.0, 2.0, 3.0]).unwrap();
    assert_eq!((h.below(), h.counts(), h.above(), h.total()), (1, &[1, 2][..], 2, 6));
    for edges in [vec![], vec![1.0], vec![1.0, 1.0], vec![2.0, 1.0], vec![0.0, f64::NAN], vec![0.0, f64::INFINITY]] {
        assert!(Classes::new(edges).is_err());
    }
    assert!(Classes::even(0.0, 1.0, 0).is_err() && Classes::even(1.0, 0.0, 4).is_err());
    assert_eq!(Classes::even(0.0, 1.0, 4).unwrap().middles(), [0.125, 0.375, 0.625, 0.875]);
}

#[test]
fn crossings_of_a_sine_are_its_periods() {
    let x = cosine(5.0, 1.0, 1.0, 1000.0, 4000);
    let mut c = LevelCrossings::new(Classes::new(vec![-2.0, -0.9, 0.0, 0.9, 1.1]).unwrap());
    c.push(&x).unwrap();
    assert_eq!(c.counts(), [0, 20, 20, 20, 0]);
    assert_eq!(c.levels().len(), 5);
    c.interrupt();
    c.push(&[5.0]).unwrap();
    assert_eq!(c.counts()[4], 0, "nothing is crossed over a gap");
}

#[test]
fn what_is_left_is_counted_as_asked() {
    let count = |history: &[f64], hysteresis, residue| -> f64 {
        rainflow(history, hysteresis, residue).unwrap().iter().map(|c| c.count).sum()
    };
    // ASTM E1049-85, figure 6, as a history that repeats: its four cycles (Fig. 9 of the standard
    // counts 4-3, 2-1 and the large one the same way).
    let history = [-2.0, 1.0, -3.0, 5.0, -1.0, 3.0, -4.0, 4.0, -2.0];
    assert_eq!(count(&history, 0.0, Residue::Half), 4.0);
    assert_eq!(count(&history, 0.0, Residue::Ignore), 1.0);
    let repeated = rainflow(&history, 0.0, Residue::Repeat).unwrap();
    let mut ranges: Vec<f64> = repeated.iter().map(|c| c.range).collect();
    ranges.sort_by(f64::total_cmp);
    assert_eq!(ranges, [3.0, 4.0, 7.0, 9.0]);
    assert!(repeated.iter().all(|c| c.count == 1.0));
    assert_eq!(rainflow(&history, 4.5, Residue::Half).unwrap().iter().filter(|c| c.range < 4.5).count(), 0);
    assert_eq!(count(&[], 0.0, Residue::Repeat), 0.0);
    assert_eq!(count(&[3.0; 9], 0.0, Residue::Half), 0.0);
    assert!(Rainflow::new(-1.0).is_err() && Rainflow::new(f64::NAN).is_err());
}

#[test]
fn a_sine_is_one_cycle_a_period() {
    let x = cosine(5.0, 2.0, 0.0, 1000.0, 10_000);
    let cycles = rainflow(&x, 0.0, Residue::Repeat).unwrap();
    assert!((cycles.iter().map(|c| c.count).sum::<f64>() - 50.0).abs() <= 1.0);
    assert!(cycles.iter().filter(|c| c.range > 0.1).all(|c| (c.range - 4.0).abs() < 1e-2 && c.mean.abs() < 1e-2));
}

#[test]
fn a_half_sine_has_its_closed_form() {
    // Nearly undamped oscillators: residual response of the half sine, Harris, ch. 8.
    let (rate, length, q) = (20_000.0, 0.01, 5e4);
    let mut x = vec![0.0; 100];
    x.extend((0..=200).map(|i| (PI * f64::from(i) / 200.0).sin()));
    x.extend(vec![0.0; 100]);
    let settings = ShockSettings { sample_rate_hz: rate, q, from_hz: 5.0, to_hz: 45.0, per_octave: 12 };
    let found = shock_response(&x, settings).unwrap();
    for ((f, p), m) in found.frequencies_hz.iter().zip(&found.maximax()).zip(&found.negative) {
        let r = 2.0 * f * length;
        let residual = (2.0 * r / (1.0 - r * r) * (PI * f * length).cos()).abs();
        // Below f·τ = ½ the largest response comes after the pulse.
        assert!((p / residual - 1.0).abs() < 5e-3, "{f} Hz: {p} for {residual}");
        assert!((-m / residual - 1.0).abs() < 5e-3);
    }
}

#[test]
fn a_stiff_oscillator_follows_its_base_and_a_soft_one_does_not() {
    let x: Vec<f64> = (0..4000)
        .map(|i| if (1000..2000).contains(&i) { (PI * f64::from(i - 1000) / 1000.0).sin() } else { 0.0 })
        .collect();
    let settings = ShockSettings { sample_rate_hz: 10_000.0, q: 10.0, from_hz: 0.05, to_hz: 1000.0, per_octave: 3 };
    let found = shock_response(&x, settings).unwrap().maximax();
    assert!(found[0] < 0.1 && (found[found.len() - 1] - 1.0).abs() < 0.01, "{found:?}");
    for wrong in [
        ShockSettings { q: 0.5, ..settings },
        ShockSettings { from_hz: 0.0, ..settings },
        ShockSettings { to_hz: 5000.0, ..settings },
        ShockSettings { to_hz: 0.01, ..settings },
        ShockSettings { per_octave: 0, ..settings },
        ShockSettings { sample_rate_hz: f64::NAN, ..settings },
    ] {
        assert!(shock_response(&x, wrong).is_err(), "{wrong:?}");
    }
    assert!(shock_response(&[], settings).is_err());
}

#[test]
fn extremes_between_samples_are_found() {
    // The same straight lines sampled 32 times as often need no look between samples.
    let x = noise(3, 600);
    let fine: Vec<f64> = std::iter::once(0.0)
        .chain(x.iter().copied())
        .collect::<Vec<_>>()
        .windows(2)
        .flat_map(|w| {
            let (from, to) = (w[0], w[1]);
            (1..=32).map(move |p| from + (to - from) * f64::from(p) / 32.0)
        })
        .collect();
    let settings =
        |rate: f64| ShockSettings { sample_rate_hz: rate, q: 10.0, from_hz: 20.0, to_hz: 450.0, per_octave: 12 };
    let (coarse, fine) =
        (shock_response(&x, settings(1000.0)).unwrap(), shock_response(&fine, settings(32_000.0)).unwrap());
    assert_eq!(coarse.frequencies_hz, fine.frequencies_hz);
    for (name, c, f) in [("high", &coarse.positive, &fine.positive), ("low", &coarse.negative, &fine.negative)] {
        for (k, hz) in coarse.frequencies_hz.iter().enumerate() {
            assert!((c[k] / f[k] - 1.0).abs() < 4e-3, "{name} at {hz} Hz: {} for {}", c[k], f[k]);
        }
    }
}

fn burst(at: f64, n: usize, seed: u64, noisy: f64) -> Vec<f64> {
    noise(seed, n)
        .iter()
        .enumerate()
        .map(|(i, v)| {
            let t = i as f64 - at;
            noisy * v
                + if t > 0.0 { (-t / 200.0).exp() * (1.0 - (-t / 6.0).exp()) * (TAU * t / 14.0).sin() } else { 0.0 }
        })
        .collect()
}

#[test]
fn a_burst_is_picked_within_its_uncertainty() {
    for (k, at) in [700.4, 1203.7, 2500.0].into_iter().enumerate() {
        let x = burst(at, 5000, k as u64 + 1, 0.005);
        let akaike = arrival(&x, 1.0, Pick::Akaike).unwrap();
        assert!((akaike.time_s - at).abs() < 4.0, "{} for {at}", akaike.time_s);
        let threshold = arrival(&x, 1.0, Pick::Threshold(0.1)).unwrap();
        assert!(threshold.time_s > at - 1.0 && threshold.time_s - at < 12.0, "{} for {at}", threshold.time_s);
    }
    for (x, pick) in [
        (vec![0.0; 10], Pick::Akaike),
        (vec![2.0; 1000], Pick::Akaike),
        (burst(500.0, 1000, 1, 0.01), Pick::Threshold(1.5)),
        (burst(500.0, 1000, 1, 0.01), Pick::Threshold(f64::NAN)),
    ] {
        assert!(arrival(&x, 1.0, pick).is_err());
    }
}

fn heard(source: &[f64], emitted: f64, sensors: &[Vec<f64>], speed: f64) -> Vec<Observation> {
    sensors
        .iter()
        .map(|s| {
            let d = s.iter().zip(source).map(|(a, b)| (a - b).powi(2)).sum::<f64>().sqrt();
            Observation { place_m: s.clone(), time_s: emitted + d / speed, uncertainty_s: 2e-6 }
        })
        .collect()
}

#[test]
fn a_source_is_placed_by_sensors_moved_once_and_a_bad_pick_does_little() {
    let first = [vec![0.0, 0.0], vec![5.2, 0.0], vec![5.2, 3.4], vec![0.0, 3.4], vec![2.6, 0.0], vec![2.6, 3.4]];
    let second: Vec<Vec<f64>> = first.iter().map(|p| vec![p[0] * 0.6 + 0.9, p[1] * 0.7 + 0.3]).collect();
    let source = [3.7, 1.2];
    let mut sets = vec![heard(&source, 0.5, &first, 3100.0), heard(&source, 9.25, &second, 3100.0)];
    let found = locate(&sets, 3100.0).unwrap();
    assert!((found.place_m[0] - 3.7).hypot(found.place_m[1] - 1.2) < 1e-6 && found.misfit < 1e-3);
    assert!((found.emitted_s[1] - 9.25).abs() < 1e-9 && found.outliers.is_empty());
    sets[0][2].time_s += 4e-4;
    let found = locate(&sets, 3100.0).unwrap();
    assert!((found.place_m[0] - 3.7).hypot(found.place_m[1] - 1.2) < 0.02, "{found:?}");
    assert_eq!(found.outliers, [(0, 2)]);
    // Uncertain picks make the ellipse large, and the longest axis comes first.
    assert!(found.axes_m[0].0 >= found.axes_m[1].0 && found.axes_m[0].0 < 0.05);
}

#[test]
fn a_source_in_space_is_placed_and_hopeless_geometry_is_refused() {
    let corners: Vec<Vec<f64>> =
        (0..8).map(|k| vec![f64::from(k & 1) * 5.0, f64::from((k >> 1) & 1) * 3.0, f64::from(k >> 2) * 0.4]).collect();
    let source = [1.3, 2.1, 0.2];
    let found = locate(&[heard(&source, 0.0, &corners, 3100.0)], 3100.0).unwrap();
    assert!(found.place_m.iter().zip(&source).all(|(a, b)| (a - b).abs() < 1e-4), "{:?}", found.place_m);
    let says = |sensors: &[Vec<f64>], source: &[f64]| {
        locate(&[heard(source, 0.0, sensors, 3100.0)], 3100.0).unwrap_err().to_string()
    };
    let line: Vec<Vec<f64>> = (0..5).map(|k| vec![f64::from(k), 2.0 * f64::from(k)]).collect();
    assert!(says(&line, &[1.0, 0.0]).contains("on one line"));
    let plane: Vec<Vec<f64>> = corners.iter().map(|c| vec![c[0], c[1], 0.0]).collect();
    assert!(says(&plane, &source).contains("in one plane"));
    assert!(says(&corners[..2], &source).contains("arrival differences"));
    let mut mixed = heard(&source, 0.0, &corners, 3100.0);
    mixed[1].place_m.pop();
    assert!(locate(&[mixed], 3100.0).is_err());
    assert!(locate(&[], 3100.0).is_err() && locate(&[heard(&source, 0.0, &corners, 3100.0)], 0.0).is_err());
}

proptest! {
    #[test]
    fn counting_does_not_depend_on_how_samples_come(
        x in prop::collection::vec(-3.0f64..3.0, 0..600),
        cuts in prop::collection::vec(0usize..150, 0..10),
        hysteresis in prop_oneof![Just(0.0), 0.0f64..1.0],
    ) {
        for residue in [Residue::Half, Residue::Repeat, Residue::Ignore] {
            let whole = rainflow(&x, hysteresis, residue).unwrap();
            let mut counter = Rainflow::new(hysteresis).unwrap();
            let mut parts: Vec<Cycle> = Vec::new();
            for r in cut(x.len(), &cuts) {
                counter.push(&x[r], &mut |c| parts.push(c)).unwrap();
            }
            counter.finish(residue, &mut |c| parts.push(c));
            prop_assert_eq!(&parts, &whole);
            prop_assert!(whole.iter().all(|c| c.range > hysteresis || c.range > 0.0));
        }
        let settings = ShockSettings { sample_rate_hz: 1000.0, q: 10.0, from_hz: 5.0, to_hz: 400.0, per_octave: 2 };
        let mut p = ShockProcessor::new(settings).unwrap();
        for r in cut(x.len(), &cuts) {
            p.push(&x[r]).unwrap();
        }
        prop_assert_eq!(p.finish().ok(), shock_response(&x, settings).ok());
        let levels = Classes::even(-2.0, 2.0, 7).unwrap();
        let mut whole = LevelCrossings::new(levels.clone());
        whole.push(&x).unwrap();
        let mut parts = LevelCrossings::new(levels);
        for r in cut(x.len(), &cuts) {
            parts.push(&x[r]).unwrap();
        }
        prop_assert_eq!(parts.counts(), whole.counts());
    }

    #[test]
    fn even_and_uneven_classes_agree(x in prop::collection::vec(-2.0f64..2.0, 1..200), n in 1usize..50, from in -1.0f64..0.0, width in 0.01f64..2.0) {
        let even = Classes::even(from, from + width, n).unwrap();
        for v in x.iter().chain(even.edges()) {
            prop_assert_eq!(even.place(*v), even.edges().partition_point(|e| e <= v));
        }
    }

    #[test]
    fn nothing_panics(
        x in prop::collection::vec(prop_oneof![Just(f64::NAN), Just(f64::INFINITY), Just(0.0), -1e300f64..1e300], 0..70),
        rate in prop_oneof![Just(0.0), Just(f64::NAN), Just(f64::INFINITY), 1e-9f64..1e12],
        v in prop_oneof![Just(f64::NAN), Just(0.0), -1.0f64..1e6],
        n in 0u32..120,
    ) {
        let _ = rainflow(&x, v, Residue::Repeat);
        let _ = Classes::new(x.clone()).map(|c| Histogram::new(c).push(&x));
        let _ = shock_response(&x, ShockSettings { sample_rate_hz: rate, q: v, from_hz: v, to_hz: rate / 3.0, per_octave: n });
        let _ = arrival(&x, rate, Pick::Akaike);
        let _ = arrival(&x, rate, Pick::Threshold(v));
        let set: Vec<Observation> = x.chunks(3).map(|c| Observation { place_m: c.to_vec(), time_s: v, uncertainty_s: rate }).collect();
        let _ = locate(&[set], v);
    }
}

#[test]
fn a_sharp_onset_is_read_neither_early_nor_late() {
    // Bursts that begin at once, anywhere between two samples.
    let mut sum = 0.0;
    for k in 0..100 {
        let onset = 600.0 + f64::from(k) / 100.0;
        let quiet = noise(31 + k as u64, 1200);
        let burst = |i: usize| {
            let t = i as f64 - onset;
            if t > 0.0 { (-t / 40.0).exp() * (0.9 * t).cos() } else { 0.0 }
        };
        let x: Vec<f64> = (0..1200).map(|i| 0.005 * quiet[i] + burst(i)).collect();
        sum += arrival(&x, 1.0, Pick::Akaike).unwrap().time_s - onset;
    }
    assert!((sum / 100.0).abs() < 0.15, "{} samples off in the mean", sum / 100.0);
}
