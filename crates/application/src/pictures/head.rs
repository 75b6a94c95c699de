//! What goes before the numbers of a picture, and how both are packed.

use echo_job::tacho::{PulseReading, Tachometer};
use serde::Serialize;

#[derive(Serialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub(super) enum Head<'a> {
    /// Five numbers an input: peak, rms, mean and held peak as shares of range, flags (1 over now,
    /// 2 over since the reset).
    Levels { inputs: Vec<u16> },
    /// For each input all smallest, then all largest values.
    Waveform { pane: u32, inputs: Vec<u16>, points: usize, seconds: f64, units: Vec<String> },
    /// As a waveform; `from_s` is the time of the first point, before now.
    Strip { pane: u32, inputs: Vec<u16>, points: usize, seconds: f64, units: Vec<String> },
    /// For each input the amplitude on each line.
    Spectrum { pane: u32, inputs: Vec<u16>, lines: usize, line_hz: f64, averages: usize, units: Vec<String> },
    /// For each input rms, peak, mean, smallest, largest.
    Numbers { pane: u32, inputs: Vec<u16>, units: Vec<String> },
    /// All x, then all y values; `marks` are places of pulses among them.
    Orbit { pane: u32, points: usize, marks: Vec<usize>, unit: String },
    /// Smallest, then largest values of the pulse train.
    Speed { pane: u32, input: u16, points: usize, seconds: f64, tacho: &'a Tachometer, reading: PulseReading },
}

/// A picture as it travels: the length of its head, the head, zeros to a multiple of four, 32-bit floats.
pub(super) fn packed(head: &Head, values: impl IntoIterator<Item = f64>) -> Vec<u8> {
    let json = serde_json::to_vec(head).unwrap_or_default();
    let mut bytes = (json.len() as u32).to_le_bytes().to_vec();
    bytes.extend(&json);
    bytes.resize(bytes.len().next_multiple_of(4), 0);
    for v in values {
        bytes.extend((v as f32).to_le_bytes());
    }
    bytes
}
