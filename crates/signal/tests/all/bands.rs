//! Filters of all families, resampling, integration, octaves, levels, spectrograms, cepstra.

use crate::common::{assert_close, cosine, cut, noise, rms};
use echo_signal::cepstrum::cepstrum;
use echo_signal::envelope::{analytic, envelope};
use echo_signal::filter::{Band, Family, Filter};
use echo_signal::level::{LevelProcessor, Reading};
use echo_signal::motion::{Differentiator, Integrator, differentiate, integrate};
use echo_signal::octave::{LevelDetector, OCTAVE_RATIO, OctaveBank, bands};
use echo_signal::resample::{Resampler, ratio, resample};
use echo_signal::spectrogram::SpectrogramProcessor;
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::window::Window;
use proptest::prelude::*;
use std::f64::consts::TAU;

fn settings(rate: f64, block: usize) -> SpectrumSettings {
    SpectrumSettings { sample_rate_hz: rate, block, overlap: 0.5, window: Window::Hann, averaging: Averaging::Linear }
}

fn gain(f: &Filter, hz: f64, rate: f64) -> f64 {
    let (re, im) = f.response_at(hz, rate);
    re.hypot(im)
}

#[test]
fn chebyshev_ripples_as_it_says_and_no_more() {
    for order in 1..=12 {
        for ripple in [0.1, 0.5, 3.0] {
            let floor = 10f64.powf(-ripple / 20.0);
            let f = Filter::design(Family::Chebyshev(ripple), Band::Lowpass(100.0), order, 1000.0).unwrap();
            let inside: Vec<f64> = (0..=1000).map(|k| gain(&f, f64::from(k) / 10.0, 1000.0)).collect();
            let (low, high) = inside.iter().fold((9.0f64, 0.0f64), |(a, b), g| (a.min(*g), b.max(*g)));
            assert!((low - floor).abs() < 1e-6 && high < 1.0 + 1e-9, "{order} {ripple}: {low} to {high}");
            assert!((inside[1000] - floor).abs() < 1e-9, "the edge is where the ripple ends");
            assert!(gain(&f, 110.0, 1000.0) < floor);
        }
    }
    let band = Filter::design(Family::Chebyshev(1.0), Band::Bandpass(100.0, 200.0), 4, 1000.0).unwrap();
    assert!((gain(&band, 100.0, 1000.0) - 10f64.powf(-0.05)).abs() < 1e-9);
    assert!(Filter::design(Family::Chebyshev(0.0), Band::Lowpass(1.0), 2, 10.0).is_err());
}

#[test]
fn bessel_delays_evenly_and_does_not_overshoot() {
    for order in 1..=12 {
        let f = Filter::design(Family::Bessel, Band::Lowpass(20.0), order, 10_000.0).unwrap();
        assert!((gain(&f, 20.0, 10_000.0) - 0.5f64.sqrt()).abs() < 1e-6, "{order}");
        // Phase over frequency is the delay; the same within a percent up to half the edge.
        let delay = |hz: f64| {
            let (re, im) = f.response_at(hz, 10_000.0);
            -im.atan2(re) / (TAU * hz)
        };
        if order >= 3 {
            assert!((delay(5.0) / delay(1.0) - 1.0).abs() < 0.01, "{order}: {} and {}", delay(5.0), delay(1.0));
        }
        let mut step = vec![1.0; 5000];
        let mut f = f;
        f.run(&mut step);
        let top = step.iter().copied().fold(0.0, f64::max);
        assert!(top < 1.012, "{order}: {top}");
    }
    // Published normalised second-order poles: −1.1016 ± 0.6360j, so |H(2j)| follows.
    let f = Filter::design(Family::Bessel, Band::Lowpass(1.0), 2, 10_000.0).unwrap();
    let (p, q) = (1.1016f64, 0.636);
    let wanted = (p * p + q * q) / (((p * p + q * q) - 4.0).powi(2) + (2.0 * p * 2.0).powi(2)).sqrt();
    assert!((gain(&f, 2.0, 10_000.0) / wanted - 1.0).abs() < 1e-3);
}

