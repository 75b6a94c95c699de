//! Every lens on signals whose truth is known, and every refusal a recipe can meet.

use echo_job::analysis::{Analysis, AnalysisError, Memory, analyze};
use echo_job::recipe::{LENSES, Recipe};
use proptest::prelude::*;
use std::f64::consts::TAU;

use crate::common::*;

#[test]
fn a_response_names_its_pair_and_its_unit() {
    let x = noise(1, 65_536);
    let y: Vec<f64> = x.iter().map(|v| -2.5 * v).collect();
    let mut s = memory(&[("hammer", "N", x), ("deck", "m/s²", y.clone()), ("bulkhead", "g", y)]);
    let a = made(r#"{"lens": "response", "reference": 1, "block": 1024}"#, &mut s);
    let of = |q: &str| a.traces.iter().filter(|t| t.quantity.word() == q).collect::<Vec<_>>();
    assert_eq!(of("response").len(), 2);
    assert_eq!((of("response")[0].name.as_str(), of("response")[0].unit.as_str()), ("H1 2/1", "(m/s²)/N"));
    assert_eq!((of("response")[1].channel, of("response")[1].reference), (3, Some(1)));
    assert!(of("response")[0].complex().unwrap().iter().all(|z| (z.re + 2.5).abs() < 1e-9));
    assert!(of("coherence")[0].real().iter().all(|v| (v - 1.0).abs() < 1e-9));
    let a =
        made(r#"{"lens": "response", "reference": [1], "channels": [1, 3], "unit": "m/s²", "block": 1024}"#, &mut s);
    assert_eq!(a.traces[0].channel, 3);
    assert!((a.traces[0].complex().unwrap()[40].re + 2.5 * 9.80665).abs() < 1e-9, "converted to m/s²");
    let one = made(r#"{"lens": "response", "block": 65536, "channels": [2]}"#, &mut s);
    assert!(one.cautions[0].says.contains("2 averages or more") && one.traces[1].real()[7].is_nan());
    let cross = made(r#"{"lens": "cross", "reference": 1, "channels": [2], "block": 1024}"#, &mut s);
    assert_eq!((cross.traces[0].quantity.word(), cross.traces[0].unit.as_str()), ("cross PSD", "(m/s²)·N/Hz"));
    assert_eq!(refusal(r#"{"lens": "response", "reference": 4}"#, &mut s).0, "reference");
    assert_eq!(refusal(r#"{"lens": "response", "channels": [1]}"#, &mut s).0, "channels");
    assert_eq!(refusal(r#"{"lens": "response", "reference": []}"#, &mut s).0, "reference");
    assert_eq!(refusal(r#"{"lens": "response", "reference": [1, 1]}"#, &mut s).0, "reference");
    assert_eq!(refusal(r#"{"lens": "response", "reference": [1, 2], "estimator": "hv"}"#, &mut s).0, "estimator");
    assert_eq!(refusal(r#"{"lens": "cross", "averaging": "peak_hold"}"#, &mut s).0, "averaging");
    // A unit of force would not fit the responses.
    assert_eq!(refusal(r#"{"lens": "response", "unit": "N"}"#, &mut s).0, "unit");
}

#[test]
fn hits_are_windowed_and_bad_ones_are_told() {
    let n = 8192;
    let (mut force, mut ring) = (vec![0.0; 4 * n], vec![0.0; 4 * n]);
    for k in 0..4 {
        for i in 0..n {
            let (f, t) = (k * n + i, i as f64 / RATE);
            force[f] = if (200..220).contains(&i) { (TAU * (i - 200) as f64 / 40.0).sin() } else { 0.0 };
            let since = t - 200.0 / RATE;
            ring[f] = if since > 0.0 { (-3.0 * since).exp() * (TAU * 120.0 * since).sin() } else { 0.0 };
        }
    }
    for i in 0..20 {
        force[2 * n + 900 + i] = 0.4 * (TAU * i as f64 / 40.0).sin();
    }
    let mut s = memory(&[("hammer", "N", force), ("plate", "m/s²", ring)]);
    let recipe = r#"{"lens": "response", "block": 8192,
        "force_window": {"length_s": 0.004, "before_s": 0.002, "taper_s": 0.001}, "exponential_window": {"decay_s": 0.25}}"#;
    let a = made(recipe, &mut s);
    assert_eq!(a.averages, Some(4), "hits are not overlapped");
    assert_eq!(number(&a, "added_decay"), 4.0);
    let says: Vec<&str> = a.cautions.iter().map(|c| c.says.as_str()).collect();
    assert!(says.iter().any(|s| s.contains("more than one hit in block 3 of 4")), "{says:?}");
    // Half-power width of the peak: own decay 3 1/s and the window's 4 1/s, over 2π.
    let t = &a.traces[0];
    let h: Vec<f64> = t.complex().unwrap().iter().map(|z| z.norm()).collect();
    let top = (100..140).max_by(|&a, &b| h[a].total_cmp(&h[b])).unwrap();
    assert_eq!(top, 120);
    let width = 2.0 * 7.0 / TAU;
    let expected = 1.0 / (1.0 + (2.0 / width).powi(2)).sqrt();
    assert!((h[121] / h[120] - expected).abs() < 0.05, "{} for {expected}", h[121] / h[120]);
    assert_eq!(refusal(r#"{"lens": "response", "force_window": {"length_s": -1}}"#, &mut s).0, "force_window.length_s");
    assert_eq!(
        refusal(r#"{"lens": "response", "exponential_window": {"decay_s": 0}}"#, &mut s).0,
        "exponential_window.decay_s"
    );
}

#[test]
fn bands_levels_and_maps_read_a_tone() {
    let mut s = memory(&[("deck", "m/s²", cosine(250.0, 2f64.sqrt(), 0.3, 8.0))]);
    let a = made(r#"{"lens": "octave"}"#, &mut s);
    let (mids, levels) = (&a.axes[0].values, a.traces[0].real());
    let k = mids.iter().position(|m| (m - 251.188643).abs() < 1e-3).unwrap();
    assert!((levels[k] - 1.0).abs() < 0.01 && levels[k - 2] < 0.02, "{levels:?}");
    let fast = made(r#"{"lens": "octave", "fraction": 1, "averaging": "fast"}"#, &mut s);
    assert_eq!(fast.traces.iter().map(|t| t.quantity.word()).collect::<Vec<_>>(), ["rms", "highest rms"]);
    let a = made(r#"{"lens": "level", "interval_s": 0.5, "unit": "mm/s"}"#, &mut s);
    let wanted = 1000.0 / (TAU * 250.0);
    assert_eq!((a.traces[0].real().len(), a.traces[0].unit.as_str()), (16, "mm/s"));
    assert!(
        a.traces[0].real()[1..15].iter().all(|v| (v / wanted - 1.0).abs() < 5e-3),
        "{:?} for {wanted}",
        a.traces[0].real()
    );
    let a = made(r#"{"lens": "level", "detector": "peak", "band_hz": [100, 500]}"#, &mut s);
    assert!(a.traces[0].real()[1..].iter().all(|v| (v - 2f64.sqrt()).abs() < 1e-3), "{:?}", a.traces[0].real());
    assert!((a.traces[0].real()[0] - 2f64.sqrt()).abs() < 0.1, "the filter settles on what is there");
    let a = made(r#"{"lens": "spectrogram", "block": 2048, "interval_s": 1, "unit": "mm/s"}"#, &mut s);
    assert_eq!((a.axes[0].values.len(), a.axes[1].values.len(), a.traces[0].real().len()), (8, 1025, 8 * 1025));
    let line = (250.0 * 2048.0 / RATE) as usize;
    // The power of a tone lies in the lines around it, whichever it is nearest to; a Hann line is 1.5 wide.
    let squares: f64 = (line - 3..=line + 4).map(|l| a.traces[0].real()[3 * 1025 + l].powi(2)).sum();
    assert!(((squares / 1.5).sqrt() / (wanted * 2f64.sqrt()) - 1.0).abs() < 0.01, "{squares}");
    assert_eq!(refusal(r#"{"lens": "level", "interval_s": 100}"#, &mut s).0, "interval_s");
    assert_eq!(refusal(r#"{"lens": "level", "band_hz": [10, 5000]}"#, &mut s).0, "edge_hz");
    assert_eq!(refusal(r#"{"lens": "octave", "to_hz": 4000}"#, &mut s).0, "to_hz");
    assert_eq!(refusal(r#"{"lens": "octave", "fraction": 5}"#, &mut s).0, "fraction");
    assert_eq!(refusal(r#"{"lens": "octave", "from_hz": 10000}"#, &mut s).0, "from_hz");
    assert_eq!(refusal(r#"{"lens": "spectrogram", "block": 65536, "interval_s": 0.001}"#, &mut s).0, "interval_s");
}

#[test]
fn an_envelope_shows_the_rate_of_the_bursts() {
    let x: Vec<f64> = (0..65_536)
        .map(|i| {
            let t = f64::from(i) / RATE;
            let since = t - (t * 37.0).floor() / 37.0;
            (-since * 400.0).exp() * (TAU * 2000.0 * since).sin() + 3.0 * (TAU * 50.0 * t).sin()
        })
        .collect();
    let mut s = memory(&[("bearing", "m/s²", x)]);
    let a = made(r#"{"lens": "envelope", "band_hz": [1500, 2500], "block": 16384}"#, &mut s);
    let top = a.peaks.iter().max_by(|a, b| a.value.total_cmp(&b.value)).unwrap();
    assert!((top.frequency_hz - 37.0).abs() < 0.3, "{top:?}");
    let a = made(r#"{"lens": "envelope", "band_hz": [1500, 2500], "output": "waveform"}"#, &mut s);
    assert_eq!((a.traces[0].real().len(), a.traces[0].quantity.word()), (65_536, "envelope"));
    assert!(a.traces[0].real().iter().all(|v| *v >= 0.0));
    assert_eq!(
        refusal(r#"{"lens": "envelope"}"#, &mut s).1,
        "band_hz is missing; allowed: a lower and an upper edge in Hz"
    );
    assert_eq!(refusal(r#"{"lens": "envelope", "band_hz": [500, 100]}"#, &mut s).0, "band_hz");
}

#[test]
fn histories_are_counted() {
    let mut s = memory(&[("leg", "kN", cosine(4.0, 10.0, 0.0, 8.0)), ("arm", "kN", cosine(4.0, 5.0, 0.0, 8.0))]);
    let a = made(r#"{"lens": "distribution", "classes": 4}"#, &mut s);
    assert!((a.traces[0].real().iter().sum::<f64>() - 8.0).abs() < 1e-9);
    assert_eq!((a.axes[0].values.len(), a.traces[0].unit.as_str(), number(&a, "outside")), (4, "s", 0.0));
    let a = made(r#"{"lens": "distribution", "edges": [-6, 0, 6], "open_ends": true, "as": "relative"}"#, &mut s);
    assert!((a.traces[0].real()[0] - 0.5).abs() < 0.01 && (a.traces[1].real()[1] - 0.5).abs() < 0.01);
    let a = made(r#"{"lens": "distribution", "edges": [-6, 0, 6]}"#, &mut s);
    assert!(number(&a, "outside") > 0.5);
    let a = made(r#"{"lens": "distribution", "kind": "level_crossing", "edges": [-7, 0, 7, 11]}"#, &mut s);
    assert_eq!(a.traces[0].real(), [32.0, 32.0, 32.0, 0.0]);
    assert_eq!(a.traces[1].real(), [0.0, 32.0, 0.0, 0.0]);
    let a = made(r#"{"lens": "rainflow", "edges": [0, 5, 15, 25], "residue": "repeat", "exponent": 3}"#, &mut s);
    let count = a.traces.iter().find(|t| t.quantity.word() == "count").unwrap();
    assert!((count.real()[2] - 32.0).abs() <= 1.0 && count.real()[1] == 0.0, "{:?}", count.real());
    assert!((number(&a, "damage_sum") / 8000.0 - number(&a, "total_cycles")).abs() < 1.5);
    let matrix = a.traces.iter().find(|t| t.quantity.word() == "count by mean").unwrap();
    assert_eq!(matrix.real().len(), 3 * 16);
    let sum = |values: &[f64]| values.iter().sum::<f64>();
    assert_eq!(sum(matrix.real()), sum(count.real()));
    for (recipe, field) in [
        (r#"{"lens": "distribution", "edges": [1]}"#, "edges"),
        (r#"{"lens": "distribution", "edges": [1, 1]}"#, "edges"),
        (r#"{"lens": "distribution", "edges": [1, 2], "classes": 3}"#, "classes"),
        (r#"{"lens": "distribution", "classes": 0}"#, "classes"),
        (r#"{"lens": "rainflow", "hysteresis": -1}"#, "hysteresis"),
        (r#"{"lens": "rainflow", "exponent": 0}"#, "exponent"),
        (r#"{"lens": "rainflow", "mean_edges": [3, 1]}"#, "mean_edges"),
    ] {
        assert_eq!(refusal(recipe, &mut s).0, field, "{recipe}");
    }
    let mut mixed = memory(&[("leg", "kN", vec![0.0; 9]), ("arm", "V", vec![0.0; 9])]);
    assert_eq!(refusal(r#"{"lens": "rainflow"}"#, &mut mixed).0, "channels");
}

#[test]
fn shocks_and_arrivals_are_read() {
    let mut x = vec![0.0; 8192];
    for (i, v) in x.iter_mut().enumerate().skip(2000).take(90) {
        *v = 50.0 * (std::f64::consts::PI * (i - 2000) as f64 / 90.0).sin();
    }
    let mut s = memory(&[("frame 14", "m/s²", x)]);
    let a = made(r#"{"lens": "shock"}"#, &mut s);
    let top = a.traces[0].real().iter().copied().fold(0.0, f64::max);
    assert!(top > 75.0 && top < 90.0, "{top}");
    assert_eq!(a.recipe.lens.name(), "shock");
    let negative = made(r#"{"lens": "shock", "take": "negative"}"#, &mut s);
    assert!(negative.traces[0].real().iter().all(|v| *v <= 0.0));
    let burst: Vec<f64> = noise(4, 8192)
        .iter()
        .enumerate()
        .map(|(i, n)| {
            0.002 * n
                + if i > 3000 { (-((i - 3000) as f64) / 100.0).exp() * ((i - 3000) as f64 * 0.9).sin() } else { 0.0 }
        })
        .collect();
    let mut s = memory(&[("stem", "V", burst), ("quiet", "V", vec![1.0; 8192])]);
    let a = made(r#"{"lens": "arrivals", "channels": [1]}"#, &mut s);
    assert!((number(&a, "arrival") - 3000.0 / RATE).abs() < 3.0 / RATE);
    assert!(number(&a, "arrival_uncertainty") > 0.0);
    let a = made(
        r#"{"lens": "arrivals", "channels": [1], "pick": "threshold", "threshold": 0.2, "band_hz": [500, 3000]}"#,
        &mut s,
    );
    assert!((number(&a, "arrival") - 3000.0 / RATE).abs() < 10.0 / RATE);
    // A silent channel costs itself alone.
    let both = made(r#"{"lens": "arrivals"}"#, &mut s);
    assert!((number(&both, "arrival") - 3000.0 / RATE).abs() < 3.0 / RATE);
    assert!(both.numbers.iter().all(|n| n.channel == 1), "{:?}", both.numbers);
    assert!(
        both.cautions.iter().any(|c| c.channel == Some(2) && c.says.contains("never changes")),
        "{:?}",
        both.cautions
    );
    let (_, says) = refusal(r#"{"lens": "arrivals", "channels": [2]}"#, &mut s);
    assert!(says.contains("channel 2"), "{says}");
    assert_eq!(refusal(r#"{"lens": "shock", "q": 0.1}"#, &mut s).0, "q");
}

#[test]
fn preparation_carries_units_along() {
    let mut s = memory(&[("deck", "g", cosine(100.0, 1.0, 0.0, 4.0))]);
    let numbers = |recipe: &str, s: &mut Memory| {
        let a = made(recipe, s);
        (number(&a, "rms"), a.numbers[0].unit.clone())
    };
    let wanted = 9.80665 / (TAU * 100.0) / 2f64.sqrt();
    let (rms, unit) = numbers(r#"{"lens": "statistics", "prepare": [{"do": "integrate"}]}"#, &mut s);
    assert!((rms / wanted - 1.0).abs() < 1e-3 && unit == "m/s", "{rms} {unit}");
    let (rms, unit) = numbers(r#"{"lens": "statistics", "unit": "mm/s", "prepare": [{"do": "zero"}]}"#, &mut s);
    assert!((rms / wanted / 1000.0 - 1.0).abs() < 1e-3 && unit == "mm/s", "{rms} {unit}");
    let (rms, unit) = numbers(
        r#"{"lens": "statistics", "prepare": [{"do": "integrate", "times": 2}, {"do": "differentiate"}]}"#,
        &mut s,
    );
    assert!((rms / wanted - 1.0).abs() < 5e-3 && unit == "m/s", "{rms} {unit}");
    assert_eq!(refusal(r#"{"lens": "statistics", "prepare": [{"do": "differentiate"}]}"#, &mut s).0, "prepare");
    for step in [
        r#"{"do": "bandstop", "band_hz": [80, 120]}"#,
        r#"{"do": "lowpass", "edge_hz": 20, "design": "bessel"}"#,
        r#"{"do": "highpass", "edge_hz": 500, "design": "chebyshev", "ripple_db": 1}"#,
    ] {
        let (rms, _) = numbers(&format!(r#"{{"lens": "statistics", "prepare": [{step}]}}"#), &mut s);
        assert!(rms < 0.05, "{step}: {rms}");
    }
    let mut unnamed = memory(&[("a", "", cosine(100.0, 1.0, 0.0, 4.0))]);
    let (rms, unit) = numbers(r#"{"lens": "statistics", "input_unit": "m/s2", "unit": "mm/s"}"#, &mut unnamed);
    assert!((rms * TAU * 100.0 / 1000.0 - 0.5f64.sqrt()).abs() < 1e-3 && unit == "mm/s", "{rms} {unit}");
    assert_eq!(refusal(r#"{"lens": "statistics", "input_unit": "N"}"#, &mut s).0, "input_unit");
    let mut volts = memory(&[("a", "V", cosine(100.0, 1.0, 0.0, 4.0))]);
    assert_eq!(numbers(r#"{"lens": "statistics", "prepare": [{"do": "integrate"}]}"#, &mut volts).1, "V·s");
    assert_eq!(refusal(r#"{"lens": "statistics", "integrate_above_hz": -1}"#, &mut volts).0, "integrate_above_hz");
}

#[test]
fn many_channels_in_parallel_are_the_same_as_one_by_one() {
    let channels: Vec<(String, String, Vec<f64>)> =
        (0..40).map(|k| (format!("c{k}"), "m/s²".to_string(), noise(k + 1, 20_000))).collect();
    let mut all = Memory::new(RATE, channels.clone());
    for recipe in [
        r#""lens": "spectrum", "block": 512"#,
        r#""lens": "statistics", "prepare": [{"do": "highpass", "edge_hz": 20}]"#,
    ] {
        let together = carry_out(&format!("{{{recipe}}}"), &mut all).unwrap();
        for n in [1, 17, 40] {
            let alone = carry_out(&format!(r#"{{{recipe}, "channels": [{n}]}}"#), &mut all).unwrap();
            let of = |a: &Analysis| {
                a.traces.iter().filter(|t| t.channel == n).map(|t| t.real().to_vec()).collect::<Vec<_>>()
            };
            assert_eq!(of(&together), of(&alone));
        }
    }
}

#[test]
fn an_analysis_can_be_stopped() {
    let mut s = machine();
    for lens in ["waveform", "spectrum", "octave", "rainflow", "envelope", "shock"] {
        let recipe = Recipe::from_json(&format!(
            r#"{{"lens": "{lens}", "channels": [1], {}}}"#,
            match lens {
                "envelope" => r#""band_hz": [100, 200]"#,
                _ => r#""prepare": []"#,
            }
        ))
        .unwrap();
        let stopped = analyze(&recipe, &mut s, provenance(), &mut |_| false);
        assert!(matches!(stopped, Err(AnalysisError::Stopped)), "{lens}");
    }
}

proptest! {
    #[test]
    fn no_recipe_makes_a_lens_panic(
        lens in prop::sample::select(LENSES.to_vec()),
        block in prop_oneof![Just(0i64), Just(1), Just(2), 3i64..200, Just(1 << 40)],
        x in prop_oneof![Just(0.0), Just(-1.0), 1e-6f64..1e6, Just(1e300)],
        n in 0usize..300,
        rate in prop_oneof![1e-3f64..1e6],
        signal in 0u8..4,
    ) {
        let samples: Vec<f64> = (0..n).map(|i| match signal {
            0 => 0.0,
            1 => f64::from(i as u32 % 7) - 3.0,
            2 => (i as f64 * 0.7).sin() * 1e150,
            _ => if i == 9 { f64::NAN } else { i as f64 },
        }).collect();
        let both = [samples.clone(), samples];
        let mut source = Memory::new(rate, both.into_iter().map(|s| ("a".into(), "m/s²".into(), s)).collect());
        let common = [
            format!(r#""lens": "{lens}""#),
            format!(r#""lens": "{lens}", "block": {block}, "overlap": 0.9"#),
            format!(r#""lens": "{lens}", "interval_s": {x}"#),
            format!(r#""lens": "{lens}", "band_hz": [{x}, {}]"#, 2.0 * x),
            format!(r#""lens": "{lens}", "tacho": {{"channel": 2, "pulses_per_rev": {x}}}, "step_rpm": {x}"#),
            format!(r#""lens": "{lens}", "classes": {}"#, block.clamp(0, 300)),
            format!(r#""lens": "{lens}", "from_hz": {x}, "to_hz": {}"#, 3.0 * x),
            format!(r#""lens": "{lens}", "prepare": [{{"do": "integrate", "above_hz": {x}}}, {{"do": "detrend"}}]"#),
            format!(r#""lens": "{lens}", "exponential_window": {{"decay_s": {x}}}, "force_window": {{"length_s": {x}}}, "block": 16"#),
        ];
        for recipe in common {
            let _ = carry_out(&format!("{{{recipe}}}"), &mut source);
        }
    }
}

#[test]
fn trimming_and_another_rate_move_what_the_lens_gets() {
    // A step that a filter rings at, and a tone.
    let x: Vec<f64> = (0..40_960).map(|i| 5.0 + (TAU * 50.0 * i as f64 / RATE).cos()).collect();
    let mut s = memory(&[("deck", "m/s²", x)]);
    let whole = made(r#"{"lens": "waveform"}"#, &mut s);
    let cut = made(
        r#"{"lens": "waveform", "stretch": {"from_s": 1, "to_s": 4}, "prepare": [{"do": "trim", "start_s": 0.5, "end_s": 0.25}]}"#,
        &mut s,
    );
    let times = &cut.axes[0].values;
    assert_eq!((times[0], times.len()), (1.5, (2.25 * RATE) as usize));
    assert_eq!(cut.traces[0].real()[..], whole.traces[0].real()[(1.5 * RATE) as usize..(3.75 * RATE) as usize]);
    let slow = made(r#"{"lens": "waveform", "prepare": [{"do": "resample", "rate_hz": 1000}]}"#, &mut s);
    let times = &slow.axes[0].values;
    assert!((times[1] - 0.001).abs() < 1e-12 && times.len().abs_diff(5000) <= 1, "{}", times.len());
    for (t, v) in times.iter().zip(slow.traces[0].real()).skip(200).take(4500) {
        assert!((v - 5.0 - (TAU * 50.0 * t).cos()).abs() < 1e-3, "{v} at {t}");
    }
    // Lines are those of the new rate; what is said of the stretch is in the input's time.
    let lines = made(
        r#"{"lens": "spectrum", "block": 1000, "prepare": [{"do": "zero"}, {"do": "resample", "rate_hz": 1000}]}"#,
        &mut s,
    );
    assert!((lines.axes[0].values[50] - 50.0).abs() < 1e-9 && (lines.traces[0].real()[50] - 1.0).abs() < 1e-3);
    assert_eq!(lines.recipe.stretch.map(|s| s.to_s), Some(5.0));
    for (recipe, part) in [
        (r#"{"lens": "waveform", "prepare": [{"do": "trim", "start_s": -1}]}"#, "0 s or more"),
        (r#"{"lens": "waveform", "prepare": [{"do": "trim", "start_s": 3, "end_s": 3}]}"#, "less than the stretch"),
        (r#"{"lens": "waveform", "prepare": [{"do": "resample", "rate_hz": 0}]}"#, "above 0"),
        (
            r#"{"lens": "order_map", "tacho": {"channel": 1}, "prepare": [{"do": "resample", "rate_hz": 500}]}"#,
            "resampled by its angle",
        ),
    ] {
        let (_, says) = refusal(recipe, &mut s);
        assert!(says.contains(part), "{says}");
    }
}

#[test]
fn a_height_from_peak_to_peak_is_twice_the_peak() {
    let mut s = memory(&[("deck", "m/s²", cosine(512.0, 3.0, 0.2, 4.0))]);
    let of = |scaling: &str, s: &mut Memory| {
        let recipe = format!(r#"{{"lens": "spectrum", "block": 1024, "scaling": "{scaling}"}}"#);
        made(&recipe, s)
    };
    let (whole, half) = (of("peak_to_peak", &mut s), of("peak", &mut s));
    assert!((whole.traces[0].real()[64] - 6.0).abs() < 1e-9 && whole.traces[0].unit == "m/s²");
    assert!((whole.peaks[0].value / half.peaks[0].value - 2.0).abs() < 1e-12);
}

#[test]
fn a_cepstrum_gathers_a_family_of_lines() {
    // Twenty harmonics of 64 Hz over some noise: one peak at 1/64 s and its multiples.
    let n = (6.0 * RATE) as usize;
    let ripple = noise(5, n);
    let x = (0..n)
        .map(|i| {
            let lines = (1..=20).map(|k| (TAU * 64.0 * f64::from(k) * i as f64 / RATE).cos());
            lines.sum::<f64>() + 0.1 * ripple[i]
        })
        .collect();
    let mut s = memory(&[("gearbox", "m/s²", x)]);
    let a = made(r#"{"lens": "cepstrum", "block": 8192, "from_s": 0.004}"#, &mut s);
    assert_eq!((a.axes[0].name.word(), a.axes[0].unit.as_str()), ("quefrency", "s"));
    assert!(a.axes[0].values[0] >= 0.004 && a.averages == Some(11));
    let v = a.traces[0].real();
    let top = v.iter().enumerate().max_by(|p, q| p.1.total_cmp(q.1)).unwrap().0;
    let multiple = a.axes[0].values[top] * 64.0;
    assert!((multiple - multiple.round()).abs() < 0.02 && multiple > 0.9, "{multiple}");
    assert_eq!(refusal(r#"{"lens": "cepstrum", "from_s": 9}"#, &mut s).0, "from_s");
    assert_eq!(refusal(r#"{"lens": "cepstrum", "from_s": -1}"#, &mut s).0, "from_s");
    assert_eq!(refusal(r#"{"lens": "cepstrum", "block": 1048576}"#, &mut s).0, "stretch");
}

#[test]
fn a_response_is_given_for_any_motion() {
    // Acceleration in g follows the force with a fixed factor: 0.5 g/N everywhere.
    let force = noise(9, (8.0 * RATE) as usize);
    let answer = force.iter().map(|x| 0.5 * x).collect();
    let mut s =
        memory(&[("hammer", "N", force), ("bracket", "g", answer), ("supply", "V", vec![1.0; 8 * RATE as usize])]);
    let of = |form: &str, s: &mut Memory| {
        made(&format!(r#"{{"lens": "response", "channels": [2], "block": 4096, "form": "{form}"}}"#), s)
    };
    let measured = of("measured", &mut s);
    assert_eq!((measured.traces[0].unit.as_str(), measured.traces[0].quantity.word()), ("g/N", "response"));
    let line = 256; // 512 Hz
    for (form, unit, wanted) in [
        ("accelerance", "(m/s²)/N", 0.5 * 9.80665),
        ("mobility", "(m/s)/N", 0.5 * 9.80665 / (TAU * 512.0)),
        ("receptance", "m/N", 0.5 * 9.80665 / (TAU * 512.0f64).powi(2)),
    ] {
        let a = of(form, &mut s);
        let t = &a.traces[0];
        let (re, im) = (t.complex().unwrap()[line].re, t.complex().unwrap()[line].im);
        assert!((re.hypot(im) / wanted - 1.0).abs() < 1e-9 && t.unit == unit, "{form}: {re} {im} {}", t.unit);
        assert_eq!(t.quantity.word(), form);
    }
    let (field, says) = refusal(r#"{"lens": "response", "channels": [3], "form": "mobility"}"#, &mut s);
    assert!(field == "form" && says.contains("channels of motion"), "{says}");
}
