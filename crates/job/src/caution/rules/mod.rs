//! The rules, one file each.

mod calibration_overdue;
mod clipped;
mod dead_input;
mod input_not_there;
mod no_place;
mod no_sensor;
mod other_sensor;
mod over_sensor;
mod quantity_clash;
mod range_fit;
mod same_place;
mod same_sensor;
mod sensitivity_off;
mod supply;
mod swapped_pair;
mod unit_mix;

use super::{Caution, Facts};

/// A rule: its name, and how it looks at the facts.
pub struct Rule {
    /// Its name in the API.
    pub name: &'static str,
    /// What it looks for, in a sentence.
    pub looks_for: &'static str,
    /// Looks.
    pub look: fn(&Facts) -> Vec<Caution>,
}

/// All rules of the rig.
pub const ALL: &[Rule] = &[
    clipped::RULE,
    dead_input::RULE,
    swapped_pair::RULE,
    other_sensor::RULE,
    sensitivity_off::RULE,
    quantity_clash::RULE,
    supply::RULE,
    calibration_overdue::RULE,
    range_fit::RULE,
    over_sensor::RULE,
    same_place::RULE,
    same_sensor::RULE,
    no_sensor::RULE,
    no_place::RULE,
    unit_mix::RULE,
    input_not_there::RULE,
];

#[cfg(test)]
pub(crate) mod bench {
    //! A rig to try rules on.
    use crate::rig::{Channel, Coupling, Rig};
    use crate::sensitivity::Sensitivity;
    use crate::sensor::Sensor;
    use crate::unit::Quantity;
    use chrono::NaiveDate;

    pub fn rig(n: u16) -> Rig {
        let channel = |input: u16| Channel {
            on: true,
            name: format!("channel {input}"),
            sensor: format!("QA-31, {}", 20400 + input),
            sensitivity: Sensitivity { value: 10.0 + f64::from(input) / 100.0, unit: "mV/(m/s²)".into() },
            range_v: 5.0,
            point: format!("point {input}"),
            direction: "vertical".into(),
            ..Channel::free(input)
        };
        Rig { name: "bench".into(), channels: (1..=n).map(channel).collect() }
    }

    pub fn sensor(serial: u32) -> Sensor {
        Sensor {
            model: "QA-31".into(),
            serial: serial.to_string(),
            maker: "Oakum & Pell".into(),
            quantity: Quantity::Acceleration,
            sensitivity: Sensitivity { value: 10.2, unit: "mV/(m/s²)".into() },
            reference_hz: Some(159.15),
            coupling: Coupling::Iepe,
            measures_to: Some(490.0),
            resonance_hz: Some(32_000.0),
            bias_v: Some(11.0),
            calibrated_on: Some(day(2026, 2, 12)),
            due_on: Some(day(2027, 2, 12)),
        }
    }

    pub fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).expect("a day of the calendar")
    }
}
