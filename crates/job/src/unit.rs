//! Units of measured quantities and their factors to SI.

use crate::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Quantity {
    /// Acceleration, SI unit m/s².
    Acceleration,
    /// Velocity, SI unit m/s.
    Velocity,
    /// Displacement, SI unit m.
    Displacement,
    /// Force, SI unit N.
    Force,
    /// Pressure, SI unit Pa.
    Pressure,
    /// Strain, dimensionless.
    Strain,
    /// Voltage, SI unit V.
    Voltage,
}

/// A unit known to Fleet Echo.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Unit {
    /// As it is shown.
    pub symbol: &'static str,
    /// What it measures.
    pub quantity: Quantity,
    /// Value in SI of one of this unit.
    pub to_si: f64,
}

/// Standard acceleration of free fall, m/s² (ISO 80000-3).
pub const STANDARD_GRAVITY: f64 = 9.80665;

const fn unit(symbol: &'static str, quantity: Quantity, to_si: f64) -> Unit {
    Unit { symbol, quantity, to_si }
}

/// All units, the usual one of each quantity first.
pub const UNITS: &[Unit] = &[
    unit("m/s²", Quantity::Acceleration, 1.0),
    unit("g", Quantity::Acceleration, STANDARD_GRAVITY),
    unit("mm/s²", Quantity::Acceleration, 1e-3),
    unit("mm/s", Quantity::Velocity, 1e-3),
    unit("m/s", Quantity::Velocity, 1.0),
    unit("µm", Quantity::Displacement, 1e-6),
    unit("mm", Quantity::Displacement, 1e-3),
    unit("m", Quantity::Displacement, 1.0),
    unit("N", Quantity::Force, 1.0),
    unit("kN", Quantity::Force, 1e3),
    unit("Pa", Quantity::Pressure, 1.0),
    unit("kPa", Quantity::Pressure, 1e3),
    unit("bar", Quantity::Pressure, 1e5),
    unit("µm/m", Quantity::Strain, 1e-6),
    unit("V", Quantity::Voltage, 1.0),
    unit("mV", Quantity::Voltage, 1e-3),
];

impl Quantity {
    /// Every quantity, in the order lists show them.
    pub const ALL: [Quantity; 7] = [
        Quantity::Acceleration,
        Quantity::Velocity,
        Quantity::Displacement,
        Quantity::Force,
        Quantity::Pressure,
        Quantity::Strain,
        Quantity::Voltage,
    ];

    /// The word for it.
    pub fn name(self) -> &'static str {
        match self {
            Quantity::Acceleration => "acceleration",
            Quantity::Velocity => "velocity",
            Quantity::Displacement => "displacement",
            Quantity::Force => "force",
            Quantity::Pressure => "pressure",
            Quantity::Strain => "strain",
            Quantity::Voltage => "voltage",
        }
    }

    /// Units that measure it, the usual one first.
    pub fn units(self) -> impl Iterator<Item = &'static Unit> {
        UNITS.iter().filter(move |u| u.quantity == self)
    }

    /// The unit used unless another is asked for.
    pub fn usual_unit(self) -> &'static Unit {
        self.units().next().expect("every quantity has a unit")
    }

    /// How many times this must be differentiated to become displacement's derivative of that
    /// order: 0 for displacement, 1 for velocity, 2 for acceleration; none for others.
    pub fn motion_order(self) -> Option<i32> {
        match self {
            Quantity::Displacement => Some(0),
            Quantity::Velocity => Some(1),
            Quantity::Acceleration => Some(2),
            _ => None,
        }
    }
}

/// Writes a unit the way the table spells it: `m/s2`, `m/s^2` and `um` are understood.
fn spelled(text: &str) -> String {
    text.trim().replace("^2", "²").replace("s2", "s²").replace('\u{3bc}', "µ").replace("um", "µm").replace("ue", "µm/m")
}

/// Finds a unit by its symbol.
///
/// # Errors
/// A sentence listing the units there are.
pub fn find(text: &str) -> Result<&'static Unit, Refusal> {
    let wanted = spelled(text);
    UNITS.iter().find(|u| u.symbol == wanted).ok_or_else(|| {
        let all: Vec<&str> = UNITS.iter().map(|u| u.symbol).collect();
        Refusal::new("unit", format!("unit must be {1}, not “{0}”", text.trim(), all.join(", ")))
    })
}

/// Finds a unit of one quantity.
///
/// # Errors
/// A sentence listing the units of that quantity.
pub fn find_for(text: &str, quantity: Quantity) -> Result<&'static Unit, Refusal> {
    match find(text) {
        Ok(u) if u.quantity == quantity => Ok(u),
        _ => {
            let fitting: Vec<&str> = quantity.units().map(|u| u.symbol).collect();
            Err(Refusal::new(
                "unit",
                format!("unit “{}” does not measure {}; allowed: {}", text.trim(), quantity.name(), fitting.join(", ")),
            ))
        }
    }
}

/// A unit raised or divided: brackets where it is a quotient.
pub fn grouped(symbol: &str) -> String {
    if symbol.contains(['/', '·', ' ']) { format!("({symbol})") } else { symbol.to_string() }
}
