//! A formula of a computed channel.
#![no_main]
use echo_job::math::{Known, MathChannel, formulas};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let known = ["a", "gearbox top"].map(|n| Known { name: n.into(), unit: "m/s²".into() });
    if let Ok(all) = formulas(&known, &[MathChannel { name: "f".into(), is: text.into() }]) {
        let samples = [0.5; 64];
        let parts: Vec<&[f64]> = all[0].inputs().iter().map(|_| &samples[..]).collect();
        let _ = all[0].values(&parts, 1000.0);
    }
});
