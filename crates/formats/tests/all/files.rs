//! Files written and read back.

use echo_formats::csv::{CsvOut, read};
use echo_formats::wav::{WavOut, WavSource};
use echo_formats::xlsx_run::XlsxOut;
use echo_job::analysis::Source;
use echo_job::export::Separator;
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
        let mut out = WavOut::new(std::fs::File::create(&path).unwrap(), 2048.0, data.len(), false).unwrap();
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
        let mut out = CsvOut::new(&mut bytes, 51_200.0, &heads, false, (Separator::Comma, false)).unwrap();
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
    let mut out = WavOut::new(std::fs::File::create(&path).unwrap(), 1000.0, 1, false).unwrap();
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

/// A WAV file made by hand: format chunk, other chunks, samples with the length the head tells.
fn by_hand(fmt: &[u8], others: &[(&[u8; 4], &[u8])], data: &[u8], told: u32) -> Vec<u8> {
    let mut body = b"WAVE".to_vec();
    let mut chunk = |id: &[u8; 4], bytes: &[u8], length: u32| {
        body.extend(id);
        body.extend(length.to_le_bytes());
        body.extend(bytes);
        body.extend(vec![0; bytes.len() % 2]);
    };
    chunk(b"fmt ", fmt, fmt.len() as u32);
    others.iter().for_each(|(id, bytes)| chunk(id, bytes, bytes.len() as u32));
    chunk(b"data", data, told);
    let mut file = b"RIFF".to_vec();
    file.extend((body.len() as u32).to_le_bytes());
    file.extend(body);
    file
}

/// A format chunk: tag, channels, bytes a sample, bits; in the extensible form with valid bits.
fn format_chunk(tag: u16, channels: u16, width: u16, valid: Option<u16>) -> Vec<u8> {
    let mut fmt = Vec::new();
    let head = if valid.is_some() { 0xfffe } else { tag };
    for word in [head, channels] {
        fmt.extend(word.to_le_bytes());
    }
    fmt.extend(1000u32.to_le_bytes());
    fmt.extend((1000 * u32::from(channels * width)).to_le_bytes());
    for word in [channels * width, 8 * width] {
        fmt.extend(word.to_le_bytes());
    }
    if let Some(bits) = valid {
        for word in [22, bits, 0, 0, tag] {
            fmt.extend(word.to_le_bytes());
        }
        // The rest of the identifier every one of them ends with.
        fmt.extend([0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71]);
    }
    fmt
}

fn opened(bytes: &[u8]) -> Result<WavSource, String> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.wav");
    std::fs::write(&path, bytes).unwrap();
    WavSource::open(&path).map_err(|e| e.to_string())
}

#[test]
fn valid_bits_stand_at_the_upper_end_of_their_container() {
    // Half of full scale, as 24 bits in 32, 20 in 24, 12 in 16.
    for (width, valid) in [(4u16, 24u16), (3, 20), (2, 12), (4, 32)] {
        let half = (1u32 << (8 * width - 2)).to_le_bytes();
        let lowest = (1u32 << (8 * width - 1)).to_le_bytes();
        let mut data = half[..width as usize].to_vec();
        data.extend(&lowest[..width as usize]);
        let bytes = by_hand(&format_chunk(1, 1, width, Some(valid)), &[], &data, data.len() as u32);
        let mut source = opened(&bytes).unwrap();
        assert_eq!(all(&mut source), [[0.5, -1.0]], "{valid} in {}", 8 * width);
        assert!(source.info().full_scale);
    }
    let data: Vec<u8> = [1.25f64, -3.0].iter().flat_map(|x| x.to_le_bytes()).collect();
    let mut doubles = opened(&by_hand(&format_chunk(3, 2, 8, None), &[], &data, 16)).unwrap();
    assert_eq!(all(&mut doubles), [[1.25], [-3.0]]);
    assert!(!doubles.info().full_scale);
}

#[test]
fn odd_chunks_are_padded_and_lengths_are_held_to_the_file() {
    let fmt = format_chunk(1, 1, 2, None);
    let data = [0, 0x40, 0, 0xc0];
    let bytes = by_hand(&fmt, &[(b"note", b"odd"), (b"LIST", b"x")], &data, 4);
    let mut source = opened(&bytes).unwrap();
    assert_eq!(all(&mut source), [[0.5, -0.5]]);
    assert!(source.info().notes.is_empty());
    // The head of a recording that was broken off tells more than there is.
    for told in [400, u32::MAX] {
        let mut source = opened(&by_hand(&fmt, &[], &data, told)).unwrap();
        assert_eq!(all(&mut source), [[0.5, -0.5]]);
        assert!(source.info().notes[0].contains("the file holds 4"), "{:?}", source.info().notes);
    }
    let says = |bytes: &[u8]| opened(bytes).map(|_| ()).unwrap_err();
    assert!(says(&by_hand(&fmt, &[], &[], 0)).contains("empty recording"));
    assert!(says(&by_hand(&format_chunk(6, 1, 1, None), &[], &data, 4)).contains("format 6"));
    assert!(says(&by_hand(&format_chunk(1, 0, 2, None), &[], &data, 4)).contains("no channel"));
    assert!(says(b"RIFF\0\0\0\0WAVE").contains("no fmt chunk"));
    assert!(says(b"hello").contains("ends early"));
    assert!(says(b"hello, hello").contains("RIFF"));
}

