//! A sensor whose stud is loose: it rings on what is left of its mount, and knocks against it.

use std::f64::consts::TAU;

/// Resonance of the loose mount, Hz, and its damping ratio.
const RESONANCE: (f64, f64) = (410.0, 0.03);
/// How far the sensor goes before it knocks, m, and how much stiffer it is held from there on.
const PLAY: (f64, f64) = (1.5e-7, 40.0);
/// Share of its speed that a knock takes for every second of contact, 1/s.
const KNOCK_LOSS: f64 = 600.0;

/// What lies between a structure and a loose sensor.
#[derive(Debug, Clone, Default)]
pub struct LooseMount {
    /// How far the sensor is from its seat, m, and how fast it goes, m/s.
    at: f64,
    speed: f64,
}

impl LooseMount {
    /// What the sensor feels where the structure has `acceleration`, both in m/s².
    pub fn step(&mut self, dt: f64, acceleration: f64) -> f64 {
        let omega = TAU * RESONANCE.0;
        let mut held = -omega * omega * self.at - 2.0 * RESONANCE.1 * omega * self.speed;
        // It sits on one side of its stud: it knocks there, and lifts off freely on the other.
        if self.at < -PLAY.0 {
            held -= omega * omega * (PLAY.1 - 1.0) * (self.at + PLAY.0) + KNOCK_LOSS * self.speed;
        }
        self.speed += (held - acceleration) * dt;
        self.at += self.speed * dt;
        held
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Amplitude that a loose sensor tells of a sine, as a share of the true one, and what else it tells.
    fn told(hz: f64, amplitude: f64) -> (f64, f64) {
        let (rate, n) = (102_400.0, 40_960);
        let mut mount = LooseMount::default();
        let (mut c, mut s, mut all) = (0.0, 0.0, 0.0);
        for i in 0..2 * n {
            let phase = TAU * hz * f64::from(i) / rate;
            let felt = mount.step(1.0 / rate, amplitude * phase.cos());
            if i >= n {
                c += felt * phase.cos();
                s += felt * phase.sin();
                all += felt * felt;
            }
        }
        let n = f64::from(n);
        let own = 2.0 * c.hypot(s) / n;
        (own / amplitude, (all / n - own * own / 2.0).max(0.0).sqrt() / amplitude)
    }

    #[test]
    fn it_rings_and_rattles() {
        let (low, rest) = told(40.0, 0.01);
        assert!((low - 1.0).abs() < 0.05 && rest < 0.05, "slow and small: as it is, {low} {rest}");
        let (near, _) = told(400.0, 1e-4);
        assert!(near > 3.0, "near its resonance: {near}");
        let (_, rest) = told(400.0, 5.0);
        assert!(rest > 0.2, "strong: it knocks, {rest}");
        let (weak, strong) = (told(300.0, 1e-4).0, told(300.0, 10.0).0);
        assert!((weak / strong - 1.0).abs() > 0.1, "no share of it is the same at every level: {weak} {strong}");
    }
}
