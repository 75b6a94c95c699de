//! From what a sensor feels to the counts of its input: sensor, coupling, range, converter.

use crate::decimate::{Decimator, INTERNAL_RATE_HZ};
use crate::noise::Noise;
use echo_link::{Coupling, FULL_SCALE};
use std::f64::consts::TAU;

/// What hangs on an input.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Sensor {
    /// Built-in electronics: silent without supply current. Volts a unit it feels.
    Iepe(f64),
    /// A voltage of its own: volts a unit, and a steady voltage on top.
    Voltage(f64, f64),
    /// Nothing.
    Open,
}

/// Corner of the AC coupling, Hz.
const AC_CORNER_HZ: f64 = 0.3;
/// Noise of an input as a share of its range, rms.
const INPUT_NOISE: f64 = 1.5e-6;

/// One input from plug to converter.
#[derive(Debug, Clone)]
pub struct Input {
    sensor: Sensor,
    coupling: Coupling,
    range_v: f64,
    /// Slow state of the AC coupling; none until the first sample sets it.
    mean: Option<f64>,
    decimator: Decimator,
    noise: Noise,
}

impl Input {
    /// An input with its sensor, decimating by `factor`.
    pub fn new(sensor: Sensor, coupling: Coupling, range_v: f64, factor: usize, seed: u64) -> Self {
        Input { sensor, coupling, range_v, mean: None, decimator: Decimator::new(factor), noise: Noise::new(seed) }
    }

    /// Changes coupling and range while running.
    pub fn set(&mut self, coupling: Coupling, range_v: f64) {
        if coupling != self.coupling {
            self.mean = None;
        }
        self.coupling = coupling;
        self.range_v = range_v;
    }

    /// Converts a piece of what the sensor feels; tells whether the range was exceeded.
    pub fn convert(&mut self, felt: &[f64]) -> (Vec<i32>, bool) {
        let mut volts: Vec<f64> = match (self.sensor, self.coupling) {
            (Sensor::Iepe(gain), Coupling::Iepe) => felt.iter().map(|x| x * gain).collect(),
            (Sensor::Voltage(gain, offset), _) => felt.iter().map(|x| x * gain + offset).collect(),
            (Sensor::Iepe(_) | Sensor::Open, _) => vec![0.0; felt.len()],
        };
        if self.coupling != Coupling::Dc {
            let share = TAU * AC_CORNER_HZ / INTERNAL_RATE_HZ;
            // Settled on the piece's mean, as if it had been connected for a while.
            let mut mean = self.mean.unwrap_or_else(|| volts.iter().sum::<f64>() / volts.len().max(1) as f64);
            for v in &mut volts {
                mean += share * (*v - mean);
                *v -= mean;
            }
            self.mean = Some(mean);
        }
        let mut over = false;
        for v in &mut volts {
            if v.abs() > self.range_v {
                over = true;
                *v = v.clamp(-self.range_v, self.range_v);
            }
        }
        let scale = f64::from(FULL_SCALE) / self.range_v;
        let noise = INPUT_NOISE * f64::from(FULL_SCALE);
        let counts = self
            .decimator
            .run(&volts)
            .into_iter()
            .map(|v| {
                let count = (v * scale + noise * self.noise.gaussian()).round();
                count.clamp(-f64::from(FULL_SCALE), f64::from(FULL_SCALE)) as i32
            })
            .collect();
        (counts, over)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn converted(sensor: Sensor, coupling: Coupling, range: f64) -> (f64, f64, bool) {
        let mut input = Input::new(sensor, coupling, range, 2, 3);
        let felt: Vec<f64> =
            (0..40_960).map(|i| 100.0 * (TAU * 100.0 * f64::from(i) / INTERNAL_RATE_HZ).sin()).collect();
        let (counts, over) = input.convert(&felt);
        let volts: Vec<f64> = counts[4096..].iter().map(|c| f64::from(*c) * range / f64::from(FULL_SCALE)).collect();
        let mean = volts.iter().sum::<f64>() / volts.len() as f64;
        let peak = volts.iter().fold(0.0f64, |p, v| p.max((v - mean).abs()));
        (mean, peak, over)
    }

    #[test]
    fn coupling_and_range_act_on_the_signal() {
        let (_, peak, over) = converted(Sensor::Iepe(0.01), Coupling::Iepe, 5.0);
        assert!((peak - 1.0).abs() < 1e-3 && !over);
        let (_, peak, _) = converted(Sensor::Iepe(0.01), Coupling::Dc, 5.0);
        assert!(peak < 1e-3, "a sensor without supply is silent");
        let (mean, peak, _) = converted(Sensor::Voltage(0.01, -3.0), Coupling::Dc, 5.0);
        assert!((mean + 3.0).abs() < 1e-3 && (peak - 1.0).abs() < 2e-3);
        let (mean, _, _) = converted(Sensor::Voltage(0.01, -3.0), Coupling::Ac, 5.0);
        assert!(mean.abs() < 0.01);
        let (_, peak, over) = converted(Sensor::Iepe(0.01), Coupling::Iepe, 0.5);
        assert!(over && peak <= 0.501, "the range clips at {peak}");
    }
}