#[test]
fn resampling_there_and_back_keeps_what_both_rates_hold() {
    let n = 8192;
    let x: Vec<f64> =
        cosine(35.0, 1.0, 0.3, 1000.0, n).iter().zip(cosine(90.0, 0.5, 1.0, 1000.0, n)).map(|(a, b)| a + b).collect();
    for (up, down) in [(1, 4), (2, 5), (3, 1), (7, 3), (441, 480), (1, 1)] {
        let there = resample(&x, up, down).unwrap();
        assert_eq!(there.len(), (n - 1) * up as usize / down as usize + 1);
        let back = resample(&there, down, up).unwrap();
        let inner = 600..n - 900;
        let worst = inner.clone().map(|i| (x[i] - back[i]).abs()).fold(0.0, f64::max);
        assert!(worst < 1e-4, "{up}/{down}: {worst}");
    }
}

#[test]
fn decimation_keeps_out_what_would_fold_by_a_hundred_decibels() {
    for down in [2u64, 5, 16] {
        let new_rate = 10_000.0 / down as f64;
        for above in [1.0, 1.07, 1.6] {
            let x = cosine(new_rate / 2.0 * above, 1.0, 0.4, 10_000.0, 40_000);
            let y = resample(&x, 1, down).unwrap();
            let inner = &y[400..y.len() - 400];
            assert!(rms(inner) < 1e-5 * 1.01 / 2f64.sqrt(), "1/{down} at {above} Nyquist: {}", rms(inner));
        }
        let x = cosine(new_rate / 2.0 * 0.8, 1.0, 0.4, 10_000.0, 40_000);
        let y = resample(&x, 1, down).unwrap();
        assert!((rms(&y[400..y.len() - 400]) * 2f64.sqrt() - 1.0).abs() < 1e-4);
    }
    assert_eq!(ratio(51_200.0, 44_100.0).unwrap(), (441, 512));
    assert_eq!(ratio(102_400.0, 1024.0).unwrap(), (1, 100));
    for (from, to) in [(0.0, 1.0), (1.0, f64::NAN), (1.0, -1.0), (1.0, std::f64::consts::PI), (f64::INFINITY, 1.0)] {
        assert!(ratio(from, to).is_err(), "{from} to {to}");
    }
    assert!(Resampler::new(0, 1).is_err() && Resampler::new(1_000_000, 999_999).is_err());
}

#[test]
fn integration_finds_the_motion_and_goes_back() {
    let rate = 2000.0;
    let (hz, v) = (40.0, 3.0);
    let velocity = cosine(hz, v, 0.2, rate, 8000);
    let acceleration = cosine(hz, v * TAU * hz, 0.2 + TAU / 4.0, rate, 8000);
    let displacement = cosine(hz, v / (TAU * hz), 0.2 - TAU / 4.0, rate, 8000);
    let inner = |x: &[f64]| x[2000..6000].to_vec();
    let with_offset: Vec<f64> = acceleration.iter().map(|a| a + 50.0).collect();
    assert_close(&inner(&integrate(&with_offset, rate, 1, 2.0).unwrap()), &inner(&velocity), 2e-3, "velocity");
    assert_close(&inner(&integrate(&acceleration, rate, 2, 2.0).unwrap()), &inner(&displacement), 1e-2, "displacement");
    assert_close(&inner(&differentiate(&velocity, rate, 1).unwrap()), &inner(&acceleration), 1e-3, "acceleration");
    let line: Vec<f64> = (0..500).map(|i| 3.0 + 0.25 * f64::from(i)).collect();
    assert_close(&differentiate(&line, 10.0, 1).unwrap(), &[2.5; 500], 1e-9, "slope of a line");
    for (x, rate, times, edge) in [
        (vec![1.0], 1.0, 1, 0.1),
        (vec![1.0; 9], 1.0, 0, 0.1),
        (vec![1.0; 9], 1.0, 1, 0.5),
        (vec![1.0; 9], 0.0, 1, 0.1),
    ] {
        assert!(integrate(&x, rate, times, edge).is_err());
    }
}

