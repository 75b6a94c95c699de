//! Responses of known systems: estimators, coherence, several references, conversions, impacts.

use crate::common::{assert_close, cosine, cut, noise};
use echo_signal::cross::{CrossProcessor, cross_spectra};
use echo_signal::filter::{Band, Filter};
use echo_signal::impact::{
    ExponentialWindow, ForceWindow, double_hit, excited_to, hit_spectrum, overload, own_damping, peak_position,
    still_ringing,
};
use echo_signal::response::{Estimator, Motion, convert, response, response_error};
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::window::Window;
use proptest::prelude::*;
use realfft::num_complex::Complex64;
use std::f64::consts::{PI, TAU};

const RATE: f64 = 1024.0;

fn settings(block: usize, window: Window) -> SpectrumSettings {
    SpectrumSettings { sample_rate_hz: RATE, block, overlap: 0.5, window, averaging: Averaging::Linear }
}

/// Acceleration of the first of two masses, exact for a force that is held between samples: the
/// modes are stepped by their own transition matrices.
fn two_masses(force: &[f64]) -> (Vec<f64>, impl Fn(f64) -> Complex64 + use<>) {
    let modes = [(60.0, 0.02, 1.0), (141.0, 0.015, 0.6)];
    let fine = 16;
    let dt = 1.0 / (RATE * fine as f64);
    let mut out = vec![0.0; force.len()];
    for (hz, zeta, gain) in modes {
        let w: f64 = TAU * hz;
        let wd = w * (1.0f64 - zeta * zeta).sqrt();
        let (mut x, mut v) = (0.0, 0.0);
        let (e, s, c) = ((-zeta * w * dt).exp(), (wd * dt).sin(), (wd * dt).cos());
        for (y, f) in out.iter_mut().zip(force) {
            // Modal displacement is the output; force constant over the interval.
            for _ in 0..fine {
                let x0 = x - f * gain / (w * w);
                let (a, b) = (x0, (v + zeta * w * x0) / wd);
                x = e * (a * c + b * s) + f * gain / (w * w);
                v = e * ((b * wd - zeta * w * a) * c - (a * wd + zeta * w * b) * s);
            }
            *y += x;
        }
    }
    let truth = move |f: f64| {
        let w = TAU * f;
        modes
            .iter()
            .map(|(hz, zeta, gain)| {
                let n = TAU * hz;
                *gain / Complex64::new(n * n - w * w, 2.0 * zeta * n * w)
            })
            .sum()
    };
    (out, truth)
}

#[test]
fn a_known_two_mass_system_is_found_by_every_estimator() {
    // Force up to 300 Hz, so that the hold between samples acts like a delay of half a sample.
    let mut force = noise(7, 1 << 18);
    Filter::butterworth(Band::Lowpass(250.0), 6, RATE).unwrap().run(&mut force);
    let (x, truth) = two_masses(&force);
    let spectra = cross_spectra(&[&force], &[&x], settings(8192, Window::Hann)).unwrap();
    for estimator in [Estimator::H1, Estimator::H2, Estimator::Hv] {
        let found = response(&spectra, 0, estimator).unwrap();
        for (k, f) in spectra.frequencies_hz.iter().enumerate().filter(|(_, f)| (20.0..220.0).contains(*f)) {
            let hold = Complex64::from_polar(
                (std::f64::consts::PI * f / RATE).sin() / (std::f64::consts::PI * f / RATE),
                TAU * f / RATE * 0.5,
            );
            let wanted = truth(*f) * hold;
            let off = (found.h[0][k] - wanted).norm() / wanted.norm();
            // Between the modes the response is small and the leakage of the peaks shows.
            let allowed = if found.coherence[k] > 0.999 { 0.03 } else { 0.2 };
            assert!(off < allowed, "{estimator:?} at {f} Hz: {} for {wanted}", found.h[0][k]);
        }
        let near = (60.0 * 8192.0 / RATE) as usize;
        let top =
            (near - 20..near + 20).max_by(|&a, &b| found.h[0][a].norm().total_cmp(&found.h[0][b].norm())).unwrap();
        assert!((spectra.frequencies_hz[top] - 60.0).abs() < 0.2);
    }
}

