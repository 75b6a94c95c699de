//! What hangs on the inputs: sensors, their faults, and what moves them.

use crate::electronics::{Fault, Sensor};
use crate::memory::{Written, blank, memory};
use crate::physics::bracket::Place;
use crate::physics::thruster::{ENCODER, TACHO};
use crate::physics::{berth, frame::AXES};
use echo_link::Coupling;
use serde::{Deserialize, Serialize};

/// A sensor with its cable.
#[derive(Debug, Clone)]
pub struct Plug {
    /// What is engraved on it.
    pub label: String,
    /// What it does.
    pub sensor: Sensor,
    /// Its memory, if it is a smart one.
    pub memory: Option<Vec<u8>>,
    /// What is broken.
    pub fault: Fault,
    /// The place of the machine it belongs to, wherever it is plugged in.
    pub place: Option<usize>,
    /// Whether it hangs against that place's direction.
    pub against: bool,
    /// Voltage it must be fed with, V; 0 for one that needs nothing.
    pub needs_v: f64,
}

/// What moves a sensor.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "motion", rename_all = "snake_case")]
pub enum Motion {
    /// The machine, at the input's place.
    Machine,
    /// Nothing: it lies on the bench.
    Still,
    /// A hand-held calibrator.
    Calibrator {
        /// Frequency, Hz.
        hz: f64,
        /// Level, m/s² rms.
        rms: f64,
    },
    /// The small shaker on the front end's output.
    Shaker,
    /// Nothing: a cable brings the output's voltage itself.
    Output,
}

/// Acceleration of the shaker's table, m/s² a volt.
pub const SHAKER_GAIN: f64 = 12.5;

/// One input's socket.
#[derive(Debug, Clone)]
pub struct Socket {
    /// What is plugged in.
    pub plug: Option<Plug>,
    /// What moves it.
    pub motion: Motion,
    /// Which place of the machine it feels, from 0.
    pub place: usize,
}

impl Plug {
    /// A sound sensor without a memory, which needs no supply and belongs to no place of its own.
    fn plain(label: impl Into<String>, sensor: Sensor) -> Plug {
        Plug {
            label: label.into(),
            sensor,
            memory: None,
            fault: Fault::None,
            place: None,
            against: false,
            needs_v: 0.0,
        }
    }

    /// Where it hangs on the bracket; none for the hammer, and for what hangs nowhere.
    pub(super) fn on_bracket(&self) -> Option<Place> {
        let at = self.place?.checked_sub(1)?;
        Some(Place { point: at / AXES, axis: at % AXES, against: self.against })
    }

    /// Hangs it somewhere else on the bracket.
    pub(super) fn hang(&mut self, at: Place) {
        (self.place, self.against) = (Some(1 + at.point * AXES + at.axis), at.against);
    }
}

/// Numbers of the makers in sensor memories.
const OAKUM: u64 = 301;

fn accelerometer(serial: u64, volts: f64, told: f64) -> Plug {
    let written = Written {
        maker: OAKUM,
        model: 31,
        serial,
        sensitivity: told,
        reference_hz: 159.155,
        calibrated_day: 10_269, // 12 February 2026
        period_days: 365,
    };
    Plug { memory: Some(memory(&written)), ..Plug::plain(format!("QA-31, {serial}"), Sensor::Iepe(volts)) }
}

fn without_memory(mut p: Plug) -> Plug {
    p.memory = None;
    p
}

/// True sensitivities of the accelerometers on inputs 1 to 20 of the thruster, mV/(m/s²).
const ACCELEROMETERS: [f64; 20] = [
    10.14, 10.27, 10.38, 10.32, 10.19, 10.03, 10.46, 10.26, 10.32, 10.45, 10.42, 10.15, 10.39, 10.36, 10.14, 10.21,
    10.10, 10.18, 10.46, 10.20,
];

/// Proximity probes: V a m, and the voltage of their gap.
const PROBE: Sensor = Sensor::Voltage(7870.0, -6.2);

/// The thruster's sensors: those on the steering ring are smart.
pub fn thruster() -> Vec<Socket> {
    let plug = |i: usize| match i {
        0..=19 => {
            let volts = ACCELEROMETERS[i] * 1e-3;
            let p = accelerometer(20_401 + 3 * i as u64, volts, volts);
            Some(if i >= 18 { p } else { without_memory(p) })
        }
        21 => Some(Plug::plain("optical, LT-OP2", Sensor::Voltage(1.0, 0.0))),
        22 | 23 => Some(Plug::plain(format!("proximity, BI-8{}", i - 21), PROBE)),
        _ => None,
    };
    (0..24).map(|i| Socket { plug: plug(i), motion: Motion::Machine, place: i }).collect()
}

/// Sensitivity of the deck survey's sensor at a place, V/(m/s²).
fn deck_sensitivity(place: usize) -> f64 {
    // Spread over ±3 %, the same at every start.
    (10.0 + ((place * 37) % 61) as f64 * 0.01 - 0.3) * 1e-3
}

/// The serial of the deck survey's sensor that belongs to a place.
pub fn deck_serial(place: usize) -> u64 {
    30_001 + place as u64
}

