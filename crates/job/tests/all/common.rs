//! Signals whose truth is known, and recipes carried out on them.

use echo_job::analysis::{Analysis, AnalysisError, Memory, Provenance, analyze};
use echo_job::recipe::Recipe;
use echo_job::rig::{Channel, Coupling};
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::Quantity;
use std::f64::consts::TAU;

pub const RATE: f64 = 8192.0;

pub fn cosine(hz: f64, amplitude: f64, phase: f64, seconds: f64) -> Vec<f64> {
    (0..(seconds * RATE) as usize).map(|i| amplitude * (TAU * hz * i as f64 / RATE + phase).cos()).collect()
}

pub fn noise(seed: u64, n: usize) -> Vec<f64> {
    let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    (0..n)
        .map(|_| {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            (state >> 11) as f64 / (1u64 << 52) as f64 - 1.0
        })
        .collect()
}

pub fn provenance() -> Provenance {
    Provenance { at: "2026-01-01T00:00:00Z".into(), input: "test".into(), fingerprint: None }
}

pub fn memory(channels: &[(&str, &str, Vec<f64>)]) -> Memory {
    Memory::new(RATE, channels.iter().map(|(n, u, x)| (n.to_string(), u.to_string(), x.clone())).collect())
}

pub fn carry_out(recipe: &str, source: &mut Memory) -> Result<Analysis, AnalysisError> {
    analyze(&Recipe::from_json(recipe)?, source, provenance(), &mut |_| true)
}

pub fn made(recipe: &str, source: &mut Memory) -> Analysis {
    let first = carry_out(recipe, source).unwrap_or_else(|e| panic!("{recipe}: {e}"));
    // Written out with its defaults and read back, a recipe gives the same bits.
    let again = serde_json::to_string(&first.recipe).unwrap();
    let second = carry_out(&again, source).unwrap_or_else(|e| panic!("{again}: {e}"));
    let text = |a: &Analysis| serde_json::to_string(a).unwrap();
    assert_eq!(text(&first), text(&second), "{recipe}");
    first
}

pub fn number(a: &Analysis, name: &str) -> f64 {
    a.numbers.iter().find(|n| n.name == name).unwrap_or_else(|| panic!("no {name}")).value
}

pub fn refusal(recipe: &str, source: &mut Memory) -> (String, String) {
    match carry_out(recipe, source) {
        Err(AnalysisError::Refused(r)) => (r.field, r.says),
        other => panic!("{recipe}: {:?}", other.map(|a| a.numbers)),
    }
}

/// Order 1 with phase, a tacho of four teeth, and a defect that rings at 3 kHz.
pub fn machine() -> Memory {
    let n = (12.0 * RATE) as usize;
    let turned = |t: f64| 8.0 * t + 1.5 * t * t;
    let (mut x, mut tacho) = (vec![0.0; n], vec![0.0; n]);
    for i in 0..n {
        let a = turned(i as f64 / RATE);
        x[i] = 2.0 * (TAU * a + 0.6).cos() + 0.5 * (TAU * 3.0 * a - 1.0).cos();
        tacho[i] = if (4.0 * a).fract() < 0.5 { 5.0 } else { 0.1 };
    }
    memory(&[("bearing, vertical", "m/s²", x), ("tacho", "V", tacho)])
}

/// An accelerometer that is in order.
pub fn channel(input: u16) -> Channel {
    Channel {
        on: true,
        name: format!("channel {input}"),
        sensor: format!("QA-31, {input}"),
        quantity: Quantity::Acceleration,
        unit: "m/s²".into(),
        sensitivity: Sensitivity::new(10.2, "mV/(m/s²)", Quantity::Acceleration).unwrap(),
        coupling: Coupling::Iepe,
        range_v: 5.0,
        point: format!("point {input}"),
        direction: "vertical".into(),
        ..Channel::free(input)
    }
}
