//! What must hold for any input: Parseval, corrections, independence of block lengths, no panic.

use crate::common::{cut, noise};
use echo_signal::filter::{Band, Filter};
use echo_signal::motion::{integrate, untrusted_s};
use echo_signal::peak::{highest, interpolate};
use echo_signal::rotation::angle::AngleSampler;
use echo_signal::rotation::curve::AngleCurve;
use echo_signal::spectrum::{Averaging, Scaling, SpectrumProcessor, SpectrumSettings, spectrum};
use echo_signal::statistics::{Moments, statistics};
use echo_signal::window::{Window, corrections};
use echo_signal::zoom::{ZoomBand, ZoomProcessor};
use echo_signal::{extremes, trend};
use proptest::prelude::*;
use std::f64::consts::TAU;

const WINDOWS: [Window; 7] = [
    Window::Rectangular,
    Window::Hann,
    Window::Hamming,
    Window::FlatTop,
    Window::BlackmanHarris,
    Window::Kaiser(8.6),
    Window::Tukey(0.25),
];

fn settings(block: usize, window: Window) -> SpectrumSettings {
    SpectrumSettings { sample_rate_hz: 1024.0, block, overlap: 0.5, window, averaging: Averaging::Linear }
}

fn sine(hz: f64, amplitude: f64, n: usize) -> Vec<f64> {
    (0..n).map(|i| amplitude * (TAU * hz * i as f64 / 1024.0 + 0.3).sin()).collect()
}

#[test]
fn windows_have_their_published_corrections() {
    // Harris 1978, table 1; ISO 18431-2 for the flat-top.
    for (window, bandwidth, scallop) in [
        (Window::Rectangular, 1.0, 3.92),
        (Window::Hann, 1.5, 1.42),
        (Window::Hamming, 1.363, 1.75),
        (Window::BlackmanHarris, 2.004, 0.83),
        (Window::FlatTop, 3.770, 0.01),
    ] {
        let c = corrections(&window.weights(4096).unwrap());
        assert!((c.noise_bandwidth - bandwidth).abs() < 2e-3, "{window:?} {}", c.noise_bandwidth);
        assert!((c.scallop_loss_db - scallop).abs() < 1e-2, "{window:?} {}", c.scallop_loss_db);
    }
}

#[test]
fn a_sine_on_a_line_reads_its_amplitude_in_every_window() {
    for window in WINDOWS {
        let s = spectrum(&sine(128.0, 3.0, 4096), settings(1024, window)).unwrap();
        // Sums of cosines have zeros at all other lines; the others let a trace of the image through.
        let leak = if matches!(window, Window::Kaiser(_) | Window::Tukey(_)) { 1e-4 } else { 1e-9 };
        assert!((s.values(Scaling::Peak)[128] - 3.0).abs() < leak, "{window:?}");
        assert!((s.values(Scaling::Rms)[128] - 3.0 / 2f64.sqrt()).abs() < leak, "{window:?}");
        assert!((s.values(Scaling::Power)[128] - 4.5).abs() < 3.0 * leak, "{window:?}");
    }
}

#[test]
fn a_peak_between_lines_is_found_by_shape() {
    for window in WINDOWS {
        for offset in [0.0, 0.13, 0.37, 0.5, 0.81] {
            let s = spectrum(&sine(200.0 + offset, 2.0, 8192), settings(1024, window)).unwrap();
            let values = s.values(Scaling::Peak);
            let top = highest(&values, 4, 1)[0];
            let p = interpolate(&values, top, window, 1024);
            let spill = if window == Window::Rectangular { 0.02 } else { 4e-3 };
            assert!((p.line - 200.0 - offset).abs() < spill, "{window:?} {offset}: {}", p.line);
            assert!((p.amplitude / 2.0 - 1.0).abs() < spill, "{window:?} {offset}: {}", p.amplitude);
        }
    }
}

#[test]
fn energy_density_is_density_times_block_time() {
    let s = spectrum(&sine(100.3, 1.0, 2048), settings(512, Window::Hann)).unwrap();
    for (e, p) in s.values(Scaling::Esd).iter().zip(s.values(Scaling::Psd)) {
        assert!((e - p * 0.5).abs() <= 1e-15 + 1e-12 * e.abs());
    }
}

#[test]
fn the_random_error_knows_about_overlap() {
    let x = vec![1.0; 64 * 1024];
    let error = |overlap| {
        let s = SpectrumSettings { overlap, ..settings(1024, Window::Hann) };
        spectrum(&x, s).unwrap().random_error()
    };
    assert!((error(0.0) - 1.0 / 8.0).abs() < 1e-9);
    // Welch 1967: half overlap with a Hann window brings the error to about √(1.056 / 2 n).
    assert!((error(0.5) - (1.056f64 / 127.0).sqrt()).abs() < 1e-3);
}

