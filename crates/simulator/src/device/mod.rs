//! A stand-in front end: identity, settings, sockets, blocks.

mod block;
mod care;
pub mod plug;
pub mod tapping;

use crate::decimate::{CLEAN_SHARE, FACTORS, INTERNAL_RATE_HZ};
use crate::electronics::Input;
use crate::physics::berth::Berth;
use crate::physics::bracket::Bracket;
use crate::physics::deck::Deck;
use crate::physics::frame::Mode;
use crate::physics::thruster::{InputTruth, Thruster};
use echo_link::{Coupling, Identity, InputOffer, InputSetting, Notice, OutputState, Settings, Wave};
use plug::{Plug, Socket};

/// Ranges of every input, V peak.
pub const RANGES_V: [f64; 5] = [0.1, 0.5, 1.0, 5.0, 10.0];
/// Corners of the inputs' high-pass filter, Hz.
pub const HIGH_PASS_HZ: [f64; 3] = [0.0, 1.0, 10.0];
/// Voltages the last module of a Lantern 24 feeds sensors with, V.
pub const SUPPLIES_V: [f64; 3] = [5.0, 12.0, 24.0];
/// Largest voltage of the output, V peak.
pub const OUTPUT_V: f64 = 10.0;

/// What a stand-in plays.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Plays {
    /// A Lantern 24 on the Merrow's port thruster, its input shaft at this speed, rpm.
    Thruster(f64),
    /// A Lantern 24 on hull frame 14 of the Skerry Lass, three axes.
    Berth,
    /// A Lantern 24 on the Merrow's radar mast bracket, with a hammer.
    Bracket,
    /// A Lantern 64 on the car deck of the Skerry Lass, for the 64 places from this one on.
    Deck(usize),
}

enum Machine {
    Thruster(Box<Thruster>),
    Deck(Box<Deck>),
    Berth(Box<Berth>),
    Bracket(Box<Bracket>),
}

/// What is built into a machine.
#[derive(Debug, serde::Serialize)]
#[serde(untagged)]
pub enum Truth {
    /// Sines that inputs feel.
    Inputs(Vec<InputTruth>),
    /// Modes of a structure.
    Modes(Vec<Mode>),
}

/// A front end with its machine.
pub struct Lantern {
    serial: String,
    plays: Plays,
    settings: Settings,
    machine: Machine,
    inputs: Vec<Input>,
    sockets: Vec<Socket>,
    drawer: Vec<Plug>,
    /// Modules without power.
    dark: Vec<String>,
    clock_locked: bool,
    /// How much too fast its clock runs, millionths.
    drift_ppm: f64,
    /// The cable was pulled: the connection that stands ends.
    pub(crate) cut: bool,
    /// Bytes of blocks it keeps itself.
    pub keeps_bytes: usize,
    output: OutputState,
    /// Whether the digital output is on.
    switched: bool,
    /// What hands will do by themselves, and when, s since the front end began to send.
    script: std::collections::VecDeque<(f64, tapping::Deed)>,
    sequence: u64,
    sample: u64,
    news: tokio::sync::broadcast::Sender<Notice>,
}

fn factor(rate_hz: f64) -> Option<usize> {
    FACTORS.into_iter().find(|f| INTERNAL_RATE_HZ / *f as f64 == rate_hz)
}

