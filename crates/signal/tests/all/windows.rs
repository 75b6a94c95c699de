//! Windows and spectra in more depth: published figures, linearity, energy, averages, zoom.

use crate::common::{assert_close, cosine, noise, rms};
use echo_signal::peak::{highest, interpolate};
use echo_signal::spectrum::{Averaging, Scaling, SpectrumProcessor, SpectrumSettings, spectrum};
use echo_signal::window::{Window, corrections};
use echo_signal::zoom::{ZoomBand, ZoomProcessor};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

const RATE: f64 = 1024.0;

const WINDOWS: [Window; 7] = [
    Window::Rectangular,
    Window::Hann,
    Window::Hamming,
    Window::FlatTop,
    Window::BlackmanHarris,
    Window::Kaiser(6.0),
    Window::Tukey(0.5),
];

fn settings(block: usize, window: Window, averaging: Averaging) -> SpectrumSettings {
    SpectrumSettings { sample_rate_hz: RATE, block, overlap: 0.5, window, averaging }
}

/// Magnitude of a window's transform at a frequency in lines, dB under its value at 0.
fn lobe_db(weights: &[f64], line: f64) -> f64 {
    let n = weights.len() as f64;
    let (mut re, mut im) = (0.0, 0.0);
    for (i, w) in weights.iter().enumerate() {
        let phase = TAU * line * i as f64 / n;
        re += w * phase.cos();
        im += w * phase.sin();
    }
    20.0 * (re.hypot(im) / weights.iter().sum::<f64>()).log10()
}

#[test]
fn side_lobes_are_as_low_as_published() {
    // Harris 1978, table 1; Kaiser by his own formula; ISO 18431-2 for the flat-top.
    for (window, edge, highest_db) in [
        (Window::Rectangular, 1.0, -13.2),
        (Window::Hann, 2.0, -31.4),
        (Window::Hamming, 2.0, -41.0),
        (Window::BlackmanHarris, 4.0, -92.0),
        (Window::FlatTop, 5.0, -87.0),
        (Window::Kaiser(2.0 * PI), 2.2, -45.0),
        (Window::Kaiser(3.0 * PI), 3.1, -68.0),
    ] {
        let weights = window.weights(1024).unwrap();
        let top = (0..2000).map(|k| lobe_db(&weights, edge + 0.02 * f64::from(k))).fold(f64::NEG_INFINITY, f64::max);
        assert!(top <= highest_db + 0.9, "{window:?}: {top} dB for {highest_db}");
        assert!(top >= highest_db - 8.0, "{window:?}: {top} dB for {highest_db}");
    }
}

#[test]
fn windows_are_even_about_their_middle_and_periodic() {
    for window in WINDOWS {
        for n in [8, 9, 64, 101] {
            let w = window.weights(n).unwrap();
            for i in 1..n {
                assert!((w[i] - w[n - i]).abs() < 1e-12, "{window:?} {n} {i}");
            }
            assert!(w.iter().all(|x| (-0.1..=1.0 + 1e-8).contains(x)), "{window:?}");
        }
    }
    // A share of 0 tapers nothing, a share of 1 is a Hann window.
    assert_eq!(Window::Tukey(0.0).weights(50).unwrap(), Window::Rectangular.weights(50).unwrap());
    let (t, h) = (Window::Tukey(1.0).weights(50).unwrap(), Window::Hann.weights(50).unwrap());
    assert!(t.iter().zip(&h).all(|(a, b)| (a - b).abs() < 1e-12));
    assert_eq!(Window::Kaiser(0.0).weights(9).unwrap(), vec![1.0; 9]);
    for wrong in [Window::Kaiser(-1.0), Window::Kaiser(f64::NAN), Window::Tukey(1.1), Window::Tukey(f64::NAN)] {
        assert!(wrong.weights(16).is_err(), "{wrong:?}");
    }
    assert!(Window::Hann.weights(0).is_err());
}

