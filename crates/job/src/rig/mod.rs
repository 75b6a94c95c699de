//! The rig: which sensor hangs on which input and where it sits on the specimen.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`columns`] | the columns of the table: what a cell shows, what a typed text means |
//! | [`edit`] | many cells changed at once, differences, filling |
//! | [`paste`] | a block of spreadsheet text turned into cells |
//! | [`ranging`] | ranges that fit what was heard |

pub mod columns;
pub mod edit;
pub mod paste;
pub mod ranging;

pub use crate::coupling::Coupling;
pub use columns::Column;
pub use edit::{Cell, CellChanged, CellRefused, Edit, RowChange, differences};

use crate::Refusal;
use crate::dof::Dof;
use crate::front_end::FrontEnd;
use crate::sensitivity::Sensitivity;
use crate::unit::{Quantity, find_for};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;

/// One row of the channel table.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Channel {
    /// Input it is plugged into, from 1.
    pub input: u16,
    /// Whether it is measured.
    pub on: bool,
    /// Its name; used once in a rig.
    pub name: String,
    /// The sensor: type, serial.
    pub sensor: String,
    /// What it measures.
    pub quantity: Quantity,
    /// Unit it is shown in.
    pub unit: String,
    /// What the sensor gives.
    pub sensitivity: Sensitivity,
    /// How the input is coupled.
    pub coupling: Coupling,
    /// Largest voltage of the input, V peak.
    pub range_v: f64,
    /// Corner of the input's high-pass filter, Hz; 0 is off.
    #[serde(default)]
    pub high_pass_hz: f64,
    /// Place on the specimen.
    pub point: String,
    /// Direction at that place.
    pub direction: String,
}

/// All channels of a set-up.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Rig {
    /// What the set-up is called.
    pub name: String,
    /// Rows in the order of their inputs.
    pub channels: Vec<Channel>,
}

impl Channel {
    /// Where and which way it measures, where that is entered.
    pub fn dof(&self) -> Option<Dof> {
        Dof::read(&self.point, &self.direction)
    }

    /// A row of which nothing is known yet: off, without a name.
    pub fn free(input: u16) -> Channel {
        let quantity = Quantity::Acceleration;
        Channel {
            input,
            on: false,
            name: String::new(),
            sensor: String::new(),
            quantity,
            unit: quantity.usual_unit().symbol.into(),
            sensitivity: Sensitivity { value: 10.0, unit: crate::sensitivity::allowed(quantity).swap_remove(0) },
            coupling: Coupling::Iepe,
            range_v: 10.0,
            high_pass_hz: 0.0,
            point: String::new(),
            direction: String::new(),
        }
    }

    /// The sensor's output that fills the range: V, C or V/V, as its coupling takes.
    pub fn range_output(&self) -> f64 {
        self.range_v / self.coupling.volts_per_output()
    }

    /// The input's full scale in SI, peak; NaN for a sensitivity that does not fit the coupling.
    pub fn full_scale_si(&self) -> f64 {
        match (self.sensitivity.output(), self.sensitivity.output_per_si()) {
            (Ok(gives), Ok(per_si)) if gives == self.coupling.takes() => self.range_output() / per_si,
            _ => f64::NAN,
        }
    }

    /// The input's full scale in the unit the channel is shown in, peak; NaN for units that do not
    /// fit.
    pub fn full_scale(&self) -> f64 {
        self.full_scale_si() / crate::unit::find(&self.unit).map_or(f64::NAN, |u| u.to_si)
    }
}

impl Rig {
    /// The row of an input.
    pub fn channel(&self, input: u16) -> Option<&Channel> {
        self.channels.iter().find(|c| c.input == input)
    }

    /// What an input is called in a sentence: its channel's name, or its number.
    pub fn name_of(&self, input: u16) -> String {
        let named = self.channel(input).filter(|c| !c.name.is_empty());
        named.map_or_else(|| format!("input {input}"), |c| c.name.clone())
    }

    /// The rows that are measured.
    pub fn active(&self) -> impl Iterator<Item = &Channel> {
        self.channels.iter().filter(|c| c.on)
    }

    /// The rig with a free row for every input of the front end it has no row for.
    pub fn covering(mut self, front_end: Option<&FrontEnd>) -> Rig {
        let Some(f) = front_end else { return self };
        let known: std::collections::HashSet<u16> = self.channels.iter().map(|c| c.input).collect();
        let missing = f.inputs.iter().map(|i| i.number).filter(|n| !known.contains(n));
        self.channels.extend(missing.map(Channel::free).collect::<Vec<_>>());
        self.channels.sort_by_key(|c| c.input);
        self
    }

    /// The rig with one row changed; the rig itself stays as it is, so a refusal loses nothing.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn changed(&self, input: u16, change: &RowChange, front_end: Option<&FrontEnd>) -> Result<Rig, Refusal> {
        let edit = self.edited(&change.cells(input), front_end);
        match edit.refused.into_iter().next() {
            Some(r) => Err(Refusal::new(r.field, r.says)),
            None => Ok(edit.rig),
        }
    }

    /// Checks every row.
    ///
    /// # Errors
    /// The first entry that is not allowed.
    pub fn check(&self, front_end: Option<&FrontEnd>) -> Result<(), Refusal> {
        let mut names: HashMap<&str, u16> = HashMap::new();
        for c in &self.channels {
            if c.on && c.name.is_empty() {
                return Err(nameless(c.input));
            }
            if !c.name.is_empty()
                && let Some(other) = names.insert(&c.name, c.input)
            {
                return Err(used_twice(&c.name, other));
            }
            find_for(&c.unit, c.quantity)?;
            c.sensitivity.check(c.quantity)?;
            let (gives, takes) = (c.sensitivity.output()?, c.coupling.takes());
            if c.on && gives != takes {
                return Err(Refusal::new(
                    "coupling",
                    format!(
                        "input {} is coupled {} and its sensitivity is in {}; that takes {}",
                        c.input,
                        c.coupling.name(),
                        c.sensitivity.unit,
                        gives.couplings()
                    ),
                ));
            }
            let Some(offer) = front_end.and_then(|f| f.input(c.input)) else {
                if let (true, Some(f)) = (c.on, front_end) {
                    return Err(Refusal::new(
                        "input",
                        format!("input {} is on, but {} has {} inputs", c.input, f.model, f.inputs.len()),
                    ));
                }
                continue;
            };
            for column in [Column::RangeV, Column::Coupling, Column::HighPassHz] {
                if c.on && (column != Column::HighPassHz || c.high_pass_hz > 0.0 && !offer.high_pass_hz.is_empty()) {
                    column.set(&mut c.clone(), &column.text(c), front_end)?;
                }
            }
        }
        Ok(())
    }
}

fn nameless(input: u16) -> Refusal {
    Refusal::new("name", format!("input {input} is on and has no name; allowed: any name not used yet"))
}

fn used_twice(name: &str, by: u16) -> Refusal {
    Refusal::new("name", format!("the name “{name}” is used by input {by}; allowed: any name not used yet"))
}
