//! The columns of the channel table: what a cell shows and what a typed text means there.
//!
//! Screen, spreadsheet, comparison and undo all go through these texts, so a cell that is copied
//! and pasted back is the same cell.

use super::{Channel, Coupling};
use crate::Refusal;
use crate::entry::number::plain;
use crate::entry::{Asked, read, typed_number};
use crate::front_end::{FrontEnd, InputOffer};
use crate::sensitivity::Sensitivity;
use crate::unit::{Quantity, find_for};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A column, in the order in which the cells of a row are set: what others follow from comes first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Column {
    /// Measured or not.
    On,
    /// Name.
    Name,
    /// Sensor: type, serial.
    Sensor,
    /// What is measured.
    Quantity,
    /// Unit of the sensitivity.
    SensitivityUnit,
    /// Sensitivity.
    Sensitivity,
    /// Coupling.
    Coupling,
    /// Range, V.
    RangeV,
    /// High-pass filter of the input.
    HighPassHz,
    /// Place.
    Point,
    /// Direction.
    Direction,
    /// Unit it is shown in.
    Unit,
}

use Column as C;

impl Column {
    /// Every column.
    pub const ALL: [Column; 12] = [
        C::On,
        C::Name,
        C::Sensor,
        C::Quantity,
        C::SensitivityUnit,
        C::Sensitivity,
        C::Coupling,
        C::RangeV,
        C::HighPassHz,
        C::Point,
        C::Direction,
        C::Unit,
    ];

    /// Every column in the order spreadsheets get them.
    pub const SHEET: [Column; 12] = [
        C::On,
        C::Name,
        C::Sensor,
        C::Quantity,
        C::Sensitivity,
        C::SensitivityUnit,
        C::Coupling,
        C::RangeV,
        C::HighPassHz,
        C::Point,
        C::Direction,
        C::Unit,
    ];

    /// The word over it, on the screen and in spreadsheets.
    pub fn head(self) -> &'static str {
        match self {
            C::On => "On",
            C::Name => "Channel",
            C::Sensor => "Sensor",
            C::Quantity => "Quantity",
            C::SensitivityUnit => "per",
            C::Sensitivity => "Sensitivity",
            C::Coupling => "Coupling",
            C::RangeV => "Range",
            C::HighPassHz => "High-pass",
            C::Point => "Point",
            C::Direction => "Direction",
            C::Unit => "Unit",
        }
    }

    /// The column a spreadsheet's word means, whatever its case; a few usual other words count too.
    pub fn from_head(text: &str) -> Option<Column> {
        let t = text.trim().to_lowercase();
        let other = match t.as_str() {
            "name" => Some(C::Name),
            "sensitivity unit" | "sensitivity_unit" => Some(C::SensitivityUnit),
            "range_v" | "range v" | "range (v)" => Some(C::RangeV),
            "high pass" | "highpass" | "filter" | "high_pass_hz" => Some(C::HighPassHz),
            "dir" => Some(C::Direction),
            "shown in" => Some(C::Unit),
            _ => None,
        };
        other.or_else(|| C::ALL.into_iter().find(|c| c.head().to_lowercase() == t))
    }

    /// What the cell shows.
    pub fn text(self, c: &Channel) -> String {
        match self {
            C::On => if c.on { "on" } else { "off" }.into(),
            C::Name => c.name.clone(),
            C::Sensor => c.sensor.clone(),
            C::Quantity => c.quantity.name().into(),
            C::SensitivityUnit => c.sensitivity.unit.clone(),
            C::Sensitivity => plain(c.sensitivity.value),
            C::Coupling => c.coupling.name().into(),
            C::RangeV => format!("{} V", plain(c.range_v)),
            C::HighPassHz => filter_text(c.high_pass_hz),
            C::Point => c.point.clone(),
            C::Direction => c.direction.clone(),
            C::Unit => c.unit.clone(),
        }
    }

    /// Sets the cell from a text; the row stays as it is on a refusal.
    ///
    /// # Errors
    /// A sentence with what is allowed.
    pub fn set(self, c: &mut Channel, text: &str, front_end: Option<&FrontEnd>) -> Result<(), Refusal> {
        let t = text.trim();
        let offer = front_end.and_then(|f| f.input(c.input));
        match self {
            C::On => c.on = on_or_off(t)?,
            C::Name => c.name = short(self, t)?,
            C::Sensor => c.sensor = short(self, t)?,
            C::Point => c.point = short(self, t)?,
            C::Direction => c.direction = short(self, t)?,
            C::Quantity => {
                let q = quantity(t)?;
                if q != c.quantity {
                    c.quantity = q;
                    c.unit = q.usual_unit().symbol.to_string();
                    c.sensitivity.unit = crate::sensitivity::allowed(q).swap_remove(0);
                }
            }
            C::Unit => c.unit = find_for(t, c.quantity)?.symbol.to_string(),
            C::SensitivityUnit => c.sensitivity = Sensitivity::new(c.sensitivity.value, t, c.quantity)?,
            C::Sensitivity => {
                let (value, unit) = typed_number("sensitivity", t)?;
                let unit = if unit.is_empty() { c.sensitivity.unit.clone() } else { unit };
                c.sensitivity = Sensitivity::new(value, &unit, c.quantity)?;
            }
            C::Coupling => c.coupling = coupling(t, c.input, offer)?,
            C::RangeV => c.range_v = range(t, c.input, offer)?,
            C::HighPassHz => c.high_pass_hz = high_pass(t, c.input, offer)?,
        }
        Ok(())
    }

    /// Values that are allowed, where there are few.
    pub fn options(self, c: &Channel, front_end: Option<&FrontEnd>) -> Vec<String> {
        let offer = front_end.and_then(|f| f.input(c.input));
        match self {
            C::On => vec!["on".into(), "off".into()],
            C::Quantity => Quantity::ALL.iter().map(|q| q.name().into()).collect(),
            C::Unit => c.quantity.units().map(|u| u.symbol.into()).collect(),
            C::SensitivityUnit => crate::sensitivity::allowed(c.quantity),
            C::Coupling => offer
                .map_or_else(|| Coupling::ALL.to_vec(), |o| o.couplings.clone())
                .iter()
                .map(|c| c.name().into())
                .collect(),
            C::RangeV => offer.map_or_else(Vec::new, |o| o.ranges_v.iter().map(|v| format!("{v} V")).collect()),
            C::HighPassHz => offer.map_or_else(Vec::new, |o| o.high_pass_hz.iter().map(|v| filter_text(*v)).collect()),
            C::Name | C::Sensor | C::Sensitivity | C::Point | C::Direction => Vec::new(),
        }
    }
}

