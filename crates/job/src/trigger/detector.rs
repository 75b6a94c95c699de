//! All conditions of a trigger over a stream of samples.

use super::condition::Condition;
use super::edges::{BandEdge, LevelEdge, LogicEdge, Reached, SpeedWindow};
use super::{Join, Trigger};
use crate::Refusal;
use crate::entry::number::plain;
use crate::rig::Rig;
use crate::tacho::{Tachometer, Turning};
use crate::unit::find;

/// A trigger that came.
#[derive(Debug, Clone, PartialEq)]
pub struct Fired {
    /// Number of the sample at which it came true.
    pub sample: u64,
    /// Which condition brought it (the last one, when all must come).
    pub condition: usize,
    /// What happened, in words.
    pub says: String,
}

enum Machine {
    Level { at: usize, edge: LevelEdge },
    Band { at: usize, edge: BandEdge },
    Logic { at: usize, edge: LogicEdge },
    Pulse { turning: Turning, every: u32, seen: u32 },
    Speed { turning: Turning, window: SpeedWindow },
    Angle { turning: Turning, window: (f64, f64), at: usize, per_limit: f64, reached: Reached },
    Axes { of: Vec<(usize, f64)>, reached: Reached },
}

/// Watches samples in SI units for a trigger's conditions.
pub struct Detector {
    inputs: Vec<u16>,
    machines: Vec<Machine>,
    says: Vec<String>,
    /// What each axis is called, for the words of [`Condition::Axes`].
    names: Vec<String>,
    join: Join,
    within: u64,
    /// Sample at which each condition came true last, until a trigger used it.
    came: Vec<Option<u64>>,
    next: u64,
}

impl Detector {
    /// A detector before the first sample of a stream.
    ///
    /// # Errors
    /// As [`Trigger::check`].
    pub fn new(trigger: &Trigger, tachos: &[Tachometer], rig: &Rig, sample_rate_hz: f64) -> Result<Detector, Refusal> {
        trigger.check(rig, tachos)?;
        let mut inputs: Vec<u16> = Vec::new();
        let mut place = |input: u16| {
            inputs.iter().position(|i| *i == input).unwrap_or_else(|| {
                inputs.push(input);
                inputs.len() - 1
            })
        };
        let si = |unit: &str| find(unit).map_or(f64::NAN, |u| u.to_si);
        let mut machines = Vec::new();
        for c in &trigger.conditions {
            let mut turning = |input: u16| -> Result<Turning, Refusal> {
                let tacho = tachos.iter().find(|t| t.input == input);
                let tacho =
                    tacho.ok_or_else(|| Refusal::new("conditions", format!("input {input} is no tachometer")))?;
                tacho.turning(place(input), sample_rate_hz)
            };
            machines.push(match c {
                Condition::Level { input, level, hysteresis, unit, edge } => Machine::Level {
                    at: place(*input),
                    edge: LevelEdge::new(level * si(unit), hysteresis * si(unit), *edge),
                },
                Condition::Band { input, low, high, unit, way } => {
                    Machine::Band { at: place(*input), edge: BandEdge::new(low * si(unit), high * si(unit), *way) }
                }
                Condition::Digital { input, edge } => Machine::Logic { at: place(*input), edge: LogicEdge::new(*edge) },
                Condition::Pulse { tacho, every } => {
                    Machine::Pulse { turning: turning(*tacho)?, every: *every, seen: 0 }
                }
                Condition::Speed { tacho, from_rpm, to_rpm, every_rpm } => Machine::Speed {
                    turning: turning(*tacho)?,
                    window: SpeedWindow::new(*from_rpm, *to_rpm, *every_rpm),
                },
                Condition::Angle { tacho, from_deg, to_deg, input, level, unit } => Machine::Angle {
                    turning: turning(*tacho)?,
                    window: (*from_deg, *to_deg),
                    at: place(*input),
                    per_limit: 1.0 / (level * si(unit)),
                    reached: Reached::default(),
                },
                Condition::Axes { of } => Machine::Axes {
                    of: of.iter().map(|a| (place(a.input), 1.0 / (a.level * si(&a.unit)))).collect(),
                    reached: Reached::default(),
                },
            });
        }
        Ok(Detector {
            names: inputs.iter().map(|i| rig.name_of(*i)).collect(),
            says: trigger.conditions.iter().map(|c| c.says(rig)).collect(),
            came: vec![None; machines.len()],
            inputs,
            machines,
            join: trigger.join,
            within: (trigger.within_s * sample_rate_hz).round() as u64,
            next: 0,
        })
    }

