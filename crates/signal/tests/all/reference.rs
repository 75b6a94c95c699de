//! The numbers against published definitions and SciPy, at the tolerances the reference files name.

use crate::common::{assert_close, channels, json, numbers, rms};
use echo_signal::arrivals::{Pick, arrival};
use echo_signal::cross::cross_spectra;
use echo_signal::distribution::{Classes, Histogram};
use echo_signal::envelope::envelope;
use echo_signal::filter::{Band, Filter};
use echo_signal::locate::{Observation, locate};
use echo_signal::octave::bands;
use echo_signal::rainflow::{Residue, damage_sum, rainflow};
use echo_signal::response::{Estimator, response};
use echo_signal::rotation::angle::{AngleSampler, samples_for};
use echo_signal::rotation::curve::{AngleCurve, speed_smoothing_rev};
use echo_signal::rotation::order::{OrderBlock, order_cut};
use echo_signal::rotation::pulses::{PulseSettings, Slope, pulses};
use echo_signal::rotation::steps::{Sweep, speed_steps};
use echo_signal::rotation::vold_kalman::{Follower, OrderFilter, Poles};
use echo_signal::rotation::wheel::{PulseTrain, PulseVerdict, Wheel};
use echo_signal::shock::{ShockSettings, shock_response};
use echo_signal::spectrum::Complex64;
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::statistics::statistics;
use echo_signal::window::Window;

#[test]
fn spectra_and_responses_agree_with_the_reference() {
    let reference = json("spectra.json");
    let data = channels("two_channel.wav");
    for case in reference["cases"].as_array().unwrap() {
        let block = case["block"].as_u64().unwrap() as usize;
        let window = match case["window"].as_str().unwrap() {
            "hann" => Window::Hann,
            "flattop" => Window::FlatTop,
            "blackmanharris" => Window::BlackmanHarris,
            "boxcar" => Window::Rectangular,
            other => panic!("{other}"),
        };
        let settings = SpectrumSettings {
            sample_rate_hz: 2048.0,
            block,
            overlap: case["overlap_samples"].as_f64().unwrap() / block as f64,
            window,
            averaging: Averaging::Linear,
        };
        for (x, key) in data.iter().zip(["psd_x", "psd_y"]) {
            let s = spectrum(x, settings).unwrap();
            assert_eq!(s.averages() as u64, case["averages"].as_u64().unwrap());
            assert_close(&s.frequencies_hz(), &numbers(&case["frequency_hz"]), 1e-12, "frequency");
            assert_close(&s.values(Scaling::Psd), &numbers(&case[key]), 1e-9, key);
        }
        let power = spectrum(&data[0], settings).unwrap().values(Scaling::Power);
        assert_close(&power, &numbers(&case["autopower_rms2_x"]), 1e-9, "autopower");
        let both = cross_spectra(&[&data[0]], &[&data[1]], settings).unwrap();
        let (re, im): (Vec<f64>, Vec<f64>) = both.to_outputs.iter().map(|m| (m[0].re, m[0].im)).unzip();
        assert_close(&re, &numbers(&case["cross_psd_re"]), 1e-9, "cross re");
        assert_close(&im, &numbers(&case["cross_psd_im"]), 1e-9, "cross im");
        for (estimator, name) in [(Estimator::H1, "h1"), (Estimator::H2, "h2")] {
            let found = response(&both, 0, estimator).unwrap();
            let (re, im): (Vec<f64>, Vec<f64>) = found.h[0].iter().map(|h| (h.re, h.im)).unzip();
            assert_close(&re, &numbers(&case[format!("{name}_re")]), 1e-9, name);
            assert_close(&im, &numbers(&case[format!("{name}_im")]), 1e-9, name);
            assert_close(&found.coherence, &numbers(&case["coherence"]), 1e-9, "coherence");
        }
    }
}

#[test]
fn statistics_agree_with_the_reference() {
    let r = json("history.json");
    let s = statistics(&channels("history.wav")[0]).unwrap();
    let of = |k: &str| r[k].as_f64().unwrap();
    for (got, wanted) in [
        (s.rms, of("rms")),
        (s.mean, of("mean")),
        (s.std, of("std_population")),
        (s.peak, of("peak_abs")),
        (s.crest_factor, of("crest_factor")),
        (s.skewness, of("skewness")),
        (s.kurtosis, of("kurtosis")),
    ] {
        assert!((got - wanted).abs() <= 1e-12 * wanted.abs().max(0.1), "{got} for {wanted}");
    }
}

