//! The radar mast bracket of the Merrow under a hammer, in the wind, with its sensors: its modes go on step by step
//! under the forces on its points.

use super::frame::{AXES, Mode, POINTS, modes};
use super::hammer::{GLANCING, Hammer, Manner, Tip};
use super::mount::LooseMount;
use super::resonator::Resonator;
use crate::noise::Noise;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, VecDeque};

/// Modes above this take part by their stiffness alone, and are left out, Hz.
const HIGHEST_HZ: f64 = 6000.0;
/// What the wind and the engines do to the free points, N rms for white noise up to half of 102.4 kHz, and where.
const WIND_N: f64 = 20.0;
const WIND_AT: [(usize, usize); 6] = [(9, 1), (12, 2), (13, 1), (14, 0), (16, 0), (17, 1)];
/// Noise of the sensors, m/s² rms over all frequencies, and of the hammer, N.
const SENSOR_NOISE: f64 = 0.004;
const HAMMER_NOISE: f64 = 0.02;
/// Hits remembered.
const REMEMBERED: usize = 400;

/// A point with an axis and which way along it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Place {
    /// Point, from 0.
    pub point: usize,
    /// Axis: 0 outwards, 1 to port, 2 up.
    pub axis: usize,
    /// Whether it looks against the axis.
    pub against: bool,
}

impl Place {
    /// From a point's number and a direction: x, y, z, with a sign before it where it is against.
    ///
    /// # Errors
    /// No such point or direction, with those there are.
    pub fn read(point: usize, direction: &str) -> Result<Place, String> {
        let told = direction.trim().to_lowercase();
        let (against, axis) = match told.strip_prefix(['-', '−']) {
            Some(rest) => (true, rest),
            None => (false, told.strip_prefix('+').unwrap_or(&told)),
        };
        let axis = ["x", "y", "z"].iter().position(|a| *a == axis);
        match (axis, (1..=POINTS).contains(&point)) {
            (Some(axis), true) => Ok(Place { point: point - 1, axis, against }),
            (None, _) => Err(format!("“{direction}” is no direction of the bracket; it has x, y and z, also with −")),
            _ => Err(format!("the bracket has no point {point}; it has 1 to {POINTS}")),
        }
    }

    fn sign(self) -> f64 {
        if self.against { -1.0 } else { 1.0 }
    }
}

/// A hit, as it is wished for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Hit {
    /// Number of the point.
    pub point: usize,
    /// Direction of the force: x, y, z, with a sign.
    pub direction: String,
    /// About how hard, N.
    #[serde(default = "usual_force")]
    pub newtons: f64,
    /// The tip.
    #[serde(default = "usual_tip")]
    pub tip: Tip,
    /// How.
    #[serde(default)]
    pub manner: Manner,
}

fn usual_force() -> f64 {
    300.0
}

fn usual_tip() -> Tip {
    Tip::Nylon
}

/// A hit as it was.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Struck {
    /// What was wished for.
    #[serde(flatten)]
    pub hit: Hit,
    /// When it was begun, s since the front end began to send.
    pub at_s: f64,
    /// Largest force, N.
    pub peak_n: f64,
}

/// The bracket, stepped at any rate high enough for its contacts.
#[derive(Debug)]
pub struct Bracket {
    rate_hz: f64,
    modes: Vec<Mode>,
    moving: Vec<Resonator>,
    noise: Noise,
    steps: u64,
    hammer: Option<(Hammer, Place, Manner)>,
    struck: VecDeque<Struck>,
    wind: bool,
    /// Points whose sensor is not screwed tight, and what each such sensor does, by its place among the inputs.
    loose: Vec<usize>,
    mounts: BTreeMap<usize, LooseMount>,
}

impl Bracket {
    /// The bracket at rest, the stud at point 7 loose.
    pub fn new(rate_hz: f64) -> Bracket {
        let modes: Vec<Mode> = modes().into_iter().filter(|m| m.frequency_hz < HIGHEST_HZ).collect();
        let moving = modes.iter().map(|m| Resonator::new(m.frequency_hz, m.damping_ratio, rate_hz)).collect();
        Bracket {
            rate_hz,
            modes,
            moving,
            noise: Noise::new(18),
            steps: 0,
            hammer: None,
            struck: VecDeque::new(),
            wind: false,
            loose: vec![LOOSE],
            mounts: BTreeMap::new(),
        }
    }

    /// Modes that are built in, up to the highest that moves.
    pub fn modes(&self) -> &[Mode] {
        &self.modes
    }

    /// Hits that were done, oldest first.
    pub fn struck(&self) -> impl Iterator<Item = &Struck> {
        self.struck.iter()
    }

