//! The memory of a smart sensor.
#![no_main]
libfuzzer_sys::fuzz_target!(|bytes: &[u8]| drop(echo_formats::smart::read(bytes)));
