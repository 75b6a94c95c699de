//! The rig: which sensor hangs on which input and where it sits on the specimen.

use crate::Refusal;
use crate::front_end::FrontEnd;
use crate::sensitivity::Sensitivity;
use crate::unit::{Quantity, find_for};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How an input is connected to its converter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub enum Coupling {
    /// Direct: mean and all.
    #[serde(rename = "DC")]
    Dc,
    /// The mean is removed.
    #[serde(rename = "AC")]
    Ac,
    /// Constant-current supply for sensors with built-in electronics; the bias is removed.
    #[serde(rename = "IEPE")]
    Iepe,
}

impl Coupling {
    /// As it is written on the screen and in files.
    pub fn name(self) -> &'static str {
        match self {
            Coupling::Dc => "DC",
            Coupling::Ac => "AC",
            Coupling::Iepe => "IEPE",
        }
    }
}

/// One row of the channel table.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Channel {
    /// Input it is plugged into, from 1.
    pub input: u16,
    /// Whether it is measured.
    pub on: bool,
    /// Its name; used once in a rig.
    pub name: String,
    /// The sensor, in words.
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

/// A change of one row: only the keys that are there are changed. Numbers may come as text, the
/// way they were typed.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ChannelChange {
    /// Switches the channel on or off.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub on: Option<bool>,
    /// New name.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// New words for the sensor.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sensor: Option<String>,
    /// New quantity; unit and sensitivity unit follow unless they are given too.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub quantity: Option<Quantity>,
    /// New unit.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// New sensitivity: a number, with or without its unit, as typed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sensitivity: Option<String>,
    /// New unit of the sensitivity.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sensitivity_unit: Option<String>,
    /// New coupling.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub coupling: Option<Coupling>,
    /// New range: a number of volts, as typed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub range_v: Option<String>,
    /// New place.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub point: Option<String>,
    /// New direction.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub direction: Option<String>,
}

/// Reads a number the way engineers type it: decimal comma, thin spaces, real minus sign, and a
/// unit behind it.
///
/// # Errors
/// A sentence naming `field`.
pub fn typed_number(field: &str, text: &str) -> Result<(f64, String), Refusal> {
    let clean: String =
        text.trim().replace(['\u{2009}', '\u{202f}', '\u{a0}'], " ").replace('\u{2212}', "-").replace(',', ".");
    let refuse = |why: &str| Refusal::new(field, format!("{field} {why}; allowed is a number above 0, such as 10.2"));
    if clean.is_empty() {
        return Err(refuse("is empty"));
    }
    // The longest front part that reads as a number; what follows is the unit.
    let cut = (1..=clean.len())
        .rev()
        .filter(|&i| clean.is_char_boundary(i))
        .find(|&i| {
            let head = clean[..i].trim_end();
            !head.ends_with(|c: char| c.is_alphabetic()) && head.replace(' ', "").parse::<f64>().is_ok()
        })
        .ok_or_else(|| refuse(&format!("is “{}”, not a number", text.trim())))?;
    let number: f64 = clean[..cut].replace(' ', "").parse().map_err(|_| refuse("is not a number"))?;
    if !(number.is_finite() && number > 0.0) {
        return Err(refuse(&format!("is {}", text.trim())));
    }
    Ok((number, clean[cut..].trim().to_string()))
}

impl Channel {
    /// The input's full scale in the unit the channel is shown in, peak; NaN for units that do not
    /// fit.
    pub fn full_scale(&self) -> f64 {
        let volts_per_si = self.sensitivity.volts_per_si().unwrap_or(f64::NAN);
        let to_si = crate::unit::find(&self.unit).map_or(f64::NAN, |u| u.to_si);
        self.range_v / volts_per_si / to_si
    }
}

impl Rig {
    /// The row of an input.
    pub fn channel(&self, input: u16) -> Option<&Channel> {
        self.channels.iter().find(|c| c.input == input)
    }

    /// The rows that are measured.
    pub fn active(&self) -> impl Iterator<Item = &Channel> {
        self.channels.iter().filter(|c| c.on)
    }

