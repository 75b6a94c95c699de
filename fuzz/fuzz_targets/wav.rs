//! A WAV file: opened, and read to its end.
#![no_main]
use echo_formats::wav::WavSource;
use echo_job::analysis::Source;
use std::io::Write;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let mut file = tempfile::NamedTempFile::new().expect("a temporary file");
    file.write_all(bytes).expect("it is written");
    if let Ok(mut source) = WavSource::open(file.path()) {
        let n = source.info().samples.min(4096) as usize;
        let _ = source.read(&[0], 0, n, &mut [Vec::new()]);
    }
});