    /// Whether a hammer is on its way.
    pub fn is_being_hit(&self) -> bool {
        self.hammer.is_some()
    }

    /// Whether the wind blows.
    pub fn windy(&self) -> bool {
        self.wind
    }

    /// Lets the wind blow, or not.
    pub fn blow(&mut self, wind: bool) {
        self.wind = wind;
    }

    /// Points whose sensors are loose, by their numbers.
    pub fn loose(&self) -> Vec<usize> {
        self.loose.iter().map(|p| p + 1).collect()
    }

    /// Screws the sensor of a point tight, or loosens it.
    ///
    /// # Errors
    /// No such point.
    pub fn screw(&mut self, point: usize, tight: bool) -> Result<(), String> {
        let at = Place::read(point, "x")?.point;
        self.loose.retain(|p| *p != at);
        if !tight {
            self.loose.push(at);
        }
        Ok(())
    }

    /// Hits it. A hammer that is on its way already is taken away.
    ///
    /// # Errors
    /// A place or a force there is not.
    pub fn hit(&mut self, hit: Hit) -> Result<(), String> {
        let place = Place::read(hit.point, &hit.direction)?;
        if !(hit.newtons.is_finite() && (1.0..=5000.0).contains(&hit.newtons)) {
            return Err(format!("a hammer hits with 1 to 5000 N, not with {}", hit.newtons));
        }
        self.hammer = Some((Hammer::swung(hit.tip, hit.newtons, hit.manner), place, hit.manner));
        self.struck.push_back(Struck { hit, at_s: self.steps as f64 / self.rate_hz, peak_n: 0.0 });
        if self.struck.len() > REMEMBERED {
            self.struck.pop_front();
        }
        Ok(())
    }

    /// How far a mode moves a point along an axis.
    fn shape(&self, mode: usize, point: usize, axis: usize) -> f64 {
        self.modes[mode].shape[point][axis]
    }

    /// The force of the hammer now, N, and what it does to each mode.
    fn hammered(&mut self, forces: &mut [f64]) -> f64 {
        let Some((hammer, place, manner)) = &mut self.hammer else { return 0.0 };
        let (place, manner) = (*place, *manner);
        let along = |m: &Mode| place.sign() * m.shape[place.point][place.axis];
        // The hammer comes from outside against the direction that its force has.
        let (mut surface, mut speed) = (0.0, 0.0);
        for (m, q) in self.modes.iter().zip(&self.moving) {
            surface -= along(m) * q.displacement();
            speed -= along(m) * q.velocity();
        }
        let force = hammer.step(1.0 / self.rate_hz, surface, speed);
        if hammer.is_over() {
            self.hammer = None;
        }
        let (normal, across) = if manner == Manner::Glancing { GLANCING } else { (1.0, 0.0) };
        let beside = (place.axis + 1) % AXES;
        for (to, m) in forces.iter_mut().zip(&self.modes) {
            *to += force * (normal * along(m) + across * m.shape[place.point][beside]);
        }
        if let Some(last) = self.struck.back_mut() {
            last.peak_n = last.peak_n.max(force);
        }
        force
    }

    /// The next `n` steps: force of the hammer in N, and what the sensors at these places feel, m/s².
    pub fn run(&mut self, n: usize, sensors: &[Place]) -> (Vec<f64>, Vec<Vec<f64>>) {
        let mut force = Vec::with_capacity(n);
        let mut felt = vec![Vec::with_capacity(n); sensors.len()];
        // Each sensor's share of each mode, sensor after sensor.
        let shares: Vec<Vec<f64>> = sensors
            .iter()
            .map(|s| (0..self.modes.len()).map(|m| s.sign() * self.shape(m, s.point, s.axis)).collect())
            .collect();
        let mut forces = vec![0.0; self.modes.len()];
        let mut moves = vec![0.0; self.modes.len()];
        let dt = 1.0 / self.rate_hz;
        self.mounts.retain(|at, _| sensors.get(*at).is_some_and(|s| self.loose.contains(&s.point)));
        for _ in 0..n {
            self.steps += 1;
            forces.fill(0.0);
            let hammer = self.hammered(&mut forces);
            force.push(hammer + HAMMER_NOISE * self.noise.gaussian());
            if self.wind {
                for (point, axis) in WIND_AT {
                    let blows = WIND_N * self.noise.gaussian();
                    for (to, m) in forces.iter_mut().zip(&self.modes) {
                        *to += blows * m.shape[point][axis];
                    }
                }
            }
            for ((q, f), to) in self.moving.iter_mut().zip(&forces).zip(&mut moves) {
                q.step(*f);
                *to = q.acceleration();
            }
            for (at, ((to, shares), s)) in felt.iter_mut().zip(&shares).zip(sensors).enumerate() {
                let own: f64 = shares.iter().zip(&moves).map(|(s, a)| s * a).sum();
                let told =
                    if self.loose.contains(&s.point) { self.mounts.entry(at).or_default().step(dt, own) } else { own };
                to.push(told + SENSOR_NOISE * self.noise.gaussian());
            }
        }
        for q in &mut self.moving {
            q.rest();
        }
        (force, felt)
    }
}

