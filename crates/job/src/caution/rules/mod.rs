//! The rules, one file each.

mod against_axis;
mod band_of_interest;
mod calibration_overdue;
mod clipped;
mod coupling_fit;
mod dead_input;
mod direction_not_there;
mod disk_full;
mod input_not_there;
mod no_place;
mod no_sensor;
mod other_sensor;
mod over_sensor;
mod point_not_there;
mod pulses_fast;
mod quantity_clash;
mod range_fit;
mod resonance_inside;
mod same_place;
mod same_sensor;
mod sensitivity_off;
mod supply;
mod swapped_pair;
mod tacho_off;
mod trigger_beyond;
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

/// All rules of rig and plan.
pub const ALL: &[Rule] = &[
    clipped::RULE,
    dead_input::RULE,
    swapped_pair::RULE,
    other_sensor::RULE,
    sensitivity_off::RULE,
    quantity_clash::RULE,
    supply::RULE,
    coupling_fit::RULE,
    calibration_overdue::RULE,
    range_fit::RULE,
    over_sensor::RULE,
    same_place::RULE,
    same_sensor::RULE,
    no_sensor::RULE,
    no_place::RULE,
    point_not_there::RULE,
    direction_not_there::RULE,
    against_axis::RULE,
    unit_mix::RULE,
    input_not_there::RULE,
    band_of_interest::RULE,
    resonance_inside::RULE,
    trigger_beyond::RULE,
    tacho_off::RULE,
    pulses_fast::RULE,
    disk_full::RULE,
];

#[cfg(test)]
pub(crate) mod bench {
    //! A rig to try rules on.
    use crate::front_end::{FrontEnd, InputOffer};
    use crate::geometry::{Geometry, Point};
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
            uncertainty_percent: None,
        }
    }

    /// A specimen with the first points of the rig, whose z is called “vertical”.
    pub fn specimen(points: u16) -> Geometry {
        let point = |i: u16| Point::new(format!("point {i}"), f64::from(i), 0.0, 0.0);
        let called = ["", "athwart", "vertical"].map(String::from);
        Geometry { called, points: (1..=points).map(point).collect(), ..Geometry::default() }
    }

    /// A front end with inputs like those of the rig.
    pub fn front_end(inputs: u16) -> FrontEnd {
        let input = |number| InputOffer {
            number,
            unit: 0,
            connector: number,
            module: "M1".into(),
            ranges_v: vec![0.1, 0.5, 1.0, 5.0, 10.0],
            couplings: Coupling::ALL.to_vec(),
            high_pass_hz: vec![],
            supplies_v: vec![],
        };
        FrontEnd {
            model: "Lantern 24".into(),
            serial: "1".into(),
            firmware: "1".into(),
            rates_hz: vec![51_200.0, 1024.0, 5120.0, 12_800.0, 25_600.0],
            clean_share: 0.4,
            converter_bits: 24,
            keeps_bytes: 0,
            inputs: (1..=inputs).map(input).collect(),
        }
    }

    pub fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).expect("a day of the calendar")
    }
}
