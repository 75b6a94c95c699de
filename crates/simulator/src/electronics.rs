//! From what a sensor feels to the counts of its input: sensor, coupling, range, converter.

use crate::decimate::Decimator;
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
    /// A bare crystal: coulombs a unit.
    Charge(f64),
    /// A bridge of this wiring: volts a volt of supply and unit.
    Bridge(Coupling, f64),
    /// Nothing.
    Open,
}

/// What is broken about a sensor or its cable.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fault {
    /// Nothing.
    #[default]
    None,
    /// The cable is open.
    Open,
    /// The cable is shorted.
    Short,
    /// It has its supply and gives nothing.
    Dead,
    /// Its electronics hiss.
    Noisy,
    /// Its rest voltage is off.
    Offset,
    /// Something beside it shakes it forty times too strongly.
    Loud,
}

/// Rest voltage of a sound sensor with supply, V.
pub const BIAS_V: f64 = 11.2;
/// What the supply gives into an open cable, V.
pub const RAIL_V: f64 = 24.0;

/// Gain of the charge amplifiers, V/C.
const CHARGE_V_PER_C: f64 = 1e9;
/// Supply of the bridges, V.
const BRIDGE_SUPPLY_V: f64 = 5.0;

/// Corner of the AC coupling, Hz.
const AC_CORNER_HZ: f64 = 0.3;
/// Noise of an input as a share of its range, rms.
const INPUT_NOISE: f64 = 1.5e-6;

/// One input from plug to converter.
#[derive(Debug, Clone)]
pub struct Input {
    sensor: Sensor,
    fault: Fault,
    coupling: Coupling,
    range_v: f64,
    high_pass_hz: f64,
    step_rate_hz: f64,
    /// Slow state of the AC coupling; none until the first sample sets it.
    mean: Option<f64>,
    decimator: Decimator,
    noise: Noise,
}

impl Input {
    /// An input, decimating by `factor` from `step_rate_hz`.
    pub fn new(
        coupling: Coupling,
        range_v: f64,
        high_pass_hz: f64,
        step_rate_hz: f64,
        factor: usize,
        seed: u64,
    ) -> Self {
        Input {
            sensor: Sensor::Open,
            fault: Fault::None,
            coupling,
            range_v,
            high_pass_hz,
            step_rate_hz,
            mean: None,
            decimator: Decimator::new(factor),
            noise: Noise::new(seed),
        }
    }

    /// Changes coupling, range and filter while running.
    pub fn set(&mut self, coupling: Coupling, range_v: f64, high_pass_hz: f64) {
        if coupling != self.coupling || high_pass_hz != self.high_pass_hz {
            self.mean = None;
        }
        self.coupling = coupling;
        self.range_v = range_v;
        self.high_pass_hz = high_pass_hz;
    }

    /// Plugs another sensor in, or none.
    pub fn plug(&mut self, sensor: Sensor, fault: Fault) {
        if (sensor, fault) != (self.sensor, self.fault) {
            self.mean = None;
        }
        self.sensor = sensor;
        self.fault = fault;
    }