#[test]
fn the_interval_holds_for_few_and_many_averages_of_any_kind() {
    // A thousand repeats of Gaussian noise of known density, on lines that share nothing.
    let block = 64;
    for (averages, overlap, averaging) in [
        (1, 0.0, Averaging::Linear),
        (4, 0.5, Averaging::Linear),
        (20, 0.5, Averaging::Linear),
        (4, 0.75, Averaging::Exponential(2.0)),
        (12, 0.75, Averaging::Exponential(4.0)),
        (40, 0.5, Averaging::Exponential(8.0)),
    ] {
        let s = SpectrumSettings { overlap, averaging, ..settings(block, Window::Hann) };
        let length = block + (averages - 1) * s.hop();
        let even = noise(17 + averages as u64, 12 * length * 1000);
        // The sum of twelve even numbers is Gaussian enough; its variance is 12/3.
        let x: Vec<f64> = even.chunks_exact(12).map(|c| c.iter().sum::<f64>() / 2.0).collect();
        let truth = 2.0 / s.sample_rate_hz;
        let (mut squares, mut sum, mut inside, mut all) = (0.0, 0.0, [0.0; 2], 0.0);
        let (mut told, mut limits) = (0.0, Vec::new());
        for x in x.chunks_exact(length) {
            let found = spectrum(x, s).unwrap();
            told = found.random_error();
            let psd = found.values(Scaling::Psd);
            if limits.is_empty() {
                limits = [0.68, 0.95].map(|share| found.scatter().interval(share).unwrap()).to_vec();
            }
            for p in psd[4..28].iter().step_by(4) {
                sum += p / truth;
                squares += (p / truth - 1.0).powi(2);
                for (n, (low, high)) in inside.iter_mut().zip(&limits) {
                    *n += f64::from(u8::from(p * low <= truth && truth <= p * high));
                }
                all += 1.0;
            }
        }
        let case = format!("{averages} at {overlap}, {averaging:?}");
        assert!((sum / all - 1.0).abs() < 0.03, "{case}: mean {}", sum / all);
        assert!(((squares / all).sqrt() / told - 1.0).abs() < 0.05, "{case}: {} for {told}", (squares / all).sqrt());
        assert!((inside[0] / all - 0.68).abs() < 0.02, "{case}: 68 % holds {}", inside[0] / all);
        assert!((inside[1] / all - 0.95).abs() < 0.02, "{case}: 95 % holds {}", inside[1] / all);
    }
}

#[test]
fn white_noise_has_its_density() {
    let mut state = 1u64;
    let x: Vec<f64> = (0..1 << 18)
        .map(|_| {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            (state >> 11) as f64 / (1u64 << 53) as f64 - 0.5
        })
        .collect();
    let s = spectrum(&x, settings(1024, Window::Hann)).unwrap();
    let psd = s.values(Scaling::Psd);
    let mean = psd[5..500].iter().sum::<f64>() / 495.0;
    let wanted = (1.0 / 12.0) / 512.0;
    assert!((mean / wanted - 1.0).abs() < 0.02, "{mean} for {wanted}");
}

#[test]
fn a_zoomed_spectrum_parts_what_a_plain_one_merges() {
    let x: Vec<f64> = sine(200.0, 1.0, 1 << 16).iter().zip(sine(200.4, 0.5, 1 << 16)).map(|(a, b)| a + b).collect();
    let mut z = ZoomProcessor::new(settings(1024, Window::Hann), ZoomBand { center_hz: 200.0, span_hz: 40.0 }).unwrap();
    z.push(&x).unwrap();
    let s = z.finish().unwrap();
    let (f, v) = (s.frequencies_hz(), s.values(Scaling::Peak));
    assert!(f[0] >= 180.0 - 1e-9 && *f.last().unwrap() <= 220.0 + 1e-9);
    let tops = highest(&v, 3, 2);
    for (top, hz, amplitude) in [(tops[0], 200.0, 1.0), (tops[1], 200.4, 0.5)] {
        assert!((f[top] - hz).abs() < 0.05, "{} for {hz}", f[top]);
        assert!((v[top] - amplitude).abs() < 0.2 * amplitude, "{} for {amplitude}", v[top]);
    }
}