#[test]
fn gaps_go_out_and_come_in() {
    let mut data = vec![vec![1.0, 2.0, f64::NAN, f64::NAN, 5.0, f64::NAN], vec![-1.0; 6]];
    data[1][2..4].fill(f64::NAN);
    data[1][5] = f64::NAN;
    let gaps = vec![(2, 2), (5, 1)];
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.wav");
    let mut file = std::fs::File::create(&path).unwrap();
    let mut out = WavOut::new(&mut file, 1000.0, 2, false).unwrap();
    out.push(&data).unwrap();
    out.finish().unwrap();
    drop(file);
    let mut source = WavSource::open(&path).unwrap();
    assert_eq!((source.info().samples, &source.info().gaps), (6, &gaps));
    assert_eq!(format!("{:?}", all(&mut source)), format!("{data:?}"));
    // Another program still reads what it knows.
    assert_eq!(hound::WavReader::open(&path).unwrap().duration(), 6);

    let heads = [("a".to_string(), "m/s²".to_string()), ("b".into(), "g".into())];
    let mut bytes = Vec::new();
    CsvOut::new(&mut bytes, 1000.0, &heads, false, (Separator::Comma, false)).unwrap().push(&data).unwrap();
    let mut source = read("a.csv", bytes.as_slice()).unwrap();
    assert_eq!((source.info().samples, &source.info().gaps), (6, &gaps));
    assert_eq!(format!("{:?}", all(&mut source)), format!("{data:?}"));
}

#[test]
fn csv_is_read_as_different_programs_write_it() {
    type Wanted<'a> = (&'a str, f64, &'a [&'a str]);
    let cases: [Wanted<'_>; 9] = [
        ("time [s],x [g]\n0,1\n0.001,2.5\n0.002,-3e-1\n", 1000.0, &[]),
        ("time [ms],x [g]\n0,1\n1,2.5\n2,-0.3\n", 1000.0, &[]),
        ("time [µs];x [g]\n0;1\n1000;2,5\n2000;-0,3\n", 1000.0, &[]),
        ("Zeit [s];x [g]\r\n0,000;1,0\r\n0,001;2,5\r\n0,002;-0,3\r\n", 1000.0, &[]),
        ("time [s]\tx [g]\n0.000\t1\n0.001\t2.5\n0.002\t-0.3\n", 1000.0, &[]),
        ("time;x\ns;g\n0;1;\n0.001;2.5;\n0.002;-0.3;\n", 1000.0, &[]),
        ("time,x [g]\n0,1\n0.001,2.5\n0.002,-0.3\n", 1000.0, &["no unit"]),
        ("0,1\n0.001,2.5\n0.002,-0.3\n", 1000.0, &["no head"]),
        ("\u{feff}time [min],x [g]\n0,1\n0.5,2.5\n1.0,\u{2212}0.3\n", 1.0 / 30.0, &[]),
    ];
    for (text, rate, notes) in cases {
        let mut source = read("a.csv", text.as_bytes()).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert!((source.info().sample_rate_hz / rate - 1.0).abs() < 1e-9, "{text}: {}", source.info().sample_rate_hz);
        assert_eq!(all(&mut source), [[1.0, 2.5, -0.3]], "{text}");
        let told = &source.info().notes;
        assert!(told.len() == notes.len() && told.iter().zip(notes).all(|(t, n)| t.contains(n)), "{text}: {told:?}");
        assert!(source.info().channels[0].unit == "g" || notes.contains(&"no head"), "{text}");
    }
    let latin = b"time [s];x [m/s\xb2]\n0;1\n0,5;2\n";
    let source = read("a.csv", &latin[..]).unwrap();
    assert_eq!(source.info().channels[0].unit, "m/s²");
    assert!(source.info().notes[0].contains("8859-1"));
    for (text, says) in [
        ("", "fewer than two columns"),
        ("time [s],x\n0,1\n", "1 lines of data"),
        ("time [s],x\n0,1\n1,2\n2,abc\n", "line 4, column 2: “abc”"),
        ("time [s],x,y\n0,1,2\n1,,3\n", "a line without any value is a gap"),
        ("time [s],x\n0,1\n1,2,3\n", "line 3 has 3 columns"),
        ("time [V],x\n0,1\n1,2\n", "“V”; allowed: s"),
        ("time [s],x\n0,1\n1,2\n1.2,3\n", "even steps"),
        ("time [s],x\n0,1\n0,2\n0,3\n", "even steps"),
    ] {
        let said = read("a.csv", text.as_bytes()).map(|_| ()).unwrap_err().to_string();
        assert!(said.contains(says), "{text}: {said}");
    }
}

