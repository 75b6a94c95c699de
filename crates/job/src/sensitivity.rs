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
    /// Its unit: `V`, `mV`, `pC` or `mV/V` over the unit of what is measured.
    pub unit: String,
}

/// What comes out of a sensor.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Output {
    /// Volts.
    Voltage,
    /// Charge, from a crystal without electronics.
    Charge,
    /// A bridge's voltage over its supply's.
    Ratio,
}

impl Output {
    /// The couplings that take it, for a sentence.
    pub fn couplings(self) -> &'static str {
        match self {
            Output::Voltage => "IEPE, DC or AC",
            Output::Charge => "Charge",
            Output::Ratio => "Bridge full, half or quarter",
        }
    }
}

impl Sensitivity {
    /// A checked sensitivity for a channel that measures `quantity`.
    ///
    /// # Errors
    /// A number that is not finite and above zero, a unit that is not an output over a unit of the
    /// quantity.
    pub fn new(value: f64, unit: &str, quantity: Quantity) -> Result<Self, Refusal> {
        let s = Sensitivity { value, unit: unit.trim().to_string() };
        s.check(quantity)?;
        let (output, _, _, per) = split(unit)?;
        Ok(Sensitivity { value, unit: spell(output, per) })
    }

    /// Checks number and unit against a quantity.
    ///
    /// # Errors
    /// As [`Sensitivity::new`].
    pub fn check(&self, quantity: Quantity) -> Result<(), Refusal> {
        if !(self.value.is_finite() && self.value > 0.0) {
            return Err(Refusal::new(
                "sensitivity",
                format!("sensitivity must be a number above 0, not {}", self.value),
            ));
        }
        let (.., per) = split(&self.unit)?;
        if per.quantity != quantity {
            return Err(Refusal::new(
                "sensitivity_unit",
                format!(
                    "sensitivity in {} does not fit {}; allowed: {}",
                    self.unit,
                    quantity.name(),
                    allowed(quantity).join(", ")
                ),
            ));
        }
        Ok(())
    }

    /// What the sensor gives.
    ///
    /// # Errors
    /// A unit that cannot be read.
    pub fn output(&self) -> Result<Output, Refusal> {
        Ok(split(&self.unit)?.1)
    }

    /// V, C or V/V for one SI unit of the measured quantity.
    ///
    /// # Errors
    /// A unit that cannot be read.
    pub fn output_per_si(&self) -> Result<f64, Refusal> {
        let (_, _, factor, per) = split(&self.unit)?;
        Ok(self.value * factor / per.to_si)
    }
}

fn spell(output: &str, per: &Unit) -> String {
    format!("{output}/{}", grouped(per.symbol))
}

/// Electrical units a sensitivity starts with: what they give, and the factor to V, C or V/V.
const OUTPUTS: [(&str, Output, f64); 4] = [
    ("mV", Output::Voltage, 1e-3),
    ("V", Output::Voltage, 1.0),
    ("pC", Output::Charge, 1e-12),
    ("mV/V", Output::Ratio, 1e-3),
];

/// Units a sensitivity for this quantity may have.
pub fn allowed(quantity: Quantity) -> Vec<String> {
    OUTPUTS.iter().flat_map(|(o, ..)| quantity.units().map(move |u| spell(o, u))).collect()
}

type Split = (&'static str, Output, f64, &'static Unit);

fn split(text: &str) -> Result<Split, Refusal> {
    let t = text.trim();
    // The longest first, or `mV/V/N` would read as mV over a unit V/N.
    for (symbol, output, factor) in OUTPUTS.into_iter().rev() {
        let per = t.strip_prefix(symbol).and_then(|rest| rest.trim_start().strip_prefix('/')).map(str::trim);
        if let Some(Ok(per)) = per.map(|p| find(p.trim_start_matches('(').trim_end_matches(')'))) {
            return Ok((symbol, output, factor, per));
        }
    }
    Err(Refusal::new(
        "sensitivity_unit",
        format!(
            "sensitivity unit must be mV, V, pC or mV/V over a unit, such as mV/(m/s²), mV/g, pC/g or mV/V/kN, not “{t}”"
        ),
    ))
}