#[test]
fn filters_agree_with_the_reference() {
    let r = json("filters.json");
    let x = channels("two_channel.wav").remove(1);
    let mut seen = 0;
    for case in r["cases"].as_array().unwrap() {
        let order = case["order"].as_u64().unwrap() as usize;
        let edge = &case["edge_hz"];
        let two = || (edge[0].as_f64().unwrap(), edge[1].as_f64().unwrap());
        let band = match case["kind"].as_str().unwrap() {
            "lowpass" => Band::Lowpass(edge.as_f64().unwrap()),
            "highpass" => Band::Highpass(edge.as_f64().unwrap()),
            "bandpass" => Band::Bandpass(two().0, two().1),
            "bandstop" => Band::Bandstop(two().0, two().1),
            other => panic!("{other}"),
        };
        let mut filter = Filter::butterworth(band, order, 2048.0).unwrap();
        let wanted = numbers(&case["one_pass"]);
        let mut once = x.clone();
        filter.run(&mut once);
        assert_close(&once[..wanted.len()], &wanted, 1e-8, "one pass");
        filter.reset();
        let mut both = x.clone();
        filter.zero_phase(&mut both).unwrap();
        let rms = rms(&both[2048..both.len() - 2048]);
        let wanted = case["zero_phase_rms"].as_f64().unwrap();
        assert!((rms / wanted - 1.0).abs() < 1e-3, "{band:?}: {rms} for {wanted}");
        seen += 1;
    }
    assert_eq!(seen, 4);
}

#[test]
fn an_envelope_agrees_with_the_reference() {
    let r = json("filters.json");
    let x = channels("two_channel.wav").remove(1);
    let order = r["cases"].as_array().unwrap().iter().find(|c| c["kind"] == "bandpass").unwrap()["order"].as_u64();
    let found = envelope(&x, 2048.0, (250.0, 500.0), order.unwrap() as usize).unwrap();
    assert_close(&found[2048..4096], &numbers(&r["envelope"]["values"]), 1e-6, "envelope");
}

#[test]
fn octave_bands_agree_with_the_reference() {
    let r = json("octaves.json");
    for (key, fraction, count) in [("1", 1, 10), ("3", 3, 31)] {
        let case = &r["bands"][key];
        let wanted = numbers(&case["exact_mid_hz"]);
        let found = bands(fraction, wanted[0], wanted[count - 1]).unwrap();
        let of = |pick: fn(&echo_signal::octave::OctaveBand) -> f64| found.iter().map(pick).collect::<Vec<_>>();
        for (got, key) in
            [(of(|b| b.mid_hz), "exact_mid_hz"), (of(|b| b.lower_hz), "lower_hz"), (of(|b| b.upper_hz), "upper_hz")]
        {
            for (g, w) in got.iter().zip(numbers(&case[key])) {
                assert!((g / w - 1.0).abs() < 1e-12, "{key}: {g} for {w}");
            }
            assert_eq!(got.len(), count);
        }
    }
}

#[test]
fn time_at_level_and_rainflow_agree_with_the_reference() {
    let r = json("history.json");
    let x = channels("history.wav").remove(0);
    let classes = Classes::new(numbers(&r["time_at_level"]["edges"])).unwrap();
    let mut h = Histogram::new(classes);
    h.push(&x).unwrap();
    let seconds: Vec<f64> = h.counts().iter().map(|n| *n as f64 / 2048.0).collect();
    assert_eq!(seconds, numbers(&r["time_at_level"]["seconds"]));

    let flow = &r["rainflow"];
    let ranges = Classes::new(numbers(&flow["range_edges"])).unwrap();
    let cycles = rainflow(&x, 0.0, Residue::Half).unwrap();
    let mut counts = vec![0.0; ranges.count() + 2];
    cycles.iter().for_each(|c| counts[ranges.place(c.range)] += c.count);
    assert_eq!(counts[1..=ranges.count()], numbers(&flow["counts"]));
    assert_eq!(cycles.iter().map(|c| c.count).sum::<f64>(), flow["total_cycles"].as_f64().unwrap());
    let damage = flow["miner_sum_m5"].as_f64().unwrap();
    assert!((damage_sum(&cycles, 5.0) / damage - 1.0).abs() < 1e-9);

    // ASTM E1049-85, figure 6.
    let example = &r["rainflow_published_example"];
    let cycles = rainflow(&numbers(&example["history"]), 0.0, Residue::Half).unwrap();
    for wanted in example["range_count"].as_array().unwrap() {
        let of = |c: &&echo_signal::rainflow::Cycle| c.range == wanted[0].as_f64().unwrap();
        assert_eq!(cycles.iter().filter(of).map(|c| c.count).sum::<f64>(), wanted[1].as_f64().unwrap());
    }
}

#[test]
fn shock_response_agrees_with_the_reference() {
    let r = json("shock.json");
    let x = channels("half_sine.wav").remove(0);
    let wanted = numbers(&r["natural_frequency_hz"]);
    let settings = ShockSettings { sample_rate_hz: 25_600.0, q: 10.0, from_hz: 10.0, to_hz: 2560.0, per_octave: 6 };
    let found = shock_response(&x, settings).unwrap();
    assert_close(&found.frequencies_hz, &wanted, 1e-12, "frequencies");
    for (got, key) in
        [(found.positive.clone(), "positive"), (found.negative.clone(), "negative"), (found.maximax(), "maximax")]
    {
        for ((g, w), (m, f)) in got.iter().zip(numbers(&r[key])).zip(found.maximax().iter().zip(&wanted)) {
            assert!((g - w).abs() < 0.01 * m, "{key} at {f} Hz: {g} for {w}");
        }
    }
}

