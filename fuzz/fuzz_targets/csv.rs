//! A CSV file of samples.
#![no_main]
libfuzzer_sys::fuzz_target!(|bytes: &[u8]| drop(echo_formats::csv::read("a", bytes)));
