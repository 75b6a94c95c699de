//! Parquet: samples written and read back, tables of other programs, what is wrong told.

use echo_formats::file::{Kind, open_with};
use echo_formats::parquet::{ParquetOut, open};
use echo_job::analysis::Source;
use parquet::data_type::{ByteArrayType, DoubleType, Int64Type};
use parquet::file::properties::WriterProperties;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::parser::parse_message_type;
use std::sync::Arc;
use tempfile::NamedTempFile;

fn heads() -> Vec<(String, String)> {
    vec![("gearbox, top".into(), "m/s²".into()), ("Größe".into(), String::new())]
}

fn data(n: usize) -> Vec<Vec<f64>> {
    vec![(0..n).map(|i| (i as f64 * 0.1).sin()).collect(), (0..n).map(|i| i as f64 - 3.0).collect()]
}

fn all(source: &mut dyn Source) -> Vec<Vec<f64>> {
    let (n, channels) = (source.info().samples as usize, source.info().channels.len());
    let mut out = vec![Vec::new(); channels];
    source.read(&(0..channels).collect::<Vec<_>>(), 0, n, &mut out).unwrap();
    out
}

#[test]
fn what_is_written_in_pieces_comes_back_as_one() {
    let file = NamedTempFile::new().unwrap();
    let mut x = data(40_000);
    x[0][777] = f64::NAN;
    let mut out = ParquetOut::new(file.reopen().unwrap(), 51_200.0, &heads(), false, &[("run", "7".into())]).unwrap();
    for at in [0..15_000, 15_000..40_000] {
        out.push(&[x[0][at.clone()].to_vec(), x[1][at].to_vec()]).unwrap();
    }
    out.finish().unwrap();
    let (kind, mut source) = open_with(file.path(), &Default::default()).unwrap();
    assert_eq!(kind, Kind::Parquet, "it is known by its content");
    let info = source.info().clone();
    assert_eq!((info.sample_rate_hz, info.samples, info.gaps), (51_200.0, 40_000, vec![(777, 1)]));
    assert_eq!((info.channels[0].name.as_str(), info.channels[0].unit.as_str()), ("gearbox, top", "m/s²"));
    assert_eq!((info.channels[1].name.as_str(), info.channels[1].unit.as_str()), ("Größe", ""));
    for (got, wanted) in all(source.as_mut()).iter().zip(&x) {
        let same = |(a, b): (&f64, &f64)| a.is_nan() && b.is_nan() || *a == f64::from(*b as f32);
        assert!(got.iter().zip(wanted).all(same));
    }
}

#[test]
fn a_file_that_was_broken_off_is_gone_on_with_to_the_same_bytes() {
    let begun = || ParquetOut::new(Vec::new(), 51_200.0, &heads(), false, &[("run", "7".into())]).unwrap();
    let x = data(9_000);
    let block = |at: usize| [x[0][at..at + 3000].to_vec(), x[1][at..at + 3000].to_vec()];
    let mut whole = begun();
    [0, 3000, 6000].iter().for_each(|at| whole.push(&block(*at)).unwrap());
    let mut first = begun();
    first.push(&block(0)).unwrap();
    first.push(&block(3000)).unwrap();
    let (rows, foot, mut bytes) = (first.rows(), first.foot().unwrap(), first.to().clone());
    assert_eq!(rows, 6000);
    let at = (rows, bytes.len() as u64);
    let mut on = begun().on(Vec::new(), at, &foot).unwrap();
    on.push(&block(6000)).unwrap();
    let foot_of_all = on.foot().unwrap();
    bytes.extend(on.to().clone());
    bytes.extend(&foot_of_all);
    let whole_foot = whole.foot().unwrap();
    let mut all_at_once = whole.to().clone();
    all_at_once.extend(whole_foot);
    assert!(bytes == all_at_once);
    let file = NamedTempFile::new().unwrap();
    std::fs::write(file.path(), &bytes).unwrap();
    let got = all(&mut open(file.path(), None, None).unwrap());
    assert_eq!(got[1], x[1]);
    for (foot, at) in [(&foot[..foot.len() - 20], at), (&foot[..3], at), (&foot[..], (5999, at.1))] {
        assert!(begun().on(Vec::new(), at, foot).is_err(), "a foot of another file");
    }
}

