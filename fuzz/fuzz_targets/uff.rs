//! A universal file, as text or binary; what is read is written and read again.
#![no_main]
use echo_formats::uff::{Style, read, waveforms, write};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(datasets) = read("a", bytes) {
        let _ = waveforms("a", &datasets);
        let _ = read("again", &write(&datasets, Style::Binary));
    }
});
