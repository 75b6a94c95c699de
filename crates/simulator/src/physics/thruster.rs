//! The port azimuth thruster of the Merrow: motor, input shaft, reduction, propeller.
//!
//! Everything follows from the angle of the input shaft. Forces act on three modes (a first one
//! athwart, one vertical, a small one in the bearing housing) and directly on the casing; each
//! input feels its share of them.

use super::resonator::Resonator;
use crate::noise::Noise;
use serde::Serialize;
use std::f64::consts::TAU;

/// Reduction from the input to the output shaft.
pub const REDUCTION: f64 = 3.08;
/// Teeth of the pinion on the input shaft.
pub const PINION_TEETH: f64 = 13.0;
/// Blades of the propeller on the output shaft.
pub const BLADES: f64 = 4.0;
/// Passes of rolling elements over the outer-race defect a turn of the input shaft.
pub const OUTER_RACE: f64 = 3.57;
/// Modes: frequency in Hz and damping ratio.
pub const ATHWART_MODE: (f64, f64) = (18.4, 0.021);
/// See [`ATHWART_MODE`].
pub const VERTICAL_MODE: (f64, f64) = (41.3, 0.016);
/// The bearing housing that rings at each pass of the defect.
pub const HOUSING_MODE: (f64, f64) = (4200.0, 0.04);

/// Speed at which force amplitudes are given, rpm.
const NOMINAL_RPM: f64 = 2690.0;
/// Force amplitudes at nominal speed, a unit of modal mass, m/s².
const UNBALANCE: f64 = 0.82;
const MISALIGNMENT: f64 = 0.35;
const BLADE: f64 = 0.19;
const MESH: f64 = 4.4;
const MESH_SECOND: f64 = 1.1;
/// Modulation of the mesh by the output and the input shaft.
const BY_OUTPUT: f64 = 0.42;
const BY_INPUT: f64 = 0.12;
/// Velocity a pass of the defect gives the housing, m/s.
const DEFECT_KICK: f64 = 2.4e-4;
/// Runout of the shaft under the proximity probes, m, and its angle.
const RUNOUT: (f64, f64) = (6.5e-6, 0.9);
/// Shaft displacement a unit of modal displacement.
const SHAFT_SHARE: f64 = 1.6;
/// Width of the shaft mark as a share of a turn.
const MARK: f64 = 0.08;

/// How strongly an input feels each source.
#[derive(Debug, Clone, Copy)]
struct Feels {
    athwart: f64,
    vertical: f64,
    unbalance: f64,
    blade: f64,
    mesh: f64,
    housing: f64,
    noise: f64,
}

/// Tracks of the encoder: two a quarter of a line apart, and one line a turn.
#[derive(Debug, Clone, Copy)]
enum Track {
    A,
    B,
    Index,
}

/// Lines of the encoder a turn.
pub const ENCODER_LINES: f64 = 32.0;
/// Place of the encoder's first track.
pub const ENCODER: usize = 24;
/// Which of the machine's signals is the tachometer's.
pub const TACHO: usize = 21;

/// What an input measures.
#[derive(Debug, Clone, Copy)]
enum Senses {
    Casing(Feels),
    /// Shaft displacement, m: along x (true) or y.
    Shaft(bool),
    /// Once-a-turn mark, V.
    Mark,
    /// A track of the encoder on the input shaft, V.
    Encoder(Track),
    Nothing,
}

/// A sine that is built in.
#[derive(Debug, Clone, Serialize)]
pub struct Component {
    /// What makes it.
    pub what: &'static str,
    /// Frequency, Hz.
    pub frequency_hz: f64,
    /// Amplitude, SI unit of the input's quantity, peak.
    pub amplitude: f64,
}

/// What an input really feels at steady speed.
#[derive(Debug, Clone, Serialize)]
pub struct InputTruth {
    /// Input number.
    pub input: u16,
    /// Sines, in the order they are made.
    pub components: Vec<Component>,
}

/// The machine, stepped at [`crate::decimate::INTERNAL_RATE_HZ`].
#[derive(Debug, Clone)]
pub struct Thruster {
    rate_hz: f64,
    rpm: f64,
    /// Speed the machine is being brought to, and how fast, rpm a second.
    wanted: (f64, f64),
    /// Angle of the input shaft, turns since the start.
    turns: f64,
    modes: [Resonator; 3],
    noise: Noise,
    inputs: Vec<Senses>,
}

/// Places in the order of the inputs: how they feel mesh, housing and modes.
const PLACES: [(f64, f64, f64); 7] = [
    // mesh, housing, modes
    (0.22, 0.25, 1.00), // motor, drive end
    (0.10, 0.08, 0.94), // motor, free end
    (1.00, 0.55, 0.80), // gearbox top
    (0.86, 0.48, 0.66), // gearbox side
    (0.74, 1.00, 0.72), // input flange
    (0.92, 0.20, 0.48), // output flange
    (0.34, 0.05, 0.30), // steering ring
];