/// The deck survey's sensors on one of its front ends: two dead, one pair swapped, one that will
/// clip, as built in; they are in the first front end, so that the small survey has them too.
pub fn deck(first: usize) -> Vec<Socket> {
    let smart = |p: usize| accelerometer(deck_serial(p), deck_sensitivity(p), deck_sensitivity(p));
    (first..first + 64)
        .map(|place| {
            let carries = match place {
                p if p == SWAPPED.0 => SWAPPED.1,
                p if p == SWAPPED.1 => SWAPPED.0,
                p => p,
            };
            let mut plug = smart(carries);
            if DEAD.contains(&place) {
                plug.fault = Fault::Dead;
            }
            if place == CLIPPED {
                plug.fault = Fault::Loud;
            }
            Socket { plug: Some(plug), motion: Motion::Machine, place: place - first }
        })
        .collect()
}

/// Places (from 0) of the survey whose sensors are silent.
pub const DEAD: [usize; 2] = [21, 50];
/// Places whose sensors are plugged into each other's inputs.
pub const SWAPPED: (usize, usize) = (33, 34);
/// Place where something hammers beside the sensor.
pub const CLIPPED: usize = 12;

/// Three axes on hull frame 14.
pub fn berth() -> Vec<Socket> {
    let plug = |i: usize| {
        let sensor = Sensor::Voltage(BERTH_SENSITIVITY, 0.0);
        (i < berth::AXES).then(|| Plug::plain(format!("BI-52, {}", 5201 + i), sensor))
    };
    (0..24).map(|i| Socket { plug: plug(i), motion: Motion::Machine, place: i }).collect()
}

/// The hammer, and four sensors on the bracket, the first three of them one block with three axes.
pub fn bracket() -> Vec<Socket> {
    let plug = |i: usize| {
        let (label, volts, hangs) = match i {
            0 => ("hammer HM-2, 118".to_string(), HAMMER, None),
            1..=3 => {
                let at = Place { point: 0, axis: i - 1, against: false };
                (format!("QT-33, 20601 {}", ["x", "y", "z"][i - 1]), BRACKET[i - 1], Some(at))
            }
            4..=12 => {
                let (point, axis) = STAYS[i - 4];
                let number = 20_611 + i - 4;
                (format!("QA-31, {number}"), BRACKET[3], Some(Place { point, axis, against: false }))
            }
            _ => return None,
        };
        let mut plug = Plug { place: Some(0), ..Plug::plain(label, Sensor::Iepe(volts)) };
        if let Some(at) = hangs {
            plug.hang(at);
        }
        Some(plug)
    };
    (0..24).map(|i| Socket { plug: plug(i), motion: Motion::Machine, place: i }).collect()
}

/// Where the sensors that stay hang, point from 0 and axis: the tip, and eight more for what the wind does.
const STAYS: [(usize, usize); 9] = [(13, 2), (12, 2), (12, 1), (10, 2), (8, 1), (5, 0), (6, 1), (15, 1), (17, 0)];

/// Sensitivity of the hammer, V/N, and of the sensors on the bracket, V/(m/s²).
const HAMMER: f64 = 2.27e-3;
const BRACKET: [f64; 4] = [10.12e-3, 10.31e-3, 9.94e-3, 10.20e-3];

/// Sensitivity of the capacitive sensors on hull frame 14, which measure down to 0 Hz, V/(m/s²).
const BERTH_SENSITIVITY: f64 = 10.2e-3;

/// The shaft encoder's tracks, to be plugged in where they are wanted.
pub fn encoder() -> Vec<Plug> {
    let track = |(i, name): (usize, &str)| Plug {
        place: Some(ENCODER + i),
        ..Plug::plain(format!("encoder EN-32, {name}"), Sensor::Voltage(1.0, 0.0))
    };
    ["track A", "track B", "index"].into_iter().enumerate().map(track).collect()
}

/// Sensors that lie ready beside the front end.
pub fn drawer() -> Vec<Plug> {
    let mut fresh = accelerometer(20_461, 10.31e-3, 10.31e-3);
    fresh.memory = Some(blank());
    let mut damaged = accelerometer(20_464, 10.05e-3, 10.05e-3);
    if let Some(m) = &mut damaged.memory {
        m[9] ^= 0x10;
    }
    let mut unknown = accelerometer(20_467, 10.22e-3, 10.22e-3);
    if let Some(m) = &mut unknown.memory {
        // Another template number, with its checksum put right: bits 66 to 73 of the contents.
        m[9] ^= 0x80;
        m[10] ^= 0x02;
        let sum = m[1..32].iter().fold(0u8, |s, b| s.wrapping_add(*b));
        m[0] = 0u8.wrapping_sub(sum);
    }
    // Three per cent less than its memory says: a check against a reference finds it.
    let aged = accelerometer(20_470, 9.894e-3, 10.20e-3);
    let good = accelerometer(20_473, 10.27e-3, 10.27e-3);
    let crystal = Plug::plain("QC-12, 20501", Sensor::Charge(3.12e-12));
    // 2 mV/V at 50 N, with a mass of 0.2 kg on it: it feels 0.2 N for every m/s².
    let cell = Plug::plain("FB-50, 5107", Sensor::Bridge(Coupling::BridgeFull, 0.2 * 2e-3 / 50.0));
    // Sees the same mark as the optical one on input 22, but lives on what it is fed with.
    let mut fed = Plug::plain("optical, LT-OP5 (12 V)", Sensor::Voltage(1.0, 0.0));
    (fed.place, fed.needs_v) = (Some(TACHO), 12.0);
    let cable = Plug::plain("cable from the output", Sensor::Voltage(1.0, 0.0));
    vec![good, aged, fresh, damaged, unknown, crystal, cell, fed, cable]
}