impl Lantern {
    /// A front end that plays one of its parts.
    pub fn playing(serial: &str, plays: Plays) -> Self {
        let sockets = match plays {
            Plays::Thruster(_) => plug::thruster(),
            Plays::Deck(first) => plug::deck(first),
            Plays::Berth => plug::berth(),
            Plays::Bracket => plug::bracket(),
        };
        let number = |i: usize| i as u16 + 1;
        let plain = |i| InputSetting {
            number: number(i),
            range_v: 10.0,
            coupling: Coupling::Dc,
            high_pass_hz: 0.0,
            supply_v: 0.0,
        };
        let settings = Settings { rate_hz: 51_200.0, inputs: (0..sockets.len()).map(plain).collect() };
        let mut lantern = Lantern {
            serial: serial.into(),
            plays,
            machine: Machine::Deck(Box::new(Deck::new(1024.0, 0, 0))),
            inputs: Vec::new(),
            settings,
            sockets,
            drawer: match plays {
                Plays::Thruster(_) => [plug::drawer(), plug::encoder()].concat(),
                _ => plug::drawer(),
            },
            drift_ppm: 0.0,
            cut: false,
            keeps_bytes: 0,
            dark: Vec::new(),
            clock_locked: true,
            output: OutputState { hz: 159.155, peak_v: 0.0, wave: Wave::Sine },
            switched: false,
            script: Default::default(),
            sequence: 0,
            sample: 0,
            news: tokio::sync::broadcast::channel(64).0,
        };
        if let Plays::Thruster(rpm) = plays {
            lantern.machine = Machine::Thruster(Box::new(Thruster::steady(rpm, INTERNAL_RATE_HZ, 1)));
        }
        lantern.restart();
        lantern
    }

    /// A Lantern 24 on the thruster running steadily at `rpm`.
    pub fn new(serial: &str, rpm: f64) -> Self {
        Lantern::playing(serial, Plays::Thruster(rpm))
    }

    fn module(&self, number: u16) -> String {
        let per = if self.sockets.len() > 24 { 8 } else { 6 };
        format!("M{}", (number - 1) / per + 1)
    }

    /// The last module of a Lantern 24 takes every sensor, the others voltages.
    fn couplings(&self, number: u16) -> Vec<Coupling> {
        let mut all = vec![Coupling::Iepe, Coupling::Dc, Coupling::Ac];
        if matches!(self.plays, Plays::Thruster(_)) && self.module(number) == "M4" {
            all.extend([Coupling::Charge, Coupling::BridgeFull, Coupling::BridgeHalf, Coupling::BridgeQuarter]);
        }
        all
    }

    fn supplies(&self, number: u16) -> Vec<f64> {
        let feeds = matches!(self.plays, Plays::Thruster(_)) && self.module(number) == "M4";
        if feeds { SUPPLIES_V.to_vec() } else { Vec::new() }
    }