#[test]
fn noise_on_one_side_biases_only_the_other_estimator() {
    let x = noise(1, 1 << 17);
    let y: Vec<f64> = x.iter().zip(noise(2, 1 << 17)).map(|(x, n)| 2.0 * x + 2.0 * n).collect();
    let spectra = cross_spectra(&[&x], &[&y], settings(1024, Window::Hann)).unwrap();
    let mean = |estimator| {
        let r = response(&spectra, 0, estimator).unwrap();
        r.h[0][10..500].iter().map(|h| h.norm()).sum::<f64>() / 490.0
    };
    let (h1, h2, hv) = (mean(Estimator::H1), mean(Estimator::H2), mean(Estimator::Hv));
    assert!((h1 - 2.0).abs() < 0.05, "{h1}");
    assert!((h2 - 4.0).abs() < 0.25, "{h2}");
    assert!((hv - 8f64.sqrt()).abs() < 0.1, "{hv}");
    let coherence = response(&spectra, 0, Estimator::H1).unwrap().coherence;
    let mean = coherence[10..500].iter().sum::<f64>() / 490.0;
    assert!((mean - 0.5).abs() < 0.02, "{mean}");
}

#[test]
fn several_references_are_told_apart_even_where_they_share_something() {
    let (a, b) = (noise(3, 1 << 16), noise(4, 1 << 16));
    let second: Vec<f64> = a.iter().zip(&b).map(|(a, b)| 0.7 * a + b).collect();
    let y: Vec<f64> = a.iter().zip(&second).map(|(a, s)| 3.0 * a - 0.5 * s).collect();
    let spectra = cross_spectra(&[&a, &second], &[&y], settings(512, Window::Hann)).unwrap();
    let found = response(&spectra, 0, Estimator::H1).unwrap();
    for line in 2..250 {
        assert!((found.h[0][line] - 3.0).norm() < 1e-9 && (found.h[1][line] + 0.5).norm() < 1e-9);
        assert!((found.coherence[line] - 1.0).abs() < 1e-9);
    }
    assert!(response(&spectra, 0, Estimator::H2).unwrap_err().to_string().contains("h1"));
    assert!(response(&spectra, 1, Estimator::H1).is_err());
    // The same signal twice cannot be told apart, and says so by having no value.
    let same = cross_spectra(&[&a, &a], &[&y], settings(512, Window::Hann)).unwrap();
    assert!(response(&same, 0, Estimator::H1).unwrap().h[0][40].re.is_nan());
}

#[test]
fn one_block_has_no_coherence() {
    let x = noise(1, 512);
    let spectra = cross_spectra(&[&x], &[&noise(2, 512)], settings(512, Window::Hann)).unwrap();
    assert_eq!(spectra.averages, 1);
    let r = response(&spectra, 0, Estimator::H1).unwrap();
    assert!(r.coherence.iter().all(|c| c.is_nan()) && r.h[0][10].is_finite());
    assert!((response_error(0.5, 32) - (0.5f64 / 32.0).sqrt()).abs() < 1e-12);
    assert!(
        CrossProcessor::new(SpectrumSettings { averaging: Averaging::PeakHold, ..settings(512, Window::Hann) }, 1, 1)
            .is_err()
    );
}

#[test]
fn an_auto_spectrum_is_a_cross_spectrum_with_itself() {
    let x = noise(9, 5000);
    let s = settings(512, Window::FlatTop);
    let cross = cross_spectra(&[&x], &[&x], s).unwrap();
    let auto = spectrum(&x, s).unwrap().values(Scaling::Psd);
    let re: Vec<f64> = cross.to_outputs.iter().map(|m| m[0].re).collect();
    assert_close(&re, &auto, 1e-13, "auto");
    assert!(cross.to_outputs.iter().all(|m| m[0].im == 0.0));
    assert_eq!(&cross.scatter, spectrum(&x, s).unwrap().scatter());
}

#[test]
fn motions_convert_there_and_back() {
    let f: Vec<f64> = (0..100).map(f64::from).collect();
    let h: Vec<Complex64> = f.iter().map(|f| Complex64::new(1.0, *f)).collect();
    let a = convert(&h, &f, Motion::Receptance, Motion::Accelerance).unwrap();
    let w = TAU * 10.0;
    assert!((a[10] + h[10] * w * w).norm() < 1e-9 * a[10].norm());
    let m = convert(&a, &f, Motion::Accelerance, Motion::Mobility).unwrap();
    let back = convert(&m, &f, Motion::Mobility, Motion::Receptance).unwrap();
    assert!(back[0].re.is_nan() && (back[7] - h[7]).norm() < 1e-12);
    assert!(convert(&h, &f[1..], Motion::Mobility, Motion::Mobility).is_err());
}