#[test]
fn a_noise_bandwidth_is_what_noise_feels() {
    let x = noise(8, 1 << 18);
    let density = rms(&x).powi(2) / (RATE / 2.0);
    for window in WINDOWS {
        let s = spectrum(&x, settings(512, window, Averaging::Linear)).unwrap();
        let bandwidth = corrections(&window.weights(512).unwrap()).noise_bandwidth;
        assert!((s.noise_bandwidth() - bandwidth).abs() < 1e-12);
        let power = s.values(Scaling::Power);
        let mean = power[3..250].iter().sum::<f64>() / 247.0;
        let felt = mean / density / s.line_spacing_hz();
        assert!((felt / bandwidth - 1.0).abs() < 0.02, "{window:?}: {felt} for {bandwidth}");
    }
}

#[test]
fn averages_forget_and_hold_as_they_should() {
    let quiet = cosine(128.0, 1.0, 0.0, RATE, 1 << 15);
    let loud = cosine(128.0, 10.0, 0.0, RATE, 4096);
    let level = |averaging, parts: &[&[f64]]| {
        let mut p = SpectrumProcessor::new(settings(1024, Window::Hann, averaging)).unwrap();
        parts.iter().for_each(|x| p.push(x).unwrap());
        p.finish().unwrap().values(Scaling::Peak)[128]
    };
    // Eight averages after the loud part, a time constant of two has all but forgotten it.
    assert!((level(Averaging::Exponential(2.0), &[&loud, &quiet]) - 1.0).abs() < 1e-3);
    assert!(level(Averaging::Linear, &[&loud, &quiet]) > 2.0);
    assert!((level(Averaging::PeakHold, &[&loud, &quiet]) - 10.0).abs() < 1e-9);
    // The first averages of an exponential mean are a plain mean: no bias from an empty start.
    assert!((level(Averaging::Exponential(100.0), &[&quiet[..4096]]) - 1.0).abs() < 1e-9);
    assert!(spectrum(&quiet, settings(1024, Window::Hann, Averaging::PeakHold)).unwrap().random_error().is_nan());
    assert!(SpectrumProcessor::new(settings(1024, Window::Hann, Averaging::Exponential(0.5))).is_err());
}

#[test]
fn a_restart_and_a_break_do_what_they_say() {
    let x = noise(4, 6000);
    let s = settings(512, Window::Hann, Averaging::Linear);
    let mut p = SpectrumProcessor::new(s).unwrap();
    p.push(&noise(9, 3000)).unwrap();
    p.restart();
    assert!(p.finish().is_err() && p.averages() == 0);
    p.push(&x).unwrap();
    assert_eq!(p.finish().unwrap().values(Scaling::Psd), spectrum(&x, s).unwrap().values(Scaling::Psd));
    // No block reaches over a break: 700 samples on either side make two blocks, not four.
    let mut p = SpectrumProcessor::new(s).unwrap();
    p.push(&x[..700]).unwrap();
    p.interrupt();
    p.push(&x[700..1400]).unwrap();
    assert_eq!(p.averages(), 2);
    assert_eq!(spectrum(&x[..1400], s).unwrap().averages(), 4);
}

