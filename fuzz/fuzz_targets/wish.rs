//! What a page wishes to see live.
#![no_main]
libfuzzer_sys::fuzz_target!(|text: &str| drop(echo_application::pictures::wish::Shown::read(text)));
