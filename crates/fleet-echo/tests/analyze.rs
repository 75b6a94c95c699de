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
        (r#"{"lens": "spectrum", "overlap": 1.0}"#, "overlap is 1; allowed is 0 or more and below 1"),
        (r#"{"lens": "spectrum", "block": 1}"#, "block is 1; allowed is 2"),
        (r#"{"lens": "spectrum", "block": 99999}"#, "needs at least 99999"),
        (r#"{"lens": "telescope"}"#, "allowed are waveform, statistics, spectrum"),
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
        ("a.csv", "time,x\n0,1\n1,abc\n", "line 3, column 2: “abc” is not a finite number"),
        ("b.csv", "time,x\n0,1\n1,2\n5,3\n", "even steps"),
        ("c.csv", "x\n1\n", "fewer than two columns"),
        ("a.txt", "", "neither .wav nor .csv"),
    ] {
        let path = folder.path().join(name);
        std::fs::write(&path, contents).unwrap();
        let got = refusal(&path, r#"{"lens": "statistics"}"#);
        assert!(got.contains(says), "{name}: {got}");
    }
    assert!(refusal(&folder.path().join("none.wav"), r#"{"lens": "statistics"}"#).contains("none.wav"));
}

#[test]
fn the_examples_work() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/recipes");
    let mut seen = 0;
    for entry in std::fs::read_dir(folder).unwrap() {
        let text = std::fs::read_to_string(entry.unwrap().path()).unwrap();
        let r = result(&reference("two_channel.wav"), &text);
        assert!(!r["traces"].as_array().unwrap().is_empty());
        seen += 1;
    }
    assert_eq!(seen, 3);
}
