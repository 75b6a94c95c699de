//! What several test files need.

use echo_job::rig::{Channel, Coupling};
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::Quantity;

/// A row that measures volts as they are.
pub fn channel(input: u16) -> Channel {
    Channel {
        on: true,
        name: format!("channel {input}"),
        quantity: Quantity::Voltage,
        unit: "V".into(),
        sensitivity: Sensitivity::new(1.0, "V/V", Quantity::Voltage).unwrap(),
        coupling: Coupling::Dc,
        range_v: 1.0,
        ..Channel::free(input)
    }
}