fn inputs() -> Vec<Senses> {
    let mut all = Vec::new();
    for (place, (mesh, housing, mode)) in PLACES.iter().enumerate() {
        for direction in 0..3 {
            let last = place == 6;
            if last && direction == 2 {
                all.push(Senses::Nothing);
                continue;
            }
            let (vertical, athwart, along) = match direction {
                0 => (1.0, 0.08, 0.75),
                1 => (0.10, 1.0, 1.0),
                _ => (0.05, 0.12, 0.45),
            };
            all.push(Senses::Casing(Feels {
                athwart: mode * athwart,
                vertical: mode * vertical,
                unbalance: 0.3 * along,
                blade: if direction == 2 { 1.5 } else { 0.7 },
                mesh: mesh * along,
                housing: housing * along,
                noise: 0.06 + 0.05 * mesh,
            }));
        }
    }
    all.extend([Senses::Mark, Senses::Shaft(true), Senses::Shaft(false)]);
    all.extend([Track::A, Track::B, Track::Index].map(Senses::Encoder));
    all
}

/// Forces and direct accelerations at one instant.
struct Forces {
    athwart: f64,
    vertical: f64,
    unbalance: f64,
    blade: f64,
    mesh: f64,
}

impl Thruster {
    /// The machine at steady speed, already running long enough for its modes to have settled.
    pub fn steady(rpm: f64, rate_hz: f64, seed: u64) -> Self {
        let mut t = Thruster {
            rate_hz,
            rpm,
            wanted: (rpm, 0.0),
            turns: 0.0,
            modes: [ATHWART_MODE, VERTICAL_MODE, HOUSING_MODE].map(|(f, z)| Resonator::new(f, z, rate_hz)),
            noise: Noise::new(seed),
            inputs: inputs(),
        };
        let mut sink = vec![0.0; t.inputs.len()];
        for _ in 0..(5.0 * rate_hz) as usize {
            t.step(&mut sink);
        }
        t
    }

    /// Brings the machine to another speed, by so many rpm a second.
    pub fn bring_to(&mut self, rpm: f64, rpm_per_s: f64) {
        self.wanted = (rpm, rpm_per_s.abs());
    }

    /// Speed of the input shaft now, rpm.
    pub fn rpm(&self) -> f64 {
        self.rpm
    }

    /// Number of inputs.
    pub fn inputs(&self) -> usize {
        self.inputs.len()
    }

    fn forces(&self) -> Forces {
        let turn = |times: f64| (TAU * (self.turns * times).fract()).sin_cos();
        let share = (self.rpm / NOMINAL_RPM).powi(2);
        let (s1, c1) = turn(1.0);
        let (_, c2) = turn(2.0);
        let (_, co) = turn(1.0 / REDUCTION);
        let (_, cb) = turn(BLADES / REDUCTION);
        let (_, cm) = turn(PINION_TEETH);
        let (_, cm2) = turn(2.0 * PINION_TEETH);
        let blade = BLADE * share * cb;
        let mesh = share * (MESH * (1.0 + BY_OUTPUT * co + BY_INPUT * c1) * cm + MESH_SECOND * cm2);
        Forces {
            athwart: share * (UNBALANCE * c1 + MISALIGNMENT * c2) + blade,
            vertical: share * UNBALANCE * s1 + blade,
            unbalance: share * UNBALANCE * c1,
            blade,
            mesh,
        }
    }

    /// Steps to the next sample and writes what each input feels (m/s², m or V).
    pub fn step(&mut self, out: &mut [f64]) {
        let before = self.turns;
        let step = self.wanted.1 / self.rate_hz;
        self.rpm += (self.wanted.0 - self.rpm).clamp(-step, step);
        self.turns += self.rpm / 60.0 / self.rate_hz;
        let passes = (self.turns * OUTER_RACE).floor() - (before * OUTER_RACE).floor();
        let f = self.forces();
        self.modes[0].step(f.athwart);
        self.modes[1].step(f.vertical);
        self.modes[2].step(0.0);
        if passes > 0.0 {
            let kick = DEFECT_KICK * (self.rpm / NOMINAL_RPM) * (1.0 + 0.1 * self.noise.gaussian());
            self.modes[2].kick(kick);
        }
        let [athwart, vertical, housing] = [0, 1, 2].map(|i| self.modes[i].acceleration());
        for (to, senses) in out.iter_mut().zip(&self.inputs) {
            *to = match senses {
                Senses::Casing(g) => {
                    g.athwart * athwart
                        + g.vertical * vertical
                        + g.unbalance * f.unbalance
                        + g.blade * f.blade
                        + g.mesh * f.mesh
                        + g.housing * housing
                        + g.noise * self.noise.gaussian()
                }
                Senses::Shaft(x) => {
                    let (s, c) = (TAU * self.turns.fract() + RUNOUT.1).sin_cos();
                    let (run, mode) = if *x { (c, 0) } else { (s, 1) };
                    RUNOUT.0 * run + SHAFT_SHARE * self.modes[mode].displacement() + 2e-8 * self.noise.gaussian()
                }
                Senses::Mark => mark(self.turns, self.rpm / 60.0 / self.rate_hz),
                Senses::Encoder(track) => {
                    let line = (self.turns * ENCODER_LINES).fract();
                    let high = match track {
                        Track::A => line < 0.5,
                        Track::B => (0.25..0.75).contains(&line),
                        Track::Index => self.turns.fract() * ENCODER_LINES < 1.0,
                    };
                    if high { 4.8 } else { 0.2 }
                }
                Senses::Nothing => 0.0,
            };
        }
    }

