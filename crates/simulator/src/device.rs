//! A Lantern 24 on the thruster: identity, settings, blocks.

use crate::decimate::{CLEAN_SHARE, FACTORS, INTERNAL_RATE_HZ};
use crate::electronics::{Input, Sensor};
use crate::physics::thruster::{InputTruth, Thruster};
use echo_link::{Block, BlockHead, Coupling, Identity, InputOffer, InputSetting, Settings};

/// Ranges of every input, V peak.
pub const RANGES_V: [f64; 5] = [0.1, 0.5, 1.0, 5.0, 10.0];

/// Inputs of a Lantern 24, six a module.
const INPUTS: u16 = 24;

/// True sensitivities of the accelerometers on inputs 1 to 20, mV/(m/s²).
const ACCELEROMETERS: [f64; 20] = [
    10.14, 10.27, 10.38, 10.32, 10.19, 10.03, 10.46, 10.26, 10.32, 10.45, 10.42, 10.15, 10.39, 10.36, 10.14, 10.21,
    10.10, 10.18, 10.46, 10.20,
];

/// Proximity probes: V a m, and the voltage of their gap.
const PROBE: Sensor = Sensor::Voltage(7870.0, -6.2);

fn sensor(index: usize) -> Sensor {
    match index {
        0..=19 => Sensor::Iepe(ACCELEROMETERS[index] * 1e-3),
        21 => Sensor::Voltage(1.0, 0.0),
        22 | 23 => PROBE,
        _ => Sensor::Open,
    }
}

/// A front end with its machine.
pub struct Lantern {
    serial: String,
    rpm: f64,
    settings: Settings,
    machine: Thruster,
    inputs: Vec<Input>,
    sequence: u64,
    sample: u64,
}

fn factor(rate_hz: f64) -> Option<usize> {
    FACTORS.into_iter().find(|f| INTERNAL_RATE_HZ / *f as f64 == rate_hz)
}

impl Lantern {
    /// A front end on the thruster running steadily at `rpm`.
    pub fn new(serial: &str, rpm: f64) -> Self {
        let settings = Settings {
            rate_hz: 51_200.0,
            inputs: (1..=INPUTS).map(|number| InputSetting { number, range_v: 10.0, coupling: Coupling::Dc }).collect(),
        };
        let mut lantern = Lantern {
            serial: serial.into(),
            rpm,
            machine: Thruster::steady(rpm, INTERNAL_RATE_HZ, 1),
            inputs: Vec::new(),
            settings,
            sequence: 0,
            sample: 0,
        };
        lantern.restart();
        lantern
    }

    /// Who it is and what it offers.
    pub fn identity(&self) -> Identity {
        Identity {
            model: "Lantern 24".into(),
            serial: self.serial.clone(),
            firmware: "1.4.2".into(),
            rates_hz: FACTORS.iter().map(|f| INTERNAL_RATE_HZ / *f as f64).collect(),
            clean_share: CLEAN_SHARE,
            converter_bits: 24,
            inputs: (1..=INPUTS)
                .map(|number| InputOffer {
                    number,
                    module: format!("M{}", (number - 1) / 6 + 1),
                    ranges_v: RANGES_V.to_vec(),
                    couplings: vec![Coupling::Dc, Coupling::Ac, Coupling::Iepe],
                })
                .collect(),
        }
    }

    /// What it is set to.
    pub fn settings(&self) -> &Settings {
        &self.settings
    }

    /// What is built into the machine.
    pub fn truth(&self) -> Vec<InputTruth> {
        self.machine.truth()
    }

    /// Speed of the input shaft, rpm.
    pub fn rpm(&self) -> f64 {
        self.rpm
    }

    /// Changes settings; `running` forbids another rate or another choice of inputs.
    ///
    /// # Errors
    /// A sentence that names what is refused and what is offered; nothing is changed then.
    pub fn apply(&mut self, settings: Settings, running: bool) -> Result<(), String> {
        if factor(settings.rate_hz).is_none() {
            return Err(format!("a rate of {} Hz is not offered", settings.rate_hz));
        }
        let mut numbers: Vec<u16> = settings.inputs.iter().map(|i| i.number).collect();
        numbers.sort_unstable();
        numbers.dedup();
        if numbers.len() != settings.inputs.len() || numbers.iter().any(|n| !(1..=INPUTS).contains(n)) {
            return Err(format!("inputs are 1 to {INPUTS}, each at most once"));
        }
        if let Some(i) = settings.inputs.iter().find(|i| !RANGES_V.contains(&i.range_v)) {
            return Err(format!("input {} has no range of {} V; it has {RANGES_V:?} V", i.number, i.range_v));
        }
        let same = |a: &Settings, b: &Settings| {
            a.rate_hz == b.rate_hz && a.inputs.iter().map(|i| i.number).eq(b.inputs.iter().map(|i| i.number))
        };
        if running && !same(&settings, &self.settings) {
            return Err("rate and choice of inputs can be changed only while stopped".into());
        }
        for (input, s) in self.inputs.iter_mut().zip(&settings.inputs) {
            input.set(s.coupling, s.range_v);
        }
        self.settings = settings;
        Ok(())
    }

    /// Begins anew with sequence and sample 0.
    pub fn restart(&mut self) {
        let by = factor(self.settings.rate_hz).unwrap_or(2);
        self.sequence = 0;
        self.sample = 0;
        self.inputs = self
            .settings
            .inputs
            .iter()
            .map(|s| Input::new(sensor(usize::from(s.number) - 1), s.coupling, s.range_v, by, u64::from(s.number) + 10))
            .collect();
    }

    /// Samples in a block: about a twentieth of a second.
    pub fn block_samples(&self) -> usize {
        (self.settings.rate_hz / 20.0).round() as usize
    }

    /// Makes the next block.
    pub fn next_block(&mut self) -> Block {
        let rate = self.settings.rate_hz;
        let by = factor(rate).unwrap_or(2);
        let n = self.block_samples();
        let mut felt = vec![Vec::with_capacity(n * by); self.inputs.len()];
        let mut now = vec![0.0; self.machine.inputs()];
        let places: Vec<usize> = self.settings.inputs.iter().map(|s| usize::from(s.number) - 1).collect();
        for _ in 0..n * by {
            self.machine.step(&mut now);
            for (f, p) in felt.iter_mut().zip(&places) {
                f.push(now[*p]);
            }
        }
        let (counts, over): (Vec<_>, Vec<_>) = self.inputs.iter_mut().zip(&felt).map(|(i, f)| i.convert(f)).unzip();
        let head = BlockHead {
            sequence: self.sequence,
            first_sample: self.sample,
            clock_ns: (self.sample as f64 / rate * 1e9) as u64,
            clock_locked: true,
            samples: n as u32,
            inputs: self.settings.inputs.iter().map(|s| s.number).collect(),
            over,
        };
        self.sequence += 1;
        self.sample += n as u64;
        Block::new(head, &counts).expect("lengths follow from the settings")
    }
}