#[test]
fn a_hit_excites_as_far_as_its_pulse_is_short() {
    // A half sine of 2 ms: its spectrum first falls to a tenth of A·2T/π·… at about 0.9 kHz; one of 1 ms twice as far.
    let rate = 25_600.0;
    let pulse = |length: usize| -> Vec<f64> {
        (0..8192).map(|k| if k < length { 300.0 * (PI * k as f64 / length as f64).sin() } else { 0.0 }).collect()
    };
    let exact = |length: usize, hz: f64| {
        let t = length as f64 / rate;
        300.0 * 2.0 * t / PI * (PI * hz * t).cos().abs() / (1.0 - (2.0 * hz * t).powi(2)).abs()
    };
    let of = |length: usize| hit_spectrum(&pulse(length), rate).unwrap();
    let spectrum = of(51);
    for line in [0, 100, 200, 400] {
        let hz = line as f64 * rate / 8192.0;
        // Of the level at low frequencies: near a zero of the spectrum a share of the line itself says nothing.
        let off = (spectrum[line] - exact(51, hz)).abs();
        assert!(off < 5e-4 * exact(51, 0.0), "{hz} Hz: {} {}", spectrum[line], exact(51, hz));
    }
    let reach = |length: usize| excited_to(&of(length), rate / 8192.0, 0.1);
    let short = reach(51);
    assert!((exact(51, short) / exact(51, 0.0) - 0.1).abs() < 0.01, "{short} Hz");
    assert!((reach(102) / short - 0.5).abs() < 0.02);
    assert_eq!(excited_to(&[1.0; 5], 2.0, 0.1), 8.0, "as far as there are lines");
    assert!(hit_spectrum(&[1.0], 1.0).is_err() && hit_spectrum(&[f64::NAN; 9], 1.0).is_err());
}

#[test]
fn what_rings_beyond_the_block_is_told() {
    let ring = |decay_s: f64| -> Vec<f64> {
        (0..4000).map(|k| 0.3 + (-(f64::from(k) / 1000.0) / decay_s).exp() * f64::from(k).sin()).collect()
    };
    let left = still_ringing(&ring(1.0));
    assert!((left / (-3.8_f64).exp() - 1.0).abs() < 0.02, "the last of twenty against the first: {left}");
    assert!(still_ringing(&ring(0.1)) < 1e-10 && still_ringing(&ring(100.0)) > 0.9);
    assert_eq!((still_ringing(&[2.0; 50]), still_ringing(&[])), (0.0, 0.0));
}

#[test]
fn impact_windows_keep_the_hit_and_state_their_damping() {
    let w = ForceWindow { before_s: 0.005, length_s: 0.01, taper_s: 0.01 }.weights(200, 50, 1000.0);
    assert!(w[45..=55].iter().all(|w| *w == 1.0) && w[30] == 0.0 && w[70] == 0.0);
    assert!((w[60] - 0.5).abs() < 1e-12 && (w[40] - 0.5).abs() < 1e-12);
    let e = ExponentialWindow { decay_s: 0.1 };
    let w = e.weights(200, 50, 1000.0);
    assert!(w[..=50].iter().all(|w| *w == 1.0) && (w[150] - (-1f64).exp()).abs() < 1e-12);
    // A mode of 1 % at 50 Hz rings down as if it had more; what was added is taken off exactly.
    let measured = 0.01 + e.added_decay() / (TAU * 50.0);
    assert!((own_damping(measured, 50.0, e) - 0.01).abs() < 1e-15);
    assert!(ForceWindow { before_s: 0.0, length_s: 0.0, taper_s: 0.0 }.check().is_err());
    assert!(ForceWindow { before_s: f64::NAN, length_s: 1.0, taper_s: 0.0 }.check().is_err());
    assert!(ExponentialWindow { decay_s: 0.0 }.check().is_err());
}