#[test]
fn live_integration_and_differentiation_agree_with_the_whole() {
    let rate = 2000.0;
    let x = cosine(60.0, 10.0, 0.0, rate, 20_000);
    let mut live = x.clone();
    let mut i = Integrator::new(rate, 1.0).unwrap();
    i.run(&mut live);
    let whole = integrate(&x, rate, 1, 1.0).unwrap();
    let lag = Integrator::LAG;
    let (a, b) = (&live[9000 + lag..11_000], &whole[9000..11_000 - lag]);
    // The high-pass has turned the phase by its edge over the frequency, √2 times.
    assert_close(a, b, 0.035, "velocity");
    assert!((rms(a) / rms(b) - 1.0).abs() < 2e-3, "{} and {}", rms(a), rms(b));
    let mut slope = x.clone();
    Differentiator::new(rate).unwrap().run(&mut slope);
    let whole = differentiate(&x, rate, 1).unwrap();
    let lag = Differentiator::LAG;
    assert_close(&slope[5000 + lag..9000], &whole[5000..9000 - lag], 1e-3, "slope");
}

#[test]
fn the_octave_bank_meets_class_one() {
    // Relative attenuation limits of class 1 at the octave's breakpoints, the stricter of the
    // editions of 1995 and 2014: (exponent of G, least, most).
    let limits = [
        (0.0, -0.3, 0.3),
        (0.125, -0.3, 0.4),
        (0.25, -0.3, 0.6),
        (0.375, -0.3, 1.3),
        (0.5, -0.3, 5.0),
        (1.0, 17.5, f64::INFINITY),
        (2.0, 42.0, f64::INFINITY),
        (3.0, 61.0, f64::INFINITY),
        (4.0, 70.0, f64::INFINITY),
    ];
    let rate = 51_200.0;
    for fraction in [1, 3, 6, 12, 24] {
        let all = bands(fraction, 20.0, 16_000.0).unwrap();
        let bank = OctaveBank::new(&all, rate, LevelDetector::Linear).unwrap();
        let share = (OCTAVE_RATIO.powf(0.5 / f64::from(fraction)) - 1.0) / (OCTAVE_RATIO.powf(0.5) - 1.0);
        let mut checked = 0;
        for band in &all {
            for (exponent, least, most) in limits {
                // Breakpoints of a fraction of an octave: Ω → 1 + share·(Ω − 1), and its inverse.
                let omega = 1.0 + share * (OCTAVE_RATIO.powf(exponent) - 1.0);
                for f in [band.mid_hz * omega, band.mid_hz / omega] {
                    let Some(db) = bank.attenuation_db(band, f) else { continue };
                    assert!(
                        db >= least - 0.01 && db <= most + 0.01,
                        "1/{fraction}, {:.1} Hz at {f:.1} Hz: {db} dB",
                        band.mid_hz
                    );
                    checked += 1;
                }
            }
        }
        assert!(checked > 14 * all.len(), "{checked}");
    }
}

