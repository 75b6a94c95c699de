//! What a sensor gives for what it feels.

use crate::Refusal;
use crate::unit::{Quantity, Unit, find, grouped};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A sensor's output a unit of the measured quantity, such as 10.2 mV/(m/s²).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Sensitivity {
    /// The number; above zero.
    pub value: f64,
    /// Its unit: `V` or `mV` over the unit of what is measured.
    pub unit: String,
}

impl Sensitivity {
    /// A checked sensitivity for a channel that measures `quantity`.
    ///
    /// # Errors
    /// A number that is not finite and above zero, a unit that is not volts over a unit of the
    /// quantity.
    pub fn new(value: f64, unit: &str, quantity: Quantity) -> Result<Self, Refusal> {
        let s = Sensitivity { value, unit: unit.trim().to_string() };
        s.check(quantity)?;
        let (volts, per) = split(unit)?;
        Ok(Sensitivity { value, unit: spell(volts.symbol, per) })
    }

    /// Checks number and unit against a quantity.
    ///
    /// # Errors
    /// As [`Sensitivity::new`].
    pub fn check(&self, quantity: Quantity) -> Result<(), Refusal> {
        if !(self.value.is_finite() && self.value > 0.0) {
            return Err(Refusal::new(
                "sensitivity",
                format!("sensitivity is {}; allowed is a number above 0", self.value),
            ));
        }
        let (_, per) = split(&self.unit)?;
        if per.quantity != quantity {
            return Err(Refusal::new(
                "sensitivity_unit",
                format!(
                    "sensitivity in {} does not fit {}; allowed are {}",
                    self.unit,
                    quantity.name(),
                    allowed(quantity).join(", ")
                ),
            ));
        }
        Ok(())
    }

    /// Volts for one SI unit of the measured quantity.
    ///
    /// # Errors
    /// A unit that cannot be read.
    pub fn volts_per_si(&self) -> Result<f64, Refusal> {
        let (volts, per) = split(&self.unit)?;
        Ok(self.value * volts.to_si / per.to_si)
    }
}

fn spell(volts: &str, per: &Unit) -> String {
    format!("{volts}/{}", grouped(per.symbol))
}

/// Units a sensitivity for this quantity may have.
pub fn allowed(quantity: Quantity) -> Vec<String> {
    quantity.units().flat_map(|u| ["mV", "V"].map(|v| spell(v, u))).collect()
}

fn split(text: &str) -> Result<(&'static Unit, &'static Unit), Refusal> {
    let wrong = || {
        Refusal::new(
            "sensitivity_unit",
            format!("sensitivity unit is “{}”; allowed is V or mV over a unit, such as mV/(m/s²) or mV/g", text.trim()),
        )
    };
    let (volts, per) = text.trim().split_once('/').ok_or_else(wrong)?;
    let per = per.trim().trim_start_matches('(').trim_end_matches(')');
    match (find(volts), find(per)) {
        (Ok(v), Ok(p)) if v.quantity == Quantity::Voltage => Ok((v, p)),
        _ => Err(wrong()),
    }
}