#[test]
fn double_hits_are_told_from_ringing() {
    let hit = |at: usize, size: f64, x: &mut Vec<f64>| {
        for (i, v) in x.iter_mut().enumerate() {
            let d = (i as f64 - at as f64) / 8.0;
            *v += size * if d.abs() < 1.0 { (std::f64::consts::FRAC_PI_2 * d).cos() } else { 0.0 };
        }
    };
    let mut once = vec![0.0; 1000];
    hit(100, 50.0, &mut once);
    assert_eq!(double_hit(&once, 10_000.0, 0.1, 0.001).unwrap(), None);
    let mut twice = once.clone();
    hit(400, 12.0, &mut twice);
    let found = double_hit(&twice, 10_000.0, 0.1, 0.001).unwrap().unwrap();
    assert_eq!(found.at, 400);
    assert!((found.share - 0.24).abs() < 1e-12);
    // A rebound below the share, or one that pulls instead of pushing, is none.
    assert_eq!(double_hit(&twice, 10_000.0, 0.3, 0.001).unwrap(), None);
    let mut pull = once;
    hit(400, -30.0, &mut pull);
    assert_eq!(double_hit(&pull, 10_000.0, 0.1, 0.001).unwrap(), None);
    assert_eq!(double_hit(&[], 1.0, 0.1, 0.1).unwrap(), None);
    assert!(double_hit(&[1.0], 1.0, 0.0, 0.1).is_err());
    assert_eq!(peak_position(&[1.0, -3.0, 2.0]), 1);
}

#[test]
fn clipping_shows_at_the_limit_and_in_runs() {
    let clean = cosine(10.0, 1.0, 0.1, 1000.0, 1000);
    assert_eq!(overload(&clean, 5.0).unwrap().at_limit, 0);
    assert!(overload(&clean, 5.0).unwrap().longest_run < 3);
    let clipped: Vec<f64> = clean.iter().map(|x| x.clamp(-0.8, 0.8)).collect();
    let found = overload(&clipped, 0.8).unwrap();
    assert!(found.at_limit > 300 && found.longest_run > 15, "{found:?}");
    // Unknown range: the run still tells.
    assert!(overload(&clipped, f64::INFINITY).unwrap().longest_run > 15);
    assert_eq!(overload(&[2.0; 50], f64::INFINITY).unwrap().longest_run, 0);
    assert!(overload(&clean, 0.0).is_err());
}

proptest! {
    #[test]
    fn cross_spectra_do_not_depend_on_how_samples_come(
        x in prop::collection::vec(-1.0f64..1.0, 200..1500),
        cuts in prop::collection::vec(0usize..300, 0..10),
        overlap in 0.0f64..0.95,
        exponential in any::<bool>(),
    ) {
        let y: Vec<f64> = x.iter().rev().copied().collect();
        let averaging = if exponential { Averaging::Exponential(3.0) } else { Averaging::Linear };
        let s = SpectrumSettings { overlap, averaging, ..settings(128, Window::Hann) };
        let whole = cross_spectra(&[&x], &[&y], s).unwrap();
        let mut p = CrossProcessor::new(s, 1, 1).unwrap();
        for r in cut(x.len(), &cuts) {
            p.push(&[&x[r.clone()], &y[r]]).unwrap();
        }
        let parts = p.finish().unwrap();
        prop_assert_eq!(parts.averages, whole.averages);
        prop_assert_eq!(parts.to_outputs, whole.to_outputs);
        prop_assert_eq!(parts.of_outputs, whole.of_outputs);
    }

    #[test]
    fn a_response_is_linear(gain in 0.01f64..100.0, x in prop::collection::vec(-1.0f64..1.0, 300..600)) {
        let y: Vec<f64> = x.iter().map(|v| v * gain).collect();
        let spectra = cross_spectra(&[&x], &[&y], settings(64, Window::Hann)).unwrap();
        let r = response(&spectra, 0, Estimator::H1).unwrap();
        prop_assert!(r.h[0].iter().all(|h| (h - gain).norm() < 1e-9 * gain));
    }

    #[test]
    fn impacts_never_panic(
        x in prop::collection::vec(prop_oneof![Just(f64::NAN), Just(0.0), -1e300f64..1e300], 0..40),
        rate in prop_oneof![Just(0.0), Just(f64::NAN), 1e-9f64..1e12],
        share in prop_oneof![Just(f64::NAN), -1.0f64..2.0],
        limit in prop_oneof![Just(f64::NAN), Just(f64::INFINITY), -1.0f64..1e3],
    ) {
        let _ = double_hit(&x, rate, share, share);
        let _ = overload(&x, limit);
        let _ = ForceWindow { before_s: share, length_s: limit, taper_s: share }.weights(x.len(), 3, rate);
        let s = SpectrumSettings { sample_rate_hz: rate, ..settings(x.len(), Window::Hann) };
        let _ = cross_spectra(&[&x], &[&x], s).map(|c| response(&c, 0, Estimator::Hv));
        let _ = CrossProcessor::new(settings(8, Window::Hann), 1, 1).map(|mut p| p.push(&[&x]));
    }
}
