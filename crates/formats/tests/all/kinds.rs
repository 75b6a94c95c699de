//! Files are read as what is in them, with what was said of their columns; large ones from anywhere.

use echo_formats::csv::{Columns, read, read_with};
use echo_formats::file::{Kind, open, open_with};
use echo_formats::sheet::{Sheet, write_xlsx};
use echo_formats::uff::{Dataset, Style, read as read_uff, write as write_uff};
use echo_job::analysis::Source;
use std::path::PathBuf;

fn laid(folder: &tempfile::TempDir, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.path().join(name);
    std::fs::write(&path, bytes).unwrap();
    path
}

fn all(source: &mut dyn Source) -> Vec<Vec<f64>> {
    let info = source.info().clone();
    let mut out = vec![Vec::new(); info.channels.len()];
    let channels: Vec<usize> = (0..out.len()).collect();
    source.read(&channels, 0, info.samples as usize, &mut out).unwrap();
    out
}

const CSV: &str = "t [s],ramp [mm]\n0,1\n0.5,2\n1,3\n";

/// A WAV file of one channel with 16 bits.
fn wav(samples: &[i16]) -> Vec<u8> {
    let mut out = std::io::Cursor::new(Vec::new());
    let spec =
        hound::WavSpec { channels: 1, sample_rate: 8000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
    let mut writer = hound::WavWriter::new(&mut out, spec).unwrap();
    samples.iter().for_each(|s| writer.write_sample(*s).unwrap());
    writer.finalize().unwrap();
    out.into_inner()
}

#[test]
fn what_is_in_a_file_counts_not_its_ending() {
    let folder = tempfile::tempdir().unwrap();
    let kind = |name: &str, bytes: &[u8]| open_with(&laid(&folder, name, bytes), &Columns::default()).map(|o| o.0);
    assert_eq!(kind("a.csv", &wav(&[1, 2])).unwrap(), Kind::Wav);
    assert_eq!(kind("a.bin", &wav(&[1, 2])).unwrap(), Kind::Wav, "an ending that says nothing");
    assert_eq!(kind("a.wav.csv", CSV.as_bytes()).unwrap(), Kind::Csv);
    assert_eq!(kind("a.TXT", CSV.as_bytes()).unwrap(), Kind::Csv);
    let says = |name: &str, bytes: &[u8]| kind(name, bytes).err().map(|e| e.to_string()).unwrap_or_default();
    assert!(says("a.wav", CSV.as_bytes()).contains("is not a WAV file"), "{}", says("a.wav", CSV.as_bytes()));
    assert!(says("a.docx", b"hello").contains("is neither WAV nor CSV"));
    assert!(says("a", b"").contains("is neither WAV nor CSV"));
    assert!(!says("a.xlsx", b"hello").is_empty());
    assert!(open(&folder.path().join("none.csv")).is_err());
}

#[test]
fn a_spreadsheet_is_read_as_its_lines() {
    let folder = tempfile::tempdir().unwrap();
    let text = |t: &str| t.to_string();
    let heads = vec![text("t [s]"), text("ramp [mm]"), text("force, [N]")];
    let rows = vec![
        vec![text("0"), text("1.5"), text("-2")],
        vec![text("0.25"), text("2.5"), text("-3")],
        vec![text("0.5"), text("3.5"), text("-4")],
    ];
    let sheet = Sheet { name: "ramp".into(), heads, rows };
    let (kind, mut source) =
        open_with(&laid(&folder, "ramp.xlsx", &write_xlsx(&[sheet]).unwrap()), &Columns::default()).unwrap();
    assert_eq!((kind, source.info().sample_rate_hz), (Kind::Xlsx, 4.0));
    assert_eq!(source.info().channels[1].unit, "N");
    assert_eq!(all(source.as_mut()), [vec![1.5, 2.5, 3.5], vec![-2.0, -3.0, -4.0]]);
}

#[test]
fn what_is_said_of_the_columns_stands_above_what_is_guessed() {
    let text = "a,t [ms],b\n7,0,1\n8,2,2\n9,4,3\n";
    let said = |time: Option<usize>, rate_hz: Option<f64>| read_with("f", text.as_bytes(), &Columns { time, rate_hz });
    let mut second = said(Some(2), None).unwrap();
    assert_eq!(second.info().sample_rate_hz, 500.0);
    assert_eq!(all(&mut second), [vec![7.0, 8.0, 9.0], vec![1.0, 2.0, 3.0]]);
    let mut none = said(Some(0), Some(50.0)).unwrap();
    assert_eq!((none.info().sample_rate_hz, none.info().channels.len()), (50.0, 3));
    assert_eq!(all(&mut none)[1], [0.0, 2.0, 4.0]);
    assert!(none.info().notes.iter().any(|n| n.contains("said to be 50 Hz")));
    let says = |time, rate| said(time, rate).err().map(|e| e.to_string()).unwrap_or_default();
    assert!(says(Some(0), None).contains("no column with the time; say its sample rate"));
    assert!(says(Some(9), None).contains("has no column 9 to take the time from; it has 3"));
    // Times that jump are no matter where the rate is said.
    let jumps = "t,a\n0,1\n1,2\n7,3\n";
    assert!(read("f", jumps.as_bytes()).is_err());
    let by_hand = Columns { time: None, rate_hz: Some(10.0) };
    assert_eq!(all(&mut read_with("f", jumps.as_bytes(), &by_hand).unwrap()), [vec![1.0, 2.0, 3.0]]);
}

#[test]
fn units_may_stand_in_brackets_on_a_line_of_their_own() {
    let german = "Zeit;Rampe;Scharnier\n[ms];[m/s²];(mm)\n0,0;1,5;-2\n1,0;2,5;-3\n2,0;-0,5;-4\n";
    let mut source = read("f", german.as_bytes()).unwrap();
    let units: Vec<String> = source.info().channels.iter().map(|c| c.unit.clone()).collect();
    assert_eq!((source.info().sample_rate_hz, units), (1000.0, vec!["m/s²".to_string(), "mm".into()]));
    assert_eq!(all(&mut source)[0], [1.5, 2.5, -0.5]);
    // The same in one byte a letter.
    let latin: Vec<u8> = german.chars().map(|c| if c == '²' { 0xb2 } else { c as u8 }).collect();
    let source = read("f", &latin[..]).unwrap();
    assert_eq!(source.info().channels[0].unit, "m/s²");
    assert!(source.info().notes.iter().any(|n| n.contains("ISO 8859-1")));
}

#[test]
fn lines_without_values_are_gaps_and_columns_are_bounded() {
    let mut gaps = read("f", &b"t,a,b\n0,1,2\n1,,\n2,,\n3,4,5\n"[..]).unwrap();
    assert_eq!(gaps.info().gaps, [(1, 2)]);
    let read_back = all(&mut gaps);
    assert!(read_back[0][1].is_nan() && read_back[1][2].is_nan() && read_back[1][3] == 5.0);
    let wide =
        |n: usize| format!("{}\n{}\n{}\n", vec!["c"; n].join(","), vec!["0"; n].join(","), vec!["1"; n].join(","));
    assert_eq!(read("f", wide(4096).as_bytes()).unwrap().info().channels.len(), 4095);
    assert!(read("f", wide(4097).as_bytes()).err().unwrap().to_string().contains("allowed: up to 4096"));
}

#[test]
fn a_large_file_is_read_from_anywhere() {
    // More than what stays in memory, so that it lies in a temporary file.
    let columns = 40;
    let rows = 170_000usize;
    let mut text = String::from("t [s]");
    (0..columns).for_each(|c| text.push_str(&format!(",c{c} [V]")));
    text.push('\n');
    for r in 0..rows {
        text.push_str(&format!("{}", r as f64 / 1000.0));
        (0..columns).for_each(|c| text.push_str(&format!(",{}", (r * 31 + c) % 1000)));
        text.push('\n');
    }
    let mut source = read("f", text.as_bytes()).unwrap();
    assert_eq!((source.info().samples, source.info().sample_rate_hz), (rows as u64, 1000.0));
    let mut out = vec![Vec::new(), Vec::new()];
    for from in [rows - 5, 0, 84_321] {
        source.read(&[39, 3], from as u64, 5, &mut out).unwrap();
        for (c, samples) in [39, 3].into_iter().zip(&out) {
            let truth: Vec<f64> = (from..from + 5).map(|r| ((r * 31 + c) % 1000) as f64).collect();
            assert_eq!(samples, &truth, "channel {c} from {from}");
        }
    }
}

#[test]
fn a_universal_file_is_read_dataset_by_dataset() {
    let folder = tempfile::tempdir().unwrap();
    let path = laid(&folder, "none.uff", &write_uff(&[Dataset::Nodes(Vec::new())], Style::Text));
    assert!(open(&path).err().unwrap().to_string().contains("holds no time response"));
    let broken = laid(&folder, "broken.uff", b"    -1\n    58\nonly a line\n");
    assert!(open(&broken).is_err());
    let outside = laid(&folder, "outside.uff", b"    -1\n   164\n 1  SI\n  1.0 1.0 1.0\n    -1\nhello\n");
    let says = open(&outside).err().unwrap().to_string();
    assert!(says.contains("“hello” stands outside of a dataset"), "{says}");
    assert!(read_uff("units alone", b"    -1\n   164\n 1  SI\n  1.0 1.0 1.0\n    -1\n").is_err());
}