#[test]
fn zero_phase_has_zero_phase() {
    let x = sine(20.0, 1.0, 8192);
    let mut y = x.clone();
    Filter::butterworth(Band::Lowpass(200.0), 4, 1024.0).unwrap().zero_phase(&mut y).unwrap();
    let worst = x[1000..7000].iter().zip(&y[1000..7000]).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    assert!(worst < 1e-6, "{worst}");
}

#[test]
fn edges_are_at_three_decibels() {
    for order in 1..=12 {
        for band in [Band::Lowpass(50.0), Band::Highpass(50.0), Band::Bandpass(50.0, 90.0), Band::Bandstop(50.0, 90.0)]
        {
            let f = Filter::butterworth(band, order, 1024.0).unwrap();
            let (re, im) = f.response_at(50.0, 1024.0);
            assert!((re.hypot(im) - 0.5f64.sqrt()).abs() < 1e-6, "{band:?} {order}: {}", re.hypot(im));
        }
    }
}

proptest! {
    #[test]
    fn parseval(x in prop::collection::vec(-100.0f64..100.0, 64..400)) {
        let n = x.len();
        let s = spectrum(&x, SpectrumSettings { overlap: 0.0, ..settings(n, Window::Rectangular) }).unwrap();
        let psd: f64 = s.values(Scaling::Psd).iter().sum::<f64>() * s.line_spacing_hz();
        let square = x.iter().map(|v| v * v).sum::<f64>() / n as f64;
        prop_assert!((psd - square).abs() <= 1e-12 * square.max(1e-9));
    }

    #[test]
    fn block_lengths_do_not_matter(
        x in prop::collection::vec(-1.0f64..1.0, 300..2000),
        cuts in prop::collection::vec(0usize..400, 0..12),
        overlap in 0.0f64..0.95,
    ) {
        for averaging in [Averaging::Linear, Averaging::Exponential(3.0), Averaging::PeakHold] {
            let s = SpectrumSettings { overlap, averaging, ..settings(128, Window::Hann) };
            let whole = spectrum(&x, s).unwrap();
            let mut p = SpectrumProcessor::new(s).unwrap();
            for r in cut(x.len(), &cuts) {
                p.push(&x[r]).unwrap();
            }
            let parts = p.finish().unwrap();
            prop_assert_eq!(parts.averages(), whole.averages());
            prop_assert_eq!(parts.values(Scaling::Psd), whole.values(Scaling::Psd));
        }
        let mut filter = Filter::butterworth(Band::Bandpass(20.0, 200.0), 3, 1024.0).unwrap();
        let mut whole = x.clone();
        filter.run(&mut whole);
        filter.reset();
        let mut parts = x.clone();
        for r in cut(x.len(), &cuts) {
            filter.run(&mut parts[r]);
        }
        prop_assert_eq!(whole, parts);
        let mut m = Moments::default();
        for r in cut(x.len(), &cuts) {
            m.push(&x[r]).unwrap();
        }
        let (a, b) = (m.finish().unwrap(), statistics(&x).unwrap());
        prop_assert!((a.kurtosis - b.kurtosis).abs() < 1e-9 && (a.rms - b.rms).abs() < 1e-12 && a.peak == b.peak);
    }

    #[test]
    fn nothing_panics(
        x in prop::collection::vec(prop_oneof![Just(f64::NAN), Just(f64::INFINITY), Just(0.0), -1e300f64..1e300], 0..70),
        rate in prop_oneof![Just(0.0), Just(-1.0), Just(f64::NAN), Just(f64::INFINITY), 1e-9f64..1e12],
        block in prop_oneof![Just(0usize), Just(1), Just(2), 3usize..80, Just(usize::MAX)],
        overlap in prop_oneof![Just(1.0), Just(-0.1), Just(f64::NAN), 0.0f64..1.0],
        shape in prop_oneof![Just(f64::NAN), -1.0f64..900.0],
        order in 0usize..15,
    ) {
        for window in [Window::Hann, Window::Kaiser(shape), Window::Tukey(shape)] {
            let s = SpectrumSettings { sample_rate_hz: rate, block, overlap, window, averaging: Averaging::Linear };
            if let Ok(found) = spectrum(&x, s) {
                let _ = found.values(Scaling::Psd);
            }
            let _ = ZoomProcessor::new(s, ZoomBand { center_hz: rate / 4.0, span_hz: rate / 10.0 }).map(|mut z| z.push(&x));
        }
        let _ = statistics(&x);
        let _ = trend::remove_line(&mut x.clone());
        let _ = extremes::min_max(&x, block.min(100));
        for band in [Band::Lowpass(shape), Band::Bandpass(shape, rate / 3.0), Band::Highpass(rate)] {
            if let Ok(mut f) = Filter::butterworth(band, order, rate) {
                let _ = f.zero_phase(&mut x.clone());
            }
        }
    }

    #[test]
    fn a_line_is_removed(slope in -5.0f64..5.0, offset in -100.0f64..100.0, n in 2usize..500) {
        let mut x: Vec<f64> = (0..n).map(|i| offset + slope * i as f64).collect();
        trend::remove_line(&mut x).unwrap();
        prop_assert!(x.iter().all(|v| v.abs() < 1e-8));
    }

    #[test]
    fn a_reduction_hides_no_spike(x in prop::collection::vec(-1e3f64..1e3, 1..500), points in 1usize..60) {
        let pairs = extremes::min_max(&x, points);
        let top = x.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let low = x.iter().copied().fold(f64::INFINITY, f64::min);
        prop_assert_eq!(pairs.iter().map(|p| p.1).fold(f64::NEG_INFINITY, f64::max), top);
        prop_assert_eq!(pairs.iter().map(|p| p.0).fold(f64::INFINITY, f64::min), low);
    }

    /// A filter of any number of sections gives the same in pieces, and each section after the other.
    #[test]
    fn a_cascade_is_its_sections_one_after_the_other(
        x in prop::collection::vec(-10.0f64..10.0, 1..300), order in 1usize..13, cuts in prop::collection::vec(0usize..300, 0..4),
    ) {
        let make = || Filter::butterworth(Band::Lowpass(200.0), order, 1000.0).unwrap();
        let mut whole = x.clone();
        make().run(&mut whole);
        let (mut filter, mut pieces) = (make(), x.clone());
        for part in cut(x.len(), &cuts) {
            filter.run(&mut pieces[part]);
        }
        prop_assert_eq!(&whole, &pieces);
        // A constant comes through as it is once the filter has settled.
        let mut level = vec![1.0; 4000];
        make().run(&mut level);
        prop_assert!((level[3999] - 1.0).abs() < 1e-6, "{}", level[3999]);
    }

    /// Samples at even angle are the same whether they are made at once or in parts.
    #[test]
    fn parts_of_an_angle_are_those_of_the_whole(at in prop::collection::vec(0usize..3000, 0..3), speed in 5.0f64..30.0) {
        let times: Vec<f64> = (0..200).map(|k| f64::from(k) / speed).collect();
        let angles: Vec<f64> = (0..200).map(f64::from).collect();
        let curve = AngleCurve::new(&times, &angles, 0.0).unwrap();
        let x: Vec<f64> = (0..5000).map(|i| (f64::from(i) * 0.05).sin()).collect();
        let sampler = AngleSampler::new(&curve, 16, 1000.0, x.len()).unwrap();
        let whole = sampler.resample(&[&x]).unwrap().swap_remove(0);
        let mut parts = Vec::new();
        for part in cut(whole.len(), &at) {
            parts.extend(sampler.resample_part(&[&x], part).unwrap().swap_remove(0));
        }
        prop_assert_eq!(&whole, &parts);
        prop_assert!(sampler.resample_part(&[&x], 0..whole.len() + 1).is_err());
    }
}