#[test]
fn bands_add_up_and_a_tone_stays_in_its_own() {
    let rate = 25_600.0;
    let all = bands(3, 50.0, 8000.0).unwrap();
    let mut bank = OctaveBank::new(&all, rate, LevelDetector::Linear).unwrap();
    bank.push(&cosine(1000.0, 2.0, 0.0, rate, 256_000)).unwrap();
    let levels = bank.levels().unwrap();
    let top = levels.iter().max_by(|a, b| a.rms.total_cmp(&b.rms)).unwrap();
    assert!((top.band.mid_hz - 1000.0).abs() < 1e-9 && (top.rms - 2f64.sqrt()).abs() < 0.005, "{top:?}");
    // White noise of density d: a band holds d times its width; 10 s leave a few percent of chance.
    let mut bank = OctaveBank::new(&all, rate, LevelDetector::Linear).unwrap();
    let x = noise(5, 256_000);
    bank.push(&x).unwrap();
    let density = rms(&x).powi(2) / (rate / 2.0);
    for l in bank.levels().unwrap().iter().filter(|l| l.band.mid_hz > 400.0) {
        let wanted = (density * (l.band.upper_hz - l.band.lower_hz)).sqrt();
        assert!((l.rms / wanted - 1.0).abs() < 0.06, "{} Hz: {} for {wanted}", l.band.mid_hz, l.rms);
    }
}

#[test]
fn fast_and_slow_follow_their_time_constants() {
    let rate = 8192.0;
    let all = bands(1, 1000.0, 1000.0).unwrap();
    let mut x = cosine(1000.0, 2f64.sqrt(), 0.0, rate, 5 * 8192);
    x.extend(vec![0.0; 8192]);
    for tau in [0.125, 1.0] {
        let mut bank = OctaveBank::new(&all, rate, LevelDetector::Exponential(tau)).unwrap();
        bank.push(&x).unwrap();
        let l = bank.levels().unwrap()[0];
        // One second after the tone stopped its square has fallen by e^(−1/τ).
        let wanted = l.highest * (-0.5 / tau).exp();
        assert!((l.rms / wanted - 1.0).abs() < 0.02, "{tau}: {} for {wanted}", l.rms);
        assert!((l.highest - 1.0).abs() < 0.02);
    }
    for (fraction, from, to) in [(2, 10.0, 20.0), (3, 0.0, 20.0), (3, 20.0, 10.0), (3, f64::NAN, 1.0)] {
        assert!(bands(fraction, from, to).is_err());
    }
    assert!(
        OctaveBank::new(&bands(3, 20.0, 20_000.0).unwrap(), rate, LevelDetector::Linear)
            .unwrap_err()
            .to_string()
            .contains("Nyquist")
    );
    assert!(OctaveBank::new(&[], rate, LevelDetector::Linear).is_err());
    assert!(OctaveBank::new(&all, rate, LevelDetector::Exponential(0.0)).is_err());
}

#[test]
fn a_level_over_time_reads_its_band() {
    let rate = 5120.0;
    let x: Vec<f64> = cosine(160.0, 2f64.sqrt(), 0.0, rate, 51_200)
        .iter()
        .zip(cosine(1.0, 9.0, 0.0, rate, 51_200))
        .map(|(a, b)| a + b + 4.0)
        .collect();
    for (reading, wanted) in [(Reading::Rms, 1.0), (Reading::Peak, 2f64.sqrt())] {
        let mut p = LevelProcessor::new(rate, Some((10.0, 1000.0)), reading, 0.5).unwrap();
        let mut out = Vec::new();
        p.push(&x, &mut out).unwrap();
        assert_eq!(out.len(), 20);
        assert!(out[4..].iter().all(|l| (l - wanted).abs() < 0.02), "{out:?}");
    }
    assert!(LevelProcessor::new(rate, Some((10.0, 3000.0)), Reading::Rms, 0.5).is_err());
    assert!(LevelProcessor::new(rate, None, Reading::Rms, 0.0).is_err());
}