    /// Converts a piece of what the sensor feels; tells whether the range was exceeded.
    pub fn convert(&mut self, felt: &[f64]) -> (Vec<i32>, bool) {
        let mut volts: Vec<f64> = match (self.sensor, self.coupling, self.fault) {
            (_, _, Fault::Open | Fault::Short | Fault::Dead) => vec![0.0; felt.len()],
            (Sensor::Iepe(gain), Coupling::Iepe, Fault::Loud) => felt.iter().map(|x| 40.0 * x * gain).collect(),
            (Sensor::Iepe(gain), Coupling::Iepe, _) => felt.iter().map(|x| x * gain).collect(),
            (Sensor::Voltage(gain, offset), _, _) => felt.iter().map(|x| x * gain + offset).collect(),
            (Sensor::Charge(gain), Coupling::Charge, _) => felt.iter().map(|x| x * gain * CHARGE_V_PER_C).collect(),
            (Sensor::Bridge(wired, gain), as_set, _) if wired == as_set => {
                felt.iter().map(|x| x * gain * BRIDGE_SUPPLY_V).collect()
            }
            // Completed wrongly, a bridge is as far out of balance as it can be.
            (Sensor::Bridge(..), Coupling::BridgeFull | Coupling::BridgeHalf | Coupling::BridgeQuarter, _) => {
                vec![0.5 * BRIDGE_SUPPLY_V; felt.len()]
            }
            _ => vec![0.0; felt.len()],
        };
        if self.fault == Fault::Noisy {
            volts.iter_mut().for_each(|v| *v += 0.02 * self.noise.gaussian());
        }
        let corner_hz = match (self.coupling, self.high_pass_hz > 0.0) {
            (Coupling::Dc | Coupling::BridgeFull | Coupling::BridgeHalf | Coupling::BridgeQuarter, false) => 0.0,
            (_, filtered) => AC_CORNER_HZ.max(if filtered { self.high_pass_hz } else { 0.0 }),
        };
        if corner_hz > 0.0 {
            let share = TAU * corner_hz / self.step_rate_hz;
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
    use crate::decimate::INTERNAL_RATE_HZ;

    fn converted(sensor: Sensor, coupling: Coupling, range: f64) -> (f64, f64, bool) {
        let mut input = Input::new(coupling, range, 0.0, INTERNAL_RATE_HZ, 2, 3);
        input.plug(sensor, Fault::None);
        let felt: Vec<f64> =
            (0..40_960).map(|i| 100.0 * (TAU * 100.0 * f64::from(i) / INTERNAL_RATE_HZ).sin()).collect();
        let (counts, over) = input.convert(&felt);
        let volts: Vec<f64> = counts[4096..].iter().map(|c| f64::from(*c) * range / f64::from(FULL_SCALE)).collect();
        let mean = volts.iter().sum::<f64>() / volts.len() as f64;
        let peak = volts.iter().fold(0.0f64, |p, v| p.max((v - mean).abs()));
        (mean, peak, over)
    }

    #[test]
    fn a_high_pass_takes_away_what_is_slow() {
        let mut input = Input::new(Coupling::Dc, 10.0, 10.0, 10_240.0, 1, 3);
        input.plug(Sensor::Voltage(1.0, 2.0), Fault::None);
        let felt: Vec<f64> = (0..40_960).map(|i| (TAU * 10.0 * f64::from(i) / 10_240.0).sin()).collect();
        let (counts, _) = input.convert(&felt);
        let tail: Vec<f64> = counts[20_480..].iter().map(|c| f64::from(*c) * 10.0 / f64::from(FULL_SCALE)).collect();
        let peak = tail.iter().fold(0.0f64, |p, v| p.max(*v));
        assert!((peak - 0.5f64.sqrt()).abs() < 0.01, "down 3 dB at its corner: {peak}");
    }

    #[test]
    fn a_broken_sensor_gives_what_its_fault_gives() {
        let felt = vec![1.0; 64];
        for (fault, volts) in [(Fault::Open, 0.0), (Fault::Dead, 0.0), (Fault::None, 0.01)] {
            let mut input = Input::new(Coupling::Dc, 1.0, 0.0, 1000.0, 1, 3);
            input.plug(Sensor::Voltage(0.01, 0.0), fault);
            let (counts, _) = input.convert(&felt);
            let mean = counts.iter().map(|c| f64::from(*c)).sum::<f64>() / 64.0 / f64::from(FULL_SCALE);
            assert!((mean - volts).abs() < 1e-5, "{fault:?}: {mean}");
        }
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
        let (_, peak, _) = converted(Sensor::Charge(2e-12), Coupling::Charge, 1.0);
        assert!((peak - 0.2).abs() < 1e-3, "200 pC at 1 mV/pC: {peak}");
        let half = Sensor::Bridge(Coupling::BridgeHalf, 1e-4);
        let (_, peak, _) = converted(half, Coupling::BridgeHalf, 1.0);
        assert!((peak - 0.05).abs() < 1e-3, "10 mV/V at 5 V: {peak}");
        let (mean, _, over) = converted(half, Coupling::BridgeQuarter, 1.0);
        assert!(over && mean > 0.99, "completed wrongly it leaves the range");
        let (_, peak, over) = converted(Sensor::Iepe(0.01), Coupling::Iepe, 0.5);
        assert!(over && peak <= 0.501, "the range clips at {peak}");
    }
}