#[test]
fn a_zoom_reads_amplitudes_and_densities_as_the_whole_does() {
    let mut x = cosine(210.0, 2.0, 0.7, RATE, 1 << 17);
    x.iter_mut().zip(noise(3, 1 << 17)).for_each(|(a, b)| *a += 0.2 * b);
    let band = ZoomBand { center_hz: 200.0, span_hz: 50.0 };
    let mut z = ZoomProcessor::new(settings(1024, Window::Hann, Averaging::Linear), band).unwrap();
    for piece in x.chunks(777) {
        z.push(piece).unwrap();
    }
    let zoomed = z.finish().unwrap();
    assert!((z.slow_rate_hz() - 64.0).abs() < 1e-9 && (zoomed.line_spacing_hz() - 0.0625).abs() < 1e-12);
    let peaks = zoomed.values(Scaling::Peak);
    let top = highest(&peaks, 4, 1)[0];
    let read = interpolate(&peaks, top, Window::Hann, 1024);
    let hz = zoomed.frequencies_hz()[0] + read.line * zoomed.line_spacing_hz();
    assert!((hz - 210.0).abs() < 1e-3 && (read.amplitude - 2.0).abs() < 0.01, "{hz} {}", read.amplitude);
    let floor = |s: &echo_signal::spectrum::Spectrum, lo: f64, hi: f64| {
        let inside: Vec<f64> = s
            .frequencies_hz()
            .iter()
            .zip(s.values(Scaling::Psd))
            .filter(|(f, _)| **f > lo && **f < hi)
            .map(|p| p.1)
            .collect();
        inside.iter().sum::<f64>() / inside.len() as f64
    };
    let whole = spectrum(&x, settings(1024, Window::Hann, Averaging::Linear)).unwrap();
    let (a, b) = (floor(&zoomed, 180.0, 200.0), floor(&whole, 180.0, 200.0));
    assert!((a / b - 1.0).abs() < 0.15, "{a} and {b}");
    for wrong in [(10.0, 100.0), (500.0, 50.0), (200.0, 0.0), (200.0, f64::NAN), (f64::NAN, 10.0)] {
        let band = ZoomBand { center_hz: wrong.0, span_hz: wrong.1 };
        assert!(ZoomProcessor::new(settings(64, Window::Hann, Averaging::Linear), band).is_err(), "{wrong:?}");
    }
}

#[test]
fn odd_blocks_have_no_nyquist_line() {
    let x = noise(2, 999);
    let s = SpectrumSettings { overlap: 0.0, ..settings(333, Window::Rectangular, Averaging::Linear) };
    let found = spectrum(&x, s).unwrap();
    assert_eq!(found.frequencies_hz().len(), 167);
    let energy: f64 = found.values(Scaling::Psd).iter().sum::<f64>() * found.line_spacing_hz();
    assert!((energy / rms(&x).powi(2) - 1.0).abs() < 1e-12);
}

#[test]
fn peaks_apart_are_kept_apart() {
    let values = [0.0, 5.0, 4.9, 4.0, 3.0, 6.0, 0.0, 1.0, 0.0];
    assert_eq!(highest(&values, 1, 9), [5, 1, 7]);
    assert_eq!(highest(&values, 5, 9), [5]);
    assert_eq!(highest(&values, 1, 1), [5]);
    assert!(highest(&[], 1, 5).is_empty() && highest(&[1.0, 2.0], 1, 5).is_empty());
    for (k, window) in [(0, Window::Hann), (8, Window::Hann), (99, Window::FlatTop)] {
        let p = interpolate(&values, k, window, 16);
        assert!(p.line == k as f64, "an end is read as it stands");
    }
}

proptest! {
    #[test]
    fn amplitudes_are_linear_and_powers_square(
        gain in 1e-6f64..1e6,
        x in prop::collection::vec(-1.0f64..1.0, 256..700),
        which in 0usize..7,
    ) {
        let s = settings(128, WINDOWS[which], Averaging::Linear);
        let louder: Vec<f64> = x.iter().map(|v| v * gain).collect();
        let (a, b) = (spectrum(&x, s).unwrap(), spectrum(&louder, s).unwrap());
        for (scaling, power) in [(Scaling::Peak, 1), (Scaling::Rms, 1), (Scaling::Power, 2), (Scaling::Psd, 2), (Scaling::Esd, 2)] {
            let wanted: Vec<f64> = a.values(scaling).iter().map(|v| v * gain.powi(power)).collect();
            assert_close(&b.values(scaling), &wanted, 1e-9, "linear");
        }
    }

    #[test]
    fn a_tone_reads_the_same_wherever_it_starts(phase in 0.0f64..TAU, line in 10usize..50, which in 1usize..5) {
        let x = cosine(line as f64 * RATE / 128.0, 1.5, phase, RATE, 1024);
        let s = spectrum(&x, settings(128, WINDOWS[which], Averaging::Linear)).unwrap();
        prop_assert!((s.values(Scaling::Peak)[line] - 1.5).abs() < 1e-9);
        let psd: f64 = s.values(Scaling::Psd).iter().sum::<f64>() * s.line_spacing_hz();
        prop_assert!((psd - 1.125).abs() < 1e-9, "the lines of a tone hold its mean square: {psd}");
    }
}