    /// Inputs it needs, in the order [`Detector::push`] takes them.
    pub fn inputs(&self) -> &[u16] {
        &self.inputs
    }

    /// Says that the next sample is number `at`, and does not follow the last one.
    pub fn interrupt(&mut self, at: u64) {
        self.next = at;
        for m in &mut self.machines {
            match m {
                Machine::Level { edge, .. } => edge.forget(),
                Machine::Band { edge, .. } => edge.forget(),
                Machine::Logic { edge, .. } => edge.forget(),
                Machine::Pulse { turning, .. } | Machine::Angle { turning, .. } => turning.forget(),
                Machine::Speed { turning, window } => {
                    turning.forget();
                    window.forget();
                }
                Machine::Axes { .. } => {}
            }
        }
        self.came.fill(None);
    }

    /// Takes the next samples of its inputs, SI units, equally long, and appends what fired.
    pub fn push(&mut self, samples: &[&[f64]], out: &mut Vec<Fired>) {
        let n = samples.first().map_or(0, |s| s.len());
        for i in 0..n {
            let now = self.next;
            self.next += 1;
            for c in 0..self.machines.len() {
                let Some(axis) = self.machines[c].step(samples, i) else { continue };
                let says = match axis {
                    Axis::Whole => self.says[c].clone(),
                    Axis::Input(at, share) => format!(
                        "{} reached {} % of its limit",
                        self.names[at],
                        plain(crate::entry::number::rounded(share * 100.0, 3))
                    ),
                    Axis::Rpm(rpm) => format!("{} rpm", plain(crate::entry::number::rounded(rpm, 4))),
                };
                match self.join {
                    Join::Any => {
                        // Several conditions at one sample are one trigger.
                        if out.last().is_none_or(|f| f.sample != now) {
                            out.push(Fired { sample: now, condition: c, says });
                        }
                    }
                    Join::All => {
                        self.came[c] = Some(now);
                        let within = self.within;
                        if self.came.iter().all(|t| t.is_some_and(|t| now - t <= within)) {
                            self.came.fill(None);
                            out.push(Fired { sample: now, condition: c, says });
                        }
                    }
                }
            }
        }
    }
}

/// What brought a condition about.
enum Axis {
    Whole,
    Input(usize, f64),
    Rpm(f64),
}

impl Machine {
    fn step(&mut self, samples: &[&[f64]], i: usize) -> Option<Axis> {
        let whole = |fires: bool| fires.then_some(Axis::Whole);
        match self {
            Machine::Level { at, edge } => whole(edge.step(samples[*at][i])),
            Machine::Band { at, edge } => whole(edge.step(samples[*at][i])),
            Machine::Logic { at, edge } => whole(edge.step(samples[*at][i])),
            Machine::Pulse { turning, every, seen } => {
                if !turning.step(samples[turning.at][i]) {
                    return None;
                }
                *seen += 1;
                let due = *seen >= *every;
                if due {
                    *seen = 0;
                }
                whole(due)
            }
            Machine::Speed { turning, window } => {
                let rpm = turning.step(samples[turning.at][i]).then(|| turning.rpm()).flatten()?;
                window.step(rpm).then_some(Axis::Rpm(rpm))
            }
            Machine::Angle { turning, window, at, per_limit, reached } => {
                turning.step(samples[turning.at][i]);
                let angle = turning.angle_deg()?;
                let (from, to) = *window;
                let inside = if from <= to { (from..=to).contains(&angle) } else { angle >= from || angle <= to };
                let share = samples[*at][i].abs() * *per_limit;
                // Outside the window the magnitude does not count, and a new one may come.
                reached.step(if inside { share } else { 0.0 }).then_some(Axis::Input(*at, share))
            }
            Machine::Axes { of, reached } => {
                let shares = of.iter().map(|(at, per_limit)| (*at, samples[*at][i].abs() * per_limit));
                let (at, share) = shares.max_by(|a, b| a.1.total_cmp(&b.1))?;
                reached.step(share).then_some(Axis::Input(at, share))
            }
        }
    }
}
