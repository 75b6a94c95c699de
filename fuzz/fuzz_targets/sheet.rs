//! A channel table, as CSV or XLSX.
#![no_main]
libfuzzer_sys::fuzz_target!(|bytes: &[u8]| drop(echo_formats::sheet::read(bytes)));