/// Point whose stud is loose, from 0.
const LOOSE: usize = 6;

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    const RATE: f64 = 102_400.0;

    fn z(point: usize) -> Place {
        Place::read(point, "z").unwrap()
    }

    fn hit(point: usize, direction: &str, manner: Manner) -> Hit {
        Hit { point, direction: direction.into(), newtons: 300.0, tip: Tip::Nylon, manner }
    }

    /// Transform of a piece at one frequency.
    fn at(x: &[f64], hz: f64) -> (f64, f64) {
        let turn = |i: usize| (TAU * hz * i as f64 / RATE).sin_cos();
        x.iter().enumerate().fold((0.0, 0.0), |(c, s), (i, v)| {
            let (sin, cos) = turn(i);
            (c + v * cos, s - v * sin)
        })
    }

    #[test]
    fn what_a_hit_makes_is_what_its_modes_say() {
        let mut bracket = Bracket::new(RATE);
        bracket.hit(hit(12, "-z", Manner::Clean)).unwrap();
        let (force, felt) = bracket.run((6.0 * RATE) as usize, &[z(14)]);
        for hz in [58.3, 100.0, 142.6, 300.0, 463.0, 610.0] {
            let w = TAU * hz;
            // The sum over modes in closed form: accelerance between 12 z and 14 z.
            let (mut re, mut im) = (0.0, 0.0);
            for m in bracket.modes() {
                let w0 = TAU * m.frequency_hz;
                let (a, b) = (w0 * w0 - w * w, 2.0 * m.damping_ratio * w0 * w);
                let share = -w * w * m.shape[13][2] * m.shape[11][2] / (a * a + b * b);
                (re, im) = (re + share * a, im - share * b);
            }
            let ((fr, fi), (ar, ai)) = (at(&force, hz), at(&felt[0], hz));
            let size = fr * fr + fi * fi;
            // The force points down, the sensor up.
            let got = (-(ar * fr + ai * fi) / size, -(ai * fr - ar * fi) / size);
            let off = (got.0 - re).hypot(got.1 - im) / re.hypot(im);
            assert!(off < 0.02, "{hz} Hz: {got:?} for {re} {im}");
        }
    }

    #[test]
    fn a_loose_sensor_and_a_glancing_hit_tell_something_else() {
        let rms = |x: &[f64]| (x.iter().map(|v| v * v).sum::<f64>() / x.len() as f64).sqrt();
        let felt = |point, tight, manner| {
            let mut bracket = Bracket::new(RATE);
            bracket.screw(7, tight).unwrap();
            bracket.hit(hit(point, "-z", manner)).unwrap();
            let (force, felt) = bracket.run((1.0 * RATE) as usize, &[Place::read(7, "y").unwrap(), z(14)]);
            (force.iter().fold(0.0f64, |p, f| p.max(*f)), felt)
        };
        let (_, loose) = felt(12, false, Manner::Clean);
        let (clean, tight) = felt(12, true, Manner::Clean);
        assert!((rms(&loose[0]) / rms(&tight[0]) - 1.0).abs() > 0.1, "{} {}", rms(&loose[0]), rms(&tight[0]));
        assert_eq!(loose[1], tight[1], "the structure does not care");
        let (glancing, other) = felt(12, true, Manner::Glancing);
        let off: Vec<f64> = other[1].iter().zip(&tight[1]).map(|(a, b)| a - b).collect();
        assert!((glancing / clean - 1.0).abs() < 0.1, "the hammer feels the same: {glancing} {clean}");
        assert!(rms(&off) > 0.2 * rms(&tight[1]), "the structure does not: {}", rms(&off) / rms(&tight[1]));
    }

    #[test]
    fn wishes_that_cannot_be_are_told() {
        let mut bracket = Bracket::new(RATE);
        assert!(bracket.hit(hit(19, "z", Manner::Clean)).unwrap_err().contains("1 to 18"));
        assert!(bracket.hit(hit(3, "up", Manner::Clean)).unwrap_err().contains("x, y and z"));
        let hard = Hit { newtons: f64::NAN, ..hit(3, "z", Manner::Clean) };
        assert!(bracket.hit(hard).unwrap_err().contains("1 to 5000 N"));
        assert!(!bracket.is_being_hit() && bracket.screw(0, true).is_err());
    }
}