#[test]
fn an_envelope_is_the_modulation() {
    let rate = 10_000.0;
    let x: Vec<f64> = (0..20_000)
        .map(|i| {
            let t = f64::from(i) / rate;
            (2.0 + (TAU * 30.0 * t).cos()) * (TAU * 2000.0 * t).cos() + 5.0 * (TAU * 100.0 * t).sin()
        })
        .collect();
    let e = envelope(&x, rate, (1500.0, 2500.0), 3).unwrap();
    for (i, v) in e.iter().enumerate().skip(1000).take(18_000) {
        let wanted = 2.0 + (TAU * 30.0 * i as f64 / rate).cos();
        assert!((v - wanted).abs() < 0.01, "{i}: {v} for {wanted}");
    }
    // A cosine over whole periods has the sine as its Hilbert transform, at even and odd lengths.
    for n in [64usize, 65] {
        let x: Vec<f64> = (0..n).map(|i| (TAU * 5.0 * i as f64 / n as f64).cos()).collect();
        let z = analytic(&x).unwrap();
        assert!(z.iter().enumerate().all(|(i, z)| (z.im - (TAU * 5.0 * i as f64 / n as f64).sin()).abs() < 1e-12));
    }
    assert!(analytic(&[1.0]).is_err());
}

#[test]
fn a_spectrogram_follows_a_tone() {
    let rate = 4096.0;
    let x: Vec<f64> = [300.0, 800.0].iter().flat_map(|hz| cosine(*hz, 1.0, 0.0, rate, 16_384)).collect();
    let mut p = SpectrogramProcessor::new(settings(rate, 1024), Scaling::Peak, Some(0.5)).unwrap();
    p.push(&x).unwrap();
    let found = p.finish().unwrap();
    assert_eq!(found.times_s, (0..16).map(|k| 0.25 + 0.5 * f64::from(k)).collect::<Vec<_>>());
    for (t, column) in found.times_s.iter().zip(&found.columns) {
        let line = if *t < 4.0 { 75 } else { 200 };
        assert!((column[line] - 1.0).abs() < 1e-9, "{t}");
    }
    let p = SpectrogramProcessor::new(settings(rate, 1024), Scaling::Peak, None).unwrap();
    assert!(p.finish().is_err());
    assert!(SpectrogramProcessor::new(settings(rate, 1024), Scaling::Peak, Some(0.0)).is_err());
}

#[test]
fn a_cepstrum_gathers_a_family_of_lines() {
    // Pulses every 20 ms: lines every 50 Hz, one peak at 20 ms.
    let rate = 8192.0;
    let mut x = noise(3, 1 << 17);
    x.iter_mut().for_each(|v| *v *= 0.05);
    let period = 0.020;
    for k in 0..700 {
        let at = (f64::from(k) * period * rate).round() as usize;
        for j in 0..40.min(x.len().saturating_sub(at)) {
            x[at + j] += (-(j as f64) / 5.0).exp();
        }
    }
    let c = cepstrum(&spectrum(&x, settings(rate, 8192)).unwrap()).unwrap();
    let from = c.quefrencies_s.iter().position(|q| *q > 0.008).unwrap();
    let to = c.quefrencies_s.iter().position(|q| *q > 0.03).unwrap();
    let top = (from..to).max_by(|&a, &b| c.values[a].total_cmp(&c.values[b])).unwrap();
    assert!((c.quefrencies_s[top] - period).abs() < 2.0 / rate, "{}", c.quefrencies_s[top]);
    assert!(cepstrum(&spectrum(&[0.0; 8192], settings(rate, 8192)).unwrap()).is_err());
}

