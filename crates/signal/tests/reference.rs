//! The numbers against published definitions and SciPy, at the tolerances the reference files name.

use echo_signal::filter::{Band, Filter};
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::statistics::statistics;
use echo_signal::window::Window;
use serde_json::Value;

fn file(name: &str) -> std::path::PathBuf {
    std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/reference").join(name)
}

fn json(name: &str) -> Value {
    serde_json::from_slice(&std::fs::read(file(name)).unwrap()).unwrap()
}

fn channels(name: &str) -> Vec<Vec<f64>> {
    let mut reader = hound::WavReader::open(file(name)).unwrap();
    let width = reader.spec().channels as usize;
    let mut out = vec![Vec::new(); width];
    for (i, s) in reader.samples::<f32>().enumerate() {
        out[i % width].push(f64::from(s.unwrap()));
    }
    out
}

fn numbers(v: &Value) -> Vec<f64> {
    v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap()).collect()
}

fn assert_close(got: &[f64], wanted: &[f64], tolerance: f64, what: &str) {
    assert_eq!(got.len(), wanted.len(), "{what}");
    let scale = wanted.iter().fold(0.0f64, |m, x| m.max(x.abs()));
    for (k, (g, w)) in got.iter().zip(wanted).enumerate() {
        assert!((g - w).abs() <= tolerance * scale, "{what} at {k}: {g} for {w}");
    }
}

#[test]
fn spectra_agree_with_the_reference() {
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
        let inner = &both[2048..both.len() - 2048];
        let rms = (inner.iter().map(|v| v * v).sum::<f64>() / inner.len() as f64).sqrt();
        let wanted = case["zero_phase_rms"].as_f64().unwrap();
        assert!((rms / wanted - 1.0).abs() < 1e-3, "{band:?}: {rms} for {wanted}");
        seen += 1;
    }
    assert_eq!(seen, 4);
}
