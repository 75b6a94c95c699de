//! Sensors as the register knows them.

use crate::Refusal;
use crate::rig::{Cell, Channel, Column, Coupling};
use crate::sensitivity::Sensitivity;
use crate::unit::Quantity;
use chrono::NaiveDate;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// One sensor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Sensor {
    /// Type designation; with the serial it is there once.
    pub model: String,
    /// Serial number.
    pub serial: String,
    /// Who made it.
    #[serde(default)]
    pub maker: String,
    /// What it measures.
    pub quantity: Quantity,
    /// What it gives, at the reference frequency.
    pub sensitivity: Sensitivity,
    /// Frequency the sensitivity was found at, Hz.
    #[serde(default)]
    pub reference_hz: Option<f64>,
    /// How an input must be coupled for it.
    pub coupling: Coupling,
    /// Largest value it measures, SI units, peak.
    #[serde(default)]
    pub measures_to: Option<f64>,
    /// First resonance as mounted, Hz.
    #[serde(default)]
    pub resonance_hz: Option<f64>,
    /// Rest voltage with supply, V.
    #[serde(default)]
    pub bias_v: Option<f64>,
    /// Day of the last calibration.
    #[serde(default)]
    pub calibrated_on: Option<NaiveDate>,
    /// Day the next one is due.
    #[serde(default)]
    pub due_on: Option<NaiveDate>,
    /// Expanded uncertainty of the sensitivity by its certificate, %, with coverage 2.
    #[serde(default)]
    pub uncertainty_percent: Option<f64>,
}

impl Sensor {
    /// As it stands in the channel table: type, serial.
    pub fn label(&self) -> String {
        format!("{}, {}", self.model, self.serial)
    }

    /// Checks every entry.
    ///
    /// # Errors
    /// The first that is not allowed, with what is.
    pub fn check(&self) -> Result<(), Refusal> {
        for (field, text) in [("model", &self.model), ("serial", &self.serial)] {
            let good = !text.trim().is_empty() && text.len() <= 60 && !text.contains(',');
            if !good {
                let says = format!("{field} must be 1 to 60 characters without a comma, not “{text}”");
                return Err(Refusal::new(field, says));
            }
        }
        self.sensitivity.check(self.quantity)?;
        let bounds = [
            ("reference_hz", self.reference_hz),
            ("measures_to", self.measures_to),
            ("resonance_hz", self.resonance_hz),
            ("uncertainty_percent", self.uncertainty_percent),
        ];
        for (field, value) in bounds {
            if let Some(x) = value
                && !(x.is_finite() && x > 0.0)
            {
                return Err(Refusal::new(field, format!("{field} must be a number above 0, or nothing, not {x}")));
            }
        }
        if let (Some(done), Some(due)) = (self.calibrated_on, self.due_on)
            && due < done
        {
            return Err(Refusal::new("due_on", format!("it is due on {due}, before it was calibrated on {done}")));
        }
        Ok(())
    }

    /// The cells a row gets when this sensor is plugged into its input.
    pub fn cells(&self, input: u16) -> Vec<Cell> {
        vec![
            Cell::new(input, Column::Sensor, self.label()),
            Cell::new(input, Column::Quantity, self.quantity.name()),
            Cell::new(input, Column::SensitivityUnit, self.sensitivity.unit.clone()),
            Cell::new(input, Column::Sensitivity, crate::entry::number::plain(self.sensitivity.value)),
            Cell::new(input, Column::Coupling, self.coupling.name()),
        ]
    }

    /// The register's sensor a text means: its whole label, or its serial if only one has it.
    pub fn meant<'a>(text: &str, all: &'a [Sensor]) -> Option<&'a Sensor> {
        let t = text.trim();
        if t.is_empty() {
            return None;
        }
        all.iter().find(|s| s.label().eq_ignore_ascii_case(t)).or_else(|| {
            let mut same = all.iter().filter(|s| s.serial == t);
            same.next().filter(|_| same.next().is_none())
        })
    }
}

/// Cells with the settings of registered sensors added: whoever types a sensor's name gets its
/// sensitivity, quantity and coupling, unless those are set in the same breath.
pub fn followed(cells: Vec<Cell>, register: &[Sensor]) -> Vec<Cell> {
    let asked: std::collections::HashSet<(u16, Column)> = cells.iter().map(|c| (c.input, c.column)).collect();
    let mut all = Vec::with_capacity(cells.len());
    for cell in cells {
        match Sensor::meant(&cell.text, register).filter(|_| cell.column == Column::Sensor) {
            Some(s) => all.extend(
                s.cells(cell.input)
                    .into_iter()
                    .filter(|c| c.column == Column::Sensor || !asked.contains(&(c.input, c.column))),
            ),
            None => all.push(cell),
        }
    }
    all
}

/// The type part of a row's sensor.
pub fn family(c: &Channel) -> &str {
    c.sensor.split(',').next().unwrap_or("").trim()
}