proptest! {
    #[test]
    fn live_forms_do_not_depend_on_how_samples_come(
        x in prop::collection::vec(-1.0f64..1.0, 50..3000),
        cuts in prop::collection::vec(0usize..500, 0..12),
        up in 1u64..6, down in 1u64..9,
    ) {
        let pieces = cut(x.len(), &cuts);
        let mut r = Resampler::new(up, down).unwrap();
        let mut y = Vec::new();
        pieces.iter().for_each(|p| r.push(&x[p.clone()], &mut y).unwrap());
        r.finish(&mut y);
        prop_assert_eq!(y, resample(&x, up, down).unwrap());

        let mut i = Integrator::new(1000.0, 5.0).unwrap();
        let mut d = Differentiator::new(1000.0).unwrap();
        let (mut i_whole, mut d_whole) = (x.clone(), x.clone());
        i.clone().run(&mut i_whole);
        d.clone().run(&mut d_whole);
        let (mut i_parts, mut d_parts) = (x.clone(), x.clone());
        for p in &pieces {
            i.run(&mut i_parts[p.clone()]);
            d.run(&mut d_parts[p.clone()]);
        }
        prop_assert_eq!(i_parts, i_whole);
        prop_assert_eq!(d_parts, d_whole);

        let level = LevelProcessor::new(1000.0, Some((20.0, 200.0)), Reading::Rms, 0.05).unwrap();
        let (mut whole, mut parts) = (Vec::new(), Vec::new());
        level.clone().push(&x, &mut whole).unwrap();
        let mut l = level;
        pieces.iter().for_each(|p| l.push(&x[p.clone()], &mut parts).unwrap());
        prop_assert_eq!(parts, whole);

        let make = || SpectrogramProcessor::new(settings(1000.0, 64), Scaling::Psd, Some(0.1)).unwrap();
        let (mut whole, mut parts) = (make(), make());
        whole.push(&x).unwrap();
        pieces.iter().for_each(|p| parts.push(&x[p.clone()]).unwrap());
        prop_assert_eq!(parts.finish().ok(), whole.finish().ok());

        let all = bands(3, 50.0, 300.0).unwrap();
        let make = || OctaveBank::new(&all, 1000.0, LevelDetector::Exponential(0.1)).unwrap();
        let (mut whole, mut parts) = (make(), make());
        whole.push(&x).unwrap();
        pieces.iter().for_each(|p| parts.push(&x[p.clone()]).unwrap());
        if let (Ok(a), Ok(b)) = (whole.levels(), parts.levels()) {
            prop_assert!(a.iter().zip(&b).all(|(a, b)| (a.rms - b.rms).abs() <= 1e-12));
        }
    }

    #[test]
    fn nothing_panics(
        x in prop::collection::vec(prop_oneof![Just(f64::NAN), Just(f64::INFINITY), Just(0.0), -1e300f64..1e300], 0..70),
        rate in prop_oneof![Just(0.0), Just(-1.0), Just(f64::NAN), Just(f64::INFINITY), 1e-9f64..1e12],
        edge in prop_oneof![Just(f64::NAN), Just(0.0), -1.0f64..1e6],
        order in 0usize..14,
        up in 0u64..70, down in 0u64..70,
    ) {
        for family in [Family::Bessel, Family::Chebyshev(edge), Family::Butterworth] {
            for band in [Band::Lowpass(edge), Band::Bandpass(edge, rate / 3.0), Band::Bandstop(rate / 9.0, edge)] {
                if let Ok(mut f) = Filter::design(family, band, order, rate) {
                    f.run(&mut x.clone());
                    let _ = f.zero_phase(&mut x.clone());
                }
            }
        }
        let _ = resample(&x, up, down);
        let _ = ratio(rate, edge);
        let _ = integrate(&x, rate, order as i32, edge);
        let _ = differentiate(&x, rate, order as i32);
        let _ = envelope(&x, rate, (edge, rate / 4.0), order);
        let _ = bands(order as u32, edge, rate).map(|b| OctaveBank::new(&b, rate, LevelDetector::Exponential(edge)).map(|mut o| o.push(&x).map(|()| o.levels())));
        let _ = LevelProcessor::new(rate, Some((edge, rate / 4.0)), Reading::Peak, edge).map(|mut l| l.push(&x, &mut Vec::new()));
        let _ = SpectrogramProcessor::new(settings(rate, order), Scaling::Psd, Some(edge)).map(|mut s| s.push(&x));
        let _ = spectrum(&x, settings(rate, order.max(2))).map(|s| cepstrum(&s));
    }
}
