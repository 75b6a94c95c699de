//! A block: what the machine does, what each sensor feels of it, what the converters make of that.

use super::plug::{Motion, Plug, SHAKER_GAIN};
use super::{Lantern, Machine, factor};
use crate::electronics::{Fault, Sensor};
use crate::physics::bracket::Place;
use crate::physics::deck::MODES;
use echo_link::{Block, BlockHead, Circuit, Coupling, InputSetting, OutputState, Wave};
use std::f64::consts::{SQRT_2, TAU};

/// What a machine did over a block.
enum Played {
    /// What each input in force feels.
    Each(Vec<Vec<f64>>),
    /// Motion of each mode.
    Deck([Vec<f64>; MODES.len()]),
    /// Motion along each axis.
    Berth(Vec<Vec<f64>>),
}

/// What drives a sensor that is not on the machine.
struct Drive {
    output: OutputState,
    /// First step of the block, and steps a second.
    begin: f64,
    rate: f64,
    steps: usize,
}

impl Drive {
    /// Puts what drives a sensor in the place of what it felt of the machine.
    fn over(&self, motion: Motion, felt: &mut Vec<f64>) {
        let (hz, peak) = match motion {
            Motion::Machine => return,
            Motion::Still => (0.0, 0.0),
            Motion::Calibrator { hz, rms } => (hz, rms * SQRT_2),
            Motion::Shaker => (self.output.hz, self.output.peak_v * SHAKER_GAIN),
            Motion::Output => (self.output.hz, self.output.peak_v),
        };
        felt.clear();
        let periods = |i: usize| hz * ((self.begin + i as f64) / self.rate);
        if motion == Motion::Output && self.output.wave == Wave::Pulse {
            felt.extend((0..self.steps).map(|i| if periods(i).fract() < 0.1 { peak } else { 0.0 }));
        } else {
            felt.extend((0..self.steps).map(|i| peak * (TAU * periods(i)).sin()));
        }
    }
}

impl Lantern {
    /// Makes the next block.
    pub fn next_block(&mut self) -> Block {
        let rate = self.settings.rate_hz;
        let n = self.block_samples();
        let by = if matches!(self.machine, Machine::Thruster(_) | Machine::Bracket(_)) {
            factor(rate).unwrap_or(2)
        } else {
            1
        };
        let by_f = by as f64;
        let begin = self.sample as f64 * by_f;
        self.follow_script();
        let drive = Drive { output: self.output, begin, rate: rate * by_f, steps: n * by };
        self.hold_plugs();
        let mut played = self.play(n * by);
        let mut counts = Vec::with_capacity(self.inputs.len());
        let mut over = Vec::with_capacity(self.inputs.len());
        let mut felt = Vec::with_capacity(n * by);
        for at in 0..self.inputs.len() {
            let socket = &self.sockets[usize::from(self.settings.inputs[at].number) - 1];
            match (&mut played, &self.machine) {
                (Played::Each(each), _) => felt = std::mem::take(&mut each[at]),
                (Played::Deck(modes), Machine::Deck(deck)) if socket.motion == Motion::Machine => {
                    deck.felt(socket.place, modes, &mut felt)
                }
                (Played::Deck(_), _) => {}
                (Played::Berth(axes), _) => {
                    felt.clear();
                    match axes.get(socket.place) {
                        Some(axis) => felt.extend(axis),
                        None => felt.resize(n, 0.0),
                    }
                }
            }
            drive.over(socket.motion, &mut felt);
            let (c, o) = self.inputs[at].convert(&felt);
            counts.push(c);
            over.push(o);
        }
        let head = BlockHead {
            sequence: self.sequence,
            first_sample: self.sample,
            clock_ns: (self.sample as f64 / rate * (1.0 + self.drift_ppm * 1e-6) * 1e9) as u64,
            clock_locked: self.clock_locked,
            samples: n as u32,
            inputs: self.settings.inputs.iter().map(|s| s.number).collect(),
            over,
            circuits: self.settings.inputs.iter().map(|s| self.circuit(s)).collect(),
        };
        self.sequence += 1;
        self.sample += n as u64;
        Block::new(head, &counts).expect("lengths follow from the settings")
    }

    /// What the supply of an input finds, where the input is set to feed a sensor.
    fn circuit(&self, of: &InputSetting) -> Circuit {
        if of.coupling != Coupling::Iepe || self.dark.contains(&self.module(of.number)) {
            return Circuit::InOrder;
        }
        match &self.sockets[usize::from(of.number) - 1].plug {
            None => Circuit::Open,
            Some(p) if p.fault == Fault::Open => Circuit::Open,
            Some(p) if p.fault == Fault::Short => Circuit::Short,
            Some(_) => Circuit::InOrder,
        }
    }

    /// Brings every input in force to what is plugged in.
    fn hold_plugs(&mut self) {
        for (at, s) in self.settings.inputs.iter().enumerate() {
            let socket = &self.sockets[usize::from(s.number) - 1];
            let lit = self.dark.is_empty() || !self.dark.contains(&self.module(s.number));
            match &socket.plug {
                // A sensor that is not fed says nothing.
                Some(p) if lit && p.needs_v > s.supply_v => {
                    self.inputs[at].plug(Sensor::Voltage(0.0, 0.0), Fault::None)
                }
                Some(p) if lit => self.inputs[at].plug(p.sensor, p.fault),
                _ => self.inputs[at].plug(Sensor::Open, Fault::None),
            }
        }
    }

    /// Lets the machine go on for so many steps.
    fn play(&mut self, steps: usize) -> Played {
        match &mut self.machine {
            Machine::Deck(deck) => Played::Deck(deck.run(steps)),
            Machine::Berth(hull) => Played::Berth(hull.run(steps).into()),
            Machine::Bracket(bracket) => {
                // A sensor feels the place that it hangs on, whichever input its cable goes to.
                let plugs = || self.settings.inputs.iter().map(|s| &self.sockets[usize::from(s.number) - 1].plug);
                let places: Vec<Place> = plugs().flatten().filter_map(Plug::on_bracket).collect();
                let (force, felt) = bracket.run(steps, &places);
                let mut felt = felt.into_iter();
                let own = |plug: &Option<Plug>| match plug {
                    Some(p) if p.on_bracket().is_some() => felt.next().unwrap_or_default(),
                    Some(p) if p.place.is_some() => force.clone(),
                    _ => vec![0.0; steps],
                };
                Played::Each(plugs().map(own).collect())
            }
            Machine::Thruster(machine) => {
                let sockets = self.settings.inputs.iter().map(|s| &self.sockets[usize::from(s.number) - 1]);
                let places: Vec<usize> =
                    sockets.map(|s| s.plug.as_ref().and_then(|p| p.place).unwrap_or(s.place)).collect();
                let mut felt = vec![Vec::with_capacity(steps); places.len()];
                let mut now = vec![0.0; machine.inputs()];
                for _ in 0..steps {
                    machine.step(&mut now);
                    for (f, p) in felt.iter_mut().zip(&places) {
                        f.push(now[*p]);
                    }
                }
                Played::Each(felt)
            }
        }
    }
}