proptest! {
    #[test]
    fn times_rounded_to_their_digits_tell_a_round_rate(
        rate in prop_oneof![Just(51_200.0), Just(44_100.0), Just(25_600.0), Just(1024.0), Just(200.0)],
        comma in any::<bool>(),
        from in 0u32..100,
        n in 500usize..2000,
    ) {
        let mut text = String::from("time [s];x [g]\n");
        for i in 0..n {
            let line = format!("{:.6};{}.25\n", f64::from(from) + i as f64 / rate, i % 7);
            text.push_str(&if comma { line.replace('.', ",") } else { line });
        }
        let mut source = read("a.csv", text.as_bytes()).unwrap();
        prop_assert_eq!(source.info().sample_rate_hz, rate);
        let back = all(&mut source);
        prop_assert!(back[0].len() == n && back[0].iter().enumerate().all(|(i, x)| *x == (i % 7) as f64 + 0.25));
    }
}

#[test]
fn a_wave_that_ends_early_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.wav");
    let mut out = WavOut::new(std::fs::File::create(&path).unwrap(), 1000.0, 1, false).unwrap();
    out.push(&[vec![1.0; 100]]).unwrap();
    out.finish().unwrap();
    let bytes = std::fs::read(&path).unwrap();
    std::fs::write(&path, &bytes[..bytes.len() - 50]).unwrap();
    let mut source = WavSource::open(&path).unwrap();
    assert_eq!(all(&mut source)[0].len(), 87, "the whole samples that are there");
    assert!(source.info().notes[0].contains("read to its end"), "{:?}", source.info().notes);
    assert!(WavOut::new(std::io::Cursor::new(Vec::new()), 1000.5, 1, false).is_err());
}

#[test]
fn a_run_is_written_as_spreadsheets_of_another_country_have_it() {
    let heads = [("top; vert".to_string(), "m/s²".to_string()), ("side".into(), String::new())];
    let data = vec![vec![1.5, f64::NAN, -2.25e-7], vec![-1.0, f64::NAN, 3.0]];
    let mut bytes = Vec::new();
    let style = (Separator::Semicolon, true);
    CsvOut::new(&mut bytes, 1000.0, &heads, false, style).unwrap().push(&data).unwrap();
    let text = String::from_utf8(bytes.clone()).unwrap();
    assert!(
        text.starts_with("time [s];\"top; vert [m/s²]\";side []\n0;1,500000000e0;-1,000000000e0\n0,001;;"),
        "{text}"
    );
    let mut source = read("a.csv", bytes.as_slice()).unwrap();
    assert_eq!(source.info().sample_rate_hz, 1000.0);
    assert_eq!(format!("{:?}", all(&mut source)), format!("{data:?}"), "and is read back");
}

#[test]
fn a_run_is_written_as_a_sheet_with_numbers() {
    use calamine::{Data, Reader};
    let heads = [("top, vert".to_string(), "m/s²".to_string()), ("side".into(), String::new())];
    let mut out = XlsxOut::new(1000.0, &heads).unwrap();
    out.push(&[vec![1.5, f64::NAN], vec![-1.0, 0.25]]).unwrap();
    out.push(&[vec![2.0], vec![3.0]]).unwrap();
    let mut file = tempfile::tempfile().unwrap();
    out.finish(&mut file).unwrap();
    let mut book = calamine::Xlsx::new(file).unwrap();
    let sheet = book.worksheet_range("Waveforms").unwrap();
    let rows: Vec<Vec<Data>> = sheet.rows().map(<[Data]>::to_vec).collect();
    let f = Data::Float;
    let text = |t: &str| Data::String(t.into());
    assert_eq!(rows[0], [text("time [s]"), text("top, vert [m/s²]"), text("side")]);
    assert_eq!(rows[1], [f(0.0), f(1.5), f(-1.0)]);
    assert_eq!(rows[2], [f(0.001), Data::Empty, f(0.25)], "what is missing stays empty");
    assert_eq!(rows[3], [f(0.002), f(2.0), f(3.0)]);
}