    /// What each input really feels at the speed of now were it held, in closed form.
    pub fn truth(&self) -> Vec<InputTruth> {
        let shaft = self.rpm / 60.0;
        let share = (self.rpm / NOMINAL_RPM).powi(2);
        let accelerance = |mode: usize, hz: f64| {
            let w = TAU * hz;
            let (re, im) = self.modes[mode].receptance(w);
            (-w * w * re, -w * w * im)
        };
        let blade_hz = BLADES * shaft / REDUCTION;
        let mesh_hz = PINION_TEETH * shaft;
        self.inputs
            .iter()
            .enumerate()
            .filter_map(|(i, s)| match s {
                Senses::Casing(g) => Some((i, g)),
                _ => None,
            })
            .map(|(i, g)| {
                let (a1, v1) = (accelerance(0, shaft), accelerance(1, shaft));
                // cos leads sin by a quarter turn: the vertical force is −j of the athwart one.
                let re = g.athwart * a1.0 + g.vertical * v1.1 + g.unbalance;
                let im = g.athwart * a1.1 - g.vertical * v1.0;
                let (a2, ab, vb) = (accelerance(0, 2.0 * shaft), accelerance(0, blade_hz), accelerance(1, blade_hz));
                let blade = (g.athwart * ab.0 + g.vertical * vb.0 + g.blade, g.athwart * ab.1 + g.vertical * vb.1);
                let mesh = share * MESH * g.mesh;
                let component = |what, frequency_hz, amplitude| Component { what, frequency_hz, amplitude };
                InputTruth {
                    input: i as u16 + 1,
                    components: vec![
                        component("shaft", shaft, share * UNBALANCE * re.hypot(im)),
                        component("shaft, second", 2.0 * shaft, share * MISALIGNMENT * g.athwart * a2.0.hypot(a2.1)),
                        component("blade", blade_hz, share * BLADE * blade.0.hypot(blade.1)),
                        component("mesh", mesh_hz, mesh),
                        component(
                            "mesh, below by the output shaft",
                            mesh_hz - shaft / REDUCTION,
                            mesh * BY_OUTPUT / 2.0,
                        ),
                        component(
                            "mesh, above by the output shaft",
                            mesh_hz + shaft / REDUCTION,
                            mesh * BY_OUTPUT / 2.0,
                        ),
                        component("mesh, second", 2.0 * mesh_hz, share * MESH_SECOND * g.mesh),
                    ],
                }
            })
            .collect()
    }
}

/// The mark's voltage: 0.2 V, and 4 V for the first part of each turn. A sample next to an edge is
/// the mean over its interval.
fn mark(turns: f64, step: f64) -> f64 {
    let high_until = |t: f64| t.floor() * MARK + t.fract().min(MARK);
    let share = (high_until(turns + step / 2.0) - high_until(turns - step / 2.0)) / step;
    0.2 + 3.8 * share.clamp(0.0, 1.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_machine_moves_as_its_truth_says() {
        let rate = 102_400.0;
        let mut t = Thruster::steady(2690.0, rate, 1);
        let truth = t.truth();
        let n = (4.0 * rate) as usize;
        let mut felt = vec![Vec::with_capacity(n); t.inputs()];
        let mut now = vec![0.0; t.inputs()];
        for _ in 0..n {
            t.step(&mut now);
            felt.iter_mut().zip(&now).for_each(|(f, x)| f.push(*x));
        }
        // A Hann-weighted single-line transform is blind to the other sines.
        for input in [1usize, 7, 8, 16] {
            let of = truth.iter().find(|x| x.input as usize == input).unwrap();
            for c in &of.components {
                let (mut re, mut im, mut sum) = (0.0, 0.0, 0.0);
                for (i, x) in felt[input - 1].iter().enumerate() {
                    let w = 0.5 - 0.5 * (TAU * i as f64 / n as f64).cos();
                    let (s, k) = (TAU * c.frequency_hz * i as f64 / rate).sin_cos();
                    re += w * x * k;
                    im += w * x * s;
                    sum += w;
                }
                let got = 2.0 * re.hypot(im) / sum;
                assert!(
                    (got - c.amplitude).abs() < 0.003 + 0.004 * c.amplitude,
                    "input {input}, {}: {got} for {}",
                    c.what,
                    c.amplitude
                );
            }
        }
    }

    #[test]
    fn the_mark_comes_once_a_turn() {
        let mut t = Thruster::steady(3000.0, 102_400.0, 1);
        let mut now = vec![0.0; t.inputs()];
        let (mut edges, mut last) = (0, 0.2);
        for _ in 0..102_400 {
            t.step(&mut now);
            if last < 2.1 && now[21] >= 2.1 {
                edges += 1;
            }
            last = now[21];
        }
        assert!((49..=51).contains(&edges), "{edges}");
    }
}