    /// The rig with one row changed; the rig itself stays as it is, so a refusal loses nothing.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn changed(&self, input: u16, change: &ChannelChange, front_end: Option<&FrontEnd>) -> Result<Rig, Refusal> {
        let mut rig = self.clone();
        let at = rig.channels.iter().position(|c| c.input == input).ok_or_else(|| {
            Refusal::new("input", format!("the rig has no input {input}; it has {} inputs", self.channels.len()))
        })?;
        let mut c = rig.channels[at].clone();
        if let Some(on) = change.on {
            c.on = on;
        }
        for (to, from) in
            [(&mut c.sensor, &change.sensor), (&mut c.point, &change.point), (&mut c.direction, &change.direction)]
        {
            if let Some(text) = from {
                *to = text.trim().to_string();
            }
        }
        if let Some(name) = &change.name {
            c.name = name.trim().to_string();
        }
        if let Some(q) = change.quantity
            && q != c.quantity
        {
            c.quantity = q;
            c.unit = q.usual_unit().symbol.to_string();
            c.sensitivity.unit = crate::sensitivity::allowed(q).swap_remove(0);
        }
        if let Some(unit) = &change.unit {
            c.unit = find_for(unit, c.quantity)?.symbol.to_string();
        }
        if let Some(text) = &change.sensitivity {
            let (value, unit) = typed_number("sensitivity", text)?;
            let unit = if unit.is_empty() { c.sensitivity.unit.clone() } else { unit };
            c.sensitivity = Sensitivity::new(value, &unit, c.quantity)?;
        }
        if let Some(unit) = &change.sensitivity_unit {
            c.sensitivity = Sensitivity::new(c.sensitivity.value, unit, c.quantity)?;
        }
        if let Some(coupling) = change.coupling {
            c.coupling = coupling;
        }
        if let Some(text) = &change.range_v {
            let (value, unit) = typed_number("range", text)?;
            c.range_v = match unit.as_str() {
                "" | "V" => value,
                "mV" => value * 1e-3,
                other => {
                    return Err(Refusal::new("range_v", format!("range is in “{other}”; allowed are V and mV")));
                }
            };
        }
        rig.channels[at] = c;
        rig.check_row(at, front_end)?;
        Ok(rig)
    }

    fn check_row(&self, at: usize, front_end: Option<&FrontEnd>) -> Result<(), Refusal> {
        let c = &self.channels[at];
        if c.on && c.name.is_empty() {
            return Err(Refusal::new(
                "name",
                format!("input {} is on and has no name; allowed is any name not used yet", c.input),
            ));
        }
        if c.name.chars().count() > 80 {
            return Err(Refusal::new("name", "the name is longer than 80 characters; allowed are up to 80"));
        }
        if let Some(other) = self.channels.iter().find(|o| o.input != c.input && !c.name.is_empty() && o.name == c.name)
        {
            return Err(Refusal::new(
                "name",
                format!("the name “{}” is used by input {}; allowed is any name not used yet", c.name, other.input),
            ));
        }
        find_for(&c.unit, c.quantity)?;
        c.sensitivity.check(c.quantity)?;
        let Some(offer) = front_end.and_then(|f| f.input(c.input)) else {
            return Ok(());
        };
        if !offer.ranges_v.contains(&c.range_v) {
            let all: Vec<String> = offer.ranges_v.iter().map(|r| r.to_string()).collect();
            return Err(Refusal::new(
                "range_v",
                format!("input {} does not offer a range of {} V; it offers {} V", c.input, c.range_v, all.join(", ")),
            ));
        }
        if !offer.couplings.contains(&c.coupling) {
            let all: Vec<&str> = offer.couplings.iter().map(|r| r.name()).collect();
            return Err(Refusal::new(
                "coupling",
                format!("input {} does not offer {}; it offers {}", c.input, c.coupling.name(), all.join(", ")),
            ));
        }
        Ok(())
    }

    /// Checks every row.
    ///
    /// # Errors
    /// The first entry that is not allowed.
    pub fn check(&self, front_end: Option<&FrontEnd>) -> Result<(), Refusal> {
        (0..self.channels.len()).try_for_each(|at| self.check_row(at, front_end))
    }
}