#[test]
fn the_ends_of_an_integral_are_untrusted_for_as_long_as_is_told() {
    // Noise whose truth is the integral of a record that goes on far beyond the stretch on both sides.
    let (rate, edge) = (200.0, 2.0);
    let period = (rate / edge) as usize;
    let (long, from, n) = (120 * period, 40 * period, 40 * period);
    for times in [1, 2] {
        let (mut off, mut all) = (vec![0.0; 20], 0.0);
        for seed in 0..60 {
            let x = noise(900 + seed, long);
            let truth = &integrate(&x, rate, times, edge).unwrap()[from..from + n];
            let got = integrate(&x[from..from + n], rate, times, edge).unwrap();
            for (k, off) in off.iter_mut().enumerate() {
                let half = period / 2;
                let both = (k * half..(k + 1) * half).flat_map(|i| [i, n - 1 - i]);
                *off += both.map(|i| (got[i] - truth[i]).powi(2)).sum::<f64>() / (2 * half) as f64;
            }
            all += truth.iter().map(|v| v * v).sum::<f64>() / n as f64;
        }
        let share: Vec<f64> = off.iter().map(|o| (o / all).sqrt()).collect();
        let trusted = (untrusted_s(times, edge) * edge * 2.0) as usize;
        assert!(share[trusted..].iter().all(|e| *e < 0.02), "{times}: {share:.3?}");
        assert!(share[trusted / 2] > 0.02, "no more is given up than has to be: {share:.3?}");
    }
}