/// A high-pass as its cell shows it.
pub fn filter_text(hz: f64) -> String {
    if hz == 0.0 { "off".into() } else { format!("{} Hz", plain(hz)) }
}

fn on_or_off(t: &str) -> Result<bool, Refusal> {
    match t.to_lowercase().as_str() {
        "on" | "1" | "yes" | "true" | "x" => Ok(true),
        "off" | "0" | "no" | "false" | "" => Ok(false),
        _ => Err(Refusal::new("on", format!("“{t}” is neither on nor off; allowed: on and off"))),
    }
}

fn short(column: Column, t: &str) -> Result<String, Refusal> {
    if t.chars().count() > 80 {
        let (field, what) = match column {
            C::Name => ("name", "the name"),
            C::Sensor => ("sensor", "the sensor"),
            C::Point => ("point", "the point"),
            _ => ("direction", "the direction"),
        };
        return Err(Refusal::new(field, format!("{what} is longer than 80 characters; allowed: up to 80")));
    }
    Ok(t.to_string())
}

fn quantity(t: &str) -> Result<Quantity, Refusal> {
    let all = || Quantity::ALL.map(Quantity::name).join(", ");
    Quantity::ALL
        .into_iter()
        .find(|q| q.name() == t.to_lowercase())
        .ok_or_else(|| Refusal::new("quantity", format!("quantity must be {}, not “{t}”", all())))
}

fn coupling(t: &str, input: u16, offer: Option<&InputOffer>) -> Result<Coupling, Refusal> {
    let offered = offer.map_or_else(|| Coupling::ALL.to_vec(), |o| o.couplings.clone());
    let names = || offered.iter().map(|c| c.name()).collect::<Vec<_>>().join(", ");
    match Coupling::ALL.into_iter().find(|c| c.name().eq_ignore_ascii_case(t)) {
        Some(c) if offered.contains(&c) => Ok(c),
        Some(c) => {
            Err(Refusal::new("coupling", format!("input {input} does not offer {}; it offers {}", c.name(), names())))
        }
        None => Err(Refusal::new("coupling", format!("coupling must be {}, not “{t}”", names()))),
    }
}

fn range(t: &str, input: u16, offer: Option<&InputOffer>) -> Result<f64, Refusal> {
    let volts = Asked::positive("the range", "V").number(t).map_err(|e| e.of("range_v"))?;
    match offer {
        Some(o) if !o.ranges_v.contains(&volts) => Err(Refusal::new("range_v", o.refused_range(input, volts))),
        _ => Ok(volts),
    }
}

fn high_pass(t: &str, input: u16, offer: Option<&InputOffer>) -> Result<f64, Refusal> {
    let corner = Asked {
        what: "the high-pass".into(),
        unit: "Hz".into(),
        low: Some(0.0),
        words: vec!["off".into(), "none".into()],
        ..Asked::default()
    };
    let entry = if t.is_empty() { None } else { Some(read(t, &corner).map_err(|e| e.of("high_pass_hz"))?) };
    let hz = entry.and_then(|e| e.values.first().copied()).unwrap_or(0.0);
    match offer {
        Some(o) if hz != 0.0 && !o.high_pass_hz.contains(&hz) => {
            Err(Refusal::new("high_pass_hz", o.refused_high_pass(input, hz)))
        }
        _ => Ok(hz),
    }
}
