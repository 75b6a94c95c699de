//! A recipe as JSON.
#![no_main]
libfuzzer_sys::fuzz_target!(|text: &str| drop(echo_job::recipe::Recipe::from_json(text)));
