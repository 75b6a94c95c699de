//! `fleet-echo analyze` on files: results against the reference, exit codes, sentences.

use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn reference(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../signal/tests/reference").join(name)
}

fn analyze(input: &Path, recipe: &str, more: &[&str]) -> Output {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), recipe).unwrap();
    Command::new(env!("CARGO_BIN_EXE_fleet-echo"))
        .arg("analyze")
        .arg(input)
        .arg("--recipe")
        .arg(file.path())
        .args(more)
        .output()
        .unwrap()
}

fn result(input: &Path, recipe: &str) -> Value {
    let out = analyze(input, recipe, &[]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}

fn refusal(input: &Path, recipe: &str) -> String {
    let out = analyze(input, recipe, &[]);
    let says = String::from_utf8_lossy(&out.stderr).trim().to_string();
    assert_eq!(out.status.code(), Some(2), "{says}");
    assert_eq!(says.lines().count(), 1, "one sentence: {says}");
    says
}

#[test]
fn a_density_agrees_with_the_reference_through_files() {
    let wanted: Value = serde_json::from_slice(&std::fs::read(reference("spectra.json")).unwrap()).unwrap();
    let case = &wanted["cases"][0];
    let recipe =
        r#"{"lens": "spectrum", "block": 1024, "overlap": 0.5, "window": "hann", "scaling": "psd", "unit": "m/s²"}"#;
    let r = result(&reference("two_channel.wav"), recipe);
    assert_eq!(r["averages"], 47);
    assert_eq!(r["traces"][1]["unit"], "(m/s²)²/Hz");
    assert_eq!(r["traces"][1]["quantity"], "PSD");
    for (trace, key) in [(0, "psd_x"), (1, "psd_y")] {
        let values = r["traces"][trace]["values"].as_array().unwrap();
        let reference = case[key].as_array().unwrap();
        let top = reference.iter().map(|v| v.as_f64().unwrap()).fold(0.0, f64::max);
        assert_eq!(values.len(), reference.len());
        for (v, w) in values.iter().zip(reference) {
            assert!((v.as_f64().unwrap() - w.as_f64().unwrap()).abs() <= 1e-9 * top);
        }
    }
    // The same recipe, read back with its defaults written in, gives the same bits.
    let again = result(&reference("two_channel.wav"), &r["recipe"].to_string());
    assert_eq!(again["traces"], r["traces"]);
    assert_eq!(again["recipe"], r["recipe"]);
}

#[test]
fn statistics_agree_with_the_reference_through_files() {
    let wanted: Value = serde_json::from_slice(&std::fs::read(reference("history.json")).unwrap()).unwrap();
    let r = result(&reference("history.wav"), r#"{"lens": "statistics"}"#);
    for (name, key) in [("rms", "rms"), ("peak", "peak_abs"), ("kurtosis", "kurtosis"), ("std", "std_population")] {
        let n = r["numbers"].as_array().unwrap().iter().find(|n| n["name"] == name).unwrap();
        let w = wanted[key].as_f64().unwrap();
        assert!((n["value"].as_f64().unwrap() - w).abs() <= 1e-12 * w.abs());
    }
}

#[test]
fn defaults_are_written_into_the_result() {
    let mut r = result(&reference("two_channel.wav"), r#"{"lens": "spectrum"}"#);
    insta::assert_json_snapshot!(r["recipe"].take());
    let mut r = result(&reference("two_channel.wav"), r#"{"lens": "waveform", "reduce": "minmax"}"#);
    insta::assert_json_snapshot!(r["recipe"].take());
}

#[test]
fn csv_goes_in_and_out() {
    let folder = tempfile::tempdir().unwrap();
    let input = folder.path().join("two.csv");
    let lines: Vec<String> = (0..512)
        .map(|i| format!("{},{},{}", f64::from(i) / 512.0, (f64::from(i) * std::f64::consts::TAU / 8.0).sin(), 2.0))
        .collect();
    std::fs::write(&input, format!("time [s],\"deck, forward [m/s²]\",rudder [V]\n{}\n", lines.join("\n"))).unwrap();
    let out = folder.path().join("out.csv");
    let done = analyze(
        &input,
        r#"{"lens": "spectrum", "block": 256, "channels": [1], "unit": "g"}"#,
        &["--out", out.to_str().unwrap()],
    );
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let text = std::fs::read_to_string(&out).unwrap();
    assert!(text.starts_with("frequency [Hz],\"deck, forward peak [g]\"\n0,"), "{}", &text[..60]);
    let line: Vec<f64> = text.lines().nth(33).unwrap().split(',').map(|c| c.parse().unwrap()).collect();
    assert!((line[0] - 64.0).abs() < 1e-9 && (line[1] - 1.0 / 9.80665).abs() < 1e-6, "{line:?}");
}

#[test]
fn integer_samples_are_shares_of_full_scale() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("int.wav");
    let spec =
        hound::WavSpec { channels: 1, sample_rate: 1000, bits_per_sample: 24, sample_format: hound::SampleFormat::Int };
    let mut w = hound::WavWriter::create(&path, spec).unwrap();
    for _ in 0..100 {
        w.write_sample(1 << 22).unwrap();
    }
    w.finalize().unwrap();
    assert_eq!(result(&path, r#"{"lens": "statistics"}"#)["numbers"][0]["value"], 0.5);
    let recipe = r#"{"lens": "statistics", "sensitivities": [{"channel": 1, "value": 0.05, "unit": "m/s²"}]}"#;
    let r = result(&path, recipe);
    assert_eq!((&r["numbers"][0]["value"], &r["numbers"][0]["unit"]), (&Value::from(10.0), &Value::from("m/s²")));
    assert!(refusal(&reference("history.wav"), recipe).contains("integer WAV only"));
}

#[test]
fn wrong_recipes_and_inputs_end_with_two_and_a_sentence() {
    let wav = reference("two_channel.wav");
    for (recipe, says) in [
        (r#"{"lens": "spectrum", "blok": 3}"#, "blok"),
        (r#"{"lens": "spectrum", "window": "hat"}"#, "window"),
        (r#"{"lens": "spectrum", "overlap": 1.0}"#, "overlap must be 0 or more and below 1, not 1"),
        (r#"{"lens": "spectrum", "block": 1}"#, "block must be 2"),
        (r#"{"lens": "spectrum", "block": 99999}"#, "needs at least 99999"),
        (r#"{"lens": "telescope"}"#, "must be waveform, statistics, spectrum, cross, response, envelope"),
        (r#"{"lens": "response", "reference": 3}"#, "reference names channel 3; the input has channels 1 to 2"),
        (r#"{"lens": "envelope"}"#, "band_hz is missing"),
        (r#"{"lens": "order_track"}"#, "tacho is missing"),
        (r#"{"lens": "shock", "q": 0.2}"#, "q must be above 0.5, not 0.2"),
        (r#"{"lens": "octave", "fraction": 2}"#, "must be 1, 3, 6, 12 or 24"),
        (r#"{"lens": "rainflow", "hysteresis": -1}"#, "hysteresis must be 0 or more, not -1"),
        (r#"{"channels": [1]}"#, "lens is missing"),
        (r#"{"lens": "waveform", "channels": [3]}"#, "channels 1 to 2"),
        (r#"{"lens": "waveform", "stretch": {"from_s": 3, "to_s": 2}}"#, "stretch"),
        (r#"{"lens": "waveform", "prepare": [{"do": "highpass"}]}"#, "edge_hz"),
        (
            r#"{"lens": "waveform", "prepare": [{"do": "highpass", "edge_hz": 5000}]}"#,
            "below the Nyquist frequency, 1024 Hz",
        ),
        (r#"{"lens": "spectrum", "zoom": {"center_hz": 10, "span_hz": 100}}"#, "a band inside"),
        ("not json", "recipe is not JSON"),
    ] {
        let got = refusal(&wav, recipe);
        assert!(got.contains(says), "{recipe}: {got}");
    }
    let folder = tempfile::tempdir().unwrap();
    for (name, contents, says) in [
        ("a.wav", "this is no wave", "is not a WAV file"),
        ("b.wav", "RIFF", "is not a WAV file: its head ends early"),
        ("a.csv", "time,x\n0,1\n1,abc\n", "line 3, column 2: “abc” is not a finite number"),
        ("b.csv", "time,x\n0,1\n1,2\n5,3\n", "even steps"),
        ("c.csv", "x\n1\n", "fewer than two columns"),
        ("a.doc", "", "neither WAV nor CSV nor a universal file nor XLSX"),
        ("a.uff", "", "holds no dataset"),
        ("b.unv", "    -1\n   999\n    -1\n", "holds no time response"),
    ] {
        let path = folder.path().join(name);
        std::fs::write(&path, contents).unwrap();
        let got = refusal(&path, r#"{"lens": "statistics"}"#);
        assert!(got.contains(says), "{name}: {got}");
    }
    assert!(refusal(&folder.path().join("none.wav"), r#"{"lens": "statistics"}"#).contains("none.wav"));
}

fn reference_json(name: &str) -> Value {
    serde_json::from_slice(&std::fs::read(reference(name)).unwrap()).unwrap()
}

fn floats(v: &Value) -> Vec<f64> {
    v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap()).collect()
}

#[track_caller]
fn close(got: &[f64], wanted: &[f64], tolerance: f64) {
    assert_eq!(got.len(), wanted.len());
    let scale = wanted.iter().fold(0.0f64, |m, x| m.max(x.abs()));
    assert!(got.iter().zip(wanted).all(|(g, w)| (g - w).abs() <= tolerance * scale), "{got:?} for {wanted:?}");
}

#[test]
fn responses_agree_with_the_reference_through_files() {
    let case = &reference_json("spectra.json")["cases"][1];
    for estimator in ["h1", "h2"] {
        let recipe = format!(
            r#"{{"lens": "response", "reference": 1, "estimator": "{estimator}", "block": 2048, "overlap": 0.75, "window": "hann"}}"#
        );
        let r = result(&reference("two_channel.wav"), &recipe);
        let of = |q: &str| r["traces"].as_array().unwrap().iter().find(|t| t["quantity"] == q).unwrap().clone();
        let h = of("response");
        assert_eq!(
            (&h["channel"], &h["reference"], &r["averages"]),
            (&Value::from(2), &Value::from(1), &case["averages"])
        );
        close(&floats(&h["re"]), &floats(&case[format!("{estimator}_re")]), 1e-9);
        close(&floats(&h["im"]), &floats(&case[format!("{estimator}_im")]), 1e-9);
        close(&floats(&of("coherence")["values"]), &floats(&case["coherence"]), 1e-9);
        assert!(h.get("values").is_none(), "a complex trace has no values");
    }
    let r =
        result(&reference("two_channel.wav"), r#"{"lens": "cross", "reference": 1, "block": 2048, "overlap": 0.75}"#);
    close(&floats(&r["traces"][0]["re"]), &floats(&case["cross_psd_re"]), 1e-9);
    close(&floats(&r["traces"][0]["im"]), &floats(&case["cross_psd_im"]), 1e-9);
}

#[test]
fn histories_shocks_and_envelopes_agree_with_the_reference_through_files() {
    let history = reference_json("history.json");
    let edges = &history["time_at_level"]["edges"];
    let r = result(&reference("history.wav"), &format!(r#"{{"lens": "distribution", "edges": {edges}}}"#));
    close(&floats(&r["traces"][0]["values"]), &floats(&history["time_at_level"]["seconds"]), 1e-12);
    let flow = &history["rainflow"];
    let r = result(&reference("history.wav"), &format!(r#"{{"lens": "rainflow", "edges": {}}}"#, flow["range_edges"]));
    let count = r["traces"].as_array().unwrap().iter().find(|t| t["quantity"] == "count").unwrap();
    close(&floats(&count["values"]), &floats(&flow["counts"]), 1e-12);
    let number = |r: &Value, name: &str| {
        let n = r["numbers"].as_array().unwrap().iter().find(|n| n["name"] == name).unwrap().clone();
        n["value"].as_f64().unwrap()
    };
    assert_eq!(number(&r, "total_cycles"), flow["total_cycles"].as_f64().unwrap());
    assert!((number(&r, "damage_sum") / flow["miner_sum_m5"].as_f64().unwrap() - 1.0).abs() < 1e-9);

    let shock = reference_json("shock.json");
    for take in ["maximax", "positive", "negative"] {
        let r = result(&reference("half_sine.wav"), &format!(r#"{{"lens": "shock", "take": "{take}"}}"#));
        close(&floats(&r["axes"][0]["values"]), &floats(&shock["natural_frequency_hz"]), 1e-12);
        for ((g, w), m) in
            floats(&r["traces"][0]["values"]).iter().zip(floats(&shock[take])).zip(floats(&shock["maximax"]))
        {
            assert!((g - w).abs() <= 0.01 * m, "{take}: {g} for {w}");
        }
    }

    let envelope = &reference_json("filters.json")["envelope"];
    let r = result(
        &reference("two_channel.wav"),
        r#"{"lens": "envelope", "channels": [2], "band_hz": [250, 500], "output": "waveform"}"#,
    );
    close(&floats(&r["traces"][0]["values"])[2048..4096], &floats(&envelope["values"]), 1e-6);
}

#[test]
fn orders_and_arrivals_agree_with_the_reference_through_files() {
    let run_up = reference_json("run_up.json");
    let tacho = r#""tacho": {"channel": 2, "pulses_per_rev": 3}"#;
    let (start, end) = (run_up["rpm_start"].as_f64().unwrap(), run_up["rpm_end"].as_f64().unwrap());
    let r = result(&reference("run_up.wav"), &format!(r#"{{"lens": "speed", {tacho}}}"#));
    for (t, rpm) in floats(&r["axes"][0]["values"]).iter().zip(floats(&r["traces"][0]["values"])) {
        let wanted = start + (end - start) * t / 20.0;
        assert!((rpm / wanted - 1.0).abs() < 0.002 || !(4.0..18.0).contains(t), "{t}: {rpm} for {wanted}");
    }
    let r = result(&reference("run_up.wav"), &format!(r#"{{"lens": "order_track", {tacho}, "orders": [1, 2.5, 7]}}"#));
    let rpm = floats(&r["axes"][0]["values"]);
    let wanted = &run_up["components"][0];
    let first = &r["traces"][0];
    for ((rpm, re), im) in rpm.iter().zip(floats(&first["re"])).zip(floats(&first["im"])) {
        let share = (rpm - start) / (end - start);
        if (0.2..0.9).contains(&share) {
            assert!((re.hypot(im) / wanted["amplitude_peak"].as_f64().unwrap() - 1.0).abs() < 0.01);
            assert!((im.atan2(re).to_degrees() - wanted["phase_deg"].as_f64().unwrap()).abs() < 2.0);
        }
    }
    assert_eq!(r["traces"].as_array().unwrap().len(), 3);

    let knock = reference_json("knock.json");
    let r = result(&reference("knock.wav"), r#"{"lens": "arrivals"}"#);
    let found: Vec<f64> = r["numbers"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|n| n["name"] == "arrival")
        .map(|n| n["value"].as_f64().unwrap())
        .collect();
    for (g, w) in found.iter().zip(floats(&knock["arrivals_s"])) {
        assert!((g - w).abs() < 10e-6, "{g} for {w}");
    }
}

#[test]
fn complex_traces_and_maps_have_their_form_in_csv() {
    let folder = tempfile::tempdir().unwrap();
    let table = |input: &str, recipe: &str| {
        let out = folder.path().join("out.csv");
        let done = analyze(&reference(input), recipe, &["--out", out.to_str().unwrap()]);
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        let text = std::fs::read_to_string(&out).unwrap();
        let rows: Vec<Vec<f64>> =
            text.lines().skip(1).map(|l| l.split(',').map(|c| c.parse().unwrap_or(f64::NAN)).collect()).collect();
        (text.lines().next().unwrap().to_string(), rows)
    };
    let (head, rows) = table("two_channel.wav", r#"{"lens": "response", "block": 64, "input_unit": "m/s²"}"#);
    assert_eq!(head, "frequency [Hz],H1 2/1_re [(m/s²)/(m/s²)],H1 2/1_im [(m/s²)/(m/s²)],coherence 2/1");
    assert_eq!((rows.len(), rows[3][0]), (33, 96.0));
    let (head, rows) =
        table("two_channel.wav", r#"{"lens": "spectrogram", "block": 64, "interval_s": 1, "channels": [1]}"#);
    assert_eq!(head, "time [s],frequency [Hz],channel 1 peak [EU]");
    assert_eq!((rows.len(), &rows[34][..2]), (12 * 33, &[1.5, 32.0][..]));
    let (head, rows) = table("history.wav", r#"{"lens": "rainflow", "edges": [0, 5, 20], "mean_edges": [-9, 0, 9]}"#);
    assert_eq!(
        head,
        "range,channel 1 count,\"channel 1 count by mean, mean -4.5\",\"channel 1 count by mean, mean 4.5\""
    );
    assert!(rows.iter().all(|r| (r[1] - r[2] - r[3]).abs() < 1e-9));
    let (head, rows) = table("knock.wav", r#"{"lens": "arrivals"}"#);
    assert_eq!((head.as_str(), rows.len()), ("name,channel,unit,value", 8));
}

#[test]
fn curves_go_into_universal_files_and_maps_do_not() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out.uff");
    let recipe = r#"{"lens": "response", "block": 64, "input_unit": "m/s²"}"#;
    let asked = |recipe: &str| analyze(&reference("two_channel.wav"), recipe, &["--out", out.to_str().unwrap()]);
    let done = asked(r#"{"lens": "spectrogram", "block": 64, "interval_s": 1}"#);
    let says = String::from_utf8_lossy(&done.stderr).to_string();
    assert!(done.status.code() == Some(2) && says.contains("has a map, and a universal file holds curves"), "{says}");
    assert!(!out.exists(), "nothing is left of what was refused");
    assert!(asked(recipe).status.success());
    let all = echo_formats::uff::read("out.uff", &std::fs::read(&out).unwrap()).unwrap();
    let echo_formats::uff::Dataset::Function(h) = &all[0] else { panic!("{all:?}") };
    let wanted = result(&reference("two_channel.wav"), recipe);
    let echo_formats::uff::Ordinates::Complex(z) = &h.values else { panic!("{h:?}") };
    let (re, im): (Vec<f64>, Vec<f64>) = z.iter().map(|z| (z.re, z.im)).unzip();
    close(&re, &floats(&wanted["traces"][0]["re"]), 1e-11);
    close(&im, &floats(&wanted["traces"][0]["im"]), 1e-11);
    assert_eq!((all.len(), h.ordinate.unit.as_str()), (2, "m/s²"));
}

#[test]
fn modes_agree_with_the_reference_through_files() {
    let (input, wanted) = (reference("modal_frf.csv"), reference_json("modal.json"));
    let recipe = r#"{"lens": "modes", "band_hz": [20, 790]}"#;
    let r = result(&input, recipe);
    let of = |name: &str| -> Vec<f64> {
        let all = r["numbers"].as_array().unwrap().iter().filter(|n| n["name"] == name);
        all.map(|n| n["value"].as_f64().unwrap()).collect()
    };
    close(&of("frequency"), &floats(&wanted["frequency_hz"]), 1e-3);
    close(&of("damping_ratio"), &floats(&wanted["damping_ratio"]), 0.05);
    assert!(of("frequency_scatter").iter().all(|s| *s < 0.1) && of("complexity").iter().all(|c| *c < 0.01));
    let traces = |quantity: &str| -> Vec<Value> {
        r["traces"].as_array().unwrap().iter().filter(|t| t["quantity"] == quantity).cloned().collect()
    };
    for (shape, wanted) in traces("shape").iter().zip(wanted["shapes"].as_array().unwrap()) {
        let (re, im, w) = (floats(&shape["re"]), floats(&shape["im"]), floats(wanted));
        let (dot_re, dot_im) =
            re.iter().zip(&im).zip(&w).fold((0.0, 0.0), |(a, b), ((x, y), w)| (a + x * w, b + y * w));
        let squares =
            re.iter().zip(&im).map(|(x, y)| x * x + y * y).sum::<f64>() * w.iter().map(|w| w * w).sum::<f64>();
        assert!((dot_re * dot_re + dot_im * dot_im) / squares > 0.98, "{}", shape["name"]);
        assert_eq!((&shape["unit"], &shape["axes"]), (&"1/√kg".into(), &serde_json::json!([1])));
    }
    assert_eq!(r["axes"][1]["dofs"][4]["point"], "5");
    let mac = floats(&traces("mac")[0]["values"]);
    assert!(mac.len() == 25 && (mac[0] - 1.0).abs() < 1e-9 && mac[1] < 0.5, "{mac:?}");
    assert_eq!(traces("indicator").len(), 4, "complex and multivariate, two references each");
    let held = r["stabilisation"].as_array().unwrap();
    assert!(held.len() > 100 && held.iter().any(|p| p["stable"] == "shape" && p["order"] == 40));
    // Some of them, by where they are; the same out of a universal file of their shapes.
    let out = tempfile::Builder::new().suffix(".uff").tempfile().unwrap();
    let some = r#"{"lens": "modes", "band_hz": [20, 790], "pick": [198, 240], "references": ["5"]}"#;
    let done = analyze(&input, some, &["--out", out.path().to_str().unwrap()]);
    assert_eq!(done.status.code(), Some(2), "240 Hz is no mode");
    let says = String::from_utf8_lossy(&done.stderr).to_string();
    assert!(says.contains("no pole holds near 240 Hz") && says.contains("those that hold are at 197.9"), "{says}");
    let done = analyze(&input, recipe, &["--out", out.path().to_str().unwrap()]);
    assert!(
        String::from_utf8_lossy(&done.stderr).contains("directions by x, y and z"),
        "points alone are no directions"
    );
    // The same file with directions in its head: H3_1_re becomes H3z_1z_re.
    let text = std::fs::read_to_string(&input).unwrap();
    let (head, rest) = text.split_once('\n').unwrap();
    let directed = tempfile::Builder::new().suffix(".csv").tempfile().unwrap();
    std::fs::write(directed.path(), format!("{}\n{rest}", head.replace("_1_", "z_1z_").replace("_5_", "z_5z_")))
        .unwrap();
    let done = analyze(directed.path(), recipe, &["--out", out.path().to_str().unwrap()]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let back = echo_formats::uff::curves(out.path()).unwrap();
    let hz: Vec<f64> = back.results[0].numbers.iter().filter(|n| n.name == "frequency").map(|n| n.value).collect();
    close(&hz, &of("frequency"), 1e-6);
    assert_eq!(back.results[0].axis.dofs.len(), 9);
}

#[test]
fn modes_of_what_is_no_response_are_refused_in_a_sentence() {
    let recipe = r#"{"lens": "modes"}"#;
    let says = |input: &Path, recipe: &str| refusal(input, recipe);
    assert!(says(&reference("two_channel.wav"), recipe).contains("file of samples"));
    let csv = |text: &str| {
        let file = tempfile::Builder::new().suffix(".csv").tempfile().unwrap();
        std::fs::write(file.path(), text).unwrap();
        file
    };
    for (text, word) in [
        ("hz,H1_1_re\n1,2\n", "only one part of 1 / 1"),
        ("hz,H1_1_re,H1_1_im,H1_1_re\n1,2,3,4\n", "twice"),
        ("hz,deck\n1,2\n", "a column “deck”"),
        ("hz,H1_1_re,H1_1_im\n1,2,nan\n", "line 2: “nan” is not a finite number"),
        ("hz,H1_1_re,H1_1_im\n1,2,3\n2,3,4\n", "a band with"),
        ("hz,H1_1_re [V/N],H1_1_im [V/N]\n1,2,3\n2,3,4\n", "is in V/N"),
        ("hz\n1\n", "no responses"),
    ] {
        let file = csv(text);
        let told = says(file.path(), recipe);
        assert!(told.contains(word), "{text}: {told}");
    }
    let of_samples = r#"{"lens": "modes", "stretch": {"from_s": 0, "to_s": 1}}"#;
    assert!(says(&reference("modal_frf.csv"), of_samples).contains("stretch belongs to samples"));
    assert!(says(&reference("modal_frf.csv"), r#"{"lens": "modes", "max_order": 1}"#).contains("max_order must be"));
    let empty_band = r#"{"lens": "modes", "band_hz": [200, 220], "max_order": 10}"#;
    assert!(says(&reference("modal_frf.csv"), empty_band).contains("band"), "no mode there");
}

#[test]
fn every_example_recipe_works_and_is_read_back_to_the_same_bits() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/recipes");
    let mut lenses: Vec<String> = Vec::new();
    for entry in std::fs::read_dir(&folder).unwrap() {
        let path = entry.unwrap().path();
        let text = std::fs::read_to_string(&path).unwrap();
        let lens = serde_json::from_str::<Value>(&text).unwrap()["lens"].as_str().unwrap().to_string();
        let input = match lens.as_str() {
            "speed" | "order_map" | "order_track" | "orbit" | "level" | "cepstrum" | "octave" | "envelope" => {
                "run_up.wav"
            }
            "arrivals" => "knock.wav",
            "modes" => "modal_frf.csv",
            "shock" => "half_sine.wav",
            _ => "two_channel.wav",
        };
        let first = result(&reference(input), &text);
        let again = result(&reference(input), &first["recipe"].to_string());
        for part in ["recipe", "axes", "traces", "numbers", "cautions", "stabilisation"] {
            assert_eq!(first[part], again[part], "{}: {part}", path.display());
        }
        lenses.push(lens);
    }
    let help = Command::new(env!("CARGO_BIN_EXE_fleet-echo")).args(["analyze", "--help"]).output().unwrap();
    let help = String::from_utf8(help.stdout).unwrap();
    for lens in echo_job::recipe::LENSES {
        assert!(help.contains(&format!("\n  {lens} ")), "--help has no line on {lens}");
        assert!(lenses.iter().any(|l| l == lens), "no example of {lens}");
    }
}

#[test]
fn formulas_and_steps_work_on_files() {
    // Files without units are numbers: whatever formula fits.
    let file = reference("two_channel.wav");
    let math = r#""math": [{"name": "both", "is": "c1 + 2 * c2"}, {"name": "level", "is": "rms(both, 0.1 s)"}]"#;
    let r = result(&file, &format!(r#"{{"lens": "statistics", {math}}}"#));
    let of = |channel: u64, name: &str| {
        let all = r["numbers"].as_array().unwrap();
        all.iter().find(|n| n["channel"] == channel && n["name"] == name).and_then(|n| n["value"].as_f64()).unwrap()
    };
    assert!((of(3, "mean") - of(1, "mean") - 2.0 * of(2, "mean")).abs() < 1e-9);
    assert!(of(4, "mean") <= of(3, "rms") * 1.01 && of(4, "mean") > 0.5 * of(3, "rms"));
    assert_eq!(r["recipe"]["channels"], serde_json::json!([1, 2, 3, 4]));
    // The unit that the recipe gives the input is the one formulas see.
    let unit =
        result(&file, &format!(r#"{{"lens": "waveform", "points": 10, "reduce": "minmax", "channels": [3], {math}}}"#));
    assert_eq!(unit["traces"][0]["name"], "both");
    // Trimmed and at another rate: lines follow the rate, the stretch stays the file's.
    let whole = result(&file, r#"{"lens": "spectrum", "block": 512, "channels": [1]}"#);
    let slow = result(
        &file,
        r#"{"lens": "spectrum", "block": 256, "channels": [1], "prepare": [{"do": "trim", "start_s": 0.1}, {"do": "zero"}]}"#,
    );
    let spacing = |r: &Value| r["axes"][0]["values"][1].as_f64().unwrap();
    assert!((spacing(&slow) / spacing(&whole) - 2.0).abs() < 1e-9);
    assert_eq!(slow["recipe"]["stretch"], whole["recipe"]["stretch"]);
    let rate = 512.0 * spacing(&whole);
    let recipe = format!(
        r#"{{"lens": "spectrum", "block": 256, "channels": [1], "prepare": [{{"do": "resample", "rate_hz": {}}}]}}"#,
        rate / 2.0
    );
    assert!((spacing(&result(&file, &recipe)) / spacing(&whole) - 1.0).abs() < 1e-9);
}