#[test]
fn orders_of_a_run_up_agree_with_the_reference() {
    let r = json("run_up.json");
    let data = channels("run_up.wav");
    let rate = 8192.0;
    let number = |k: &str| r[k].as_f64().unwrap();
    let found = pulses(&data[1], PulseSettings::automatic(&data[1], Slope::Rising).unwrap()).unwrap();
    let times: Vec<f64> = found.iter().map(|p| p / rate).collect();
    let train = PulseTrain::new(&times, Wheel::even(number("pulses_per_revolution")), 0.0).unwrap();
    assert!(train.pulses.iter().all(|p| p.verdict == PulseVerdict::Good));
    let (times, angles) = train.carrying();

    let curve = AngleCurve::by_turns(&times, &angles, speed_smoothing_rev(number("pulses_per_revolution"))).unwrap();
    let (start, end) = (number("rpm_start"), number("rpm_end"));
    let duration = number("duration_s");
    for k in 20..=90 {
        let t = duration * f64::from(k) / 100.0;
        let wanted = start + (end - start) * t / duration;
        let got = 60.0 * curve.speed_at(t);
        assert!((got / wanted - 1.0).abs() < 0.002, "{got} rpm for {wanted} at {t} s");
    }

    let components = r["components"].as_array().unwrap();
    let orders: Vec<f64> = components.iter().map(|c| c["order"].as_f64().unwrap()).collect();
    let sampler = AngleSampler::new(&curve, samples_for(10.0), rate, data[0].len()).unwrap();
    let samples = sampler.resample(&[&data[0]]).unwrap().remove(0);
    let block = OrderBlock { revolutions: 10.0, window: Window::Hann };
    let steps = speed_steps(&sampler, &curve, 25.0, block.revolutions, Sweep::Automatic).unwrap();
    let cuts = order_cut(&samples, &sampler, &steps, &orders, block).unwrap();
    // The same orders, followed together.
    let places: Vec<f64> = (0..sampler.len()).map(|k| sampler.angle_rev(k)).collect();
    let phases: Vec<Vec<f64>> = orders.iter().map(|o| places.iter().map(|a| o * a).collect()).collect();
    let filter = OrderFilter { bandwidth: 0.1, poles: Poles::Two };
    let followed = Follower::new(&places, &phases, filter).unwrap().follow(&samples).unwrap();
    let followed: Vec<Vec<Complex64>> =
        (0..orders.len()).map(|k| steps.iter().map(|s| followed.at(k, s.angle_rev)).collect()).collect();
    let tone = r["steady_tone"]["frequency_hz"].as_f64().unwrap();
    let mut checked = 0;
    let both = components.iter().zip(&cuts).zip(&orders).chain(components.iter().zip(&followed).zip(&orders));
    for ((c, cut), order) in both {
        let (amplitude, phase) = (c["amplitude_peak"].as_f64().unwrap(), c["phase_deg"].as_f64().unwrap());
        let (level, turn) = if *order == 1.0 { (0.01, 2.0) } else { (0.08, 8.0) };
        for (s, z) in steps.iter().zip(cut) {
            let share = (s.rpm - start) / (end - start);
            let hz = s.rpm / 60.0 * order;
            if !(0.2..=0.9).contains(&share) || (*order != 1.0 && (hz / tone - 1.0).abs() < 0.2) {
                continue;
            }
            let off = (z.arg().to_degrees() - phase + 540.0).rem_euclid(360.0) - 180.0;
            assert!((z.norm() / amplitude - 1.0).abs() < level, "order {order} at {} rpm: {}", s.rpm, z.norm());
            assert!(off.abs() < turn, "order {order} at {} rpm: {off} degrees off", s.rpm);
            checked += 1;
        }
    }
    assert!(checked > 400, "{checked}");
}

#[test]
fn a_knock_is_picked_and_placed_as_the_reference_has_it() {
    let r = json("knock.json");
    let data = channels("knock.wav");
    let places: Vec<Vec<f64>> = r["sensors_m"].as_array().unwrap().iter().map(numbers).collect();
    let mut set = Vec::new();
    for ((x, wanted), place) in data.iter().zip(numbers(&r["arrivals_s"])).zip(&places) {
        let found = arrival(x, 500_000.0, Pick::Akaike).unwrap();
        assert!((found.time_s - wanted).abs() < 10e-6, "{} for {wanted}", found.time_s);
        assert!(found.uncertainty_s > 0.0 && found.uncertainty_s < 20e-6, "{}", found.uncertainty_s);
        let observed = Observation { place_m: place.clone(), time_s: found.time_s, uncertainty_s: found.uncertainty_s };
        set.push(observed);
    }
    let found = locate(&[set], r["wave_speed_m_s"].as_f64().unwrap()).unwrap();
    let source = numbers(&r["source_m"]);
    let off = (found.place_m[0] - source[0]).hypot(found.place_m[1] - source[1]);
    assert!(off < 0.02, "{off} m");
    assert!((found.emitted_s[0] - r["emitted_s"].as_f64().unwrap()).abs() < 10e-6);
}