#[test]
fn counts_stay_whole_numbers() {
    let file = NamedTempFile::new().unwrap();
    let counts = vec![vec![0.0, -8_388_608.0, 2_147_483_647.0, 5.0]];
    let mut out = ParquetOut::new(file.reopen().unwrap(), 1000.0, &heads()[..1], true, &[]).unwrap();
    out.push(&counts).unwrap();
    out.finish().unwrap();
    assert_eq!(all(&mut open(file.path(), None, None).unwrap()), counts);
}

/// A table as a program for tables writes it: values that may be missing, words among them, no rate.
fn table(times: &[f64]) -> NamedTempFile {
    let schema = "message t { optional double time; optional int64 steps; optional binary place (UTF8); }";
    let file = NamedTempFile::new().unwrap();
    let schema = Arc::new(parse_message_type(schema).unwrap());
    let properties = Arc::new(WriterProperties::builder().build());
    let mut writer = SerializedFileWriter::new(file.reopen().unwrap(), schema, properties).unwrap();
    let mut group = writer.next_row_group().unwrap();
    let there = vec![1i16; times.len()];
    let mut column = group.next_column().unwrap().unwrap();
    column.typed::<DoubleType>().write_batch(times, Some(&there), None).unwrap();
    column.close().unwrap();
    let mut column = group.next_column().unwrap().unwrap();
    let mut some = there.clone();
    some[2] = 0;
    let steps: Vec<i64> = (0..times.len() as i64 - 1).collect();
    column.typed::<Int64Type>().write_batch(&steps, Some(&some), None).unwrap();
    column.close().unwrap();
    let mut column = group.next_column().unwrap().unwrap();
    let words = vec!["bow".into(); times.len()];
    column.typed::<ByteArrayType>().write_batch(&words, Some(&there), None).unwrap();
    column.close().unwrap();
    group.close().unwrap();
    writer.close().unwrap();
    file
}

#[test]
fn a_table_of_another_program_is_read_by_its_times() {
    let times: Vec<f64> = (0..6).map(|i| 2.0 + (f64::from(i) / 200.0 * 1e6).round() / 1e6).collect();
    let file = table(&times);
    let mut source = open(file.path(), None, None).unwrap();
    let info = source.info().clone();
    assert_eq!((info.sample_rate_hz, info.channels.len(), info.gaps), (200.0, 1, vec![(2, 1)]));
    assert!(info.notes[0].contains("1 columns are not of numbers"), "{:?}", info.notes);
    let steps = &all(&mut source)[0];
    assert!(steps[2].is_nan() && steps[5] == 4.0, "{steps:?}");
    // The time may be a channel like any other, where that is said with the rate.
    let source = open(file.path(), Some(0), Some(100.0)).unwrap();
    assert_eq!((source.info().sample_rate_hz, source.info().channels.len()), (100.0, 2));
}

#[test]
fn what_is_no_table_of_samples_is_refused() {
    let says = |file: &NamedTempFile, time, rate| match open(file.path(), time, rate) {
        Ok(_) => panic!("it was read"),
        Err(e) => e.to_string(),
    };
    assert!(says(&table(&[0.0, 1.0, 1.5, 3.0]), None, None).contains("times that are not even"));
    assert!(says(&table(&[3.0, 2.0, 1.0]), None, None).contains("times that do not ascend"));
    assert!(says(&table(&[0.0, 1.0, 2.0]), Some(0), None).contains("say how many samples a second"));
    let broken = NamedTempFile::new().unwrap();
    std::fs::write(broken.path(), b"PAR1 and nothing else").unwrap();
    assert!(says(&broken, None, None).contains("no Parquet file that can be read"));
}
