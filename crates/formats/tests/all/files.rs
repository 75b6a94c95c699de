//! Files written and read back; a report that says what it was given.

use echo_formats::csv::{CsvOut, read};
use echo_formats::report::{Report, pages, pdf};
use echo_formats::wav::{WavOut, WavSource};
use echo_job::analysis::Source;
use proptest::prelude::*;

fn all(source: &mut dyn Source) -> Vec<Vec<f64>> {
    let info = source.info().clone();
    let mut out = vec![Vec::new(); info.channels.len()];
    let channels: Vec<usize> = (0..out.len()).collect();
    source.read(&channels, 0, info.samples as usize, &mut out).unwrap();
    out
}

proptest! {
    #[test]
    fn wav_comes_back_in_any_order(
        data in prop::collection::vec(prop::collection::vec(-1e4f32..1e4, 40), 1..4),
        from in 0usize..40,
        pieces in 1usize..39,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.wav");
        let data: Vec<Vec<f64>> = data.into_iter().map(|c| c.into_iter().map(f64::from).collect()).collect();
        let mut out = WavOut::new(std::fs::File::create(&path).unwrap(), 2048.0, data.len()).unwrap();
        let (a, b): (Vec<_>, Vec<_>) = data.iter().map(|c| (c[..pieces].to_vec(), c[pieces..].to_vec())).unzip();
        out.push(&a).unwrap();
        out.push(&b).unwrap();
        out.finish().unwrap();
        let mut source = WavSource::open(&path).unwrap();
        prop_assert_eq!(source.info().sample_rate_hz, 2048.0);
        // A look at the end first: reading must find its way back.
        let mut last = vec![Vec::new()];
        source.read(&[data.len() - 1], from as u64, 40 - from, &mut last).unwrap();
        prop_assert_eq!(&last[0], &data[data.len() - 1][from..]);
        prop_assert_eq!(all(&mut source), data);
    }

    #[test]
    fn csv_comes_back(data in prop::collection::vec(-1e3f64..1e3, 3..60)) {
        let mut bytes = Vec::new();
        let heads = [("deck, \"forward\"".to_string(), "m/s²".to_string())];
        let mut out = CsvOut::new(&mut bytes, 51_200.0, &heads).unwrap();
        out.push(std::slice::from_ref(&data)).unwrap();
        let mut back = read("a.csv", bytes.as_slice()).unwrap();
        let info = back.info().clone();
        prop_assert_eq!((info.channels[0].name.as_str(), info.channels[0].unit.as_str()), (heads[0].0.as_str(), "m/s²"));
        prop_assert_eq!(info.sample_rate_hz, 51_200.0);
        for (a, b) in all(&mut back)[0].iter().zip(&data) {
            prop_assert!((a - b).abs() <= 1e-8 * b.abs() + 1e-300);
        }
    }
}

#[test]
fn integer_samples_of_every_width_are_shares_of_full_scale() {
    let folder = tempfile::tempdir().unwrap();
    for bits in [8u16, 16, 24, 32] {
        let path = folder.path().join(format!("{bits}.wav"));
        let spec = hound::WavSpec {
            channels: 2,
            sample_rate: 1000,
            bits_per_sample: bits,
            sample_format: hound::SampleFormat::Int,
        };
        let top = (1i64 << (bits - 1)) - 1;
        let values: Vec<i32> = [0, 1, -1, top / 2, -top - 1, top].iter().map(|v| *v as i32).collect();
        let mut w = hound::WavWriter::create(&path, spec).unwrap();
        for v in &values {
            w.write_sample(*v).unwrap();
            w.write_sample(0).unwrap();
        }
        w.finalize().unwrap();
        let mut source = WavSource::open(&path).unwrap();
        assert!(source.info().full_scale);
        let found = all(&mut source);
        for (got, v) in found[0].iter().zip(&values) {
            assert_eq!(*got, f64::from(*v) / (top + 1) as f64, "{bits} bits, {v}");
        }
        assert!(found[1].iter().all(|v| *v == 0.0));
    }
}

#[test]
fn chunks_a_reader_does_not_know_are_passed_over() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.wav");
    let mut out = WavOut::new(std::fs::File::create(&path).unwrap(), 1000.0, 1).unwrap();
    out.push(&[vec![0.25, -0.5, 1.5]]).unwrap();
    out.finish().unwrap();
    // A note between head and samples.
    let bytes = std::fs::read(&path).unwrap();
    let data = bytes.windows(4).position(|w| w == b"data").unwrap();
    let mut with_note = bytes[..data].to_vec();
    with_note.extend(b"note\x06\0\0\0hello!");
    with_note.extend(&bytes[data..]);
    std::fs::write(&path, with_note).unwrap();
    assert_eq!(all(&mut WavSource::open(&path).unwrap()), [[0.25, -0.5, 1.5]]);
}

#[test]
fn a_wave_that_ends_early_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.wav");
    let mut out = WavOut::new(std::fs::File::create(&path).unwrap(), 1000.0, 1).unwrap();
    out.push(&[vec![1.0; 100]]).unwrap();
    out.finish().unwrap();
    let bytes = std::fs::read(&path).unwrap();
    std::fs::write(&path, &bytes[..bytes.len() - 50]).unwrap();
    let said = match WavSource::open(&path) {
        Err(e) => e.to_string(),
        Ok(mut s) => s.read(&[0], 0, 100, &mut [Vec::new()]).unwrap_err().to_string(),
    };
    assert!(said.contains("a.wav"), "{said}");
    assert!(WavOut::new(std::io::Cursor::new(Vec::new()), 1000.5, 1).is_err());
}

#[test]
fn a_report_is_set_whatever_its_words_are() {
    let report = Report {
        heading: "#panic() $x$".into(),
        title: "*Stars* and [brackets] \\ `ticks`".into(),
        subtitle: "@at <label>".into(),
        findings: "first\nsecond // not a comment".into(),
        facts: vec![("Rate".into(), "51200 Hz".into())],
        rig_heads: ["", "Channel", "Sensor", "Sensitivity", "Set to"].map(String::from).to_vec(),
        rig_rows: (0..300).map(|i| (0..5).map(|k| format!("{i}-{k}")).collect()).collect(),
        notes: vec![("582.8 Hz, gearbox top".into(), "the mesh stands out".into())],
        figures: Vec::new(),
        made: vec![("Spectrum".into(), "{\"lens\":\"spectrum\"}".into())],
        foot: "foot".into(),
    };
    assert!(pdf(&report).unwrap().starts_with(b"%PDF"));
    assert!(pages(&report).unwrap().len() > 1, "three hundred channels go on to a second page");
}