    /// Model name.
    pub fn model(&self) -> &'static str {
        match self.plays {
            Plays::Thruster(_) | Plays::Berth | Plays::Bracket => "Lantern 24",
            Plays::Deck(_) => "Lantern 64",
        }
    }

    /// Who it is and what it offers.
    pub fn identity(&self) -> Identity {
        Identity {
            model: self.model().into(),
            serial: self.serial.clone(),
            firmware: "1.5.0".into(),
            rates_hz: FACTORS.iter().map(|f| INTERNAL_RATE_HZ / *f as f64).collect(),
            clean_share: CLEAN_SHARE,
            converter_bits: 24,
            inputs: (1..=self.sockets.len() as u16)
                .map(|number| InputOffer {
                    number,
                    module: self.module(number),
                    ranges_v: RANGES_V.to_vec(),
                    couplings: self.couplings(number),
                    high_pass_hz: HIGH_PASS_HZ.to_vec(),
                    supplies_v: self.supplies(number),
                })
                .collect(),
            keeps_bytes: self.keeps_bytes as u64,
        }
    }

    /// What it is set to.
    pub fn settings(&self) -> &Settings {
        &self.settings
    }

    /// What is built into the machine; nothing for the deck, whose modes are named in its source.
    pub fn truth(&self) -> Truth {
        match &self.machine {
            Machine::Thruster(t) => Truth::Inputs(t.truth()),
            Machine::Bracket(b) => Truth::Modes(b.modes().to_vec()),
            Machine::Deck(_) | Machine::Berth(_) => Truth::Inputs(Vec::new()),
        }
    }

    /// Tells what happens, to whoever listens.
    pub fn news(&self) -> tokio::sync::broadcast::Receiver<Notice> {
        self.news.subscribe()
    }

    /// Changes settings; `running` forbids another rate or another choice of inputs.
    ///
    /// # Errors
    /// A sentence that names what is refused and what is offered; nothing is changed then.
    pub fn apply(&mut self, settings: Settings, running: bool) -> Result<(), String> {
        if factor(settings.rate_hz).is_none() {
            return Err(format!("a rate of {} Hz is not offered", settings.rate_hz));
        }
        let most = self.sockets.len() as u16;
        let mut numbers: Vec<u16> = settings.inputs.iter().map(|i| i.number).collect();
        numbers.sort_unstable();
        numbers.dedup();
        if numbers.len() != settings.inputs.len() || numbers.iter().any(|n| !(1..=most).contains(n)) {
            return Err(format!("inputs are 1 to {most}, each at most once"));
        }
        if let Some(i) = settings.inputs.iter().find(|i| !RANGES_V.contains(&i.range_v)) {
            return Err(format!("input {} has no range of {} V; it has {RANGES_V:?} V", i.number, i.range_v));
        }
        if let Some(i) = settings.inputs.iter().find(|i| !self.couplings(i.number).contains(&i.coupling)) {
            return Err(format!("input {} has no coupling {:?}", i.number, i.coupling));
        }
        if let Some(i) = settings.inputs.iter().find(|i| !HIGH_PASS_HZ.contains(&i.high_pass_hz)) {
            return Err(format!(
                "input {} has no high-pass at {} Hz; it has {HIGH_PASS_HZ:?} Hz",
                i.number, i.high_pass_hz
            ));
        }
        if let Some(i) =
            settings.inputs.iter().find(|i| i.supply_v != 0.0 && !self.supplies(i.number).contains(&i.supply_v))
        {
            return Err(format!("input {} does not feed sensors with {} V", i.number, i.supply_v));
        }
        let same = |a: &Settings, b: &Settings| {
            a.rate_hz == b.rate_hz && a.inputs.iter().map(|i| i.number).eq(b.inputs.iter().map(|i| i.number))
        };
        if running && !same(&settings, &self.settings) {
            return Err("rate and choice of inputs can be changed only while stopped".into());
        }
        for (input, s) in self.inputs.iter_mut().zip(&settings.inputs) {
            input.set(s.coupling, s.range_v, s.high_pass_hz);
        }
        self.settings = settings;
        Ok(())
    }

    /// Begins anew with sequence and sample 0.
    pub fn restart(&mut self) {
        let rate = self.settings.rate_hz;
        self.sequence = 0;
        self.sample = 0;
        // Deck and hull have nothing that could fold, so they are stepped as they are sampled.
        let by = match self.plays {
            Plays::Thruster(_) => factor(rate).unwrap_or(2),
            Plays::Bracket => {
                // Its state is kept: whoever sets another rate does not screw sensors tight.
                if !matches!(self.machine, Machine::Bracket(_)) {
                    self.machine = Machine::Bracket(Box::new(Bracket::new(INTERNAL_RATE_HZ)));
                }
                factor(rate).unwrap_or(2)
            }
            Plays::Deck(first) => {
                self.machine = Machine::Deck(Box::new(Deck::new(rate, first, self.sockets.len())));
                1
            }
            Plays::Berth => {
                self.machine = Machine::Berth(Box::new(Berth::new(rate)));
                1
            }
        };
        let seed = if let Plays::Deck(first) = self.plays { first as u64 } else { 0 };
        let new = |s: &InputSetting| {
            let seed = u64::from(s.number) + 10 + seed;
            Input::new(s.coupling, s.range_v, s.high_pass_hz, rate * by as f64, by, seed)
        };
        self.inputs = self.settings.inputs.iter().map(new).collect();
    }

    /// Samples in a block: about a twentieth of a second.
    pub fn block_samples(&self) -> usize {
        (self.settings.rate_hz / 20.0).round() as usize
    }
}
